#include "program/compile.h"

#include <algorithm>
#include <map>
#include <unordered_set>
#include <utility>

#include "base/hash.h"
#include "nodes/as_computed.h"
#include "nodes/kernels/spread.h"
#include "program/scopes.h"
#include "program/writer.h"
#include "scene/graph.h"

namespace vemtra::program {

using nodes::Reads;
using nodes::Type;

namespace {
constexpr size_t most_moves = 128;          // places beside the point at which one program computes
constexpr int spread_numbers = 4;           // of what varies within a footprint, see nodes::Port::with_spread
constexpr size_t most_borders_behind = 16;  // masks that follow from the borders of others
constexpr size_t most_computed = 100000;  // nodes, each counted as often as there are places; what is beyond reads here
}  // namespace

namespace {

void tell(std::vector<Error>& problems, const scene::BuildUp& build_up, const std::string& node, const std::string& why,
          const std::string& remedy) {
    problems.push_back(
        {"Part of a network cannot be computed, its default is used", "", build_up.name + " / " + node, why, remedy});
}

/// A node that reads how far the border of its mask is, in its scope.
using MaskReader = std::pair<int, const scene::Node*>;

/// Masks that are computed over whole forms: what is known of them over all compilers of one network.
struct Masks {
    struct Known {
        uint64_t hash = 0;
        std::shared_ptr<const Resources> needs;
    };
    std::map<MaskReader, Known> known;
    std::vector<MaskReader> open;  ///< being compiled, each for the one before it
};

}  // namespace

class Compiler {
public:
    /// `own`: only what is asked for matters, in handles of its own.
    Compiler(const scene::BuildUp& build_up, Scopes& scopes, Masks& masks, Resources& resources,
             std::vector<Error>& problems, bool own = false)
        : build_up_(build_up),
          scopes_(scopes),
          masks_(masks),
          resources_(resources),
          problems_(problems),
          own_(own),
          writer_(resources) {}

    /// What comes into a port of a node, as a number.
    Program compile_mask(const MaskReader& reader, const nodes::Port& port) {
        scene::Input input;
        if (const auto it = reader.second->inputs.find(port.name); it != reader.second->inputs.end())
            input = it->second;
        input.value = nodes::literal_of(*reader.second, port);
        return compile({{reader.second->id, Type::number, input}}, reader.first);
    }

    Program compile(const std::vector<Wanted>& wanted, int scope = 0) {
        for (const Wanted& w : wanted) {
            const Typed value = read(scope, w.input, w.type, w.name, here);
            writer_.output(w.spread ? spread_of(value) : writer_.convert(value, w.type));
        }
        return writer_.finish();
    }

private:
    using Source = Writer::Source;
    using Typed = Writer::Typed;
    /// Where beside the point: so far along the surface, then so much of the footprint's two axes away, then (u, v) in
    /// the UVs, over such a width.
    struct Move {
        float first = 0.f, second = 0.f, u = 0.f, v = 0.f, width = 0.f;
        float along = 0.f, across = 0.f;  ///< metres
        bool operator==(const Move&) const = default;
        bool along_footprint() const { return first != 0.f || second != 0.f; }
        bool on_surface() const { return along != 0.f || across != 0.f; }
        bool only_on_surface() const { return !along_footprint() && u == 0.f && v == 0.f; }
    };
    /// A node that computes, in its scope; and where: which of the moves.
    using Aside = int;
    static constexpr Aside here = 0, first_axis = 1, second_axis = 2, first_part = 3, second_part = 4;
    struct At {
        int scope = 0;
        const scene::Node* node = nullptr;
        Aside aside = here;
        bool operator==(const At&) const = default;
    };
    struct HashAt {
        size_t operator()(const At& a) const {
            return std::hash<const void*>()(a.node) * 31 + size_t(a.scope) * 8191 + size_t(a.aside);
        }
    };

    void problem(const std::string& node, const std::string& why, const std::string& remedy) {
        tell(problems_, build_up_, node, why, remedy);
    }

    Typed read(int scope, const scene::Input& input, Type type, const std::string& place, Aside aside) {
        std::optional<Typed> driven = connected(scope, input, type, place, aside);
        return driven ? std::move(*driven) : writer_.literal(input.shown(), type);
    }

