// A rectangle that shines to one side, sampled over its area: pdf = d^2 / (cosine * area).
#include <algorithm>
#include <cmath>

#include "render/lights.h"

namespace vemtra::render {
namespace {

constexpr float least_size = 1e-4f;  // metres

float area(const AreaLight& l) {
    return 4.f * l.u.length() * l.v.length();
}

void prepare(const scene::Light& l, AreaLight& a) {
    const V3f to = l.target - l.position;
    a.normal = to.length() > 1e-6f ? to.normalized() : V3f(0, -1, 0);
    const V3f up = std::fabs(a.normal.y) > .999f ? V3f(0, 0, 1) : V3f(0, 1, 0);
    const V3f side = up.cross(a.normal).normalized();
    a.u = side * (.5f * std::max(least_size, l.size.x));
    a.v = a.normal.cross(side) * (.5f * std::max(least_size, l.size.y));
}

LightSample sample(const AreaLight& light, const V3f& from, float u, float v) {
    LightSample s;
    const V3f p = light.center + light.u * (2.f * u - 1.f) + light.v * (2.f * v - 1.f);
    const V3f to = p - from;
    const float d2 = to.length2();
    if (d2 < 1e-12f) return s;
    s.distance = std::sqrt(d2);
    s.direction = to / s.distance;
    const float cosine = -s.direction.dot(light.normal);
    if (cosine <= 1e-6f) return s;
    s.pdf = d2 / (cosine * area(light));
    s.radiance = light.radiance;
    return s;
}

float hit(const AreaLight& light, const V3f& origin, const V3f& direction) {
    const float facing = direction.dot(light.normal);
    if (facing >= -1e-7f) return INFINITY;
    const V3f to = light.center - origin;
    const float t = to.dot(light.normal) / facing;
    if (t <= 0.f) return INFINITY;
    const V3f p = direction * t - to;
    return std::fabs(p.dot(light.u)) <= light.u.length2() && std::fabs(p.dot(light.v)) <= light.v.length2() ? t
                                                                                                            : INFINITY;
}

float density(const AreaLight& light, const V3f& from, const V3f& direction) {
    const float t = hit(light, from, direction);
    const float cosine = -direction.dot(light.normal);
    return std::isfinite(t) && cosine > 1e-6f ? t * t / (cosine * area(light)) : 0.f;
}

}  // namespace

LightKind rectangle_light() {
    using What = LightRow::What;
    return {"rectangle",
            "Rectangle",
            prepare,
            sample,
            density,
            hit,
            area,
            {{What::target, "aimed at", "Where the light shines to."},
             {What::width_and_height, "size", "Width and height, metres."}}};
}

}  // namespace vemtra::render
