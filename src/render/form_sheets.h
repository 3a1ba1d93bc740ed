// Paintings on the form itself: which sheet is which part's, and the set of UVs by which it is read.
#pragma once
#include <string>
#include <unordered_map>

#include "scene/scene.h"

namespace vemtra::render {

/// A name that no mesh gives a set of UVs.
inline std::string own_uv_set(const std::string& painting) {
    return "\x01painting " + painting;
}

/// The sheet's tile of each part: those that the painting has, then the lowest free numbers in the order of the scene.
inline std::unordered_map<std::string, int> tiles_of_parts(const scene::Scene& scene, const scene::Painting& painting) {
    std::unordered_map<std::string, int> tiles;
    std::unordered_map<int, char> taken;
    for (const scene::Sheet& s : painting.sheets)
        if (!s.part.empty() && tiles.emplace(s.part, s.tile).second) taken[s.tile] = 1;
    int next = 1001;
    for (const scene::Part& part : scene.parts) {
        if (tiles.contains(part.id)) continue;
        while (taken.contains(next)) ++next;
        if (next > 1999) break;
        tiles.emplace(part.id, next++);
    }
    return tiles;
}
/// Where a tile lies in the UVs.
inline V2f corner_of_tile(int tile) {
    return V2f(float((tile - 1001) % 10), float((tile - 1001) / 10));
}

}  // namespace vemtra::render
