#include "surface/open_pbr.h"

#include "surface/thin_film.h"

namespace vemtra::surface {
namespace {

// The weight of the specular interface scales its reflectance straight on (OpenPBR 1.1, "Dielectric base").
float weighted_eta(float eta, float weight) {
    if (weight >= 1.f) return eta;
    const float r = (eta - 1.f) / (eta + 1.f);
    const float s = std::copysign(std::sqrt(clamp01(weight * r * r)), r);
    return (1.f + s) / (1.f - s);
}

// Cauchy's n = a + b / lambda^2 from the Abbe number, at wavelengths that stand for the channels (OpenPBR 1.1,
// "Dispersion").
float dispersed(float ior, float scale, float abbe, int channel) {
    constexpr float d = .5876f;
    constexpr float f = .4861f;
    constexpr float c = .6563f;
    constexpr float at[] = {.61f, .55f, .465f};  // micrometres: Fraunhofer's d, F, C; the channels
    const float v = abbe / std::max(1e-3f, scale);
    const float b = (ior - 1.f) / (v * (1.f / (f * f) - 1.f / (c * c)));
    return std::max(1.f, ior + b * (1.f / (at[channel] * at[channel]) - 1.f / (d * d)));
}

// A slab of two smooth sides: all passes between them (Stokes).
float slab(float f) {
    return 2.f * f / (1.f + f);
}

}  // namespace

float Bsdf::eta_of(const Slots& s, float outside, bool leaving, int channel) {
    float ior = s.specular_ior;
    if (channel >= 0 && s.transmission_dispersion_scale > 0.f)
        ior = dispersed(ior, s.transmission_dispersion_scale, s.transmission_dispersion_abbe_number, channel);
    const float eta = std::clamp(weighted_eta(ior / outside, s.specular_weight), 1.f / 3.f, 3.f);
    if (!leaving && eta < 1.f && s.transmission_weight <= 0.f) return 1.f / eta;
    return leaving ? 1.f / eta : eta;
}

Bsdf::Bsdf(const Slots& s, float eta, float outside_ior) : s_(s), body_(s.base_color * s.base_weight), extra_(s) {
    const AlbedoTables& tables = AlbedoTables::get();
    // A rough film would need its own walk; a smooth one only recolours the facets.
    film_ = s.thin_film_weight > 0.f && s.thin_film_thickness > 0.f;
    thin_ = s.geometry_thin_walled > .5f;
    metal_.exact = s.base_metalness > 0.f && max_component(s.metal_extinction) > 0.f;
    metal_.n = s.metal_ior / outside_ior;
    metal_.k = s.metal_extinction / outside_ior;
    metal_.colors = metal_.exact ? conductor_f82(s.metal_ior, s.metal_extinction, outside_ior)
                                 : FresnelF82(body_, s.specular_color);
    matched_ = std::fabs(eta - 1.f) < 2e-3f;
    interface_ =
        RoughInterface(Ggx::from(s.specular_roughness, s.specular_roughness_anisotropy), matched_ ? 1.002f : eta);
    through_ = s.transmission_weight;
    const float rest = 1.f - through_;
    const float under = rest * s.subsurface_weight;
    opaque_ = rest - under;
    if (thin_)
        thin_diffuse_ = under;
    else
        subsurface_ = under;
    white_average_ = tables.white_average(interface_.roughness());
    if (s.base_metalness < 1.f && !matched_)
        dielectric_average_ = tables.reflectance_average(interface_.roughness(), interface_.eta());
    if (s.base_metalness > 0.f) metal_rest_ = tables.conductor_rest(metal_.colors, interface_.roughness());
}

V3f Bsdf::film(float mu, bool metal) const {
    return metal ? thin_film_on_metal(mu, s_.thin_film_thickness, s_.thin_film_ior, metal_(mu))
                 : thin_film_on_dielectric(mu, s_.thin_film_thickness, s_.thin_film_ior, interface_.eta());
}
V3f Bsdf::metal_fresnel(float mu) const {
    const V3f f = metal_(mu);
    return film_ ? f + (film(mu, true) - f) * s_.thin_film_weight : f;
}

Bsdf::Seen Bsdf::substrate_from(const V3f& wo_in) const {
    Seen o;
    o.wo = wo_in;
    o.wo.z = std::max(1e-4f, o.wo.z);
    const AlbedoTables& tables = AlbedoTables::get();
    const float mu = o.wo.z;
    const float dielectric = 1.f - s_.base_metalness;
    const float r = interface_.roughness();
    o.interface.wo = o.wo;
    o.interface.g1 = interface_.ggx().g1(o.wo);
    o.white = tables.white(mu, r);
    V3f single(0.f);
    V3f spread(0.f);
    V3f through(0.f);
    V3f spread_through(0.f);
    V3f under(0.f);
    if (dielectric > 0.f) {
        o.interface = interface_.seen_from(o.wo);
        o.dielectric = matched_ ? 0.f : interface_.reflectance(mu);
        if (matched_) o.interface.rest = {};
        const float passes = 1.f - o.dielectric;
        if (thin_) {
            const float f = slab(o.dielectric);
            single = s_.specular_color * (f * dielectric);
            through = s_.transmission_color * ((1.f - f) * through_ * dielectric);
        } else {
            single = s_.specular_color * ((o.dielectric - o.interface.rest.reflected) * dielectric);
            spread = s_.specular_color * (o.interface.rest.reflected * dielectric);
            const V3f tint = s_.transmission_depth > 0.f ? V3f(1.f) : s_.transmission_color;
            through = tint * (std::max(0.f, passes - o.interface.rest.through()) * through_ * dielectric);
            spread_through = tint * (o.interface.rest.through() * through_ * dielectric);
        }
        const V3f under_color = s_.subsurface_color;
        spread += body_ * (passes * opaque_ * dielectric) + under_color * (.5f * passes * thin_diffuse_ * dielectric);
        spread_through += under_color * (.5f * passes * thin_diffuse_ * dielectric);
        under = V3f(passes * subsurface_ * dielectric);
    }
    if (s_.base_metalness > 0.f) {
        o.metal_rest = tables.conductor_rest_at(metal_rest_, mu) * s_.specular_weight;
        single += metal_fresnel(mu) * (o.white * s_.specular_weight * s_.base_metalness);
        spread += o.metal_rest * s_.base_metalness;
    }
    o.albedo = single + spread + through + spread_through + under * s_.subsurface_color;
    const float w[] = {luminance(single), luminance(spread), luminance(through), luminance(spread_through),
                       luminance(under * s_.subsurface_color)};
    float total = 0.f;
    for (float x : w) total += x;
    if (!(total > 1e-9f)) {
        o.p_single = o.p_cosine = .5f;
        return o;
    }
    // The cosine lobe catches what the narrow one misses in its tails; it is never left out where light comes back.
    float p[5];
    float sum = 0.f;
    for (int i = 0; i < 5; ++i) sum += p[i] = w[i] > 0.f ? std::max(w[i] / total, .04f) : 0.f;
    if (p[0] > 0.f && p[1] < .04f) sum += .04f - p[1], p[1] = .04f;
    o.p_single = p[0] / sum;
    o.p_cosine = p[1] / sum;
    o.p_through = p[2] / sum;
    o.p_cosine_through = p[3] / sum;
    o.p_subsurface = p[4] / sum;
    if (o.p_subsurface > 0.f) o.subsurface_weight = under / o.p_subsurface;
    return o;
}

V3f Bsdf::evaluate_substrate(const Seen& o, const V3f& wi) const {
    const AlbedoTables& tables = AlbedoTables::get();
    const float dielectric = 1.f - s_.base_metalness;
    const float mu_i = std::fabs(wi.z);
    V3f f(0.f);
    if (mu_i <= 0.f) return f;
    if (wi.z < 0.f) {
        if (dielectric <= 0.f || !transmits()) return f;
        if (!thin_) {
            const V3f tint = s_.transmission_depth > 0.f ? V3f(1.f) : s_.transmission_color;
            float value = interface_.refract(o.interface, wi);
            V3f color(1.f);
            if (film_) {
                const V3f h = refraction_half(o.wo, wi, interface_.eta());
                const float mu = std::max(0.f, o.wo.dot(h));
                const float clear = 1.f - fresnel_dielectric(mu, interface_.eta());
                if (clear > 1e-4f)
                    color = V3f(1.f) + ((V3f(1.f) - film(mu, false)) / clear - V3f(1.f)) * s_.thin_film_weight;
            }
            return tint * color * (value * through_ * dielectric);
        }
        const V3f mirrored(wi.x, wi.y, -wi.z);
        if (through_ > 0.f) {
            const V3f h = (o.wo + mirrored).normalized();
            const float single = interface_.ggx().d(h) * interface_.ggx().g2(o.wo, mirrored) / (4.f * o.wo.z);
            f += s_.transmission_color *
                 ((1.f - slab(fresnel_dielectric(o.wo.dot(h), interface_.eta()))) * single * through_ * dielectric);
        }
        if (thin_diffuse_ > 0.f)
            f += s_.subsurface_color * (.5f * inverse_pi * mu_i * thin_diffuse_ * (1.f - o.dielectric) * dielectric);
        return f;
    }
    const V3f sum = o.wo + wi;
    const float length = sum.length();
    if (length < 1e-8f) return f;
    const V3f h = sum / length;
    const float d = o.wo.dot(h);
    const float single = interface_.ggx().d(h) * interface_.ggx().g2(o.wo, wi) / (4.f * o.wo.z);
    if (dielectric > 0.f) {
        V3f reflected;
        if (thin_ || film_) {
            V3f fresnel(fresnel_dielectric(d, interface_.eta()));
            if (film_) fresnel += (film(d, false) - fresnel) * s_.thin_film_weight;
            if (thin_)
                for (int c = 0; c < 3; ++c) fresnel[c] = slab(fresnel[c]);
            reflected = fresnel * single;
        } else {
            reflected = V3f(interface_.reflect(o.interface, wi));
        }
        if (!matched_) f += s_.specular_color * reflected * dielectric;
        if (opaque_ > 0.f || thin_diffuse_ > 0.f) {
            const float passes = (1.f - o.dielectric) * (matched_ ? 1.f : 1.f - interface_.reflectance(mu_i)) /
                                 std::max(1e-6f, 1.f - dielectric_average_);
            if (opaque_ > 0.f)
                f += eon(body_, s_.base_diffuse_roughness, o.wo, wi) * (passes * mu_i * opaque_ * dielectric);
            if (thin_diffuse_ > 0.f)
                f += s_.subsurface_color * (.5f * inverse_pi * mu_i * thin_diffuse_ * passes * dielectric);
        }
    }
    if (s_.base_metalness > 0.f) {
        f += metal_fresnel(d) * (single * s_.specular_weight * s_.base_metalness);
        if (1.f - white_average_ > 1e-6f) {
            const V3f rest = tables.conductor_rest_at(metal_rest_, mu_i);
            for (int c = 0; c < 3; ++c)
                if (metal_rest_.average[c] > 1e-7f)
                    f[c] += o.metal_rest[c] * rest[c] / (pi * metal_rest_.average[c]) * mu_i * s_.base_metalness;
        }
    }
    return f;
}

float Bsdf::substrate_pdf(const Seen& o, const V3f& wi) const {
    if (wi.z > 0.f) {
        float p = o.p_cosine * wi.z * inverse_pi;
        if (o.p_single > 0.f) {
            const V3f h = (o.wo + wi).normalized();
            p += o.p_single * o.interface.g1 * interface_.ggx().d(h) / (4.f * o.wo.z);
        }
        return p;
    }
    float p = o.p_cosine_through * -wi.z * inverse_pi;
    if (o.p_through > 0.f) {
        if (thin_) {
            const V3f h = (o.wo + V3f(wi.x, wi.y, -wi.z)).normalized();
            p += o.p_through * o.interface.g1 * interface_.ggx().d(h) / (4.f * o.wo.z);
        } else {
            const float eta = interface_.eta();
            const V3f h = refraction_half(o.wo, wi, eta);
            const float oh = o.wo.dot(h);
            const float ih = wi.dot(h);
            const float denominator = oh + eta * ih;
            if (oh > 0.f && ih < 0.f)
                p += o.p_through * o.interface.g1 * interface_.ggx().d(h) * oh * -ih * eta * eta /
                     (o.wo.z * denominator * denominator);
        }
    }
    return p;
}

Scattered Bsdf::sample_substrate(const Seen& o, float u, float u1, float u2) const {
    Scattered s;
    if (u < o.p_subsurface) {
        s.enters_subsurface = true;
        s.weight = o.subsurface_weight;
        s.pdf = 1.f;
        return s;
    }
    u -= o.p_subsurface;
    if (u < o.p_single + o.p_through) {
        const V3f h = interface_.ggx().visible_normal(o.wo, u1, u2);
        if (u < o.p_single || thin_) {
            s.wi = h * (2.f * o.wo.dot(h)) - o.wo;
            if (s.wi.z <= 1e-6f) return {};
            if (u >= o.p_single) s.wi.z = -s.wi.z;
        } else if (!surface::refract(o.wo, h, interface_.eta(), s.wi) || s.wi.z >= -1e-6f) {
            return {};
        }
    } else {
        s.wi = cosine_direction(u1, u2);
        if (s.wi.z <= 1e-6f) return {};
        if (u >= o.p_single + o.p_through + o.p_cosine) {
            if (o.p_cosine_through <= 0.f) return {};
            s.wi.z = -s.wi.z;
        }
    }
    s.pdf = substrate_pdf(o, s.wi);
    if (!(s.pdf > 0.f)) return {};
    s.weight = evaluate_substrate(o, s.wi) / s.pdf;
    return s;
}

float Bsdf::substrate_scatter_pdf(const Seen& o, const V3f& wi) const {
    if (!opaque()) return substrate_pdf(o, wi);
    if (wi.z <= 0.f) return 0.f;
    const AlbedoTables& tables = AlbedoTables::get();
    float p = 0.f;
    if (s_.base_metalness > 0.f) {
        const V3f h = (o.wo + wi).normalized();
        const float single = interface_.ggx().d(h) * interface_.ggx().g2(o.wo, wi) / (4.f * o.wo.z);
        const float rest = (1.f - o.white) * (1.f - tables.white(wi.z, interface_.roughness())) /
                           (pi * std::max(1e-6f, 1.f - white_average_)) * wi.z;
        p += s_.base_metalness * (single + rest);
    }
    if (s_.base_metalness < 1.f) {
        float d = eon(V3f(1.f), s_.base_diffuse_roughness, o.wo, wi).x * wi.z;
        if (!matched_) {
            d *= (1.f - o.dielectric) * (1.f - interface_.reflectance(wi.z)) /
                 std::max(1e-6f, 1.f - dielectric_average_);
            d += interface_.reflect(o.interface, wi);
        }
        p += (1.f - s_.base_metalness) * d;
    }
    return p;
}

// The surface is the substrate and the extra lobes, each by its share.
Bsdf::Seen Bsdf::seen_from(const V3f& wo) const {
    Seen o = substrate_from(wo);
    if (extra_.any()) {
        o.albedo = o.albedo * extra_.rest() + extra_.albedo(s_, o.wo);
        o.subsurface_weight *= extra_.rest();
    }
    return o;
}
V3f Bsdf::evaluate(const Seen& o, const V3f& wi) const {
    const V3f f = evaluate_substrate(o, wi);
    return extra_.any() ? f * extra_.rest() + extra_.evaluate(s_, o.wo, wi) : f;
}
float Bsdf::pdf(const Seen& o, const V3f& wi) const {
    const float p = substrate_pdf(o, wi);
    return extra_.any() ? p * extra_.rest() + extra_.pdf(s_, o.wo, wi) : p;
}
float Bsdf::scatter_pdf(const Seen& o, const V3f& wi) const {
    const float p = substrate_scatter_pdf(o, wi);
    return extra_.any() ? p * extra_.rest() + extra_.pdf(s_, o.wo, wi) : p;
}
Scattered Bsdf::sample(const Seen& o, float u, float u1, float u2) const {
    if (!extra_.any()) return sample_substrate(o, u, u1, u2);
    const float taken = 1.f - extra_.rest();
    Scattered s;
    if (u < taken) {
        if (!extra_.sample(s_, o.wo, u, u1, u2, s.wi)) return {};
    } else {
        s = sample_substrate(o, (u - taken) / std::max(1e-6f, extra_.rest()), u1, u2);
        if (s.enters_subsurface || s.pdf <= 0.f) {
            s.weight /= std::max(1e-6f, extra_.rest());  // the walk's share was taken by the choice already
            return s;
        }
    }
    s.pdf = pdf(o, s.wi);
    if (!(s.pdf > 0.f)) return {};
    s.weight = evaluate(o, s.wi) / s.pdf;
    return s;
}

float Bsdf::leaving_subsurface(const V3f& wi) const {
    if (wi.z <= 0.f) return 0.f;
    const float passes = matched_ ? 1.f : 1.f - interface_.reflectance(wi.z);
    return passes / std::max(1e-6f, 1.f - dielectric_average_) * wi.z * inverse_pi;
}

}  // namespace vemtra::surface
