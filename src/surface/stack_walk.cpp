// The walks of light between the interfaces of a stack; stack.h has the method.
#include "surface/stack.h"

namespace vemtra::surface {
namespace {

using Passage = RoughInterface::Passage;

V3f upright(const V3f& w) {
    return {w.x, w.y, -w.z};
}

constexpr int most_events = 4096;  // of one walk: far more than any comes to

/// Russian roulette: false ends the walk; what goes on weighs more for it.
bool goes_on(V3f& beta, WalkRandom& random) {
    const float m = max_component(beta);
    if (!(m > 0.f)) return false;
    if (m >= .25f) return true;
    const float keep = std::max(.02f, m * 2.f);
    if (random.next() >= keep) return false;
    beta /= keep;
    return true;
}

}  // namespace

/// Through the outermost interface, in exact proportion to where it sends light: its share is the weight. Weights of
/// pass() would spread the products of a walk.
Stack::Event Stack::enter(const V3f& a, WalkRandom& random) const {
    const Element& e = elements_[0];
    const V3f x = e.tilt.in(a);
    const RoughInterface::Seen seen = e.above.seen_from(x);
    for (int tries = 0; tries < 32; ++tries) {
        const V3f wi = e.above.scatter(seen, [&] { return random.next(); });
        if (wi.z >= 0.f) continue;
        Event out;
        out.direction = e.tilt.out(wi);
        out.weight = V3f(1.f - e.above.reflectance(seen));
        out.pdf = 1.f;
        return out;
    }
    return pass(e, true, a, Passage::refract, random);
}

/// A walk between two known ends: what comes from wo is followed inwards, and joined at every element and at the
/// substrate with what was followed in from wi.
struct Stack::Walk {
    const Stack& s;
    WalkRandom& random;

    // From wi inwards.
    V3f W[most + 1];
    V3f B[most + 1];    // direction and weight, from over element k out to wi
    float P[most + 1];  // density with which W[k] was found, given W[k - 1]; 0 where that is the only way
    int reach = 0;      // W is known for elements 0..reach

    // From wo.
    V3f sum{0.f}, beta{1.f}, d;
    int k = 0;  // the element that it meets next
    bool down = true, at_base = false;
    float reflected_pdf = -1.f;  // of the last event, where that was a reflection upwards

    Walk(const Stack& stack, const V3f& wo, const V3f& wi, WalkRandom& numbers) : s(stack), random(numbers), d(-wo) {
        W[0] = wi;
        B[0] = V3f(1.f);
        P[0] = 0.f;
        for (int to = 1; to <= s.count_; ++to) {
            const Element& e = s.elements_[to - 1];
            const Event in = s.pass(e, true, W[to - 1], Passage::refract, random);
            if (in.pdf <= 0.f || in.direction.z >= 0.f) break;
            W[to] = -in.direction;
            const float shrink =
                e.straight() ? 1.f
                             : e.tilt.in(W[to - 1]).z / (std::max(1e-5f, -e.tilt.in(in.direction).z) * e.eta * e.eta);
            B[to] = B[to - 1] * in.weight * shrink * s.absorbed(e, W[to].z);
            P[to] = e.two_ways ? in.pdf : 0.f;
            reach = to;
        }
    }

    // One event each; false: nothing comes of it any more.
    bool step() { return down ? (k == s.count_ ? at_substrate() : inwards()) : outwards(); }

    bool at_substrate() {
        const int n = s.count_;
        if (!at_base) beta *= s.lift_, at_base = true;
        const Met met = s.meet(-d);
        if (reach == n) {
            float weight = 1.f;
            if (P[n] > 0.f) weight = P[n] / (P[n] + s.bare_scatter_pdf(met, W[n]));
            sum += beta * s.bare_value(met, W[n]) * B[n] * weight;
        }
        Scattered out = s.bare_scatter(met, [&] { return random.next(); });
        if (out.enters_subsurface || out.pdf <= 0.f || out.wi.z <= 0.f) return false;
        if (s.elements_[n - 1].two_ways) out.pdf = s.bare_scatter_pdf(met, out.wi);
        beta *= out.weight;
        d = out.wi;
        reflected_pdf = out.pdf;
        down = false;
        --k;
        return true;
    }

    bool inwards() {
        const Element& e = s.elements_[k];
        const V3f a = -d;
        if (k <= reach && !(k == 0 && s.parted())) {  // the outermost interface's own reflection is no walk's business
            float p;
            const V3f f = s.reflect(e, a, W[k], p);
            sum += beta * f * B[k] * (P[k] > 0.f ? P[k] / (P[k] + p) : 1.f);
        }
        // What is reflected outwards was counted just now: only what goes in is followed.
        const Event next = k == 0 ? s.pass(e, true, a, Passage::refract, random) : s.scatter(e, true, a, random);
        if (next.pdf <= 0.f) return false;
        beta *= next.weight;
        d = next.direction;
        if (next.reflected) {
            reflected_pdf = next.pdf;
            down = false;
            --k;
        } else {
            beta *= s.absorbed(e, d.z);
            ++k;
        }
        return true;
    }

