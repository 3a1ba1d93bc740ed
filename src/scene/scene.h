// The document as plain values. A Scene is copied on every edit (it holds no meshes and no pixels), and an immutable snapshot of it
// is what the renderer gets. Meaning of the fields: docs/project-format.md, which follows this header field by field.
#pragma once
#include <map>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "base/vec.h"

namespace vemtra::scene {

using Json = nlohmann::ordered_json;

/// A literal: yes/no, a number (also whole numbers), two numbers, three numbers (a vector or a linear Rec.709 colour), or a word.
using Value = std::variant<bool, float, V2f, V3f, std::string>;

/// What stands at an input of a node, a slot or a gate: a literal, and, where `from` names a node of the same build-up, that node's
/// output instead. The literal is kept while something is connected, so that disconnecting restores it.
///
/// A second end, `worn`, makes it a pair: of a value and its worn state while nothing is connected (`worn_shown` says which one counts), and
/// a span once a driver is connected: it then moves from `value` at 0 to `worn` at 1 by the node's output as a number.
struct Input {
    Value value{0.f};
    std::string from;
    std::optional<Value> worn;
    bool worn_shown = false;
    bool operator==(const Input&) const = default;
    const Value& shown() const { return worn && worn_shown ? *worn : value; }  ///< of the literals
};
using Inputs = std::map<std::string, Input>;

/// A node of a network. `kind` names a description of the catalogue (nodes/), `type` which of its output types is meant.
struct Node {
    std::string id, kind, type, name;
    Inputs inputs;  ///< only what differs from the description's defaults needs to be here
    Json extra;     ///< keys that this version does not know, kept for saving
    bool operator==(const Node&) const = default;
};

/// Where a mask enters a layer. coverage = layer amount * (1 + gate amount * (mask - 1)): gate amount 0 opens the gate fully.
struct Gate {
    Input mask{Value{1.f}, {}};
    float amount = 1.f;  ///< 0..1
    Json extra;
    bool operator==(const Gate&) const = default;
};

/// One layer of a build-up. A cover hides what is under it where its gate is open; a coat is looked through: an interface over a medium that
/// absorbs. A cover may be a whole build-up instead of a surface of its own.
struct Layer {
    std::string id, name;
    std::string kind = "cover";  ///< "cover" or "coat"
    std::string build_up;        ///< id of the build-up that this cover is made of; empty: it has a surface of its own
    bool on = true;
    float amount = 1.f;  ///< 0..1, how much of the layer is there at all
    Gate gate;
    Inputs surface;  ///< slots by OpenPBR Surface 1.1 name
    std::vector<Node> nodes;
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

struct Asset {
    std::string id, file;   ///< file relative to the project file
    float scale = 1.f;      ///< file units to metres, > 0
    std::string up = "y";   ///< axis of the file that points up: "y" or "z"
    Json extra;
    bool operator==(const Asset&) const = default;
};

struct Part {
    std::string id, asset, source, name;  ///< `source`: the part's name inside the asset's file
    std::string build_up;
    bool visible = true;
    int priority = 0;  ///< where two clear bodies overlap, the higher one is there (nested dielectrics)
    Json extra;
    bool operator==(const Part&) const = default;
};

/// Light from all around: an equirectangular image, or a plain colour where `image` is empty.
struct Environment {
    bool on = true;
    std::string image;         ///< relative to the project file; +y up
    float rotation = 0.f;      ///< degrees about the vertical
    float exposure = 0.f;      ///< stops
    V3f tint{1.f, 1.f, 1.f};
    bool seen = true;          ///< shown behind the asset; else `backdrop` is
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
    V2f size{.5f, .5f};               ///< metres: width and height; a sphere's diameter is size.x
    V3f color{1, 1, 1};
    float intensity = 10.f;           ///< radiance of the surface at exposure 0
    float exposure = 0.f;             ///< stops
    bool seen = false;                ///< seen by the camera
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
    float height = 0.f;          ///< metres
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
    int samples = 256;          ///< per pixel
    int seed = 0;
    int depth = 6;              ///< surface hits on a path
    float clamp = 0.f;          ///< largest radiance that one indirect bounce may add; 0 = unlimited (final)
    float preview_clamp = 8.f;  ///< the same in the window
    float noise = 0.f;          ///< a tile stops early once its relative error is below; 0: all samples
    Json extra;
    bool operator==(const RenderSettings&) const = default;
};

struct Display {
    std::string view = "filmic";  ///< "filmic", "srgb" or "raw"
    float exposure = 0.f;         ///< stops
    Json extra;
    bool operator==(const Display&) const = default;
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
    std::vector<Rig> rigs;
    std::vector<Camera> cameras;
    std::string rig, camera;  ///< ids of the ones in use
    RenderSettings render;
    Display display;
    std::vector<KeptValue> kept_values;
    std::vector<std::string> search_folders;  ///< where files are looked for by name that are not at their place; relative to the project
    Json extra;
    bool operator==(const Scene&) const = default;
};

using Snapshot = std::shared_ptr<const Scene>;

/// Finds by `id` (or by name for light groups); null when there is none.
template <class T>
T* find(std::vector<T>& items, const std::string& id) {
    for (T& item : items)
        if (item.id == id) return &item;
    return nullptr;
}
template <class T>
const T* find(const std::vector<T>& items, const std::string& id) { return find(const_cast<std::vector<T>&>(items), id); }

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

}  // namespace vemtra::scene
