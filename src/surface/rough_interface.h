// A rough interface between two dielectrics, seen from one side: reflection and refraction of single scattering (Walter
// et al. 2007) and what more bounces give back (albedo_tables.h), so that reflected and refracted light together are
// all the light.
//   reflection   F(h) D G2 / (4 mu_o) (1 + e(mu_o) e(mu_i))  +  Rm(mu_o) Rm(mu_i) mu_i P / (pi Rm_average)
//   refraction   (1 - F) D G2' |wo.h||wi.h| eta^2 / (mu_o (wo.h + eta wi.h)^2) (1 + e(mu_o) e'(mu_i))
//                +  Tm(mu_o) Tm'(mu_i) mu_i P / (pi Tm'_average)
//   eta          IOR of the far side over that of the near side;   '  the same interface seen from the far side
// Values are f(wo, wi) times the cosine of wi, and keep flux (no eta^2 of radiance: a closed stack ends in the medium
// where it began).
#pragma once
#include "surface/albedo_tables.h"
#include "surface/microfacet.h"

namespace vemtra::surface {

class RoughInterface {
public:
    RoughInterface() = default;
    RoughInterface(const Ggx& ggx, float eta);
    /// Facets alone, where nothing goes through them.
    explicit RoughInterface(const Ggx& ggx) : ggx_(ggx), facets_(ggx) {}

    /// The interface seen from wo, wo.z > 0.
    struct Seen {
        V3f wo;
        float g1;
        AlbedoTables::Beyond beyond;                                         ///< nothing where the interface is sharp
        const AlbedoTables::Interface& rest() const { return beyond.rest; }  ///< of the broad lobe
    };

    float eta() const { return near_.eta; }
    const Ggx& ggx() const { return ggx_; }
    const Facets& facets() const { return facets_; }
    bool sharp() const { return sharp_; }  ///< nothing is lost in single scattering
    /// Share that comes back, all bounces: exact where the interface is sharp, else from the tables.
    float reflectance(const V3f& w) const {
        return sharp_ ? fresnel_dielectric(w.z, near_.eta) : AlbedoTables::get().reflectance(w, facets_, near_);
    }
    float reflectance(const Seen& o) const {
        return sharp_ ? fresnel_dielectric(o.wo.z, near_.eta) : o.beyond.reflectance;
    }
    float reflectance_average() const { return mean_.reflectance; }         ///< cosine-weighted
    float rest_reflected_average() const { return mean_.whole.reflected; }  ///< of echoes too, cosine-weighted

    enum class Passage : uint8_t { reflect, refract };

    /// How the broad lobe of an event turns.
    const Onward& forward(Passage event) const {
        return event == Passage::reflect ? mean_.forward_reflected : mean_.forward_through;
    }

