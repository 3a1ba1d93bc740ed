// The substrate of OpenPBR Surface 1.1 at one point: everything under its coat and fuzz, which stack.h lays over it.
//
//   metal:        F82(h.wi) D G / (4 mu_o mu_i) + what further bounces give back
//   dielectric:   a rough interface (rough_interface.h), reflection tinted by specular_color, over
//     opaque:     diffuse * (1 - E(mu_o)) (1 - E(mu_i)) / (1 - E_average)      (Kelemen and Szirmay-Kalos 2001: reciprocal, energy kept)
//     clear:      refraction into the body, tinted here only where transmission_depth is 0
//     subsurface: entrance into a scattering body; the integrator walks there (subsurface.h)
//   thin-walled:  the same with light going straight through: reflection's lobe mirrored to the far side, and diffuse on both sides
// All directions are local, normal = +z on the side of wo, pointing away; eta is the IOR of the far side over that of wo's side.
#pragma once
#include "surface/diffuse.h"
#include "surface/rough_interface.h"
#include "surface/slots.h"

namespace vemtra::surface {

struct Scattered {
    V3f wi{0.f};
    V3f weight{0.f};  ///< f * |mu_i| / pdf
    float pdf = 0.f;  ///< per solid angle; 0: nothing was scattered
    bool enters_subsurface = false;  ///< a walk in the body goes on; `wi` and `pdf` mean nothing then
};

class Bsdf {
public:
    /// `eta` = IOR of the body's far side over that of the near side; `outside_ior` is what a metal given by n and k lies in.
    Bsdf(const Slots& sane_slots, float eta, float outside_ior = 1.f);
    /// The body's own IOR over `outside`, or the other way round where the body is left; specular_weight is minded.
    static float eta_of(const Slots& slots, float outside_ior, bool leaving, int dispersed_channel = -1);

    /// What depends on wo (wo.z > 0) alone.
    struct Seen {
        RoughInterface::Seen interface;
        V3f wo;
        float white = 1.f, dielectric = 0.f;
        V3f metal_rest{0.f};
        V3f albedo{0.f};                 ///< about the share of light that comes back, per channel
        float p_single = 0, p_cosine = 0, p_through = 0, p_cosine_through = 0, p_subsurface = 0;
        V3f subsurface_weight{0.f};
    };
    Seen seen_from(const V3f& wo) const;

    V3f evaluate(const Seen& o, const V3f& wi) const;  ///< f(wo, wi) * |mu_i|
    float pdf(const Seen& o, const V3f& wi) const;
    Scattered sample(const Seen& o, float u_lobe, float u1, float u2) const;

    bool transmits() const { return through_ > 0.f || thin_diffuse_ > 0.f; }
    const Ggx& ggx() const { return interface_.ggx(); }
    float eta() const { return interface_.eta(); }
    float metalness() const { return s_.base_metalness; }
    /// Diffuse light leaving the body towards wi after a walk in it: the share that the interface lets out, times cosine over pi.
    float leaving_subsurface(const V3f& wi) const;

private:
    V3f film(float mu, bool metal) const;
    V3f metal_fresnel(float mu) const;
    float single(const Seen& o, const V3f& h, const V3f& wi) const;

    Slots s_;
    RoughInterface interface_;
    MetalFresnel metal_;
    V3f body_;                        // diffuse colour
    bool thin_ = false, film_ = false, matched_ = false;  // matched: equal media, no interface
    float opaque_ = 1.f, through_ = 0.f, subsurface_ = 0.f, thin_diffuse_ = 0.f;  // shares of the dielectric's substrate
    float white_average_ = 1.f, dielectric_average_ = 0.f;
    AlbedoTables::Rest metal_rest_;
};

}  // namespace vemtra::surface
