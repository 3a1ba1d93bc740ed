#include "program/program.h"

#include "base/hash.h"

#include <algorithm>
#include <cmath>

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
            default: return points.rows[s.index];
        }
    };
    const float** in = workspace.inputs(most_inputs_);
    float* to[nodes::box_components];
    for (const Step& step : steps_) {
        for (size_t i = 0; i < step.in.size(); ++i) in[i] = array(step.in[i]);
        for (size_t i = 0; i < step.out.size(); ++i) to[i] = memory + size_t(step.out[i]) * stride;
        step.kernel({points.n, int(step.out.size()), in, to, step.uniform.data(), step.resource, &points});
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

uint64_t Program::hash() const {
    uint64_t h = hash_bytes(constants_.data(), constants_.size() * sizeof(float));
    auto add = [&](uint64_t x) { h = hash_bytes(&x, sizeof x, h); };
    auto add_sources = [&](const std::vector<Source>& sources) {
        add(sources.size());
        for (const Source& s : sources) add(uint64_t(s.kind) << 32 | uint32_t(s.index));
    };
    for (const Step& s : steps_) {
        add(uint64_t(reinterpret_cast<uintptr_t>(s.kernel)));
        add_sources(s.in);
        for (const int r : s.out) add(uint64_t(uint32_t(r)));
        h = hash_bytes(s.uniform.data(), s.uniform.size() * sizeof(float), h);
        add(uint64_t(uint32_t(s.resource)));
    }
    for (const Output& o : outputs_) add_sources(o.sources);
    return h;
}

}  // namespace vemtra::program
