// One description per node: ports with types, roles, ranges, units, defaults and help; what it asks for; how its output
// is shaped; its name in the open standard. Interface, validation, documentation, files and export all read it: nothing
// about a node is written anywhere else, and no other floor knows a kind of node or a port by its name.
#pragma once
#include <functional>
#include <string>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#include "nodes/kernel.h"
#include "nodes/resources.h"
#include "nodes/types.h"
#include "scene/scene.h"

namespace vemtra::nodes {

/// What a port reads that is neither connected nor given.
enum class Reads : uint8_t { literal, uv, position_object, normal_object, vertex_color };
struct ReadsInfo {
    const char* title;  ///< in the documentation
    int row;            ///< first row of the points
};
const ReadsInfo& info(Reads reads);

/// What a port means to those who do more than compute with it.
enum class Role : uint8_t {
    plain,
    file,          ///< a path that the project names: confined, collected, found again, watched
    colour_space,  ///< how the file's numbers are meant
    channel,       ///< which channel of the file
    softening,     ///< least width over which heights are read
    where,         ///< the place at which a map is read
    subject,       ///< what the node changes: put behind another node, it reads that here
    projection,    ///< how a frame projects; choices as FrameShape
    placed,        ///< what a pattern lies in; its last choice is by a pin
    frame_centre,
    frame_axis,
    frame_size,
    frame_turn,
    uv_set,  ///< name of a set of UVs that the parts bring
    cut_low,
    cut_high,  ///< ends of what arrives, shown on its histogram
    result_low,
    result_high,  ///< ends of what is given
    stop_count,
    stop_place,
    stop_color,  ///< of a gradient
    green_down,  ///< of a normal map: 1 where green points down
    light_direction,
    light_amount,
    knot,
    knot_count,   ///< of a curve
    list_order,   ///< the entries of a list, by number
    entry_title,  ///< what the artist calls one of them
    attribute,    ///< name of what the mesh brings
    painting,     ///< id of a painting of the scene
    lettering,    ///< words that are set
    part_names,   ///< parts of the project, as scene::is_meant_by() reads them
};

struct Port {
    std::string name;
    std::string help;  ///< one plain sentence
    Type type = Type::number;
    bool same_as_output = false;  ///< the type follows the node's type
    scene::Value value{0.f};      ///< default
    float low = 0.f, high = 1.f;  ///< of the value field's drag; typed values may go beyond unless `hard`
    bool hard = false;            ///< values outside of low..high are meaningless and are clamped
    std::string unit;
    Reads reads = Reads::literal;
    bool uniform = false;              ///< one value for the whole network; nothing can be connected
    bool whole = false;                ///< a whole number
    bool text = false;                 ///< a file or one of `choices`
    std::vector<std::string> choices;  ///< for words, and for whole numbers (names of low, low + 1, ...)
    bool folded = false;               ///< advanced: shown on demand
    std::string section{};             ///< of a slot: which part of the surface it belongs to
    Role role = Role::plain;
    int stop = 0;  ///< of a gradient: which stop it belongs to, from 1
    /// The kernel gets it at all of spread_places: at the point, and beside it.
    bool spread = false;
    /// Four more numbers follow it in the kernel: how what comes in varies within the footprint, where its source knows
    /// that. Those of a map are as Spread says; others are covariances of x and y, and spread_is_covariance; or
    /// nothing, and spread_not_known.
    bool with_spread = false;
    /// Arrays of the open standard that it is an element of, in the order of the ports: the one, or one for each
    /// component.
    std::vector<std::string> element_of{};
};

struct KernelPair {
    Kernel avx2 = nullptr, avx512 = nullptr;
    const char* name = "";  ///< of the function, the same in every run
    Kernel get() const;     ///< the best that this processor has; VEMTRA_SIMD=avx2 in the environment forces the floor
};
bool wide_kernels_run();  ///< whether this processor runs the AVX-512 build

/// What others reach for a node by: to make one, or to know what a chain does.
enum class Use : uint8_t {
    none,
    map,
    relief,
    directions,
    placement,
    even_light,
    move_range,
    turn_over,
    field,
    painting,
    lettering
};

/// Where a kernel reads a uniform number: held against the ports by a test.
struct UniformAt {
    const char* port;
    int offset;
};

/// A place beside the point at which a node reads its subject: in UVs, over so much width, or along the surface, metres
/// of the asset's own space; with so much weight.
struct Tap {
    float u = 0.f, v = 0.f, width = 0.f, weight = 0.f;
    float along = 0.f, across = 0.f;
};

/// `type_of`: what the node of that id gives.
using TypeOf = std::function<Type(const std::string& id)>;
using StandsFor = std::vector<scene::Node> (*)(const scene::Node&, const TypeOf& type_of);

struct NodeDescription {
    std::string kind;  ///< MaterialX name where the standard has the node
    std::string title;
    std::string family;  ///< pattern, form, adjust, combine, choose, mathematics, vectors, map, input
    std::string help;
    std::string standard;   ///< "MaterialX 1.39 noise3d": the library and how it is said there; empty for ours
    std::string said_as{};  ///< of ours: the standard's node that says the same once it holds its result to its ends
    std::vector<Type> types;
    std::vector<Port> ports;
    KernelPair kernel;
    Ask ask = ask_nothing;
    Ask ask_spread = nullptr;      ///< of one whose kernel, by that handle, gives how it varies: see Port::with_spread
    Reads gives = Reads::literal;  ///< of one that gives what the point says, as it is
    bool passes = false;           ///< gives what comes into its first port, as it is
    bool varies = false;           ///< differs from point to point even with constant inputs
    Use use = Use::none;
    bool per_side = false;  ///< on a box it is computed for each of the three sides, and the results are blended
    /// Components of the output where the type alone does not say it (a placement on a box); null: the type's.
    int (*shape)(const scene::Node&, const NodeDescription&) = nullptr;
    std::vector<UniformAt> uniforms;
    /// Of one whose ports follow from what a node of it holds: that node's own description; null: all are the same.
    NodeDescription (*of_node)(const scene::Node&) = nullptr;
    /// Of one without a kernel: the nodes that a node of it stands for, the last of them under its own id.
    StandsFor stands_for = nullptr;
    /// Of one that joins what its subject is around the point, by the taps' weights.
    std::vector<Tap> (*taps)(const scene::Node&) = nullptr;
    /// Of one that reads how far the border of its subject is: at most so far, metres. The subject is then computed
    /// over the whole form beforehand, and the kernel gets the border's handle in place of it, or that of what the
    /// description asks for.
    float (*border_within)(const scene::Node&) = nullptr;

