// Coats and fuzz over a substrate: light walks between the interfaces, as it does in the real thing (Guo, Hasan, Zhao
// 2018, "Position-Free Monte Carlo Simulation for Arbitrary Layered BSDFs"). Nothing is approximated but the flatness
// of the stack, so energy, darkening, absorption at any angle and blur come out of the walk for any number of coats.
//
// evaluate() is an unbiased estimate. A path from wo to wi ends in a last reflection upwards, then passes the
// interfaces above it. It can be joined in two places, and both are weighted by the balance heuristic (Veach 1997):
//   at the reflection        W[k]  direction in the medium over element k that leads to wi, found by refracting wi
// downwards
//   one passage later        the reflected direction is sampled, and evaluated at the interface above against W[k-1]
// Downwards, through the substrate, the two places are the substrate and the event before it.
// sample() is the walk itself: its weight is what absorption left. The density of its directions is not known; pdf() is
// that of a mixture of lobes shaped like the stack, whose integral is one, which serves to weigh light sampling against
// it (any such weights leave the mean as it is). For a substrate without coats all three are exact.
// What the outermost interface itself reflects is known exactly, value and density, and kept apart from what comes back
// from under it: each part is weighed against light sampling by its own density (Part), and the choice between them is
// by chances of our own instead of Fresnel's, under which a highlight would be looked for once in twenty-five times.
// Where both parts are followed from a point (split), the chances are one each.
// Symbols: element 0 is outermost; tau optical depth of the medium below an element at normal incidence: one passage
// keeps exp(-tau / mu).
#pragma once
#include <optional>

#include "base/hash.h"
#include "surface/leaning.h"
#include "surface/open_pbr.h"

namespace vemtra::surface {

/// Numbers for one walk, reproducible from their seed.
class WalkRandom {
public:
    explicit WalkRandom(uint32_t seed) : state_(mix32(seed ^ 0x2545f491u)) {}
    float next() { return float(int(mix32(state_ += 0x9e3779b9u) >> 8)) * 0x1p-24f; }

private:
    uint32_t state_;
};

/// A shading frame other than the surface's, in the stack's local space; `own` false: the same.
struct Tilt {
    bool own = false;
    V3f tangent{1, 0, 0}, bitangent{0, 1, 0}, normal{0, 0, 1};
    /// Rotates about the surface's normal so that x lies along `tangent_local`, and to `normal_local` where it is not
    /// zero.
    static Tilt make(const V3f& normal_local, const V3f& tangent_local);
    V3f in(const V3f& w) const { return own ? kept_side({w.dot(tangent), w.dot(bitangent), w.dot(normal)}, w.z) : w; }
    /// Without a care for the side.
    V3f into(const V3f& w) const { return {w.dot(tangent), w.dot(bitangent), w.dot(normal)}; }
    V3f out_of(const V3f& w) const { return tangent * w.x + bitangent * w.y + normal * w.z; }
    V3f out(const V3f& w) const { return own ? kept_side(tangent * w.x + bitangent * w.y + normal * w.z, w.z) : w; }

private:
    static V3f kept_side(V3f w, float side) {  // a tilted normal must not let light through the surface
        if (side >= 0.f ? w.z < 1e-4f : w.z > -1e-4f) {
            w.z = side >= 0.f ? 1e-4f : -1e-4f;
            w.normalize();
        }
        return w;
    }
};

struct Coat {
    float roughness = 0.f, anisotropy = 0.f, ior = 1.5f;
    V3f transmittance{1.f};  ///< colour left after one passage straight down through `thickness` 1
    float thickness = 1.f;
    Tilt tilt;
};
struct Fuzz {
    float weight = 0.f, roughness = .5f;
    V3f color{1.f};
};

class Stack {
public:
    static constexpr int most = 40;  ///< coats and fuzzes together

