#include "surface/open_pbr.h"

#include <algorithm>
#include <array>

#include "surface/spectrum.h"
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

// Cauchy's n = a + b / lambda^2 from the Abbe number (OpenPBR 1.1, "Dispersion"): Fraunhofer's d, F and C lines.
float dispersed(float ior, float scale, float abbe, float wavelength) {
    constexpr float d = .5876f;
    constexpr float f = .4861f;
    constexpr float c = .6563f;
    const float v = abbe / std::max(1e-3f, scale);
    const float b = (ior - 1.f) / (v * (1.f / (f * f) - 1.f / (c * c)));
    return std::max(1.f, ior + b * (1.f / (wavelength * wavelength) - 1.f / (d * d)));
}

/// Wavelengths in steps, with what each weighs: the matching functions of CIE 1931 (Wyman, Sloan, Shirley 2013) in
/// Rec.709, what lies out of it cut, each channel brought to a mean of 1. Drawn by the mean of the channels.
struct Wavelengths {
    static constexpr int n = 64;
    static constexpr float first = .39f, step = .005f;
    std::array<V3f, n> weight;
    std::array<float, n> below;
    Wavelengths() {
        V3f sum(0.f);
        for (int i = 0; i < n; ++i) {
            const float nm = 1000.f * (first + step * (float(i) + .5f));
            weight[size_t(i)] = rec709_of(nm);
            for (int c = 0; c < 3; ++c) weight[size_t(i)][c] = std::max(0.f, weight[size_t(i)][c]);
            sum += weight[size_t(i)];
        }
        float all = 0.f;
        for (int i = 0; i < n; ++i) {
            V3f& w = weight[size_t(i)];
            for (int c = 0; c < 3; ++c) w[c] /= sum[c];
            const float chance = (w.x + w.y + w.z) / 3.f;
            below[size_t(i)] = all += chance;
            w /= std::max(1e-9f, chance);
        }
        for (float& b : below) b /= all;
    }
};

V3f slab(const V3f& f) {
    return {2.f * f.x / (1.f + f.x), 2.f * f.y / (1.f + f.y), 2.f * f.z / (1.f + f.z)};
}
V3f over(const V3f& a, const V3f& b) {
    return {a.x / std::max(1e-6f, b.x), a.y / std::max(1e-6f, b.y), a.z / std::max(1e-6f, b.z)};
}

}  // namespace

float draw_wavelength(float u, V3f& weight) {
    static const Wavelengths all;
    const auto it = std::upper_bound(all.below.begin(), all.below.end(), u);
    const size_t i = std::min<size_t>(size_t(it - all.below.begin()), Wavelengths::n - 1);
    const float low = i ? all.below[i - 1] : 0.f;
    weight = all.weight[i];
    return Wavelengths::first + Wavelengths::step * (float(i) + (u - low) / std::max(1e-9f, all.below[i] - low));
}

float Bsdf::eta_of(const Slots& s, float outside, bool leaving, float wavelength) {
    float ior = s.specular_ior;
    if (wavelength > 0.f && s.transmission_dispersion_scale > 0.f)
        ior = dispersed(ior, s.transmission_dispersion_scale, s.transmission_dispersion_abbe_number, wavelength);
    const float eta = std::clamp(weighted_eta(ior / outside, s.specular_weight), 1.f / 3.f, 3.f);
    if (!leaving && eta < 1.f && s.transmission_weight <= 0.f) return 1.f / eta;
    return leaving ? 1.f / eta : eta;
}

