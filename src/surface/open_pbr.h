// The substrate of OpenPBR Surface 1.1 at one point: everything under its coat and fuzz, which stack.h lays over it.
//
//   metal:        F82(h.wi) D G / (4 mu_o mu_i) + what further bounces give back
//   dielectric:   a rough interface (rough_interface.h), reflection tinted by specular_color, over
//     opaque:     diffuse * (1 - E(mu_o)) (1 - E(mu_i)) / (1 - E_average)      (Kelemen and Szirmay-Kalos 2001:
// reciprocal, energy kept)
//     clear:      refraction into the body, tinted here only where transmission_depth is 0
//     subsurface: entrance into a scattering body; the integrator walks there (render/body.h)
//   thin-walled:  the same with light going straight through: reflection's lobe mirrored to the far side, and diffuse
// on both sides
//   thin film:    F of every facet is the film's, per channel; the body gets what the film lets through
// All directions are local, normal = +z on the side of wo, pointing away; eta is the IOR of the far side
// over that of wo's side.
#pragma once
#include "surface/diffuse.h"
#include "surface/lobes.h"
#include "surface/rough_interface.h"
#include "surface/slots.h"

namespace vemtra::surface {

/// A wavelength that light bent by a prism carries, micrometres, and what that weighs in linear Rec.709: the mean over
/// all is white. `u` in [0, 1).
float draw_wavelength(float u, V3f& weight);

struct Scattered {
    V3f wi{0.f};
    V3f weight{0.f};                 ///< f * |mu_i| / pdf
    float pdf = 0.f;                 ///< per solid angle; 0: nothing was scattered
    bool enters_subsurface = false;  ///< a walk in the body goes on; `wi` and `pdf` mean nothing then
};

class Bsdf {
public:
    /// `eta` = IOR of the body's far side over that of the near side, which `near_ior` is: a film and a metal given by
    /// n and k lie in it.
    Bsdf(const Slots& sane_slots, float eta, float near_ior = 1.f);
    /// The body's own IOR over `outside`, or the other way round where the body is left; specular_weight is minded. An
    /// opaque body that is optically thinner than the coat over it is taken the other way round, which keeps its
    /// reflectance straight on and has no total reflection that its diffuse part would have to answer for (OpenPBR 1.1,
    /// "Coat").
    static float eta_of(const Slots& slots, float outside_ior, bool leaving, float wavelength = 0.f);

    /// Of a wall or an interface whose facets do not reflect as a plain dielectric: where light goes, by how often it
    /// met a facet. Shares per channel.
    struct Parted {
        V3f reflected{0.f}, through{0.f}, rest_reflected{0.f}, rest_through{0.f};
    };

    /// What depends on wo (wo.z > 0) alone.
    struct Seen {
        RoughInterface::Seen interface;
        V3f wo;
        float white = 1.f;
        V3f passes{1.f};  ///< share that goes on into the dielectric's body
        Parted parted;    ///< of thin walls and films
        AlbedoTables::RestAt metal_rest;
        V3f albedo{0.f};  ///< about the share of light that comes back, per channel
        float p_single = 0, p_cosine = 0, p_through = 0, p_cosine_through = 0, p_subsurface = 0;
        V3f subsurface_weight{0.f};
        /// Of what is drawn by the cosine, the share that is drawn as the facets' broad lobe turns.
        Onward forward, forward_through;
        float turned = 0.f, turned_through = 0.f;
        bool both = false;  ///< facets and the rest are each sampled once
    };
    Seen seen_from(const V3f& wo) const;

    V3f evaluate(const Seen& o, const V3f& wi) const;  ///< f(wo, wi) * |mu_i|
    float pdf(const Seen& o, const V3f& wi) const;
    /// All lobes, or those facets reflect into, or the others.
    enum class Of : uint8_t { all, facets, rest };
    Scattered sample(const Seen& o, Of of, float u_lobe, float u1, float u2) const;
    Scattered sample(const Seen& o, float u_lobe, float u1, float u2) const {
        return sample(o, Of::all, u_lobe, u1, u2);
    }
    /// Whether a dielectric's facets, sharper than `widest`, reflect above something else.
    bool splits(const Seen& o, float widest) const;
    /// From here on both `facets` and `rest` are sampled, once each; pdf() counts both.
    void split(Seen& o) const;

