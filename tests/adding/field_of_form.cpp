// Example of docs/adding.md: a field of the form. In the house: one file in src/geometry/fields/, one line in
// field_kinds().
#include "geometry/field.h"

namespace example {

using namespace vemtra;

/// Height of a point over the lowest one of all, in shares of the parameter, metres.
geometry::FieldKind over_lowest_field() {
    return {.name = "over-lowest",
            .version = 1,
            .parameters = {"metres from 0 to 1"},
            .samplers = [](const geometry::Geometry& g, const geometry::FieldAsked& asked) -> geometry::FieldSamplers {
                return [low = g.bounds().min.y, up = asked.parameters[0]]() -> geometry::FieldSampler {
                    return [=](const geometry::FieldPoint& at, float* out) { out[0] = (at.position.y - low) / up; };
                };
            }};
}

}  // namespace example
