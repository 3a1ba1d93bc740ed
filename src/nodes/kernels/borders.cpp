// Masks that follow from how far the border of something is, along the surface: of another mask, or of where other
// parts touch. That is computed over the whole form before the picture is (render/borders.h), so that it costs one
// read, lengths can be driven, and neither a hard threshold nor a fine pattern is in the way.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Metres within the border, below zero outside.
static void read_border(const KernelArgs& k, float* out) {
    const PointBatch& p = *k.points;
    if (p.fields && p.instance && p.rows[row_bary])
        p.fields->border(k.resource, k.n, p.instance, p.face, p.rows[row_bary], p.rows[row_bary + 1], out);
    else
        for (int i = 0; i < k.n; ++i) out[i] = -1e9f;
}

/// Ports: by, softness, metres.
void grow(const KernelArgs& k) {
    float* out = k.out[0];
    read_border(k, out);
    for (int i = 0; i < k.n; ++i) {
        const float within = out[i] + k.in[0][i];
        const float soft = k.in[1][i];
        out[i] = soft > 0.f ? clamp(within / soft + .5f, 0.f, 1.f) : (within >= 0.f ? 1.f : 0.f);
    }
}

enum GrowUniform : int { grow_furthest };
enum NearUniform : int { near_side, near_furthest };
/// Ports: reach, metres, and falloff: 1 at the border, 0 from the reach on.
void nearborder(const KernelArgs& k) {
    float* out = k.out[0];
    read_border(k, out);
    const int side = int(k.uniform[near_side]);  // outside, inside, both
    for (int i = 0; i < k.n; ++i) {
        const float d = out[i];
        const float away = d < 0.f ? -d : d;
        const bool here = side == 2 || (side == 1) == (d >= 0.f);
        const float t = here ? clamp(1.f - away / max_of(k.in[0][i], 1e-9f), 0.f, 1.f) : 0.f;
        out[i] = t > 0.f ? __builtin_powf(t, clamp(k.in[1][i], .05f, 20.f)) : 0.f;
    }
}