    Seen seen_from(const V3f& wo) const;
    float reflect(const Seen& o, const V3f& wi) const;  ///< wi.z > 0
    float refract(const Seen& o, const V3f& wi) const;  ///< wi.z < 0
    /// One facet; and all further ones without an echo, as one broad lobe.
    float reflect_once(const Seen& o, const V3f& wi, float& cosine) const;  ///< without F; cosine on the facet
    float refract_once(const Seen& o, const V3f& wi, float& cosine) const;  ///< without 1 - F
    float rest_reflected(const Seen& o, const V3f& wi) const;
    /// Lets chance decide, in exact proportion to the values above: the density is the value, no light is lost, and
    /// nothing needs weighing. `next` gives numbers in [0, 1).
    template <class Next> V3f scatter(const Seen& o, Next&& next) const;
    /// Density of sample() per solid angle, given the event.
    float pdf(const Seen& o, const V3f& wi, Passage event) const;
    struct Sample {
        V3f wi{0.f};
        float weight = 0.f, pdf = 0.f;  ///< weight = value / pdf; pdf 0: nothing was scattered
    };
    Sample sample(const Seen& o, Passage event, float u_choice, float u1, float u2) const;

private:
    float rest_chance(const Seen& o, Passage event) const;
    float broad_reflected(const Seen& o, const V3f& wi, const AlbedoTables::Beyond& there) const;
    /// A direction of the echo of that event, in proportion to it; z is 0 where none is found.
    template <class Next> V3f draw_echo(const Seen& o, Passage event, Next&& next) const;
    Ggx ggx_;
    Facets facets_;
    AlbedoTables::Media near_ = 1.f, far_ = 1.f;  // as seen from either side
    /// What does not depend on a direction: of most surfaces the same for all their points.
    struct Sums {
        bool sharp = true;
        AlbedoTables::InterfaceMean mean;
        float through_norm = 1.f;  // Tm'_average, from both sides' tables: they must agree for light to go either way
        float most_echo_beyond = 0.f;
    };
    Sums sum_up() const;
    bool sharp_ = true;
    AlbedoTables::InterfaceMean mean_;
    float through_norm_ = 1.f;
    float most_echo_beyond_ = 0.f;  // of what goes through, on the far side
};

template <class Next> V3f RoughInterface::draw_echo(const Seen& o, Passage event, Next&& next) const {
    const bool through = event == Passage::refract;
    const float most = through ? most_echo_beyond_ : mean_.most_echo_reflected;
    for (int tries = 0; tries < 20000; ++tries) {  // as rare as they are long
        const float u1 = next();
        const float u2 = next();
        const V3f h = ggx_.visible_normal(o.wo, u1, u2);
        const float oh = o.wo.dot(h);
        const float f = fresnel_dielectric(oh, near_.eta);
        V3f wi = h * (2.f * oh) - o.wo;
        if (through && !surface::refract(o.wo, h, near_.eta, wi)) continue;
        if (through ? wi.z > -1e-6f : wi.z < 1e-6f) continue;
        const float once = through ? (1.f - f) * ggx_.g2_through(o.wo, wi) : f * ggx_.g2(o.wo, wi);
        const float u = next() * most * o.g1;
        if (u >= most * once) continue;
        const AlbedoTables& tables = AlbedoTables::get();
        const float e = through ? tables.beyond({wi.x, wi.y, -wi.z}, facets_, far_).echo_through
                                : tables.beyond(wi, facets_, near_).echo_reflected;
        if (u < e * once) return wi;
    }
    return V3f(0.f);
}

template <class Next> V3f RoughInterface::scatter(const Seen& o, Next&& next) const {
    const float u1 = next();
    const float u2 = next();
    const float u = next();
    const V3f h = ggx_.visible_normal(o.wo, u1, u2);
    const float oh = o.wo.dot(h);
    const float f = fresnel_dielectric(oh, near_.eta);
    V3f wi;
    bool kept;
    if (u < f) {
        wi = h * (2.f * oh) - o.wo;
        kept = wi.z > 1e-6f && (sharp_ || u < f * ggx_.g2(o.wo, wi) / o.g1);
    } else {
        kept = surface::refract(o.wo, h, near_.eta, wi) && wi.z < -1e-6f &&
               (sharp_ || u - f < (1.f - f) * ggx_.g2_through(o.wo, wi) / o.g1);
    }
    if (kept) return wi;
    if (sharp_) return u < f ? V3f(0, 0, 1) : V3f(0, 0, -1);  // a direction in a million
    // What single scattering lost comes back on either side.
    const AlbedoTables::Beyond& b = o.beyond;
    float lost = next() * std::max(1e-9f, b.lost());
    if (lost < b.echoed_reflected + b.echoed_through) {
        const V3f echo = draw_echo(o, lost < b.echoed_reflected ? Passage::reflect : Passage::refract, next);
        if (echo.z != 0.f) return echo;
    }
    lost -= b.echoed_reflected + b.echoed_through;
    const bool through = lost >= b.rest.reflected;
    const AlbedoTables& tables = AlbedoTables::get();
    wi = through ? tables.draw_rest(AlbedoTables::Of::through, facets_, far_, next)
                 : tables.draw_rest(AlbedoTables::Of::reflected, facets_, near_, next);
    wi = forward(through ? Passage::refract : Passage::reflect).turned(o.wo, wi, next());
    if (through) wi.z = -wi.z;
    return wi;
}

}  // namespace vemtra::surface
