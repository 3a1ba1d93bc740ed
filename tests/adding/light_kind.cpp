// Example of docs/adding.md: a kind of light. In the house: one file in src/render/lights/, one line in light_kinds().
#include <cmath>

#include "render/lights.h"

namespace example {

using namespace vemtra;
using render::AreaLight;

/// A disc that shines to one side; sampled over its area by the square root of u: pdf = d^2 / (cosine * area).
render::LightKind disc_light() {
    auto area = [](const AreaLight& l) { return pi * l.radius * l.radius; };
    auto hit = [](const AreaLight& l, const V3f& origin, const V3f& direction) {
        const float facing = direction.dot(l.normal);
        if (facing >= -1e-7f) return INFINITY;
        const float t = (l.center - origin).dot(l.normal) / facing;
        return t > 0.f && (origin + direction * t - l.center).length() <= l.radius ? t : INFINITY;
    };
    return {
        "disc",
        "Disc",
        [](const scene::Light& from, AreaLight& to) {
            to.normal = (from.target - from.position).normalized();
            to.radius = .5f * from.size.x;
        },
        [](const AreaLight& l, const V3f& from, float u, float v) {
            render::LightSample s;
            const float r = l.radius * std::sqrt(u), turn = 2.f * pi * v;
            const V3f to = l.center + Frame(l.normal).to_world({r * std::cos(turn), r * std::sin(turn), 0.f}) - from;
            s.distance = to.length();
            s.direction = to / s.distance;
            const float cosine = -s.direction.dot(l.normal);
            if (cosine <= 1e-6f) return s;
            s.pdf = s.distance * s.distance / (cosine * pi * l.radius * l.radius);
            s.radiance = l.radiance;
            return s;
        },
        [](const AreaLight& l, const V3f& from, const V3f& direction) {
            const float t = l.kind->intersect(l, from, direction), cosine = -direction.dot(l.normal);
            return std::isfinite(t) ? t * t / (cosine * l.kind->area(l)) : 0.f;
        },
        hit,
        area,
        [](const AreaLight& l) {
            return render::LightBounds{Box3f(l.center - V3f(l.radius), l.center + V3f(l.radius)), l.normal, 1.f, 0.f};
        },
        {{render::LightRow::What::target, "aimed at", "Where it shines to."},
         {render::LightRow::What::diameter, "diameter", "Metres."}}};
}

}  // namespace example
