// normalmap: a tangent-space normal map as a direction in the asset's own space (MaterialX 1.39). Its frame is the one
// in which the map itself was read, so that turned and projected maps stay right: u to the right, v up where green
// points up. Where the map was averaged its directions differ: the surface takes their covariance for roughness, that
// of the source where it knows it, else what the length of their mean says, evenly (Toksvig 2005).
#include "nodes/kernel.h"
#include "nodes/kernels/place.h"
#include "nodes/kernels/spread.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Codes of 8 bits leave no direction at unit length: so much is no spread.
constexpr float uncertain_length = .004f;

enum NormalmapUniform : int { normalmap_green };  // 1 where it points down

/// Ports: in (3, encoded 0..1; its spread, of directions), scale, texcoord (place).
void normalmap(const KernelArgs& k) {
    const float* axes[4] = {k.in[10], k.in[11], k.in[12], k.in[13]};
    const float sign = k.uniform[normalmap_green] > .5f ? -1.f : 1.f;
    for (int i = 0; i < k.n; ++i) {
        float n[3];
        float u[3];
        float v[3];
        for (int c = 0; c < 3; ++c) n[c] = k.points->rows[row_normal + c][i];
        const float scale = k.in[7][i];
        float x = 2.f * k.in[0][i] - 1.f;
        float y = (2.f * k.in[1][i] - 1.f) * sign;
        const float z = 2.f * k.in[2][i] - 1.f;
        const float mean = min_of(1.f, __builtin_sqrtf(x * x + y * y + z * z) + uncertain_length);
        // Slopes are x / z and y / z; a mean that lies flat says nothing of them.
        const float steep = scale / max_of(.25f, z);
        const float share = k.in[6][i];
        const float mx = share < 0.f ? 0.f : x;
        const float my = share < 0.f ? 0.f : y * sign;
        const float all = share < 0.f ? 1.f : share;
        float xx = covariance(k.in[3][i], all, mx, mx) * steep * steep;
        float yy = covariance(k.in[4][i], all, my, my) * steep * steep;
        float xy = covariance(k.in[5][i], all, mx, my) * steep * steep * sign;
        if (share <= spread_not_known) xx = yy = mean > .05f ? scale * scale * (1.f - mean) / mean : 0.f, xy = 0.f;
        x *= scale;
        y *= scale;
        if (!place_directions(*k.points, axes, i, u, v)) {
            put_direction(n, k.out, k.components, i);
            continue;
        }
        // An orthonormal frame around the normal, u first; mirrored islands keep their own hand.
        float un = 0.f;
        for (int c = 0; c < 3; ++c) un += u[c] * n[c];
        float length = 0.f;
        for (int c = 0; c < 3; ++c) u[c] -= un * n[c], length += u[c] * u[c];
        length = length > 1e-20f ? 1.f / __builtin_sqrtf(length) : 0.f;
        for (int c = 0; c < 3; ++c) u[c] *= length;
        float w[3] = {n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]};
        if (w[0] * v[0] + w[1] * v[1] + w[2] * v[2] < 0.f) y = -y, xy = -xy;
        float out[3];
        float sum = 0.f;
        for (int c = 0; c < 3; ++c) {
            out[c] = x * u[c] + y * w[c] + z * n[c];
            sum += out[c] * out[c];
        }
        if (!(sum > 1e-12f)) {
            put_direction(n, k.out, k.components, i);
            continue;
        }
        sum = 1.f / __builtin_sqrtf(sum);
        for (int c = 0; c < 3; ++c) out[c] *= sum;
        put_direction(out, u, w, xx, yy, xy, k.out, k.components, i);
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(normalmap)

void describe_normalmap(std::vector<NodeDescription>& list) {
    list.push_back(
        {.kind = "normalmap",
         .title = "Normal map",
         .family = "map",
         .help = "A normal map's colours as directions: wire an image into it, and it to the surface's normal.",
         .standard = "MaterialX 1.39 normalmap",
         .types = {Type::vector3},
         .ports = {{.name = "in",
                    .help = "The map's colours, read raw; grey-blue is straight up.",
                    .type = Type::vector3,
                    .value = V3f(.5f, .5f, 1.f),
                    .role = Role::subject,
                    .with_spread = true},
                   {.name = "scale", .help = "How strong the relief is.", .value = 1.f, .high = 2.f},
                   {.name = "green",
                    .help = "Where green points in the map: up, or down.",
                    .value = 0.f,
                    .uniform = true,
                    .whole = true,
                    .choices = {"up", "down"},
                    .role = Role::green_down},
                   {.name = "texcoord",
                    .help = "Where the map was read: the same placement as the image's.",
                    .type = Type::place,
                    .value = V2f(0.f),
                    .reads = Reads::uv,
                    .folded = true,
                    .role = Role::where}},
         .kernel = VEMTRA_PAIR(normalmap),
         .ask = ask_footprint,
         .varies = true,
         .use = Use::directions,
         .shape = direction_shape,
         .uniforms = {{"green", VEMTRA_ISA::normalmap_green}}});
}
#endif
}  // namespace vemtra::nodes
