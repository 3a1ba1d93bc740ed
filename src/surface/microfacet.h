// Isotropic GGX microfacets (Walter et al. 2007; Trowbridge and Reitz 1975) in the local frame (normal = +z).
//   alpha = roughness^2          D  normal distribution       G1, G2  Smith masking, and masking-shadowing (height correlated)
//   wo, wi  unit vectors away from the surface               h  half vector                   mu  cosine against the normal
#pragma once
#include "base/vec.h"

namespace vemtra::surface {

inline constexpr float min_alpha = 1e-3f;
inline float alpha_of(float roughness) { return std::max(min_alpha, roughness * roughness); }

inline float ggx_d(float cos_h, float alpha) {
    const float a2 = alpha * alpha, t = cos_h * cos_h * (a2 - 1.f) + 1.f;
    return a2 / (pi * t * t);
}
inline float smith_lambda(float mu, float alpha) {
    const float m2 = mu * mu;
    if (m2 <= 0.f) return 1e10f;
    return .5f * (std::sqrt(1.f + alpha * alpha * (1.f - m2) / m2) - 1.f);
}
inline float smith_g1(float mu, float alpha) { return 1.f / (1.f + smith_lambda(mu, alpha)); }
inline float smith_g2(float mu_o, float mu_i, float alpha) { return 1.f / (1.f + smith_lambda(mu_o, alpha) + smith_lambda(mu_i, alpha)); }

/// Samples a visible normal (Dupuy and Benyoub 2023, "Sampling Visible GGX Normals with Spherical Caps").
inline V3f sample_visible_normal(const V3f& wo, float alpha, float u1, float u2) {
    const V3f stretched = V3f(wo.x * alpha, wo.y * alpha, wo.z).normalized();
    float sine, cosine;
    sincos_turn(u1, sine, cosine);
    const float z = (1.f - u2) * (1.f + stretched.z) - stretched.z;
    const float s = std::sqrt(std::max(0.f, 1.f - z * z));
    const V3f h = V3f(s * cosine, s * sine, z) + stretched;
    return V3f(h.x * alpha, h.y * alpha, std::max(1e-9f, h.z)).normalized();
}
/// Density over wi of reflecting wo about a visible normal: G1(wo) D(h) / (4 mu_o).
inline float visible_normal_pdf(float mu_o, float cos_h, float alpha) { return smith_g1(mu_o, alpha) * ggx_d(cos_h, alpha) / (4.f * std::max(mu_o, 1e-6f)); }

/// Unpolarised Fresnel reflectance of a dielectric; `eta` = IOR of the far side over that of the near side.
inline float fresnel_dielectric(float cos_i, float eta) {
    const float s2 = (1.f - cos_i * cos_i) / (eta * eta);
    if (s2 >= 1.f) return 1.f;
    const float ct = std::sqrt(1.f - s2);
    const float rs = (cos_i - eta * ct) / (cos_i + eta * ct), rp = (eta * cos_i - ct) / (eta * cos_i + ct);
    return .5f * (rs * rs + rp * rp);
}

/// Fresnel reflectance of a metal from its colour straight on (F0) and a tint at cos = 1/7 (Kutz, Hasan, Edmondson 2021, "Novel aspects
/// of the Adobe Standard Material", F82-tint, as OpenPBR Surface 1.1 uses it):
///   F(mu) = F0 + (1 - F0)(1 - mu)^5 - b mu (1 - mu)^6
struct FresnelF82 {
    V3f f0, b;
    FresnelF82(const V3f& f0_, const V3f& tint) : f0(f0_) {
        constexpr float mu = 1.f / 7.f, one = 1.f - mu;
        constexpr float p5 = one * one * one * one * one, p6 = p5 * one;
        for (int c = 0; c < 3; ++c) b[c] = (f0[c] + (1.f - f0[c]) * p5) * (1.f - tint[c]) / (mu * p6);
    }
    V3f operator()(float mu) const {
        const float m = 1.f - mu, m2 = m * m, m5 = m2 * m2 * m;
        V3f f;
        for (int c = 0; c < 3; ++c) f[c] = clamp01(f0[c] + (1.f - f0[c]) * m5 - b[c] * mu * m5 * m);
        return f;
    }
    /// Cosine-weighted average over the hemisphere: F0 + (1 - F0)/21 - b/126.
    V3f average() const {
        V3f f;
        for (int c = 0; c < 3; ++c) f[c] = clamp01(f0[c] + (1.f - f0[c]) / 21.f - b[c] / 126.f);
        return f;
    }
};

}  // namespace vemtra::surface
