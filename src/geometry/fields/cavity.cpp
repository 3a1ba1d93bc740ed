// How closed-in a point is: of rays in a cone about the normal, cosine weighted, the mean of 1 - t / reach over those
// that meet something at t < reach, for reaches that grow by a constant ratio: between them it is smooth, where shares
// of hits by distance are not. Looking outward it says where recesses are; looking inward, where the other side is
// near: at exposed edges and thin places. What counts as near, and how it falls off, is said when it is read
// (reach_weights).
//
// Directions lie on a spiral of the golden angle (Vogel 1979, "A better way to construct the sunflower head"), the same
// ones about every normal: what is left of their error changes slowly over the surface, so that nothing is mottled
// behind a steep level, and differences between samples are those of the form. They are as dense as the root of the
// cosine and count by it: beside walls the error of 128 is half of what it is with the cosine alone (decision 0061).
// Sixteen that lie near one another are sent together.
#include <algorithm>
#include <array>
#include <memory>

#include "geometry/fields/kinds.h"
#include "geometry/fields/passing.h"

namespace vemtra::geometry {
namespace {

/// Directions about +z within a cone, to be weighted; sixteen that follow one another lie near one another.
class Directions {
public:
    Directions(int count, float cos_cone) : all_(size_t(std::max(count, 1))) {
        const float n = float(all_.size());
        const float outside = cos_cone * std::sqrt(cos_cone);
        for (size_t i = 0; i < all_.size(); ++i) {
            const float a = (float(i) + .5f) / n;
            const float b = (float(i) + .5f) * 0.618033988f;
            const float root = std::cbrt(1.f - a * (1.f - outside));
            const float z = root * root;
            const float s = std::sqrt(std::max(0.f, 1.f - z * z));
            float sine;
            float cosine;
            sincos_turn(b - std::floor(b), sine, cosine);
            all_[i] = {s * cosine, s * sine, z};
        }
        part(0, all_.size(), 0);
    }
    size_t size() const { return all_.size(); }
    const V3f& operator[](size_t i) const { return all_[i]; }
    float weight(size_t i) const { return std::sqrt(all_[i].z); }

private:
    /// Halves by x and by y in turn, at sixteens.
    void part(size_t from, size_t to, int axis) {
        if (to - from <= 16) return;
        std::stable_sort(all_.begin() + ptrdiff_t(from), all_.begin() + ptrdiff_t(to),
                         [&](const V3f& a, const V3f& b) { return a[axis] < b[axis]; });
        const size_t middle = from + ((to - from + 31) / 32) * 16;
        part(from, middle, 1 - axis);
        part(middle, to, 1 - axis);
    }
    std::vector<V3f> all_;
};

struct Looking {
    bool inward;
    V3f towards;  ///< unit; rays count the more the nearer they are to it
    float bias;   ///< 0: all alike; 1: none from the other side
    explicit Looking(const std::vector<float>& p) : inward(p[0] > .5f), towards(p[3], p[4], p[5]), bias(p[6]) {
        towards = towards.length() > 1e-6f ? towards.normalized() : V3f(0.f, 1.f, 0.f);
    }
};

/// A knot further than is read: what lies between knots is told by those beside them.
float range_of_cavity(const std::vector<float>& p) {
    return p[7] * 1.41421356f;
}

class Sampler {
public:
    Sampler(const Geometry& geometry, const std::vector<float>& p, std::shared_ptr<const Directions> directions,
            std::vector<char> passed)
        : passing_(geometry, std::move(passed), p[2] > .5f),
          look_(p),
          directions_(std::move(directions)),
          furthest_(range_of_cavity(p)) {
        for (int k = 0; k < reach_knots; ++k) per_knot_[k] = 1.f / (furthest_ * knot_at(k));
    }
    void operator()(const FieldPoint& p, float* out) {
        const V3f axis = look_.inward ? -p.normal : p.normal;
        // A little towards the faces' middles, so that a corner's own walls count as seen from inside of the corner.
        const V3f aside = p.toward_middle * .02f;
        const float limit = 3.5e-4f * furthest_;
        const float length = aside.length();
        const V3f origin = offset_origin(p.position + (length > limit ? aside * (limit / length) : aside), axis) +
                           axis * (2e-6f * furthest_);
        const Frame frame(axis);
        float met[reach_knots] = {};
        float all = 0.f;
        const Directions& about = *directions_;
        for (size_t first = 0; first < about.size(); first += 16) {
            const int count = int(std::min<size_t>(16, about.size() - first));
            std::array<V3f, 16> to;
            for (int k = 0; k < 16; ++k) to[size_t(k)] = frame.to_world(about[first + size_t(std::min(k, count - 1))]);
            const std::array<float, 16> at = passing_.meet(p.instance, origin, to, count, furthest_);
            for (int k = 0; k < count; ++k) {
                const float towards = std::max(0.f, to[size_t(k)].dot(look_.towards));
                const float weight = about.weight(first + size_t(k)) * (1.f - look_.bias + look_.bias * towards);
                all += weight;
                if (at[size_t(k)] >= 0.f)
                    for (int r = 0; r < reach_knots; ++r)
                        met[r] += weight * std::max(0.f, 1.f - at[size_t(k)] * per_knot_[r]);
            }
        }
        for (int k = 0; k < reach_knots; ++k) out[k] = all > 0.f ? met[k] / all : 0.f;
    }

private:
    PassingRays passing_;
    Looking look_;
    std::shared_ptr<const Directions> directions_;
    float furthest_;
    float per_knot_[reach_knots];  ///< 1 / distance
};

}  // namespace

FieldKind cavity_field() {
    return {.name = "cavity",
            .version = 10,
            .parameters = {"1 looks inward", "half the opening of the cone, degrees, up to 90",
                           "1 meets its own part alone", "x of a direction that counts more", "y", "z",
                           "how much more, 0 to 1", "how far is looked, metres, above 0"},
            .channels = reach_knots,
            .adaptive = true,
            .tolerance = .017f,
            .range = range_of_cavity,
            .reads = FieldReads::near_parts,
            .side = [](const std::vector<float>& p) { return p[0] > .5f ? -1.f : 1.f; },
            .samplers = [](const Geometry& geometry, const FieldAsked& asked) -> FieldSamplers {
                const auto directions = std::make_shared<const Directions>(
                    asked.rays, std::max(0.f, std::cos(radians(asked.parameters[1]))));
                return [&geometry, p = asked.parameters, directions, passed = asked.named] {
                    return Sampler(geometry, p, directions, passed);
                };
            }};
}

}  // namespace vemtra::geometry