    /// The same for walks between coats, where products of many weights must not spread: directions are drawn in exact
    /// proportion to what a white substrate of this form would scatter, so that the weight is colour alone. Surfaces
    /// that light goes into use sample().
    template <class Next> Scattered scatter(const Seen& o, Next&& next) const;
    float scatter_pdf(const Seen& o, const V3f& wi) const;

    /// Of light that comes out at wi (wi.z < 0): a direction over the surface that it may have entered by, and its
    /// density. z is 0 where there is none.
    template <class Next> V3f sample_entered(const V3f& wi, Next&& next) const;
    float entered_pdf(const V3f& wi, const V3f& wo) const;

    bool transmits() const { return through_ > 0.f || thin_diffuse_ > 0.f; }
    const Ggx& ggx() const { return interface_.ggx(); }
    float eta() const { return interface_.eta(); }
    float metalness() const { return s_.base_metalness; }
    /// Diffuse light leaving the body towards wi after a walk in it: the share that the interface lets out, times
    /// cosine over pi.
    V3f leaving_subsurface(const V3f& wi) const;

private:
    static constexpr float entered_evenly = .1f;
    Seen substrate_from(const V3f& wo) const;
    void turn_broad(Seen& o, float spread, float spread_through) const;
    V3f evaluate_substrate(const Seen& o, const V3f& wi) const;
    float substrate_pdf(const Seen& o, const V3f& wi) const;
    float substrate_scatter_pdf(const Seen& o, const V3f& wi) const;
    Scattered sample_substrate(const Seen& o, float u_lobe, float u1, float u2) const;
    /// Density of what is drawn by the cosine, wi.z > 0: of a share `turned`, as `forward` has it.
    static float broad_pdf(const Onward& forward, float turned, const V3f& wo, const V3f& wi) {
        const float even = wi.z * inverse_pi;
        return turned > 0.f ? even * (1.f - turned + turned * forward.drawn(wo, wi)) : even;
    }
    template <class Next> Scattered scatter_substrate(const Seen& o, Next&& next) const;
    template <class Next> void scatter_metal_rest(const Seen& o, Next&& next, Scattered& s) const;
    bool opaque() const { return opaque_ >= 1.f && !film_ && !thin_; }
    /// Whether the dielectric's facets have a reflectance of their own.
    bool coloured() const { return thin_ || film_; }
    /// Reflectance of one facet of the dielectric, of both sides where it is a thin wall.
    V3f facet(float mu) const;
    V3f metal_fresnel(float mu) const;
    void sum_up_facets();
    void weigh_matt();
    float matt_weight(float mu_o, float mu_i) const {
        return s_.base_diffuse_roughness > 0.f ? matt_.at(mu_o) * matt_.at(mu_i) : 1.f;
    }
    Parted parted(const V3f& w) const;
    V3f passes(const V3f& w) const;  ///< into the body, at w.z > 0
    float wall_rest(const V3f& wi, const Seen& o) const;

