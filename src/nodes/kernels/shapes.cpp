// Plane patterns of MaterialX 1.39 over (u, v): ramplr, ramptb, ramp4, splitlr, splittb, checkerboard, circle, line,
// cloverleaf, hexagon, grid, crosshatch, tiledcircles, tiledcloverleafs, tiledhexagons. "Top" lies at v = 0, as the
// standard library has it. The hexagon's distance is that of Quilez ("2D distance functions"); flat sides lie above and
// below.
#include "nodes/kernels/hash.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: two ends (as output), texcoord.
static void ramp_along(const KernelArgs& k, int axis) {
    const int n = k.components;
    const float* __restrict at = k.in[2 * n + axis];
    for (int c = 0; c < n; ++c) {
        const float* __restrict a = k.in[c];
        const float* __restrict b = k.in[n + c];
        float* __restrict out = k.out[c];
        for (int i = 0; i < k.n; ++i) {
            const float t = clamp(at[i], 0.f, 1.f);
            out[i] = a[i] * (1.f - t) + b[i] * t;
        }
    }
}
void ramplr(const KernelArgs& k) {
    ramp_along(k, 0);
}
void ramptb(const KernelArgs& k) {
    ramp_along(k, 1);
}
/// Ports: top left, top right, bottom left, bottom right (as output), texcoord.
void ramp4(const KernelArgs& k) {
    const int n = k.components;
    for (int c = 0; c < n; ++c)
        for (int i = 0; i < k.n; ++i) {
            const float s = clamp(k.in[4 * n][i], 0.f, 1.f);
            const float t = clamp(k.in[4 * n + 1][i], 0.f, 1.f);
            const float top = k.in[c][i] * (1.f - s) + k.in[n + c][i] * s;
            const float bottom = k.in[2 * n + c][i] * (1.f - s) + k.in[3 * n + c][i] * s;
            k.out[c][i] = top * (1.f - t) + bottom * t;
        }
}

/// Ports: two sides (as output), the middle, texcoord as a place. The step is as soft as the footprint is wide.
static void split_along(const KernelArgs& k, int axis) {
    const int n = k.components;
    const float* const* place = k.in + 2 * n + 1;
    const float* const* axes = place + 2;
    for (int i = 0; i < k.n; ++i) {
        const float x = place[axis][i];
        const float center = k.in[2 * n][i];
        const float across = axes[axis] ? axes[axis][i] : 0.f;
        const float down = axes[2 + axis] ? axes[2 + axis][i] : 0.f;
        const float half = __builtin_sqrtf(across * across + down * down) * .70710678f;
        const float s = clamp((x - center + half) / max_of(2.f * half, 1e-12f), 0.f, 1.f);
        const float t = half > 0.f ? s * s * (3.f - 2.f * s) : x >= center ? 1.f : 0.f;
        for (int c = 0; c < n; ++c) k.out[c][i] = k.in[c][i] * (1.f - t) + k.in[n + c][i] * t;
    }
}
void splitlr(const KernelArgs& k) {
    split_along(k, 0);
}
void splittb(const KernelArgs& k) {
    split_along(k, 1);
}

/// Ports: color1, color2, uvtiling, uvoffset, texcoord.
void checkerboard(const KernelArgs& k) {
    const float* const* p = k.in + 6;
    for (int i = 0; i < k.n; ++i) {
        const float cells =
            __builtin_floorf(p[4][i] * p[0][i] - p[2][i]) + __builtin_floorf(p[5][i] * p[1][i] - p[3][i]);
        const float first = cells - 2.f * __builtin_floorf(cells * .5f);
        for (int c = 0; c < 3; ++c) k.out[c][i] = first > .5f ? k.in[c][i] : k.in[3 + c][i];
    }
}

