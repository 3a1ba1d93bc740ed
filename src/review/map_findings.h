// What is odd about the maps of a project as they are wired, measured in the picture: colour spaces, channels, handedness, light that was
// photographed along, texels too few or too many. Where a single change puts it right, the finding brings it.
#pragma once
#include <functional>

#include "base/result.h"
#include "render/prepared.h"
#include "texture/map_probe.h"

namespace vemtra::review {

struct MapFinding {
    Error error;
    std::string action;                          ///< what the change is called; empty: there is none
    std::function<void(scene::Scene&)> change;   ///< does nothing where the node is gone
};

class MapReview {
public:
    /// All findings of the maps that show. Files are looked at once per content; `paths` as the picture was prepared with.
    std::vector<MapFinding> look(const render::Prepared& prepared, texture::TextureStore& store, const Paths& paths);

private:
    const texture::MapFacts* facts(const fs::path& file, const std::string& space, texture::TextureStore& store);
    struct Known {
        fs::file_time_type time;
        bool prepared = false;
        std::optional<texture::MapFacts> facts;
    };
    std::map<std::string, Known> known_;
};

/// A least-squares fit of values against normals: value = mean level * (1 + amount * normal . direction).
struct LightFit {
    V3f direction{0.f};
    float amount = 0.f;
    float explained = 0.f;  ///< share of the values' variance, 0..1
};
LightFit fit_light(const std::vector<float>& values, const std::vector<V3f>& normals);

}  // namespace vemtra::review
