#include "kernel_support.h"

#include "nodes/kernels/spread.h"

namespace vemtra::test {

KernelRun::KernelRun(const std::string& kind, int points, nodes::Type output)
    : d_(*nodes::describe(kind)), n_(points), output_(output) {
    const auto& e = d_.ports;
    for (const nodes::Port& p : e)
        if (!p.uniform && !p.text) {
            const auto v = nodes::literal(p.value, type_of(p));
            for (int c = 0; c < width(p); ++c) inputs_[p.name].push_back(std::vector<float>(size_t(n_), v[size_t(c)]));
        } else if (p.uniform && !p.text) {
            const auto v = nodes::literal(p.value, p.type);
            uniforms_[p.name].assign(v.begin(), v.begin() + nodes::components(p.type));
        }
    rows_.assign(nodes::row_count, std::vector<float>(size_t(n_), 0.f));
    for (float& z : rows_[nodes::row_normal + 2]) z = 1.f;
    for (auto& s : spread_) s.assign(size_t(n_), 0.f);
    spread_[3].assign(size_t(n_), nodes::spread_not_known);
}

std::vector<std::vector<float>> KernelRun::run(nodes::Kernel kernel) {
    const int count = components ? components : nodes::components(output_);
    std::vector<std::vector<float>> out(size_t(count), std::vector<float>(size_t(n_), -777.f));
    std::vector<const float*> in;
    std::vector<float> uniform;
    for (const nodes::Port& p : d_.ports) {
        if (p.text) continue;
        if (p.uniform)
            uniform.insert(uniform.end(), uniforms_[p.name].begin(), uniforms_[p.name].end());
        else
            for (int k = 0; k < (p.spread ? nodes::spread_places : 1); ++k)
                for (const auto& c : inputs_[p.name]) in.push_back(c.data());
        for (int c = 0; p.with_spread && c < 4; ++c) in.push_back(spread_[size_t(c)].data());
    }
    std::vector<float*> to;
    for (auto& c : out) to.push_back(c.data());
    batch_.n = n_;
    for (int r = 0; r < nodes::row_count; ++r) batch_.rows[r] = rows_[size_t(r)].data();
    (kernel ? kernel : d_.kernel.get())({n_, count, in.data(), to.data(), uniform.data(), resource, &batch_});
    return out;
}

void FunctionTexture::sample(int, int n, const float* const* place, float* const* out, int components) const {
    for (int c = 0; c < components; ++c)
        for (int i = 0; i < n; ++i) out[c][i] = h_(place[0][i], place[1][i]);
}

}  // namespace vemtra::test
