#include "surface/facet_spread.h"

#include <algorithm>
#include <cmath>

namespace vemtra::surface {

namespace {
// alpha^2 is twice the variance of slopes for Beckmann's facets; those of GGX lean further out, and stand for somewhat
// less of it.
constexpr float per_variance = 1.8f;
// Facets of less than this share of all variance are seen one by one.
constexpr float sharpest = .05f;
}  // namespace

float widened(float roughness, float variance) {
    const float r2 = roughness * roughness;
    return std::min(1.f, std::sqrt(std::sqrt(r2 * r2 + per_variance * variance)));
}

float spread_kept(float roughness, float variance) {
    if (!(variance > 0.f)) return 0.f;
    const float own = roughness * roughness * roughness * roughness / per_variance;
    return std::clamp(sharpest - own / variance, 0.f, 1.f);
}

V2f normal_numbers(float u1, float u2) {
    const float far = std::sqrt(-2.f * std::log(std::max(1.f - u1, .002f)));
    return {far * std::cos(2.f * pi * u2), far * std::sin(2.f * pi * u2)};
}

}  // namespace vemtra::surface