    /// What a connected input brings, in its own type; nothing where it is not connected or its source cannot be
    /// computed.
    std::optional<Typed> connected(int scope, const scene::Input& input, Type type, const std::string& place,
                                   Aside aside) {
        if (input.from.empty()) return std::nullopt;
        Typed driver;
        if (const scene::NetworkInput* port = scopes_.network_input(scope, input.from)) {
            Type port_type = Type::number;
            nodes::type_from_name(port->type, port_type);
            driver = read(scopes_.parent(scope), scopes_.given(scope, *port), port_type, place, aside);
        } else {
            const auto [inner, node] = scopes_.resolve(scope, input, place, true);
            const At source{inner, node, aside};
            const Typed* t = stands(source, place);
            if (!t) return std::nullopt;
            driver = *t;
        }
        if (!input.worn) return driver;
        // A span: the node drives the way from one end to the other. Ends of a place have no footprint: they are read
        // over no width.
        std::vector<Source> in = writer_.literal(*input.worn, type).sources;
        for (const Source& s : writer_.literal(input.value, type).sources) in.push_back(s);
        in.push_back(writer_.convert(driver, Type::number)[0]);
        static const nodes::KernelPair span = nodes::span_kernel();
        return Typed{type, writer_.emit(span, std::move(in), nodes::components(type), {}, -1, false)};
    }

    /// The way along the surface to there; -1: it is the point itself.
    int walk_to(Aside aside) {
        const Move& m = moves_[size_t(aside)];
        if (!m.on_surface()) return -1;
        resources_.walk(build_up_.id);
        resources_.footprint = true;  // where nothing is known of the surface, UVs go on as the footprint says
        return writer_.walk(m.along, m.across);
    }

    /// One move after another; where there are too many, the first alone.
    Aside compose(Aside a, const Move& then) {
        Move m = moves_[size_t(a)];
        m.first += then.first;
        m.second += then.second;
        m.u += then.u;
        m.v += then.v;
        m.along += then.along;
        m.across += then.across;
        m.width = std::max(m.width, then.width);
        const auto it = std::find(moves_.begin(), moves_.end(), m);
        if (it != moves_.end()) return Aside(it - moves_.begin());
        if (moves_.size() >= most_moves || done_.size() > most_computed) {
            if (!std::exchange(too_much_beside_, true))
                problem(build_up_.name, "too much is to be computed beside the point",
                        "Use fewer blurs behind one another");
            return a;
        }
        moves_.push_back(m);
        return Aside(moves_.size()) - 1;
    }
    /// Where the kernel wants what comes into that port.
    std::vector<Aside> places_of(const At& at, const nodes::NodeDescription& d, const nodes::Port& port) {
        if (port.spread) {
            std::vector<Aside> places{at.aside};
            for (const Aside a : {first_axis, second_axis, first_part, second_part})
                places.push_back(compose(at.aside, moves_[size_t(a)]));
            return places;
        }
        if (!d.taps || &port != d.port(nodes::Role::subject)) return {at.aside};
        std::vector<Aside> places;
        for (const nodes::Tap& t : d.taps(settled(at, d)))
            places.push_back(
                compose(at.aside, {.u = t.u, .v = t.v, .width = t.width, .along = t.along, .across = t.across}));
        return places;
    }

    /// What the port reads of the point, or of the place beside it.
    void append_reads(std::vector<Source>& to, Reads reads, int count, Aside aside) {
        const int row = nodes::info(reads).row;
        const bool position = reads == Reads::position_object;
        const int walk = walk_to(aside);
        if (moves_[size_t(aside)].only_on_surface() || (reads != Reads::uv && !position))
            return writer_.append_rows(to, row, count, walk);
        std::vector<Source> in;
        writer_.append_rows(in, row, position ? 3 : 2, walk);
        if (position) writer_.append_rows(in, nodes::row_position_axes, 6);
        writer_.append_rows(in, nodes::row_uv_axes, 4);
        const Move& m = moves_[size_t(aside)];
        std::vector<float> by(nodes::move_uniforms);
        by[nodes::move_first] = m.first;
        by[nodes::move_second] = m.second;
        by[nodes::move_u] = m.u;
        by[nodes::move_v] = m.v;
        static const nodes::KernelPair kernels[] = {nodes::moved_uv_kernel(), nodes::moved_position_kernel()};
        for (const Source& s : writer_.emit(kernels[position], std::move(in), count, std::move(by), -1, true))
            to.push_back(s);
    }

