#include "surface/stack.h"

namespace vemtra::surface {
namespace {

using Passage = RoughInterface::Passage;

// Chances of the parts where one is taken: never below these.
constexpr float least_top = .3f;
constexpr float least_inside = .3f;
constexpr float widest_split = .05f;  // alpha of an outermost interface up to which both parts are followed

V3f upright(const V3f& w) {
    return {w.x, w.y, -w.z};
}
V3f exp3(const V3f& x) {
    return {std::exp(x.x), std::exp(x.y), std::exp(x.z)};
}

}  // namespace

Tilt Tilt::make(const V3f& normal_local, const V3f& tangent_local) {
    Tilt t;
    if (normal_local.length2() > 1e-12f && normal_local.z > 0.f) t.own = true, t.normal = normal_local.normalized();
    V3f x = tangent_local - t.normal * tangent_local.dot(t.normal);
    if (tangent_local.length2() > 1e-12f && x.length2() > 1e-8f * tangent_local.length2()) {
        t.own = true;
        t.tangent = x.normalized();
        t.bitangent = t.normal.cross(t.tangent);
    } else if (t.own) {
        const Frame f(t.normal);
        t.tangent = f.tangent;
        t.bitangent = f.bitangent;
    }
    return t;
}

void Stack::reset(float outside_ior) {
    count_ = 0;
    ior_ = outside_ = outside_ior;
    darkening_ = 1.f;
    lift_ = V3f(1.f);
}

void Stack::add(const Coat& c) {
    if (count_ >= most) return;
    Element& e = elements_[count_++];
    e = Element();
    e.eta = c.ior / ior_;
    e.has_interface = std::fabs(e.eta - 1.f) > 1e-3f;
    if (e.has_interface) {
        const Ggx ggx = Ggx::from(c.roughness, c.anisotropy);
        e.above = RoughInterface(ggx, e.eta);
        e.below = RoughInterface(ggx, 1.f / e.eta);
    }
    // A transmittance of 0 keeps nothing of a passage: the optical depth stays finite and the result is black all the
    // same.
    for (int k = 0; k < 3; ++k)
        e.tau[k] = std::min(1e4f, -std::log(std::clamp(c.transmittance[k], 1e-6f, 1.f)) * c.thickness);
    e.tilt = c.tilt;
    ior_ = c.ior;
}

void Stack::add(const Fuzz& f) {
    if (count_ >= most || f.weight <= 0.f) return;
    Element& e = elements_[count_++];
    e = Element();
    e.is_fuzz = true;
    e.fuzz = f;
}

void Stack::finish(const Slots& s, const Tilt& tilt, float wavelength, bool leaving) {
    base_.emplace(s, Bsdf::eta_of(s, ior_, leaving, wavelength), leaving ? s.specular_ior : ior_);
    tilt_ = tilt;
    leaning_ = tilt.own && !base_->transmits() ? Leaning(tilt.normal) : Leaning();
    if (!count_) return;
    // Seen from outside, a facet tilted by t below coats turns light by about n * 2 t, and each rough interface adds (n
    // - 1) * t on the way in and on the way out: the variances add up.
    Slots blurred = s;
    const float inner =
        s.specular_roughness * s.specular_roughness * s.specular_roughness * s.specular_roughness * ior_ * ior_;
    float variance = inner;
    has_lobe_ = false;
    float sharpest = 2.f;
    float above = 1.f;  // IOR over the element
    for (int k = 0; k < count_; ++k) {
        const Element& e = elements_[k];
        if (e.straight()) continue;
        const float bend = e.eta - 1.f;
        const Ggx& own = e.above.ggx();
        const float blur = variance - inner;
        if (const float a = own.alpha(); k > 0 || !parted()) {
            const float wide = std::sqrt(a * a * above * above + blur);
            if (wide < sharpest) {
                sharpest = wide;
                has_lobe_ = true;
                lobe_ = Ggx{std::sqrt(own.ax * own.ax * above * above + blur),
                            std::sqrt(own.ay * own.ay * above * above + blur)};
            }
        }
        variance += .5f * bend * bend * own.alpha() * own.alpha() * 1.5f;
        above *= e.eta;
    }
    only_fuzz_ = !parted() && !has_lobe_;
    // A walk joined at a reflection guesses its direction by the interface above; where what reflects is the sharper of
    // the two, the other way round is needed as well.
    float below = s.base_metalness > 0.f || s.specular_weight > 0.f ? base_->ggx().alpha() : 10.f;
    for (int k = count_; k-- > 0;) {
        Element& e = elements_[k];
        if (e.straight()) continue;
        const float a = e.above.ggx().alpha();
        e.two_ways = a > .02f && below < 2.f * a;
        if (k + 1 < count_) elements_[k + 1].needs_pdf = e.two_ways;
        below = std::min(below, a);
    }
    blurred.specular_roughness = std::min(1.f, std::sqrt(std::sqrt(variance)));
    proxy_.emplace(blurred, s.transmission_weight > 0.f ? base_->eta() * ior_ / outside_
                                                        : Bsdf::eta_of(s, 1.f, false, wavelength));
    if (darkening_ < 1.f) {
        // K: diffuse light that the coat's underside sends back. A base of albedo E is darkened by (1 - K) / (1 - E K).
        const float k = 1.f - (1.f - AlbedoTables::get().reflectance_average(0.f, ior_)) / (ior_ * ior_);
        const V3f albedo = base_->seen_from(V3f(0.f, 0.f, 1.f)).albedo;
        for (int c = 0; c < 3; ++c) lift_[c] = std::pow((1.f - clamp01(albedo[c]) * k) / (1.f - k), 1.f - darkening_);
    }
}

V3f Stack::absorbed(const Element& e, float mu) const {
    if (e.tau.x + e.tau.y + e.tau.z <= 0.f) return V3f(1.f);
    return exp3(e.tau * (-1.f / std::max(1e-4f, std::fabs(mu))));
}

Stack::Met Stack::meet(const V3f& a) const {
    Met o;
    if (leaning_.leans()) o.facets_seen = leaning_.facets_seen(a);
    if (o.facets_seen > 0.f) o.base = base_->seen_from(tilt_.in(a));
    if (o.facets_seen < 1.f) o.in_wall = base_->seen_from(tilt_.in(leaning_.mirrored(a)));
    return o;
}

Stack::Seen Stack::seen_from(const V3f& wo) const {
    Seen o;
    o.wo = wo;
    o.wo.z = std::max(1e-4f, o.wo.z);
    if (!count_) {
        static_cast<Met&>(o) = meet(o.wo);
        o.albedo = o.base.albedo * o.facets_seen + o.in_wall.albedo * (1.f - o.facets_seen);
        return o;
    }
    V3f passed(1.f);
    V3f surface(0.f);
    float mu = o.wo.z;
    float n = 1.f;
    for (int k = 0; k < count_; ++k) {
        const Element& e = elements_[k];
        if (e.is_fuzz) {
            const float r = e.fuzz.weight * fuzz_albedo(e.fuzz.roughness, mu);
            surface += passed * e.fuzz.color * r;
            passed *= 1.f - r;
            continue;
        }
        if (e.has_interface) {
            const float r = AlbedoTables::get().reflectance(mu, e.above.facets().roughness, e.eta);
            (k == 0 ? o.top_albedo : surface) += passed * r;
            passed *= 1.f - r;
            n *= e.eta;
            mu = std::sqrt(std::max(1e-4f, 1.f - (1.f - mu * mu) / (e.eta * e.eta)));
        }
        passed *= absorbed(e, mu);
    }
    o.passed = passed;
    o.base = proxy_->seen_from(tilt_.in(o.wo));
    V3f back = passed;  // the way out takes about what the way in took
    const V3f base = back * passed * o.base.albedo;
    o.albedo = o.top_albedo + surface + base;
    const float s = luminance(surface);
    const float b = luminance(base);
    // The walk takes the interfaces inside as often as they reflect. Fibres are chosen by this number.
    if (has_lobe_) o.p_lobe = s + b > 1e-6f ? std::min(s / (s + b), .9f) : .5f;
    if (only_fuzz_) o.p_lobe = s + b > 1e-6f ? std::clamp(s / (s + b), .1f, .9f) : .5f;
    if (only_fuzz_ && fuzz_albedo(elements_[0].fuzz.roughness, o.wo.z) < least_fuzz) o.p_lobe = 0.f;
    if (parted()) {
        o.top = elements_[0].above.seen_from(elements_[0].tilt.in(o.wo));
        const float t = luminance(o.top_albedo);
        o.p_top = t + s + b > 1e-6f ? std::clamp(t / (t + s + b), least_top, 1.f - least_inside) : .5f;
        o.p_inside = 1.f - o.p_top;
    }
    return o;
}

bool Stack::splits(const Seen& o) const {
    if (count_) return parted() && elements_[0].above.ggx().alpha() < widest_split;
    return o.facets_seen >= 1.f && base_->splits(o.base, widest_split);
}

void Stack::split(Seen& o) const {
    if (count_)
        o.p_top = o.p_inside = 1.f;
    else
        base_->split(o.base);
}

/// What a facet throws below the horizon counts for the direction mirrored in it: so nothing is missing.
float Stack::lobe_pdf(const Ggx& lobe, const V3f& wo, const V3f& wi) const {
    auto mirrored = [&](const V3f& w) {
        const V3f sum = wo + w;
        const float length = sum.length();
        return length > 1e-6f && sum.z > 0.f ? lobe.d(sum / length) : 0.f;
    };
    return .75f * lobe.g1(wo) * (mirrored(wi) + mirrored(upright(wi))) / (4.f * wo.z) + .25f * wi.z * inverse_pi;
}

float Stack::inside_pdf(const Seen& o, const V3f& wi) const {
    float p = (1.f - o.p_lobe) * proxy_->pdf(o.base, tilt_.in(wi));
    if (wi.z <= 0.f || o.p_lobe <= 0.f) return p;
    if (!only_fuzz_) return p + o.p_lobe * lobe_pdf(lobe_, o.wo, wi);
    const Fuzz& f = elements_[0].fuzz;
    return p + o.p_lobe * fuzz(f.roughness, o.wo, wi) * wi.z / std::max(1e-4f, fuzz_albedo(f.roughness, o.wo.z));
}

float Stack::pdf(const Seen& o, const V3f& wi) const {
    if (!count_) return bare_pdf(o, wi);
    float p = o.p_inside * inside_pdf(o, wi);
    if (parted() && wi.z > 0.f)
        p += o.p_top * elements_[0].above.pdf(o.top, elements_[0].tilt.in(wi), Passage::reflect);
    return p;
}

/// The ways from a leaning facet along which light comes to leave as `wi`, each with its share: calls f(way, share), in
/// the facet's own directions.
template <class F> void Stack::for_ways_out(const V3f& wi, F&& f) const {
    const auto along = [&](const V3f& w, float share) {
        if (const V3f way = tilt_.into(w); way.z > 0.f && share > 0.f) f(way, share);
    };
    along(wi, leaning_.leaves(wi));
    if (leaning_.sees_walls(wi)) {
        const V3f held = leaning_.mirrored(wi);
        along(held, 1.f - leaning_.leaves(held));
    }
    along(Leaning::turned_up(wi), 1.f);
}

V3f Stack::bare_value(const Met& o, const V3f& wi) const {
    if (!leaning_.leans()) return base_->evaluate(o.base, tilt_.in(wi));
    V3f sum(0.f);
    if (wi.z <= 0.f) return sum;
    for_ways_out(wi, [&](const V3f& way, float share) {
        if (o.facets_seen > 0.f) sum += base_->evaluate(o.base, way) * (o.facets_seen * share);
        if (o.facets_seen < 1.f) sum += base_->evaluate(o.in_wall, way) * ((1.f - o.facets_seen) * share);
    });
    return sum;
}

/// `density(seen, wi)` is the substrate's own.
template <class Density> float Stack::density_of_ways(const Met& o, const V3f& wi, Density&& density) const {
    if (!leaning_.leans()) return density(o.base, tilt_.in(wi));
    float sum = 0.f;
    if (wi.z <= 0.f) return sum;
    for_ways_out(wi, [&](const V3f& way, float share) {
        if (o.facets_seen > 0.f) sum += density(o.base, way) * (o.facets_seen * share);
        if (o.facets_seen < 1.f) sum += density(o.in_wall, way) * ((1.f - o.facets_seen) * share);
    });
    return sum;
}
float Stack::bare_pdf(const Met& o, const V3f& wi) const {
    return density_of_ways(o, wi, [&](const Bsdf::Seen& seen, const V3f& way) { return base_->pdf(seen, way); });
}
float Stack::bare_scatter_pdf(const Met& o, const V3f& wi) const {
    return density_of_ways(o, wi,
                           [&](const Bsdf::Seen& seen, const V3f& way) { return base_->scatter_pdf(seen, way); });
}

Scattered Stack::bare_sample(const Seen& o, Part part, float u, float u1, float u2, WalkRandom& random) const {
    const auto of = part == Part::either ? Bsdf::Of::all : part == Part::top ? Bsdf::Of::facets : Bsdf::Of::rest;
    if (!leaning_.leans()) {
        Scattered s = base_->sample(o.base, of, u, u1, u2);
        s.wi = tilt_.out(s.wi);
        return s;
    }
    const bool straight = o.facets_seen >= 1.f || random.next() < o.facets_seen;
    Scattered s = base_->sample(straight ? o.base : o.in_wall, of, u, u1, u2);
    if (s.enters_subsurface || s.pdf <= 0.f) return s;
    s.wi = tilt_.out_of(s.wi);
    if (s.wi.z < 0.f)
        s.wi = Leaning::turned_up(s.wi);
    else if (const float leaves = leaning_.leaves(s.wi); leaves < 1.f && random.next() >= leaves)
        s.wi = leaning_.mirrored(s.wi);
    s.wi.z = std::max(1e-6f, s.wi.z);
    s.pdf = bare_pdf(o, s.wi);
    return s.pdf > 0.f ? s : Scattered{};
}

V3f Stack::evaluate(const Seen& o, const V3f& wi, WalkRandom& random) const {
    const Parts all = evaluate_parts(o, wi, random);
    return all.f[0] + all.f[1];
}

Stack::Parts Stack::evaluate_parts(const Seen& o, const V3f& wi, WalkRandom& random) const {
    Parts p;
    if (!count_) {
        p.f[0] = bare_value(o, wi);
        p.pdf[0] = bare_pdf(o, wi);
        return p;
    }
    p.pdf[0] = o.p_inside * inside_pdf(o, wi);
    if (wi.z < 0.f) {
        if (base_->transmits()) p.f[0] = walk_through(o.wo, wi, random);
        return p;
    }
    p.f[0] = walk(o.wo, wi, random);
    if (!parted()) return p;
    p.count = 2;
    const V3f in = elements_[0].tilt.in(wi);
    p.f[1] = V3f(elements_[0].above.reflect(o.top, in));
    p.pdf[1] = o.p_top * elements_[0].above.pdf(o.top, in, Passage::reflect);
    return p;
}

Stack::Parts Stack::guess_parts(const Seen& o, const V3f& wi) const {
    // Never 0 where light may come: what is guessed to bring nothing is not looked at.
    const float some = .05f * std::fabs(wi.z) * inverse_pi;
    const V3f grey(.01f);
    Parts p;
    if (!count_) {
        p.pdf[0] = bare_pdf(o, wi);
        p.f[0] = (o.albedo + grey) * (p.pdf[0] + some);
        return p;
    }
    const float inside = inside_pdf(o, wi);
    p.pdf[0] = o.p_inside * inside;
    p.f[0] = (o.albedo - o.top_albedo + grey) * (inside + some);
    if (!parted() || wi.z < 0.f) return p;
    p.count = 2;
    const float top = elements_[0].above.pdf(o.top, elements_[0].tilt.in(wi), Passage::reflect);
    p.pdf[1] = o.p_top * top;
    p.f[1] = o.top_albedo * top;
    return p;
}

Scattered Stack::sample(const Seen& o, Part part, float u, float u1, float u2, WalkRandom& random) const {
    if (!count_) return bare_sample(o, part, u, u1, u2, random);
    Scattered s;
    if (only_fuzz_ && !base_->transmits()) {
        // Fibres and body differ in brightness more than in form: choosing by brightness, and weighing by the value,
        // keeps the noise down.
        const float p_base = 1.f - o.p_lobe;
        if (u < p_base) {
            s = proxy_->sample(o.base, std::min(u / p_base, .9999999f), u1, u2);
            if (s.enters_subsurface) return s.weight *= o.passed / p_base, s;
            if (s.pdf <= 0.f) return {};
            s.wi = tilt_.out(s.wi);
        } else {
            s.wi = fuzz_direction(elements_[0].fuzz.roughness, o.wo, [&] { return random.next(); });
            if (s.wi.z <= 0.f) return {};
        }
        s.pdf = pdf(o, s.wi);
        if (!(s.pdf > 0.f)) return {};
        s.weight = walk(o.wo, s.wi, random) / s.pdf;
        return s;
    }
    if (parted() && part == Part::either) {
        part = u < o.p_top ? Part::top : Part::inside;
        u = std::min(.9999999f, part == Part::top ? u / o.p_top : (u - o.p_top) / o.p_inside);
    }
    if (part == Part::top) {
        const Element& e = elements_[0];
        const RoughInterface::Sample r = e.above.sample(o.top, Passage::reflect, u, u1, u2);
        s.wi = e.tilt.out(r.wi);
        s.weight = V3f(r.weight / o.p_top);
        s.pdf = r.pdf * o.p_top;
        return s;
    }
    s = walk_out(o.wo, u, u1, u2, random);
    s.weight /= o.p_inside;
    if (s.pdf > 0.f && !s.enters_subsurface) s.pdf = std::max(1e-9f, o.p_inside * inside_pdf(o, s.wi));
    return s;
}

V3f Stack::reflect(const Element& e, const V3f& a, const V3f& b, float& pdf) const {
    if (e.is_fuzz) {
        pdf = e.fuzz.weight * fuzz(e.fuzz.roughness, a, b) * b.z;
        return e.fuzz.color * pdf;
    }
    if (!e.has_interface) return pdf = 0.f, V3f(0.f);
    return V3f(pdf = e.above.reflect(e.above.seen_from(e.tilt.in(a)),
                                     e.tilt.in(b)));  // scatter() has its values as its density
}

float Stack::refract_up(const Element& e, const V3f& a, const V3f& b, float& reverse_pdf) const {
    const V3f x = upright(e.tilt.in(a));
    const V3f up = e.tilt.in(b);
    const float value = e.below.refract(e.below.seen_from(x), upright(up));
    reverse_pdf = e.above.pdf(e.above.seen_from(up), e.tilt.in(a), Passage::refract);
    return value;
}

/// `tell`: the density is wanted whatever happens; 0 where it is not one.
Stack::Event Stack::scatter(const Element& e, bool from_above, const V3f& a, WalkRandom& random, bool tell) const {
    Event out;
    if (e.straight()) {
        const float chance = e.is_fuzz ? e.fuzz.weight * fuzz_albedo(e.fuzz.roughness, std::fabs(a.z)) : 0.f;
        if (e.is_fuzz && random.next() < chance) return pass(e, from_above, a, Passage::reflect, random, 1.f / chance);
        out.direction = -a;
        out.weight = V3f(1.f);
        out.pdf = 1.f;
        return out;
    }
    V3f x = e.tilt.in(a);
    const RoughInterface& i = from_above ? e.above : e.below;
    if (!from_above) x = upright(x);
    const RoughInterface::Seen seen = i.seen_from(x);
    const V3f wi = i.scatter(seen, [&] { return random.next(); });
    out.reflected = wi.z > 0.f;
    out.direction = e.tilt.out(from_above ? wi : upright(wi));
    out.weight = V3f(1.f);
    out.pdf = tell                                         ? (out.reflected ? i.reflect(seen, wi) : i.refract(seen, wi))
              : out.reflected && from_above && e.needs_pdf ? i.reflect(seen, wi)
                                                           : 1.f;
    return out;
}

/// One of the two events alone; its chance is in the weight, times `boost`.
Stack::Event Stack::pass(const Element& e, bool from_above, const V3f& a, Passage event, WalkRandom& random,
                         float boost) const {
    Event out;
    out.reflected = event == Passage::reflect;
    if (e.straight()) {
        const float mu = std::fabs(a.z);
        const float chance = e.is_fuzz ? e.fuzz.weight * fuzz_albedo(e.fuzz.roughness, mu) : 0.f;
        out.pdf = 1.f;
        if (!out.reflected) {
            out.direction = -a;
            out.weight = V3f(1.f - chance);
            return out;
        }
        if (!e.is_fuzz) return {};
        const V3f x = from_above ? a : upright(a);
        const V3f y = fuzz_direction(e.fuzz.roughness, x,
                                     [&] { return random.next(); });  // a sheet of fibres is the same from both sides
        if (y.z <= 0.f) return {};
        out.direction = from_above ? y : upright(y);
        out.weight = e.fuzz.color * (boost * chance);
        out.pdf = e.fuzz.weight * fuzz(e.fuzz.roughness, x, y) * y.z;
        return out;
    }
    V3f x = e.tilt.in(a);
    const RoughInterface& i = from_above ? e.above : e.below;
    if (!from_above) x = upright(x);
    const float u = random.next();
    const float u1 = random.next();
    const float u2 = random.next();
    const RoughInterface::Sample s = i.sample(i.seen_from(x), event, u, u1, u2);
    if (s.pdf <= 0.f) return {};
    out.direction = e.tilt.out(from_above ? s.wi : upright(s.wi));
    out.weight = V3f(s.weight);
    out.pdf = s.pdf;
    return out;
}

}  // namespace vemtra::surface
