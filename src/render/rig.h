// A rig made ready: what shines and by which chance each light is tried, the stage, the groups whose balance may change
// afterwards.
#pragma once
#include <cmath>
#include <functional>

#include "base/paths.h"
#include "render/environment.h"
#include "render/lights.h"
#include "surface/slots.h"

namespace vemtra::render {

struct PreparedRig {
    std::shared_ptr<const EnvironmentMap> environment;  ///< null: off
    std::vector<AreaLight> lights;
    LightTree light_tree;      ///< over them
    float lights_share = 0.f;  ///< chance of picking one of them, which the tree then chooses for the point
    float environment_share = 0.f;
    float emitter_share = 0.f;  ///< of surfaces that give off light; all three are one
    bool any_seen = false;      ///< of the lights, by the camera
    static constexpr int most_candidates = 16;
    int candidates = 1, later = 1;  ///< looked at for a ray to a light: of a path at first, and after a bounce
    void look_at_many();
    float power = 0.f;  ///< about what lights and environment bring to the middle of the asset
    /// Gives the surfaces that shine their chance: about their part of the light.
    void make_room(float emitted_part);
    static constexpr size_t most_lights = 16384;
    static constexpr size_t most_groups = 64;     ///< each is a whole picture in memory
    std::vector<std::string> groups{"backdrop"};  ///< [0] is the backdrop
    int environment_group = 0;
    int emission_group = 0;  ///< of surfaces that give off light; 0 where none does
    bool environment_seen = false;
    V3f backdrop{0.f};
    bool stage_on = false;
    float stage_height = 0.f, stage_fade_start = 1.f, stage_fade_end = 2.f;
    surface::Slots stage_slots;
    /// Distance at which a ray meets the stage, as far as it is shown; `out`: how far from its middle.
    float meets_stage(const V3f& origin, const V3f& direction, float& out) const {
        if (!stage_on || std::fabs(direction.y) < 1e-9f) return INFINITY;
        const float t = (stage_height - origin.y) / direction.y;
        if (!(t > 1e-5f)) return INFINITY;
        const float x = origin.x + t * direction.x;
        const float z = origin.z + t * direction.z;
        out = std::sqrt(x * x + z * z);
        return out < stage_fade_end ? t : INFINITY;
    }

    int group(const std::string& name);  ///< its index; made where it is new; the last one where there are too many
};

using EnvironmentShelf = std::function<Result<std::shared_ptr<const EnvironmentImage>>(const fs::path&)>;
/// `middle`: of the asset, from which the lights' powers are compared.
PreparedRig prepare_rig(const scene::Rig& rig, const V3f& middle, const Paths& paths, const EnvironmentShelf& shelf,
                        std::vector<Error>& problems);

}  // namespace vemtra::render
