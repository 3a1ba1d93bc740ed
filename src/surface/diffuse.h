// Matt scattering: the energy-preserving rough diffuse body, and fuzz.
//   EON    Portsmouth, Kutz, Hill 2025, "EON: A Practical Energy-Preserving Rough Diffuse BRDF"; r roughness, rho colour
//   fuzz   Estevez and Kulla 2017, "Production Friendly Microfacet Sheen BRDF", with the visibility of Neubelt and Pettineo 2013; its
//          directional albedo is tabulated at start, and scaled down where a grazing angle would give back more than arrives
#pragma once
#include "base/vec.h"

namespace vemtra::surface {

/// EON's f(wo, wi) without the cosine. Reciprocal; white keeps all light.
V3f eon(const V3f& color, float roughness, const V3f& wo, const V3f& wi);

/// Fuzz's f(wo, wi) of white fibres without the cosine, and its directional albedo (at most 1).
float fuzz(float roughness, const V3f& wo, const V3f& wi);
float fuzz_albedo(float roughness, float mu);

}  // namespace vemtra::surface
