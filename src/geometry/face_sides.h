// How large the faces of a mesh are, in order: what a spacing of points over them costs is known without a look at
// each.
#pragma once
#include "geometry/mesh.h"

namespace vemtra::geometry {

class FaceSides {
public:
    explicit FaceSides(const Mesh& mesh);
    /// Points of all faces where the longest side of each is halved until no segment is longer than `spacing`, above 0,
    /// before neighbours are made to fit.
    double points(float spacing) const;
    /// The spacing, or as many times doubled as makes them fit, if they can.
    float affordable(float spacing, size_t most_points) const;

private:
    std::vector<float> longest_;  ///< of each face, the shortest first; metres of the mesh's own space
};

/// The longest side of a face; 0 where a corner lies nowhere.
float longest_side(const Mesh& mesh, uint32_t face);

}  // namespace vemtra::geometry