Bsdf::Bsdf(const Slots& s, float eta, float near_ior) : s_(s), body_(s.base_color * s.base_weight), extra_(s) {
    const AlbedoTables& tables = AlbedoTables::get();
    film_ = s.thin_film_weight > 0.f && s.thin_film_thickness > 0.f;
    thin_ = s.geometry_thin_walled > .5f;
    metal_.exact = s.base_metalness > 0.f && max_component(s.metal_extinction) > 0.f;
    metal_.n = s.metal_ior / near_ior;
    metal_.k = s.metal_extinction / near_ior;
    metal_.colors =
        metal_.exact ? conductor_f82(s.metal_ior, s.metal_extinction, near_ior) : FresnelF82(body_, s.specular_color);
    matched_ = std::fabs(eta - 1.f) < 2e-3f && !film_;
    const bool no_step = std::fabs(eta - 1.f) < 2e-3f;
    const Ggx ggx = Ggx::from(s.specular_roughness, s.specular_roughness_anisotropy);
    interface_ = s.base_metalness < 1.f ? RoughInterface(ggx, no_step ? 1.002f : eta) : RoughInterface(ggx);
    film_ior_ = s.thin_film_ior / near_ior;
    near_ior_ = near_ior;
    through_ = s.transmission_weight;
    const float rest = 1.f - through_;
    const float under = rest * s.subsurface_weight;
    opaque_ = rest - under;
    if (thin_)
        thin_diffuse_ = under;
    else
        subsurface_ = under;
    white_average_ = tables.white_average(interface_.facets());
    if (s.base_metalness < 1.f) {
        if (coloured())
            sum_up_facets();
        else if (!matched_)
            passes_average_ = V3f(1.f - interface_.reflectance_average());
        if (opaque_ > 0.f && s.base_diffuse_roughness > 0.f && !matched_) weigh_matt();
    }
    if (s.base_metalness > 0.f) {
        if (film_) {
            V3f nodes[facet_nodes];
            for (int k = 0; k < facet_nodes; ++k) nodes[k] = metal_fresnel(facet_node(k));
            metal_rest_ = tables.conductor_rest(nodes, interface_.facets());
        } else {
            metal_rest_ = tables.conductor_rest(metal_.colors, interface_.facets());
        }
    }
}

V3f Bsdf::facet(float mu) const {
    V3f f(fresnel_dielectric(mu, interface_.eta()));
    if (film_)
        f += (thin_film_on_dielectric(mu, s_.thin_film_thickness, film_ior_, interface_.eta(), near_ior_) - f) *
             s_.thin_film_weight;
    return thin_ ? slab(f) : f;
}
V3f Bsdf::metal_fresnel(float mu) const {
    const V3f f = metal_(mu);
    if (!film_) return f;
    return f + (thin_film_on_metal(mu, s_.thin_film_thickness, film_ior_, metal_, near_ior_) - f) * s_.thin_film_weight;
}

void Bsdf::weigh_matt() {
    struct Kept {  // most points of a surface share it
        float key[4] = {-1.f};
        MattUnder matt;
    };
    static thread_local Kept kept;
    const float key[4] = {interface_.eta(), interface_.ggx().ax, interface_.ggx().ay, s_.base_diffuse_roughness};
    if (!std::equal(key, key + 4, kept.key)) {
        float share[MattUnder::nodes];
        for (int k = 0; k < MattUnder::nodes; ++k) {
            const float mu = MattUnder::mu_at(k);
            const float across = std::sqrt(.5f * std::max(0.f, 1.f - mu * mu));  // between the axes of a stretch
            share[k] = 1.f - interface_.reflectance({across, across, mu});
        }
        kept.matt = MattUnder(s_.base_diffuse_roughness, share);
        std::copy_n(key, 4, kept.key);
    }
    matt_ = kept.matt;
}

/// Reflectance of the facets at the nodes, and of the whole over the hemisphere.
void Bsdf::sum_up_facets() {
    struct Kept {  // most points of a surface share their film
        float key[6] = {-1.f};
        V3f nodes[facet_nodes];
    };
    static thread_local Kept kept;
    const float key[6] = {interface_.eta(),
                          near_ior_,
                          thin_ ? 1.f : 0.f,
                          film_ ? s_.thin_film_weight : 0.f,
                          film_ ? s_.thin_film_thickness : 0.f,
                          film_ior_};
    if (!std::equal(key, key + 6, kept.key)) {
        for (int k = 0; k < facet_nodes; ++k) kept.nodes[k] = facet(facet_node(k));
        std::copy_n(key, 6, kept.key);
    }
    std::copy_n(kept.nodes, facet_nodes, at_nodes_);
    float shares[facet_nodes];
    const Facets& f = interface_.facets();
    AlbedoTables::get().facet_shares_average(f.roughness, shares);
    float white = 0.f;
    for (int k = 0; k < facet_nodes; ++k) white += shares[k], wall_ += at_nodes_[k] * shares[k];
    wall_ /= std::max(1e-6f, white);
    const V3f rest = thin_ ? wall_ * (1.f - white_average_) : V3f(interface_.rest_reflected_average());
    passes_average_ = V3f(1.f) - wall_ * white_average_ - rest;
    if (thin_) wall_forward_ = AlbedoTables::get().conductor_rest(FresnelF82(V3f(1.f), V3f(1.f)), f).forward_of_all;
}

