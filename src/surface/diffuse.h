// Matt scattering: the energy-preserving rough diffuse body, and fuzz.
//   EON    Portsmouth, Kutz, Hill 2025, "EON: A Practical Energy-Preserving Rough Diffuse BRDF"; r roughness, rho
// colour
//   fuzz   Estevez and Kulla 2017, "Production Friendly Microfacet Sheen BRDF", with the visibility of Neubelt and
// Pettineo 2013; its
//          directional albedo is tabulated at start, and scaled down where a grazing angle would give back more than
// arrives
#pragma once
#include "base/vec.h"

namespace vemtra::surface {

/// EON's f(wo, wi) without the cosine. Reciprocal; white keeps all light.
V3f eon(const V3f& color, float roughness, const V3f& wo, const V3f& wi);

/// Above every value of pi * eon of white seen from mu_o: 1 + r tan(theta_o), and the spread-out rest.
float eon_bound(float roughness, float mu_o);

/// Fuzz's f(wo, wi) of white fibres without the cosine, and its directional albedo (at most 1).
float fuzz(float roughness, const V3f& wo, const V3f& wi);
float fuzz_albedo(float roughness, float mu);
/// Above every value of fuzz * mu_i.
float fuzz_bound(float roughness);
/// Draws wi in exact proportion to fuzz * mu_i, by rejection from the even hemisphere: D mu_i / (4 (mu_o + mu_i - mu_o
/// mu_i)) <= D(90 deg) / 4.
template <class Next> V3f fuzz_direction(float roughness, const V3f& wo, Next&& next) {
    const float most = fuzz_bound(roughness);
    V3f wi;
    for (int tries = 0; tries < 128; ++tries) {
        const float z = std::max(1e-4f, next());
        const float s = std::sqrt(std::max(0.f, 1.f - z * z));
        float sine;
        float cosine;
        sincos_turn(next(), sine, cosine);
        wi = {s * cosine, s * sine, z};
        if (next() * most < fuzz(roughness, wo, wi) * z) break;
    }
    return wi;
}

}  // namespace vemtra::surface
