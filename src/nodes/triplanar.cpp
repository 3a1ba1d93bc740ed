// triplanarprojection: three images along the three axes, blended by where the surface faces (MaterialX 1.39). It is
// said by other nodes: a place, an image and a weight per axis.
#include <algorithm>

#include "nodes/description.h"

namespace vemtra::nodes {
namespace {

enum UpAxis : int { up_x, up_y, up_z };

/// Which components of the position run across and up each image: of the planes that x, y and z pierce.
struct PlaneAxes {
    int across, up;
};
constexpr PlaneAxes planes[3][3] = {{{1, 2}, {2, 0}, {1, 0}},   // x is up
                                    {{2, 1}, {0, 2}, {0, 1}},   // y
                                    {{1, 2}, {0, 2}, {0, 1}}};  // z

class TriplanarChain {
public:
    explicit TriplanarChain(const scene::Node& node) : node_(node) {}
    /// The node's own input, or nothing.
    scene::Input own(const char* port) const {
        const auto it = node_.inputs.find(port);
        return it == node_.inputs.end() ? scene::Input{} : it->second;
    }
    /// Adds a node and returns its id.
    std::string add(const std::string& name, const char* kind, const std::string& type, scene::Inputs inputs) {
        scene::Node n;
        n.id = node_.id + "." + name;
        n.name = n.id;
        n.kind = kind;
        n.type = type;
        n.inputs = std::move(inputs);
        made_.push_back(std::move(n));
        return made_.back().id;
    }
    static scene::Input from(const std::string& id) {
        scene::Input i;
        i.from = id;
        return i;
    }
    std::string component(const std::string& name, const std::string& of, int index) {
        return add(name, "extract", "float", {{"in", from(of)}, {"index", {float(index), {}}}});
    }
    /// The last one stands for the node itself.
    std::vector<scene::Node> take() {
        made_.back().id = node_.id;
        made_.back().name = node_.name;
        return std::move(made_);
    }

private:
    const scene::Node& node_;
    std::vector<scene::Node> made_;
};

std::vector<scene::Node> at_length(const scene::Node& node, const TypeOf&) {
    const NodeDescription& d = *describe(node.kind);
    const std::string type = type_name(d.output_type(node));
    const int up = std::clamp(int(number_of(node, *d.port("upaxis"))), int(up_x), int(up_z));
    TriplanarChain chain(node);
    auto read = [&](const char* port, const char* kind) {
        const scene::Input given = chain.own(port);
        return given.from.empty() ? chain.add(port, kind, "vector3", {})
                                  : chain.add(port, "dot", "vector3", {{"in", given}});
    };
    const std::string position = read("position", "position");
    const std::string facing =
        chain.add("facing", "absval", "vector3", {{"in", TriplanarChain::from(read("normal", "normal"))}});
    // Sharper where the blend is small.
    const float blend = std::max(.01f, number_of(node, *d.port("blend")));
    const std::string sharp = chain.add("sharp", "power", "vector3",
                                        {{"in1", TriplanarChain::from(facing)}, {"in2", {V3f(1.f / blend), {}}}});
    const std::string sum =
        chain.add("sum", "dotproduct", "float", {{"in1", TriplanarChain::from(sharp)}, {"in2", {V3f(1.f), {}}}});
    std::string at[3];
    for (int c = 0; c < 3; ++c) at[c] = chain.component("at." + std::to_string(c), position, c);
    std::string all;
    for (int c = 0; c < 3; ++c) {
        const std::string axis(1, "xyz"[c]);
        const PlaneAxes p = planes[up][c];
        const std::string place =
            chain.add("place." + axis, "combine2", "vector2",
                      {{"in1", TriplanarChain::from(at[p.across])}, {"in2", TriplanarChain::from(at[p.up])}});
        scene::Inputs of_image{{"texcoord", TriplanarChain::from(place)}};
        of_image["file"] = chain.own(("file" + axis).c_str());
        if (of_image["file"].value.index() != scene::Value(std::string()).index())
            of_image["file"].value = std::string();
        of_image["colorspace"].value = word_of(node, *d.port("colorspace"));
        of_image["filter"].value = std::string(word_of(node, *d.port("filtertype")) == "closest" ? "off" : "smooth");
        const std::string image = chain.add("image." + axis, "image", type, of_image);
        const std::string weight = chain.add("weight." + axis, "divide", "float",
                                             {{"in1", TriplanarChain::from(chain.component("share." + axis, sharp, c))},
                                              {"in2", TriplanarChain::from(sum)}});
        const std::string part =
            chain.add("part." + axis, "multiply", type,
                      {{"in1", TriplanarChain::from(image)}, {"in2", TriplanarChain::from(weight)}});
        all = all.empty() ? part
                          : chain.add("sum." + axis, "add", type,
                                      {{"in1", TriplanarChain::from(all)}, {"in2", TriplanarChain::from(part)}});
    }
    return chain.take();
}

}  // namespace

void describe_triplanar(std::vector<NodeDescription>& list) {
    auto file = [](const char* name, const char* help) {
        return Port{
            .name = name, .help = help, .value = std::string(), .uniform = true, .text = true, .role = Role::file};
    };
    list.push_back(
        {.kind = "triplanarprojection",
         .title = "Three images by side",
         .family = "map",
         .help = "Three images along the asset's axes, one metre each, blended by where the surface faces. "
                 "For one image on all sides a placement on a box is simpler.",
         .standard = "MaterialX 1.39 triplanarprojection",
         .types = {Type::color, Type::number, Type::vector2, Type::vector3},
         .ports = {file("filex", "The image that is seen along x."),
                   file("filey", "The image that is seen along y."),
                   file("filez", "The image that is seen along z."),
                   {.name = "colorspace",
                    .help = "How the files' numbers are meant.",
                    .value = std::string("auto"),
                    .uniform = true,
                    .text = true,
                    .choices = {"auto", "srgb_texture", "lin_rec709", "acescg", "aces2065_1", "lin_rec2020",
                                "g22_rec709", "raw"},
                    .role = Role::colour_space},
                   {.name = "upaxis",
                    .help = "Which axis is up in the images that show the sides.",
                    .value = float(up_z),
                    .high = float(up_z),
                    .uniform = true,
                    .whole = true,
                    .choices = {"x", "y", "z"}},
                   {.name = "blend", .help = "How soft the corners are.", .value = 1.f, .low = .01f, .uniform = true},
                   {.name = "filtertype",
                    .help = "Over what a ray sees of the images, or the nearest texel alone.",
                    .value = std::string("linear"),
                    .uniform = true,
                    .text = true,
                    .choices = {"closest", "linear", "cubic"},
                    .folded = true},
                   {.name = "position",
                    .help = "Where the images are read.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .reads = Reads::position_object,
                    .folded = true},
                   {.name = "normal",
                    .help = "What decides between the images.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .reads = Reads::normal_object,
                    .folded = true}},
         .varies = true,
         .stands_for = at_length});
}

}  // namespace vemtra::nodes
