// A rectangle that shines to one side, sampled over its solid angle: pdf = 1 / angle; where that is small, over its
// area: pdf = d^2 / (cosine * area).
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

/// The solid angle of a rectangle, and points spread evenly over it (Urena, Fajardo, King 2013, "An Area-Preserving
/// Parametrization for Spherical Rectangles").
struct SolidAngle {
    V3f x, y, z;  // frame: the rectangle lies in z = z0 < 0
    float x0, y0, z0, x1, y1;
    float b0, b1, k, angle;
    SolidAngle(const AreaLight& l, const V3f& from) {
        const float half_x = l.u.length();
        const float half_y = l.v.length();
        x = l.u / half_x;
        y = l.v / half_y;
        z = x.cross(y);
        const V3f d = l.center - l.u - l.v - from;
        z0 = d.dot(z);
        if (z0 > 0.f) z = -z, z0 = -z0;
        x0 = d.dot(x);
        y0 = d.dot(y);
        x1 = x0 + 2.f * half_x;
        y1 = y0 + 2.f * half_y;
        // Normals of the planes through the point and an edge, along z; in doubles: the angle is a difference.
        auto along = [this](float a) { return double(a) / std::sqrt(double(z0) * double(z0) + double(a) * double(a)); };
        const double n0 = -along(y0);
        const double n1 = along(x1);
        const double n2 = along(y1);
        const double n3 = -along(x0);
        auto turn = [](double a, double b) { return std::acos(std::clamp(-a * b, -1., 1.)); };
        const double rest = 2. * M_PI - turn(n2, n3) - turn(n3, n0);
        b0 = float(n0);
        b1 = float(n2);
        k = float(rest);
        angle = float(turn(n0, n1) + turn(n1, n2) - rest);
    }
    /// Seen small, its angle is what rounding leaves of a difference: the area serves as well then.
    bool serves() const { return angle > 2e-3f && z0 < -1e-6f; }
    V3f direction(float u, float v) const {
        const float au = u * angle + k;
        const float fu = (std::cos(au) * b0 - b1) / std::sin(au);
        float cu = 1.f / std::sqrt(fu * fu + b0 * b0) * (fu > 0.f ? 1.f : -1.f);
        cu = std::clamp(cu, -1.f, 1.f);
        const float xu = std::clamp(-(cu * z0) / std::sqrt(std::max(1e-12f, 1.f - cu * cu)), x0, x1);
        const float d2 = xu * xu + z0 * z0;
        const float h0 = y0 / std::sqrt(d2 + y0 * y0);
        const float h1 = y1 / std::sqrt(d2 + y1 * y1);
        const float hv = h0 + v * (h1 - h0);
        const float yv = hv * hv < 1.f - 1e-6f ? hv * std::sqrt(d2 / (1.f - hv * hv)) : y1;
        return x * xu + y * std::clamp(yv, y0, y1) + z * z0;
    }
};

LightSample sample(const AreaLight& light, const V3f& from, float u, float v) {
    LightSample s;
    if ((from - light.center).dot(light.normal) <= 0.f) return s;
    const SolidAngle seen(light, from);
    const bool even = seen.serves();
    const V3f to =
        even ? seen.direction(u, v) : light.center + light.u * (2.f * u - 1.f) + light.v * (2.f * v - 1.f) - from;
    const float d2 = to.length2();
    if (d2 < 1e-12f) return s;
    s.distance = std::sqrt(d2);
    s.direction = to / s.distance;
    const float cosine = -s.direction.dot(light.normal);
    if (cosine <= 1e-6f) return s;
    s.pdf = even ? 1.f / seen.angle : d2 / (cosine * area(light));
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
    if (!std::isfinite(t) || cosine <= 1e-6f) return 0.f;
    const SolidAngle seen(light, from);
    return seen.serves() ? 1.f / seen.angle : t * t / (cosine * area(light));
}

LightBounds bounds(const AreaLight& light) {
    const V3f half(std::fabs(light.u.x) + std::fabs(light.v.x), std::fabs(light.u.y) + std::fabs(light.v.y),
                   std::fabs(light.u.z) + std::fabs(light.v.z));
    return {Box3f(light.center - half, light.center + half), light.normal, 1.f, 0.f};
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
            bounds,
            {{What::target, "aimed at", "Where the light shines to."},
             {What::width_and_height, "size", "Width and height, metres."}}};
}

}  // namespace vemtra::render
