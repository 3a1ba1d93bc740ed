// What a path does inside of bodies: clear ones around it, and the walk below a surface that scatters.
#include "render/next_event.h"

namespace vemtra::render {

/// The clear body that a path is in, of the highest priority, leaving out one instance; null: none. Valid until enter()
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
void Renderer::travel(Tile& t, std::vector<Path>& paths, uint32_t sample, int bounce) {
    if (t.body_sets.empty()) return;
    size_t kept = 0;
    for (Path& path : paths) {
        const Body* body = innermost(t, path, no_hit);
        if (body && !body->clear()) {
            if (!body->scatters()) {
                if (path.at.instance != no_hit)
                    for (int c = 0; c < 3; ++c) path.throughput[c] *= std::exp(-body->sigma_t[c] * path.t);
            } else {
                WalkRandom random(walk_seed(path, sample, bounce, 3));
                const Wandered w =
                    wander(p_.geometry->scene(), *body, path.origin, path.direction, path.throughput, random);
                if (!w.out) continue;
                path.throughput *= w.weight;
                path.origin = w.origin;
                if (w.turns) path.vertex = w.origin, path.pdf = inverse_pi * .25f, path.mirrored = false;
                path.direction = w.direction;
                path.at = w.at;
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

/// Light that went in: it wanders, comes out elsewhere, and leaves there as from a matt surface.
void Renderer::wander_below(Tile& t, const Path& path, const MaterialPoint& point, const Stack& stack,
                            const V3f& weight, const Frame& frame, int bounce, uint32_t sample, WalkRandom& random) {
    const Body body = scattering_body(point.slots, path.at.instance);
    const float a = random.next();
    const float b = random.next();
    const V3f in = -frame.to_world(surface::cosine_direction(a, b));
    const V3f ng = point.s.normal_geometric;
    if (in.dot(ng) >= -1e-4f) return;
    Path out = path;
    out.throughput *= weight;
    const Wandered w =
        wander(p_.geometry->scene(), body, geometry::offset_origin(point.s.position, -ng), in, out.throughput, random);
    if (!w.out || w.at.instance != path.at.instance) return;
    out.throughput *= w.weight;
    const SurfacePoint s = p_.geometry->at(w.at);
    if (s.normal_geometric.dot(w.direction) < 0.f) return;  // it came out of a hole and met the outside
    const Frame exit(s.normal);
    const surface::Bsdf& base = stack.base();
    auto value = [&](const V3f& wi, V3f& f, float& pdf) {
        f = V3f(base.leaving_subsurface(wi));
        pdf = std::max(0.f, wi.z) * inverse_pi;
    };
    float u0;
    float u1;
    float l0;
    float l1;
    float c0;
    float c1;
    sample_2d(path.seed, sample, pair_of(bounce, pair_direction), u0, u1);
    sample_2d(path.seed, sample, pair_of(bounce, pair_light), l0, l1);
    sample_2d(path.seed, sample, pair_of(bounce, pair_exit_light), c0, c1);
    if (f_.strategy != FrameSettings::Strategy::surface_only)
        next_event(t, out, exit, s.normal_geometric, s.position, c0, l0, l1, bounce, 1, value);
    const V3f wi = surface::cosine_direction(u0, u1);
    if (wi.z <= 1e-5f) return;
    out.direction = exit.to_world(wi);
    if (out.direction.dot(s.normal_geometric) <= 0.f) return;
    out.throughput *= base.leaving_subsurface(wi) / (wi.z * inverse_pi);
    out.origin = out.vertex = geometry::offset_origin(s.position, s.normal_geometric);
    out.pdf = wi.z * inverse_pi;
    out.mirrored = false;
    out.spread = path.spread + .25f;
    if (survive(out, bounce, sample)) t.next.push_back(out);
}

}  // namespace vemtra::render
