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
void describe_cavity(std::vector<NodeDescription>&);

const std::vector<NodeDescription>& catalogue() {
    static const std::vector<NodeDescription> all = [] {
        std::vector<NodeDescription> list;
        describe_cavity(list);
        describe_gradient_noise(list);
        describe_worley_noise(list);
        describe_ramp(list);
        describe_image(list);
        describe_adjust(list);
        describe_arithmetic(list);
        describe_geometry(list);
        return list;
    }();
    return all;
}

const NodeDescription* describe(const std::string& kind) {
    for (const NodeDescription& d : catalogue())
        if (d.kind == kind) return &d;
    return nullptr;
}

const char* type_name(Type t) {
    static const char* names[] = {"float", "color3", "vector2", "vector3"};
    return names[size_t(t)];
}
char type_letter(Type t) { return "NCDD"[size_t(t)]; }
bool type_from_name(const std::string& name, Type& type) {
    for (Type t : {Type::number, Type::color, Type::vector2, Type::vector3})
        if (name == type_name(t)) return type = t, true;
    return false;
}

Kernel KernelPair::get() const {
    static const bool wide = [] {
        const char* forced = std::getenv("VEMTRA_SIMD");
        if (forced && std::string(forced) == "avx2") return false;
        return bool(__builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512bw") && __builtin_cpu_supports("avx512dq") &&
                    __builtin_cpu_supports("avx512vl") && __builtin_cpu_supports("avx512cd"));
    }();
    return wide ? avx512 : avx2;
}

const Port* NodeDescription::port(const std::string& name) const {
    for (const Port& p : ports)
        if (p.name == name) return &p;
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

const NodeDescription& surface_description() {
    using scene::Value;
    static const NodeDescription surface = [] {
        NodeDescription d;
        d.kind = "open_pbr_surface";
        d.title = "Surface";
        d.group = "surface";
        d.help = "What the layer is made of.";
        d.standard = "OpenPBR Surface 1.1";
        d.types = {Type::color};
        d.ports = {
            {.name = "base_color", .help = "Colour that the body of the material reflects; for a metal, its colour seen straight on.", .type = Type::color, .value = V3f(.8f), .hard = true},
            {.name = "base_metalness", .help = "0 is a dielectric such as paint or stone, 1 a metal.", .value = 0.f, .hard = true},
            {.name = "specular_roughness", .help = "How blurred the reflection is: 0 a mirror, 1 dull.", .value = .3f, .hard = true},
            {.name = "base_diffuse_roughness", .help = "Raises the flat, dusty look of clay and unglazed stone.", .value = 0.f, .hard = true},
            {.name = "base_weight", .help = "Scales the base colour.", .value = 1.f, .hard = true},
            {.name = "specular_weight", .help = "Strength of the reflection; for a metal, of all of it.", .value = 1.f, .hard = true},
            {.name = "specular_color", .help = "Tint of the reflection; for a metal, its colour at grazing angles.", .type = Type::color, .value = V3f(1.f), .hard = true},
            {.name = "specular_ior", .help = "Index of refraction: water 1.33, most paints 1.5, gems up to 2.4.", .value = 1.5f, .low = 1.f, .high = 3.f, .hard = true},
        };
        return d;
    }();
    return surface;
}

}  // namespace vemtra::nodes
