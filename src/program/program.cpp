#include "program/program.h"

#include <cstring>
#include <set>
#include <sstream>

namespace vemtra::program {

using nodes::Reads;
using nodes::Type;

int Resources::image(const ImageRequest& r) {
    for (size_t i = 0; i < images.size(); ++i)
        if (images[i] == r) return int(i);
    images.push_back(r);
    return int(images.size()) - 1;
}
int Resources::field(const FieldRequest& r) {
    for (size_t i = 0; i < fields.size(); ++i)
        if (fields[i] == r) return int(i);
    fields.push_back(r);
    return int(fields.size()) - 1;
}
int Resources::uv_set(const std::string& name) {
    const auto it = std::find(uv_sets.begin(), uv_sets.end(), name);
    if (it != uv_sets.end()) return int(it - uv_sets.begin());
    if (uv_sets.size() < most_uv_sets) uv_sets.push_back(name);
    return int(uv_sets.size()) - 1;
}

float* Workspace::reserve(size_t floats) {
    if (memory_.size() < floats) memory_.resize(floats);
    return memory_.data();
}

namespace {
// Order of the arrays of the points that a source can name.
const float* points_array(const nodes::PointBatch& p, int index) {
    const float* all[] = {p.position_object[0], p.position_object[1], p.position_object[2], p.normal_object[0], p.normal_object[1],
                          p.normal_object[2],   p.uv[0],              p.uv[1],              p.color[0],         p.color[1],         p.color[2],
                          p.uv_axes[0],       p.uv_axes[1],         p.uv_axes[2],         p.uv_axes[3]};
    return all[index];
}
}  // namespace

void Program::run(const nodes::PointBatch& points, Workspace& workspace, const float** out) const {
    constexpr size_t stride = nodes::max_batch;
    const size_t count = size_t(registers_) + constants_.size();
    float* memory = workspace.reserve(count * stride);
    float* constants = memory + size_t(registers_) * stride;
    const size_t n = size_t(points.n);
    for (size_t c = 0; c < constants_.size(); ++c) std::fill_n(constants + c * stride, n, constants_[c]);
    auto array = [&](const Source& s) -> const float* {
        switch (s.kind) {
            case Source::Kind::reg: return memory + size_t(s.index) * stride;
            case Source::Kind::constant: return constants + size_t(s.index) * stride;
            default: return points_array(points, s.index);
        }
    };
    const float* in[64];
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
                for (size_t i = 0; i < n; ++i) (*workspace.broken)[size_t(component) - 1] += !(std::fabs(v[i]) <= 3e38f);
            for (size_t i = 0; i < n; ++i) v[i] = std::fabs(v[i]) <= 3e38f ? v[i] : 0.f;
        }
}

class Compiler {
public:
    Compiler(const scene::BuildUp& build_up, Resources& resources, std::vector<Error>& problems)
        : build_up_(build_up), resources_(resources), problems_(problems) {}

    Program compile(const std::vector<Wanted>& wanted) {
        for (const Wanted& w : wanted) {
            Program::Output output;
            output.sources = convert(read(w.input, w.type, w.name), w.type);
            output.first = program_.component_count_;
            output.is_constant = true;
            for (size_t c = 0; c < output.sources.size(); ++c) {
                const Source& s = output.sources[c];
                if (s.kind != Source::Kind::constant) output.is_constant = false;
                else if (c < 3) (&output.value.x)[c] = program_.constants_[size_t(s.index)];
                program_.reads_points_ |= s.kind == Source::Kind::points;
            }
            if (output.is_constant && output.sources.size() == 1) output.value = V3f(output.value.x);
            program_.component_count_ += int(output.sources.size());
            program_.outputs_.push_back(std::move(output));
        }
        reuse_registers();
        return std::move(program_);
    }

private:
    using Source = Program::Source;
    struct Typed {
        Type type = Type::number;
        std::vector<Source> sources;
    };

    void problem(const std::string& node, const std::string& why, const std::string& remedy) {
        problems_.push_back({"Part of a network cannot be computed, its default is used", "", build_up_.name + " / " + node, why, remedy});
    }

