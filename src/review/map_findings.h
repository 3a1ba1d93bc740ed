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

/// A least-squares fit of values against normals: value = level of its group * (1 + amount * normal . direction). Light leaves the hue alone:
/// values of one hue make a group, so that paint of several colours does not hide it. `groups` may be empty: all are one.
struct LightFit {
    V3f direction{0.f};
    float amount = 0.f;
    float explained = 0.f;  ///< share of the values' variance within their groups, 0..1
};
LightFit fit_light(const std::vector<float>& values, const std::vector<V3f>& normals, const std::vector<int>& groups = {});

}  // namespace vemtra::review
