// worleynoise3d of MaterialX 1.39 (Worley 1996): one feature point per cell at cell + 0.5 + (hash - 0.5) * jitter; the
// output is the Euclidean distance to the nearest one, two or three (F1, F2, F3), or with style 1 the random value of
// the nearest point's cell.
#include "nodes/kernels/hash.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum WorleyUniform : int { worley_style };

/// Ports: jitter, style (uniform), position.
void worleynoise3d(const KernelArgs& k) {
    const float* __restrict jitter = k.in[0];
    const float* __restrict px = k.in[1];
    const float* __restrict py = k.in[2];
    const float* __restrict pz = k.in[3];
    const bool solid = k.uniform[worley_style] >= .5f;
    constexpr int piece = 64;
    float f1[piece], f2[piece], f3[piece];
    int nx[piece], ny[piece], nz[piece];
    for (int first = 0; first < k.n; first += piece) {
        const int n = k.n - first < piece ? k.n - first : piece;
        for (int i = 0; i < n; ++i) {
            f1[i] = f2[i] = f3[i] = 1e6f;
            nx[i] = ny[i] = nz[i] = 0;
        }
        for (int dx = -1; dx <= 1; ++dx)
            for (int dy = -1; dy <= 1; ++dy)
                for (int dz = -1; dz <= 1; ++dz)
                    for (int i = 0; i < n; ++i) {
                        const float x = px[first + i], y = py[first + i], z = pz[first + i], j = jitter[first + i];
                        const int X = floor_to_int(x), Y = floor_to_int(y), Z = floor_to_int(z);
                        const int cx = X + dx, cy = Y + dy, cz = Z + dz;
                        const float ox = (to_unit(hash4(cx, cy, cz, 0)) - .5f) * j + .5f;
                        const float oy = (to_unit(hash4(cx, cy, cz, 1)) - .5f) * j + .5f;
                        const float oz = (to_unit(hash4(cx, cy, cz, 2)) - .5f) * j + .5f;
                        const float vx = float(dx) + ox - (x - float(X)), vy = float(dy) + oy - (y - float(Y)),
                                    vz = float(dz) + oz - (z - float(Z));
                        const float d = vx * vx + vy * vy + vz * vz;
                        const float a = f1[i], b = f2[i], c = f3[i];
                        nx[i] = d < a ? cx : nx[i];
                        ny[i] = d < a ? cy : ny[i];
                        nz[i] = d < a ? cz : nz[i];
                        f1[i] = min_of(a, d);
                        f2[i] = min_of(b, max_of(a, d));
                        f3[i] = min_of(c, max_of(b, d));
                    }
        for (int i = 0; i < n; ++i) {
            if (solid) {
                if (k.components == 1) {
                    k.out[0][first + i] = to_unit(hash3(nx[i], ny[i], nz[i]));
                } else {
                    for (int c = 0; c < k.components; ++c) k.out[c][first + i] = to_unit(hash4(nx[i], ny[i], nz[i], c));
                }
                continue;
            }
            k.out[0][first + i] = __builtin_sqrtf(f1[i]);
            if (k.components > 1) k.out[1][first + i] = __builtin_sqrtf(f2[i]);
            if (k.components > 2) k.out[2][first + i] = __builtin_sqrtf(f3[i]);
        }
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(worleynoise3d)

void describe_worley_noise(std::vector<NodeDescription>& list) {
    list.push_back(
        {.kind = "worleynoise3d",
         .title = "Worley noise",
         .group = "pattern",
         .help = "Cells around scattered points: flakes, chips, cracks, hammered metal.",
         .standard = "MaterialX 1.39 worleynoise3d",
         .types = {Type::number, Type::vector2, Type::vector3},
         .ports = {{.name = "jitter", .help = "0 sets the points on a grid, 1 scatters them.", .value = 1.f},
                   {.name = "style",
                    .help = "Distance to the nearest point, or one random value per cell.",
                    .value = 0.f,
                    .uniform = true,
                    .whole = true,
                    .choices = {"distance", "solid"}},
                   {.name = "position",
                    .help =
                        "Where it is read: the asset's own space in metres, times a scale for finer or coarser cells.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .low = -10.f,
                    .high = 10.f,
                    .reads = Reads::position_object}},
         .kernel = VEMTRA_PAIR(worleynoise3d),
         .uniforms = {{"style", VEMTRA_ISA::worley_style}}});
}
#endif
}  // namespace vemtra::nodes
