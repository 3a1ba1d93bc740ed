// Map sets written anew by a recipe: channels combined, renamed, converted, resized, blank maps left out. Recipes are
// small JSON files (assets/recipes, docs/maps.md).
#pragma once
#include "texture/map_set.h"

namespace vemtra::exchange {

struct PackOutput {
    std::string name;  ///< of the file: {set} and {tile} stand for themselves; .png, .exr, .tif or .jpg
    std::vector<std::string> channels;  ///< 1 to 4 kinds, or base_color.r and the like
    std::string depth = "8";            ///< 8, 16, half, float
    std::string space = "raw";          ///< that colour kinds are written in
    int resize = 0;                     ///< longest side at most; 0: as it is
    float scale = 1.f;                  ///< of the size, 0..1
    bool green_down = false;            ///< of normal maps
};
struct Recipe {
    std::string name, about;
    bool skip_blank = true;
    std::vector<PackOutput> outputs;
};
Result<Recipe> read_recipe(const fs::path& file);
/// Those that ship, by name.
std::vector<fs::path> shipped_recipes();

struct Packed {
    std::vector<fs::path> written;
    std::vector<std::string> left_out;  ///< outputs that have nothing to carry, with the reason
};
/// Writes every output of every tile that the set has a source for. An Error names the file; what was written before
/// stays.
Result<Packed> pack(const texture::MapSet& set, const Recipe& recipe, const fs::path& folder,
                    Progress* progress = nullptr);

}  // namespace vemtra::exchange