    /// A map that is read for a mean covers as much as the tap stands for.
    void widen(std::vector<Source>& place, Aside aside) {
        const float width = moves_[size_t(aside)].width;
        if (width <= 0.f || place.size() != size_t(nodes::components(Type::place))) return;
        static const nodes::KernelPair kernel = nodes::widened_kernel();
        const std::vector<Source> axes = writer_.emit(kernel, {place.begin() + 2, place.end()}, 4, {width}, -1, true);
        std::copy(axes.begin(), axes.end(), place.begin() + 2);
    }

    /// A place that a network works out: its footprint is how far it moves along each axis of the point's.
    Typed with_footprint(const Typed& here, const At& at, const scene::Input& input) {
        Typed out{Type::place, writer_.convert(here, Type::vector2)};
        const std::vector<Source> uv = out.sources;
        for (const Aside axis : {first_axis, second_axis}) {
            const Aside a = compose(at.aside, moves_[size_t(axis)]);
            const std::optional<Typed> moved = connected(at.scope, input, Type::vector2, at.node->id, a);
            std::vector<Source> in = moved ? writer_.convert(*moved, Type::vector2) : uv;
            in.insert(in.end(), uv.begin(), uv.end());
            for (const Source& s : writer_.emit(nodes::difference_kernel(), std::move(in), 2, {}, -1, false))
                out.sources.push_back(s);
        }
        return out;
    }

    /// What follows the three numbers of a direction.
    std::vector<Source> spread_of(const Typed& t) {
        constexpr long known = nodes::direction_components;
        if (t.type == Type::vector3 && long(t.sources.size()) == known)
            return {t.sources.begin() + known / 2, t.sources.end()};
        return std::vector<Source>(size_t(known) / 2, writer_.constant(0.f));
    }

    /// How what comes into that port varies within the footprint: what follows it in the kernel.
    std::vector<Source> spread_at(const At& at, const nodes::Port& port, Type type) {
        const auto input = at.node->inputs.find(port.name);
        Typed arrived;
        if (input != at.node->inputs.end() && !input->second.from.empty() && !input->second.worn) {
            const auto [inner, node] = scopes_.resolve(at.scope, input->second, at.node->id, false);
            const nodes::NodeDescription* d = node ? nodes::describe(node->kind) : nullptr;
            const At source{inner, node, at.aside};
            if (d && d->ask_spread && done_.contains(source)) {
                const Typed varies = evaluate(source, *d, true);
                if (!varies.sources.empty()) return varies.sources;
            }
            if (std::optional<Typed> driven = connected(at.scope, input->second, type, at.node->id, at.aside))
                arrived = std::move(*driven);
        }
        std::vector<Source> out = spread_of(arrived);
        const bool known = arrived.sources.size() == size_t(nodes::direction_components);
        out.push_back(writer_.constant(known ? nodes::spread_is_covariance : nodes::spread_not_known));
        return out;
    }

    /// The result of a node; null where it cannot be computed.
    const Typed* stands(const At& wanted, const std::string& reader) {
        if (!wanted.node) return nullptr;
        if (!entered_.contains(wanted)) compute(wanted);
        if (const auto it = done_.find(wanted); it != done_.end()) return &it->second;
        if (entered_.contains(wanted))
            problem(reader, "the network runs in a circle through '" + wanted.node->id + "'",
                    "Disconnect one of its inputs");
        return nullptr;
    }

    /// Computes a node and all that it needs, the deepest first, over a stack of our own.
    void compute(const At& wanted) {
        std::vector<At> open{wanted};
        while (!open.empty()) {
            const At at = open.back();
            const nodes::NodeDescription* d = done_.contains(at) ? nullptr : known(at);
            if (!d) {
                open.pop_back();
                continue;
            }
            if (!entered_.insert(at).second) {  // all that it needs stands; what does not runs in a circle
                Typed made = evaluate(at, *d);
                done_.emplace(at, std::move(made));
                open.pop_back();
                continue;
            }
            for (auto it = at.node->inputs.rbegin(); it != at.node->inputs.rend(); ++it) {
                const nodes::Port* port = d->port(it->first);
                if (!port || port->uniform || whole_form(*d, *port)) continue;
                const auto [inner, node] = scopes_.resolve(at.scope, it->second, at.node->id, false);
                if (!node) continue;
                const nodes::NodeDescription* gives = nodes::describe(node->kind);
                std::vector<Aside> places = places_of(at, *d, *port);
                const bool moves = !moves_[size_t(at.aside)].along_footprint() && gives &&
                                   gives->output_type(*node) != Type::place &&
                                   d->port_type(*port, d->output_type(*at.node)) == Type::place;
                for (const Aside axis : {first_axis, second_axis})
                    if (moves) places.push_back(compose(at.aside, moves_[size_t(axis)]));
                for (const Aside a : places)
                    if (const At source{inner, node, a}; !entered_.contains(source)) open.push_back(source);
            }
        }
    }

