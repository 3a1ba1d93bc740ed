// A sphere, sampled over the cone under which it is seen: pdf = 1 / (2 pi (1 - cos)).
#include <algorithm>
#include <cmath>

#include "render/lights.h"

namespace vemtra::render {
namespace {

void prepare(const scene::Light& l, AreaLight& a) {
    a.radius = .5f * std::max(1e-4f, l.size.x);
}

float area(const AreaLight& l) {
    return 4.f * pi * l.radius * l.radius;
}

/// 1 - cos of half the cone's opening, or 0 where `from` lies in the sphere.
float cone(const AreaLight& light, const V3f& from) {
    const float d2 = (light.center - from).length2();
    const float r2 = light.radius * light.radius;
    if (d2 <= r2 * 1.0001f) return 0.f;
    const float sin2 = r2 / d2;
    return sin2 < 1e-4f ? sin2 * .5f : 1.f - std::sqrt(1.f - sin2);
}

float hit(const AreaLight& light, const V3f& origin, const V3f& direction) {
    const V3f to = light.center - origin;
    const float b = to.dot(direction);
    const float c = to.length2() - light.radius * light.radius;
    const float disc = b * b - c;
    if (disc < 0.f || c <= 0.f) return INFINITY;
    const float t = b - std::sqrt(disc);
    return t > 0.f ? t : INFINITY;
}

LightSample sample(const AreaLight& light, const V3f& from, float u, float v) {
    LightSample s;
    const float one_minus_cos = cone(light, from);
    if (one_minus_cos <= 0.f) return s;
    const V3f to = light.center - from;
    const float distance = std::sqrt(to.length2());
    const float cosine = 1.f - u * one_minus_cos;
    const float sine = std::sqrt(std::max(0.f, 1.f - cosine * cosine));
    const Frame frame(to / distance);
    s.direction = frame.to_world({sine * std::cos(2.f * pi * v), sine * std::sin(2.f * pi * v), cosine});
    s.distance = hit(light, from, s.direction);
    if (!std::isfinite(s.distance)) s.distance = distance * cosine;
    s.pdf = 1.f / (2.f * pi * one_minus_cos);
    s.radiance = light.radiance;
    return s;
}

float density(const AreaLight& light, const V3f& from, const V3f& direction) {
    const float one_minus_cos = cone(light, from);
    return one_minus_cos > 0.f && std::isfinite(hit(light, from, direction)) ? 1.f / (2.f * pi * one_minus_cos) : 0.f;
}

LightBounds bounds(const AreaLight& light) {
    return {Box3f(light.center - V3f(light.radius), light.center + V3f(light.radius)), {0.f, 0.f, 1.f}, -1.f, 0.f};
}

}  // namespace

LightKind sphere_light() {
    return {"sphere", "Sphere", prepare,
            sample,   density,  hit,
            area,     bounds,   {{LightRow::What::diameter, "diameter", "Metres."}}};
}

}  // namespace vemtra::render
