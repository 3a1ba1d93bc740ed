// Directions that vary within a footprint (Olano and Baker 2010, "LEAN Mapping"). What gives directions gives six
// numbers: the mean direction, and an axis along which the slopes vary more than across it. Of the covariance of slopes
// the smaller eigenvalue s shortens the direction to 1 / (1 + s), as long as a mean of directions is (Toksvig 2005);
// the axis is as long as the root of what the greater one has beyond it. Which way the axis points means nothing.
#pragma once
#include "nodes/kernel.h"

namespace vemtra::nodes {

/// Numbers of a direction with its axis.
inline constexpr int direction_components = 6;
/// What stands in place of a map's share of squares: see Port::with_spread.
inline constexpr float spread_is_covariance = -1.f;
inline constexpr float spread_not_known = -2.f;
/// Where a port of spread values is read: at the point, at the ends of the footprint's two axes, and at those of much
/// smaller steps.
inline constexpr int spread_places = 5;
inline constexpr float fine_part = 1.f / 128.f;  ///< of an axis

namespace VEMTRA_ISA {

/// `n`: unit direction; `e`, `f`: unit axes of the surface along which the covariance is xx, yy, xy.
inline __attribute__((always_inline)) void put_direction(const float* n, const float* e, const float* f, float xx,
                                                         float yy, float xy, float* const* out, int components, int i) {
    xx = max_of(xx, 0.f);
    yy = max_of(yy, 0.f);
    const float half = .5f * (xx - yy);
    const float root = __builtin_sqrtf(half * half + xy * xy);
    const float smaller = max_of(0.f, .5f * (xx + yy) - root);
    const float shorter = 1.f / (1.f + smaller);
    for (int c = 0; c < 3; ++c) out[c][i] = n[c] * shorter;
    if (components < direction_components) return;
    // The eigenvector, taken from whichever row is longer.
    float x = half >= 0.f ? half + root : xy;
    float y = half >= 0.f ? xy : root - half;
    const float square = x * x + y * y;
    const float scale = square > 1e-24f ? __builtin_sqrtf(2.f * root / square) : 0.f;
    x *= scale;
    y *= scale;
    for (int c = 0; c < 3; ++c) out[3 + c][i] = x * e[c] + y * f[c];
}

/// From the means of squares, of which there is so much, to covariances about the mean.
inline __attribute__((always_inline)) float covariance(float square, float share, float mean_of_one,
                                                       float mean_of_other) {
    return share > 1e-4f ? square - share * mean_of_one * mean_of_other : 0.f;
}

/// A direction that does not vary.
inline __attribute__((always_inline)) void put_direction(const float* n, float* const* out, int components, int i) {
    for (int c = 0; c < 3; ++c) out[c][i] = n[c];
    for (int c = 3; c < components; ++c) out[c][i] = 0.f;
}

}  // namespace VEMTRA_ISA
}  // namespace vemtra::nodes
