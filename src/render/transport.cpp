// What a path does at a surface, and where it leaves the scene.
//   L = Le + integral of f Li cos   estimated with next-event estimation and multiple importance sampling (Veach 1997,
// balance heuristic)
#include "render/emission.h"
#include "render/next_event.h"

namespace vemtra::render {

/// The light of the surroundings that a path meets where it leaves the scene, times `share`.
void Renderer::leave(const Path& path, int bounce, float share) {
    if (path.pdf == 0.f) {
        if (p_.rig.environment_seen)
            add(path.pixel, p_.rig.environment_group, p_.rig.environment->radiance(path.direction) * share, false);
        else
            add(path.pixel, 0, p_.rig.backdrop * share, false);
    } else if (p_.rig.environment) {
        const float weight =
            path.mirrored
                ? 1.f
                : surface_weight(path.pdf, p_.rig.environment_share * p_.rig.environment->pdf(path.direction));
        add(path.pixel, p_.rig.environment_group,
            path.throughput * p_.rig.environment->radiance(path.direction) * (weight * share), bounce > 1);
    }
}

/// Ends the paths that leave the scene or land on a light; decides who stands on the stage.
void Renderer::arrive(Tile& t, int bounce, uint32_t sample) {
    size_t kept = 0;
    for (Path& path : t.paths) {
        float solid;
        const float ts = stage(path.origin, path.direction, solid);
        if (ts < path.t && path.at.instance == no_hit) {
            // Nothing but the surroundings behind: both are taken, each by its share, and the fade has no noise.
            if (solid < 1.f) leave(path, bounce, 1.f - solid);
            path.throughput *= solid;
            path.at.instance = stage_hit;
            path.t = ts;
        } else if (ts < path.t) {
            float u;
            float v;
            sample_2d(path.seed, sample, pair_stage + uint32_t(bounce), u, v);
            if (u < solid) path.at.instance = stage_hit, path.t = ts;
        }
        float nearest = path.t;
        int light = -1;
        for (size_t l = 0; l < p_.rig.lights.size(); ++l)
            if (path.pdf > 0.f || p_.rig.lights[l].seen)
                if (const float d = intersect(p_.rig.lights[l], path.origin, path.direction); d < nearest)
                    nearest = d, light = int(l);
        if (light >= 0) {
            const AreaLight& l = p_.rig.lights[size_t(light)];
            const float weight = path.pdf > 0.f
                                     ? surface_weight(path.pdf, p_.rig.light_share[size_t(light)] *
                                                                    light_pdf(l, path.vertex, path.direction))
                                     : 1.f;
            add(path.pixel, l.group, path.throughput * l.radiance * weight, bounce > 1);
            if (path.pdf == 0.f || l.seen)
                continue;  // lights that the camera does not see do not hide what is behind them
        }
        if (path.at.instance == no_hit) {
            leave(path, bounce, 1.f);
            continue;
        }
        t.paths[kept++] = path;
    }
    t.paths.resize(kept);
}

/// Goes on straight behind the surface, as if it were not there.
void Renderer::pass(Tile& t, const Path& path, const MaterialPoint& point) {
    Path next = path;
    next.origin = geometry::offset_origin(point.s.position, -point.s.normal_geometric);
    t.next.push_back(next);
}

void Renderer::shade(Tile& t, int bounce, uint32_t sample) {
    materials(t, t.paths, 0, t.paths.size(), sample, pair_of(bounce, pair_layer));
    t.shadows.clear();
    t.next.clear();
    const bool last =
        bounce + 1 >= f_.depth;  // the direction is still followed to the lights, by the next-event ray alone
    for (size_t i = 0; i < t.paths.size(); ++i) {
        Path& path = t.paths[i];
        const MaterialPoint& point = t.materials.points[i];
        const auto begin = costs_ && (i & 15) == 0 ? Clock::now() : Clock::time_point();
        float u0;
        float u1;
        float l0;
        float l1;
        float c0;
        float c1;
        sample_2d(path.seed, sample, pair_of(bounce, pair_direction), u0, u1);
        sample_2d(path.seed, sample, pair_of(bounce, pair_light), l0, l1);
        sample_2d(path.seed, sample, pair_of(bounce, pair_choice), c0, c1);
        WalkRandom random(walk_seed(path, sample, bounce, 1));
        const Slots& slots = point.slots;
        if (slots.geometry_opacity < 1.f && random.next() >= slots.geometry_opacity) {
            pass(t, path, point);
            continue;
        }
        const bool on_stage = path.at.instance == stage_hit;
        const bool clear = slots.transmission_weight > 0.f && slots.geometry_thin_walled < .5f && !on_stage;
        const bool leaving = clear && point.inside;
        float outside = 1.f;
        if ((clear || path.bodies >= 0) && !meets_surface(t, path, point, clear, outside)) continue;
        if (clear && slots.transmission_dispersion_scale > 0.f && path.channel < 0) {
            path.channel = std::min(2, int(3.f * random.next()));
            for (int c = 0; c < 3; ++c) path.throughput[c] *= c == path.channel ? 3.f : 0.f;
        }
        const Frame frame(point.s.normal);
        Stack& stack = t.stack;
        if (on_stage) {
            stack.reset(outside);
            stack.finish(slots, {});
        } else {
            t.materials.stack(stack, int(i), p_, frame, outside, leaving, path.channel, random);
        }
        const Stack::Seen seen = stack.seen_from(frame.to_local(point.wo));
        if (bounce == 0) first_hit_passes(path, point, seen.albedo);
        if (slots.emission_luminance > 0.f && p_.rig.emission_group && !point.inside)
            add(path.pixel, p_.rig.emission_group, path.throughput * emitted(slots) * seen.passed, bounce > 1);
        auto value = [&](const V3f& wi, V3f& f, float& pdf) {
            f = stack.evaluate(seen, wi, random);
            pdf = stack.pdf(seen, wi);
        };
        // A polished metal finds the surroundings better by itself: sampling them would only add the noise of its
        // lobe's edge.
        const bool mirror = f_.strategy == FrameSettings::Strategy::combined && !last && stack.mirror();
        if (f_.strategy != FrameSettings::Strategy::surface_only && !(mirror && c0 < p_.rig.environment_share))
            next_event(t, path, frame, point.s.normal_geometric, point.s.position, c0, l0, l1, bounce, 0, value);
        if (!last) {
            const surface::Scattered s = stack.sample(seen, c1, u0, u1, random);
            if (s.enters_subsurface)
                wander_below(t, path, point, stack, s.weight, frame, bounce, sample, random);
            else if (s.pdf > 0.f)
                follow(t, path, point, frame, s, clear, mirror, bounce, sample);
        }
        if (costs_ && (i & 15) == 0 && point.layer >= 0)
            costs_[point.layer].nanoseconds += 16 * uint64_t(std::chrono::nanoseconds(Clock::now() - begin).count());
    }
}

/// What is told of the first hit. Where the stage fades, it fades in all of it.
void Renderer::first_hit_passes(const Path& path, const MaterialPoint& point, const V3f& albedo) {
    const float share = path.at.instance == stage_hit ? path.throughput.x : 1.f;
    film_.albedo[path.pixel] += albedo * share;
    film_.normal[path.pixel] += point.s.normal * share;
    film_.depth[path.pixel] += path.t * share;
    film_.alpha[path.pixel] += share;
    if (point.layer >= 0 && size_t(point.layer) < film_.coverage.size())
        film_.coverage[size_t(point.layer)][path.pixel] += 1.f;
}

/// The direction that was sampled, as the path's next.
void Renderer::follow(Tile& t, const Path& path, const MaterialPoint& point, const Frame& frame,
                      const surface::Scattered& s, bool clear, bool mirror, int bounce, uint32_t sample) {
    const V3f& ng = point.s.normal_geometric;
    Path next = path;
    next.direction = frame.to_world(s.wi);
    const bool through = s.wi.z < 0.f;
    if (!(next.direction.dot(ng) * s.wi.z > 0.f)) return;
    next.throughput = path.throughput * s.weight;
    next.origin = next.vertex = geometry::offset_origin(point.s.position, through ? -ng : ng);
    next.pdf = s.pdf;
    next.mirrored = mirror;
    next.spread = path.spread + .25f * point.slots.specular_roughness;
    if (through && clear) cross(t, next, point);
    if (survive(next, bounce, sample)) t.next.push_back(next);
}

bool Renderer::survive(Path& path, int bounce, uint32_t sample) const {
    const float m = max_component(path.throughput);
    if (!(m > 0.f) || !finite(path.throughput)) return false;
    if (bounce < 2) return true;
    const float q = std::min(.95f, m);
    float u;
    float v;
    sample_2d(path.seed, sample, pair_of(bounce, pair_survive), u, v);
    if (u >= q) return false;
    path.throughput /= q;
    return true;
}

}  // namespace vemtra::render