VEMTRA_INLINE bool in_disc(float x, float y, float radius) {
    return x * x + y * y <= radius * radius;
}
VEMTRA_INLINE bool in_clover(float x, float y, float radius) {
    const float h = .5f * radius;
    return int(in_disc(x - h, y, h)) | int(in_disc(x + h, y, h)) | int(in_disc(x, y - h, h)) |
           int(in_disc(x, y + h, h));
}
/// `radius`: of the largest disc inside.
VEMTRA_INLINE bool in_hexagon(float x, float y, float radius) {
    x = __builtin_fabsf(x);
    y = __builtin_fabsf(y);
    const float over = 2.f * min_of(-.866025404f * x + .5f * y, 0.f);
    x += over * .866025404f;
    y -= over * .5f;
    return int(y - radius <= 0.f) & int(x <= .577350269f * radius + 1e-6f);
}
VEMTRA_INLINE bool near_segment(float x, float y, float ax, float ay, float bx, float by, float radius) {
    const float dx = bx - ax;
    const float dy = by - ay;
    const float square = max_of(dx * dx + dy * dy, 1e-20f);
    const float t = clamp(((x - ax) * dx + (y - ay) * dy) / square, 0.f, 1.f);
    return in_disc(x - ax - t * dx, y - ay - t * dy, radius);
}

/// Ports: texcoord, the middle, radius.
#define VEMTRA_SHAPE(name, inside)                   \
    void name(const KernelArgs& k) {                 \
        for (int i = 0; i < k.n; ++i) {              \
            const float x = k.in[0][i] - k.in[2][i]; \
            const float y = k.in[1][i] - k.in[3][i]; \
            const float r = k.in[4][i];              \
            k.out[0][i] = (inside) ? 1.f : 0.f;      \
        }                                            \
    }
VEMTRA_SHAPE(circle, in_disc(x, y, r))
VEMTRA_SHAPE(cloverleaf, in_clover(x, y, r))
VEMTRA_SHAPE(hexagon, in_hexagon(x, y, r))
/// Ports: texcoord, the middle, radius, point1, point2.
void line(const KernelArgs& k) {
    const float* const* p = k.in;
    for (int i = 0; i < k.n; ++i)
        k.out[0][i] =
            near_segment(p[0][i] - p[2][i], p[1][i] - p[3][i], p[5][i], p[6][i], p[7][i], p[8][i], p[4][i]) ? 1.f : 0.f;
}

enum TiledUniform : int { tiled_staggered };
/// Ports: texcoord, uvtiling, uvoffset, a width; staggered: every other row is moved aside by half a cell. `x` and `y`:
/// a place in its cell, 0..1 both ways.
#define VEMTRA_TILED(name, inside)                                                                 \
    void name(const KernelArgs& k) {                                                               \
        const float* __restrict in_u = k.in[0];                                                    \
        const float* __restrict in_v = k.in[1];                                                    \
        const float* __restrict tiling_u = k.in[2];                                                \
        const float* __restrict tiling_v = k.in[3];                                                \
        const float* __restrict offset_u = k.in[4];                                                \
        const float* __restrict offset_v = k.in[5];                                                \
        const float* __restrict width = k.in[6];                                                   \
        float* __restrict out = k.out[0];                                                          \
        const float aside = k.uniform[tiled_staggered] >= .5f ? .5f : 0.f;                         \
        for (int i = 0; i < k.n; ++i) {                                                            \
            const float whole_y = in_v[i] * tiling_v[i] - offset_v[i];                             \
            const float row = __builtin_floorf(whole_y);                                           \
            const float odd = row - 2.f * __builtin_floorf(row * .5f);                             \
            const float whole_x = in_u[i] * tiling_u[i] - offset_u[i] + (odd > .5f ? aside : 0.f); \
            const float x = whole_x - __builtin_floorf(whole_x);                                   \
            const float y = whole_y - row;                                                         \
            const float w = .5f * width[i];                                                        \
            out[i] = (inside) ? 1.f : 0.f;                                                         \
        }                                                                                          \
        for (int c = 1; c < k.components; ++c)                                                     \
            for (int i = 0; i < k.n; ++i) k.out[c][i] = out[i];                                    \
    }
