// image: a texture map read at a place (MaterialX 1.39). heightrelief: the slope of a height map as a normal. The
// lookups themselves are the texture floor's.
#include "nodes/kernel.h"
#include "nodes/kernels/place.h"
#include "nodes/kernels/spread.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: texcoord, a place; file and the other uniform words chose `resource`.
void image(const KernelArgs& k) {
    k.points->textures->sample(k.resource, k.n, k.in, k.out, k.components);
}

/// What three reads of a box projection make together: three results, then three weights.
void box_blend(const KernelArgs& k) {
    const int n = k.components;
    for (int c = 0; c < n; ++c)
        for (int i = 0; i < k.n; ++i)
            k.out[c][i] = k.in[c][i] * k.in[3 * n][i] + k.in[n + c][i] * k.in[3 * n + 1][i] +
                          k.in[2 * n + c][i] * k.in[3 * n + 2][i];
}

static uint32_t mix_bits(float a, float b) {
    uint32_t h = __builtin_bit_cast(uint32_t, a) * 0x9e3779b1u ^ __builtin_bit_cast(uint32_t, b) * 0x85ebca6bu;
    h ^= h >> 15;
    h *= 0x2c1b3c6du;
    return h ^ (h >> 12);
}
static float unit_part(uint32_t x) {
    x *= 0x9e3779b1u;
    x ^= x >> 16;
    x *= 0x7feb352du;
    x ^= x >> 15;
    return float(x >> 8) * 0x1p-24f;
}

enum ReliefUniform : int { relief_height, relief_soften };

/// The footprint's axes, at least so wide.
static void widen_axes(const KernelArgs& k, const float* const* axes, float least, float (*wide)[max_batch]) {
    for (int i = 0; i < k.n; ++i)
        for (int a = 0; a < 2; ++a) {
            const float x = axes[2 * a] ? axes[2 * a][i] : 0.f;
            const float y = axes[2 * a + 1] ? axes[2 * a + 1][i] : 0.f;
            const float length = __builtin_sqrtf(x * x + y * y);
            const float more = length > 1e-9f ? max_of(1.f, least / length) : 0.f;
            wide[2 * a][i] = more > 0.f ? x * more : a ? 0.f : least;
            wide[2 * a + 1][i] = more > 0.f ? y * more : a ? least : 0.f;
        }
}
constexpr float fine_step = 1.f / 4096.f;
/// The map's own slopes at one place of each footprint, chosen by the point and the number of the look.
static void read_slopes(const KernelArgs& k, const float* const* read_axes, int look, float (*slopes)[max_batch]) {
    float u[max_batch];
    float v[max_batch];
    float at[3][max_batch];
    const float* fine[6] = {u, v, nullptr, nullptr, nullptr, nullptr};
    for (int d = 0; d < 3; ++d) {
        for (int i = 0; i < k.n; ++i) {
            const uint32_t seed = mix_bits(k.in[0][i], k.in[1][i]);
            const float a = unit_part(seed + uint32_t(2 * look)) - .5f;
            const float b = unit_part(seed + uint32_t(2 * look + 1)) - .5f;
            u[i] = k.in[0][i] + (read_axes[0] ? a * read_axes[0][i] + b * read_axes[2][i] : 0.f) +
                   (d == 1 ? fine_step : 0.f);
            v[i] = k.in[1][i] + (read_axes[0] ? a * read_axes[1][i] + b * read_axes[3][i] : 0.f) +
                   (d == 2 ? fine_step : 0.f);
        }
        float* out = at[d];
        k.points->textures->sample(k.resource, k.n, fine, &out, 1);
    }
    for (int i = 0; i < k.n; ++i) {
        slopes[0][i] = (at[1][i] - at[0][i]) / fine_step;
        slopes[1][i] = (at[2][i] - at[0][i]) / fine_step;
    }
}

/// The direction `to` at point i, of which the slopes over (u, v) have that covariance.
static void put_over_gradients(const KernelArgs& k, int i, const float* n, const float* to, const float* gu,
                               const float* gv, float uu, float vv, float uv) {
    // On the surface, along the gradient of u and across it.
    float along = 0.f;
    for (int c = 0; c < 3; ++c) along += gu[c] * gu[c];
    along = __builtin_sqrtf(along);
    float e[3] = {1.f, 0.f, 0.f};
    for (int c = 0; c < 3 && along > 0.f; ++c) e[c] = gu[c] / along;
    const float f[3] = {n[1] * e[2] - n[2] * e[1], n[2] * e[0] - n[0] * e[2], n[0] * e[1] - n[1] * e[0]};
    const float vx = gv[0] * e[0] + gv[1] * e[1] + gv[2] * e[2];
    const float vy = gv[0] * f[0] + gv[1] * f[1] + gv[2] * f[2];
    const float xx = uu * along * along + 2.f * uv * along * vx + vv * vx * vx;
    const float yy = vv * vy * vy;
    const float xy = uv * along * vy + vv * vx * vy;
    put_direction(to, e, f, xx, yy, xy, k.out, k.components, i);
}