    /// The description of a node that can be computed; tells once where there is none.
    const nodes::NodeDescription* known(const At& at) {
        const nodes::NodeDescription* d = nodes::describe(at.node->kind);
        if (!d && unknown_.insert(at).second)
            problem(at.node->id, "the node kind '" + at.node->kind + "' is not known",
                    "Delete it, or open the project with the version that made it");
        return d;
    }

    /// Says what of the node cannot be meant as it is written.
    void check(const scene::Node& n, const nodes::NodeDescription& d) {
        Type named;
        if (!n.type.empty() && (!nodes::type_from_name(n.type, named) || d.output_type(n) != named))
            problem(n.id, "the type '" + n.type + "' does not fit a " + n.kind + " node",
                    std::string("Its type is ") + nodes::type_name(d.output_type(n)) + " now");
        for (const auto& [name, input] : n.inputs) {
            const nodes::Port* p = d.port(name);
            if (!p)
                problem(n.id, "it has no input '" + name + "'", "See docs/nodes.md for its inputs");
            else if (std::holds_alternative<std::string>(input.value) != p->text)
                problem(n.id,
                        "its input '" + name + "' holds a " +
                            (p->text ? "number where a word" : "word where a number") + " is expected",
                        "Set it again");
        }
    }

    void append_uniform(std::vector<float>& uniform, const nodes::Port& p, const scene::Value& value) {
        const auto floats = nodes::literal(value, p.type);
        for (int c = 0; c < nodes::components(p.type); ++c) {
            float x = floats[size_t(c)];
            if (p.hard) x = std::clamp(x, p.low, p.high);
            if (p.whole) x = std::round(x);
            uniform.push_back(x);
        }
    }

    /// `spread`: how it varies within the footprint, in place of what it gives; nothing where that is not known.
    Typed evaluate(const At& at, const nodes::NodeDescription& d, bool spread = false) {
        const scene::Node& n = settled(at, d);
        if (!spread) check(n, d);
        Typed result{d.output_type(n), {}};
        if (at.aside != here && d.gives != Reads::literal) {
            append_reads(result.sources, d.gives, nodes::components(result.type), at.aside);
            return result;
        }
        std::vector<Source> in;
        std::vector<Source> box;
        std::vector<float> uniform;
        size_t place_at = 0;  // where in `in` the place is that a box has three of
        for (const nodes::Port& p : d.ports) {
            if (p.text || whole_form(d, p)) continue;
            if (p.uniform) {
                append_uniform(uniform, p, nodes::literal_of(n, p));
                continue;
            }
            const Type type = d.port_type(p, result.type);
            for (const Aside aside : places_of(at, d, p)) {
                std::vector<Source> sources = what_arrives(at, d, p, type, aside);
                if (type == Type::place && d.per_side && sources.size() == size_t(nodes::box_components)) {
                    box = sources;
                    place_at = in.size();
                }
                const Typed typed{type, std::move(sources)};
                for (const Source& s : writer_.convert(typed, type)) in.push_back(s);
                if (p.with_spread)
                    for (const Source& s : spread_at(at, p, type)) in.push_back(s);
            }
        }
        if (d.taps) {
            const std::vector<nodes::Tap> taps = d.taps(n);
            uniform = {float(taps.size())};
            for (const nodes::Tap& t : taps) uniform.push_back(t.weight);
        }
        const int components = spread ? spread_numbers : d.components_of(n);
        const int handle = request(at, n, d, spread ? d.components_of(n) : components, spread);
        if (spread && handle < 0) return {result.type, {}};
        const int walk = d.varies || handle >= 0 ? walk_to(at.aside) : -1;  // others read nothing of the point
        if (box.empty()) {
            result.sources =
                writer_.emit(d.kernel, std::move(in), components, std::move(uniform), handle, d.varies, walk);
            return result;
        }
        // A map on a box is read from its three sides.
        const size_t one = size_t(nodes::components(Type::place));
        std::vector<Source> sides;
        for (size_t a = 0; a < 3; ++a) {
            std::vector<Source> side = in;
            std::copy_n(box.begin() + long(one * a), one, side.begin() + long(place_at));
            for (const Source& s : writer_.emit(d.kernel, std::move(side), components, uniform, handle, true, walk))
                sides.push_back(s);
        }
        for (size_t a = 0; a < 3; ++a) sides.push_back(box[3 * one + a]);
        result.sources = writer_.emit(nodes::box_blend_kernel(), std::move(sides), components, {}, -1, false);
        return result;
    }

