#include "render/asset_into.h"

#include <filesystem>
#include <set>

#include "scene/edits.h"

namespace vemtra::render {

std::string asset_into(scene::Scene& s, scene::Asset asset, const geometry::Imported& imported,
                       const std::string& build_up) {
    asset.id = scene::FreshIds(scene::ids_of(s.assets))
                   .take(scene::stem_of(std::filesystem::path(asset.file).stem().string()));
    scene::FreshIds ids(scene::ids_of(s.parts));
    for (const geometry::ImportedPart& p : imported.parts)
        s.parts.push_back({.id = ids.take(scene::stem_of(p.name)),
                           .asset = asset.id,
                           .source = p.name,
                           .name = p.name,
                           .build_up = build_up});
    s.assets.push_back(asset);
    return asset.id;
}

Replaced replace_asset(scene::Scene& s, const std::string& asset_id, const std::string& file,
                       const geometry::Imported& imported) {
    Replaced out;
    scene::Asset* asset = scene::find(s.assets, asset_id);
    if (!asset) return out;
    asset->file = file;
    std::string build_up;
    std::set<std::string> there;
    for (const scene::Part& p : s.parts)
        if (p.asset == asset_id) {
            if (build_up.empty()) build_up = p.build_up;
            there.insert(p.source);
        }
    const size_t before = s.parts.size();
    std::erase_if(s.parts, [&](const scene::Part& p) { return p.asset == asset_id && !imported.part(p.source); });
    out.gone = before - s.parts.size();
    scene::FreshIds ids(scene::ids_of(s.parts));
    for (const geometry::ImportedPart& p : imported.parts) {
        if (there.contains(p.name)) {
            ++out.kept;
            continue;
        }
        s.parts.push_back({.id = ids.take(scene::stem_of(p.name)),
                           .asset = asset_id,
                           .source = p.name,
                           .name = p.name,
                           .build_up = build_up});
        ++out.added;
    }
    return out;
}

}  // namespace vemtra::render
