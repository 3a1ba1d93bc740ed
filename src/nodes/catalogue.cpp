#include <cmath>
#include <cstdlib>

#include "nodes/description.h"

namespace vemtra::nodes {

// The register: one line per family of nodes, each in a file of its own under kernels/.
void describe_arithmetic(std::vector<NodeDescription>&);
void describe_adjust(std::vector<NodeDescription>&);
void describe_gradient_noise(std::vector<NodeDescription>&);
void describe_worley_noise(std::vector<NodeDescription>&);
void describe_ramp(std::vector<NodeDescription>&);
void describe_geometry(std::vector<NodeDescription>&);
void describe_image(std::vector<NodeDescription>&);
void describe_placement(std::vector<NodeDescription>&);
void describe_normalmap(std::vector<NodeDescription>&);
void describe_cavity(std::vector<NodeDescription>&);
void describe_evenlight(std::vector<NodeDescription>&);
void describe_facing(std::vector<NodeDescription>&);
void describe_grain(std::vector<NodeDescription>&);
void describe_mathematics(std::vector<NodeDescription>&);
void describe_vectors(std::vector<NodeDescription>&);
void describe_colour(std::vector<NodeDescription>&);
void describe_choosing(std::vector<NodeDescription>&);
void describe_compositing(std::vector<NodeDescription>&);
void describe_shapes(std::vector<NodeDescription>&);
void describe_plane_noise(std::vector<NodeDescription>&);
void describe_random(std::vector<NodeDescription>&);
void describe_blend(std::vector<NodeDescription>&);
void describe_map_stack(std::vector<NodeDescription>&);
void describe_curves(std::vector<NodeDescription>&);
void describe_laid_patterns(std::vector<NodeDescription>&);
void describe_form_fields(std::vector<NodeDescription>&);
void describe_relief_height(std::vector<NodeDescription>&);
void describe_pin(std::vector<NodeDescription>&);
void describe_paint(std::vector<NodeDescription>&);
void describe_lettering(std::vector<NodeDescription>&);
void describe_around(std::vector<NodeDescription>&);
void describe_borders(std::vector<NodeDescription>&);
void describe_nearby(std::vector<NodeDescription>&);
void describe_property(std::vector<NodeDescription>&);
void describe_triplanar(std::vector<NodeDescription>&);
void describe_curve_lookups(std::vector<NodeDescription>&);
void describe_together(std::vector<NodeDescription>&);

const std::vector<NodeDescription>& catalogue() {
    static const std::vector<NodeDescription> all = [] {
        std::vector<NodeDescription> list;
        for (auto* describe_family :
             {describe_cavity,        describe_form_fields, describe_nearby,      describe_relief_height,
              describe_pin,           describe_facing,      describe_grain,       describe_gradient_noise,
              describe_worley_noise,  describe_ramp,        describe_image,       describe_placement,
              describe_normalmap,     describe_adjust,      describe_evenlight,   describe_arithmetic,
              describe_geometry,      describe_plane_noise, describe_random,      describe_shapes,
              describe_colour,        describe_choosing,    describe_compositing, describe_blend,
              describe_laid_patterns, describe_map_stack,   describe_paint,       describe_lettering,
              describe_curves,        describe_mathematics, describe_vectors,     describe_around,
              describe_borders,       describe_property,    describe_triplanar,   describe_curve_lookups,
              describe_together})
            describe_family(list);
        for (NodeDescription& d : list) d.index();
        return list;
    }();
    return all;
}

const NodeDescription* describe(const std::string& kind) {
    static const std::unordered_map<std::string, const NodeDescription*> by_kind = [] {
        std::unordered_map<std::string, const NodeDescription*> map;
        for (const NodeDescription& d : catalogue()) map.emplace(d.kind, &d);
        return map;
    }();
    const auto it = by_kind.find(kind);
    return it == by_kind.end() ? nullptr : it->second;
}

const NodeDescription& description_for(Use use) {
    for (const NodeDescription& d : catalogue())
        if (d.use == use) return d;
    std::abort();  // every use has a node: a test holds the catalogue to it
}

NodeDescription describe(const scene::Network& network) {
    NodeDescription d;
    d.kind = network.id;
    d.title = network.name;
    d.family = "network";
    d.help = network.help.empty() ? "A network of nodes, defined once." : network.help;
    for (const scene::NetworkOutput& o : network.outputs) {
        Type type = Type::color;
        type_from_name(o.type, type);
        d.types.push_back(type);
    }
    if (d.types.empty()) d.types.push_back(Type::color);
    for (const scene::NetworkInput& i : network.inputs) {
        Port p{.name = i.name, .help = i.help.empty() ? "An input of the network." : i.help, .value = i.value};
        type_from_name(i.type, p.type);
        p.text = p.uniform = p.type == Type::text;
        d.ports.push_back(std::move(p));
    }
    d.varies = true;
    d.index();
    return d;
}

std::shared_ptr<const NodeDescription> describe(const scene::Node& node) {
    const NodeDescription* d = describe(node.kind);
    if (!d) return nullptr;
    if (d->of_node) return std::make_shared<const NodeDescription>(d->of_node(node));
    return std::shared_ptr<const NodeDescription>(std::shared_ptr<void>(), d);
}

std::shared_ptr<const NodeDescription> describe(const scene::Scene& scene, const scene::Node& node) {
    if (node.network.empty()) return describe(node);
    const scene::Network* network = scene::find(scene.networks, node.network);
    return network ? std::make_shared<const NodeDescription>(describe(*network)) : nullptr;
}

const ReadsInfo& info(Reads reads) {
    static constexpr ReadsInfo rows[] = {{"", 0},
                                         {"UV", row_uv},
                                         {"object position", row_position},
                                         {"object normal", row_normal},
                                         {"vertex colour", row_color}};
    return rows[size_t(reads)];
}

bool wide_kernels_run() {
    static const bool wide = __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512bw") &&
                             __builtin_cpu_supports("avx512dq") && __builtin_cpu_supports("avx512vl") &&
                             __builtin_cpu_supports("avx512cd");
    return wide;
}

Kernel KernelPair::get() const {
    static const bool wide = [] {
        const char* forced = std::getenv("VEMTRA_SIMD");
        return wide_kernels_run() && !(forced && std::string(forced) == "avx2");
    }();
    return wide ? avx512 : avx2;
}

void NodeDescription::index() {
    by_name.clear();
    for (size_t i = 0; i < ports.size(); ++i) by_name.emplace(ports[i].name, i);
}
const Port* NodeDescription::port(const std::string& name) const {
    const auto it = by_name.find(name);
    return it == by_name.end() ? nullptr : &ports[it->second];
}
const Port* NodeDescription::port(Role role) const {
    for (const Port& p : ports)
        if (p.role == role) return &p;
    return nullptr;
}

Type NodeDescription::output_type(const scene::Node& node) const {
    Type named;
    if (type_from_name(node.type, named))
        for (Type t : types)
            if (t == named) return t;
    return types.front();
}

}  // namespace vemtra::nodes