    Source constant(float v) {
        if (!std::isfinite(v)) v = 0.f;
        for (size_t i = 0; i < program_.constants_.size(); ++i)
            if (program_.constants_[i] == v) return {Source::Kind::constant, int(i)};
        program_.constants_.push_back(v);
        return {Source::Kind::constant, int(program_.constants_.size()) - 1};
    }

    Typed literal(const scene::Value& value, Type type) {
        Typed t{type, {}};
        const bool scalar = std::holds_alternative<float>(value) || std::holds_alternative<bool>(value);
        const V3f v = scalar ? V3f(scene::as_number(value)) : scene::as_vector(value);
        for (int c = 0; c < nodes::components(type); ++c) t.sources.push_back(constant((&v.x)[c]));
        return t;
    }

    Typed read(const scene::Input& input, Type type, const std::string& place) {
        if (input.from.empty()) return literal(input.shown(), type);
        const Typed* t = node(input.from, place);
        if (!t) return literal(input.shown(), type);
        if (!input.worn) return *t;
        // A span: the node drives the way from one end to the other.
        const Typed driver = *t;
        std::vector<Source> in = literal(*input.worn, type).sources;
        for (const Source& s : literal(input.value, type).sources) in.push_back(s);
        in.push_back(convert(driver, Type::number)[0]);
        static const nodes::Kernel mix = nodes::describe("mix")->kernel.get();
        return {type, emit(mix, std::move(in), nodes::components(type), {}, -1, false)};
    }

    // N -> C, D: the number in every component. C -> N: luminance. D -> N: the first component. Three to two components: drop the last.
    std::vector<Source> convert(const Typed& t, Type type) {
        const size_t have = t.sources.size(), need = size_t(nodes::components(type));
        if (have == need) return t.sources;
        if (type == Type::place && t.type == Type::place) return {t.sources.begin(), t.sources.begin() + 6};  // the first side of a box
        if (type == Type::place) {  // any other (u, v) is taken to move as the UVs do
            std::vector<Source> out = convert(t, Type::vector2);
            for (const Source& s : uv_axes()) out.push_back(s);
            return out;
        }
        if (have == 1) return std::vector<Source>(need, t.sources[0]);
        if (need == 1 && t.type == Type::color) return {luminance_of(t.sources)};
        std::vector<Source> out = t.sources;
        while (out.size() < need) out.push_back(constant(0.f));
        out.resize(need);
        return out;
    }

    std::vector<Source> uv_axes() {
        resources_.footprint = true;
        std::vector<Source> out;
        for (int c = 0; c < 4; ++c) out.push_back({Source::Kind::points, 11 + c});
        return out;
    }

    Source luminance_of(const std::vector<Source>& rgb) {
        static constexpr float weights[] = {0.2126f, 0.7152f, 0.0722f};
        const auto* multiply = nodes::describe("multiply");
        const auto* add = nodes::describe("add");
        Source sum;
        for (size_t c = 0; c < 3; ++c) {
            const Source term = emit(multiply->kernel.get(), {rgb[c], constant(weights[c])}, 1, {}, -1, false)[0];
            sum = c == 0 ? term : emit(add->kernel.get(), {sum, term}, 1, {}, -1, false)[0];
        }
        return sum;
    }

    std::vector<Source> emit(nodes::Kernel kernel, std::vector<Source> in, int components, std::vector<float> uniform, int resource, bool varies) {
        bool all_constant = !varies;
        for (const Source& s : in) all_constant &= s.kind == Source::Kind::constant;
        if (all_constant) {  // folded: run it once on one point
            std::vector<float> values(in.size());
            std::vector<const float*> from(in.size());
            for (size_t i = 0; i < in.size(); ++i) {
                values[i] = program_.constants_[size_t(in[i].index)];
                from[i] = &values[i];
            }
            float result[4] = {};
            float* to[4] = {result, result + 1, result + 2, result + 3};
            nodes::PointBatch one;
            one.n = 1;
            kernel({1, components, from.data(), to, uniform.data(), resource, &one});
            std::vector<Source> out;
            for (int c = 0; c < components; ++c) out.push_back(constant(result[c]));
            return out;
        }
        for (const Program::Step& s : program_.steps_)  // equal work is done once
            if (s.kernel == kernel && s.in == in && s.uniform == uniform && s.resource == resource && int(s.out.size()) == components) return as_sources(s.out);
        Program::Step step{kernel, std::move(in), {}, std::move(uniform), resource};
        for (int c = 0; c < components; ++c) step.out.push_back(program_.registers_++);
        program_.steps_.push_back(step);
        return as_sources(step.out);
    }

