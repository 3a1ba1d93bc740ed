// Reflectance of smooth interfaces.
//   eta  IOR of the far side over that of the near side             mu   cosine of incidence
#pragma once
#include "base/vec.h"

namespace vemtra::surface {

/// Unpolarised Fresnel reflectance of a dielectric; 1 where all light is reflected.
inline float fresnel_dielectric(float mu, float eta) {
    const float s2 = (1.f - mu * mu) / (eta * eta);
    if (s2 >= 1.f) return 1.f;
    const float ct = std::sqrt(1.f - s2);
    const float rs = (mu - eta * ct) / (mu + eta * ct);
    const float rp = (eta * mu - ct) / (eta * mu + ct);
    return .5f * (rs * rs + rp * rp);
}

/// Unpolarised Fresnel reflectance of a conductor with complex IOR (n + ik) against the medium outside of it (Born and
/// Wolf, 14.2).
inline float fresnel_conductor(float mu, float n, float k) {
    const float c2 = mu * mu;
    const float s2 = 1.f - c2;
    const float nk = n * n - k * k - s2;
    const float root = std::sqrt(nk * nk + 4.f * n * n * k * k);
    const float a = std::sqrt(std::max(0.f, .5f * (root + nk)));
    const float rs = (root + c2 - 2.f * a * mu) / (root + c2 + 2.f * a * mu);
    const float rp = rs * (c2 * root + s2 * s2 - 2.f * a * mu * s2) / (c2 * root + s2 * s2 + 2.f * a * mu * s2);
    return .5f * (rs + rp);
}

/// Fresnel reflectance of a metal from its colour straight on (F0) and a tint at cos = 1/7 (Kutz, Hasan, Edmondson
/// 2021, F82-tint, as OpenPBR Surface 1.1 uses it):
///   F(mu) = F0 + (1 - F0)(1 - mu)^5 - b mu (1 - mu)^6
struct FresnelF82 {
    V3f f0{0.f}, b{0.f};
    FresnelF82() = default;
    FresnelF82(const V3f& f0_, const V3f& tint) : f0(f0_) {
        constexpr float mu = 1.f / 7.f;
        constexpr float one = 1.f - mu;
        constexpr float p5 = one * one * one * one * one;
        constexpr float p6 = p5 * one;
        for (int c = 0; c < 3; ++c) b[c] = (f0[c] + (1.f - f0[c]) * p5) * (1.f - tint[c]) / (mu * p6);
    }
    V3f operator()(float mu) const {
        const float m = 1.f - mu;
        const float m2 = m * m;
        const float m5 = m2 * m2 * m;
        return from_means(m5, mu * m5 * m);
    }
    /// The same from means of (1 - mu)^5 and mu (1 - mu)^6 over many events.
    V3f from_means(float m5, float m6) const {
        V3f f;
        for (int c = 0; c < 3; ++c) f[c] = clamp01(f0[c] + (1.f - f0[c]) * m5 - b[c] * m6);
        return f;
    }
};

/// F0 and the F82 tint of a conductor whose n and k are given per channel against vacuum, in a medium of IOR `outside`.
inline FresnelF82 conductor_f82(const V3f& n, const V3f& k, float outside) {
    V3f f0;
    V3f tint;
    const FresnelF82 schlick(V3f(0.f), V3f(1.f));
    for (int c = 0; c < 3; ++c) {
        f0[c] = fresnel_conductor(1.f, n[c] / outside, k[c] / outside);
        const float m = 6.f / 7.f;
        const float p5 = m * m * m * m * m;
        tint[c] = fresnel_conductor(1.f / 7.f, n[c] / outside, k[c] / outside) / (f0[c] + (1.f - f0[c]) * p5);
    }
    return {f0, tint};
}

/// A metal's reflectance: from its colours, or exactly from n and k where those are given.
struct MetalFresnel {
    FresnelF82 colors;
    V3f n{0.f}, k{0.f};
    bool exact = false;
    V3f operator()(float mu) const {
        if (!exact) return colors(mu);
        return {fresnel_conductor(mu, n.x, k.x), fresnel_conductor(mu, n.y, k.y), fresnel_conductor(mu, n.z, k.z)};
    }
};

}  // namespace vemtra::surface
