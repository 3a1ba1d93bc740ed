#include "surface/facet_spread.h"

#include <algorithm>
#include <cmath>

namespace vemtra::surface {

namespace {
// alpha^2 is twice the variance of slopes for Beckmann's facets; those of GGX lean further out, and stand for somewhat
// less of it.
constexpr float per_variance = 1.8f;
// Facets of less than this share of all variance are seen one by one.
constexpr float sharpest = .1f;
}  // namespace

float spread_kept(float roughness, float variance) {
    if (!(variance > 0.f)) return 0.f;
    const float own = roughness * roughness * roughness * roughness / per_variance;
    return std::clamp(sharpest - own / variance, 0.f, 1.f);
}

float spread_facets(float xx, float yy, float xy, float& roughness, float& anisotropy) {
    const float r4 = roughness * roughness * roughness * roughness;
    const float q = 1.f - anisotropy;
    const float x2 = r4 * 2.f / (1.f + q * q);
    const float a = x2 + per_variance * std::max(0.f, xx);
    const float b = x2 * q * q + per_variance * std::max(0.f, yy);
    const float c = per_variance * xy;
    const float half = .5f * (a - b);
    const float root = std::sqrt(half * half + c * c);
    const float greater = .5f * (a + b) + root;
    const float smaller = std::max(0.f, .5f * (a + b) - root);
    if (!(greater > 0.f)) return 0.f;
    roughness = std::min(1.f, std::sqrt(std::sqrt(.5f * (greater + smaller))));
    anisotropy = std::clamp(1.f - std::sqrt(smaller / greater), 0.f, 1.f);
    return root > 1e-6f * greater ? .5f * std::atan2(c, half) : 0.f;
}

V2f normal_numbers(float u1, float u2) {
    const float far = std::sqrt(-2.f * std::log(std::max(1.f - u1, .002f)));
    return {far * std::cos(2.f * pi * u2), far * std::sin(2.f * pi * u2)};
}

}  // namespace vemtra::surface
