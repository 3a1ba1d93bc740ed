// Heights straight from maps: nothing is computed beforehand but bounds, so that detail and copies cost no memory, and
// another height, scale or neutral value shows at once.
#pragma once
#include "geometry/relief.h"
#include "texture/height_map.h"

namespace vemtra::geometry {

/// How maps lie on a form.
struct MapPlacing {
    std::vector<std::shared_ptr<const texture::HeightTile>>
        tiles;           ///< by u + 10 v where `tiled`, else one; null: missing, which moves nothing
    bool tiled = false;  ///< over UDIM tiles: each ends at its border
    bool repeat = true;  ///< else it ends at its border
    float place[2][3] = {{1, 0, 0}, {0, 1, 0}};  ///< u' = p[0][0] u + p[0][1] v + p[0][2], v' likewise
};

/// What a number is worth: metres = scale * (curve(value) - neutral); the curve clamps to [low, high] and bends what
/// lies between by gamma.
struct HeightCurve {
    float scale = .01f, neutral = .5f, low = 0.f, high = 1.f, gamma = 1.f;
    float metres(float value) const;
    /// Over these values it is no curve but a straight line.
    bool straight(float from, float to) const { return gamma == 1.f && from >= low && to <= high; }
};

/// A map as it lies on a form, with all that does not depend on what its numbers are worth: how fine the grids are (as
/// texels, so that each is met as what it is), where seams are, and, where copies are not too many, the bounds of
/// pieces as codes.
struct MapGrid;
std::shared_ptr<const MapGrid> map_grid(std::shared_ptr<const Mesh> mesh, std::shared_ptr<const Welds> welds,
                                        const MapPlacing& placing);
size_t bytes_of(const MapGrid& grid);

std::shared_ptr<const ReliefHeights> map_heights(std::shared_ptr<const MapGrid> grid, const HeightCurve& curve);

}  // namespace vemtra::geometry
