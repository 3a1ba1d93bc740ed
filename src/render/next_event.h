// Next-event estimation, for the surfaces and the bodies that light leaves from.
#pragma once
#include "render/mesh_lights.h"
#include "render/renderer.h"

namespace vemtra::render {

inline constexpr float before_light = .9999f;  ///< of the way: the light itself stops nothing

/// One light out of some candidates, chosen by what they would bring if nothing stood in the way: resampled importance
/// sampling (Talbot, Cline, Egbert 2005). Each candidate comes out of its own part of all lights, in their order, which
/// leaves the mean of their estimates what it is; and one of them is chosen in that order, so that the evenly spread
/// numbers of a pixel's samples choose evenly among what shines. `guess` gives what the surface does to a local
/// direction about, cheaply, `value` exactly: Stack::Parts both. Parts are weighed against the surface's own sampling
/// one by one.
template <class Guess, class Value>
void Renderer::next_event(Tile& t, const Path& path, const Aim& aim, int step, Guess&& guess, Value&& value) {
    const bool alone = aim.alone || f_.strategy == FrameSettings::Strategy::light_only;
    const int count = path.bounce ? p_.rig.later : p_.rig.candidates;
    Candidate looked_at[PreparedRig::most_candidates];
    V3f locals[PreparedRig::most_candidates];
    float targets[PreparedRig::most_candidates];
    float weights[PreparedRig::most_candidates];
    // A float tells too few texels of a panorama from one another: another of the numbers continues it.
    const double pick = double(aim.pick) + double(mix32(__builtin_bit_cast(uint32_t, aim.l1))) * 0x1p-56;
    candidates(aim.point.s.position, pick, aim.l0, aim.l1, count, looked_at);
    float sum = 0.f;
    for (int k = 0; k < count; ++k) {
        weights[k] = 0.f;
        const Candidate& c = looked_at[k];
        if (!(c.density > 0.f)) continue;
        const V3f wi = aim.frame.to_local(c.direction);
        if (!may_leave(aim.point, c.direction, wi)) continue;
        if (c.surroundings()) {
            // Through clear bodies the camera sees the backdrop, where it does not see the surroundings.
            if (aim.clear && path.sees && wi.z < 0.f && !p_.rig.environment_seen) continue;
            if (aim.mirror) continue;
        }
        float target = 1.f;
        if (count > 1) {
            const Stack::Parts parts = guess(wi);
            target = 0.f;
            for (int j = 0; j < parts.count; ++j)
                target += max_component(parts.f[j] * path.throughput * c.radiance) *
                          (alone ? 1.f : balance_heuristic(c.density, parts.pdf[j]));
        }
        const float weight = target / c.density;
        if (!(weight > 0.f) || !std::isfinite(weight)) continue;
        locals[k] = wi;
        targets[k] = target;
        weights[k] = weight;
        sum += weight;
    }
    if (!(sum > 0.f)) return;
    int at = -1;
    float passed = 0.f;
    for (int k = 0; k < count; ++k) {
        if (!(weights[k] > 0.f)) continue;
        at = k;
        passed += weights[k];
        if (aim.choice * sum < passed) break;
    }
    const Candidate& chosen = looked_at[at];
    const V3f local = locals[at];
    const float chosen_target = targets[at];
    const V3f origin = origin_at(aim.point, local.z > 0.f ? aim.ng : -aim.ng);
    // Lights that are seen stand in each other's way.
    if (nearest_seen_light(origin, chosen.direction, chosen.distance, chosen.light) < chosen.distance * before_light)
        return;
    const Stack::Parts parts = value(local);
    V3f f(0.f);
    for (int j = 0; j < parts.count; ++j)
        f += parts.f[j] * (alone ? 1.f : balance_heuristic(chosen.density, parts.pdf[j]));
    if (max_component(f) <= 0.f) return;
    float solid;
    const float ts = stage(origin, chosen.direction, solid);
    const float through = ts < chosen.distance ? 1.f - solid : 1.f;
    const bool shines = hit_something(chosen.emitter);
    V3f contribution = path.throughput * f * (through * sum / (chosen_target * float(count)));
    if (chosen.surroundings())
        contribution *= p_.rig.environment->radiance(chosen.across, chosen.direction);
    else if (!shines)
        contribution *= chosen.radiance;
    if (max_component(contribution) <= 0.f || !finite(contribution)) return;
    // A surface that shines is among what the ray may meet: it goes to the very place, from where it really begins, and
    // ends before it by what rounding leaves.
    const V3f& at_place = aim.point.s.position;
    const V3f way = at_place + chosen.direction * chosen.distance - origin;
    const float length = way.length();
    const V3f direction = shines ? way / std::max(1e-20f, length) : chosen.direction;
    const float rounding = 1e-6f * std::max({std::fabs(at_place.x), std::fabs(at_place.y), std::fabs(at_place.z)});
    const float far = shines ? std::max(.5f * length, length - rounding) : chosen.distance;
    t.shadows.push_back({path.pixel, origin, direction, far, contribution, chosen.group, path.bounce > 0, path.width,
                         mix32(path.seed + mix32(0x5bd1e995u * (2u * uint32_t(step) + 1u))), chosen.emitter});
}

}  // namespace vemtra::render
