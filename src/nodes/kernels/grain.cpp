// grain: the directions across those in which a surface was brushed, turned or ground, along which its facets lean;
// grainrelief: the fine relief that the tool left (ours). The pattern lies in a plane with axes e1, e2: the UVs, a
// plane across one axis of the asset, or a plane across a pin's axis.
//   linear  along e1        radial  away from the centre        turned  around it        discs  overlapping turned
// spots        grid  e1 and e2 in turn
//   t       distance across the streaks, in streak widths       s       distance along them
//   relief  h(t, s) is value noise of two octaves, long along s; its slope across the streaks tilts the normal. What is
// finer than the footprint tilts nothing, and its variance spreads the light across the streaks
#include "nodes/kernel.h"
#include "nodes/kernels/hash.h"
#include "nodes/kernels/spread.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

struct GrainPoint {
    float e1[3], e2[3], n[3];
    float x, y;     // in the plane
    float dx, dy;   // direction in the plane, unit
    float t, s;     // across and along, in streak widths
    float wide;     // how much t changes over the footprint
    uint32_t spot;  // which disc or field
};

static inline float dot3(const float* a, const float* b) {
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}
static inline void unit3(float* a) {
    const float l = __builtin_sqrtf(dot3(a, a));
    const float k = l > 1e-12f ? 1.f / l : 0.f;
    for (int c = 0; c < 3; ++c) a[c] *= k;
}
static inline void cross3(const float* a, const float* b, float* out) {
    out[0] = a[1] * b[2] - a[2] * b[1];
    out[1] = a[2] * b[0] - a[0] * b[2];
    out[2] = a[0] * b[1] - a[1] * b[0];
}
static inline float unit_hash(int x, int y) {
    return float(hash2(x, y) >> 8) * 0x1p-24f;
}

enum GrainUniform : int {
    grain_pattern = 0,
    grain_placed = 1,
    grain_centre = 2,
    grain_axis = 5,
    grain_angle = 8,
    grain_size = 9,
    grain_streak = 10,
    grain_variation = 11,
    grain_strength = 12
};

static void grain_point(const KernelArgs& k, int i, GrainPoint& g) {
    const float* u = k.uniform;
    const PointBatch& p = *k.points;
    const int pattern = int(u[grain_pattern]);
    const int placed = int(u[grain_placed]);
    for (int c = 0; c < 3; ++c) g.n[c] = p.rows[row_normal + c][i];
    if (placed == 0) {
        for (int c = 0; c < 3; ++c) g.e1[c] = p.rows[row_tangent + c] ? p.rows[row_tangent + c][i] : 0.f;
        cross3(g.n, g.e1, g.e2);
        g.x = p.rows[row_uv + 0][i] - u[grain_centre];
        g.y = p.rows[row_uv + 1][i] - u[grain_centre + 1];
    } else {
        float axis[3] = {placed == 1 ? 1.f : 0.f, placed == 2 ? 1.f : 0.f, placed == 3 ? 1.f : 0.f};
        if (placed == 4)
            for (int c = 0; c < 3; ++c) axis[c] = u[grain_axis + c];
        unit3(axis);
        const float ax = axis[0] < 0.f ? -axis[0] : axis[0];
        const float helper[3] = {ax < .9f ? 1.f : 0.f, ax < .9f ? 0.f : 1.f, 0.f};
        cross3(axis, helper, g.e2);
        unit3(g.e2);
        cross3(g.e2, axis, g.e1);
        float d[3];
        for (int c = 0; c < 3; ++c) d[c] = p.rows[row_position + c][i] - u[grain_centre + c];
        g.x = dot3(d, g.e1);
        g.y = dot3(d, g.e2);
    }
    const float turn = u[grain_angle] * 0.017453293f;
    const float cs = __builtin_cosf(turn);
    const float sn = __builtin_sinf(turn);
    const float size = max_of(1e-6f, u[grain_size]);
    const float streak = max_of(1e-7f, u[grain_streak]);
    const float x = cs * g.x + sn * g.y;
    const float y = -sn * g.x + cs * g.y;
    float dx = 1.f;
    float dy = 0.f;
    float across = y;
    float along = x;
    float turned = 1.f;  // how much faster `across` grows than the plane's own distance
    g.spot = 0;
    auto around = [&](float px, float py) {
        const float r = __builtin_sqrtf(px * px + py * py);
        const float q = r > 1e-12f ? 1.f / r : 0.f;
        dx = -py * q;
        dy = px * q;
        across = r;
        along = r * __builtin_atan2f(py, px);
    };
    if (pattern == 1) {
        const float r = __builtin_sqrtf(x * x + y * y);
        const float q = r > 1e-12f ? 1.f / r : 0.f;
        dx = x * q;
        dy = y * q;
        across = size * __builtin_atan2f(y, x);
        along = r;
        turned = size * q;
    } else if (pattern == 2) {
        around(x, y);
    } else if (pattern == 3) {
        // Spots lie over each other in a random order: the one on top counts.
        const float cx = x / size;
        const float cy = y / size;
        const int ix = cell_of(cx);
        const int iy = cell_of(cy);
        float best = -1.f;
        float bx = 0.f;
        float by = 0.f;
        for (int b = -1; b <= 1; ++b)
            for (int a = -1; a <= 1; ++a) {
                const float jx = .5f + u[grain_variation] * .5f * (unit_hash(ix + a, 2 * (iy + b)) - .5f);
                const float jy = .5f + u[grain_variation] * .5f * (unit_hash(ix + a, 2 * (iy + b) + 1) - .5f);
                const float qx = cx - float(ix + a) - jx;
                const float qy = cy - float(iy + b) - jy;
                const float order = unit_hash(iy + b, 3 * (ix + a) + 7);
                if (qx * qx + qy * qy < .72f && order > best)
                    best = order, bx = qx, by = qy, g.spot = hash2(ix + a, iy + b);
            }
        around(bx * size, by * size);
    } else if (pattern == 4) {
        const int ix = cell_of(x / size);
        const int iy = cell_of(y / size);
        if ((ix + iy) & 1) dx = 0.f, dy = 1.f, across = x, along = y;
        g.spot = hash2(ix, iy);
    }
    // Back into the plane's own axes, each streak a little askew.
    g.t = across / streak;
    g.s = along / streak;
    const float askew = u[grain_variation] * .25f * (unit_hash(cell_of(g.t), int(g.spot & 1023u)) - .5f);
    const float ex = dx - askew * dy;
    const float ey = dy + askew * dx;
    g.dx = cs * ex - sn * ey;
    g.dy = sn * ex + cs * ey;
    g.wide = 0.f;
    for (int a = 0; a < 2 && p.rows[row_position_axes]; ++a) {
        float step[3];
        for (int c = 0; c < 3; ++c) step[c] = p.rows[row_position_axes + 3 * a + c][i];
        const float px = placed == 0 ? p.rows[row_uv_axes + 2 * a][i] : dot3(step, g.e1);
        const float py = placed == 0 ? p.rows[row_uv_axes + 2 * a + 1][i] : dot3(step, g.e2);
        const float over = (px * g.dy - py * g.dx) * turned / streak;
        g.wide += over * over;
    }
    g.wide = __builtin_sqrtf(g.wide);
}

