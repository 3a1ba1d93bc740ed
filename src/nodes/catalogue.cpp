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

const std::vector<NodeDescription>& catalogue() {
    static const std::vector<NodeDescription> all = [] {
        std::vector<NodeDescription> list;
        describe_cavity(list);
        describe_facing(list);
        describe_grain(list);
        describe_gradient_noise(list);
        describe_worley_noise(list);
        describe_ramp(list);
        describe_image(list);
        describe_placement(list);
        describe_normalmap(list);
        describe_adjust(list);
        describe_evenlight(list);
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
    static const char* names[] = {"float", "color3", "vector2", "vector3", "place"};
    return names[size_t(t)];
}
char type_letter(Type t) { return "NCDDD"[size_t(t)]; }
bool type_from_name(const std::string& name, Type& type) {
    for (Type t : {Type::number, Type::color, Type::vector2, Type::vector3, Type::place})
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

}  // namespace vemtra::nodes
