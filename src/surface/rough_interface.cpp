#include "surface/rough_interface.h"

namespace vemtra::surface {

RoughInterface::RoughInterface(const Ggx& ggx, float eta) : ggx_(ggx), eta_(eta), roughness_(std::sqrt(ggx.alpha())) {
    const AlbedoTables& tables = AlbedoTables::get();
    average_ = tables.dielectric_average(roughness_, eta);
    far_average_ = tables.dielectric_average(roughness_, 1.f / eta);
    through_norm_ = std::sqrt(average_.through() * far_average_.through()) / eta;
    sharp_ = average_.lost < 2e-4f && far_average_.lost < 2e-4f;
}

RoughInterface::Seen RoughInterface::seen_from(const V3f& wo) const {
    const AlbedoTables& tables = AlbedoTables::get();
    Seen o{wo, ggx_.g1(wo), {}, 0.f};
    if (sharp_) return o;
    o.rest = tables.dielectric(wo.z, roughness_, eta_);
    o.reflectance = tables.reflectance(wo.z, roughness_, eta_);
    return o;
}

float RoughInterface::reflect(const Seen& o, const V3f& wi) const {
    const V3f sum = o.wo + wi;
    const float length = sum.length();
    if (wi.z <= 0.f || length < 1e-8f) return 0.f;
    const V3f h = sum / length;
    float f = fresnel_dielectric(o.wo.dot(h), eta_) * ggx_.d(h) * ggx_.g2(o.wo, wi) / (4.f * o.wo.z);
    if (!sharp_ && average_.reflected > 1e-6f)
        f += o.rest.reflected * AlbedoTables::get().dielectric(wi.z, roughness_, eta_).reflected /
             (pi * average_.reflected) * wi.z;
    return f;
}

float RoughInterface::refract(const Seen& o, const V3f& wi) const {
    if (wi.z >= 0.f) return 0.f;
    float f = 0.f;
    const V3f h = refraction_half(o.wo, wi, eta_);
    const float oh = o.wo.dot(h);
    const float ih = wi.dot(h);
    if (oh > 0.f && ih < 0.f) {
        const float denominator = oh + eta_ * ih;
        const float g2 = sharp_ ? 1.f : ggx_.g2_through(o.wo, wi);
        f = (1.f - fresnel_dielectric(oh, eta_)) * ggx_.d(h) * g2 * oh * -ih * eta_ * eta_ /
            (o.wo.z * denominator * denominator);
    }
    if (!sharp_ && through_norm_ > 1e-6f)
        f += o.rest.through() * AlbedoTables::get().dielectric(-wi.z, roughness_, 1.f / eta_).through() /
             (pi * through_norm_) * -wi.z;
    return f;
}

float RoughInterface::rest_chance(const Seen& o, Event event) const {
    if (sharp_) return 0.f;
    switch (event) {
        case Event::reflect: return o.rest.reflected / std::max(1e-6f, o.reflectance);
        default: return o.rest.through() / std::max(1e-6f, 1.f - o.reflectance);
    }
}

float RoughInterface::pdf(const Seen& o, const V3f& wi, Event event) const {
    if ((event == Event::reflect) != (wi.z > 0.f)) return 0.f;
    const float rest = std::min(.9f, rest_chance(o, event));
    float single = 0.f;
    if (event == Event::reflect) {
        const V3f h = (o.wo + wi).normalized();
        single = o.g1 * ggx_.d(h) / (4.f * o.wo.z);
    } else {
        const V3f h = refraction_half(o.wo, wi, eta_);
        const float oh = o.wo.dot(h);
        const float ih = wi.dot(h);
        const float denominator = oh + eta_ * ih;
        if (oh > 0.f && ih < 0.f)
            single = o.g1 * ggx_.d(h) * oh * -ih * eta_ * eta_ / (o.wo.z * denominator * denominator);
    }
    return (1.f - rest) * single + rest * std::fabs(wi.z) * inverse_pi;
}

RoughInterface::Sample RoughInterface::sample(const Seen& o, Event event, float u, float u1, float u2) const {
    const float rest = std::min(.9f, rest_chance(o, event));
    Sample s;
    const bool through = event == Event::refract;
    if (u < rest) {
        s.wi = cosine_direction(u1, u2);
        if (through) s.wi.z = -s.wi.z;
    } else {
        const V3f h = ggx_.visible_normal(o.wo, u1, u2);
        const float oh = o.wo.dot(h);
        if (!through)
            s.wi = h * (2.f * oh) - o.wo;
        else if (!surface::refract(o.wo, h, eta_, s.wi))
            return s;
    }
    if (through ? s.wi.z >= -1e-6f : s.wi.z <= 1e-6f) return s;
    s.pdf = pdf(o, s.wi, event);
    if (!(s.pdf > 0.f)) return Sample();
    s.weight = (through ? refract(o, s.wi) : reflect(o, s.wi)) / s.pdf;
    return s;
}

}  // namespace vemtra::surface