Bsdf::Parted Bsdf::parted(const V3f& w) const {
    const AlbedoTables& tables = AlbedoTables::get();
    const Facets& f = interface_.facets();
    const float once = interface_.sharp() ? 1.f : tables.white(w, f);
    Parted p;
    float shares[facet_nodes] = {};
    if (interface_.sharp()) {
        p.reflected = facet(w.z);
    } else {
        tables.facet_shares(w.z, f.along(w), shares);
        float white = 0.f;
        for (int k = 0; k < facet_nodes; ++k) white += shares[k], p.reflected += at_nodes_[k] * shares[k];
        p.reflected *= once / std::max(1e-6f, white);
        for (float& x : shares) x *= once / std::max(1e-6f, white);
    }
    if (thin_) {
        p.through = V3f(once) - p.reflected;
        p.rest_reflected = wall_ * (1.f - once);
        p.rest_through = V3f(1.f - once) - p.rest_reflected;
        return p;
    }
    // Behind a film light goes on as it would without one, in the colour of all that the film lets through: energy is
    // kept exactly, at the cost of the little by which that colour differs from one end of a rough passage to the
    // other.
    const AlbedoTables::Interface rest =
        interface_.sharp() ? AlbedoTables::Interface() : tables.dielectric(w, f, interface_.eta());
    p.rest_reflected = V3f(rest.reflected);
    const V3f passes = V3f(1.f) - p.reflected - p.rest_reflected;
    const float plain = 1.f - interface_.reflectance(w);
    const float part = plain > 1e-6f ? clamp01(rest.through() / plain) : 0.f;
    p.through = passes * (1.f - part);
    p.rest_through = passes * part;
    return p;
}

V3f Bsdf::passes(const V3f& w) const {
    if (coloured()) {
        const Parted p = parted(w);
        return V3f(1.f) - p.reflected - p.rest_reflected;
    }
    return V3f(matched_ ? 1.f : 1.f - interface_.reflectance(w));
}

