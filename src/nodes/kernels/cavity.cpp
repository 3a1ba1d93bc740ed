// cavity: how closed-in a point is, and thickness: how near the other side is. Both read a finished field of what rays
// meet (geometry/fields/cavity.cpp); reach and fall-off are chosen here, so that they can be driven, and a threshold
// behind them sees the converged value.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: reach, falloff.
void cavity(const KernelArgs& k) {
    const PointBatch& p = *k.points;
    p.fields->within(k.resource, k.n, p.instance, p.face, p.rows[row_bary], p.rows[row_bary + 1], k.in[0], k.in[1],
                     k.out[0]);
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include <algorithm>
#include <cmath>

#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(cavity)

static float yes(const Asking& a, const char* port) {
    return a.number(port) > .5f ? 1.f : 0.f;
}
/// How far is looked: the longest reach that stands at the port, up to the next power of two, so that rays stay short;
/// a reach can be changed within that, and driven below it, without a ray.
static float range(const Asking& a) {
    float reach = a.number("reach");
    if (const auto it = a.node.inputs.find("reach"); it != a.node.inputs.end() && it->second.worn)
        reach = std::max(reach, scene::as_number(*it->second.worn));
    return std::exp2(std::ceil(std::log2(std::clamp(reach, 1e-5f, 1e4f))));
}
static int ask_cavity(const Asking& a, Resources& resources) {
    const V3f towards = scene::as_vector(literal_of(a.node, *a.description.port("towards")));
    return resources.field(
        {a.build_up,
         "cavity",
         {a.word("where") == "edges" ? 1.f : 0.f, std::clamp(a.number("angle"), 5.f, 90.f), yes(a, "own"), towards.x,
          towards.y, towards.z, std::clamp(a.number("bias"), 0.f, 1.f), range(a)},
         0,
         a.word("without")});
}
static int ask_thickness(const Asking& a, Resources& resources) {
    return resources.field(
        {a.build_up, "cavity", {1.f, std::clamp(a.number("angle"), 5.f, 90.f), 1.f, 0, 1, 0, 0, range(a)}});
}

void describe_cavity(std::vector<NodeDescription>& list) {
    const Port reach{.name = "reach",
                     .help = "How far away something still counts; it may be driven, up to what stands here.",
                     .value = .02f,
                     .low = .001f,
                     .high = .5f,
                     .unit = "m"};
    const Port falloff{.name = "falloff",
                       .help = "How fast things count less with distance: 1 evenly, above at once, below late.",
                       .value = 1.f,
                       .low = .1f,
                       .high = 6.f};
    auto angle = [](float value, const char* help) {
        return Port{.name = "angle",
                    .help = help,
                    .value = value,
                    .low = 5.f,
                    .high = 90.f,
                    .hard = true,
                    .unit = "deg",
                    .uniform = true};
    };
    list.push_back(
        {.kind = "cavity",
         .title = "Cavity",
         .family = "form",
         .help = "White in recesses, or on exposed edges, of the form.",
         .types = {Type::number},
         .ports = {{.name = "where",
                    .help = "Recesses looks outward from the surface, edges looks inward.",
                    .value = std::string("recesses"),
                    .uniform = true,
                    .text = true,
                    .choices = {"recesses", "edges"}},
                   reach,
                   falloff,
                   angle(90.f, "Half the opening of the cone that is looked into; 90 is the whole hemisphere."),
                   {.name = "own",
                    .help = "Whether only its own part counts, as if no other stood there.",
                    .value = 0.f,
                    .uniform = true,
                    .whole = true,
                    .choices = {"no", "yes"}},
                   {.name = "without",
                    .help = "Parts that do not count, by their names: \"Lens; Bolts*\".",
                    .value = std::string(),
                    .uniform = true,
                    .text = true,
                    .folded = true,
                    .role = Role::part_names},
                   {.name = "towards",
                    .help = "A direction that counts more: up gathers what falls, down what splashes.",
                    .type = Type::vector3,
                    .value = V3f(0.f, 1.f, 0.f),
                    .low = -1.f,
                    .high = 1.f,
                    .uniform = true,
                    .folded = true},
                   {.name = "bias",
                    .help = "How much more; at 1 the other side counts nothing.",
                    .value = 0.f,
                    .hard = true,
                    .uniform = true,
                    .folded = true}},
         .kernel = VEMTRA_PAIR(cavity),
         .ask = ask_cavity,
         .varies = true,
         .use = Use::field});
    Port depth = reach;
    depth.help = "What is thinner than this is whiter than black.";
    list.push_back({.kind = "thickness",
                    .title = "Thin places",
                    .family = "form",
                    .help = "White where the part is thin, black where it is thicker than the reach.",
                    .types = {Type::number},
                    .ports = {depth, falloff, angle(35.f, "Half the opening of the cone that is looked into.")},
                    .kernel = VEMTRA_PAIR(cavity),
                    .ask = ask_thickness,
                    .varies = true,
                    .use = Use::field});
}
#endif
}  // namespace vemtra::nodes