    /// What comes into a port there, as its type has it; of a place on a box, all that it gives.
    std::vector<Source> what_arrives(const At& at, const nodes::NodeDescription& d, const nodes::Port& p, Type type,
                                     Aside aside) {
        const scene::Node& n = *at.node;
        const auto it = n.inputs.find(p.name);
        const bool place = type == Type::place;
        auto of_the_point = [&] {
            std::vector<Source> out;
            append_reads(out, p.reads, place ? 2 : nodes::components(type), aside);
            if (place) writer_.append_rows(out, nodes::row_uv_axes, 4);
            if (place) widen(out, aside);
            return out;
        };
        const bool free = it == n.inputs.end() || (place && it->second.from.empty());
        if (free && p.reads != Reads::literal) return of_the_point();
        scene::Input input = it == n.inputs.end() ? scene::Input() : it->second;
        input.value = nodes::literal_of(n, p);
        std::optional<Typed> driven = connected(at.scope, input, type, n.id, aside);
        if (driven && place && driven->type != Type::place && !moves_[size_t(aside)].along_footprint())
            driven = with_footprint(*driven, at, input);
        // A broken wire leaves the map where the UVs have it.
        if (!driven && place && p.reads != Reads::literal) return of_the_point();
        const Typed typed = driven ? std::move(*driven) : writer_.literal(input.shown(), type);
        if (place && d.per_side && typed.sources.size() == size_t(nodes::box_components)) return typed.sources;
        std::vector<Source> out = writer_.convert(typed, type);
        if (place) widen(out, aside);
        return out;
    }

    /// The node with what its fixed ports are given written into them.
    const scene::Node& settled(const At& at, const nodes::NodeDescription& d) {
        const auto driven = [&](const auto& input) {
            const nodes::Port* port = input.second.from.empty() ? nullptr : d.port(input.first);
            return port && (port->uniform || port->text);
        };
        if (std::none_of(at.node->inputs.begin(), at.node->inputs.end(), driven)) return *at.node;
        const auto [known, fresh] = settled_.try_emplace(at, *at.node);
        if (!fresh) return known->second;
        for (auto& input : known->second.inputs) {
            if (!driven(input)) continue;
            if (std::optional<scene::Value> value =
                    scopes_.fixed_value(at.scope, input.second, d.port(input.first)->text))
                input.second.value = std::move(*value);
            else
                problem(at.node->id + " / " + input.first, "it is the same everywhere here, and cannot be driven",
                        "Its own value is used");
            input.second.from.clear();
            input.second.worn.reset();
        }
        return known->second;
    }

