// What a texture map's file name tells: which set it belongs to, what it shows, which tile it is; wherever in the name
// these stand.
#pragma once
#include <string>
#include <vector>

namespace vemtra::texture {

enum class MapKind : uint8_t {
    unknown,
    base_color,
    roughness,
    glossiness,
    metalness,
    specular,
    normal,
    bump,
    height,
    displacement,
    ambient_occlusion,
    cavity,
    curvature,
    mask,
    opacity,
    transmission,
    subsurface,
    emission,
    thickness,
    id,
    anisotropy,
    coat,
    coat_roughness,
    fuzz,
    packed
};
struct MapKindInfo {
    MapKind kind;
    const char* name;  ///< as the review and the files have it
    const char* title;
    const char* slot;  ///< of a surface; empty: it feeds no slot by itself
    bool colour;       ///< its numbers are a colour
};
const std::vector<MapKindInfo>& map_kinds();
const MapKindInfo& info(MapKind kind);
MapKind map_kind_from_name(const std::string& name);  ///< unknown where there is no such kind

/// One reading of a file name.
struct MapName {
    std::string set;  ///< what is left of the name: the set's own
    MapKind kind = MapKind::unknown;
    std::vector<MapKind> channels;                         ///< of a packed map, red first
    std::string word;                                      ///< the part of the name that told the kind
    int tile = 0;                                          ///< UDIM; 0: none
    std::string pattern;                                   ///< the file's name with <UDIM> in place of the tile
    std::string resolution, version, depth, colour_space;  ///< as they stand in the name; empty: not said
    int green = 0;                                         ///< of a normal map: 1 points up, -1 down, 0 not said
};

/// Reads the names of one folder together: words that stand in all names belong to the set's name, and where a name can
/// be read in several ways, the one that makes it a sibling of others is taken. Same order as given.
std::vector<MapName> read_map_names(const std::vector<std::string>& file_names);

}  // namespace vemtra::texture