VEMTRA_TILED(grid, int(min_of(x, 1.f - x) <= w) | int(min_of(y, 1.f - y) <= w))
VEMTRA_TILED(crosshatch,
             int(near_segment(x, y, 0.f, 0.f, 1.f, 1.f, w)) | int(near_segment(x, y, 0.f, 1.f, 1.f, 0.f, w)))
VEMTRA_TILED(tiledcircles, in_disc(x - .5f, y - .5f, w))
VEMTRA_TILED(tiledcloverleafs, in_clover(x - .5f, y - .5f, w))
VEMTRA_TILED(tiledhexagons, in_hexagon(x - .5f, y - .5f, w))

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(ramplr)
VEMTRA_DECLARE_KERNEL(ramptb)
VEMTRA_DECLARE_KERNEL(ramp4)
VEMTRA_DECLARE_KERNEL(splitlr)
VEMTRA_DECLARE_KERNEL(splittb)
VEMTRA_DECLARE_KERNEL(checkerboard)
VEMTRA_DECLARE_KERNEL(circle)
VEMTRA_DECLARE_KERNEL(cloverleaf)
VEMTRA_DECLARE_KERNEL(hexagon)
VEMTRA_DECLARE_KERNEL(line)
VEMTRA_DECLARE_KERNEL(grid)
VEMTRA_DECLARE_KERNEL(crosshatch)
VEMTRA_DECLARE_KERNEL(tiledcircles)
VEMTRA_DECLARE_KERNEL(tiledcloverleafs)
VEMTRA_DECLARE_KERNEL(tiledhexagons)