    const Port* port(const std::string& name) const;  ///< null where there is none
    const Port* port(Role role) const;                ///< the first of that role
    Type output_type(const scene::Node& node) const;  ///< the node's type, or the first one where it names none
    Type port_type(const Port& p, Type output) const { return p.same_as_output ? output : p.type; }
    int components_of(const scene::Node& node) const {
        return shape ? shape(node, *this) : components(output_type(node));
    }
    /// Index of ports by name: filled when the description enters the catalogue.
    std::unordered_map<std::string, size_t> by_name;
    void index();
};

/// Of what gives directions with the axis along which they vary; one number is as it is.
int direction_shape(const scene::Node& node, const NodeDescription& d);

/// What joins the three reads of a map on a box: three results, then their weights.
KernelPair box_blend_kernel();
/// Goes from the second value to the first as the third goes from 0 to 1: spans.
KernelPair span_kernel();
/// (u, v) moved: by so much of the footprint's two axes in it, then by (u, v). Uniform: a MoveUniform; in: UVs, axes.
KernelPair moved_uv_kernel();
/// The position that goes with it. In: position, its axes, the axes in the UVs.
KernelPair moved_position_kernel();
enum MoveUniform : int { move_first, move_second, move_u, move_v, move_uniforms };
/// Axes of a footprint in the UVs, made so wide at least. Uniform: the width.
KernelPair widened_kernel();
/// The mean over taps. Uniform: their number, then their weights; in: all components of the first tap, and so on.
KernelPair weighted_mean_kernel();
/// The first minus the second.
KernelPair difference_kernel();
/// Luminance of a colour (ITU-R BT.709).
KernelPair luminance_kernel();

/// All nodes, in the order of the register.
const std::vector<NodeDescription>& catalogue();
const NodeDescription* describe(const std::string& kind);
const NodeDescription& description_for(Use use);
/// A network as a node: its inputs as ports. `output` of the network, empty: the first.
NodeDescription describe(const scene::Network& network);
/// Of a node with a kind: its own, where the ports follow from what it holds; null where the kind is not known.
std::shared_ptr<const NodeDescription> describe(const scene::Node& node);
/// Of a node of the scene, instances of networks included; null where its kind or network is not known.
std::shared_ptr<const NodeDescription> describe(const scene::Scene& scene, const scene::Node& node);

/// The slots of a cover's surface: OpenPBR Surface 1.1 by name, in its groups, then what we add (metal by optical
/// constants, flakes).
const NodeDescription& surface_description();
/// The slots of a coat layer: the interface and the medium under it, by the names that OpenPBR gives its coat.
const NodeDescription& coat_description();
/// Of the layer's kind.
const NodeDescription& slots_of(const scene::Layer& layer);

/// What a node computes, in the letters of its ports; empty where no line could say it.
const std::string& formula(const std::string& kind);

/// The literal at a node's input: the node's own, else the description's default.
scene::Value literal_of(const scene::Node& node, const Port& port);
scene::Value literal_of(const scene::Inputs& inputs, const Port& port);
std::string word_of(const scene::Node& node, const Port& port);
std::string word_of(const scene::Node& node, Role role);  ///< empty where the node has no such port
float number_of(const scene::Node& node, const Port& port);
float number_of(const scene::Node& node, Role role);  ///< 0 where the node has no such port
/// The node that is wired to the port of that role; empty: none.
std::string source_of(const scene::Node& node, Role role);
bool has_use(const scene::Node& node, Use use);
/// What a node of that use sets.
Lettering lettering_of(const scene::Node& node);
/// Writes the literal of the port of that role; false where the node has none.
bool set(scene::Node& node, Role role, scene::Value value);
/// Keeps the node's literals as another version to flip to.
void hold_version(scene::Node& node, const NodeDescription& d);
/// The version that is held and the one that stands change places; wires stay.
void flip_version(scene::Node& node, const NodeDescription& d);
/// Wires the port of that role.
bool wire(scene::Node& node, Role role, const std::string& from);
/// Adds a node of that use to the layer's lane (commons where empty), of the given type, and returns its id.
std::string add(scene::BuildUp& build_up, const std::string& layer, Use use, Type type, const std::string& name);
/// Puts a new node behind `node`: whatever read that reads the new one. Null where there is no such node.
scene::Node* insert_behind(scene::BuildUp& build_up, const std::string& node, Use use, Type type,
                           const std::string& name);

/// A new node of the lane (commons where empty) through which a mask is read together with another one: whatever
/// read it reads the new one. They meet as in the one that read it, where that is such a node. Its id.
std::string put_together(scene::BuildUp& build_up, const std::string& lane, const std::string& mask,
                         const std::string& other, const std::string& name);

/// Wires a node's output to a port of another, whose description is given; the port keeps its literal for later.
void connect(scene::BuildUp& build_up, const std::string& from, const std::string& to, const std::string& port,
             const NodeDescription& of);
/// Wires it to a slot of a layer, or to its gate (scene::gate_slot).
void connect_to_layer(scene::BuildUp& build_up, const std::string& from, const std::string& layer,
                      const std::string& slot);

/// By network: its inputs whose words become a path inside, through instances in it as well.
std::unordered_map<std::string, std::unordered_set<std::string>> file_inputs(const std::vector<scene::Network>& all);

/// Every path that a node names: calls f(path) for each filled port of the role file; of an instance, for each of
/// `file_inputs`, those of its network.
template <class F>
void for_each_file_of(scene::Node& node, const std::unordered_map<std::string, std::unordered_set<std::string>>& of,
                      F&& f) {
    auto visit = [&](const std::string& port) {
        for (scene::Inputs* inputs : {&node.inputs, &node.held}) {
            const auto it = inputs->find(port);
            if (it == inputs->end()) continue;
            if (auto* path = std::get_if<std::string>(&it->second.value); path && !path->empty()) f(*path);
        }
    };
    if (const auto network = of.find(node.network); network != of.end())
        for (const std::string& port : network->second) visit(port);
    if (const NodeDescription* d = node.network.empty() ? describe(node.kind) : nullptr)
        for (const Port& p : d->ports)
            if (p.role == Role::file) visit(p.name);
}

}  // namespace vemtra::nodes
