// What a form's UVs are like: measured before maps are painted or baked on them.
#pragma once
#include "geometry/shape.h"

namespace vemtra::geometry {

struct UvReport {
    bool missing = false;
    size_t triangles = 0;
    float flipped =
        0.f;  ///< share of the surface whose UVs are mirrored, 0..1; up to .5 it may be meant (mirrored halves)
    float outside = 0.f;      ///< share outside of the tiles 1001 to 1999
    float no_area = 0.f;      ///< share of triangles with no area in the UVs
    float overlapping = 0.f;  ///< share of the used texels that two places of the surface share
    float stretch = 1.f;  ///< nine tenths of the surface are stretched less: longer over shorter scale, 1 = as it is
    float density_spread = 1.f;  ///< densest over loosest tenth of the surface, in texels per metre
    float density = 0.f;         ///< UV widths per metre, over the whole
    std::vector<int> tiles;      ///< that are used
};

/// Of one form, in its own space. Overlaps are counted on a grid of 512 x 512 a tile, where islands less than about a
/// texel apart do not count.
UvReport check_uvs(const Shape& shape);

}  // namespace vemtra::geometry
