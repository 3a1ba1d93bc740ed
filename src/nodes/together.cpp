// Several masks as one: what a pin and its copies are read through. It stands for the standard's own nodes.
#include "nodes/description.h"
#include "scene/edits.h"
#include "scene/graph.h"

namespace vemtra::nodes {
namespace {

enum How { larger, united, summed };

scene::Node made(const scene::Node& node, const char* kind, const char* first, const char* second) {
    scene::Node n = node;
    n.kind = kind;
    n.inputs.clear();
    for (const auto& [from, to] : {std::pair{"in1", first}, {"in2", second}})
        if (const auto it = node.inputs.find(from); it != node.inputs.end()) n.inputs[to] = it->second;
    return n;
}

std::vector<scene::Node> both_at_length(const scene::Node& node, const TypeOf&) {
    const int how = int(number_of(node, *describe(node.kind)->port("how")));
    if (how == united) return {made(node, "screen", "fg", "bg")};
    if (how != summed) return {made(node, "max", "in1", "in2")};
    scene::Node sum = made(node, "add", "in1", "in2");
    sum.id = node.id + ".sum";
    sum.name = node.name + " sum";
    scene::Node held = made(node, "clamp", "in", "low");
    held.inputs = {{"in", {scene::Value{0.f}, sum.id}}};
    return {sum, held};
}

}  // namespace

void describe_together(std::vector<NodeDescription>& list) {
    list.push_back(
        {.kind = "together",
         .title = "Together",
         .family = "combine",
         .help = "Two masks as one: pins that belong together.",
         .types = {Type::number},
         .ports = {{.name = "in1", .help = "One mask.", .value = 0.f, .role = Role::subject},
                   {.name = "in2", .help = "Another one.", .value = 0.f},
                   {.name = "how",
                    .help = "The larger of both; their union, in which soft borders flow into each other; or "
                            "their sum, white at most.",
                    .value = 0.f,
                    .high = 2.f,
                    .hard = true,
                    .uniform = true,
                    .whole = true,
                    .choices = {"larger", "union", "sum"}}},
         .stands_for = both_at_length});
}

std::string put_together(scene::BuildUp& b, const std::string& lane, const std::string& mask, const std::string& other,
                         const std::string& name) {
    const std::string both = scene::add_node(b, lane, "together", type_name(Type::number), name);
    // As its reader does, where that puts masks together as well.
    float how = larger;
    scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer*) {
        if (n.kind != "together") return;
        for (const auto& [port, in] : n.inputs)
            if (in.from == mask) how = number_of(n, *describe(n.kind)->port("how"));
    });
    scene::for_each_input(b, [&](scene::Input& in) {
        if (in.from == mask) in.from = both;
    });
    scene::Node* join = scene::node(b, both);
    join->inputs["in1"].from = mask;
    join->inputs["in2"].from = other;
    if (how > 0.f) join->inputs["how"].value = how;
    return both;
}

}  // namespace vemtra::nodes
