// Rays that pass through parts that do not count.
#pragma once
#include <array>
#include <vector>

#include "geometry/geometry.h"

namespace vemtra::geometry {

class PassingRays {
public:
    /// `passed`: per instance, that it does not count, unless a point's own; `own_alone`: no other does.
    PassingRays(const Geometry& geometry, std::vector<char> passed, bool own_alone)
        : scene_(geometry.scene()), passed_(std::move(passed)), own_alone_(own_alone) {
        rtcInitIntersectContext(&context_);
        rtcInitIntersectContext(&together_);
        together_.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
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

    /// Rays that go together from one place into sixteen directions, of which the first `count` are meant: how far off
    /// what counts is met, metres; below 0 where nothing is. Quickest where the directions lie near one another.
    std::array<float, 16> meet(uint32_t own, const V3f& origin, const std::array<V3f, 16>& directions, int count,
                               float furthest) {
        RTCRayHit16 rays;
        alignas(64) int valid[16];
        for (int k = 0; k < 16; ++k) {
            set_ray(rays.ray, k, origin, directions[size_t(k)], furthest);
            set_no_hit(rays.hit, k);
            valid[k] = k < count ? -1 : 0;
        }
        rtcIntersect16(valid, scene_, &together_, &rays);
        std::array<float, 16> out;
        for (int k = 0; k < 16; ++k) {
            Place at = place_of(rays.hit, k);
            float t = rays.ray.tfar[k];
            if (hit_something(at) && is_passed(at.instance, own))
                t = meet(own, origin, directions[size_t(k)], furthest, at);
            out[size_t(k)] = hit_something(at) ? t : -1.f;
        }
        return out;
    }

private:
    static constexpr int most_passed = 16;
    bool is_passed(uint32_t instance, uint32_t own) const {
        return instance != own && (own_alone_ || (instance < passed_.size() && passed_[instance]));
    }

    RTCScene scene_;
    std::vector<char> passed_;
    bool own_alone_;
    RTCIntersectContext context_, together_;
};

}  // namespace vemtra::geometry
