// ramp of MaterialX 1.39: two to ten coloured stops along a coordinate in 0..1: standard (u), radial (angle from
// straight down, clockwise), circular (distance from the middle) or box; linear, smooth (Hermite) or step between the
// stops. A number wired to texcoord becomes u, so that the same node colours a mask.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

static float along(int type, float u, float v) {
    const float x = u - .5f;
    const float y = v - .5f;
    const float ax = x < 0.f ? -x : x;
    const float ay = y < 0.f ? -y : y;
    switch (type) {
        case 1: {
            const float turn = __builtin_atan2f(-x, -y) * (1.f / 6.28318530717958648f);
            return turn < 0.f ? turn + 1.f : turn;
        }
        case 2: return __builtin_sqrtf(x * x + y * y) * 1.414f;  // the standard library's own constant
        case 3: return 2.f * max_of(ax, ay);
        default: return u;
    }
}

enum RampUniform : int {
    ramp_type = 0,
    ramp_interpolation = 1,
    ramp_stops = 2,
    ramp_places = 3,
    ramp_colors = 13
};  // ten of each

/// Port: texcoord.
void ramp(const KernelArgs& k) {
    const int type = int(k.uniform[ramp_type]);
    const int interpolation = int(k.uniform[ramp_interpolation]);
    const int stops = int(k.uniform[ramp_stops]);
    const float* at = k.uniform + ramp_places;
    const float* colors = k.uniform + ramp_colors;
    for (int i = 0; i < k.n; ++i) {
        const float x = clamp(along(type, k.in[0][i], k.in[1][i]), 0.f, 1.f);
        int s = 0;  // the last stop at or before x
        while (s + 1 < stops && at[s + 1] <= x) ++s;
        const int e = s + 1 < stops ? s + 1 : s;
        const float width = at[e] - at[s];
        float t = width > 0.f ? clamp((x - at[s]) / width, 0.f, 1.f) : 0.f;
        if (interpolation == 1) t = t * t * (3.f - 2.f * t);
        if (interpolation == 2) t = 0.f;
        for (int c = 0; c < k.components; ++c) k.out[c][i] = colors[4 * s + c] * (1.f - t) + colors[4 * e + c] * t;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(ramp)

void describe_ramp(std::vector<NodeDescription>& list) {
    std::vector<Port> ports{{.name = "type",
                             .help = "Which coordinate the stops lie along.",
                             .value = 0.f,
                             .high = 3.f,
                             .uniform = true,
                             .whole = true,
                             .choices = {"standard", "radial", "circular", "box"}},
                            {.name = "interpolation",
                             .help = "How it goes from stop to stop.",
                             .value = 1.f,
                             .high = 2.f,
                             .uniform = true,
                             .whole = true,
                             .choices = {"linear", "smooth", "step"}},
                            {.name = "num_intervals",
                             .help = "How many stops are used.",
                             .value = 2.f,
                             .low = 2.f,
                             .high = 10.f,
                             .hard = true,
                             .uniform = true,
                             .whole = true,
                             .role = Role::stop_count}};
    for (int s = 1; s <= 10; ++s)
        ports.push_back({.name = "interval" + std::to_string(s),
                         .help = "Place of the stop, 0 to 1, rising.",
                         .value = s == 1 ? 0.f : 1.f,
                         .uniform = true,
                         .folded = s > 4,
                         .role = Role::stop_place,
                         .stop = s});
    for (int s = 1; s <= 10; ++s)
        ports.push_back({.name = "color" + std::to_string(s),
                         .help = "Colour of the stop.",
                         .type = Type::color4,
                         .value = V3f(s == 1 ? 0.f : 1.f),
                         .uniform = true,
                         .folded = s > 4,
                         .role = Role::stop_color,
                         .stop = s});
    ports.push_back({.name = "texcoord",
                     .help = "What is looked up: UVs, or a number in 0 to 1.",
                     .type = Type::vector2,
                     .value = V2f(0.f),
                     .reads = Reads::uv});
    std::vector<UniformAt> uniforms{{"type", VEMTRA_ISA::ramp_type},
                                    {"interpolation", VEMTRA_ISA::ramp_interpolation},
                                    {"num_intervals", VEMTRA_ISA::ramp_stops},
                                    {"interval1", VEMTRA_ISA::ramp_places},
                                    {"color1", VEMTRA_ISA::ramp_colors}};
    list.push_back({.kind = "ramp",
                    .title = "Ramp",
                    .family = "adjust",
                    .help = "Colours a mask or the UVs by a row of stops.",
                    .standard = "MaterialX 1.39 ramp",
                    .types = {Type::color, Type::number, Type::color4},
                    .ports = ports,
                    .kernel = VEMTRA_PAIR(ramp),
                    .uniforms = uniforms});
}
#endif
}  // namespace vemtra::nodes
