#include "geometry/field_contacts.h"

namespace vemtra::geometry {

bool stands_on(const Geometry& geometry, const V3f (&corner)[3], const V3f& normal, float above) {
    const float length = normal.length();
    if (!(length > 0.f) || !std::isfinite(length)) return false;
    const V3f lift = normal * (above / length);
    const V3f middle = (corner[0] + corner[1] + corner[2]) / 3.f;
    // A little inside of the piece: what lies beyond its sides does not count.
    V3f at[3];
    for (int k = 0; k < 3; ++k) at[k] = corner[k] + (middle - corner[k]) * .05f + lift;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    auto meets = [&](const V3f& from, const V3f& to) {
        RTCRay ray = single_ray(from, to - from, 1.f).ray;
        if (ray.tfar < 0.f) return false;
        rtcOccluded1(geometry.scene(), &context, &ray);
        return ray.tfar < 0.f;
    };
    for (int k = 0; k < 3; ++k) {
        const V3f& a = at[k];
        const V3f& b = at[(k + 1) % 3];
        const V3f& across = at[(k + 2) % 3];
        if (meets(a, b) || meets(across, (a + b) * .5f)) return true;
    }
    return false;
}

float contact_between(const Geometry& geometry, const V3f& a, const V3f& b) {
    constexpr float same = .02f;   // of the way, and so far from its ends
    constexpr float along = .01f;  // sine of the angle below which the way lies in a face rather than goes through it
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    auto met = [&](const V3f& from, const V3f& to) {
        RTCRayHit ray = single_ray(from, to - from, 1.f);
        rtcIntersect1(geometry.scene(), &context, &ray);
        const Place at = place_of(ray.hit);
        if (!hit_something(at)) return -1.f;
        V3f normal(ray.hit.Ng_x, ray.hit.Ng_y, ray.hit.Ng_z);
        if (!geometry.merged(at.instance)) normal = geometry.instances()[at.instance].normal_to_world(normal);
        const V3f way = to - from;
        return std::fabs(normal.dot(way)) > along * normal.length() * way.length() ? ray.ray.tfar : -1.f;
    };
    const float there = met(a, b);
    if (!(there > same && there < 1.f - same)) return -1.f;
    const float back = met(b, a);
    if (!(back > 0.f) || std::fabs(there + back - 1.f) > same) return -1.f;
    return .5f * (there + 1.f - back);
}

}  // namespace vemtra::geometry
