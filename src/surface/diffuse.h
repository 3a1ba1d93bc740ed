// Matt scattering: the energy-preserving rough diffuse body, and fuzz.
//   EON    Portsmouth, Kutz, Hill 2025, "EON: A Practical Energy-Preserving Rough Diffuse BRDF"; r roughness, rho
// colour
//   fuzz   Estevez and Kulla 2017, "Production Friendly Microfacet Sheen BRDF", with the visibility of Neubelt and
// Pettineo 2013; its
//          directional albedo is tabulated at start, and scaled down where a grazing angle would give back more than
// arrives
#pragma once
#include <algorithm>
#include <array>

#include "base/vec.h"

namespace vemtra::surface {

/// EON's f(wo, wi) without the cosine. Reciprocal; white keeps all light.
V3f eon(const V3f& color, float roughness, const V3f& wo, const V3f& wi);

/// What a rough matt body under an interface is to be weighed by, so that white keeps all light: with p(mu) the share
/// that passes the interface and P its cosine-weighted mean,
///   c(o) * integral of eon(o, i) p(i) c(i) mu_i = P     so that p(o) c(o) eon(o, i) p(i) c(i) / P gives back p(o)
/// found for white by scaling rows and columns alike (Sinkhorn 1967); of colour the same is taken.
class MattUnder {
public:
    static constexpr int nodes = 17;
    static float mu_at(int k) { return std::max(1e-4f, float(k * k) / float((nodes - 1) * (nodes - 1))); }
    MattUnder() { c_.fill(1.f); }
    /// `passes` at the nodes, each in [0, 1]; not all 0.
    MattUnder(float roughness, const float* passes);
    float at(float mu) const {
        const float x = std::sqrt(clamp01(mu)) * (nodes - 1);
        const int k = std::min(int(x), nodes - 2);
        return lerp(c_[size_t(k)], c_[size_t(k) + 1], x - float(k));
    }
    float most() const { return *std::max_element(c_.begin(), c_.end()); }

private:
    std::array<float, nodes> c_;
};

/// Above every value of pi * eon of white seen from mu_o: 1 + r tan(theta_o), and the spread-out rest.
float eon_bound(float roughness, float mu_o);

/// Fuzz's f(wo, wi) of white fibres without the cosine, and its directional albedo (at most 1).
float fuzz(float roughness, const V3f& wo, const V3f& wi);
float fuzz_albedo(float roughness, float mu);
/// Above every value of fuzz * mu_i.
float fuzz_bound(float roughness);
/// Of less than this albedo nothing is drawn: what is missed is far below what is seen.
inline constexpr float least_fuzz = .01f;
/// Draws wi in exact proportion to fuzz * mu_i, by rejection: from the even hemisphere, where D mu_i / (4 (mu_o + mu_i
/// - mu_o mu_i)) <= D(90 deg) / 4; or, for fine fibres, from half vectors of density D cos(h), where the ratio mu_i |wo
/// + wi|^2 / (2 (mu_o + mu_i)(mu_o + mu_i - mu_o mu_i)) is at most max(1, 1 / (2 mu_o)). z is 0 where nothing was
/// found, in one of a hundred draws at the least albedo.
template <class Next> V3f fuzz_direction(float roughness, const V3f& wo, Next&& next) {
    const float power = 1.f / std::max(.05f, roughness);
    const float most_of_half = std::max(1.f, .5f / std::max(1e-3f, wo.z));
    const bool by_half = most_of_half < .25f * (2.f + power);
    const float most = fuzz_bound(roughness);
    V3f wi;
    for (int tries = 0; tries < 2048; ++tries) {
        float sine;
        float cosine;
        if (by_half) {
            const float s = std::pow(next(), 1.f / (2.f + power));
            sincos_turn(next(), sine, cosine);
            const V3f h(s * cosine, s * sine, std::sqrt(std::max(0.f, 1.f - s * s)));
            const float d = wo.dot(h);
            if (d <= 0.f) continue;
            wi = h * (2.f * d) - wo;
            if (wi.z <= 1e-4f) continue;
            const float sum = wo.z + wi.z;
            const float ratio = wi.z * (wo + wi).length2() / (2.f * sum * (sum - wo.z * wi.z));
            if (next() * most_of_half < ratio) return wi;
            continue;
        }
        const float z = std::max(1e-4f, next());
        const float s = std::sqrt(std::max(0.f, 1.f - z * z));
        sincos_turn(next(), sine, cosine);
        wi = {s * cosine, s * sine, z};
        if (next() * most < fuzz(roughness, wo, wi) * z) return wi;
    }
    return {0.f, 0.f, 0.f};
}

}  // namespace vemtra::surface
