// Heights straight from maps: nothing is computed beforehand but the maps' own bounds, so that detail and copies cost
// no memory and a new height, scale or neutral value shows at once.
#pragma once
#include "geometry/relief.h"
#include "texture/height_map.h"

namespace vemtra::geometry {

/// How maps lie on a form, and what their numbers are worth.
struct MapRelief {
    std::vector<std::shared_ptr<const texture::HeightTile>>
        tiles;             ///< by u + 10 v where `tiled`, else one; null: missing, which moves nothing
    bool tiled = false;    ///< over UDIM tiles: each ends at its border
    bool repeat = true;    ///< else it ends at its border
    float place[2][3] = {{1, 0, 0}, {0, 1, 0}};  ///< of UVs: u' = p[0][0] u + p[0][1] v + p[0][2], v' likewise
    /// metres = scale * (curve(value) - neutral): curve clamps to [low, high] and bends what lies between by gamma.
    float scale = .01f, neutral = .5f, low = 0.f, high = 1.f, gamma = 1.f;
    bool operator==(const MapRelief&) const = default;
    float height(float value) const;
    float at_neutral() const { return 0.f; }
};

/// Grids are as fine as texels, so that each is met as what it is.
std::shared_ptr<const ReliefHeights> map_heights(std::shared_ptr<const Mesh> mesh, std::shared_ptr<const Welds> welds,
                                                 const MapRelief& relief);

}  // namespace vemtra::geometry
