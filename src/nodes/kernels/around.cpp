// What is read beside the point: how a network's value changes over the ray's footprint (heighttonormal, MaterialX
// 1.39), and its mean around the point, in the UVs (blur, MaterialX 1.39) or along the surface. The compiler computes
// the network at the places that the kernels here move the point to.
#include "nodes/kernel.h"
#include "nodes/kernels/spread.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum Moving : int { by_first, by_second, by_u, by_v };

/// In: u, v, then the footprint's axes (null: the point has none).
void moved_uv(const KernelArgs& k) {
    for (int c = 0; c < 2; ++c) {
        const float* __restrict a = k.in[c];
        const float* __restrict first = k.in[2 + c];
        const float* __restrict second = k.in[4 + c];
        float* __restrict out = k.out[c];
        const float by = k.uniform[by_u + c];
        for (int i = 0; i < k.n; ++i) out[i] = a[i];
        if (const float x = k.uniform[by_first]; x != 0.f && first)
            for (int i = 0; i < k.n; ++i) out[i] += x * first[i];
        if (const float x = k.uniform[by_second]; x != 0.f && second)
            for (int i = 0; i < k.n; ++i) out[i] += x * second[i];
        if (by != 0.f)
            for (int i = 0; i < k.n; ++i) out[i] += by;
    }
}

/// In: position, its two axes, the same axes in the UVs: what moves the UVs by (u, v) moves the point along both.
void moved_position(const KernelArgs& k) {
    const bool axes = k.in[3] && k.in[6];
    const bool in_uv = axes && k.in[9] && k.in[11] && (k.uniform[by_u] != 0.f || k.uniform[by_v] != 0.f);
    for (int i = 0; i < k.n; ++i) {
        float first = k.uniform[by_first];
        float second = k.uniform[by_second];
        if (in_uv) {
            const float a = k.in[9][i];
            const float b = k.in[11][i];
            const float c = k.in[10][i];
            const float d = k.in[12][i];
            const float area = a * d - b * c;
            const float one = area != 0.f ? 1.f / area : 0.f;
            first += (d * k.uniform[by_u] - b * k.uniform[by_v]) * one;
            second += (a * k.uniform[by_v] - c * k.uniform[by_u]) * one;
        }
        for (int c = 0; c < 3; ++c)
            k.out[c][i] = k.in[c][i] + (axes ? first * k.in[3 + c][i] + second * k.in[6 + c][i] : 0.f);
    }
}

/// In: the two axes, or none. Each becomes as long as the width where it is shorter; two that lie along each other
/// stay what they are.
void widened(const KernelArgs& k) {
    const float least = k.uniform[0];
    for (int i = 0; i < k.n; ++i)
        for (int a = 0; a < 2; ++a) {
            const float x = k.in[2 * a] ? k.in[2 * a][i] : 0.f;
            const float y = k.in[2 * a + 1] ? k.in[2 * a + 1][i] : 0.f;
            const float length = __builtin_sqrtf(x * x + y * y);
            const float more = length > 1e-9f ? max_of(1.f, least / length) : 0.f;
            k.out[2 * a][i] = more > 0.f ? x * more : a ? 0.f : least;
            k.out[2 * a + 1][i] = more > 0.f ? y * more : a ? least : 0.f;
        }
}

void weighted_mean(const KernelArgs& k) {
    const int taps = int(k.uniform[0]);
    for (int c = 0; c < k.components; ++c) {
        float* __restrict out = k.out[c];
        for (int i = 0; i < k.n; ++i) out[i] = 0.f;
        for (int t = 0; t < taps; ++t) {
            const float* __restrict in = k.in[t * k.components + c];
            const float w = k.uniform[1 + t];
            for (int i = 0; i < k.n; ++i) out[i] += w * in[i];
        }
    }
}