/// The normal of the surface displaced by height * h(u, v): n - height * (dh/du U* + dh/dv V*), with U*, V* the
/// gradients of u and v on the surface. Differences are taken over half of the footprint; what is too fine for the
/// picture tilts nothing, but spreads the light: by the covariance of slopes that prepared maps keep, or, where there
/// is none, by the slopes of the map itself at two places of the footprint. Uniform: height, soften: the least width of
/// what is read at once, in widths of the map.
void heightrelief(const KernelArgs& k) {
    float u[max_batch];
    float v[max_batch];
    float step[max_batch];
    float here[max_batch];
    float right[max_batch];
    float above[max_batch];
    float wide[4][max_batch];
    const float* axes[4] = {k.in[2], k.in[3], k.in[4], k.in[5]};
    const float least = k.uniform[relief_soften];
    if (least > 0.f) widen_axes(k, axes, least, wide);
    const float* read_axes[4];
    for (int a = 0; a < 4; ++a) read_axes[a] = least > 0.f ? wide[a] : axes[a];
    for (int i = 0; i < k.n; ++i) {
        float longest = 0.f;
        for (int a = 0; a < 4; ++a)
            if (read_axes[a]) {
                const float x = read_axes[a][i] < 0.f ? -read_axes[a][i] : read_axes[a][i];
                longest = max_of(longest, x);
            }
        step[i] = clamp((least > 0.f ? 1.f : .5f) * longest, 1.f / 8192.f, .25f);
    }
    const float* place[6] = {u, v, read_axes[0], read_axes[1], read_axes[2], read_axes[3]};
    auto read = [&](float right_by, float up_by, float* out) {
        for (int i = 0; i < k.n; ++i) {
            u[i] = k.in[0][i] + right_by * step[i];
            v[i] = k.in[1][i] + up_by * step[i];
        }
        k.points->textures->sample(k.resource, k.n, place, &out, 1);
    };
    read(-.5f, -.5f, here);
    read(.5f, -.5f, right);
    read(-.5f, .5f, above);
    // The slopes themselves, where the footprint may hold several.
    constexpr int looks = 2;
    float slopes[looks][2][max_batch];
    const int spread = k.points->textures->spread_of(k.resource);
    float kept[4][max_batch];
    if (spread >= 0) {
        const float* around[6] = {k.in[0], k.in[1], read_axes[0], read_axes[1], read_axes[2], read_axes[3]};
        float* to[4] = {kept[0], kept[1], kept[2], kept[3]};
        k.points->textures->sample(spread, k.n, around, to, 4);
    }
    bool any_wide = false;
    for (int i = 0; spread < 0 && i < k.n; ++i) any_wide |= step[i] > .5f * fine_step;
    for (int l = 0; any_wide && l < looks; ++l) read_slopes(k, read_axes, l, slopes[l]);
    const float height = k.uniform[relief_height];
    for (int i = 0; i < k.n; ++i) {
        float gu[3];
        float gv[3];
        float n[3];
        for (int c = 0; c < 3; ++c) n[c] = k.points->rows[row_normal + c][i];
        place_gradients(*k.points, axes, i, gu, gv);
        const float su = height * (right[i] - here[i]) / step[i];
        const float sv = height * (above[i] - here[i]) / step[i];
        float uu = 0.f;  // covariance of slopes over the map
        float vv = 0.f;
        float uv = 0.f;
        if (spread >= 0) {
            const float square = height * height;
            uu = covariance(kept[0][i] * square, kept[3][i], su, su);
            vv = covariance(kept[1][i] * square, kept[3][i], sv, sv);
            uv = covariance(kept[2][i] * square, kept[3][i], su, sv);
        } else if (any_wide && step[i] > .5f * fine_step) {
            for (int l = 0; l < looks; ++l) {
                const float du = height * slopes[l][0][i] - su;
                const float dv = height * slopes[l][1][i] - sv;
                uu += du * du / float(looks);
                vv += dv * dv / float(looks);
                uv += du * dv / float(looks);
            }
        }
        float length2 = 0.f;
        float facing = 0.f;
        float out[3];
        for (int c = 0; c < 3; ++c) {
            out[c] = n[c] - su * gu[c] - sv * gv[c];
            length2 += out[c] * out[c];
            facing += out[c] * n[c];
        }
        if (!(length2 > 1e-12f && facing > 0.f)) {
            put_direction(n, k.out, k.components, i);
            continue;
        }
        const float scale = 1.f / __builtin_sqrtf(length2);
        for (int c = 0; c < 3; ++c) out[c] *= scale;
        put_over_gradients(k, i, n, out, gu, gv, uu, vv, uv);
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(image)
VEMTRA_DECLARE_KERNEL(box_blend)
VEMTRA_DECLARE_KERNEL(heightrelief)

KernelPair box_blend_kernel() {
    return VEMTRA_PAIR(box_blend);
}

static int ask_file(const Asking& a, int components, Resources& resources) {
    ImageRequest r{a.word("file"),         a.word("colorspace"), a.word("channel"), a.word("uaddressmode"),
                   a.word("vaddressmode"), a.word("filter"),     components};
    if (a.placed_by)
        if (const NodeDescription* placing = describe(a.placed_by->kind); placing && placing->use == Use::placement)
            r.seamless = word_of(*a.placed_by, *placing->port("tiling")) == "seamless";
    if (r.components != 3 && r.colorspace == "auto") r.colorspace = "raw";  // one number is data unless said otherwise
    resources.footprint = true;
    return resources.image(r);
}
static int ask_image(const Asking& a, Resources& resources) {
    return ask_file(a, a.components, resources);
}
/// The same map, for how it varies.
static int ask_spread(int map, Spread spread, Resources& resources) {
    ImageRequest r = resources.images[size_t(map)];
    r.spread = spread;
    return resources.image(r);
}
static int ask_image_spread(const Asking& a, Resources& resources) {
    return a.components == 3 ? ask_spread(ask_file(a, 3, resources), Spread::directions, resources) : -1;
}
static int ask_heights(const Asking& a, Resources& resources) {
    const int map = ask_file(a, 1, resources);
    ask_spread(map, Spread::heights, resources);
    return map;
}

// NOLINTNEXTLINE(readability-function-size): a table
void describe_image(std::vector<NodeDescription>& list) {
    const Port place{.name = "texcoord",
                     .help = "Where the map is read: the UVs, or what a placement gives.",
                     .type = Type::place,
                     .value = V2f(0.f),
                     .reads = Reads::uv,
                     .role = Role::where};
    std::vector<Port> ports{
        {.name = "file",
         .help = "Path of the map, relative to the project; <UDIM> stands for the tile's number.",
         .value = std::string(),
         .uniform = true,
         .text = true,
         .role = Role::file},
        {.name = "colorspace",
         .help = "How the file's numbers are meant; automatic goes by what the file says, decodes 8-bit colour as sRGB "
                 "and leaves single numbers raw.",
         .value = std::string("auto"),
         .uniform = true,
         .text = true,
         .choices = {"auto", "srgb_texture", "lin_rec709", "acescg", "aces2065_1", "lin_rec2020", "g22_rec709", "raw"},
         .role = Role::colour_space},
        {.name = "channel",
         .help = "Which channel a single number is read from.",
         .value = std::string("r"),
         .uniform = true,
         .text = true,
         .choices = {"r", "g", "b", "a", "luminance"},
         .role = Role::channel},
        {.name = "uaddressmode",
         .help = "What stands beside the image; tiles of a set end at their border.",
         .value = std::string("periodic"),
         .uniform = true,
         .text = true,
         .choices = {"periodic", "clamp", "mirror", "constant"},
         .folded = true},
        {.name = "vaddressmode",
         .help = "What stands above and below the image.",
         .value = std::string("periodic"),
         .uniform = true,
         .text = true,
         .choices = {"periodic", "clamp", "mirror", "constant"},
         .folded = true},
        {.name = "filter",
         .help = "Over what a ray sees of the map: its footprint as it lies (smooth), the square around it (box), or "
                 "nothing (off).",
         .value = std::string("smooth"),
         .uniform = true,
         .text = true,
         .choices = {"smooth", "box", "off"},
         .folded = true}};
    std::vector<Port> image_ports = ports;
    image_ports.push_back(place);
    list.push_back({.kind = "image",
                    .title = "Image",
                    .family = "map",
                    .help = "A texture map; <UDIM> in its name reads one file per tile.",
                    .standard = "MaterialX 1.39 image",
                    .types = {Type::color, Type::number, Type::vector2, Type::vector3},
                    .ports = image_ports,
                    .kernel = VEMTRA_PAIR(image),
                    .ask = ask_image,
                    .ask_spread = ask_image_spread,
                    .varies = true,
                    .use = Use::map,
                    .per_side = true});
    ports.push_back({.name = "height",
                     .help = "How far white stands above black; below zero the map is turned inside out.",
                     .value = .002f,
                     .low = -.02f,
                     .high = .02f,
                     .unit = "m",
                     .uniform = true});
    ports.push_back(
        {.name = "soften",
         .help =
             "The least width over which heights are averaged, in widths of the map: hides the steps of 8-bit heights.",
         .value = 0.f,
         .high = .02f,
         .uniform = true,
         .folded = true,
         .role = Role::softening});
    ports.push_back(place);
    list.push_back({.kind = "heightrelief",
                    .title = "Height relief",
                    .family = "map",
                    .help = "The relief of a height map: wire it to the surface's normal.",
                    .types = {Type::vector3},
                    .ports = ports,
                    .kernel = VEMTRA_PAIR(heightrelief),
                    .ask = ask_heights,
                    .varies = true,
                    .use = Use::relief,
                    .per_side = true,
                    .shape = direction_shape,
                    .uniforms = {{"height", VEMTRA_ISA::relief_height}, {"soften", VEMTRA_ISA::relief_soften}}});
}
#endif
}  // namespace vemtra::nodes