static void direction_of(const GrainPoint& g, float* d) {
    for (int c = 0; c < 3; ++c) d[c] = g.e1[c] * g.dx + g.e2[c] * g.dy;
    const float along_normal = dot3(d, g.n);
    for (int c = 0; c < 3; ++c) d[c] -= along_normal * g.n[c];
    unit3(d);
}

void grain(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        GrainPoint g;
        grain_point(k, i, g);
        float d[3];
        float across[3];
        direction_of(g, d);
        cross3(g.n, d, across);
        for (int c = 0; c < 3; ++c) k.out[c][i] = across[c];
    }
}

// Value noise over (t, s / 60) and its slope in t, as a footprint of such a width in t sees it; `spread`: the variance
// of the slopes that it does not see.
static void streak_noise(float t, float s, float wide, uint32_t spot, float& value, float& slope, float& spread) {
    constexpr float unit_variance = 2.f / 12.f * (26.f / 35.f) * 1.2f;  // of the slopes of one octave of height 1
    value = slope = spread = 0.f;
    float amplitude = 1.f;
    float steep = 1.f;  // slope of the octave, against that of its height over its width
    for (int octave = 0; octave < 2; ++octave) {
        const int it = cell_of(t);
        const int is = cell_of(s);
        const float ft = t - float(it);
        const float fs = s - float(is);
        const float wt = ft * ft * (3.f - 2.f * ft);
        const float ws = fs * fs * (3.f - 2.f * fs);
        const float dwt = 6.f * ft * (1.f - ft);
        const int salt = int(spot & 4095u) * 131 + octave * 7919;
        auto at = [&](int a, int b) { return unit_hash(it + a, int(uint32_t(is + b) * 8191u + uint32_t(salt))); };
        const float v0 = at(0, 0) * (1.f - ws) + at(0, 1) * ws;
        const float v1 = at(1, 0) * (1.f - ws) + at(1, 1) * ws;
        value += amplitude * (v0 + (v1 - v0) * wt);
        const float seen = clamp(1.5f - wide * steep, 0.f, 1.f);
        slope += seen * amplitude * (v1 - v0) * dwt * steep;
        spread += (1.f - seen * seen) * amplitude * amplitude * steep * steep * unit_variance;
        amplitude *= .5f;
        steep *= 2.7f;
        t *= 2.7f;
        s *= 1.3f;
    }
    value *= 1.f / 1.5f;
    slope *= 1.f / 1.5f;
    spread *= 1.f / (1.5f * 1.5f);
}

