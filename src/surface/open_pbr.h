// The base of OpenPBR Surface 1.1: a metal with coloured edge, or a dielectric interface over an energy-preserving rough diffuse body.
//
//   metal:       F82(h.wi) D G / (4 mu_o mu_i) + multiple scattering
//   dielectric:  F(h.wi) D G / (4 mu_o mu_i) + multiple scattering, tinted by specular_color, over
//                diffuse * (1 - E(mu_o)) (1 - E(mu_i)) / (1 - E_average)      (Kelemen and Szirmay-Kalos 2001: reciprocal, energy kept)
//   diffuse:     EON (Portsmouth, Kutz, Hill 2025, "EON: A Practical Energy-Preserving Rough Diffuse BRDF")
// Multiple scattering on the microsurface is the lobe of Kulla and Conty 2017. All directions are local, normal = +z, pointing away.
#pragma once
#include "base/vec.h"
#include "surface/microfacet.h"

namespace vemtra::surface {

/// Slot values at one point; see nodes::surface_description() for meaning and ranges. Values outside are clamped by `sane`.
struct Slots {
    V3f base_color{.8f};
    float base_metalness = 0.f;
    float specular_roughness = .3f;
    float base_diffuse_roughness = 0.f;
    float base_weight = 1.f;
    float specular_weight = 1.f;
    V3f specular_color{1.f};
    float specular_ior = 1.5f;
};
Slots sane(Slots slots);

struct Scattered {
    V3f wi{0.f};
    V3f weight{0.f};  ///< f * mu_i / pdf
    float pdf = 0.f;  ///< per solid angle; 0: nothing was scattered
};

/// The surface at one point seen from one direction. Cheap to make; holds what depends on wo only.
class Bsdf {
public:
    Bsdf(const Slots& sane_slots, const V3f& wo);
    /// f(wo, wi) * mu_i; zero below the surface.
    V3f evaluate(const V3f& wi) const;
    float pdf(const V3f& wi) const;
    Scattered sample(float u_lobe, float u1, float u2) const;
    /// About the share of light that is reflected towards wo, per channel.
    V3f albedo() const { return albedo_; }
    float roughness() const { return s_.specular_roughness; }

private:
    Slots s_;
    V3f wo_;
    float alpha_, eta_;
    FresnelF82 metal_;
    V3f body_;           // diffuse colour
    float white_o_, white_average_;
    float dielectric_o_ = 0.f, dielectric_average_ = 0.f, dielectric_multiple_ = 0.f;
    V3f metal_multiple_{0.f};
    V3f albedo_{0.f};
    float p_specular_;
};

/// EON's f(wo, wi) without the cosine.
V3f eon(const V3f& color, float roughness, const V3f& wo, const V3f& wi);

}  // namespace vemtra::surface
