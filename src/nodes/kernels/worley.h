// Nearest feature points (Worley 1996): one per cell, at cell + 0.5 + (hash - 0.5) * jitter, looked for in the cell of
// the point and those around it. Squared distances to the three nearest, and the cell of the nearest.
#pragma once
#include "nodes/kernels/hash.h"

namespace vemtra::nodes::VEMTRA_ISA {

inline constexpr int worley_piece = 64;  ///< points looked at together: what is kept of them stays in the nearest cache

struct Nearest {
    float f1[worley_piece];
    float f2[worley_piece];
    float f3[worley_piece];
    int x[worley_piece];
    int y[worley_piece];
    int z[worley_piece];
    VEMTRA_INLINE void clear(int n) {
        for (int i = 0; i < n; ++i) {
            f1[i] = f2[i] = f3[i] = 1e6f;
            x[i] = y[i] = z[i] = 0;
        }
    }
    VEMTRA_INLINE void meet(int i, float d, int cx, int cy, int cz) {
        const float a = f1[i];
        const float b = f2[i];
        const float c = f3[i];
        x[i] = d < a ? cx : x[i];
        y[i] = d < a ? cy : y[i];
        z[i] = d < a ? cz : z[i];
        f1[i] = min_of(a, d);
        f2[i] = min_of(b, max_of(a, d));
        f3[i] = min_of(c, max_of(b, d));
    }
};

/// In space, for n <= worley_piece points.
static void look_near(Nearest& near, int n, const float* __restrict px, const float* __restrict py,
                      const float* __restrict pz, const float* __restrict jitter) {
    near.clear(n);
    for (int dx = -1; dx <= 1; ++dx)
        for (int dy = -1; dy <= 1; ++dy)
            for (int dz = -1; dz <= 1; ++dz)
                for (int i = 0; i < n; ++i) {
                    const float x = in_reach(px[i]);
                    const float y = in_reach(py[i]);
                    const float z = in_reach(pz[i]);
                    const float j = jitter[i];
                    const int X = floor_to_int(x);
                    const int Y = floor_to_int(y);
                    const int Z = floor_to_int(z);
                    const int cx = X + dx;
                    const int cy = Y + dy;
                    const int cz = Z + dz;
                    const float ox = (to_unit(hash4(cx, cy, cz, 0)) - .5f) * j + .5f;
                    const float oy = (to_unit(hash4(cx, cy, cz, 1)) - .5f) * j + .5f;
                    const float oz = (to_unit(hash4(cx, cy, cz, 2)) - .5f) * j + .5f;
                    const float vx = float(dx) + ox - (x - float(X));
                    const float vy = float(dy) + oy - (y - float(Y));
                    const float vz = float(dz) + oz - (z - float(Z));
                    near.meet(i, vx * vx + vy * vy + vz * vz, cx, cy, cz);
                }
}
/// In the plane.
static void look_near(Nearest& near, int n, const float* __restrict px, const float* __restrict py,
                      const float* __restrict jitter) {
    near.clear(n);
    for (int dx = -1; dx <= 1; ++dx)
        for (int dy = -1; dy <= 1; ++dy)
            for (int i = 0; i < n; ++i) {
                const float x = in_reach(px[i]);
                const float y = in_reach(py[i]);
                const float j = jitter[i];
                const int X = floor_to_int(x);
                const int Y = floor_to_int(y);
                const int cx = X + dx;
                const int cy = Y + dy;
                const float ox = (to_unit(hash3(cx, cy, 0)) - .5f) * j + .5f;
                const float oy = (to_unit(hash3(cx, cy, 1)) - .5f) * j + .5f;
                const float vx = float(dx) + ox - (x - float(X));
                const float vy = float(dy) + oy - (y - float(Y));
                near.meet(i, vx * vx + vy * vy, cx, cy, 0);
            }
}

/// Distances as the output has components: F1, F1 F2, or F1 F2 F3.
VEMTRA_INLINE void put_distances(const Nearest& near, const KernelArgs& k, int first, int n) {
    const float* f[3] = {near.f1, near.f2, near.f3};
    for (int c = 0; c < k.components && c < 3; ++c)
        for (int i = 0; i < n; ++i) k.out[c][first + i] = __builtin_sqrtf(f[c][i]);
}
/// Random values of the cells of the nearest, of one component in space or in the plane.
VEMTRA_INLINE void put_cells(const Nearest& near, const KernelArgs& k, int first, int n, bool plane) {
    for (int c = 0; c < k.components; ++c)
        for (int i = 0; i < n; ++i) {
            const int x = near.x[i];
            const int y = near.y[i];
            const int z = near.z[i];
            const bool one = k.components == 1;
            const uint32_t h =
                plane ? (one ? hash2(x, y) : hash3(x, y, c)) : (one ? hash3(x, y, z) : hash4(x, y, z, c));
            k.out[c][first + i] = to_unit(h);
        }
}

}  // namespace vemtra::nodes::VEMTRA_ISA