    Slots s_;
    RoughInterface interface_;
    MetalFresnel metal_;
    V3f body_;                                            // diffuse colour
    bool thin_ = false, film_ = false, matched_ = false;  // matched: equal media, no interface
    float opaque_ = 1.f, through_ = 0.f, subsurface_ = 0.f,
          thin_diffuse_ = 0.f;  // shares of the dielectric's substrate
    float white_average_ = 1.f, film_ior_ = 1.f, near_ior_ = 1.f;
    Onward wall_forward_;
    V3f passes_average_{1.f};                // cosine-weighted
    V3f at_nodes_[facet_nodes], wall_{0.f};  // of coloured(): facet() at the nodes; its mean over the hemisphere
    AlbedoTables::Rest metal_rest_;
    MattUnder matt_;  // of a rough body
    ExtraLobes extra_;
};

template <class Next> Scattered Bsdf::scatter(const Seen& o, Next&& next) const {
    if (!extra_.any()) return scatter_substrate(o, next);
    const float u = next();
    const float taken = 1.f - extra_.rest();
    if (u >= taken) return scatter_substrate(o, next);
    Scattered s;
    const float a = next();
    const float b = next();
    if (!extra_.sample(s_, o.wo, u, a, b, s.wi)) return s;
    s.pdf = 1.f;
    s.weight = extra_.evaluate(s_, o.wo, s.wi) / std::max(1e-12f, extra_.pdf(s_, o.wo, s.wi));
    return s;
}

template <class Next> V3f Bsdf::sample_entered(const V3f& wi, Next&& next) const {
    const float u = next();
    const float u1 = next();
    const float u2 = next();
    const V3f up(wi.x, wi.y, -wi.z);
    if (u < entered_evenly) return surface::cosine_direction(u1, u2);
    const V3f h = ggx().visible_normal(up, u1, u2);
    V3f wo;
    if (thin_) {
        wo = h * (2.f * up.dot(h)) - up;
        return wo.z > 1e-6f ? wo : V3f(0.f);
    }
    if (!surface::refract(up, h, 1.f / eta(), wo) || wo.z >= -1e-6f) return V3f(0.f);
    return {wo.x, wo.y, -wo.z};
}

// What single scattering loses: as an echo of it, or in the directions in which it loses it.
template <class Next> void Bsdf::scatter_metal_rest(const Seen& o, Next&& next, Scattered& s) const {
    const AlbedoTables& tables = AlbedoTables::get();
    const AlbedoTables::Rest& rest = metal_rest_;
    const Facets& facets = interface_.facets();
    const Ggx& ggx = interface_.ggx();
    if (next() * (1.f - o.white) < o.metal_rest.echoed) {
        for (int tries = 0; tries < 20000; ++tries) {  // as rare as they are long
            const float u1 = next();
            const float u2 = next();
            const V3f h = ggx.visible_normal(o.wo, u1, u2);
            s.wi = h * (2.f * o.wo.dot(h)) - o.wo;
            if (s.wi.z < 1e-6f) continue;
            const float u = next() * rest.most_echo * o.interface.g1;
            if (u >= tables.white_rest_at(facets, s.wi).echo * ggx.g2(o.wo, s.wi)) continue;
            s.weight = rest.echo * s_.specular_weight;
            return;
        }
    }
    AlbedoTables::RestAt there;
    for (int tries = 0; tries < 256; ++tries) {
        s.wi = tables.draw_lost(facets, next);
        there = tables.conductor_rest_at(rest, s.wi);
        if (there.echoed <= 0.f || next() * (there.white + there.echoed) < there.white) break;
    }
    s.wi = rest.forward.turned(o.wo, s.wi, next());
    const float white = o.metal_rest.white * there.white / std::max(1e-6f, rest.white_average);
    for (int c = 0; c < 3; ++c)
        s.weight[c] =
            white > 1e-7f && rest.average[c] > 1e-7f
                ? std::min(1.f, o.metal_rest.broad[c] * there.broad[c] / (rest.average[c] * white)) * s_.specular_weight
                : 0.f;
}

template <class Next> Scattered Bsdf::scatter_substrate(const Seen& o, Next&& next) const {
    const float u = next();
    if (!opaque()) {
        const float a = next();
        const float b = next();
        return sample_substrate(o, u, a, b);
    }
    Scattered s;
    s.pdf = 1.f;
    if (u < s_.base_metalness) {
        const float a = next();
        const float b = next();
        const Ggx& ggx = interface_.ggx();
        const V3f h = ggx.visible_normal(o.wo, a, b);
        s.wi = h * (2.f * o.wo.dot(h)) - o.wo;
        if (s.wi.z > 1e-6f && next() * o.interface.g1 < ggx.g2(o.wo, s.wi))
            s.weight = metal_fresnel(o.wo.dot(h)) * s_.specular_weight;
        else
            scatter_metal_rest(o, next, s);
        return s;
    }
    if (!matched_) {
        s.wi = interface_.scatter(o.interface, next);
        s.weight = s_.specular_color;
        if (s.wi.z > 0.f) return s;
    }
    const float r = s_.base_diffuse_roughness;
    const float most = r > 0.f ? eon_bound(r, o.wo.z) * matt_.most() : 1.f;
    for (int tries = 0; tries < 128; ++tries) {
        const float x = next();
        const float y = next();
        s.wi = cosine_direction(x, y);
        s.wi.z = std::max(1e-5f, s.wi.z);
        float chance = matched_ ? 1.f : 1.f - interface_.reflectance(s.wi);
        if (r > 0.f) chance *= pi * eon(V3f(1.f), r, o.wo, s.wi).x * matt_.at(s.wi.z) / most;
        if (chance >= 1.f || next() < chance) break;
    }
    s.weight = body_;
    if (r > 0.f) s.weight = eon(body_, r, o.wo, s.wi) / std::max(1e-9f, eon(V3f(1.f), r, o.wo, s.wi).x);
    return s;
}

}  // namespace vemtra::surface
