// What nodes ask for beyond the points themselves: images, fields of the form, sets of UVs, tangents, footprints. A
// description fills in its request; the texture and geometry floors answer all requests of a picture at once. An equal
// request gets the same handle.
#pragma once
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "nodes/kernel.h"
#include "scene/scene.h"

namespace vemtra::nodes {

/// Words set in a face that ships, as a picture that they fill.
struct Lettering {
    std::string text, face, align;
    float arc = 0.f;      ///< degrees that a line spans as an arc, above 0 with its middle on top; 0: straight
    float spacing = 0.f;  ///< between letters, beyond their own, in heights of a letter
    float leading = 1.f;  ///< from line to line, in line heights of the face
    float bridges = 0.f;  ///< width of the bridges that hold the insides of letters in a stencil, in heights; 0: none
    auto operator<=>(const Lettering&) const = default;
};
/// What a map holds beyond its mean within a footprint, in place of the map: four numbers, the means of the squares xx,
/// yy and of the product xy, and how much of them there is: all are 0 in the finest level, and the fourth 1 in others.
enum class Spread : uint8_t {
    none,
    directions,  ///< of x and y of a normal map's directions
    heights      ///< of the slopes of heights, per width and height of the map
};
struct ImageRequest {
    std::string file, colorspace = "auto", channel = "r", wrap_u = "periodic", wrap_v = "periodic", filter = "smooth";
    int components = 3;
    bool seamless = false;   ///< mixed from shifted copies, so that nothing repeats
    std::string painting{};  ///< id of a painting of the scene, in place of a file
    Lettering lettering{};   ///< in place of a file, where its text is not empty
    Spread spread = Spread::none;
    auto operator<=>(const ImageRequest&) const = default;
};
/// Of a request for a painting where none is chosen yet: nothing is painted.
inline constexpr const char* no_painting = "-";
struct FieldRequest {
    std::string build_up;           ///< id: the field is wanted on the parts that wear it
    std::string field;              ///< name of a row of geometry::field_kinds()
    std::vector<float> parameters;  ///< in that row's order and units
    uint64_t mask = 0;              ///< hash of a BorderRequest of the same build-up; 0: it follows from the form alone
    std::string named{};            ///< parts that it is about, as scene::is_meant_by() reads them
    auto operator<=>(const FieldRequest&) const = default;
};

struct Resources;

/// Where something else touches a part.
struct TouchRequest {
    bool ground = false;  ///< the level of the lowest place of all; else other parts, by contact or within one another
    std::string named{};  ///< which other parts, as scene::is_meant_by() reads them; empty: all
    float gap = 0.f;      ///< what is so near touches, metres, above 0
    uint64_t hash() const;
};
/// A mask that is computed over the whole form before the picture is, so that nodes read how far its border is.
struct BorderRequest {
    std::string build_up;                    ///< id: it is wanted on the parts that wear it
    float furthest = 0.f;                    ///< metres, above 0: distances beyond it are all alike
    uint64_t hash = 0;                       ///< of all that the mask computes, whatever handles its resources have
    std::shared_ptr<const Resources> needs;  ///< what the mask asks for, in handles of its own
    /// Writes the mask at the points of a batch; n <= max_batch.
    using Mask = std::function<void(const PointBatch& points, float* out)>;
    /// Makes one for each thread and piece of work. It reads by the handles of the resources that the request is in.
    std::function<Mask()> mask;
    std::optional<TouchRequest> touch{};  ///< in place of a mask
    bool operator==(const BorderRequest& o) const {
        return hash == o.hash && furthest == o.furthest && build_up == o.build_up;
    }
};

/// Further sets of UVs that one picture reads; what is beyond is taken as the last one.
inline constexpr size_t most_uv_sets = 8;
/// What a mesh brings by a name of its own travels as further sets of UVs, two numbers each: the name of one of them.
std::string property_set(const std::string& name, int pair);
/// The name alone; empty: it is a set of UVs.
std::string property_of(const std::string& uv_set);

struct Resources {
    std::vector<ImageRequest> images;
    std::vector<FieldRequest> fields;
    std::vector<std::string> uv_sets;    ///< further sets of UVs, by name
    bool tangents = false;               ///< some program reads the direction of U
    bool footprint = false;              ///< some program reads the ray's footprint
    std::vector<std::string> walks;      ///< ids of build-ups that look around along the surface
    std::vector<BorderRequest> borders;  ///< each after those that its mask reads
    /// In which order fields and borders can be computed: each after what it follows from.
    struct Asked {
        bool border;
        size_t index;
    };
    std::vector<Asked> order;
    int image(const ImageRequest& r);
    int field(const FieldRequest& r);
    int uv_set(const std::string& name);
    int border(const BorderRequest& r);
    void walk(const std::string& build_up);
    /// Of all that is asked for, in its order.
    uint64_t hash() const;
    /// Whether all that is asked for here was asked for there.
    bool within(const Resources& other) const {
        return images.size() == other.images.size() && fields.size() == other.fields.size() &&
               uv_sets.size() == other.uv_sets.size() && borders.size() == other.borders.size();
    }
};

struct NodeDescription;

/// What a description sees when it asks.
struct Asking {
    const scene::Node& node;
    const NodeDescription& description;
    int components;                ///< of the node's output
    const std::string& build_up;   ///< id
    const scene::Node* placed_by;  ///< what is wired to the port that says where the node reads; null: nothing
    uint64_t mask = 0;             ///< of one with a border: the hash of its request
    std::string word(const char* port) const;
    float number(const char* port) const;
};
/// Asks for what the node needs; returns the handle that its kernel gets, or -1.
using Ask = int (*)(const Asking&, Resources&);

int ask_nothing(const Asking&, Resources&);
int ask_tangents(const Asking&, Resources&);
int ask_footprint(const Asking&, Resources&);

}  // namespace vemtra::nodes
