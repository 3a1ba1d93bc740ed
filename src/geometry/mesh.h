// Triangle meshes as plain arrays, in the part's own space.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "base/vec.h"

namespace vemtra::geometry {

/// A further set of UVs. The first one of a part has no struct of its own.
struct UvSet {
    std::string name;
    std::vector<V2f> uvs;
    float per_metre = 0.f;  ///< UV widths per metre of the part's own space in the mean; 0 where there is no area
};

/// A mesh in its own space: the file's units times the asset's scale, metres. Patterns live there. All vertex arrays
/// are as long as `positions`, or empty.
struct Mesh {
    std::vector<V3f> positions;
    std::vector<V3f> normals;  ///< unit; made where the file has none
    std::vector<V2f> uvs;      ///< may be empty
    std::string uv_name;       ///< of that set in the file; may be empty
    float uv_per_metre = 0.f;  ///< as UvSet::per_metre
    std::vector<UvSet> more_uvs;
    std::vector<V3f> colors;        ///< linear; may be empty
    std::vector<uint32_t> indices;  ///< three per triangle, all below positions.size()
    /// Per triangle: 1 where it goes on with the polygon of the one before it, fanned out from that one's first corner.
    /// Empty: nobody said what the polygons were.
    std::vector<uint8_t> continues;
    /// Of smoothed forms: the normals of the polygons that they were made from, unit or 0, and per triangle which one
    /// it lies on. Empty elsewhere.
    std::vector<V3f> cage_normals;
    std::vector<uint32_t> cage_polygon;

    /// On the side that the vertices' normals point to; 0 where it has no area.
    V3f triangle_normal(uint32_t triangle) const;
    /// Of the polygon that it lies on before smoothing; that of the triangle itself where there was none.
    V3f facet_normal(uint32_t triangle) const;
    size_t triangles() const { return indices.size() / 3; }
    Box3f bounds() const;
    size_t bytes() const;
    /// Of all arrays: positions, normals, every set of UVs, colours, indices.
    uint64_t content_hash() const;
};

}  // namespace vemtra::geometry
