// pin: a mask that is stuck to the surface: white inside of a shape around a place, with a soft or broken border, no
// deeper than it is meant, and only on what faces it.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum PinUniform : int {
    pin_shape,
    pin_centre,
    pin_axis = 4,
    pin_turn = 7,
    pin_size = 8,
    pin_faces = 11,
    pin_copies = 12,
    pin_laid = 13,
    pin_apart = 14
};

/// Moves (x, y) into the nearest of `copies` that lie in a row along x about the middle, `apart` from each other.
static inline __attribute__((always_inline)) void to_nearest_in_row(float copies, float apart, float& x) {
    const float first = -.5f * (copies - 1.f) * apart;
    const float k = float(cell_of((x - first) / apart + .5f));
    x -= first + clamp(k, 0.f, copies - 1.f) * apart;
}
/// The same for copies around a ring of radius `apart`, each turned outwards along x.
static inline __attribute__((always_inline)) void to_nearest_on_ring(float copies, float apart, float& x, float& y) {
    const float turn = 6.28318531f / copies;
    const float k = float(cell_of(__builtin_atan2f(y, x) / turn + .5f));
    const float c = __builtin_cosf(k * turn);
    const float s = __builtin_sinf(k * turn);
    const float along = x * c + y * s - apart;
    y = y * c - x * s;
    x = along;
}

