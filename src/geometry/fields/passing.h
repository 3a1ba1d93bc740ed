// Rays that pass through parts that do not count.
#pragma once
#include <vector>

#include "geometry/geometry.h"

namespace vemtra::geometry {

class PassingRays {
public:
    /// `passed`: per instance, that it does not count, unless a point's own; `own_alone`: no other does.
    PassingRays(const Geometry& geometry, std::vector<char> passed, bool own_alone)
        : scene_(geometry.scene()), passed_(std::move(passed)), own_alone_(own_alone) {
        rtcInitIntersectContext(&context_);
    }
    /// How far off what counts is met, metres; `at`: where. At most sixteen others are passed on the way.
    float meet(uint32_t own, const V3f& origin, const V3f& direction, float furthest, Place& at) {
        RTCRayHit ray = single_ray(origin, direction, furthest);
        rtcIntersect1(scene_, &context_, &ray);
        at = place_of(ray.hit);
        for (int others = 0; hit_something(at) && is_passed(at.instance, own); ++others) {
            const float behind = ray.ray.tfar * 1.00001f + 1e-6f * furthest;
            if (others == most_passed || !(behind < furthest)) {
                at = {};
                return furthest;
            }
            ray = single_ray(origin, direction, furthest);
            ray.ray.tnear = behind;
            rtcIntersect1(scene_, &context_, &ray);
            at = place_of(ray.hit);
        }
        return ray.ray.tfar;
    }

private:
    static constexpr int most_passed = 16;
    bool is_passed(uint32_t instance, uint32_t own) const {
        return instance != own && (own_alone_ || (instance < passed_.size() && passed_[instance]));
    }

    RTCScene scene_;
    std::vector<char> passed_;
    bool own_alone_;
    RTCIntersectContext context_;
};

}  // namespace vemtra::geometry