    /// Build from the outside in, then `finish` with the substrate. `outside_ior` is the medium of wo.
    explicit Stack(float outside_ior = 1.f) : ior_(outside_ior), outside_(outside_ior) {}
    void reset(float outside_ior);
    void add(const Coat& coat);
    void add(const Fuzz& fuzz);
    /// `leaving`: wo lies in the substrate's own body, and outside_ior is that of the other side; there are no coats
    /// then.
    void finish(const Slots& sane_slots, const Tilt& tilt, float wavelength = 0.f, bool leaving = false);
    bool coated() const { return count_ > 0; }
    /// IOR of the medium that the substrate lies in.
    float ior() const { return ior_; }
    /// Undoes the darkening that the coats bring to a bright base by 1 - `darkening` (OpenPBR 1.1, "Coat darkening").
    void set_darkening(float darkening) { darkening_ = darkening; }  ///< before finish()

    const Bsdf& base() const { return *base_; }
    /// The substrate as blurred as it looks through the coats; pdf() is shaped by it. Only where there are coats.
    const Bsdf& blurred_base() const { return *proxy_; }
    /// A bare metal so polished that its lobe is narrower than what shines on it.
    bool mirror() const { return count_ == 0 && base_->metalness() >= 1.f && base_->ggx().alpha() < .01f; }

    /// Reflection off the outermost interface, and all else; `either`: one of them by chance.
    enum class Part : uint8_t { either, top, inside };
    /// The substrate as it is met from a direction.
    struct Met {
        Bsdf::Seen base;
        Bsdf::Seen in_wall;       ///< of a leaning one: as it is seen in the walls between its facets
        float facets_seen = 1.f;  ///< the share of what is seen straight
    };
    struct Seen : Met {  ///< of a coated stack `base` is the blurred one, as wo reaches it straight through the coats
        V3f wo;
        RoughInterface::Seen top;
        V3f albedo{0.f};
        V3f passed{1.f};                    ///< share of light that gets straight through the coats
        V3f top_albedo{0.f};                ///< of the outermost interface, where it is kept apart
        float p_top = 0.f, p_inside = 1.f;  ///< chances of the parts; plain stacks have p_inside = 1
        float p_lobe = 0.f;                 ///< within the inside: of the interfaces there
    };
    /// wo.z > 0.
    Seen seen_from(const V3f& wo) const;
    /// Whether following both parts from a point is worth its price: where the top is a narrow lobe over something
    /// else.
    bool splits(const Seen& o) const;
    /// From here on both parts are sampled, once each: chances are one, and densities are counts per direction.
    void split(Seen& o) const;
    /// f(wo, wi) |mu_i|, an estimate, and the density of its directions in sample(): by parts where those are kept
    /// apart, else as one.
    struct Parts {
        int count = 1;
        V3f f[2] = {V3f(0.f), V3f(0.f)};
        float pdf[2] = {0.f, 0.f};
    };
    Parts evaluate_parts(const Seen& o, const V3f& wi, WalkRandom& random) const;
    /// The same with f guessed by the lobes' densities, which costs no walk: for choosing among lights.
    Parts guess_parts(const Seen& o, const V3f& wi) const;
    V3f evaluate(const Seen& o, const V3f& wi, WalkRandom& random) const;  ///< sum of the parts
    float pdf(const Seen& o, const V3f& wi) const;
    /// `pdf` of what it returns is that of the part that was taken. The numbers serve the outermost interface and the
    /// first meeting with the substrate.
    Scattered sample(const Seen& o, Part part, float u_part, float u1, float u2, WalkRandom& random) const;
    Scattered sample(const Seen& o, float u_part, float u1, float u2, WalkRandom& random) const {
        return sample(o, Part::either, u_part, u1, u2, random);
    }

private:
    struct Element {
        RoughInterface above, below;  ///< seen from above and from below
        V3f tau{0.f};
        Tilt tilt;
        Fuzz fuzz;
        bool is_fuzz = false, has_interface = true;
        bool two_ways = false;   // what lies below is sharper: join paths after the passage, too
        bool needs_pdf = false;  // the element above joins two ways
        float eta = 1.f;
        bool straight() const { return is_fuzz || !has_interface; }
    };
    struct Event {
        V3f direction{0.f};  // away from the element
        V3f weight{0.f};
        float pdf = 0.f;
        bool reflected = false;
    };
    // At an element, the side of `a` (away from it); from_above tells which side. Values include the cosine.
    V3f reflect(const Element& e, const V3f& a, const V3f& b, float& pdf) const;
    float refract_up(const Element& e, const V3f& a, const V3f& b, float& reverse_pdf) const;
    Event scatter(const Element& e, bool from_above, const V3f& a, WalkRandom& random, bool tell = false) const;
    Event pass(const Element& e, bool from_above, const V3f& a, RoughInterface::Passage event, WalkRandom& random,
               float boost = 1.f) const;
    Event enter(const V3f& a, WalkRandom& random) const;
    struct Walk;  ///< the steps of walk()
    V3f walk(const V3f& wo, const V3f& wi, WalkRandom& random) const;
    V3f walk_through(const V3f& wo, const V3f& wi, WalkRandom& random) const;
    Scattered walk_out(const V3f& wo, float u, float u1, float u2, WalkRandom& random) const;
    bool parted() const { return count_ > 0 && !elements_[0].straight(); }
    float inside_pdf(const Seen& o, const V3f& wi) const;
    // Of the substrate alone, whose facets may lean. All directions are the stack's.
    Met meet(const V3f& a) const;
    V3f bare_value(const Met& o, const V3f& wi) const;
    float bare_pdf(const Met& o, const V3f& wi) const;
    float bare_scatter_pdf(const Met& o, const V3f& wi) const;
    template <class Density> float density_of_ways(const Met& o, const V3f& wi, Density&& density) const;
    template <class Next> Scattered bare_scatter(const Met& o, Next&& next) const;
    Scattered bare_sample(const Seen& o, Part part, float u, float u1, float u2, WalkRandom& random) const;
    template <class F> void for_ways_out(const V3f& wi, F&& f) const;
    float lobe_pdf(const Ggx& lobe, const V3f& wo, const V3f& wi) const;
    V3f absorbed(const Element& e, float mu) const;