namespace {

NodeDescription pattern(const char* kind, const char* title, const char* help, std::vector<Type> types,
                        std::vector<Port> ports, KernelPair kernel) {
    return {.kind = kind,
            .title = title,
            .family = "pattern",
            .help = help,
            .standard = std::string("MaterialX 1.39 ") + kind,
            .types = std::move(types),
            .ports = std::move(ports),
            .kernel = kernel};
}
const Port texcoord{
    .name = "texcoord", .help = "Where it is read.", .type = Type::vector2, .value = V2f(0.f), .reads = Reads::uv};
Port end(const char* name, const char* help) {
    return {.name = name, .help = help, .same_as_output = true, .value = 0.f};
}
Port pair(const char* name, const char* help, V2f value, float high) {
    return {.name = name, .help = help, .type = Type::vector2, .value = value, .high = high};
}

void describe_ramps(std::vector<NodeDescription>& list) {
    list.push_back(pattern("ramplr", "Ramp across", "From one value to another along u.", value_types(),
                           {end("valuel", "At u = 0."), end("valuer", "At u = 1."), texcoord}, VEMTRA_PAIR(ramplr)));
    list.push_back(pattern("ramptb", "Ramp upward", "From one value to another along v.", value_types(),
                           {end("valuet", "At v = 0."), end("valueb", "At v = 1."), texcoord}, VEMTRA_PAIR(ramptb)));
    list.push_back(pattern("ramp4", "Ramp of four corners", "Four values, one at each corner.", value_types(),
                           {end("valuetl", "At (0, 0)."), end("valuetr", "At (1, 0)."), end("valuebl", "At (0, 1)."),
                            end("valuebr", "At (1, 1)."), texcoord},
                           VEMTRA_PAIR(ramp4)));
    Port place = texcoord;
    place.type = Type::place;
    const Port center{.name = "center", .help = "Where it changes.", .value = .5f};
    list.push_back(pattern("splitlr", "Split across", "One value left, another one right of a line along u.",
                           value_types(), {end("valuel", "Left."), end("valuer", "Right."), center, place},
                           VEMTRA_PAIR(splitlr)));
    list.push_back(pattern("splittb", "Split upward", "One value below, another one above a line along v.",
                           value_types(), {end("valuet", "Below."), end("valueb", "Above."), center, place},
                           VEMTRA_PAIR(splittb)));
    for (auto d = list.end() - 2; d != list.end(); ++d) d->ask = ask_footprint;
}

void describe_single_shapes(std::vector<NodeDescription>& list) {
    const std::tuple<const char*, const char*, const char*, KernelPair> shapes[] = {
        {"circle", "Disc", "1 inside of a circle.", VEMTRA_PAIR(circle)},
        {"cloverleaf", "Cloverleaf", "1 inside of four discs around a middle.", VEMTRA_PAIR(cloverleaf)},
        {"hexagon", "Hexagon", "1 inside of a hexagon.", VEMTRA_PAIR(hexagon)},
    };
    const Port radius{.name = "radius", .help = "How large.", .value = .5f};
    for (const auto& [kind, title, help, kernel] : shapes)
        list.push_back(pattern(kind, title, help, {Type::number},
                               {texcoord, pair("center", "The middle.", V2f(0.f), 1.f), radius}, kernel));
    Port thickness = radius;
    thickness.value = .1f;
    list.push_back(
        pattern("line", "Line", "1 near a line from point to point.", {Type::number},
                {texcoord, pair("center", "Moves both points.", V2f(0.f), 1.f), thickness,
                 pair("point1", "Where it begins.", V2f(.25f), 1.f), pair("point2", "Where it ends.", V2f(.75f), 1.f)},
                VEMTRA_PAIR(line)));
}

void describe_tilings(std::vector<NodeDescription>& list) {
    const Port tiling = pair("uvtiling", "How many across and         up.", V2f(1.f), 32.f);
    const Port offset = pair("uvoffset", "Moved         by.", V2f(0.f), 1.f);
    Port eight = tiling;
    eight.value = V2f(8.f);
    list.push_back(pattern(
        "checkerboard", "Checkerboard", "Two colours in turn.", {Type::color},
        {{.name = "color1", .help = "One colour.", .type = Type::color, .value = V3f(1.f)},
         {.name = "color2", .help = "The other, in the cell at the origin.", .type = Type::color, .value = V3f(0.f)},
         eight,
         offset,
         texcoord},
        VEMTRA_PAIR(checkerboard)));
    struct Tiling {
        const char *kind, *title, *help, *width;
        float value;
        KernelPair kernel;
    };
    const Tiling tilings[] = {
        {"grid", "Grid", "Lines along both ways.", "thickness", .05f, VEMTRA_PAIR(grid)},
        {"crosshatch", "Crosshatch", "Lines along both diagonals.", "thickness", .05f, VEMTRA_PAIR(crosshatch)},
        {"tiledcircles", "Dots", "Discs in rows.", "size", .5f, VEMTRA_PAIR(tiledcircles)},
        {"tiledcloverleafs", "Cloverleaves", "Cloverleaves in rows.", "size", .5f, VEMTRA_PAIR(tiledcloverleafs)},
        {"tiledhexagons", "Hexagons", "Hexagons in rows.", "size", .5f, VEMTRA_PAIR(tiledhexagons)},
    };
    for (const Tiling& t : tilings) {
        list.push_back(pattern(t.kind, t.title, t.help, {Type::color, Type::number},
                               {texcoord,
                                tiling,
                                offset,
                                {.name = t.width, .help = "How wide, in cells.", .value = t.value},
                                {.name = "staggered",
                                 .help = "Every other row is moved by half a cell.",
                                 .value = 0.f,
                                 .uniform = true,
                                 .whole = true,
                                 .choices = {"no", "yes"}}},
                               t.kernel));
        list.back().uniforms = {{"staggered", VEMTRA_ISA::tiled_staggered}};
    }
}

}  // namespace

void describe_shapes(std::vector<NodeDescription>& list) {
    describe_ramps(list);
    describe_single_shapes(list);
    describe_tilings(list);
}
#endif
}  // namespace vemtra::nodes