    /// What comes into that port is computed over the whole form beforehand.
    static bool whole_form(const nodes::NodeDescription& d, const nodes::Port& port) {
        return d.border_within && port.role == nodes::Role::subject;
    }
    /// The handle of the border of the node's mask; -1 where there can be none.
    int border(const At& at, const scene::Node& n, const nodes::NodeDescription& d) {
        const MaskReader reader{at.scope, at.node};
        const nodes::Port& subject = *d.port(nodes::Role::subject);
        if (std::find(masks_.open.begin(), masks_.open.end(), reader) != masks_.open.end()) {
            problem(n.id, "its mask runs in a circle through it", "Disconnect one of its inputs");
            return -1;
        }
        if (masks_.open.size() >= most_borders_behind) {
            problem(n.id, "too many masks follow from the borders of others", "Use fewer of them behind one another");
            return -1;
        }
        masks_.open.push_back(reader);
        auto known = masks_.known.find(reader);
        if (known == masks_.known.end()) {
            auto needs = std::make_shared<Resources>();
            std::vector<Error> told;
            const Program program =
                Compiler(build_up_, scopes_, masks_, *needs, told, true).compile_mask(reader, subject);
            const uint64_t hashes[] = {program.hash(), needs->hash()};
            known = masks_.known.emplace(reader, Masks::Known{hash_bytes(hashes, sizeof hashes), needs}).first;
        }
        const float within = d.border_within(n);
        nodes::BorderRequest request{.build_up = build_up_.id,
                                     .furthest = std::isfinite(within) ? std::clamp(within, 1e-9f, 1e6f) : 1e6f,
                                     .hash = known->second.hash,
                                     .needs = known->second.needs};
        const auto same = [&](const nodes::BorderRequest& b) {
            return b.hash == request.hash && b.build_up == request.build_up;
        };
        const bool fresh = std::none_of(resources_.borders.begin(), resources_.borders.end(), same);
        if (fresh && !own_) {
            const auto program = std::make_shared<const Program>(
                Compiler(build_up_, scopes_, masks_, resources_, problems_).compile_mask(reader, subject));
            request.mask = [program]() -> nodes::BorderRequest::Mask {
                return
                    [program, workspace = std::make_shared<Workspace>()](const nodes::PointBatch& points, float* out) {
                        const float* mask = nullptr;
                        program->run(points, *workspace, &mask);
                        std::copy_n(mask, points.n, out);
                    };
            };
        }
        masks_.open.pop_back();
        return resources_.border(request);
    }

    int request(const At& at, const scene::Node& n, const nodes::NodeDescription& d, int components, bool spread) {
        uint64_t mask = 0;
        if (d.border_within) {
            const int handle = border(at, n, d);
            if (handle < 0 || d.ask == nodes::ask_nothing) return handle;
            mask = resources_.borders[size_t(handle)].hash;
        }
        const scene::Node* placed_by = nullptr;
        if (const nodes::Port* where = d.port(nodes::Role::where))
            if (const auto it = at.node->inputs.find(where->name); it != at.node->inputs.end())
                placed_by = scopes_.resolve(at.scope, it->second, at.node->id, false).node;
        return (spread ? d.ask_spread : d.ask)({n, d, components, build_up_.id, placed_by, mask}, resources_);
    }

    const scene::BuildUp& build_up_;
    Scopes& scopes_;
    Masks& masks_;
    Resources& resources_;
    std::vector<Error>& problems_;
    bool own_;
    Writer writer_;
    std::unordered_map<At, scene::Node, HashAt> settled_;
    bool too_much_beside_ = false;
    std::vector<Move> moves_{
        {}, {.first = 1.f}, {.second = 1.f}, {.first = nodes::fine_part}, {.second = nodes::fine_part}};
    std::unordered_map<At, Typed, HashAt> done_;
    std::unordered_set<At, HashAt> entered_, unknown_;
};

namespace {
Program compile_at_length(const scene::BuildUp& build_up, const std::vector<Wanted>& wanted, Resources& resources,
                          std::vector<Error>& problems, const std::vector<scene::Network>* networks) {
    Scopes scopes(build_up, networks, [&](const std::string& node, const std::string& why, const std::string& remedy) {
        tell(problems, build_up, node, why, remedy);
    });
    Masks masks;
    return Compiler(build_up, scopes, masks, resources, problems).compile(wanted);
}
}  // namespace

Program compile(const scene::BuildUp& build_up, const std::vector<Wanted>& wanted, Resources& resources,
                std::vector<Error>& problems, const std::vector<scene::Network>* networks) {
    const bool any_network = networks && std::any_of(networks->begin(), networks->end(),
                                                     [](const scene::Network& n) { return nodes::has_shorthand(n); });
    if (!any_network && !nodes::has_shorthand(build_up))
        return compile_at_length(build_up, wanted, resources, problems, networks);
    const scene::BuildUp at_length = nodes::as_computed(build_up);
    std::vector<scene::Network> networks_at_length;
    if (networks)
        for (const scene::Network& n : *networks) networks_at_length.push_back(nodes::as_computed(n));
    return compile_at_length(at_length, wanted, resources, problems, networks ? &networks_at_length : nullptr);
}

}  // namespace vemtra::program
