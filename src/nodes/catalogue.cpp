#include <cmath>
#include <cstdlib>

#include "nodes/description.h"
#include "scene/edits.h"

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

const std::vector<NodeDescription>& catalogue() {
    static const std::vector<NodeDescription> all = [] {
        std::vector<NodeDescription> list;
        for (auto* describe_family : {describe_cavity, describe_facing, describe_grain, describe_gradient_noise, describe_worley_noise, describe_ramp, describe_image,
                                      describe_placement, describe_normalmap, describe_adjust, describe_evenlight, describe_arithmetic, describe_geometry})
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
    d.group = "network";
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

std::shared_ptr<const NodeDescription> describe(const scene::Scene& scene, const scene::Node& node) {
    if (node.network.empty()) {
        const NodeDescription* d = describe(node.kind);
        return d ? std::shared_ptr<const NodeDescription>(std::shared_ptr<void>(), d) : nullptr;
    }
    const scene::Network* network = scene::find(scene.networks, node.network);
    return network ? std::make_shared<const NodeDescription>(describe(*network)) : nullptr;
}

const ReadsInfo& info(Reads reads) {
    static constexpr ReadsInfo rows[] = {{"", 0}, {"UV", row_uv}, {"object position", row_position}, {"object normal", row_normal}, {"vertex colour", row_color}};
    return rows[size_t(reads)];
}

bool wide_kernels_run() {
    static const bool wide = __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512bw") && __builtin_cpu_supports("avx512dq") &&
                             __builtin_cpu_supports("avx512vl") && __builtin_cpu_supports("avx512cd");
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

scene::Value literal_of(const scene::Inputs& inputs, const Port& port) {
    const auto it = inputs.find(port.name);
    if (it == inputs.end()) return port.value;
    const bool is_text = std::holds_alternative<std::string>(it->second.value);
    return is_text == port.text ? it->second.value : port.value;
}
scene::Value literal_of(const scene::Node& node, const Port& port) { return literal_of(node.inputs, port); }

std::string word_of(const scene::Node& node, const Port& port) {
    const scene::Value value = literal_of(node, port);
    const auto* text = std::get_if<std::string>(&value);
    return text ? *text : std::string();
}
float number_of(const scene::Node& node, const Port& port) {
    const float x = scene::as_number(literal_of(node, port));
    return port.whole ? std::round(x) : x;
}

namespace {
const Port* port_of(const scene::Node& node, Role role) {
    const NodeDescription* d = describe(node.kind);
    return d ? d->port(role) : nullptr;
}
}  // namespace

std::string word_of(const scene::Node& node, Role role) {
    const Port* p = port_of(node, role);
    return p ? word_of(node, *p) : std::string();
}
float number_of(const scene::Node& node, Role role) {
    const Port* p = port_of(node, role);
    return p ? number_of(node, *p) : 0.f;
}
std::string source_of(const scene::Node& node, Role role) {
    const Port* p = port_of(node, role);
    const auto it = p ? node.inputs.find(p->name) : node.inputs.end();
    return it == node.inputs.end() ? std::string() : it->second.from;
}
bool has_use(const scene::Node& node, Use use) {
    const NodeDescription* d = describe(node.kind);
    return d && d->use == use;
}
bool set(scene::Node& node, Role role, scene::Value value) {
    const Port* p = port_of(node, role);
    if (p) node.inputs[p->name].value = std::move(value);
    return p;
}
bool wire(scene::Node& node, Role role, const std::string& from) {
    const Port* p = port_of(node, role);
    if (!p) return false;
    node.inputs.try_emplace(p->name, scene::Input{p->value, {}}).first->second.from = from;
    return true;
}
std::string add(scene::BuildUp& b, const std::string& layer, Use use, Type type, const std::string& name) {
    return scene::add_node(b, layer, description_for(use).kind, type_name(type), name);
}
scene::Node* insert_behind(scene::BuildUp& b, const std::string& node, Use use, Type type, const std::string& name) {
    const scene::NodePlace place = scene::find_node(b, node);
    if (!place.node) return nullptr;
    const std::string made = add(b, place.layer ? place.layer->id : "", use, type, name);
    scene::for_each_input(b, [&](scene::Input& i) {
        if (i.from == node) i.from = made;
    });
    scene::Node* n = scene::node(b, made);
    wire(*n, Role::subject, node);
    return n;
}

}  // namespace vemtra::nodes
