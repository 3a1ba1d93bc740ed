// How closed-in a point is.
//
// cavity(p) = sum over directions w of the cone around +-n, cosine weighted:  max(0, 1 - t(p, w) / reach) / N
// with t the distance to the next surface. Looking outward (+n) this is white in recesses; looking inward (-n) it is
// white at exposed edges, where the other side is near.
#include "base/hash.h"
#include "geometry/field.h"

namespace vemtra::geometry {
namespace {

// Base-2 and base-3 radical inverses (Halton 1960), shifted per place: the same place gets the same directions on every
// triangle that shares it, so nothing shows along edges.
float radical_inverse2(uint32_t i) {
    i = (i << 16) | (i >> 16);
    i = ((i & 0x00ff00ffu) << 8) | ((i & 0xff00ff00u) >> 8);
    i = ((i & 0x0f0f0f0fu) << 4) | ((i & 0xf0f0f0f0u) >> 4);
    i = ((i & 0x33333333u) << 2) | ((i & 0xccccccccu) >> 2);
    i = ((i & 0x55555555u) << 1) | ((i & 0xaaaaaaaau) >> 1);
    return float(i >> 8) * 0x1p-24f;
}

class Sampler {
public:
    Sampler(const Geometry& geometry, const std::vector<float>& p, int rays)
        : scene_(geometry.scene()), edges_(p[0] > .5f), reach_(p[1]), rays_(rays), sin_cone_(std::sin(radians(p[2]))) {
        rtcInitIntersectContext(&context_);
    }
    float operator()(const FieldPoint& p) {
        const V3f& position = p.position;
        const V3f& normal = p.normal;
        const V3f& toward_middle = p.toward_middle;
        const V3f axis = edges_ ? -normal : normal;
        // A little into the triangle, so that a corner's own walls count as seen from inside of the corner.
        const V3f inward = toward_middle * .02f;
        const float limit = .02f * reach_;
        const float length = inward.length();
        const V3f origin = offset_origin(position + (length > limit ? inward * (limit / length) : inward), axis) +
                           axis * (1e-4f * reach_);
        uint32_t seed = 0;
        for (int i = 0; i < 3; ++i) seed = combine(seed, __builtin_bit_cast(uint32_t, position[i] + 0.f));
        const float shift1 = float(mix32(seed) >> 8) * 0x1p-24f;
        const float shift2 = float(mix32(seed + 1) >> 8) * 0x1p-24f;
        const Frame frame(axis);
        float sum = 0.f;
        for (int i = 0; i < rays_; ++i) {
            float a = radical_inverse2(uint32_t(i)) + shift1;
            float b = (float(i) + .5f) * 0.618033988f + shift2;
            a -= std::floor(a);
            b -= std::floor(b);
            const float s = sin_cone_ * std::sqrt(a);
            const float phi = 2.f * pi * b;  // cosine weighted within the cone
            const V3f d =
                frame.to_world(V3f(s * std::cos(phi), s * std::sin(phi), std::sqrt(std::max(0.f, 1.f - s * s))));
            RTCRayHit ray = single_ray(origin, d, reach_);
            rtcIntersect1(scene_, &context_, &ray);
            if (ray.hit.geomID != RTC_INVALID_GEOMETRY_ID) sum += 1.f - ray.ray.tfar / reach_;
        }
        return sum / float(rays_);
    }

private:
    RTCScene scene_;
    bool edges_;
    float reach_;
    int rays_;
    float sin_cone_;
    RTCIntersectContext context_;
};

}  // namespace

FieldKind cavity_field() {
    return {"cavity",
            3,
            {"1 looks inward", "reach, metres, above 0", "half the opening of the cone, degrees, up to 90"},
            [](const std::vector<float>& p) { return p[1]; },
            [](const Geometry& geometry, const std::vector<float>& p, int rays) -> FieldSampler {
                return Sampler(geometry, p, rays);
            }};
}

}  // namespace vemtra::geometry
