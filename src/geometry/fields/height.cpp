// How high a point is: 0 at the lowest and 1 at the highest place along an axis, of its part or of all that stands
// there.
#include "geometry/fields/kinds.h"

namespace vemtra::geometry {

FieldKind height_field() {
    return {.name = "height",
            .version = 1,
            .parameters = {"x of the axis", "y", "z", "1 within its part alone"},
            .samplers = [](const Geometry& geometry, const FieldAsked& asked) -> FieldSamplers {
                const std::vector<float>& p = asked.parameters;
                V3f axis(p[0], p[1], p[2]);
                axis = axis.length() > 1e-6f ? axis.normalized() : V3f(0.f, 1.f, 0.f);
                auto ends = [axis](const Box3f& box) {  // of a box along the axis
                    const V3f middle = box.center();
                    const V3f half = box.size() * .5f;
                    const float reach =
                        std::fabs(axis.x) * half.x + std::fabs(axis.y) * half.y + std::fabs(axis.z) * half.z;
                    return V2f(middle.dot(axis) - reach, middle.dot(axis) + reach);
                };
                std::vector<V2f> of;  // per instance
                for (const Instance& i : geometry.instances())
                    of.push_back(ends(p[3] > .5f ? i.bounds() : geometry.bounds()));
                return [of, axis]() -> FieldSampler {
                    return [of, axis](const FieldPoint& at, float* out) {
                        const V2f& e = of[at.instance];
                        out[0] = clamp01((at.position.dot(axis) - e.x) / std::max(1e-9f, e.y - e.x));
                    };
                };
            }};
}

/// Which way a point faces: 1 towards the direction, 0 across, -1 away from it.
FieldKind slope_field() {
    return {.name = "slope",
            .version = 1,
            .parameters = {"x of the direction", "y", "z"},
            .samplers = [](const Geometry&, const FieldAsked& asked) -> FieldSamplers {
                const std::vector<float>& p = asked.parameters;
                V3f axis(p[0], p[1], p[2]);
                axis = axis.length() > 1e-6f ? axis.normalized() : V3f(0.f, 1.f, 0.f);
                return [axis]() -> FieldSampler {
                    return [axis](const FieldPoint& at, float* out) { out[0] = at.normal.dot(axis); };
                };
            }};
}

}  // namespace vemtra::geometry