/// The slopes over (u, v) of heights at a place and at the ends of two steps from it; false where the steps span no
/// area.
static inline bool slopes_of(const float* h, const float* u, const float* v, float* slope) {
    const float area = u[0] * v[1] - v[0] * u[1];
    const float size = (u[0] * u[0] + v[0] * v[0]) * (u[1] * u[1] + v[1] * v[1]);
    if (!(area * area > 1e-12f * size)) return false;
    slope[0] = (h[0] * v[1] - h[1] * v[0]) / area;
    slope[1] = (h[1] * u[0] - h[0] * u[1]) / area;
    return true;
}

/// Ports: in at the places of spread_places(), scale, texcoord likewise. The slopes of the height over the UVs, as the
/// standard's own implementation takes them from the screen: scaled as a Sobel filter over eight bits would, encoded to
/// 0..1. Heights that are too fine for the footprint tilt nothing over the whole of it: the slope at one place counts
/// then, so that the mean over many looks is what is seen from near by; but a step, which is hardly ever met, tilts by
/// its rise over the footprint, and what is met of it spreads the light: three more numbers, of x and y.
void heighttonormal(const KernelArgs& k) {
    constexpr float sobel = 1.f / 16.f;
    constexpr float nearest_places = 4e-6f;
    constexpr float even_look = .05f;      // of the mean: what differs less is taken as even
    constexpr float steepest_look = 1.5f;  // beyond the mean: steeper than that is a step
    constexpr int places = spread_places;
    const float* const* heights = k.in;
    const float* const* uvs = k.in + places + 1;
    for (int i = 0; i < k.n; ++i) {
        const float scale = k.in[places][i] * sobel;
        float h[places - 1];
        float u[places - 1];
        float v[places - 1];
        for (int a = 0; a < places - 1; ++a) {
            h[a] = (heights[1 + a][i] - heights[0][i]) * scale;
            u[a] = uvs[2 + 2 * a][i] - uvs[0][i];
            v[a] = uvs[3 + 2 * a][i] - uvs[1][i];
        }
        float mean[2];
        float fine[2];
        float xx = 0.f;
        float yy = 0.f;
        float xy = 0.f;
        if (k.components == 6 && slopes_of(h, u, v, mean) && slopes_of(h + 2, u + 2, v + 2, fine)) {
            // Places so near each other that rounding moves them say nothing.
            const float far = max_of(max_of(uvs[0][i], -uvs[0][i]), max_of(uvs[1][i], -uvs[1][i]));
            const float width = __builtin_sqrtf(u[2] * u[2] + v[2] * v[2] + u[3] * u[3] + v[3] * v[3]);
            const bool apart = width > nearest_places * (far + .1f);
            const float d[2] = {fine[0] - mean[0], fine[1] - mean[1]};
            const float length = __builtin_sqrtf(d[0] * d[0] + d[1] * d[1]);
            const float smooth = even_look * __builtin_sqrtf(mean[0] * mean[0] + mean[1] * mean[1]);
            const bool counts = apart && length >= smooth;
            if (counts && length < steepest_look) {
                for (int a = 0; a < 2; ++a) h[a] = fine[0] * u[a] + fine[1] * v[a];
            } else if (counts) {  // from slopes to the x and y of the unit direction: by the square of its z, about
                const float z2 = 1.f / (1.f + mean[0] * mean[0] + mean[1] * mean[1]);
                xx = d[0] * d[0] * z2;
                yy = d[1] * d[1] * z2;
                xy = d[0] * d[1] * z2;
            }
        }
        // The cross product of (u, v, h) along the one axis and along the other.
        float n[3] = {v[0] * h[1] - h[0] * v[1], h[0] * u[1] - u[0] * h[1], u[0] * v[1] - v[0] * u[1]};
        const float longest =
            max_of(max_of(u[0] * u[0] + v[0] * v[0], u[1] * u[1] + v[1] * v[1]), 1e-30f);  // footprints may be tiny
        float square = 0.f;
        for (int c = 0; c < 3; ++c) {
            n[c] /= longest;
            square += n[c] * n[c];
        }
        const bool there = square > 1e-14f;
        if (k.components == 6) k.out[3][i] = xx, k.out[4][i] = yy, k.out[5][i] = xy;
        const float unit = there ? (n[2] < 0.f ? -.5f : .5f) / __builtin_sqrtf(square) : 0.f;
        for (int c = 0; c < 3; ++c) k.out[c][i] = there ? n[c] * unit + .5f : c == 2 ? 1.f : .5f;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(moved_uv)
VEMTRA_DECLARE_KERNEL(moved_position)
VEMTRA_DECLARE_KERNEL(widened)
VEMTRA_DECLARE_KERNEL(weighted_mean)
VEMTRA_DECLARE_KERNEL(heighttonormal)

int direction_shape(const scene::Node& node, const NodeDescription& d) {
    const int own = components(d.output_type(node));
    return own == 3 ? direction_components : own;
}

static_assert(int(move_first) == int(VEMTRA_ISA::by_first) && int(move_v) == int(VEMTRA_ISA::by_v));

KernelPair moved_uv_kernel() {
    return VEMTRA_PAIR(moved_uv);
}
KernelPair moved_position_kernel() {
    return VEMTRA_PAIR(moved_position);
}
KernelPair widened_kernel() {
    return VEMTRA_PAIR(widened);
}
KernelPair weighted_mean_kernel() {
    return VEMTRA_PAIR(weighted_mean);
}

/// Squares of equal size, `across` of them each way, over the kernel's width; a bell's outer ones weigh less.
static std::vector<Tap> taps_of_blur(const scene::Node& node) {
    const NodeDescription& d = *describe(node.kind);
    const float size = number_of(node, *d.port("size"));
    if (!(size > 0.f)) return {{.weight = 1.f}};
    const bool bell = word_of(node, *d.port("filtertype")) == "gaussian";
    const int across = bell ? 5 : 3;
    const float step = size / float(across);
    std::vector<Tap> taps;
    float sum = 0.f;
    for (int y = 0; y < across; ++y)
        for (int x = 0; x < across; ++x) {
            const float u = (float(x) - .5f * float(across - 1)) * step;
            const float v = (float(y) - .5f * float(across - 1)) * step;
            const float deviation = size / 5.f;  // two and a half of them reach the edge
            const float w = bell ? std::exp(-.5f * (u * u + v * v) / (deviation * deviation)) : 1.f;
            taps.push_back({u, v, step, w});
            sum += w;
        }
    for (Tap& t : taps) t.weight /= sum;
    return taps;
}

/// Rings of equal width about the point along the surface, the outer ones of more places; by the node's detail.
static std::vector<Tap> taps_of_soften(const scene::Node& node) {
    const NodeDescription& d = *describe(node.kind);
    const float radius = number_of(node, *d.port("radius"));
    const int most = std::clamp(int(number_of(node, *d.port("detail"))), 0, 2) + 1;
    std::vector<Tap> taps{{.weight = 1.f}};
    if (!(radius > 0.f)) return taps;
    float sum = 1.f;
    for (int ring = 1; ring <= most; ++ring) {
        const float far = radius * float(ring) / (float(most) + .5f);
        const int count = most == 1 ? 8 : 6 * ring;
        const float weight = 8.f * float(ring) / float(count);
        for (int k = 0; k < count; ++k) {
            const float angle = 6.28318531f * (float(k) + .5f * float(ring % 2)) / float(count);
            taps.push_back({.weight = weight, .along = far * std::cos(angle), .across = far * std::sin(angle)});
            sum += weight;
        }
    }
    for (Tap& t : taps) t.weight /= sum;
    return taps;
}

static void describe_surface_mean(std::vector<NodeDescription>& list) {
    list.push_back(
        {.kind = "surfacemean",
         .title = "Soften on the surface",
         .family = "adjust",
         .help = "The mean of what comes in over a disc on the surface, over edges and seams; needs no UVs. Costs as "
                 "much as the places that it looks at.",
         .types = value_types(),
         .ports =
             {{.name = "in", .help = "What is softened.", .same_as_output = true, .value = 0.f, .role = Role::subject},
              {.name = "radius",
               .help = "Of the disc.",
               .value = .005f,
               .low = 0.f,
               .high = .05f,
               .unit = "m",
               .uniform = true},
              {.name = "detail",
               .help = "At how many places around the point it looks: 9, 19 or 37.",
               .value = 1.f,
               .low = 0.f,
               .high = 2.f,
               .hard = true,
               .uniform = true,
               .whole = true,
               .choices = {"coarse", "medium", "fine"},
               .folded = true}},
         .kernel = VEMTRA_PAIR(weighted_mean),
         .taps = taps_of_soften});
}

/// Slopes, and the directions that they make.
static std::vector<scene::Node> bump_at_length(const scene::Node& node, const TypeOf&) {
    scene::Node slopes;
    slopes.id = node.id + ".slopes";
    slopes.name = node.name + " slopes";
    slopes.kind = "heighttonormal";
    scene::Node directions = node;
    directions.kind = "normalmap";
    directions.inputs.clear();
    for (const auto& [name, input] : node.inputs) {
        if (name == "height") slopes.inputs["in"] = input;
        if (name == "scale") slopes.inputs["scale"] = input;
    }
    directions.inputs["in"].from = slopes.id;
    return {slopes, directions};
}

void describe_around(std::vector<NodeDescription>& list) {
    const Port scale{.name = "scale", .help = "How strong the slopes are.", .value = 1.f, .high = 4.f};
    list.push_back({.kind = "heighttonormal",
                    .title = "Height to normal",
                    .family = "map",
                    .help = "The slopes of any network's heights, as the colours of a normal map: wire it into one.",
                    .standard = "MaterialX 1.39 heighttonormal",
                    .types = {Type::vector3},
                    .ports = {{.name = "in",
                               .help = "The heights; 1 is as high as the map's width is wide, over 16.",
                               .value = 0.f,
                               .role = Role::subject,
                               .spread = true},
                              scale,
                              {.name = "texcoord",
                               .help = "What the slopes are taken over.",
                               .type = Type::vector2,
                               .value = V2f(0.f),
                               .reads = Reads::uv,
                               .folded = true,
                               .spread = true}},
                    .kernel = VEMTRA_PAIR(heighttonormal),
                    .ask = ask_footprint,
                    .varies = true,
                    .shape = direction_shape});
    list.push_back({.kind = "bump",
                    .title = "Bump",
                    .family = "map",
                    .help = "Any network's heights as a relief: wire it to the surface's normal.",
                    .standard = "MaterialX 1.39 bump",
                    .types = {Type::vector3},
                    .ports = {{.name = "height",
                               .help = "The heights; 1 is as high as the map's width is wide, over 16.",
                               .value = 0.f,
                               .role = Role::subject},
                              scale},
                    .varies = true,
                    .stands_for = bump_at_length});
    list.push_back(
        {.kind = "blur",
         .title = "Blur",
         .family = "adjust",
         .help = "The mean of what comes in over a square of the UVs. Costs as much as 9 or 25 of what it "
                 "reads; maps that a frame places stay sharp.",
         .standard = "MaterialX 1.39 blur",
         .types = value_types(),
         .ports =
             {{.name = "in", .help = "What is softened.", .same_as_output = true, .value = 0.f, .role = Role::subject},
              {.name = "size",
               .help = "Width of the square, in widths of the map.",
               .value = 0.f,
               .high = .1f,
               .uniform = true},
              {.name = "filtertype",
               .help = "All of it alike, or by a bell that ends there.",
               .value = std::string("box"),
               .uniform = true,
               .text = true,
               .choices = {"box", "gaussian"}}},
         .kernel = VEMTRA_PAIR(weighted_mean),
         .taps = taps_of_blur});
    describe_surface_mean(list);
}
#endif
}  // namespace vemtra::nodes
