// From a footprint's axes on the surface (A, B) and in a map (a, b) to the gradients of u and v on the surface and the
// directions in which they grow. This holds for UVs and for every projection alike, as both pairs of axes are the same
// two steps.
//   dP/du = (A b_v - B a_v) / D    dP/dv = (B a_u - A b_u) / D    D = a_u b_v - a_v b_u
#pragma once
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

inline __attribute__((always_inline)) bool place_directions(const PointBatch& p, const float* const* axes, int i,
                                                            float* along_u, float* along_v) {
    if (!axes[0] || !p.rows[row_position_axes + 0]) return false;
    const float au = axes[0][i];
    const float av = axes[1][i];
    const float bu = axes[2][i];
    const float bv = axes[3][i];
    const float d = au * bv - av * bu;
    const float size = (au * au + av * av) * (bu * bu + bv * bv);
    if (!(d * d > 1e-12f * size) || !(size > 0.f)) return false;
    for (int c = 0; c < 3; ++c) {
        const float a = p.rows[row_position_axes + c][i];
        const float b = p.rows[row_position_axes + 3 + c][i];
        along_u[c] = (a * bv - b * av) / d;
        along_v[c] = (b * au - a * bu) / d;
    }
    return true;
}

/// Zero where the place does not change along the surface.
inline __attribute__((always_inline)) void place_gradients(const PointBatch& p, const float* const* axes, int i,
                                                           float* gu, float* gv) {
    float u[3];
    float v[3];
    for (int c = 0; c < 3; ++c) gu[c] = gv[c] = 0.f;
    if (!place_directions(p, axes, i, u, v)) return;
    // The dual basis in the plane of u and v.
    const float uu = u[0] * u[0] + u[1] * u[1] + u[2] * u[2];
    const float vv = v[0] * v[0] + v[1] * v[1] + v[2] * v[2];
    const float uv = u[0] * v[0] + u[1] * v[1] + u[2] * v[2];
    const float d = uu * vv - uv * uv;
    if (!(d > 1e-12f * uu * vv)) return;
    for (int c = 0; c < 3; ++c) {
        gu[c] = (u[c] * vv - v[c] * uv) / d;
        gv[c] = (v[c] * uu - u[c] * uv) / d;
    }
}

}  // namespace VEMTRA_ISA
}  // namespace vemtra::nodes
