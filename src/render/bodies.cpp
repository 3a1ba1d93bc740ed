// What a path does inside of bodies: clear ones around it, and the walk below a surface that scatters.
#include "render/next_event.h"

namespace vemtra::render {

/// The body that a path is in, of the highest priority, leaving out one instance; null: none. Valid until enter()
/// or leave_body().
const Body* Renderer::innermost(const Tile& t, const Path& path, uint32_t without) {
    const Body* best = nullptr;
    if (path.bodies < 0) return best;
    const BodySet& set = t.body_sets[size_t(path.bodies)];
    for (int k = 0; k < set.count; ++k)
        if (set.body[k].instance != without && (!best || set.body[k].priority >= best->priority)) best = &set.body[k];
    return best;
}
void Renderer::enter(Tile& t, Path& path, const Body& body) {
    BodySet set = path.bodies < 0 ? BodySet() : t.body_sets[size_t(path.bodies)];
    if (set.count == 3) return;
    set.body[set.count++] = body;
    path.bodies = int(t.body_sets.size());
    t.body_sets.push_back(set);
}
void Renderer::leave_body(Tile& t, Path& path, uint32_t instance) {
    if (path.bodies < 0) return;
    BodySet set = t.body_sets[size_t(path.bodies)];
    for (int k = 0; k < set.count; ++k)
        if (set.body[k].instance == instance) {
            for (int j = k + 1; j < set.count; ++j) set.body[j - 1] = set.body[j];
            --set.count;
            break;
        }
    path.bodies = set.count ? int(t.body_sets.size()) : -1;
    if (set.count) t.body_sets.push_back(set);
}

/// Paths inside of bodies: what was absorbed and scattered on the way to the hit that trace() found.
void Renderer::travel(Tile& t, std::vector<Path>& paths, uint32_t sample, int step) {
    if (t.body_sets.empty()) return;
    Floor floor;
    if (p_.rig.stage_on) floor = {p_.rig.stage_height, p_.rig.stage_fade_start};
    size_t kept = 0;
    for (Path& path : paths) {
        const Body* body = innermost(t, path, no_hit);
        if (body && !body->clear()) {
            if (!body->scatters()) {
                if (path.at.instance != no_hit)
                    for (int c = 0; c < 3; ++c) path.throughput[c] *= std::exp(-body->sigma_t[c] * path.t);
            } else {
                WalkRandom random(walk_seed(path, sample, step, 3));
                WalkHead head;
                sample_2d(path.seed, sample, pair_walk + uint32_t(step), head.leads, head.first);
                const Wandered w = wander(p_.geometry->scene(), *body, floor, path.origin, path.direction,
                                          path.throughput, head, random);
                if (!w.out) continue;
                path.throughput *= w.weight;
                path.origin = w.origin;
                if (w.turns) path.vertex = w.origin, path.pdf = by_itself, path.mirrored = true, path.sees = false;
                path.direction = w.direction;
                path.at = w.at;
                if (w.on_floor) path.at.instance = stage_hit;
                path.t = w.t;
            }
        }
        paths[kept++] = path;
    }
    paths.resize(kept);
}

/// Whether the path meets the surface at all: where another clear body of higher priority owns the place it goes
/// straight on. `outside` becomes the IOR of the medium around.
bool Renderer::meets_surface(Tile& t, const Path& path, const MaterialPoint& point, bool clear, float& outside) {
    const Body* around = innermost(t, path, clear ? path.at.instance : no_hit);
    if (clear && around && around->priority > p_.priority_of[path.at.instance]) {
        Path on = path;
        cross(t, on, point);
        pass(t, on, point);
        return false;
    }
    if (around) outside = around->ior;
    return true;
}

/// The path goes through the skin of a clear body: in, or out again.
void Renderer::cross(Tile& t, Path& path, const MaterialPoint& point) {
    const uint32_t instance = point.at.instance;
    if (point.inside)
        leave_body(t, path, instance);
    else
        enter(t, path, clear_body(point.slots, instance, p_.priority_of[instance], point.slots.specular_ior));
}

/// Light goes in under a surface: from there on it wanders (travel), whatever it meets, until it comes up again.
void Renderer::go_below(Tile& t, const Path& path, const MaterialPoint& point, const V3f& weight, const Frame& frame,
                        uint32_t sample, int step) {
    float a;
    float b;
    sample_2d(path.seed, sample, pair_below + uint32_t(step), a, b);
    const V3f in = -frame.to_world(surface::cosine_direction(a, b));
    const V3f ng = point.s.normal_geometric;
    if (in.dot(ng) >= -1e-4f) return;
    Path next = path;
    next.throughput *= weight;
    next.direction = in;
    next.origin = next.vertex = geometry::offset_origin(point.s.position, -ng);
    next.pdf = by_itself;
    next.mirrored = next.below = true;
    next.sees = false;
    enter(t, next, scattering_body(point.slots, path.at.instance));
    t.next.push_back(next);
}

/// Light that wandered reaches the skin from below, and leaves there as from a matt surface; what covers the body there
/// stops it or sends it back.
void Renderer::come_up(Tile& t, Path& path, size_t index, int step, uint32_t sample, WalkRandom& random) {
    const MaterialPoint& point = t.materials.points[index];
    const Slots& slots = point.slots;
    const V3f outward = -point.s.normal_geometric;
    MaterialPoint skin = point;  // seen from outside
    skin.s.normal = -point.s.normal;
    skin.s.normal_geometric = outward;
    const Frame exit(skin.s.normal);
    const float hole = 1.f - slots.geometry_opacity;
    const float opens = (1.f - slots.base_metalness) * (1.f - slots.transmission_weight) * slots.subsurface_weight;
    float u0;
    float u1;
    float l0;
    float l1;
    float c0;
    float c1;
    sample_2d(path.seed, sample, pair_of(step, pair_direction), u0, u1);
    sample_2d(path.seed, sample, pair_of(step, pair_light), l0, l1);
    sample_2d(path.seed, sample, pair_of(step, pair_exit_light), c0, c1);
    float k0;
    float k1;
    sample_2d(path.seed, sample, pair_of(step, pair_candidate), k0, k1);
    if (hole > 0.f && random.next() < hole) {
        path.below = false;
        leave_body(t, path, path.at.instance);
        pass(t, path, point);
        return;
    }
    const V3f local = surface::cosine_direction(u0, u1);
    if (local.z <= 1e-5f) return;
    if (random.next() >= opens) {  // back into the body, off the underside of the cover
        Path back = path;
        back.throughput *= slots.base_color * slots.base_weight;
        ++back.passes;
        back.direction = -exit.to_world(local);
        back.origin = geometry::offset_origin(point.s.position, -outward);
        if (back.passes < most_passes && back.direction.dot(outward) < 0.f && survive(back, step, sample))
            t.next.push_back(back);
        return;
    }
    path.below = false;
    leave_body(t, path, path.at.instance);
    Stack& stack = t.stack;
    t.materials.stack(stack, int(index), p_, exit, 1.f, false, 0.f, 0.f, random);
    const surface::Bsdf& base = stack.base();
    const bool coated = stack.coated();
    auto value = [&](const V3f& wi) {
        Stack::Parts p;
        p.f[0] = base.leaving_subsurface(wi);
        if (coated && wi.z > 0.f) p.f[0] *= stack.seen_from(wi).passed;
        p.pdf[0] = std::max(0.f, wi.z) * inverse_pi;
        return p;
    };
    auto guess = [&](const V3f& wi) {
        Stack::Parts p;
        p.pdf[0] = std::max(0.f, wi.z) * inverse_pi;
        p.f[0] = V3f(p.pdf[0]);
        return p;
    };
    const bool last = path.bounce + 1 >= f_.depth;
    if (f_.strategy != FrameSettings::Strategy::surface_only)
        next_event(t, path, {exit, skin, outward, c0, l0, l1, k0, last, false}, step, guess, value);
    if (last) return;
    const Stack::Parts out = value(local);
    path.direction = exit.to_world(local);
    if (!may_leave(skin, path.direction, local)) return;
    path.throughput *= out.f[0] / (local.z * inverse_pi);
    path.origin = path.vertex = origin_at(skin, outward);
    path.pdf = out.pdf[0];
    path.mirrored = false;
    path.blurred = 1.f;
    path.spread += .25f;
    ++path.bounce;
    if (survive(path, step, sample)) t.next.push_back(path);
}

}  // namespace vemtra::render
