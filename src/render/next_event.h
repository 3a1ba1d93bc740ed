// Next-event estimation, for the surfaces and the bodies that light leaves from.
#pragma once
#include "render/renderer.h"

namespace vemtra::render {

/// One light, chosen by `pick`, sampled by l0 and l1. `ordinal`: which of the bounce's rays it is. `value` gives f *
/// |cosine| and the surface's own density for a local direction.
template <class Value>
void Renderer::next_event(Tile& t, const Path& path, const Frame& frame, const V3f& ng, const V3f& position, float pick,
                          float l0, float l1, int bounce, uint32_t ordinal, Value&& value) {
    V3f direction;
    V3f radiance;
    float distance = INFINITY;
    float density = 0.f;
    int group = 0;
    if (pick < p_.rig.environment_share) {
        direction = p_.rig.environment->sample(l0, l1, density);
        if (!(density > 0.f)) return;
        radiance = p_.rig.environment->radiance(direction);
        density *= p_.rig.environment_share;
        group = p_.rig.environment_group;
    } else {
        float x = pick - p_.rig.environment_share;
        size_t l = 0;
        while (l + 1 < p_.rig.lights.size() && x >= p_.rig.light_share[l]) x -= p_.rig.light_share[l++];
        if (l >= p_.rig.lights.size()) return;
        const LightSample s = sample_light(p_.rig.lights[l], position, l0, l1);
        if (!(s.pdf > 0.f)) return;
        direction = s.direction;
        radiance = s.radiance;
        distance = s.distance;
        density = s.pdf * p_.rig.light_share[l];
        group = p_.rig.lights[l].group;
    }
    const V3f wi = frame.to_local(direction);
    if (direction.dot(ng) * wi.z <= 1e-6f) return;
    const V3f origin = geometry::offset_origin(position, wi.z > 0.f ? ng : -ng);
    V3f f;
    float density_surface;
    value(wi, f, density_surface);
    if (max_component(f) <= 0.f) return;
    // The last depth has no surface ray to share the work with.
    const bool alone = bounce + 1 >= f_.depth || f_.strategy == FrameSettings::Strategy::light_only;
    const float weight = alone ? 1.f : balance_heuristic(density, density_surface);
    float solid;
    const float ts = stage(origin, direction, solid);
    const float through = ts < distance ? 1.f - solid : 1.f;
    const V3f contribution = path.throughput * f * radiance * (weight * through / density);
    if (max_component(contribution) <= 0.f || !finite(contribution)) return;
    t.shadows.push_back({path.pixel, origin, direction, distance, contribution, group, bounce > 0, path.width,
                         mix32(path.seed + mix32(0x5bd1e995u * (2u * uint32_t(bounce) + ordinal + 1u)))});
}

}  // namespace vemtra::render
