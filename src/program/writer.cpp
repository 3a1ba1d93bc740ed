#include "program/writer.h"

#include <algorithm>
#include <cmath>

#include "base/hash.h"

namespace vemtra::program {

using nodes::Type;

Writer::Source Writer::constant(float v) {
    if (!std::isfinite(v)) v = 0.f;
    const auto [it, fresh] =
        constant_at_.try_emplace(v == 0.f ? 0u : __builtin_bit_cast(uint32_t, v), int(program_.constants_.size()));
    if (fresh) program_.constants_.push_back(v == 0.f ? 0.f : v);
    return {Source::Kind::constant, it->second};
}

Writer::Typed Writer::literal(const scene::Value& value, Type type) {
    Typed t{type, {}};
    const auto floats = nodes::literal(value, type);
    for (int c = 0; c < nodes::components(type); ++c) t.sources.push_back(constant(floats[size_t(c)]));
    return t;
}

// One number fills all components; several become a number by the type's own rule; fewer drop the last, more are
// filled with 0, an alpha with 1.
std::vector<Writer::Source> Writer::convert(const Typed& t, Type type) {
    const size_t have = t.sources.size();
    const size_t need = size_t(nodes::components(type));
    if (have == need) return t.sources;
    if (type == Type::place && t.type == Type::place)
        return {t.sources.begin(), t.sources.begin() + long(need)};  // the first side of a box
    if (type == Type::place) {                                       // any other (u, v) is taken to move as the UVs do
        std::vector<Source> out = convert(t, Type::vector2);
        append_rows(out, nodes::row_uv_axes, 4);
        return out;
    }
    if (have == 1) return std::vector<Source>(need, t.sources[0]);
    if (need == 1 && nodes::info(t.type).to_number == nodes::ToNumber::luminance)
        return emit(nodes::luminance_kernel(), {t.sources[0], t.sources[1], t.sources[2]}, 1, {}, -1, false);
    std::vector<Source> out = t.sources;
    while (out.size() < need) out.push_back(constant(type == Type::color4 && out.size() == 3 ? 1.f : 0.f));
    out.resize(need);
    return out;
}

void Writer::append_rows(std::vector<Source>& to, int first, int count, int walk) {
    resources_.footprint |= first >= nodes::rows_without_footprint;
    if (first >= nodes::rows_walked) walk = -1;
    for (int c = 0; c < count; ++c) to.push_back({Source::Kind::points, first + c, walk});
}
std::vector<Writer::Source> Writer::emit(const nodes::KernelPair& pair, std::vector<Source> in, int components,
                                         std::vector<float> uniform, int resource, bool varies, int walk) {
    const nodes::Kernel kernel = pair.get();
    const bool all_constant =
        !varies && std::all_of(in.begin(), in.end(), [](const Source& s) { return s.kind == Source::Kind::constant; });
    if (all_constant) {  // folded: run it once on one point
        std::vector<float> values(in.size());
        std::vector<const float*> from(in.size());
        for (size_t i = 0; i < in.size(); ++i) {
            values[i] = program_.constants_[size_t(in[i].index)];
            from[i] = &values[i];
        }
        std::vector<float> result(size_t(components), 0.f);
        std::vector<float*> to;
        for (float& r : result) to.push_back(&r);
        nodes::PointBatch one;
        one.n = 1;
        kernel({1, components, from.data(), to.data(), uniform.data(), resource, &one});
        std::vector<Source> out;
        for (float r : result) out.push_back(constant(r));
        return out;
    }
    // Equal work is done once.
    size_t key = std::hash<const void*>()(reinterpret_cast<const void*>(kernel)) ^ size_t(resource + 1) * 0x9e3779b9u ^
                 size_t(components);
    for (const Source& s : in)
        key = key * 1099511628211u + size_t(s.kind) * 65537u + size_t(s.index) + size_t(s.walk + 1) * 8209u;
    key += size_t(walk + 1) * 769u;
    const auto [first, last] = step_at_.equal_range(key);
    for (auto it = first; it != last; ++it) {
        const Program::Step& s = program_.steps_[it->second];
        if (s.kernel == kernel && s.in == in && s.uniform == uniform && s.resource == resource && s.walk == walk &&
            int(s.out.size()) == components)
            return as_sources(s.out);
    }
    Program::Step step{kernel, hash_text(pair.name), std::move(in), {}, std::move(uniform), resource, walk};
    for (int c = 0; c < components; ++c) step.out.push_back(program_.registers_++);
    step_at_.emplace(key, program_.steps_.size());
    program_.steps_.push_back(step);
    return as_sources(step.out);
}

std::vector<Writer::Source> Writer::as_sources(const std::vector<int>& registers) {
    std::vector<Source> out;
    for (int r : registers) out.push_back({Source::Kind::reg, r});
    return out;
}

int Writer::walk(float along, float across) {
    const Program::Walk wanted{along, across};
    const auto it = std::find(program_.walks_.begin(), program_.walks_.end(), wanted);
    if (it != program_.walks_.end()) return int(it - program_.walks_.begin());
    program_.walks_.push_back(wanted);
    return int(program_.walks_.size()) - 1;
}

void Writer::output(std::vector<Source> sources) {
    Program::Output output;
    output.sources = std::move(sources);
    output.first = program_.component_count_;
    output.is_constant = true;
    for (size_t c = 0; c < output.sources.size(); ++c) {
        const Source& s = output.sources[c];
        if (s.kind != Source::Kind::constant)
            output.is_constant = false;
        else if (c < 3)
            (&output.value.x)[c] = program_.constants_[size_t(s.index)];
        program_.reads_points_ |= s.kind == Source::Kind::points;
    }
    if (output.is_constant && output.sources.size() == 1) output.value = V3f(output.value.x);
    program_.component_count_ += int(output.sources.size());
    program_.outputs_.push_back(std::move(output));
}

Program Writer::finish() {
    program_.reuse_registers();
    program_.fill_constants();
    for (const Program::Step& s : program_.steps_) program_.most_inputs_ = std::max(program_.most_inputs_, s.in.size());
    return std::move(program_);
}

}  // namespace vemtra::program
