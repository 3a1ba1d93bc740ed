#include "render/rig.h"

#include <algorithm>
#include <cmath>
#include <unordered_set>

namespace vemtra::render {
namespace {

constexpr float fair_part = .25f;  // at least, of each way to shine: a dim one may be all that a recess sees

constexpr float least_emitted = .06f;
constexpr int first_candidates = 4;  // where the camera's light is gathered, and after a bounce
constexpr int later_candidates = 2;
constexpr int alone_candidates = 2;  // where surfaces alone shine: a place on one is dear to work out

void prepare_environment(const scene::Environment& e, const Paths& paths, const EnvironmentShelf& shelf,
                         PreparedRig& out, std::vector<Error>& problems) {
    out.backdrop = e.backdrop;
    out.environment_seen = e.on && e.seen;
    if (!e.on) return;
    std::shared_ptr<const EnvironmentImage> image;
    if (!e.image.empty()) {
        const auto file = paths.find(e.image);
        auto read = file ? shelf(*file) : Result<std::shared_ptr<const EnvironmentImage>>(file.error());
        if (read)
            image = *read;
        else
            problems.push_back(read.error());
    }
    out.environment_group = out.group(e.group);
    out.environment = std::make_shared<EnvironmentMap>(image, e.tint * std::exp2(e.exposure), e.rotation);
}

/// Chances by power as the middle of the asset gets it, but none below a fair part.
void share_out(PreparedRig& out, const V3f& middle) {
    std::vector<LightBounds> bounds;
    float lights = 0.f;
    for (const AreaLight& a : out.lights) {
        bounds.push_back(bounds_of(a));
        out.any_seen |= a.seen;
        lights += std::max(1e-6f, bounds.back().power / std::max(1e-4f, (a.center - middle).length2()));
    }
    out.light_tree = LightTree(bounds);
    const float environment = out.environment ? pi * std::max(1e-6f, out.environment->average_luminance()) : 0.f;
    out.power = lights + environment;
    if (!out.environment || out.lights.empty()) {
        out.lights_share = out.lights.empty() ? 0.f : 1.f;
        out.environment_share = out.environment ? 1.f : 0.f;
        return;
    }
    out.environment_share = std::clamp(environment / out.power, fair_part, 1.f - fair_part);
    out.lights_share = 1.f - out.environment_share;
}

void prepare_stage(const scene::Stage& stage, PreparedRig& out) {
    out.stage_on = stage.on;
    out.stage_height = stage.height;
    out.stage_fade_end = std::max(1e-3f, stage.fade_end);
    out.stage_fade_start = std::clamp(stage.fade_start, 0.f, .999f * out.stage_fade_end);
    out.stage_slots.base_color = stage.color;
    out.stage_slots.specular_roughness = stage.roughness;
    out.stage_slots = surface::sane(out.stage_slots);
}

}  // namespace

void PreparedRig::look_at_many() {
    candidates = first_candidates;
    later = later_candidates;
}

void PreparedRig::make_room(float emitted_part) {
    const bool alone = lights.empty() && !environment;
    look_at_many();
    if (alone) candidates = alone_candidates;
    emitter_share = alone ? 1.f : std::clamp(emitted_part, least_emitted, 1.f - least_emitted);
    power /= std::max(.05f, 1.f - emitted_part);
    lights_share *= 1.f - emitter_share;
    environment_share *= 1.f - emitter_share;
}

int PreparedRig::group(const std::string& name) {
    const auto it = std::find(groups.begin() + 1, groups.end(), name);
    if (it != groups.end()) return int(it - groups.begin());
    if (groups.size() == most_groups) return int(most_groups) - 1;
    groups.push_back(name);
    return int(groups.size()) - 1;
}

PreparedRig prepare_rig(const scene::Rig& rig, const V3f& middle, const Paths& paths, const EnvironmentShelf& shelf,
                        std::vector<Error>& problems) {
    PreparedRig out;
    prepare_environment(rig.environment, paths, shelf, out, problems);
    for (const scene::Light& l : rig.lights) {
        if (!l.on || !(l.intensity > 0.f)) continue;
        if (out.lights.size() == PreparedRig::most_lights) {
            problems.push_back({"Lights are left out", "", rig.name,
                                "a rig shines with " + std::to_string(PreparedRig::most_lights) + " lights at most",
                                "Use fewer and larger lights, or an environment"});
            break;
        }
        out.lights.push_back(prepare_light(l, out.group(l.group)));
    }
    std::unordered_set<std::string> named;
    for (const scene::Light& l : rig.lights) named.insert(l.group);
    if (named.size() + 2 >= PreparedRig::most_groups)
        problems.push_back({"There are too many light groups", "", rig.name,
                            "a picture keeps the light of " + std::to_string(PreparedRig::most_groups - 1) +
                                " groups apart; those beyond are balanced as the last one",
                            "Put lights that belong together into one group"});
    share_out(out, middle);
    if (out.lights.size() > 1 || out.environment) out.look_at_many();
    prepare_stage(rig.stage, out);
    return out;
}

}  // namespace vemtra::render
