// An asset's parts into a scene.
#pragma once
#include "geometry/import.h"
#include "scene/scene.h"

namespace vemtra::render {

/// Adds the asset under a free id, and a part for each of the file's, all wearing the build-up. Returns the asset's id.
std::string asset_into(scene::Scene& scene, scene::Asset asset, const geometry::Imported& imported,
                       const std::string& build_up);

struct Replaced {
    size_t kept = 0, added = 0, gone = 0;  ///< parts: by name in both, new in the file, no longer in it
};
/// The asset has another file now: parts keep what they wear and where they stand by their name in the file; new ones
/// wear what the asset's first part wears; parts whose source is gone are taken out.
Replaced replace_asset(scene::Scene& scene, const std::string& asset, const std::string& file,
                       const geometry::Imported& imported);

}  // namespace vemtra::render
