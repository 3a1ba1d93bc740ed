// A picture laid over a form from one point outwards: geodesic coordinates around a pin, so that it bends round corners
// without stretching (the discrete exponential map: Schmidt, Grimm, Wyvill 2006, "Interactive Decal Compositing with
// Discrete Exponential Maps", with the upwind average of Schmidt 2013, "Stroke Parameterization").
#pragma once
#include <memory>
#include <vector>

#include "geometry/shape.h"

namespace vemtra::geometry {

/// Coordinates of faces, in metres along the pin's x and y.
struct Wrap {
    struct Face {
        uint32_t face;
        V2f corner[3];
        V3f grow_x, grow_y;  ///< gradients over the face, in the form's own space
    };
    std::vector<Face> faces;  ///< by face
    Box3f bounds;             ///< of them
    const Face* find(uint32_t face) const;
};

/// Around the point of the form that is nearest to `position`; `x`, `y`: unit vectors across and up, about in the
/// surface there. Faces within `reach` metres along the surface. Made once for a form and kept while somebody holds it.
std::shared_ptr<const Wrap> wrap_around(const std::shared_ptr<const Shape>& shape, const V3f& position, const V3f& x,
                                        const V3f& y, float reach);

}  // namespace vemtra::geometry
