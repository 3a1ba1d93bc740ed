// The document as plain values. A Scene is copied on every edit (it holds no meshes and no pixels), and an immutable
// snapshot of it is what the renderer gets. Meaning of the fields: docs/project-format.md, which follows this header
// field by field.
#pragma once
#include <map>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "base/vec.h"
#include "scene/texels.h"

namespace vemtra::scene {

using Json = nlohmann::ordered_json;

/// No number of a document is larger: metres, light or anything else; what computing makes of it stays finite.
inline constexpr float largest_number = 1e12f;

/// A literal: yes/no, a number (also whole numbers), two, three or four numbers (a vector, or a linear Rec.709 colour,
/// the fourth its alpha), or a word.
using Value = std::variant<bool, float, V2f, V3f, V4f, std::string>;

/// What stands at an input of a node, a slot or a gate: a literal, and, where `from` names a node of the same build-up,
/// that node's output instead. The literal is kept while something is connected, so that disconnecting restores it.
///
/// A second end, `worn`, makes it a pair: of a value and its worn state while nothing is connected (`worn_shown` says
/// which one counts), and a span once a driver is connected: it then moves from `value` at 0 to `worn` at 1 by the
/// node's output as a number.
struct Input {
    Value value{0.f};
    std::string from;
    std::string output{};  ///< which output of `from`, where that is an instance of a network; empty: its first
    std::optional<Value> worn{};
    bool worn_shown = false;
    bool operator==(const Input&) const = default;
    const Value& shown() const { return worn && worn_shown ? *worn : value; }  ///< of the literals
};
using Inputs = std::map<std::string, Input>;

/// A node. `kind` names a description of the catalogue (nodes/), `type` which of its output types is meant. Where
/// `network` names a network of the scene, the node is an instance of that instead: its inputs are the network's, and
/// kind and type are empty.
struct Node {
    std::string id, kind, type, name;
    std::string network;
    Inputs inputs;          ///< only what differs from the defaults needs to be here
    Inputs held;            ///< another version of its literals, to flip to; empty: none is held
    bool bypassed = false;  ///< what it works on passes as it is
    std::string laid_open;  ///< id of the network that it is a part of while that is edited in place; empty: none
    Inputs words_from;      ///< while a group lies open: its inputs that fixed ports of this node take, by port
    std::string note;       ///< what the artist wrote about it
    Json extra;             ///< keys that this version does not know, kept for saving
    bool operator==(const Node&) const = default;
};

/// What a network takes from where it is used. Inside, `from` names it like a node.
struct NetworkInput {
    std::string name, type;  ///< type: the standard's name, as Node::type
    Value value{0.f};        ///< where the instance says nothing
    std::string help;
    Json extra;
    bool operator==(const NetworkInput&) const = default;
};
struct NetworkOutput {
    std::string name, type;
    Input input;  ///< from a node of the network, or from one of its inputs
    Json extra;
    bool operator==(const NetworkOutput&) const = default;
};
/// Nodes that are defined once and used as one node wherever they are wanted. Networks may hold instances of others,
/// never of themselves.
struct Network {
    std::string id, name, help;
    std::vector<NetworkInput> inputs;
    std::vector<NetworkOutput> outputs;
    std::vector<Node> nodes;
    Json extra;
    bool operator==(const Network&) const = default;
};

/// Where a mask enters a layer. coverage = layer amount * (1 + gate amount * (mask - 1)): gate amount 0 opens the gate
/// fully.
struct Gate {
    Input mask{Value{1.f}, {}};
    float amount = 1.f;  ///< 0..1
    Json extra;
    bool operator==(const Gate&) const = default;
};

/// A cover hides what is under it where its gate is open; a coat is looked through: an interface over a medium that
/// absorbs.
enum class LayerKind : uint8_t { cover, coat };
/// What sets the kinds apart. Code asks for a trait, never for a kind.
struct LayerTraits {
    LayerKind kind;
    const char* name;      ///< in the file
    const char* title;     ///< on the screen
    bool hides;            ///< what lies under it is not seen where it is; else it is looked through
    bool may_be_base;      ///< it needs nothing below it
    bool may_be_build_up;  ///< it may be made of a whole build-up
};
const std::vector<LayerTraits>& layer_kinds();
const LayerTraits& traits(LayerKind kind);

/// A place on a part where something is stuck: a frame in the part's own space. z is the axis, x and y follow from it
/// as base/vec.h's Frame has them, turned about it.
struct Pin {
    std::string part;          ///< id; empty: on every part that wears the build-up
    V3f position{0.f};         ///< the middle
    V3f axis{0.f, 1.f, 0.f};   ///< the way that the surface faces there
    float turn = 0.f;          ///< degrees about the axis
    V3f size{.1f, .1f, .05f};  ///< width, height and how deep it reaches, metres
    bool mirrored = false;     ///< left and right change places
    int cell = 0;              ///< of the sheet, from the upper left, row by row
    Json extra;
    bool operator==(const Pin&) const = default;
};
/// How a decal lies on what it is stuck to.
enum class Lies : uint8_t { flat, round, wrapped };
/// What a decal does to what lies under it: it covers it, or tints its colour alone.
enum class Print : uint8_t { covers, multiply, screen, overlay, plus };
/// A value of an enumeration, in its order, as it is written and shown.
template <class E> struct WordFor {
    E value;
    const char* name;   ///< in the file
    const char* title;  ///< on the screen
    const char* help;
};
const std::vector<WordFor<Lies>>& words_for(Lies);
const std::vector<WordFor<Print>>& words_for(Print);

/// What makes a layer a decal: it is there only within the frames of its pins, and what it is made of reads the frame
/// of the pin, 0..1 across and up, in place of the part's UVs. Of overlapping pins the later one lies on top.
struct Decal {
    std::vector<Pin> pins;  ///< none: the layer is no decal
    Lies lies = Lies::flat;
    bool through = false;       ///< also on what faces away, to the other side
    bool repeats = false;       ///< it goes on beyond its frame, tile by tile, as deep as it reaches
    bool weathers = false;      ///< it is only where the cover that it stands on is
    float steep = 75.f;         ///< degrees: what is turned away from its axis more than that has none of it, 1..90
    int columns = 1, rows = 1;  ///< cells of the sheet that its maps hold
    Print print = Print::covers;
    float lip = 0.f;          ///< how far it stands above what is below, metres; below zero it is pressed in
    float lip_width = 5e-4f;  ///< over which its edge rises, metres, above 0
    Json extra;
    bool operator==(const Decal&) const = default;
};

/// One layer of a build-up.
struct Layer {
    std::string id, name;
    LayerKind kind = LayerKind::cover;
    std::string build_up;  ///< id of the build-up that this cover is made of; empty: it has a surface of its own
    bool on = true;
    float amount = 1.f;  ///< 0..1, how much of the layer is there at all
    Gate gate;
    Inputs surface;  ///< slots by OpenPBR Surface 1.1 name
    std::vector<Node> nodes;
    std::string note;  ///< what the artist wrote about it
    Decal decal;
    Json extra;
    bool operator==(const Layer&) const = default;
};

/// The whole layered material of a part; layers[0] is the base, the last one is outermost.
struct BuildUp {
    std::string id, name;
    std::vector<Layer> layers;
    std::vector<Node> commons;  ///< nodes that several layers share
    Json extra;
    bool operator==(const BuildUp&) const = default;
};

/// Where something stands: scaled, then turned, then moved. Angles in degrees: about x, then y, then z, each by the
/// right-hand rule.
struct Placement {
    V3f position{0.f}, rotation{0.f};
    V3f scale{1.f};  ///< per axis, not 0
    Json extra;
    bool operator==(const Placement&) const = default;
    bool at_rest() const { return position == V3f(0.f) && rotation == V3f(0.f) && scale == V3f(1.f); }
};
/// Row vectors: world = p * matrix.
M44f matrix_of(const Placement& placement);
/// The placement whose matrix is the nearest to `m`: shear is dropped.
Placement placement_of(const M44f& m);

struct Asset {
    std::string id, file;  ///< file relative to the project file
    float scale = 1.f;     ///< file units to metres, > 0
    std::string up = "y";  ///< axis of the file that points up: "y" or "z"
    Json extra;
    Placement placement;  ///< of all its parts together
    bool operator==(const Asset&) const = default;
};

struct Part {
    std::string id, asset, source, name;  ///< `source`: the part's name inside the asset's file
    std::string build_up;
    bool visible = true;
    bool flat = false;        ///< heights of its layers do not move it
    int subdivision = 0;      ///< how often its polygons are halved towards the smooth surface that they frame
    bool hard_edges = false;  ///< edges where its normals part stay sharp in that
    bool round = false;       ///< faces are bent between their corners to the form that their normals tell of
    int priority = 0;         ///< where two clear bodies overlap, the higher one is there (nested dielectrics)
    Json extra;
    Placement placement;  ///< from where the asset's file has it; two parts of the same source share its mesh
    bool operator==(const Part&) const = default;
};

/// Light from all around: an equirectangular image, or a plain colour where `image` is empty.
struct Environment {
    bool on = true;
    std::string image;     ///< relative to the project file; +y up
    float rotation = 0.f;  ///< degrees about the vertical
    float exposure = 0.f;  ///< stops
    V3f tint{1.f, 1.f, 1.f};
    bool seen = true;  ///< shown behind the asset; else `backdrop` is
    V3f backdrop{.18f, .18f, .18f};
    std::string group = "environment";
    Json extra;
    bool operator==(const Environment&) const = default;
};

struct Light {
    std::string id, name;
    std::string shape = "rectangle";  ///< "rectangle" or "sphere"
    bool on = true;
    V3f position{0, 1, 1}, target{0, 0, 0};
    V2f size{.5f, .5f};  ///< metres: width and height; a sphere's diameter is size.x
    V3f color{1, 1, 1};
    float intensity = 10.f;  ///< radiance of the surface at exposure 0
    float exposure = 0.f;    ///< stops
    bool seen = false;       ///< seen by the camera
    std::string group = "key";
    Json extra;
    bool operator==(const Light&) const = default;
};

/// A balance over lights that carry its name; changing it needs no new rendering.
struct LightGroup {
    std::string name;
    bool on = true;
    float exposure = 0.f;  ///< stops
    V3f tint{1, 1, 1};
    Json extra;
    bool operator==(const LightGroup&) const = default;
};

/// The floor under the asset, which fades into what is behind it.
struct Stage {
    bool on = true;
    V3f color{.18f, .18f, .18f};
    float roughness = .5f;
    float height = 0.f;                       ///< metres
    float fade_start = 1.5f, fade_end = 6.f;  ///< metres from the origin
    Json extra;
    bool operator==(const Stage&) const = default;
};

struct Rig {
    std::string id, name;
    Environment environment;
    std::vector<Light> lights;
    std::vector<LightGroup> groups;
    Stage stage;
    Json extra;
    bool operator==(const Rig&) const = default;
};

struct Camera {
    std::string id, name;
    V3f position{0, .5f, 2.f}, target{0, 0, 0};
    float focal_length = 50.f;  ///< millimetres on a sensor 36 mm wide
    Json extra;
    bool operator==(const Camera&) const = default;
};

struct RenderSettings {
    int width = 1280, height = 800;
    int samples = 256;  ///< per pixel
    int seed = 0;
    int depth = 6;              ///< surface hits on a path
    float clamp = 0.f;          ///< largest radiance that one indirect bounce may add; 0 = unlimited (final)
    float preview_clamp = 8.f;  ///< the same in the window
    float relief_pixels = 1.f;  ///< about how far apart computed heights lie in the picture
    int relief_points = 16;     ///< million computed heights per part at most; of all together four times as many
    float noise = 0.f;          ///< a tile stops early once its relative error is below; 0: all samples
    bool smooth = false;        ///< the light of written pictures is smoothed by regression
    Json extra;
    bool operator==(const RenderSettings&) const = default;
};

struct Display {
    std::string view = "filmic";  ///< "filmic", "srgb" or "raw"
    float exposure = 0.f;         ///< stops
    Json extra;
    bool operator==(const Display&) const = default;
};

/// A square of painted texels.
struct Sheet {
    int tile = 1001;   ///< of the UVs, 1001..1999; of a painting on the form itself its number, from 1001
    int size = 2048;   ///< texels a side, a power of two, 64..8192
    std::string part;  ///< id, of a painting on the form itself: whose faces it holds
    std::shared_ptr<const Texels> texels;  ///< null: nothing is painted, or it could not be read. Not in the file
    Json extra;
    bool operator==(const Sheet&) const = default;
};
/// What was painted by hand, for nodes that read it by its id. Any number of parts may share it.
struct Painting {
    std::string id, name;
    std::string type = "float";  ///< "float" or "color3", as Node::type
    int size = 2048;             ///< of sheets that are begun
    float texel = 0.f;           ///< millimetres that a texel is wide on the form itself; 0: it lies over the UVs
    std::string file;            ///< of the sheets, with <UDIM>, relative to the project; empty: never saved
    std::vector<Sheet> sheets;   ///< those that something was painted on
    Json extra;
    bool operator==(const Painting&) const = default;
    bool colored() const { return type == "color3"; }
    int lanes() const { return colored() ? 4 : 2; }
    bool on_form() const { return texel > 0.f; }
    const Sheet* sheet(int tile) const;  ///< null where there is none
};

/// A colour and roughness that the artist wrote down.
struct KeptValue {
    std::string name;
    V3f color{.5f};
    float roughness = .3f;
    Json extra;
    bool operator==(const KeptValue&) const = default;
};

struct Scene {
    std::string name = "Untitled";
    std::vector<Asset> assets;
    std::vector<Part> parts;
    std::vector<BuildUp> build_ups;
    std::vector<Network> networks;
    std::vector<Painting> paintings;
    std::vector<Rig> rigs;
    std::vector<Camera> cameras;
    std::string rig, camera;  ///< ids of the ones in use
    RenderSettings render;
    Display display;
    std::vector<KeptValue> kept_values;
    std::vector<std::string>
        search_folders;  ///< where files are looked for by name that are not at their place; relative to the project
    Json extra;
    bool operator==(const Scene&) const = default;
};

using Snapshot = std::shared_ptr<const Scene>;

/// What a copy of the scene takes in memory, about; texels are not counted.
size_t bytes_of(const Scene& scene);
/// Bytes of the painted texels of `a` that `b` does not hold.
size_t texel_bytes_apart(const Scene& a, const Scene& b);

/// Finds by `id`; null when there is none.
template <class T> T* find(std::vector<T>& items, const std::string& id) {
    for (T& item : items)
        if (item.id == id) return &item;
    return nullptr;
}
template <class T> const T* find(const std::vector<T>& items, const std::string& id) {
    return find(const_cast<std::vector<T>&>(items), id);
}

const Rig* active_rig(const Scene& scene);        ///< the rig in use, else the first, else null
const Camera* active_camera(const Scene& scene);  ///< likewise
const LightGroup* group(const Rig& rig, const std::string& name);

/// A node anywhere in the build-up, and the layer that holds it (null for commons).
struct NodePlace {
    const Node* node = nullptr;
    const Layer* layer = nullptr;
};
NodePlace find_node(const BuildUp& build_up, const std::string& node_id);

/// The value of a literal as a number; a colour gives its first component, words give the fallback.
float as_number(const Value& value, float fallback = 0.f);
V3f as_vector(const Value& value, V3f fallback = V3f(0.f));
/// A literal of a colour or vector: one number stands for all components.
V3f as_triple(const Value& value);

}  // namespace vemtra::scene
