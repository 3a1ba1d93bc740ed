// Next-event estimation, for the surfaces and the bodies that light leaves from.
#pragma once
#include "render/mesh_lights.h"
#include "render/renderer.h"

namespace vemtra::render {

inline constexpr float before_light = .9999f;  ///< of the way: the light itself stops nothing

/// One light, chosen by aim.pick, sampled by aim.l0 and aim.l1. `value` gives f * |cosine| and the surface's own
/// density for a local direction.
template <class Value> void Renderer::next_event(Tile& t, const Path& path, const Aim& aim, int step, Value&& value) {
    V3f direction;
    V3f radiance(1.f);
    float distance = INFINITY;
    float density = 0.f;
    int group = 0;
    int light = -1;
    Place emitter;
    const V3f& position = aim.point.s.position;
    float pick = aim.pick - p_.rig.emitter_share;
    if (pick < 0.f) {
        float per_area;
        emitter = p_.emitters->sample(aim.l0, aim.l1, per_area);
        const SurfacePoint s = p_.geometry->at(emitter);
        const V3f to = s.position - position;
        const float d2 = to.length2();
        distance = std::sqrt(d2);
        if (!(d2 > 1e-14f)) return;
        direction = to / distance;
        const float cosine = -direction.dot(s.normal_geometric);
        if (!(cosine > 1e-6f)) return;
        density = per_area * d2 / cosine * p_.rig.emitter_share;
        group = p_.rig.emission_group;
    } else if (pick < p_.rig.environment_share) {
        direction = p_.rig.environment->sample(aim.l0, aim.l1, density);
        if (!(density > 0.f)) return;
        radiance = p_.rig.environment->radiance(direction);
        density *= p_.rig.environment_share;
        group = p_.rig.environment_group;
    } else {
        pick -= p_.rig.environment_share;
        size_t l = 0;
        while (l + 1 < p_.rig.lights.size() && pick >= p_.rig.light_share[l]) pick -= p_.rig.light_share[l++];
        if (l >= p_.rig.lights.size()) return;
        const LightSample s = sample_light(p_.rig.lights[l], position, aim.l0, aim.l1);
        if (!(s.pdf > 0.f)) return;
        direction = s.direction;
        radiance = s.radiance;
        distance = s.distance;
        density = s.pdf * p_.rig.light_share[l];
        group = p_.rig.lights[l].group;
        light = int(l);
    }
    const V3f wi = aim.frame.to_local(direction);
    if (!(density > 0.f) || !may_leave(aim.point, direction, wi)) return;
    // Through clear bodies the camera sees the backdrop, where it does not see the surroundings.
    const bool surroundings = light < 0 && !hit_something(emitter);
    if (surroundings && aim.clear && path.sees && wi.z < 0.f && !p_.rig.environment_seen) return;
    const V3f origin = origin_at(aim.point, wi.z > 0.f ? aim.ng : -aim.ng);
    // Lights that are seen stand in each other's way.
    for (size_t k = 0; k < p_.rig.lights.size(); ++k)
        if (p_.rig.lights[k].seen && int(k) != light &&
            intersect(p_.rig.lights[k], origin, direction) < distance * before_light)
            return;
    V3f f;
    float density_surface;
    value(wi, f, density_surface);
    if (max_component(f) <= 0.f) return;
    const bool alone = aim.alone || f_.strategy == FrameSettings::Strategy::light_only;
    const float weight = alone ? 1.f : balance_heuristic(density, density_surface);
    float solid;
    const float ts = stage(origin, direction, solid);
    const float through = ts < distance ? 1.f - solid : 1.f;
    const V3f contribution = path.throughput * f * radiance * (weight * through / density);
    if (max_component(contribution) <= 0.f || !finite(contribution)) return;
    t.shadows.push_back({path.pixel, origin, direction, distance, contribution, group, path.bounce > 0, path.width,
                         mix32(path.seed + mix32(0x5bd1e995u * (2u * uint32_t(step) + 1u))), emitter});
}

}  // namespace vemtra::render
