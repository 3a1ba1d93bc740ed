// Example of docs/adding.md: a field of the form. In the house: one file in src/geometry/fields/, one line in
// field_kinds().
#include "geometry/field.h"

namespace example {

using namespace vemtra;

/// Height of a point over the lowest one of all, in shares of the parameter, metres.
geometry::FieldKind height_field() {
    return {"height",
            1,
            {"metres from 0 to 1"},
            [](const std::vector<float>&) { return 1e6f; },  // it changes evenly: no grids
            [](const geometry::Geometry& g, const std::vector<float>& p, int) -> geometry::FieldSampler {
                return [low = g.bounds().min.y, up = p[0]](const geometry::FieldPoint& at) {
                    return (at.position.y - low) / up;
                };
            }};
}

}  // namespace example