    Element elements_[most];
    int count_ = 0;
    float ior_ = 1.f, outside_ = 1.f, darkening_ = 1.f;
    V3f lift_{1.f};                     // what undoing the darkening multiplies light from the substrate with
    std::optional<Bsdf> base_, proxy_;  // proxy: a substrate as blurred as it looks through the coats
    Tilt tilt_;
    Leaning leaning_;  // of an opaque substrate
    Ggx lobe_;         // what the interfaces under the first look like from outside: the sharpest of them
    bool has_lobe_ = false;
    bool only_fuzz_ = false;
};

/// Bsdf::scatter(), past the walls where facets lean.
template <class Next> Scattered Stack::bare_scatter(const Met& o, Next&& next) const {
    if (!leaning_.leans()) {
        Scattered s = base_->scatter(o.base, next);
        s.wi = tilt_.out(s.wi);
        return s;
    }
    const bool straight = o.facets_seen >= 1.f || next() < o.facets_seen;
    Scattered s = base_->scatter(straight ? o.base : o.in_wall, next);
    if (s.enters_subsurface || s.pdf <= 0.f || s.wi.z <= 0.f) return s;
    s.wi = tilt_.out_of(s.wi);
    if (s.wi.z < 0.f)
        s.wi = Leaning::turned_up(s.wi);
    else if (const float leaves = leaning_.leaves(s.wi); leaves < 1.f && next() >= leaves)
        s.wi = leaning_.mirrored(s.wi);
    s.wi.z = std::max(1e-6f, s.wi.z);
    return s;
}

}  // namespace vemtra::surface
