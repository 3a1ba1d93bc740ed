// GGX microfacets (Walter et al. 2007; Trowbridge and Reitz 1975), stretched along two axes, in the local frame (normal
// = +z).
//   D  normal distribution            Lambda, G1, G2  Smith's shadowing functions (Heitz 2014)
//   wo, wi  unit vectors away from the surface               h  half vector                   mu  cosine against the
// normal
#pragma once
#include "base/vec.h"
#include "surface/fresnel.h"

namespace vemtra::surface {

inline constexpr float min_alpha = 1e-3f;

/// Euler's beta function B(1 + a, 1 + b) for a, b >= 0, to 1e-5, by Stirling's series.
inline float beta_of(float a, float b) {
    if (a + b < 1e-3f) return 1.f / ((1.f + a) * (1.f + b));
    if (a + b > 1e4f) return 0.f;
    auto log_gamma = [](float z) {  // z >= 1; shifted by three to where the series holds
        const float y = z + 3.f;
        return (y - .5f) * std::log(y) - y + .918938533f + (1.f / 12.f - 1.f / (360.f * y * y)) / y -
               std::log(z * (z + 1.f) * (z + 2.f));
    };
    return std::exp(log_gamma(1.f + a) + log_gamma(1.f + b) - log_gamma(2.f + a + b));
}

struct Ggx {
    float ax = min_alpha, ay = min_alpha;

    /// OpenPBR Surface 1.1, "Microfacet model": roughness^2 stretched so that the mean square slope is kept.
    static Ggx from(float roughness, float anisotropy = 0.f) {
        const float a = roughness * roughness;
        const float q = 1.f - anisotropy;
        const float x = a * std::sqrt(2.f / (1.f + q * q));
        return {std::max(min_alpha, x), std::max(min_alpha, q * x)};
    }
    float alpha() const { return std::sqrt(ax * ay); }  ///< of the isotropic surface that loses about as much

    float d(const V3f& h) const {
        const float x = h.x / ax;
        const float y = h.y / ay;
        const float t = x * x + y * y + h.z * h.z;
        return 1.f / (pi * ax * ay * t * t);
    }
    float lambda(const V3f& w) const {
        const float m2 = w.z * w.z;
        if (m2 <= 0.f) return 1e10f;
        const float x = w.x * ax;
        const float y = w.y * ay;
        return .5f * (std::sqrt(1.f + (x * x + y * y) / m2) - 1.f);
    }
    float g1(const V3f& w) const { return 1.f / (1.f + lambda(w)); }
    float g2(const V3f& wo, const V3f& wi) const {
        return 1.f / (1.f + lambda(wo) + lambda(wi));
    }  ///< both on one side, heights correlated
    /// wo above, wi below: the heights that let one in keep the other from leaving (Heitz et al. 2016, section 6): B(1
    /// + Lambda_o, 1 + Lambda_i).
    float g2_through(const V3f& wo, const V3f& wi) const { return beta_of(lambda(wo), lambda({wi.x, wi.y, -wi.z})); }

    /// A normal visible from wo, which may also look up from below the horizon (Dupuy and Benyoub 2023, "Sampling
    /// Visible GGX Normals with Spherical Caps").
    V3f visible_normal(const V3f& wo, float u1, float u2) const {
        const V3f stretched = V3f(wo.x * ax, wo.y * ay, wo.z).normalized();
        float sine;
        float cosine;
        sincos_turn(u1, sine, cosine);
        const float z = (1.f - u2) * (1.f + stretched.z) - stretched.z;
        const float s = std::sqrt(std::max(0.f, 1.f - z * z));
        const V3f h = V3f(s * cosine, s * sine, z) + stretched;
        return V3f(h.x * ax, h.y * ay, std::max(1e-9f, h.z)).normalized();
    }
    /// Density of visible_normal over h.
    float visible_normal_pdf(const V3f& wo, const V3f& h) const {
        return g1(wo) * d(h) * std::max(0.f, wo.dot(h)) / std::max(wo.z, 1e-6f);
    }
    /// Density over wi of reflecting wo about a visible normal: G1(wo) D(h) / (4 mu_o).
    float reflected_pdf(const V3f& wo, const V3f& h) const { return g1(wo) * d(h) / (4.f * std::max(wo.z, 1e-6f)); }
};

/// The half vector of a refraction from wo (above) to wi (below), on the upper side; eta is that below over that above
/// (Walter et al., 16).
inline V3f refraction_half(const V3f& wo, const V3f& wi, float eta) {
    V3f h = wo + wi * eta;
    const float length = h.length();
    if (length < 1e-9f) return V3f(0.f);
    h /= length;
    return h.z < 0.f ? -h : h;
}
/// Refracts wo at a facet with normal h, wo.h > 0. False where all light is reflected.
inline bool refract(const V3f& wo, const V3f& h, float eta, V3f& wi) {
    const float c = wo.dot(h);
    const float s2 = (1.f - c * c) / (eta * eta);
    if (s2 >= 1.f) return false;
    wi = h * (c / eta - std::sqrt(1.f - s2)) - wo / eta;
    return true;
}
inline V3f cosine_direction(float u1, float u2) {
    const float s = std::sqrt(u1);
    float sine;
    float cosine;
    sincos_turn(u2, sine, cosine);
    return {s * cosine, s * sine, std::sqrt(std::max(0.f, 1.f - u1))};
}

}  // namespace vemtra::surface
