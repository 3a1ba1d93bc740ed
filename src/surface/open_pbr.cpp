#include "surface/open_pbr.h"

#include "surface/albedo_tables.h"

namespace vemtra::surface {
namespace {

constexpr float c1 = .5f - 2.f / (3.f * pi);
constexpr float c2 = 2.f / 3.f - 28.f / (15.f * pi);

// Directional albedo of the Fujii Oren-Nayar lobe of unit colour (EON, eq. 22, polynomial fit).
float fon_albedo(float mu, float r) {
    const float m = 1.f - mu;
    const float g = m * (.0571085289f + m * (.491881867f + m * (-.332181442f + m * .0714429953f)));
    return (1.f + r * g) / (1.f + c1 * r);
}

// The weight of the specular interface scales its reflectance straight on (OpenPBR 1.1, "Dielectric base").
float weighted_eta(float ior, float weight) {
    const float r = (ior - 1.f) / (ior + 1.f);
    const float s = std::min(.9999f, std::sqrt(clamp01(weight * r * r)));
    return (1.f + s) / (1.f - s);
}

}  // namespace

V3f eon(const V3f& color, float r, const V3f& wo, const V3f& wi) {
    const float mu_o = wo.z, mu_i = wi.z;
    const float s = wo.dot(wi) - mu_o * mu_i;
    const float s_over_t = s > 0.f ? s / std::max(mu_o, mu_i) : s;
    const float a = 1.f / (1.f + c1 * r);
    const float single = inverse_pi * a * (1.f + r * s_over_t);
    const float e_o = fon_albedo(mu_o, r), e_i = fon_albedo(mu_i, r), e_average = a * (1.f + c2 * r);
    constexpr float eps = 1e-7f;
    const float spread = inverse_pi * std::max(eps, 1.f - e_o) * std::max(eps, 1.f - e_i) / std::max(eps, 1.f - e_average);
    V3f f;
    for (int c = 0; c < 3; ++c) {
        const float rho = color[c], multiple = rho * rho * e_average / (1.f - rho * std::max(0.f, 1.f - e_average));
        f[c] = rho * single + multiple * spread;
    }
    return f;
}

Slots sane(Slots s) {
    auto unit = [](float& x, float fallback) { x = std::isfinite(x) ? clamp01(x) : fallback; };
    for (int c = 0; c < 3; ++c) unit(s.base_color[c], .5f), unit(s.specular_color[c], 1.f);
    unit(s.base_metalness, 0.f);
    unit(s.specular_roughness, .5f);
    unit(s.base_diffuse_roughness, 0.f);
    unit(s.base_weight, 1.f);
    unit(s.specular_weight, 1.f);
    s.specular_ior = std::isfinite(s.specular_ior) ? std::clamp(s.specular_ior, 1.f, 3.f) : 1.5f;
    return s;
}

Bsdf::Bsdf(const Slots& s, const V3f& wo)
    : s_(s), wo_(wo), alpha_(alpha_of(s.specular_roughness)), eta_(weighted_eta(s.specular_ior, s.specular_weight)),
      metal_(s.base_color * s.base_weight, s.specular_color), body_(s.base_color * s.base_weight) {
    const AlbedoTables& tables = AlbedoTables::get();
    const float r = s.specular_roughness, mu = wo.z, metalness = s.base_metalness;
    white_o_ = tables.white(mu, r);
    white_average_ = tables.white_average(r);
    V3f specular(0.f), diffuse(0.f);
    if (metalness < 1.f) {
        dielectric_o_ = tables.dielectric(mu, r, eta_);
        dielectric_average_ = tables.dielectric_average(r, eta_);
        dielectric_multiple_ = tables.dielectric_multiple(r, eta_);
        specular += s.specular_color * (dielectric_o_ * (1.f - metalness));
        diffuse = body_ * ((1.f - dielectric_o_) * (1.f - metalness));
    }
    if (metalness > 0.f) {
        const V3f f = metal_.average();
        for (int c = 0; c < 3; ++c) metal_multiple_[c] = f[c] * f[c] * white_average_ / (1.f - f[c] * (1.f - white_average_)) * s.specular_weight;
        specular += (metal_(mu) * (white_o_ * s.specular_weight) + metal_multiple_ * (1.f - white_o_)) * metalness;
    }
    albedo_ = specular + diffuse;
    const float ls = luminance(specular), ld = luminance(diffuse) + luminance(metal_multiple_) * metalness * (1.f - white_o_);
    p_specular_ = ls + ld > 0.f ? std::clamp(ls / (ls + ld), .1f, .95f) : .5f;
}

V3f Bsdf::evaluate(const V3f& wi) const {
    const float mu_o = wo_.z, mu_i = wi.z;
    if (mu_o <= 0.f || mu_i <= 0.f) return V3f(0.f);
    const AlbedoTables& tables = AlbedoTables::get();
    const V3f sum = wo_ + wi;
    const float length = sum.length();
    if (length < 1e-8f) return V3f(0.f);
    const V3f h = sum / length;
    const float d = wo_.dot(h), metalness = s_.base_metalness;
    const float single = ggx_d(h.z, alpha_) * smith_g2(mu_o, mu_i, alpha_) / (4.f * mu_o);  // times mu_i / mu_i
    const float spread = (1.f - white_o_) * (1.f - tables.white(mu_i, s_.specular_roughness)) / (pi * std::max(1e-6f, 1.f - white_average_)) * mu_i;
    V3f f(0.f);
    if (metalness < 1.f) {
        const float through = (1.f - dielectric_o_) * (1.f - tables.dielectric(mu_i, s_.specular_roughness, eta_)) / std::max(1e-6f, 1.f - dielectric_average_);
        f += (s_.specular_color * (fresnel_dielectric(d, eta_) * single + dielectric_multiple_ * spread) +
              eon(body_, s_.base_diffuse_roughness, wo_, wi) * (through * mu_i)) * (1.f - metalness);
    }
    if (metalness > 0.f) f += (metal_(d) * (single * s_.specular_weight) + metal_multiple_ * spread) * metalness;
    return f;
}

float Bsdf::pdf(const V3f& wi) const {
    if (wo_.z <= 0.f || wi.z <= 0.f) return 0.f;
    const V3f h = (wo_ + wi).normalized();
    return p_specular_ * visible_normal_pdf(wo_.z, h.z, alpha_) + (1.f - p_specular_) * wi.z * inverse_pi;
}

Scattered Bsdf::sample(float u_lobe, float u1, float u2) const {
    if (wo_.z <= 0.f) return {};
    V3f wi;
    if (u_lobe < p_specular_) {
        const V3f h = sample_visible_normal(wo_, alpha_, u1, u2);
        wi = h * (2.f * wo_.dot(h)) - wo_;
    } else {
        const float s = std::sqrt(u1);
        float sine, cosine;
        sincos_turn(u2, sine, cosine);
        wi = V3f(s * cosine, s * sine, std::sqrt(std::max(0.f, 1.f - u1)));
    }
    if (wi.z <= 1e-6f) return {};
    const float density = pdf(wi);
    if (!(density > 0.f)) return {};
    return {wi, evaluate(wi) / density, density};
}

}  // namespace vemtra::surface