Bsdf::Seen Bsdf::substrate_from(const V3f& wo_in) const {
    Seen o;
    o.wo = wo_in;
    o.wo.z = std::max(1e-4f, o.wo.z);
    const AlbedoTables& tables = AlbedoTables::get();
    const float dielectric = 1.f - s_.base_metalness;
    o.interface.wo = o.wo;
    o.interface.g1 = interface_.ggx().g1(o.wo);
    o.white = tables.white(o.wo, interface_.facets());
    V3f single(0.f);
    V3f spread(0.f);
    V3f through(0.f);
    V3f spread_through(0.f);
    V3f under(0.f);
    if (dielectric > 0.f) {
        o.interface = interface_.seen_from(o.wo);
        if (matched_) o.interface.beyond = {};
        if (coloured()) {
            o.parted = parted(o.wo);
        } else {
            const float all = matched_ ? 0.f : interface_.reflectance(o.interface);
            o.parted.rest_reflected = V3f(o.interface.rest().reflected);
            o.parted.reflected = V3f(all - o.interface.rest().reflected);
            o.parted.rest_through = V3f(o.interface.rest().through());
            o.parted.through = V3f(std::max(0.f, 1.f - all - o.interface.rest().through()));
        }
        o.passes = V3f(1.f) - o.parted.reflected - o.parted.rest_reflected;
        const V3f tint = s_.transmission_depth > 0.f && !thin_ ? V3f(1.f) : s_.transmission_color;
        single = s_.specular_color * o.parted.reflected * dielectric;
        spread = s_.specular_color * o.parted.rest_reflected * dielectric;
        through = tint * o.parted.through * (through_ * dielectric);
        spread_through = tint * o.parted.rest_through * (through_ * dielectric);
        const V3f& passes = o.passes;
        const V3f under_color = s_.subsurface_color;
        spread += passes * (body_ * (opaque_ * dielectric) + under_color * (.5f * thin_diffuse_ * dielectric));
        spread_through += passes * under_color * (.5f * thin_diffuse_ * dielectric);
        under = passes * (subsurface_ * dielectric);
    }
    if (s_.base_metalness > 0.f) {
        o.metal_rest = tables.conductor_rest_at(metal_rest_, o.wo);
        const float part = s_.specular_weight * s_.base_metalness;
        single += (metal_fresnel(o.wo.z) * o.white + metal_rest_.echo * o.metal_rest.echoed) * part;
        spread += o.metal_rest.broad * part;
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
    turn_broad(o, luminance(spread), luminance(spread_through));
    return o;
}

/// Of a metal and a dielectric together the turn is that of the one that spreads more.
void Bsdf::turn_broad(Seen& o, float spread, float spread_through) const {
    const float dielectric = 1.f - s_.base_metalness;
    const float metal = luminance(o.metal_rest.broad) * s_.specular_weight * s_.base_metalness;
    const float plain =
        coloured() || matched_ ? 0.f : luminance(s_.specular_color * o.parted.rest_reflected) * dielectric;
    o.forward = metal > plain ? metal_rest_.forward : interface_.forward(RoughInterface::Passage::reflect);
    if (o.forward.round && spread > 0.f) o.turned = std::min(1.f, std::max(metal, plain) / spread);
    if (coloured() || through_ <= 0.f || !(spread_through > 0.f)) return;
    o.forward_through = interface_.forward(RoughInterface::Passage::refract);
    if (!o.forward_through.round) return;
    const V3f tint = s_.transmission_depth > 0.f ? V3f(1.f) : s_.transmission_color;
    o.turned_through = std::min(1.f, luminance(tint * o.parted.rest_through) * through_ * dielectric / spread_through);
}

/// Where a wall sends what met it more than once, without its share: the same lobe on both sides.
float Bsdf::wall_rest(const V3f& wi, const Seen& o) const {
    const float lost = 1.f - white_average_;
    if (interface_.sharp() || lost <= 1e-6f) return 0.f;
    return (1.f - AlbedoTables::get().white(wi, interface_.facets())) / (pi * lost) * wi.z * wall_forward_(o.wo, wi);
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
            if (!film_) return tint * (interface_.refract(o.interface, wi) * through_ * dielectric);
            const float plain = std::max(1e-6f, 1.f - interface_.reflectance(o.wo));
            return tint * (o.parted.through + o.parted.rest_through) *
                   (interface_.refract(o.interface, wi) / plain * through_ * dielectric);
        }
        const V3f mirrored(wi.x, wi.y, -wi.z);
        if (through_ > 0.f) {
            float cosine;
            const float once = interface_.reflect_once(o.interface, mirrored, cosine);
            f += s_.transmission_color *
                 ((V3f(1.f) - facet(cosine)) * once + o.parted.rest_through * wall_rest(mirrored, o)) *
                 (through_ * dielectric);
        }
        if (thin_diffuse_ > 0.f)
            f += s_.subsurface_color * o.passes * over(passes(mirrored), passes_average_) *
                 (.5f * inverse_pi * mu_i * thin_diffuse_ * dielectric);
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
        if (thin_)
            reflected = facet(d) * single + o.parted.rest_reflected * wall_rest(wi, o);
        else if (film_)
            // A film's facets have colours: what meets several of them is spread, without an echo.
            reflected = facet(d) * single + V3f(interface_.rest_reflected(o.interface, wi));
        else
            reflected = V3f(interface_.reflect(o.interface, wi));
        if (!matched_) f += s_.specular_color * reflected * dielectric;
        if (opaque_ > 0.f || thin_diffuse_ > 0.f) {
            const V3f both = o.passes * over(passes(wi), passes_average_);
            if (opaque_ > 0.f)
                f += eon(body_, s_.base_diffuse_roughness, o.wo, wi) * both *
                     (mu_i * opaque_ * dielectric * matt_weight(o.wo.z, mu_i));
            if (thin_diffuse_ > 0.f)
                f += s_.subsurface_color * both * (.5f * inverse_pi * mu_i * thin_diffuse_ * dielectric);
        }
    }
    if (s_.base_metalness > 0.f) {
        const float part = s_.specular_weight * s_.base_metalness;
        V3f facets = metal_fresnel(d);
        if (1.f - white_average_ > 1e-6f) {
            const AlbedoTables::RestAt rest = tables.conductor_rest_at(metal_rest_, wi);
            facets += metal_rest_.echo * (o.metal_rest.echo * rest.echo);
            const float turn = mu_i * part * metal_rest_.forward(o.wo, wi);
            for (int c = 0; c < 3; ++c)
                if (metal_rest_.average[c] > 1e-7f)
                    f[c] += o.metal_rest.broad[c] * rest.broad[c] / (pi * metal_rest_.average[c]) * turn;
        }
        f += facets * (single * part);
    }
    return f;
}