    static std::vector<Source> as_sources(const std::vector<int>& registers) {
        std::vector<Source> out;
        for (int r : registers) out.push_back({Source::Kind::reg, r});
        return out;
    }

    const Typed* node(const std::string& id, const std::string& reader) {
        if (auto it = done_.find(id); it != done_.end()) return &it->second;
        const scene::Node* n = scene::find_node(build_up_, id).node;
        if (!n) return problem(reader, "it reads from '" + id + "', which does not exist", "Connect it to another node"), nullptr;
        const nodes::NodeDescription* d = nodes::describe(n->kind);
        if (!d) return problem(id, "the node kind '" + n->kind + "' is not known", "Delete it, or open the project with the version that made it"), nullptr;
        if (!open_.insert(id).second) return problem(id, "the network runs in a circle through this node", "Disconnect one of its inputs"), nullptr;
        Type named;
        if (!n->type.empty() && (!nodes::type_from_name(n->type, named) || d->output_type(*n) != named))
            problem(id, "the type '" + n->type + "' does not fit a " + n->kind + " node", std::string("Its type is ") + nodes::type_name(d->output_type(*n)) + " now");
        for (const auto& [name, input] : n->inputs)
            if (!d->port(name)) problem(id, "it has no input '" + name + "'", "See docs/nodes.md for its inputs");

        Typed result{d->output_type(*n), {}};
        std::vector<Source> in, box;
        std::vector<float> uniform;
        for (const nodes::Port& p : d->ports) {
            const auto it = n->inputs.find(p.name);
            const scene::Input* given = it == n->inputs.end() ? nullptr : &it->second;
            const scene::Value value = nodes::literal_of(*n, p);
            if (given && std::holds_alternative<std::string>(given->value) != p.text)
                problem(id, "its input '" + p.name + "' holds a " + (p.text ? "number where a word" : "word where a number") + " is expected", "Set it again");
            if (p.text) continue;
            if (p.uniform) {
                const V3f v = scene::as_vector(value);
                for (int c = 0; c < nodes::components(p.type); ++c) {
                    float x = (&v.x)[c];
                    if (p.hard) x = std::clamp(x, p.low, p.high);
                    if (p.whole) x = std::round(x);
                    uniform.push_back(x);
                }
                continue;
            }
            const Type type = d->port_type(p, result.type);
            if ((!given || (type == Type::place && given->from.empty())) && p.reads != Reads::literal) {
                static constexpr int first[] = {0, 6, 0, 3, 8};
                for (int c = 0; c < (type == Type::place ? 2 : nodes::components(type)); ++c) in.push_back({Source::Kind::points, first[size_t(p.reads)] + c});
                if (type == Type::place)
                    for (const Source& s : uv_axes()) in.push_back(s);
                continue;
            }
            scene::Input input = given ? *given : scene::Input();
            input.value = value;
            const Typed typed = read(input, type, id);
            if (type == Type::place && d->needs == nodes::Needs::image && typed.sources.size() == size_t(nodes::box_components)) box = typed.sources;
            for (const Source& s : convert(typed, type)) in.push_back(s);
        }
        int components = nodes::components(result.type);
        if (result.type == Type::place && std::lround(scene::as_number(nodes::literal_of(*n, *d->port("projection")))) == 2) components = nodes::box_components;
        const int handle = resource(*n, *d, result.type);
        if (box.empty()) {
            result.sources = emit(d->kernel.get(), std::move(in), components, std::move(uniform), handle, d->varies);
        } else {  // a map on a box is read from its three sides
            std::vector<Source> sides;
            for (size_t a = 0; a < 3; ++a) {
                std::vector<Source> side = in;
                std::copy_n(box.begin() + long(6 * a), 6, side.end() - 6);  // the place is the last port
                for (const Source& s : emit(d->kernel.get(), std::move(side), components, uniform, handle, true)) sides.push_back(s);
            }
            for (size_t a = 0; a < 3; ++a) sides.push_back(box[18 + a]);
            result.sources = emit(nodes::box_blend_kernel().get(), std::move(sides), components, {}, -1, false);
        }
        open_.erase(id);
        return &(done_[id] = std::move(result));
    }

