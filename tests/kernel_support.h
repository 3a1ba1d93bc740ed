// Runs one kernel alone, its inputs named by port.
#pragma once
#include <map>

#include "nodes/description.h"
#include "support.h"

namespace vemtra::test {

class KernelRun {
public:
    KernelRun(const std::string& kind, int points, nodes::Type output)
        : d_(*nodes::describe(kind)), n_(points), output_(output) {
        const auto& e = d_.ports;
        for (const nodes::Port& p : e)
            if (!p.uniform && !p.text) {
                const auto v = nodes::literal(p.value, type_of(p));
                for (int c = 0; c < width(p); ++c)
                    inputs_[p.name].push_back(std::vector<float>(size_t(n_), v[size_t(c)]));
            } else if (p.uniform && !p.text) {
                const auto v = nodes::literal(p.value, p.type);
                uniforms_[p.name].assign(v.begin(), v.begin() + nodes::components(p.type));
            }
        rows_.assign(nodes::row_count, std::vector<float>(size_t(n_), 0.f));
        for (float& z : rows_[nodes::row_normal + 2]) z = 1.f;
    }
    std::vector<float>& in(const std::string& port, int component = 0) {
        return inputs_.at(port).at(size_t(component));
    }
    void uniform(const std::string& port, std::vector<float> values) { uniforms_.at(port) = std::move(values); }
    std::vector<float>& row(int index) { return rows_[size_t(index)]; }
    nodes::PointBatch& points() { return batch_; }
    int resource = -1;
    /// Components of the output where it is not what the type says.
    int components = 0;

    std::vector<std::vector<float>> run(nodes::Kernel kernel = nullptr) {
        const int count = components ? components : nodes::components(output_);
        std::vector<std::vector<float>> out(size_t(count), std::vector<float>(size_t(n_), -777.f));
        std::vector<const float*> in;
        std::vector<float> uniform;
        for (const nodes::Port& p : d_.ports) {
            if (p.text) continue;
            if (p.uniform)
                uniform.insert(uniform.end(), uniforms_[p.name].begin(), uniforms_[p.name].end());
            else
                for (const auto& c : inputs_[p.name]) in.push_back(c.data());
        }
        std::vector<float*> to;
        for (auto& c : out) to.push_back(c.data());
        batch_.n = n_;
        for (int r = 0; r < nodes::row_count; ++r) batch_.rows[r] = rows_[size_t(r)].data();
        (kernel ? kernel : d_.kernel.get())({n_, count, in.data(), to.data(), uniform.data(), resource, &batch_});
        return out;
    }
    const nodes::NodeDescription& description() const { return d_; }

private:
    nodes::Type type_of(const nodes::Port& p) const { return d_.port_type(p, output_); }
    int width(const nodes::Port& p) const { return nodes::components(type_of(p)); }

    const nodes::NodeDescription& d_;
    int n_;
    nodes::Type output_;
    std::map<std::string, std::vector<std::vector<float>>> inputs_;
    std::map<std::string, std::vector<float>> uniforms_;
    std::vector<std::vector<float>> rows_;
    nodes::PointBatch batch_;
};

/// A texture that is a function of its place: h(u, v) in every component.
class FunctionTexture : public nodes::TextureLookup {
public:
    explicit FunctionTexture(std::function<float(float, float)> h) : h_(std::move(h)) {}
    void sample(int, int n, const float* const* place, float* const* out, int components) const override {
        for (int c = 0; c < components; ++c)
            for (int i = 0; i < n; ++i) out[c][i] = h_(place[0][i], place[1][i]);
    }

private:
    std::function<float(float, float)> h_;
};

}  // namespace vemtra::test
