// One description per node: ports, types, ranges, units, defaults, help, standard name. The interface, validation, documentation and
// export all read it; nothing about a node is written anywhere else.
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "nodes/kernel.h"
#include "scene/scene.h"

namespace vemtra::nodes {

/// `place` is where a map is read: u, v and the footprint's two axes. A box projection gives three of them and their weights (box_components);
/// who wants a plain vector2 gets the first u and v.
enum class Type : uint8_t { number, color, vector2, vector3, place };
constexpr int components(Type t) { return t == Type::number ? 1 : t == Type::vector2 ? 2 : t == Type::place ? 6 : 3; }
inline constexpr int box_components = 21;
const char* type_name(Type t);   ///< the standard's name: float, color3, vector2, vector3; ours: place
char type_letter(Type t);        ///< what the tab of a port shows: N, C or D
bool type_from_name(const std::string& name, Type& type);

/// What an unconnected port without a value of its own reads.
enum class Reads : uint8_t { literal, uv, position_object, normal_object, vertex_color };

struct Port {
    std::string name;
    std::string help;                 ///< one plain sentence
    Type type = Type::number;
    bool same_as_output = false;      ///< the type follows the node's type
    scene::Value value{0.f};          ///< default
    float low = 0.f, high = 1.f;      ///< of the value field's drag; typed values may go beyond unless `hard`
    bool hard = false;                ///< values outside of low..high are meaningless and are clamped
    std::string unit;
    Reads reads = Reads::literal;
    bool uniform = false;             ///< one value for the whole network; nothing can be connected
    bool whole = false;               ///< a whole number
    bool text = false;                ///< a file or one of `choices`
    std::vector<std::string> choices; ///< for words, and for whole numbers (names of 0, 1, 2...)
    bool folded = false;              ///< advanced: shown on demand
    std::string group{};              ///< of a slot: which part of the surface it belongs to
};

struct KernelPair {
    Kernel avx2 = nullptr, avx512 = nullptr;
    Kernel get() const;  ///< the best that this processor has; VEMTRA_SIMD=avx2 in the environment forces the floor
};

enum class Needs : uint8_t { nothing, image, cavity, tangents, footprint };

struct NodeDescription {
    std::string kind;      ///< MaterialX name where the standard has the node
    std::string title;
    std::string group;     ///< pattern, form, adjust, combine, map, input
    std::string help;
    std::string standard;  ///< "MaterialX 1.39 noise3d", or empty for ours
    std::vector<Type> types;
    std::vector<Port> ports;
    KernelPair kernel;
    Needs needs = Needs::nothing;
    bool varies = false;   ///< differs from point to point even with constant inputs

    const Port* port(const std::string& name) const;
    Type output_type(const scene::Node& node) const;  ///< the node's type, or the first one where it names none
    Type port_type(const Port& p, Type output) const { return p.same_as_output ? output : p.type; }
};

/// What joins the three reads of a map on a box: three results, then their weights.
KernelPair box_blend_kernel();

/// All nodes, in the order of the register.
const std::vector<NodeDescription>& catalogue();
const NodeDescription* describe(const std::string& kind);

/// The slots of a cover's surface: OpenPBR Surface 1.1 by name, in its groups, then what we add (metal by optical constants, flakes).
const NodeDescription& surface_description();
/// The slots of a coat layer: the interface and the medium under it, by the names that OpenPBR gives its coat.
const NodeDescription& coat_description();
/// Of the layer's kind.
const NodeDescription& slots_of(const scene::Layer& layer);

/// The literal at a node's input: the node's own, else the description's default.
scene::Value literal_of(const scene::Node& node, const Port& port);
scene::Value literal_of(const scene::Inputs& inputs, const Port& port);

}  // namespace vemtra::nodes
