// How much settles on a point of what falls from a direction: of rays in a cone about the direction, the share that
// comes from outside, each by the cosine that it meets the surface at; 1 where the surface faces the direction and
// nothing stands over it. A wide cone is dust that drifts, a narrow one is snow on a still day.
#include "geometry/fields/kinds.h"
#include "geometry/fields/passing.h"

namespace vemtra::geometry {
namespace {

class Falling {
public:
    Falling(const Geometry& geometry, const std::vector<float>& p, int rays, std::vector<char> passed)
        : passing_(geometry, std::move(passed), false),
          rays_(std::clamp(rays, 1, 64)),
          furthest_(2.f * size_of_all(geometry)),
          from_(p[0], p[1], p[2]),
          least_cosine_(std::cos(radians(p[3]))) {
        from_ = from_.length() > 1e-6f ? from_.normalized() : V3f(0.f, 1.f, 0.f);
    }
    void operator()(const FieldPoint& p, float* out) {
        const Frame frame(from_);
        const V3f aside = p.toward_middle * .02f;  // as for cavity: corners are looked at from inside of their faces
        const float limit = 2.5e-4f * furthest_;
        const float length = aside.length();
        const V3f origin = offset_origin(p.position + (length > limit ? aside * (limit / length) : aside), p.normal) +
                           p.normal * (1e-6f * furthest_);
        float met = 0.f;
        float all = 0.f;
        for (int i = 0; i < rays_; ++i) {
            const float turn = (float(i) + .5f) * .618033988f;
            const float z = 1.f - (float(i) + .5f) / float(rays_) * (1.f - least_cosine_);  // even over the cone
            const float s = std::sqrt(std::max(0.f, 1.f - z * z));
            float sine;
            float cosine;
            sincos_turn(turn - std::floor(turn), sine, cosine);
            const V3f direction = frame.to_world({s * cosine, s * sine, z});
            all += z;
            const float facing = p.normal.dot(direction);
            if (facing <= 0.f) continue;
            Place over;
            passing_.meet(p.instance, origin, direction, furthest_, over);
            if (!hit_something(over)) met += facing;
        }
        out[0] = all > 0.f ? clamp01(met / all) : 0.f;
    }

private:
    PassingRays passing_;
    int rays_;
    float furthest_;
    V3f from_;
    float least_cosine_;
};

}  // namespace

FieldKind settle_field() {
    return {.name = "settle",
            .version = 3,
            .parameters = {"x of the direction that it comes from", "y", "z",
                           "half the opening of the cone, degrees, up to 89"},
            .adaptive = true,
            .tolerance = .03f,
            .spread = 1.f,
            .samplers = [](const Geometry& geometry, const FieldAsked& asked) -> FieldSamplers {
                const std::vector<float>& p = asked.parameters;
                return [&geometry, p, rays = asked.rays, passed = asked.named] {
                    return Falling(geometry, p, rays, passed);
                };
            }};
}

}  // namespace vemtra::geometry
