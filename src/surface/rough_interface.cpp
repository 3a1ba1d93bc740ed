#include "surface/rough_interface.h"

#include "base/hash.h"

namespace vemtra::surface {

RoughInterface::RoughInterface(const Ggx& ggx, float eta) : ggx_(ggx), facets_(ggx), near_(eta), far_(1.f / eta) {
    struct Kept {
        float ax = -1.f, ay = 0.f, eta = 0.f;
        Sums sums;
    };
    constexpr uint32_t most = 64;
    static thread_local Kept kept[most];
    auto bits = [](float x) { return __builtin_bit_cast(uint32_t, x); };
    Kept& k = kept[mix32(bits(ggx.ax) + mix32(bits(ggx.ay) + mix32(bits(eta)))) % most];
    if (k.ax != ggx.ax || k.ay != ggx.ay || k.eta != eta) k = {ggx.ax, ggx.ay, eta, sum_up()};
    sharp_ = k.sums.sharp;
    mean_ = k.sums.mean;
    through_norm_ = k.sums.through_norm;
    most_echo_beyond_ = k.sums.most_echo_beyond;
}

RoughInterface::Sums RoughInterface::sum_up() const {
    const AlbedoTables& tables = AlbedoTables::get();
    Sums s;
    s.mean = tables.dielectric_mean(facets_, near_);
    const AlbedoTables::InterfaceMean beyond = tables.dielectric_mean(facets_, far_);
    const AlbedoTables::Interface far = beyond.shares;
    s.most_echo_beyond = beyond.most_echo_through;
    // Stretched facets are known less well: energy is kept on the side that is looked from.
    s.through_norm = facets_.round() ? std::sqrt(s.mean.shares.through() * far.through()) / near_.eta : far.through();
    s.sharp = s.mean.whole.lost < 2e-4f && beyond.whole.lost < 2e-4f;
    return s;
}

RoughInterface::Seen RoughInterface::seen_from(const V3f& wo) const {
    Seen o{wo, ggx_.g1(wo), {}};
    if (!sharp_) o.beyond = AlbedoTables::get().beyond(wo, facets_, near_);
    return o;
}

float RoughInterface::reflect_once(const Seen& o, const V3f& wi, float& cosine) const {
    const V3f sum = o.wo + wi;
    const float length = sum.length();
    cosine = 1.f;
    if (wi.z <= 0.f || length < 1e-8f) return 0.f;
    const V3f h = sum / length;
    cosine = o.wo.dot(h);
    return ggx_.d(h) * ggx_.g2(o.wo, wi) / (4.f * o.wo.z);
}
float RoughInterface::refract_once(const Seen& o, const V3f& wi, float& cosine) const {
    const V3f h = refraction_half(o.wo, wi, near_.eta);
    const float oh = o.wo.dot(h);
    const float ih = wi.dot(h);
    cosine = 1.f;
    if (!(oh > 0.f && ih < 0.f)) return 0.f;
    cosine = oh;
    const float denominator = oh + near_.eta * ih;
    const float g2 = sharp_ ? 1.f : ggx_.g2_through(o.wo, wi);
    return ggx_.d(h) * g2 * oh * -ih * near_.eta * near_.eta / (o.wo.z * denominator * denominator);
}
float RoughInterface::broad_reflected(const Seen& o, const V3f& wi, const AlbedoTables::Beyond& there) const {
    if (mean_.shares.reflected <= 1e-6f) return 0.f;
    return o.rest().reflected * there.rest.reflected / (pi * mean_.shares.reflected) * wi.z *
           mean_.forward_reflected(o.wo, wi);
}
float RoughInterface::rest_reflected(const Seen& o, const V3f& wi) const {
    if (sharp_ || mean_.whole.reflected <= 1e-6f) return 0.f;
    const AlbedoTables& tables = AlbedoTables::get();
    return tables.dielectric(o.wo, facets_, near_).reflected * tables.dielectric(wi, facets_, near_).reflected /
           (pi * mean_.whole.reflected) * wi.z * mean_.forward_reflected_of_all(o.wo, wi);
}

float RoughInterface::reflect(const Seen& o, const V3f& wi) const {
    if (wi.z <= 0.f) return 0.f;
    float cosine;
    const float once = reflect_once(o, wi, cosine);
    const float plain = fresnel_dielectric(cosine, near_.eta) * once;
    if (sharp_) return plain;
    const AlbedoTables::Beyond there = AlbedoTables::get().beyond(wi, facets_, near_);
    return plain * (1.f + o.beyond.echo_reflected * there.echo_reflected) + broad_reflected(o, wi, there);
}

float RoughInterface::refract(const Seen& o, const V3f& wi) const {
    if (wi.z >= 0.f) return 0.f;
    float cosine;
    const float once = refract_once(o, wi, cosine);
    const float plain = (1.f - fresnel_dielectric(cosine, near_.eta)) * once;
    if (sharp_) return plain;
    const V3f far(wi.x, wi.y, -wi.z);
    const AlbedoTables::Beyond there = AlbedoTables::get().beyond(far, facets_, far_);
    const float broad = through_norm_ <= 1e-6f ? 0.f
                                               : o.rest().through() * there.rest.through() / (pi * through_norm_) *
                                                     far.z * mean_.forward_through(o.wo, far);
    return plain * (1.f + o.beyond.echo_through * there.echo_through) + broad;
}

float RoughInterface::rest_chance(const Seen& o, Passage event) const {
    if (sharp_) return 0.f;
    switch (event) {
        case Passage::reflect: return o.rest().reflected / std::max(1e-6f, o.beyond.reflectance);
        default: return o.rest().through() / std::max(1e-6f, 1.f - o.beyond.reflectance);
    }
}

float RoughInterface::pdf(const Seen& o, const V3f& wi, Passage event) const {
    if ((event == Passage::reflect) != (wi.z > 0.f)) return 0.f;
    const float rest = std::min(.9f, rest_chance(o, event));
    float single = 0.f;
    if (event == Passage::reflect) {
        const V3f h = (o.wo + wi).normalized();
        single = o.g1 * ggx_.d(h) / (4.f * o.wo.z);
    } else {
        const V3f h = refraction_half(o.wo, wi, near_.eta);
        const float oh = o.wo.dot(h);
        const float ih = wi.dot(h);
        const float denominator = oh + near_.eta * ih;
        if (oh > 0.f && ih < 0.f)
            single = o.g1 * ggx_.d(h) * oh * -ih * near_.eta * near_.eta / (o.wo.z * denominator * denominator);
    }
    if (rest <= 0.f) return single;
    return (1.f - rest) * single + rest * std::fabs(wi.z) * inverse_pi * forward(event).drawn(o.wo, wi);
}

RoughInterface::Sample RoughInterface::sample(const Seen& o, Passage event, float u, float u1, float u2) const {
    const float rest = std::min(.9f, rest_chance(o, event));
    Sample s;
    const bool through = event == Passage::refract;
    if (u < rest) {
        s.wi = forward(event).draw(o.wo, u1, u2);
        if (through) s.wi.z = -s.wi.z;
    } else {
        const V3f h = ggx_.visible_normal(o.wo, u1, u2);
        const float oh = o.wo.dot(h);
        if (!through)
            s.wi = h * (2.f * oh) - o.wo;
        else if (!surface::refract(o.wo, h, near_.eta, s.wi))
            return s;
    }
    if (through ? s.wi.z >= -1e-6f : s.wi.z <= 1e-6f) return s;
    s.pdf = pdf(o, s.wi, event);
    if (!(s.pdf > 0.f)) return Sample();
    s.weight = (through ? refract(o, s.wi) : reflect(o, s.wi)) / s.pdf;
    return s;
}

}  // namespace vemtra::surface
