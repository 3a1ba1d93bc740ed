#include "render/body.h"

#include <climits>

namespace vemtra::render {
namespace {

constexpr int most_turns = 32768, free_turns = 8;  // before chance may end a walk

V3f henyey_greenstein(const V3f& along, float g, float u, float v) {
    float c;
    if (std::fabs(g) < 1e-3f)
        c = 1.f - 2.f * u;
    else {
        const float q = (1.f - g * g) / (1.f + g - 2.f * g * u);
        c = (1.f + g * g - q * q) / (2.f * g);
    }
    const float s = std::sqrt(std::max(0.f, 1.f - c * c));
    float sine;
    float cosine;
    sincos_turn(v, sine, cosine);
    return Frame(along).to_world({s * cosine, s * sine, c}).normalized();
}
V3f kept(const V3f& sigma, float t) {
    return {std::exp(-sigma.x * t), std::exp(-sigma.y * t), std::exp(-sigma.z * t)};
}

}  // namespace

Body clear_body(const surface::Slots& s, uint32_t instance, int priority, float ior) {
    Body b;
    b.instance = instance;
    b.priority = priority;
    b.ior = ior;
    if (s.transmission_depth <= 0.f) return b;
    V3f absorbs;
    V3f scatters;
    for (int c = 0; c < 3; ++c) {
        const float extinction = -std::log(std::max(1e-4f, s.transmission_color[c])) / s.transmission_depth;
        scatters[c] = s.transmission_scatter[c] / s.transmission_depth;
        absorbs[c] = extinction - scatters[c];
    }
    const float least = std::min({absorbs.x, absorbs.y, absorbs.z});
    if (least < 0.f) absorbs -= V3f(least);  // more haze than colour: the whole is darkened instead
    b.sigma_t = absorbs + scatters;
    for (int c = 0; c < 3; ++c) b.alpha[c] = b.sigma_t[c] > 0.f ? scatters[c] / b.sigma_t[c] : 0.f;
    b.g = s.transmission_scatter_anisotropy;
    return b;
}

Body scattering_body(const surface::Slots& s, uint32_t instance) {
    Body b;
    b.instance = instance;
    b.priority = INT_MAX;  // where light goes below, nothing else is around it
    b.ior = s.specular_ior;
    b.g = s.subsurface_scatter_anisotropy;
    for (int c = 0; c < 3; ++c) {
        const float r = s.subsurface_radius * s.subsurface_radius_scale[c];
        const float a = s.subsurface_color[c];
        b.sigma_t[c] = 1.f / std::max(1e-6f, r);
        const float q = 4.09712f + 4.20863f * a - std::sqrt(9.59217f + 41.6808f * a + 17.7126f * a * a);
        b.alpha[c] = clamp01((1.f - q * q) / (1.f - b.g * q * q));
    }
    return b;
}

float Floor::met(const V3f& origin, const V3f& direction) const {
    if (!std::isfinite(height) || std::fabs(direction.y) < 1e-9f) return INFINITY;
    const float t = (height - origin.y) / direction.y;
    if (!(t > 1e-5f)) return INFINITY;
    const float x = origin.x + t * direction.x;
    const float z = origin.z + t * direction.z;
    return x * x + z * z < radius * radius ? t : INFINITY;
}

Wandered wander(RTCScene scene, const Body& body, const Floor& floor, const V3f& origin, const V3f& direction,
                const V3f& carried, const WalkHead& head, surface::WalkRandom& random) {
    Wandered w;
    w.origin = origin;
    w.direction = direction;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    const float sum = carried.x + carried.y + carried.z;
    if (!(sum > 0.f)) return w;
    const V3f chance = carried / sum;
    const int leads = head.leads < chance.x ? 0 : head.leads < chance.x + chance.y || !(chance.z > 0.f) ? 1 : 2;
    const float sigma = body.sigma_t[leads];
    if (head.alone) {
        for (int c = 0; c < 3; ++c) w.weight[c] = c == leads ? 1.f / chance[c] : 0.f;
    }
    // How much likelier each channel makes the walk so far than all together do.
    V3f likelier(1.f);
    for (w.turns = 0; w.turns < most_turns; ++w.turns) {
        const float u = w.turns ? random.next() : head.first;
        const V3f p = chance * likelier;
        const float d = body.scatters() && sigma > 0.f ? -std::log(1.f - u) / sigma : INFINITY;
        RTCRayHit ray = geometry::single_ray(w.origin, w.direction, d);
        rtcIntersect1(scene, &context, &ray);
        const float down = floor.met(w.origin, w.direction);
        const bool hit = ray.hit.geomID != RTC_INVALID_GEOMETRY_ID;
        if (hit || down < d) {
            w.on_floor = down < ray.ray.tfar;
            const float t = std::min(down, ray.ray.tfar);
            if (!head.alone) {
                const V3f through = kept(body.sigma_t, t);
                w.weight *= body.scatters() ? through / std::max(1e-20f, p.dot(through)) : through;
            }
            w.out = true;
            w.at = geometry::place_of(ray.hit);
            w.t = t;
            return w;
        }
        if (d == INFINITY) return w;
        float left;
        if (head.alone) {
            w.weight *= body.alpha[leads];
            left = w.weight[leads] * chance[leads];
        } else {
            const V3f made = body.sigma_t * kept(body.sigma_t, d);
            const float together = std::max(1e-20f, p.dot(made));
            w.weight *= body.alpha * made / together;
            likelier *= made / together;
            left = max_component(w.weight);
        }
        if (w.turns >= free_turns) {
            // A weight that has not fallen is not tried: trying it would only spread the weights.
            if (left < 1.f) {
                if (random.next() >= left) return w;
                w.weight /= left;
            }
        }
        w.origin += w.direction * d;
        const float a = random.next();
        const float b = random.next();
        w.direction = henyey_greenstein(w.direction, body.g, a, b);
    }
    return w;
}

}  // namespace vemtra::render