/// One number: the height of the streaks, 0 to 1. More: the tilted normal; the last uniform is its strength.
void grainrelief(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        GrainPoint g;
        grain_point(k, i, g);
        float value;
        float slope;
        float spread;
        streak_noise(g.t, g.s * (1.f / 60.f), g.wide, g.spot, value, slope, spread);
        if (k.components == 1) {
            k.out[0][i] = value;
            continue;
        }
        float d[3];
        float across[3];
        direction_of(g, d);
        cross3(g.n, d, across);
        float n[3];
        const float strength = k.uniform[grain_strength];
        for (int c = 0; c < 3; ++c) n[c] = g.n[c] - across[c] * slope * strength;
        unit3(n);
        put_direction(n, across, d, spread * strength * strength, 0.f, 0.f, k.out, k.components, i);
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(grain)
VEMTRA_DECLARE_KERNEL(grainrelief)

static int ask_grain_relief(const Asking& a, Resources& resources) {
    resources.footprint |= a.components != 1;
    return ask_tangents(a, resources);
}

void describe_grain(std::vector<NodeDescription>& list) {
    std::vector<Port> ports{
        {.name = "pattern",
         .help = "How the tool moved.",
         .value = 0.f,
         .high = 4.f,
         .uniform = true,
         .whole = true,
         .choices = {"linear", "radial", "turned", "discs", "grid"}},
        {.name = "placed",
         .help = "What the pattern lies in: the UVs, a plane across one axis of the asset, or across a pin's axis.",
         .value = 2.f,
         .high = 4.f,
         .uniform = true,
         .whole = true,
         .choices = {"UV", "across x", "across y", "across z", "pin"},
         .role = Role::placed},
        {.name = "centre",
         .help = "Middle of the pattern, or the pin's place, in the asset's own space.",
         .type = Type::vector3,
         .value = V3f(0.f),
         .low = -1.f,
         .high = 1.f,
         .unit = "m",
         .uniform = true,
         .role = Role::frame_centre},
        {.name = "axis",
         .help = "The pin's direction.",
         .type = Type::vector3,
         .value = V3f(0, 1, 0),
         .low = -1.f,
         .high = 1.f,
         .uniform = true,
         .role = Role::frame_axis},
        {.name = "angle",
         .help = "Turns the whole pattern.",
         .value = 0.f,
         .low = -180.f,
         .high = 180.f,
         .unit = "deg",
         .uniform = true},
        {.name = "size",
         .help = "Distance of the discs, or width of a field of the grid.",
         .value = .01f,
         .low = .0005f,
         .high = .2f,
         .unit = "m",
         .uniform = true},
        {.name = "streak",
         .help = "Width of one streak.",
         .value = .0003f,
         .low = .00002f,
         .high = .01f,
         .unit = "m",
         .uniform = true},
        {.name = "variation",
         .help = "How much streaks and spots differ from each other.",
         .value = .3f,
         .uniform = true}};
    using namespace VEMTRA_ISA;
    std::vector<UniformAt> uniforms{{"pattern", grain_pattern}, {"placed", grain_placed},      {"centre", grain_centre},
                                    {"axis", grain_axis},       {"angle", grain_angle},        {"size", grain_size},
                                    {"streak", grain_streak},   {"variation", grain_variation}};
    list.push_back(
        {.kind = "grain",
         .title = "Grain",
         .family = "form",
         .help =
             "Directions across the brushing, along which its facets lean: wire it to a surface's tangent and raise "
             "the anisotropy.",
         .types = {Type::vector3},
         .ports = ports,
         .kernel = VEMTRA_PAIR(grain),
         .ask = ask_tangents,
         .varies = true,
         .uniforms = uniforms});
    ports.push_back({.name = "strength",
                     .help = "How much the streaks tilt the surface.",
                     .value = .05f,
                     .high = .5f,
                     .uniform = true});
    uniforms.push_back({"strength", grain_strength});
    list.push_back(
        {.kind = "grainrelief",
         .title = "Grain relief",
         .family = "form",
         .help = "The streaks that go with a grain of the same settings: as a normal, or as their height from 0 to 1.",
         .types = {Type::vector3, Type::number},
         .ports = ports,
         .kernel = VEMTRA_PAIR(grainrelief),
         .ask = ask_grain_relief,
         .varies = true,
         .shape = direction_shape,
         .uniforms = uniforms});
}
#endif
}  // namespace vemtra::nodes
