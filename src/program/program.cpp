#include "program/program.h"

#include "base/hash.h"

#include <algorithm>
#include <cmath>

#include "nodes/resources.h"
#include "nodes/types.h"

namespace vemtra::program {

float* Workspace::reserve(size_t floats) {
    if (memory_.size() < floats) memory_.resize(floats);
    return memory_.data();
}
const float** Workspace::inputs(size_t count) {
    if (inputs_.size() < count) inputs_.resize(count);
    return inputs_.data();
}

Workspace::Beside& Workspace::beside(size_t which) {
    while (beside_.size() <= which) beside_.push_back(std::make_unique<Beside>());
    return *beside_[which];
}

namespace {

/// Where nothing is known of the surface it goes straight on, and the UVs with it.
void straight_on(const nodes::PointBatch& from, const float* along, const float* across, float* const* rows) {
    using namespace nodes;
    for (int r = 0; r < rows_walked; ++r)
        if (from.rows[r]) std::copy_n(from.rows[r], from.n, rows[r]);
    const float* const* p = from.rows + row_position_axes;
    const float* const* uv = from.rows + row_uv_axes;
    if (!from.rows[row_position] || !from.rows[row_normal]) return;
    for (int i = 0; i < from.n; ++i) {
        const Frame frame(V3f(from.rows[row_normal][i], from.rows[row_normal + 1][i], from.rows[row_normal + 2][i]));
        const V3f step = frame.tangent * along[i] + frame.bitangent * across[i];
        for (int c = 0; c < 3; ++c) rows[row_position + c][i] += step[c];
        if (!p[0] || !uv[0] || !from.rows[row_uv]) continue;
        for (int a = 0; a < 2; ++a) {  // the axes stand across each other
            const V3f axis(p[3 * a][i], p[3 * a + 1][i], p[3 * a + 2][i]);
            const float by = axis.length2() > 0.f ? step.dot(axis) / axis.length2() : 0.f;
            for (int c = 0; c < 2; ++c) rows[row_uv + c][i] += by * uv[2 * a + c][i];
        }
    }
}

}  // namespace

void Workspace::Beside::move(const nodes::PointBatch& from, const float* along, const float* across) {
    using namespace nodes;
    constexpr size_t stride = max_batch + 16;
    batch = from;
    rows.resize(rows_walked * stride);
    face.resize(max_batch);
    float* to[rows_walked];
    for (int r = 0; r < rows_walked; ++r) to[r] = &rows[size_t(r) * stride];
    if (!from.surface) {
        straight_on(from, along, across, to);
    } else {
        float* set_to[2 * most_uv_sets] = {};
        if (from.uv_sets) {
            sets.resize(2 * most_uv_sets * stride);
            set_rows.resize(6 * most_uv_sets);
            for (size_t s = 0; s < most_uv_sets; ++s)
                for (size_t a = 0; a < 6; ++a) {
                    if (a < 2) set_to[2 * s + a] = &sets[(2 * s + a) * stride];
                    set_rows[6 * s + a] = a < 2 ? set_to[2 * s + a] : from.uv_sets[6 * s + a];
                }
            batch.uv_sets = set_rows.data();
        }
        from.surface->beside(from, along, across, to, face.data(), set_to);
        batch.face = face.data();
    }
    for (int r = 0; r < rows_walked; ++r)
        if (from.rows[r]) batch.rows[r] = to[r];
}

void Program::run(const nodes::PointBatch& points, Workspace& workspace, const float** out) const {
    const size_t filled = filled_.size() / stride;
    const size_t beyond = constants_.size() - filled;
    float* memory = workspace.reserve((size_t(registers_) + beyond) * stride);
    float* further = memory + size_t(registers_) * stride;
    const size_t n = size_t(points.n);
    for (size_t c = 0; c < beyond; ++c) std::fill_n(further + c * stride, n, constants_[filled + c]);
    auto array = [&](const Source& s) -> const float* {
        switch (s.kind) {
            case Source::Kind::reg: return memory + size_t(s.index) * stride;
            case Source::Kind::constant: {
                const size_t c = size_t(s.index);
                return c < filled ? filled_.data() + c * stride : further + (c - filled) * stride;
            }
            default: return (s.walk < 0 ? points : workspace.beside(size_t(s.walk)).batch).rows[s.index];
        }
    };
    for (size_t w = 0; w < walks_.size(); ++w) {
        float along[nodes::max_batch];
        float across[nodes::max_batch];
        std::fill_n(along, n, walks_[w].along);
        std::fill_n(across, n, walks_[w].across);
        workspace.beside(w).move(points, along, across);
    }
    const float** in = workspace.inputs(most_inputs_);
    float* to[nodes::box_components];
    for (const Step& step : steps_) {
        for (size_t i = 0; i < step.in.size(); ++i) in[i] = array(step.in[i]);
        for (size_t i = 0; i < step.out.size(); ++i) to[i] = memory + size_t(step.out[i]) * stride;
        const nodes::PointBatch& at = step.walk < 0 ? points : workspace.beside(size_t(step.walk)).batch;
        step.kernel({points.n, int(step.out.size()), in, to, step.uniform.data(), step.resource, &at});
    }
    int component = 0;
    for (const Output& output : outputs_)
        for (const Source& s : output.sources) {
            out[component++] = array(s);
            if (s.kind != Source::Kind::reg) continue;  // constants and points were checked when they were made
            float* v = memory + size_t(s.index) * stride;
            if (workspace.broken)
                for (size_t i = 0; i < n; ++i)
                    (*workspace.broken)[size_t(component) - 1] += !(std::fabs(v[i]) <= 3e38f);
            for (size_t i = 0; i < n; ++i) v[i] = std::fabs(v[i]) <= 3e38f ? v[i] : 0.f;
        }
}

void Program::fill_constants() {
    const size_t count = std::min(constants_.size(), most_filled);
    filled_.resize(count * stride);
    for (size_t c = 0; c < count; ++c) std::fill_n(filled_.begin() + long(c * stride), stride, constants_[c]);
}

bool Program::runs(bool (*one_of)(nodes::Kernel)) const {
    return std::any_of(steps_.begin(), steps_.end(), [&](const Step& s) { return one_of(s.kernel); });
}
uint64_t Program::hash() const {
    uint64_t h = hash_bytes(constants_.data(), constants_.size() * sizeof(float));
    auto add = [&](uint64_t x) { h = hash_bytes(&x, sizeof x, h); };
    auto add_sources = [&](const std::vector<Source>& sources) {
        add(sources.size());
        for (const Source& s : sources) {
            add(uint64_t(s.kind) << 32 | uint32_t(s.index));
            add(uint64_t(int64_t(s.walk)));
        }
    };
    for (const Step& s : steps_) {
        add(s.kernel_hash);
        add_sources(s.in);
        for (const int r : s.out) add(uint64_t(uint32_t(r)));
        h = hash_bytes(s.uniform.data(), s.uniform.size() * sizeof(float), h);
        add(uint64_t(uint32_t(s.resource)));
        add(uint64_t(int64_t(s.walk)));
    }
    h = hash_bytes(walks_.data(), walks_.size() * sizeof(Walk), h);
    for (const Output& o : outputs_) add_sources(o.sources);
    return h;
}

}  // namespace vemtra::program