    int resource(const scene::Node& n, const nodes::NodeDescription& d, Type type) {
        auto word = [&](const char* name) { return std::get<std::string>(nodes::literal_of(n, *d.port(name))); };
        auto number = [&](const char* name) { return scene::as_number(nodes::literal_of(n, *d.port(name))); };
        if (d.needs == nodes::Needs::image) {
            ImageRequest r{word("file"), word("colorspace"), word("channel"), word("uaddressmode"), word("vaddressmode"), word("filter"), n.kind == "heightrelief" ? 1 : nodes::components(type)};
            if (const auto it = n.inputs.find("texcoord"); it != n.inputs.end() && !it->second.from.empty())
                if (const scene::Node* place = scene::find_node(build_up_, it->second.from).node; place && place->kind == "placement")
                    r.seamless = std::get<std::string>(nodes::literal_of(*place, *nodes::describe("placement")->port("tiling"))) == "seamless";
            resources_.footprint = true;
            if (r.components != 3) r.colorspace = r.colorspace == "auto" ? "raw" : r.colorspace;  // one number is data unless said otherwise
            return resources_.image(r);
        }
        if (d.needs == nodes::Needs::tangents) resources_.tangents = true;
        if (d.needs == nodes::Needs::footprint) resources_.footprint = true;
        if (n.kind == "placement") {
            const auto it = n.inputs.find("texcoord");
            const std::string set = word("uv_set");
            if (!set.empty() && (it == n.inputs.end() || it->second.from.empty())) return resources_.uv_set(set);
        }
        if (d.needs == nodes::Needs::cavity)
            return resources_.field({build_up_.id, word("where") == "edges", std::clamp(number("reach"), 1e-5f, 1e4f), std::clamp(number("angle"), 5.f, 90.f)});
        return -1;
    }

    // Registers whose value is not needed any more serve again: the working set stays in the cache.
    void reuse_registers() {
        std::vector<int> last(size_t(program_.registers_), -1);
        for (size_t s = 0; s < program_.steps_.size(); ++s)
            for (const Source& i : program_.steps_[s].in)
                if (i.kind == Source::Kind::reg) last[size_t(i.index)] = int(s);
        for (const auto& output : program_.outputs_)
            for (const Source& s : output.sources)
                if (s.kind == Source::Kind::reg) last[size_t(s.index)] = int(program_.steps_.size());
        std::vector<int> moved(size_t(program_.registers_), -1), available;
        int used = 0;
        auto apply = [&](Source& s) { if (s.kind == Source::Kind::reg) s.index = moved[size_t(s.index)]; };
        for (size_t s = 0; s < program_.steps_.size(); ++s) {
            auto& step = program_.steps_[s];
            std::vector<int> ends;
            for (const Source& i : step.in)
                if (i.kind == Source::Kind::reg && last[size_t(i.index)] == int(s)) ends.push_back(i.index);
            for (Source& i : step.in) apply(i);
            for (int& r : step.out) {  // before the inputs are released: kernels may not work in place
                const int original = r;
                if (available.empty()) r = used++;
                else r = available.back(), available.pop_back();
                moved[size_t(original)] = r;
            }
            for (int r : ends)
                if (last[size_t(r)] == int(s)) available.push_back(moved[size_t(r)]), last[size_t(r)] = -2;
        }
        for (auto& output : program_.outputs_)
            for (Source& s : output.sources) apply(s);
        program_.registers_ = used;
    }

    const scene::BuildUp& build_up_;
    Resources& resources_;
    std::vector<Error>& problems_;
    Program program_;
    std::map<std::string, Typed> done_;
    std::set<std::string> open_;
};

Program compile(const scene::BuildUp& build_up, const std::vector<Wanted>& wanted, Resources& resources, std::vector<Error>& problems) {
    return Compiler(build_up, resources, problems).compile(wanted);
}

}  // namespace vemtra::program
