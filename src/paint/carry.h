// What was painted, carried to other places: from part to part, or from the form that it was painted on to the one that
// took its place.
#pragma once
#include "paint/canvas.h"

namespace vemtra::paint {

enum class CarryBy : uint8_t {
    uv,    ///< by the same place in the tile of the UVs
    place  ///< by the nearest place in space, of what faces the same way
};

/// Parts that are carried from and to: instances of the two canvases' geometries.
struct Carried {
    const Canvas* from;
    const scene::Painting* painting;  ///< as it lies on `from`
    std::vector<uint32_t> from_parts, to_parts;
    CarryBy by = CarryBy::place;
    float reach = 0.f;  ///< metres: what lies farther from the old form has nothing painted
};

/// `into` with what the carried painting has, in place of what the parts of `to` had; both of one type. Texels between
/// whose places nothing is found are left blank. Stopped: `into` as it was.
scene::Painting carried(const Carried& what, const Canvas& to, const scene::Painting& into,
                        Progress* progress = nullptr);

}  // namespace vemtra::paint