    bool outwards() {
        const Element& e = s.elements_[k];
        beta *= s.absorbed(e, d.z);
        const V3f a = -d;
        if (reflected_pdf >= 0.f && e.two_ways && k <= reach) {
            float reverse;
            const float f = s.refract_up(e, a, W[k], reverse);
            if (f > 0.f) sum += beta * B[k] * (f * reflected_pdf / (reflected_pdf + reverse));
        }
        reflected_pdf = -1.f;
        // Light that leaves the stack here was counted where it was joined to wi: only what stays inside goes on.
        const Event next = k == 0 ? s.pass(e, false, a, Passage::reflect, random) : s.scatter(e, false, a, random);
        if (next.pdf <= 0.f) return false;
        beta *= next.weight;
        d = next.direction;
        if (next.reflected) {
            beta *= s.absorbed(e, d.z);
            down = true;
            ++k;
        } else {
            --k;
        }
        return true;
    }
};

V3f Stack::walk(const V3f& wo, const V3f& wi, WalkRandom& random) const {
    Walk w(*this, wo, wi, random);
    for (int step = 0; step < most_events && w.step() && goes_on(w.beta, random); ++step) {}
    return w.sum;
}

/// Through the substrate, downwards. What goes down over it comes from an event at the element above: joined there
/// against a direction W that is sampled backwards through the substrate, or at the substrate against wi.
V3f Stack::walk_through(const V3f& wo, const V3f& wi, WalkRandom& random) const {
    const int n = count_;
    const Element& above = elements_[n - 1];
    const V3f in = tilt_.in(wi);
    auto next = [&] { return random.next(); };
    V3f W(0.f);
    V3f back(0.f);  // from W to wi, over the density of W
    float density = 0.f;
    if (!above.straight()) {
        const V3f w = base_->sample_entered(in, next);
        density = w.z > 0.f ? base_->entered_pdf(in, w) : 0.f;
        if (density > 0.f) {
            W = tilt_.out(w);
            back = base_->evaluate(base_->seen_from(w), in) * absorbed(above, W.z) / density;
        }
    }
    V3f sum(0.f);
    V3f beta(1.f);
    V3f d = -wo;
    int k = 0;
    bool down = true;
    bool at_base = false;
    float came = 0.f;  // density of the last event at the element above; 0: it cannot be joined
    for (int step = 0; step < most_events; ++step) {
        if (down && k == n) {
            if (!at_base) beta *= lift_, at_base = true;
            const V3f a = tilt_.in(-d);
            const Bsdf::Seen seen = base_->seen_from(a);
            const float weight = came > 0.f ? came / (came + base_->entered_pdf(in, a)) : 1.f;
            sum += beta * base_->evaluate(seen, in) * weight;
            const Scattered s = base_->scatter(seen, next);
            if (s.enters_subsurface || s.pdf <= 0.f || s.wi.z <= 0.f) return sum;
            beta *= s.weight;
            d = tilt_.out(s.wi);
            down = false;
            --k;
        } else {
            const Element& e = elements_[k];
            const bool last = k == n - 1;
            if (!down) beta *= absorbed(e, d.z);
            const V3f a = -d;
            if (last && density > 0.f) {
                const RoughInterface& i = down ? e.above : e.below;
                const V3f x = down ? e.tilt.in(a) : upright(e.tilt.in(a));
                const V3f y = e.tilt.in(-W);
                const float f = down ? i.refract(i.seen_from(x), y) : i.reflect(i.seen_from(x), upright(y));
                V3f joined = beta * back * (f * density / (density + f));
                if (!at_base) joined *= lift_;
                sum += joined;
            }
            const Event s = scatter(e, down, a, random, last && !e.straight());
            if (s.pdf <= 0.f) return sum;
            beta *= s.weight;
            d = s.direction;
            const bool was_down = down;
            down = down != s.reflected;
            if (was_down ? s.reflected : !s.reflected) {
                if (k == 0) return sum;
                --k;
            } else {
                came = last && !e.straight() ? s.pdf : 0.f;
                beta *= absorbed(e, d.z);
                ++k;
            }
        }
        if (!goes_on(beta, random)) return sum;
    }
    return sum;
}

/// What comes back from under the outermost interface, where that one's own reflection is kept apart; else all. The
/// numbers serve the first meeting with the substrate.
Scattered Stack::walk_out(const V3f& wo, float u, float u1, float u2, WalkRandom& random) const {
    const float head[] = {u, u1, u2};
    size_t taken = 0;
    auto first_numbers = [&] { return taken < 3 ? head[taken++] : random.next(); };
    Scattered out;
    V3f beta(1.f);
    V3f d = -wo;
    int k = 0;
    bool down = true;
    bool at_base = false;
    for (int step = 0; step < most_events; ++step) {
        if (down && k == count_) {
            if (!at_base) beta *= lift_, at_base = true;
            Scattered s = bare_scatter(meet(-d), first_numbers);
            if (s.pdf <= 0.f) return {};
            beta *= s.weight;
            if (s.enters_subsurface || s.wi.z <= 0.f) {
                s.weight = beta;
                return s;
            }
            d = s.wi;
            down = false;
            --k;
        } else {
            const Element& e = elements_[k];
            if (!down) beta *= absorbed(e, d.z);
            const Event s = k == 0 && down && parted() ? enter(-d, random) : scatter(e, down, -d, random);
            if (s.pdf <= 0.f) return {};
            beta *= s.weight;
            d = s.direction;
            const bool was_down = down;
            down = down != s.reflected;
            if (was_down ? s.reflected : !s.reflected) {  // upwards, out of this element's upper side
                if (k == 0) {
                    out.wi = d;
                    out.weight = beta;
                    out.pdf = 1.f;
                    return out;
                }
                --k;
            } else {
                beta *= absorbed(e, d.z);
                ++k;
            }
        }
        if (!goes_on(beta, random)) return {};
    }
    return {};
}

}  // namespace vemtra::surface
