// What a path does at a surface, and where it leaves the scene.
//   L = Le + integral of f Li cos   estimated with next-event estimation and multiple importance sampling (Veach 1997,
// balance heuristic)
#include "base/even_frame.h"
#include "render/emission.h"
#include "render/next_event.h"

namespace vemtra::render {

/// The path leaves the scene and meets `share` of the light of the surroundings, whose image is far from the processor:
/// it is looked at when all of the tile have left.
void Renderer::leave(Tile& t, const Path& path, float share) const {
    const bool backdrop = path.sees && !p_.rig.environment_seen;
    if (backdrop)
        t.left.push_back({path.throughput * p_.rig.backdrop * share, V2f(0.f), path.pixel, 0.f, false, true});
    else if (p_.rig.environment)
        t.left.push_back({path.throughput * share, p_.rig.environment->place(path.direction), path.pixel,
                          path.sees || path.mirrored ? 0.f : path.pdf, !path.sees && path.bounce > 1, false});
}

void Renderer::see_surroundings(const std::vector<Left>& left) {
    for (const Left& l : left) {
        if (l.backdrop) {
            add(l.pixel, 0, l.carried, false);
            continue;
        }
        const EnvironmentMap& around = *p_.rig.environment;
        const float weight = l.pdf > 0.f ? surface_weight(l.pdf, p_.rig.environment_share * around.pdf(l.place)) : 1.f;
        add(l.pixel, p_.rig.environment_group, l.carried * around.radiance(l.place) * weight, l.indirect);
    }
}

float Renderer::nearest_seen_light(const V3f& origin, const V3f& direction, float limit, int but) const {
    if (!p_.rig.any_seen) return limit;
    float nearest = limit;
    p_.rig.light_tree.crossed(origin, direction, limit, [&](uint32_t k, float before) {
        const AreaLight& l = p_.rig.lights[k];
        if (!l.seen || int(k) == but) return before;
        nearest = std::min(nearest, intersect(l, origin, direction));
        return std::min(before, nearest);
    });
    return nearest;
}

/// The lights before `stop`: those that are not seen hide nothing, so that all before the first seen one count. True
/// where a seen light ends the path.
bool Renderer::meet_lights(const Path& path, float stop) {
    if (p_.rig.lights.empty()) return false;
    const float first_seen = nearest_seen_light(path.origin, path.direction, stop, -1);
    p_.rig.light_tree.crossed(path.origin, path.direction, first_seen, [&](uint32_t k, float limit) {
        const AreaLight& l = p_.rig.lights[k];
        if (!l.seen && path.pdf == 0.f) return limit;
        const float d = intersect(l, path.origin, path.direction);
        if (!(d < stop) || d > first_seen) return limit;
        const float weight =
            path.pdf > 0.f ? surface_weight(path.pdf, p_.rig.lights_share * p_.rig.light_tree.chance(path.vertex, k) *
                                                          light_pdf(l, path.vertex, path.direction))
                           : 1.f;
        add(path.pixel, l.group, path.throughput * l.radiance * weight, path.bounce > 1);
        return limit;
    });
    return first_seen < stop;
}

/// Ends the paths that leave the scene or land on a light; decides who stands on the stage.
void Renderer::arrive(Tile& t, int step, uint32_t sample) {
    size_t kept = 0;
    t.left.clear();
    for (Path& path : t.paths) {
        if (path.below) {  // what stands in a body was met there
            if (path.at.instance != no_hit) t.paths[kept++] = path;
            continue;
        }
        float solid;
        const float ts = stage(path.origin, path.direction, solid);
        // Where nothing but lights lies behind, both are taken, each by its share, and the fade has no noise.
        const bool fades = ts < path.t && path.at.instance == no_hit;
        if (!fades && ts < path.t) {
            float u;
            float v;
            sample_2d(path.seed, sample, pair_stage + uint32_t(step), u, v);
            if (u < solid) path.at.instance = stage_hit, path.t = ts;
        }
        if (fades) {
            if (meet_lights(path, ts)) continue;
            if (solid < 1.f) {
                Path behind = path;
                behind.throughput *= 1.f - solid;
                behind.origin += path.direction * ts;
                if (!meet_lights(behind, path.t)) leave(t, path, 1.f - solid);
            }
            path.throughput *= solid;
            path.at.instance = stage_hit;
            path.t = ts;
        } else {
            if (meet_lights(path, path.t)) continue;
            if (path.at.instance == no_hit) {
                leave(t, path, 1.f);
                continue;
            }
        }
        t.paths[kept++] = path;
    }
    t.paths.resize(kept);
    see_surroundings(t.left);
}

/// Goes on straight behind the surface, as if it were not there.
void Renderer::pass(Tile& t, const Path& path, const MaterialPoint& point) {
    if (path.passes >= most_passes) return;
    Path next = path;
    ++next.passes;
    next.origin = geometry::offset_origin(point.s.position, -point.s.normal_geometric);
    t.next.push_back(next);
}

/// A smooth thin pane lets a share of the light through straight, as a hole would: it is taken here, so that lights are
/// found through it from the place before. True where the path went on; else the rest of the surface is left.
bool Renderer::through_pane(Tile& t, Path& path, MaterialPoint& point, WalkRandom& random) {
    const V3f through = pane_passage(point);
    const float chance = max_component(through);
    if (!(chance > 0.f)) return false;
    if (random.next() < chance) {
        path.throughput *= through / chance;
        pass(t, path, point);
        return true;
    }
    path.throughput /= std::max(1e-6f, 1.f - chance);
    point.slots.transmission_color = V3f(0.f);
    return false;
}

/// How much of what a surface gives off counts where a path met it: lights were sampled from where it came.
float Renderer::scattered_light_weight(const Path& path, const MaterialPoint& point) const {
    if (path.pdf == 0.f || !p_.emitters) return 1.f;
    const V3f to = point.s.position - path.vertex;
    const float cosine = point.s.normal_geometric.dot(point.wo);
    const float density =
        p_.emitters->density(point.at, path.vertex, to.length2() / std::max(1e-6f, cosine * point.s.spread));
    return surface_weight(path.pdf, p_.rig.emitter_share * density);
}

V3f Renderer::origin_at(const MaterialPoint& point, const V3f& ng) {
    const bool up = ng.dot(point.s.normal_geometric) > 0.f;
    return geometry::offset_origin(up ? point.s.position + point.s.lift : point.s.position, ng);
}

namespace {
constexpr uint64_t longest_shading = 1000000;  // nanoseconds: beyond, another program had the processor
}

/// Where both parts of a surface were followed there are more paths than the tile has points: they are taken in pieces.
void Renderer::shade(Tile& t, int step, uint32_t sample) {
    t.shadows.clear();
    t.next.clear();
    for (size_t first = 0; first < t.paths.size(); first += tile_capacity)
        shade_piece(t, first, std::min<size_t>(tile_capacity, t.paths.size() - first), step, sample);
}

void Renderer::shade_piece(Tile& t, size_t first, size_t count, int step, uint32_t sample) {
    materials(t, t.paths, first, count, sample, pair_of(step, pair_layer));
    for (size_t i = 0; i < count; ++i) {
        Path& path = t.paths[first + i];
        MaterialPoint& point = t.materials.points[i];
        const auto begin = costs_ && (i & 15) == 0 ? Clock::now() : Clock::time_point();
        if (!shade_path(t, i, path, point, step, sample)) continue;
        if (costs_ && (i & 15) == 0 && point.layer >= 0)
            costs_[point.layer].nanoseconds +=
                16 * std::min(longest_shading, uint64_t(std::chrono::nanoseconds(Clock::now() - begin).count()));
    }
}

/// Where the surface is not there for this path, it goes on behind it.
bool Renderer::goes_through(Tile& t, Path& path, const MaterialPoint& point, int step, uint32_t sample) {
    float u;
    float v;
    sample_2d(path.seed, sample, pair_of(step, pair_opacity), u, v);
    if (u < point.slots.geometry_opacity) return false;
    pass(t, path, point);
    return true;
}

/// One path: what shines there, the next event, and where it goes on. Whether the surface was asked.
bool Renderer::shade_path(Tile& t, size_t i, Path& path, MaterialPoint& point, int step, uint32_t sample) {
    float u0;
    float u1;
    float l0;
    float l1;
    float c0;
    float c1;
    sample_2d(path.seed, sample, pair_of(step, pair_direction), u0, u1);
    sample_2d(path.seed, sample, pair_of(step, pair_light), l0, l1);
    sample_2d(path.seed, sample, pair_of(step, pair_choice), c0, c1);
    WalkRandom random(walk_seed(path, sample, step, 1));
    const Slots& slots = point.slots;
    if (path.below && point.inside)
        if (const Body* body = innermost(t, path, no_hit); body && body->instance == path.at.instance) {
            come_up(t, path, i, step, sample, random);
            return false;
        }
    if (slots.geometry_opacity < 1.f && goes_through(t, path, point, step, sample)) return false;
    const bool on_stage = path.at.instance == stage_hit;
    if (f_.edited && !on_stage && (*f_.edited)[size_t(p_.build_up_of[path.at.instance])])
        film_.touched[path.pixel] += std::min(1.f, max_component(path.throughput));
    const bool met_first = path.first;
    if (met_first) first_hit_passes(path, point);
    path.first = false;
    if (slots.geometry_thin_walled > .5f && slots.transmission_weight > 0.f && through_pane(t, path, point, random))
        return false;
    const bool clear = slots.transmission_weight > 0.f && slots.geometry_thin_walled < .5f && !on_stage;
    const bool leaving = clear && point.inside;
    // At the last depth the direction is still followed to the lights, by the next-event ray alone.
    const bool last = clear ? path.crossings >= most_crossings : path.bounce + 1 >= f_.depth;
    float outside = 1.f;
    if ((clear || path.bodies >= 0) && !meets_surface(t, path, point, clear, outside)) return false;
    // Colours part where light is bent: the wavelength is drawn now, and weighs from the first bending on.
    const bool disperses = clear && slots.transmission_dispersion_scale > 0.f;
    float wavelength = path.wavelength;
    V3f spectral(1.f);
    if (disperses && wavelength == 0.f) wavelength = surface::draw_wavelength(random.next(), spectral);
    const Frame frame = even_frame(point.s.normal);
    Stack& stack = t.stack;
    if (on_stage) {
        stack.reset(outside);
        stack.finish(slots, {});
    } else {
        t.materials.stack(stack, int(i), p_, frame, outside, leaving, disperses ? wavelength : 0.f,
                          least_roughness(path), random);
    }
    Stack::Seen seen = stack.seen_from(frame.to_local(point.wo));
    if (met_first) film_.albedo[path.pixel] += seen.albedo * shown_share(path);
    if (slots.emission_luminance > 0.f && p_.rig.emission_group && !point.inside)
        add(path.pixel, p_.rig.emission_group,
            path.throughput * emitted(slots) * seen.passed * scattered_light_weight(path, point), path.bounce > 1);
    const bool both = met_first && !last && stack.splits(seen);
    if (both) stack.split(seen);
    auto value = [&](const V3f& wi) {
        Stack::Parts p = stack.evaluate_parts(seen, wi, random);
        if (wi.z < 0.f) p.f[0] *= spectral;
        return p;
    };
    auto guess = [&](const V3f& wi) { return stack.guess_parts(seen, wi); };
    // A polished metal finds the surroundings better by itself: sampling them would only add the noise of its
    // lobe's edge.
    const bool mirror = f_.strategy == FrameSettings::Strategy::combined && !last && stack.mirror();
    if (f_.strategy != FrameSettings::Strategy::surface_only && !path.below) {
        float k0;
        float k1;
        sample_2d(path.seed, sample, pair_of(step, pair_candidate), k0, k1);
        next_event(t, path, {frame, point, point.s.normal_geometric, c0, l0, l1, k0, last, clear, mirror}, step, guess,
                   value);
    }
    auto go_on = [&](surface::Scattered s) {
        if (s.enters_subsurface) {
            go_below(t, path, point, s.weight, frame, sample, step);
        } else if (s.pdf > 0.f) {
            Path from = path;
            if (s.wi.z < 0.f && disperses && path.wavelength == 0.f) {
                from.wavelength = wavelength;
                s.weight *= spectral;
            }
            follow(t, from, point, frame, s, clear, mirror, step, sample);
        }
    };
    if (both) {
        go_on(stack.sample(seen, Stack::Part::top, c1, u0, u1, random));
        sample_2d(path.seed, sample, pair_of(step, pair_inside), u0, u1);
        go_on(stack.sample(seen, Stack::Part::inside, c1, u0, u1, random));
    } else if (!last) {
        go_on(stack.sample(seen, c1, u0, u1, random));
    }
    return true;
}

/// What is told of the first hit. Where the stage fades, it fades in all of it.
void Renderer::first_hit_passes(const Path& path, const MaterialPoint& point) {
    const float share = shown_share(path);
    film_.normal[path.pixel] += point.s.normal * share;
    film_.depth[path.pixel] += (point.s.position - camera_.origin).length() * share;
    film_.alpha[path.pixel] += share;
    if (point.layer >= 0 && size_t(point.layer) < film_.coverage.size())
        film_.coverage[size_t(point.layer)][path.pixel] += 1.f;
}

/// The direction that was sampled, as the path's next.
void Renderer::follow(Tile& t, const Path& path, const MaterialPoint& point, const Frame& frame,
                      const surface::Scattered& s, bool clear, bool mirror, int step, uint32_t sample) {
    const V3f& ng = point.s.normal_geometric;
    Path next = path;
    next.direction = frame.to_world(s.wi);
    const bool through = s.wi.z < 0.f;
    if (!may_leave(point, next.direction, s.wi)) return;
    next.throughput = path.throughput * s.weight;
    next.origin = next.vertex = origin_at(point, through ? -ng : ng);
    next.pdf = path.below ? by_itself : s.pdf;
    next.mirrored = mirror;
    next.blurred = std::max(path.blurred, std::min(1.f, inverse_pi / s.pdf));
    next.spread = path.spread + .25f * point.slots.specular_roughness;
    next.sees = path.sees && clear && (through || point.inside);
    if (clear)
        ++next.crossings;
    else
        ++next.bounce;
    if (through && clear) cross(t, next, point);
    if (survive(next, step, sample)) t.next.push_back(next);
}

bool Renderer::survive(Path& path, int step, uint32_t sample) const {
    const float m = max_component(path.throughput);
    if (!(m > 0.f) || !finite(path.throughput)) return false;
    if (path.bounce + path.crossings <= 2 || m >= 1.f) return true;
    float u;
    float v;
    sample_2d(path.seed, sample, pair_of(step, pair_survive), u, v);
    if (u >= m) return false;
    path.throughput /= m;
    return true;
}

}  // namespace vemtra::render