float Bsdf::substrate_pdf(const Seen& o, const V3f& wi) const {
    if (wi.z > 0.f) {
        float p = o.p_cosine * broad_pdf(o.forward, o.turned, o.wo, wi);
        if (o.p_single > 0.f) {
            const V3f h = (o.wo + wi).normalized();
            p += o.p_single * o.interface.g1 * interface_.ggx().d(h) / (4.f * o.wo.z);
        }
        return p;
    }
    float p = o.p_cosine_through * broad_pdf(o.forward_through, o.turned_through, o.wo, {wi.x, wi.y, -wi.z});
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
        u -= o.p_single + o.p_through;
        const bool through = u >= o.p_cosine;
        if (through && o.p_cosine_through <= 0.f) return {};
        const float turned = through ? (u - o.p_cosine) / o.p_cosine_through : u / o.p_cosine;
        if (turned < (through ? o.turned_through : o.turned))
            s.wi = (through ? o.forward_through : o.forward).draw(o.wo, u1, u2);
        else
            s.wi = cosine_direction(u1, u2);
        if (s.wi.z <= 1e-6f) return {};
        if (through) s.wi.z = -s.wi.z;
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
        const AlbedoTables::RestAt there = tables.white_rest_at(interface_.facets(), wi);
        const float broad = o.metal_rest.white * there.white / (pi * std::max(1e-6f, metal_rest_.white_average)) *
                            wi.z * metal_rest_.forward(o.wo, wi);
        p += s_.base_metalness * (single * (1.f + o.metal_rest.echo * there.echo) + broad);
    }
    if (s_.base_metalness < 1.f) {
        float d = eon(V3f(1.f), s_.base_diffuse_roughness, o.wo, wi).x * wi.z * matt_weight(o.wo.z, wi.z);
        if (!matched_) {
            d *= o.passes.x * (1.f - interface_.reflectance(wi)) / std::max(1e-6f, passes_average_.x);
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
bool Bsdf::splits(const Seen& o, float widest) const {
    return !extra_.any() && s_.base_metalness < .5f && !matched_ && o.p_single > 0.f && o.p_single < 1.f &&
           ggx().alpha() < widest;
}

void Bsdf::split(Seen& o) const {
    const float rest = 1.f - o.p_single;
    o.both = true;
    o.p_single = 1.f;
    o.p_cosine /= rest;
    o.p_through /= rest;
    o.p_cosine_through /= rest;
    o.p_subsurface /= rest;
    o.subsurface_weight *= rest;
}

Scattered Bsdf::sample(const Seen& o, Of of, float u, float u1, float u2) const {
    // Lobes lie one after the other along u: the walk below, facets, the rest; where both are sampled, along two.
    if (o.both && (of == Of::facets || u >= o.p_subsurface)) u += of == Of::facets ? o.p_subsurface : 1.f;
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

float Bsdf::entered_pdf(const V3f& wi, const V3f& wo) const {
    if (wo.z <= 0.f) return 0.f;
    const V3f up(wi.x, wi.y, -wi.z);
    float p = entered_evenly * wo.z * inverse_pi;
    if (thin_) return p + (1.f - entered_evenly) * ggx().reflected_pdf(up, (up + wo).normalized());
    const float back = 1.f / eta();
    const V3f down(wo.x, wo.y, -wo.z);
    const V3f h = refraction_half(up, down, back);
    const float oh = up.dot(h);
    const float ih = down.dot(h);
    const float denominator = oh + back * ih;
    if (oh > 0.f && ih < 0.f && denominator * denominator > 1e-12f)
        p += (1.f - entered_evenly) * ggx().g1(up) * ggx().d(h) * oh * -ih * back * back /
             (up.z * denominator * denominator);
    return p;
}

V3f Bsdf::leaving_subsurface(const V3f& wi) const {
    if (wi.z <= 0.f) return V3f(0.f);
    return over(passes(wi), passes_average_) * (wi.z * inverse_pi);
}

}  // namespace vemtra::surface