/// Ports: softness, border, breakup, bend, position, normal.
void pin(const KernelArgs& k) {
    const int shape = int(k.uniform[pin_shape]);
    const float* c = k.uniform + pin_centre;
    float n[3];
    float length = 0.f;
    for (int a = 0; a < 3; ++a) length += k.uniform[pin_axis + a] * k.uniform[pin_axis + a];
    length = __builtin_sqrtf(length);
    for (int a = 0; a < 3; ++a) n[a] = length > 1e-6f ? k.uniform[pin_axis + a] / length : (a == 1 ? 1.f : 0.f);
    // The frame about the axis that the handles show (base/vec.h, Duff et al. 2017), turned about it.
    const float sign = n[2] >= 0.f ? 1.f : -1.f;
    const float f = -1.f / (sign + n[2]);
    const float g = n[0] * n[1] * f;
    const float t0[3] = {1.f + sign * n[0] * n[0] * f, sign * g, -sign * n[0]};
    const float b0[3] = {g, sign + n[1] * n[1] * f, -n[1]};
    const float turn = k.uniform[pin_turn] * .01745329252f;
    const float cosine = __builtin_cosf(turn);
    const float sine = __builtin_sinf(turn);
    const float w = max_of(.5f * k.uniform[pin_size], 1e-9f);
    const float h = max_of(.5f * k.uniform[pin_size + 1], 1e-9f);
    const float deep = max_of(k.uniform[pin_size + 2], 1e-9f);
    const bool faces = k.uniform[pin_faces] != 0.f;
    const float copies = clamp(k.uniform[pin_copies], 1.f, 1000.f);
    const bool ring_of = k.uniform[pin_laid] != 0.f;
    const float apart = max_of(k.uniform[pin_apart], 1e-6f);
    for (int i = 0; i < k.n; ++i) {
        const float* const* at = k.in + 4;
        const float d[3] = {at[0][i] - c[0], at[1][i] - c[1], at[2][i] - c[2]};
        const float tx = d[0] * t0[0] + d[1] * t0[1] + d[2] * t0[2];
        const float ty = d[0] * b0[0] + d[1] * b0[1] + d[2] * b0[2];
        const float z = d[0] * n[0] + d[1] * n[1] + d[2] * n[2];
        float x = tx * cosine + ty * sine;
        float y = ty * cosine - tx * sine;
        if (copies > 1.f && !ring_of) to_nearest_in_row(copies, apart, x);
        if (copies > 1.f && ring_of) to_nearest_on_ring(copies, apart, x, y);
        const float ax = (x < 0.f ? -x : x) / w;
        const float ay = (y < 0.f ? -y : y) / h;
        const float round = __builtin_sqrtf(ax * ax + ay * ay);
        // Of a capsule: the distance to a line as long as width less height, in half heights.
        const float rest = max_of((x < 0.f ? -x : x) - max_of(w - h, 0.f), 0.f) / h;
        const float capsule = __builtin_sqrtf(rest * rest + ay * ay);
        const float ring = (round - .75f < 0.f ? .75f - round : round - .75f) * 4.f;
        float away = shape == 0 ? round : shape == 1 ? max_of(ax, ay) : shape == 2 ? capsule : ring;
        away += (k.in[2][i] - .5f) * 2.f * k.in[1][i];  // what breaks the border
        const float soft = clamp(k.in[0][i], 1e-4f, 1.f);
        const float t = clamp((1.f - away) / soft, 0.f, 1.f);
        const float up = z < 0.f ? -z : z;
        const float depth = clamp((deep - up) / (.25f * deep), 0.f, 1.f);
        const float* const* m = k.in + 7;
        const float facing = m[0][i] * n[0] + m[1][i] * n[1] + m[2][i] * n[2];
        const float seen = faces ? clamp(facing * 4.f, 0.f, 1.f) : 1.f;
        k.out[0][i] = __builtin_powf(t * t * (3.f - 2.f * t), clamp(k.in[3][i], .05f, 20.f)) * depth * seen;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(pin)

// NOLINTNEXTLINE(readability-function-size): a table
void describe_pin(std::vector<NodeDescription>& list) {
    using namespace VEMTRA_ISA;
    list.push_back(
        {.kind = "pin",
         .title = "Pin",
         .family = "form",
         .help = "A mask stuck to one place of the surface: white inside of a shape around it.",
         .types = {Type::number},
         .ports = {{.name = "shape",
                    .help = "What is white.",
                    .high = 3.f,
                    .hard = true,
                    .uniform = true,
                    .whole = true,
                    .choices = {"round", "box", "capsule", "ring"}},
                   {.name = "softness", .help = "How much of the shape its border takes to fade.", .value = .4f},
                   {.name = "border",
                    .help = "How far what comes in by breakup pushes the border in and out; 1 is half the shape.",
                    .value = 0.f},
                   {.name = "breakup",
                    .help = "A noise or a map that breaks the border; a half leaves it.",
                    .value = .5f},
                   {.name = "bend",
                    .help = "How it falls off: 1 evenly, above towards the middle.",
                    .value = 1.f,
                    .low = .1f,
                    .high = 6.f,
                    .folded = true},
                   {.name = "position",
                    .help = "The place that is looked at.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .reads = Reads::position_object,
                    .folded = true},
                   {.name = "normal",
                    .help = "The way that the place faces.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .reads = Reads::normal_object,
                    .folded = true},
                   {.name = "centre",
                    .help = "Where it is stuck, in the asset's own space.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .low = -1.f,
                    .high = 1.f,
                    .unit = "m",
                    .uniform = true,
                    .role = Role::frame_centre},
                   {.name = "axis",
                    .help = "The way that the surface faces there.",
                    .type = Type::vector3,
                    .value = V3f(0.f, 1.f, 0.f),
                    .low = -1.f,
                    .high = 1.f,
                    .uniform = true,
                    .role = Role::frame_axis},
                   {.name = "turn",
                    .help = "Turned about that axis.",
                    .value = 0.f,
                    .low = -180.f,
                    .high = 180.f,
                    .unit = "deg",
                    .uniform = true},
                   {.name = "size",
                    .help = "Width, height, and how deep it reaches.",
                    .type = Type::vector3,
                    .value = V3f(.1f),
                    .low = .001f,
                    .high = 1.f,
                    .unit = "m",
                    .uniform = true},
                   {.name = "faces",
                    .help = "Only on what faces it: not through to the other side.",
                    .value = 1.f,
                    .hard = true,
                    .uniform = true,
                    .whole = true,
                    .choices = {"no", "yes"}},
                   {.name = "copies",
                    .help = "How often it is there: rivets along a plate, bolts around a flange.",
                    .value = 1.f,
                    .low = 1.f,
                    .high = 24.f,
                    .uniform = true,
                    .whole = true},
                   {.name = "laid",
                    .help = "Along a row about its middle, or around a ring.",
                    .value = 0.f,
                    .hard = true,
                    .uniform = true,
                    .whole = true,
                    .choices = {"row", "ring"}},
                   {.name = "apart",
                    .help = "From one of the row to the next; of a ring its radius.",
                    .value = .1f,
                    .low = .001f,
                    .high = 1.f,
                    .unit = "m",
                    .uniform = true}},
         .kernel = VEMTRA_PAIR(pin),
         .varies = true,
         .uniforms = {{"shape", pin_shape},
                      {"centre", pin_centre},
                      {"axis", pin_axis},
                      {"turn", pin_turn},
                      {"size", pin_size},
                      {"faces", pin_faces},
                      {"copies", pin_copies},
                      {"laid", pin_laid},
                      {"apart", pin_apart}}});
}
#endif
}  // namespace vemtra::nodes