enum NearbyUniform : int { nearby_of, nearby_way };
/// Ports: width, falloff: 1 where it touches, 0 from the width on.
void nearby(const KernelArgs& k) {
    float* out = k.out[0];
    const PointBatch& p = *k.points;
    if (k.uniform[nearby_way] > .5f) {
        read_border(k, out);
        for (int i = 0; i < k.n; ++i) out[i] = max_of(0.f, -out[i]);
    } else {
        p.fields->sample(k.resource, k.n, p.instance, p.face, p.rows[row_bary], p.rows[row_bary + 1], 1, k.out);
    }
    for (int i = 0; i < k.n; ++i) {
        const float t = clamp(1.f - out[i] / max_of(k.in[0][i], 1e-9f), 0.f, 1.f);
        out[i] = t > 0.f ? __builtin_powf(t, clamp(k.in[1][i], .05f, 20.f)) : 0.f;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include <algorithm>
#include <cmath>

#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(grow)
VEMTRA_DECLARE_KERNEL(nearborder)
VEMTRA_DECLARE_KERNEL(nearby)

/// The furthest that the port can say: what it is given, or what the node says where it is driven without ends.
static float furthest_of(const scene::Node& node, const char* name) {
    const NodeDescription& d = *describe(node.kind);
    const auto it = node.inputs.find(name);
    float most = std::fabs(number_of(node, *d.port(name)));
    if (it == node.inputs.end() || it->second.from.empty()) return most;
    if (it->second.worn) return std::max(most, std::fabs(scene::as_number(*it->second.worn)));
    return std::max(0.f, number_of(node, *d.port("furthest")));
}
static float grow_within(const scene::Node& node) {
    return furthest_of(node, "by") + .5f * furthest_of(node, "softness");
}
static float near_within(const scene::Node& node) {
    return furthest_of(node, "reach");
}

static Port furthest_port(const char* help) {
    return {.name = "furthest",
            .help = help,
            .value = .05f,
            .low = 0.f,
            .high = .5f,
            .unit = "m",
            .uniform = true,
            .folded = true};
}

static int ask_nearby(const Asking& a, Resources& r) {
    const bool ground = a.number("of") > .5f;
    if (!(a.number("way") > .5f)) return r.field({a.build_up, "nearest", {ground ? 1.f : 0.f}, 0, a.word("parts")});
    const float width = furthest_of(a.node, "width");
    const TouchRequest touch{ground, ground ? "" : a.word("parts"), std::clamp(a.number("gap"), 1e-6f, 1e3f)};
    return r.border({.build_up = a.build_up,
                     .furthest = std::isfinite(width) ? std::clamp(width, 1e-9f, 1e6f) : 1e6f,
                     .hash = touch.hash(),
                     .needs = std::make_shared<const Resources>(),
                     .touch = touch});
}

constexpr const char* furthest_border = "How far it looks for the border where a network says how far it goes.";

void describe_nearby(std::vector<NodeDescription>& list) {
    auto choice = [](const char* name, const char* help, std::vector<std::string> choices) {
        return Port{.name = name,
                    .help = help,
                    .value = 0.f,
                    .low = 0.f,
                    .high = float(choices.size() - 1),
                    .hard = true,
                    .uniform = true,
                    .whole = true,
                    .choices = std::move(choices)};
    };
    list.push_back(
        {.kind = "nearby",
         .title = "Near others",
         .family = "form",
         .help = "White where another part, or the ground, is near: through the air, or along the surface from "
                 "where it touches or goes in.",
         .types = {Type::number},
         .ports = {{.name = "width",
                    .help = "How far from it it reaches; it may be driven.",
                    .value = .02f,
                    .low = .001f,
                    .high = .5f,
                    .unit = "m"},
                   {.name = "falloff",
                    .help = "How it fades over the width: 1 evenly.",
                    .value = 1.f,
                    .low = .1f,
                    .high = 6.f},
                   choice("of", "What it is near to.", {"other parts", "the ground"}),
                   {.name = "parts",
                    .help = "Only these other parts, by their names: \"Rope*; Handle\". Empty: all of them.",
                    .value = std::string(),
                    .uniform = true,
                    .text = true,
                    .role = Role::part_names},
                   choice("way", "How the distance is taken.", {"through the air", "along the surface"}),
                   {.name = "gap",
                    .help = "Along the surface: what is so near touches.",
                    .value = .0005f,
                    .low = .00001f,
                    .high = .01f,
                    .unit = "m",
                    .uniform = true,
                    .folded = true},
                   furthest_port("Along the surface: how far it looks where a network says how wide it is.")},
         .kernel = VEMTRA_PAIR(nearby),
         .ask = ask_nearby,
         .varies = true,
         .use = Use::field,
         .uniforms = {{"of", VEMTRA_ISA::nearby_of}, {"way", VEMTRA_ISA::nearby_way}}});
}

void describe_borders(std::vector<NodeDescription>& list) {
    const Port mask{
        .name = "in", .help = "The mask; where it is a half or more it covers.", .value = 0.f, .role = Role::subject};
    list.push_back({.kind = "grow",
                    .title = "Grow or shrink",
                    .family = "adjust",
                    .help =
                        "A mask made wider, or narrower, by a length along the surface, over edges and seams, and its "
                        "border as soft as wanted. Both can be driven. The mask is computed over the whole part "
                        "beforehand; what of it is finer than a few pixels may be missed.",
                    .types = {Type::number},
                    .ports = {mask,
                              {.name = "by",
                               .help = "How far it grows; below zero it shrinks.",
                               .value = .002f,
                               .low = -.02f,
                               .high = .02f,
                               .unit = "m"},
                              {.name = "softness",
                               .help = "How wide the border is, from white to black.",
                               .value = 0.f,
                               .low = 0.f,
                               .high = .02f,
                               .unit = "m"},
                              furthest_port(furthest_border)},
                    .kernel = VEMTRA_PAIR(grow),
                    .varies = true,
                    .uniforms = {{"furthest", VEMTRA_ISA::grow_furthest}},
                    .border_within = grow_within});
    list.push_back(
        {.kind = "nearborder",
         .title = "Near a mask's border",
         .family = "adjust",
         .help = "White along the border of a mask, black from a length on, measured along the surface: what "
                 "creeps from it, or wears at it. The mask is computed over the whole part beforehand.",
         .types = {Type::number},
         .ports =
             {mask,
              {.name = "reach", .help = "Where it is black.", .value = .005f, .low = 0.f, .high = .05f, .unit = "m"},
              {.name = "falloff",
               .help = "How fast it gets there: 1 evenly, above it at once.",
               .value = 1.f,
               .low = .1f,
               .high = 5.f},
              {.name = "side",
               .help = "On which side of the border.",
               .value = 0.f,
               .low = 0.f,
               .high = 2.f,
               .hard = true,
               .uniform = true,
               .whole = true,
               .choices = {"outside", "inside", "both"}},
              furthest_port(furthest_border)},
         .kernel = VEMTRA_PAIR(nearborder),
         .varies = true,
         .uniforms = {{"side", VEMTRA_ISA::near_side}, {"furthest", VEMTRA_ISA::near_furthest}},
         .border_within = near_within});
}
#endif
}  // namespace vemtra::nodes
