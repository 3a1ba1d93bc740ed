// Rays to the lights, and the holes that they pass.
#include "render/emission.h"
#include "render/next_event.h"

namespace vemtra::render {
namespace {

constexpr float shadow_spread = .01f;  // of rays to the lights, as an angle: lights are not points
constexpr uint32_t most_holes = 32;    // surfaces that one ray passes

ShadowWalk walk_of(const Shadow& s) {
    ShadowWalk w{};
    w.seed = s.seed;
    w.origin = s.origin;
    w.direction = s.direction;
    w.width = s.width;
    w.spread = shadow_spread;
    return w;
}

}  // namespace

Renderer::Candidate Renderer::candidate(const V3f& position, double pick, float l0, float l1, Looks& looks) const {
    Candidate c;
    auto within = [](double part) { return std::clamp(float(part), 0.f, .99999994f); };
    const double emitters = double(p_.rig.emitter_share);
    if (pick < emitters) {
        const MeshLights::Sample to = p_.emitters->sample(position, within(pick / emitters), l0, l1, looks.emitters);
        if (!(to.density > 0.f)) return c;
        c.emitter = to.place;
        const SurfacePoint s = p_.geometry->at(to.place);
        const V3f way = s.position - position;
        const float d2 = way.length2();
        if (!(d2 > 1e-14f)) return c;
        c.distance = std::sqrt(d2);
        c.direction = way / c.distance;
        const float cosine = -c.direction.dot(s.normal_geometric);
        if (!(cosine > 1e-6f)) return c;
        c.density = (to.per_angle ? to.density : to.density * d2 / (cosine * s.spread)) * p_.rig.emitter_share;
        c.radiance = V3f(to.luminance);
        c.group = p_.rig.emission_group;
    } else {
        if (!(p_.rig.lights_share > 0.f)) return c;
        const LightTree::Chosen l = p_.rig.light_tree.choose(
            position, within((pick - emitters - double(p_.rig.environment_share)) / double(p_.rig.lights_share)),
            looks.lights);
        if (!(l.chance > 0.f)) return c;
        const AreaLight& light = p_.rig.lights[l.light];
        const LightSample s = sample_light(light, position, l0, l1);
        if (!(s.pdf > 0.f)) return c;
        c.direction = s.direction;
        c.radiance = s.radiance;
        c.distance = s.distance;
        c.density = s.pdf * l.chance * p_.rig.lights_share;
        c.group = light.group;
        c.light = int(l.light);
    }
    return c;
}

/// Candidates for a point, each from its own part of all lights; those of the surroundings together.
void Renderer::candidates(const V3f& position, double pick, float l0, float l1, int count, Candidate* out) const {
    const double emitters = double(p_.rig.emitter_share);
    const double environment = double(p_.rig.environment_share);
    auto turned = [](float u, float by) {
        const float v = u + by;
        return v - std::floor(v);
    };
    EnvironmentMap::Draw draws[PreparedRig::most_candidates];
    int of_draw[PreparedRig::most_candidates];
    size_t drawn = 0;
    Looks looks;
    for (int k = 0; k < count; ++k) {
        const double at = (double(k) + pick) / count;
        const float u = turned(l0, .75487767f * float(k));
        const float v = turned(l1, .56984029f * float(k));
        if (at >= emitters && at - emitters < environment) {
            draws[drawn].u = (at - emitters) / environment;
            draws[drawn].v = u;
            of_draw[drawn++] = k;
        } else {
            out[k] = candidate(position, at, u, v, looks);
        }
    }
    if (!drawn) return;
    p_.rig.environment->sample(draws, drawn);
    for (size_t d = 0; d < drawn; ++d) {
        Candidate& c = out[of_draw[d]];
        c.direction = draws[d].direction;
        c.radiance = V3f(draws[d].luminance);
        c.across = draws[d].across;
        c.density = draws[d].pdf * p_.rig.environment_share;
        c.group = p_.rig.environment_group;
    }
}

/// What the surfaces give off that were aimed at.
void Renderer::shine(Tile& t, uint32_t sample, int step) {
    if (!p_.emitters) return;
    std::vector<uint32_t>& aimed = t.stopped;
    aimed.clear();
    for (uint32_t k = 0; k < t.shadows.size(); ++k)
        if (hit_something(t.shadows[k].emitter)) aimed.push_back(k);
    t.walks.clear();
    for (const uint32_t k : aimed) {
        const Shadow& s = t.shadows[k];
        ShadowWalk w = walk_of(s);
        w.at = s.emitter;
        w.t = s.distance;
        t.walks.push_back(w);
    }
    for (size_t first = 0; first < aimed.size(); first += tile_capacity) {
        const size_t count = std::min<size_t>(tile_capacity, aimed.size() - first);
        materials(t, t.walks, first, count, sample, pair_emitter + uint32_t(step));
        for (size_t i = 0; i < count; ++i) {
            Shadow& s = t.shadows[aimed[first + i]];
            const MaterialPoint& point = t.materials.points[i];
            V3f light(0.f);
            if (!point.inside && point.slots.emission_luminance > 0.f) {
                light = emitted(point.slots) * point.slots.geometry_opacity;
                if (point.coat >= 0 || point.slots.coat_weight > 0.f || point.slots.fuzz_weight > 0.f) {
                    WalkRandom random(s.seed + sample);
                    const Frame frame(point.s.normal);
                    t.materials.stack(t.stack, int(i), p_, frame, 1.f, false, 0.f, 0.f, random);
                    light *= t.stack.seen_from(frame.to_local(point.wo)).passed;
                }
            }
            s.radiance *= light;
        }
    }
    std::erase_if(t.shadows, [](const Shadow& s) {
        return hit_something(s.emitter) && (!(max_component(s.radiance) > 0.f) || !finite(s.radiance));
    });
}

void Renderer::trace_shadows(Tile& t) {
    t.stopped.clear();
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    // One by one: packets of sixteen gain nothing on triangles here, as their rays part, and cost a fifth on relief.
    for (size_t k = 0; k < t.shadows.size(); ++k) {
        const Shadow& s = t.shadows[k];
        RTCRay ray = geometry::single_ray(s.origin, s.direction, s.distance * before_light).ray;
        rtcOccluded1(p_.geometry->scene(), &context, &ray);
        if (ray.tfar >= 0.f)
            add(s.pixel, s.group, s.radiance, s.indirect);
        else if (p_.may_open)
            t.stopped.push_back(uint32_t(k));
    }
}

/// Shadow rays that met something which may have holes: each surface on the way lets them pass by its opacity. A path
/// may cast two, so that there may be more of them than the tile has points: they are taken in pieces.
void Renderer::through_holes(Tile& t, uint32_t sample) {
    for (size_t first = 0; first < t.stopped.size(); first += tile_capacity)
        walk_through_holes(t, first, std::min(t.stopped.size(), first + tile_capacity), sample);
}

void Renderer::walk_through_holes(Tile& t, size_t first, size_t last, uint32_t sample) {
    std::vector<ShadowWalk>& walks = t.walks;
    walks.clear();
    for (size_t i = first; i < last; ++i) {
        const Shadow& s = t.shadows[t.stopped[i]];
        ShadowWalk w = walk_of(s);
        w.shadow = t.stopped[i];
        w.left = s.distance;
        walks.push_back(w);
    }
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    for (uint32_t surfaces = 0; surfaces < most_holes && !walks.empty(); ++surfaces) {
        std::erase_if(walks, [&](ShadowWalk& w) {
            RTCRayHit ray = geometry::single_ray(w.origin, w.direction, w.left * before_light);
            rtcIntersect1(p_.geometry->scene(), &context, &ray);
            w.at = geometry::place_of(ray.hit);
            w.t = ray.ray.tfar;
            if (hit_something(w.at)) return !p_.build_ups[size_t(p_.build_up_of[w.at.instance])].may_open;
            const Shadow& s = t.shadows[w.shadow];
            add(s.pixel, s.group, s.radiance, s.indirect);
            return true;
        });
        materials(t, walks, 0, walks.size(), sample, pair_hole_layer + surfaces);
        size_t kept = 0;
        for (size_t i = 0; i < walks.size(); ++i) {
            ShadowWalk& w = walks[i];
            const MaterialPoint& point = t.materials.points[i];
            float u;
            float v;
            sample_2d(w.seed, sample, pair_hole_pass + surfaces, u, v);
            if (u < point.slots.geometry_opacity) {
                const V3f through = pane_passage(point);
                if (!(max_component(through) > 0.f)) continue;
                t.shadows[w.shadow].radiance *= through;
            }
            w.origin = geometry::offset_origin(point.s.position, -point.s.normal_geometric);
            if (const Shadow& to = t.shadows[w.shadow]; std::isfinite(to.distance)) {
                const V3f way = to.origin + to.direction * to.distance - w.origin;
                w.left = way.length();
                if (w.left > 0.f) w.direction = way / w.left;
            }
            walks[kept++] = w;
        }
        walks.resize(kept);
    }
}

}  // namespace vemtra::render
