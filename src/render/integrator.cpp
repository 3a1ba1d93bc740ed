#include "render/integrator.h"

#include <tbb/enumerable_thread_specific.h>

#include <chrono>
#include <cstring>

#include "base/parallel.h"
#include "render/body.h"
#include "render/emission.h"
#include "render/pinhole.h"
#include "render/sampler.h"

namespace vemtra::render {

using geometry::offset_origin;
using geometry::single_ray;
using geometry::Surface;
using surface::Slots;
using surface::Stack;
using surface::WalkRandom;

namespace {

using Clock = std::chrono::steady_clock;

float tent(float u) { return u < .5f ? std::sqrt(2.f * u) - 1.f : 1.f - std::sqrt(2.f - 2.f * u); }

constexpr int capacity = tile_size * tile_size;
constexpr float shadow_spread = .01f;  // of rays to the lights, as an angle: lights are not points
constexpr uint32_t no_hit = RTC_INVALID_GEOMETRY_ID, stage_hit = no_hit - 1;

struct Path {
    uint32_t pixel;       // in the film
    uint32_t seed;
    V3f origin, direction;
    V3f vertex;           // where the direction was chosen; the origin moves on where a hole is passed
    V3f throughput;
    float pdf;            // of the direction, for MIS; 0 after the camera
    float width, spread;  // ray cone: radius at the origin, angle
    int bodies;           // the clear bodies that the path is in: a set of the tile; -1: none. Most paths are in none, and paths must be small
    int channel;          // the one that it carries after a prism; -1: all
    bool mirrored;        // it left a mirror, where the surroundings were not sampled
    // hit
    uint32_t mesh, triangle;
    float u, v, t;
};

struct Shadow {
    uint32_t pixel;
    V3f origin, direction;
    float distance;
    V3f radiance;
    int group;
    bool indirect;
    float width;  // of the path that casts it: what it passes needs no finer look
};

/// Clear bodies around a point. Sets are never changed, only replaced: paths that part share them.
struct BodySet {
    Body body[3];
    int count = 0;
};

/// Working memory of one thread: one tile.
struct Tile {
    std::vector<Path> paths, next, behind;
    std::vector<BodySet> body_sets;
    std::vector<Shadow> shadows;
    Materials materials;
    Stack stack;
    std::vector<int> picks;
    std::vector<size_t> stopped;
    std::vector<float> camera_u, camera_v, camera_r, camera_s;
    const float* outputs[16];
    Tile() {
        paths.reserve(capacity);
        next.reserve(capacity);
        shadows.reserve(capacity);
        for (auto* a : {&camera_u, &camera_v, &camera_r, &camera_s}) a->resize(capacity);
    }
};

class Renderer {
public:
    Renderer(const Prepared& prepared, const FrameSettings& frame, Film& film, LayerCost* costs)
        : p_(prepared), f_(frame), film_(film), costs_(costs), camera_(prepared.camera, frame.width, frame.height) {}

    uint64_t render_tile(Tile& t, const PixelRect& r, uint32_t sample) {
        odd_ = sample & 1;
        t.body_sets.clear();
        uint64_t rays = start(t, r, sample);
        if (f_.view == View::clay) return rays + clay(t, sample);
        if (f_.view != View::beauty) {
            flat_view(t, sample);
            return rays;
        }
        for (int bounce = 0; bounce < f_.depth && !t.paths.empty(); ++bounce) {
            arrive(t, bounce, sample);
            if (t.paths.empty()) break;
            shade(t, bounce, sample);
            rays += t.shadows.size() + t.next.size();
            trace_shadows(t);
            if (!t.stopped.empty()) through_holes(t, sample, bounce);
            std::swap(t.paths, t.next);
            if (bounce + 1 == f_.depth) break;
            trace(t.paths);
            travel(t, t.paths, sample, bounce);
        }
        // What still flies at the last depth sees the lights it was aimed at, nothing more.
        return rays;
    }

private:
    uint64_t start(Tile& t, const PixelRect& r, uint32_t sample) {
        const int w = r.x1 - r.x0, h = r.y1 - r.y0, n = w * h;
        alignas(64) uint32_t seeds[capacity];
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) seeds[y * w + x] = pixel_seed(uint32_t(r.x0 + x), uint32_t(r.y0 + y), f_.seed);
        float *cu = t.camera_u.data(), *cv = t.camera_v.data();
        for (int i = 0; i < n; ++i) sample_2d(seeds[i], sample, 0, cu[i], cv[i]);
        t.paths.resize(size_t(n));
        alignas(64) RTCRayHit16 packet;
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
        alignas(64) int valid[16];
        for (int first = 0; first < n; first += 16) {
            const int count = std::min(16, n - first);
            alignas(64) float sx[16], sy[16];
            for (int k = 0; k < 16; ++k) {
                const int i = std::min(first + k, n - 1);
                const int x = r.x0 + i % w, y = r.y0 + i / w;
                sx[k] = (2.f * (float(x) + .5f + tent(cu[i])) / float(f_.width) - 1.f) * camera_.tan_x;
                sy[k] = (1.f - 2.f * (float(y) + .5f + tent(cv[i])) / float(f_.height)) * camera_.tan_y;
            }
            for (int k = 0; k < 16; ++k) {
                const float dx = camera_.forward.x + camera_.right.x * sx[k] + camera_.up.x * sy[k];
                const float dy = camera_.forward.y + camera_.right.y * sx[k] + camera_.up.y * sy[k];
                const float dz = camera_.forward.z + camera_.right.z * sx[k] + camera_.up.z * sy[k];
                const float inverse = 1.f / std::sqrt(dx * dx + dy * dy + dz * dz);
                packet.ray.dir_x[k] = dx * inverse;
                packet.ray.dir_y[k] = dy * inverse;
                packet.ray.dir_z[k] = dz * inverse;
                packet.ray.org_x[k] = camera_.origin.x;
                packet.ray.org_y[k] = camera_.origin.y;
                packet.ray.org_z[k] = camera_.origin.z;
                packet.ray.tnear[k] = 0.f;
                packet.ray.tfar[k] = INFINITY;
                packet.ray.time[k] = 0.f;
                packet.ray.mask[k] = ~0u;
                packet.ray.flags[k] = 0;
                packet.hit.geomID[k] = RTC_INVALID_GEOMETRY_ID;
                valid[k] = k < count ? -1 : 0;
            }
            rtcIntersect16(valid, p_.geometry->scene(), &context, &packet);
            for (int k = 0; k < count; ++k) {
                Path& path = t.paths[size_t(first + k)];
                const int i = first + k;
                path.pixel = uint32_t((r.y0 + i / w) * f_.width + r.x0 + i % w);
                path.seed = seeds[i];
                path.origin = path.vertex = camera_.origin;
                path.bodies = -1;
                path.channel = -1;
                path.mirrored = false;
                path.direction = V3f(packet.ray.dir_x[k], packet.ray.dir_y[k], packet.ray.dir_z[k]);
                path.throughput = V3f(1.f);
                path.pdf = 0.f;
                path.width = 0.f;
                path.spread = camera_.pixel_angle;
                path.mesh = packet.hit.geomID[k];
                path.triangle = packet.hit.primID[k];
                path.u = packet.hit.u[k];
                path.v = packet.hit.v[k];
                path.t = packet.ray.tfar[k];
                ++film_.samples[path.pixel];
            }
        }
        return uint64_t(n);
    }

    void trace(std::vector<Path>& paths) {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        for (Path& path : paths) {
            RTCRayHit ray = single_ray(path.origin, path.direction);
            rtcIntersect1(p_.geometry->scene(), &context, &ray);
            path.mesh = ray.hit.geomID;
            path.triangle = ray.hit.primID;
            path.u = ray.hit.u;
            path.v = ray.hit.v;
            path.t = ray.ray.tfar;
        }
    }

    /// Distance at which a ray meets the stage, and how solid the stage is there (1 in the middle, 0 beyond the fade).
    float stage(const V3f& origin, const V3f& direction, float& solid) const {
        solid = 0.f;
        if (!p_.stage_on || std::fabs(direction.y) < 1e-9f) return INFINITY;
        const float t = (p_.stage_height - origin.y) / direction.y;
        if (!(t > 1e-5f)) return INFINITY;
        const float x = origin.x + t * direction.x, z = origin.z + t * direction.z, r = std::sqrt(x * x + z * z);
        if (r >= p_.stage_fade_end) return INFINITY;
        const float k = clamp01((r - p_.stage_fade_start) / (p_.stage_fade_end - p_.stage_fade_start));
        solid = 1.f - k * k * (3.f - 2.f * k);
        return t;
    }

    void add(uint32_t pixel, int group, V3f radiance, bool indirect) {
        if (!finite(radiance)) return;
        if (indirect && f_.clamp > 0.f)
            if (const float m = max_component(radiance); m > f_.clamp) radiance *= f_.clamp / m;
        film_.light[size_t(group)][pixel] += radiance;
        if (odd_) film_.odd_luminance[pixel] += luminance(radiance);
    }

    static float balance_heuristic(float a, float b) { return a / (a + b); }
    float surface_weight(float pdf_surface, float pdf_light) const {
        if (f_.strategy == FrameSettings::Strategy::light_only) return 0.f;
        if (f_.strategy == FrameSettings::Strategy::surface_only) return 1.f;
        return balance_heuristic(pdf_surface, pdf_light);
    }

    /// The light of the surroundings that a path meets where it leaves the scene, times `share`.
    void leave(const Path& path, int bounce, float share) {
        if (path.pdf == 0.f) {
            if (p_.environment_seen) add(path.pixel, p_.environment_group, p_.environment->radiance(path.direction) * share, false);
            else add(path.pixel, 0, p_.backdrop * share, false);
        } else if (p_.environment) {
            const float weight = path.mirrored ? 1.f : surface_weight(path.pdf, p_.environment_share * p_.environment->pdf(path.direction));
            add(path.pixel, p_.environment_group, path.throughput * p_.environment->radiance(path.direction) * (weight * share), bounce > 1);
        }
    }

    /// Ends the paths that leave the scene or land on a light; decides who stands on the stage.
    void arrive(Tile& t, int bounce, uint32_t sample) {
        size_t kept = 0;
        for (Path& path : t.paths) {
            float solid;
            const float ts = stage(path.origin, path.direction, solid);
            if (ts < path.t && path.mesh == no_hit) {
                // Nothing but the surroundings behind: both are taken, each by its share, and the fade has no noise.
                if (solid < 1.f) leave(path, bounce, 1.f - solid);
                path.throughput *= solid;
                path.mesh = stage_hit;
                path.t = ts;
            } else if (ts < path.t) {
                float u, v;
                sample_2d(path.seed, sample, uint32_t(5 + 6 * bounce), u, v);
                if (u < solid) path.mesh = stage_hit, path.t = ts;
            }
            float nearest = path.t;
            int light = -1;
            for (size_t l = 0; l < p_.lights.size(); ++l)
                if (path.pdf > 0.f || p_.lights[l].seen)
                    if (const float d = intersect(p_.lights[l], path.origin, path.direction); d < nearest) nearest = d, light = int(l);
            if (light >= 0) {
                const AreaLight& l = p_.lights[size_t(light)];
                const float weight = path.pdf > 0.f ? surface_weight(path.pdf, p_.light_share[size_t(light)] * light_pdf(l, path.vertex, path.direction)) : 1.f;
                add(path.pixel, l.group, path.throughput * l.radiance * weight, bounce > 1);
                if (path.pdf == 0.f || l.seen) continue;  // lights that the camera does not see do not hide what is behind them
            }
            if (path.mesh == no_hit) {
                leave(path, bounce, 1.f);
                continue;
            }
            t.paths[kept++] = path;
        }
        t.paths.resize(kept);
    }

    void locate(Path& path, MaterialPoint& point) const {
        point.mesh = path.mesh;
        point.triangle = path.triangle;
        if (path.mesh == stage_hit) {
            Surface& s = point.s;
            s = Surface();
            s.position = path.origin + path.direction * path.t;
            s.position.y = p_.stage_height;
            s.normal = s.normal_geometric = V3f(0, path.direction.y < 0.f ? 1.f : -1.f, 0);
        } else {
            point.s = p_.geometry->surface(path.mesh, path.triangle, path.u, path.v);
        }
        path.width += path.spread * path.t;
        point.width = path.width;
        point.wo = -path.direction;
        point.inside = point.s.normal_geometric.dot(point.wo) < 0.f;
        if (point.inside) {
            point.s.normal_geometric = -point.s.normal_geometric;
            point.s.normal = -point.s.normal;
        }
        // A shading normal that faces away from the eye is bent back to the horizon.
        if (const float facing = point.s.normal.dot(point.wo); facing < .01f) point.s.normal = (point.s.normal + point.wo * (.01f - facing)).normalized();
    }

    /// Points and layers for these paths of the tile.
    void materials(Tile& t, std::vector<Path>& paths, uint32_t sample, uint32_t pair) {
        const size_t n = paths.size();
        Materials& m = t.materials;
        m.begin();
        for (size_t i = 0; i < n; ++i) {
            Path& path = paths[i];
            MaterialPoint& point = m.points[i];
            locate(path, point);
            point.coat = point.layer = -1;
            if (path.mesh == stage_hit) {
                point.slots = p_.stage_slots;
                continue;
            }
            m.locate(int(i), p_, path.u, path.v);
            float unused;
            sample_2d(path.seed, sample, pair, point.choice, unused);
        }
        for (size_t b = 0; b < p_.build_ups.size(); ++b) {
            t.picks.clear();
            for (size_t i = 0; i < n; ++i)
                if (paths[i].mesh != stage_hit && p_.build_up_of_mesh[paths[i].mesh] == int(b)) t.picks.push_back(int(i));
            if (!t.picks.empty()) m.choose(p_, t.picks, p_.build_ups[b], costs_);
        }
    }

    /// The clear body that a path is in, of the highest priority, leaving out one mesh; null: none. Valid until enter() or leave_body().
    static const Body* innermost(const Tile& t, const Path& path, uint32_t without) {
        const Body* best = nullptr;
        if (path.bodies < 0) return best;
        const BodySet& set = t.body_sets[size_t(path.bodies)];
        for (int k = 0; k < set.count; ++k)
            if (set.body[k].mesh != without && (!best || set.body[k].priority >= best->priority)) best = &set.body[k];
        return best;
    }
    static void enter(Tile& t, Path& path, const Body& body) {
        BodySet set = path.bodies < 0 ? BodySet() : t.body_sets[size_t(path.bodies)];
        if (set.count == 3) return;
        set.body[set.count++] = body;
        path.bodies = int(t.body_sets.size());
        t.body_sets.push_back(set);
    }
    static void leave_body(Tile& t, Path& path, uint32_t mesh) {
        if (path.bodies < 0) return;
        BodySet set = t.body_sets[size_t(path.bodies)];
        for (int k = 0; k < set.count; ++k)
            if (set.body[k].mesh == mesh) {
                for (int j = k + 1; j < set.count; ++j) set.body[j - 1] = set.body[j];
                --set.count;
                break;
            }
        path.bodies = set.count ? int(t.body_sets.size()) : -1;
        if (set.count) t.body_sets.push_back(set);
    }
    uint32_t walk_seed(const Path& path, uint32_t sample, int bounce, uint32_t use) const { return mix32(path.seed + mix32(sample * 64u + uint32_t(bounce)) + use * 0x9e3779b9u); }

    /// Paths inside of bodies: what was absorbed and scattered on the way to the hit that trace() found.
    void travel(Tile& t, std::vector<Path>& paths, uint32_t sample, int bounce) {
        if (t.body_sets.empty()) return;
        size_t kept = 0;
        for (Path& path : paths) {
            const Body* body = innermost(t, path, no_hit);
            if (body && !body->clear()) {
                if (!body->scatters()) {
                    if (path.mesh != no_hit)
                        for (int c = 0; c < 3; ++c) path.throughput[c] *= std::exp(-body->sigma_t[c] * path.t);
                } else {
                    WalkRandom random(walk_seed(path, sample, bounce, 3));
                    const Wandered w = wander(p_.geometry->scene(), *body, path.origin, path.direction, path.throughput, random);
                    if (!w.out) continue;
                    path.throughput *= w.weight;
                    path.origin = w.origin;
                    if (w.turns) path.vertex = w.origin, path.pdf = inverse_pi * .25f, path.mirrored = false;
                    path.direction = w.direction;
                    path.mesh = w.mesh;
                    path.triangle = w.triangle;
                    path.u = w.u;
                    path.v = w.v;
                    path.t = w.t;
                }
            }
            paths[kept++] = path;
        }
        paths.resize(kept);
    }

    /// Goes on straight behind the surface, as if it were not there.
    void pass(Tile& t, const Path& path, const MaterialPoint& point) {
        Path next = path;
        next.origin = offset_origin(point.s.position, -point.s.normal_geometric);
        t.next.push_back(next);
    }

    void shade(Tile& t, int bounce, uint32_t sample) {
        const uint32_t pair = uint32_t(1 + 6 * bounce);
        materials(t, t.paths, sample, pair);
        t.shadows.clear();
        t.next.clear();
        for (size_t i = 0; i < t.paths.size(); ++i) {
            Path& path = t.paths[i];
            const MaterialPoint& point = t.materials.points[i];
            const auto begin = costs_ && (i & 15) == 0 ? Clock::now() : Clock::time_point();
            float u0, u1, l0, l1, c0, c1;
            sample_2d(path.seed, sample, pair + 1, u0, u1);
            sample_2d(path.seed, sample, pair + 2, l0, l1);
            sample_2d(path.seed, sample, pair + 3, c0, c1);
            WalkRandom random(walk_seed(path, sample, bounce, 1));
            const Slots& slots = point.slots;
            if (slots.geometry_opacity < 1.f && random.next() >= slots.geometry_opacity) {
                pass(t, path, point);
                continue;
            }
            const bool clear = slots.transmission_weight > 0.f && slots.geometry_thin_walled < .5f && path.mesh != stage_hit;
            const bool leaving = clear && point.inside;
            float outside = 1.f;
            if (clear || path.bodies >= 0) {
                const Body* around = innermost(t, path, clear ? path.mesh : no_hit);
                if (clear && around && around->priority > p_.priority_of_mesh[path.mesh]) {  // another body owns this place
                    if (leaving) leave_body(t, path, path.mesh);
                    else enter(t, path, clear_body(slots, path.mesh, p_.priority_of_mesh[path.mesh], slots.specular_ior));
                    pass(t, path, point);
                    continue;
                }
                if (around) outside = around->ior;
            }
            if (clear && slots.transmission_dispersion_scale > 0.f && path.channel < 0) {
                path.channel = std::min(2, int(3.f * random.next()));
                for (int c = 0; c < 3; ++c) path.throughput[c] *= c == path.channel ? 3.f : 0.f;
            }
            const Frame frame(point.s.normal);
            const V3f wo = frame.to_local(point.wo);
            Stack& stack = t.stack;
            if (path.mesh == stage_hit) stack.reset(outside), stack.finish(slots, {});
            else t.materials.stack(stack, int(i), p_, frame, outside, leaving, path.channel, random);
            const Stack::Seen seen = stack.seen_from(wo);
            if (bounce == 0) {
                const float share = path.mesh == stage_hit ? path.throughput.x : 1.f;  // where the stage fades, it fades in all that is told of it
                film_.albedo[path.pixel] += seen.albedo * share;
                film_.normal[path.pixel] += point.s.normal * share;
                film_.depth[path.pixel] += path.t * share;
                film_.alpha[path.pixel] += share;
                if (point.layer >= 0 && size_t(point.layer) < film_.coverage.size()) film_.coverage[size_t(point.layer)][path.pixel] += 1.f;
            }
            if (slots.emission_luminance > 0.f && p_.emission_group && !point.inside)
                add(path.pixel, p_.emission_group, path.throughput * emitted(slots) * seen.passed, bounce > 1);
            const V3f& ng = point.s.normal_geometric;
            auto value = [&](const V3f& wi, V3f& f, float& pdf) {
                f = stack.evaluate(seen, wi, random);
                pdf = stack.pdf(seen, wi);
            };
            // A polished metal finds the surroundings better by itself: sampling them would only add the noise of its lobe's edge.
            const bool mirror = f_.strategy == FrameSettings::Strategy::combined && bounce + 1 < f_.depth && stack.mirror();
            if (f_.strategy != FrameSettings::Strategy::surface_only && !(mirror && c0 < p_.environment_share)) next_event(t, path, frame, ng, point.s.position, c0, l0, l1, bounce, value);
            // On the last depth the direction is still followed to the lights by the next-event ray alone.
            if (bounce + 1 < f_.depth) {
                const surface::Scattered s = stack.sample(seen, c1, u0, u1, random);
                if (s.enters_subsurface) {
                    wander_below(t, path, point, stack, s.weight, frame, bounce, sample, pair, random);
                } else if (s.pdf > 0.f) {
                    Path next = path;
                    next.direction = frame.to_world(s.wi);
                    const bool through = s.wi.z < 0.f;
                    if (next.direction.dot(ng) * s.wi.z > 0.f) {
                        next.throughput = path.throughput * s.weight;
                        next.origin = next.vertex = offset_origin(point.s.position, through ? -ng : ng);
                        next.pdf = s.pdf;
                        next.mirrored = mirror;
                        next.spread = path.spread + .25f * slots.specular_roughness;
                        if (through && clear) {
                            if (leaving) leave_body(t, next, path.mesh);
                            else enter(t, next, clear_body(slots, path.mesh, p_.priority_of_mesh[path.mesh], slots.specular_ior));
                        }
                        if (survive(next, bounce, sample, pair)) t.next.push_back(next);
                    }
                }
            }
            if (costs_ && (i & 15) == 0 && point.layer >= 0)
                costs_[point.layer].nanoseconds += 16 * uint64_t(std::chrono::nanoseconds(Clock::now() - begin).count());
        }
    }

    /// Light that went in: it wanders, comes out elsewhere, and leaves there as from a matt surface.
    void wander_below(Tile& t, const Path& path, const MaterialPoint& point, const Stack& stack, const V3f& weight, const Frame& frame, int bounce, uint32_t sample, uint32_t pair,
                      WalkRandom& random) {
        const Body body = scattering_body(point.slots, path.mesh);
        const float a = random.next(), b = random.next();
        const V3f in = -frame.to_world(surface::cosine_direction(a, b)), ng = point.s.normal_geometric;
        if (in.dot(ng) >= -1e-4f) return;
        Path out = path;
        out.throughput *= weight;
        const Wandered w = wander(p_.geometry->scene(), body, offset_origin(point.s.position, -ng), in, out.throughput, random);
        if (!w.out || w.mesh != path.mesh) return;
        out.throughput *= w.weight;
        Surface s = p_.geometry->surface(w.mesh, w.triangle, w.u, w.v);
        if (s.normal_geometric.dot(w.direction) < 0.f) return;  // it came out of a hole and met the outside
        const Frame exit(s.normal);
        const surface::Bsdf& base = stack.base();
        auto value = [&](const V3f& wi, V3f& f, float& pdf) {
            f = V3f(base.leaving_subsurface(wi));
            pdf = std::max(0.f, wi.z) * inverse_pi;
        };
        float u0, u1, l0, l1, c0, c1;
        sample_2d(path.seed, sample, pair + 1, u0, u1);
        sample_2d(path.seed, sample, pair + 2, l0, l1);
        sample_2d(path.seed, sample, pair + 4, c0, c1);
        if (f_.strategy != FrameSettings::Strategy::surface_only) next_event(t, out, exit, s.normal_geometric, s.position, c0, l0, l1, bounce, value);
        const V3f wi = surface::cosine_direction(u0, u1);
        if (wi.z <= 1e-5f) return;
        out.direction = exit.to_world(wi);
        if (out.direction.dot(s.normal_geometric) <= 0.f) return;
        out.throughput *= base.leaving_subsurface(wi) / (wi.z * inverse_pi);
        out.origin = out.vertex = offset_origin(s.position, s.normal_geometric);
        out.pdf = wi.z * inverse_pi;
        out.mirrored = false;
        out.spread = path.spread + .25f;
        if (survive(out, bounce, sample, pair)) t.next.push_back(out);
    }

    bool survive(Path& path, int bounce, uint32_t sample, uint32_t pair) const {
        const float m = max_component(path.throughput);
        if (!(m > 0.f) || !finite(path.throughput)) return false;
        if (bounce < 2) return true;
        const float q = std::min(.95f, m);
        float u, v;
        sample_2d(path.seed, sample, pair + 5, u, v);
        if (u >= q) return false;
        path.throughput /= q;
        return true;
    }

    /// One light, chosen by `pick`, sampled by l0 and l1. `value` gives f * |cosine| and the surface's own density for a local direction.
    template <class Value>
    void next_event(Tile& t, const Path& path, const Frame& frame, const V3f& ng, const V3f& position, float pick, float l0, float l1, int bounce, Value&& value) {
        V3f direction, radiance;
        float distance = INFINITY, density = 0.f;
        int group = 0;
        if (pick < p_.environment_share) {
            direction = p_.environment->sample(l0, l1, density);
            if (!(density > 0.f)) return;
            radiance = p_.environment->radiance(direction);
            density *= p_.environment_share;
            group = p_.environment_group;
        } else {
            float x = pick - p_.environment_share;
            size_t l = 0;
            while (l + 1 < p_.lights.size() && x >= p_.light_share[l]) x -= p_.light_share[l++];
            if (l >= p_.lights.size()) return;
            const LightSample s = sample_light(p_.lights[l], position, l0, l1);
            if (!(s.pdf > 0.f)) return;
            direction = s.direction;
            radiance = s.radiance;
            distance = s.distance;
            density = s.pdf * p_.light_share[l];
            group = p_.lights[l].group;
        }
        const V3f wi = frame.to_local(direction);
        if (direction.dot(ng) * wi.z <= 1e-6f) return;
        const V3f origin = offset_origin(position, wi.z > 0.f ? ng : -ng);
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
        t.shadows.push_back({path.pixel, origin, direction, distance, contribution, group, bounce > 0, path.width});
    }

    void trace_shadows(Tile& t) {
        t.stopped.clear();
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        alignas(64) RTCRay16 ray;
        alignas(64) int valid[16];
        for (size_t first = 0; first < t.shadows.size(); first += 16) {
            const size_t count = std::min<size_t>(16, t.shadows.size() - first);
            for (size_t k = 0; k < 16; ++k) {
                const Shadow& s = t.shadows[first + std::min(k, count - 1)];
                ray.org_x[k] = s.origin.x; ray.org_y[k] = s.origin.y; ray.org_z[k] = s.origin.z;
                ray.dir_x[k] = s.direction.x; ray.dir_y[k] = s.direction.y; ray.dir_z[k] = s.direction.z;
                ray.tnear[k] = 0.f;
                ray.tfar[k] = s.distance * .9999f;
                ray.time[k] = 0.f;
                ray.mask[k] = ~0u;
                ray.flags[k] = 0;
                valid[k] = k < count ? -1 : 0;
            }
            rtcOccluded16(valid, p_.geometry->scene(), &context, &ray);
            for (size_t k = 0; k < count; ++k) {
                const Shadow& s = t.shadows[first + k];
                if (ray.tfar[k] >= 0.f) add(s.pixel, s.group, s.radiance, s.indirect);
                else if (p_.may_open) t.stopped.push_back(first + k);
            }
        }
    }

    /// Shadow rays that met something which may have holes: each surface on the way lets them pass by its opacity.
    void through_holes(Tile& t, uint32_t sample, int bounce) {
        std::vector<Path>& rays = t.behind;
        rays.clear();
        for (size_t k : t.stopped) {
            const Shadow& s = t.shadows[k];
            Path r{};  // what a shadow ray does not use stays zero
            r.vertex = r.throughput = V3f(0.f);
            r.bodies = r.channel = -1;
            r.pixel = uint32_t(k);
            r.seed = mix32(uint32_t(k) + mix32(s.pixel + 0x5bd1e995u * uint32_t(bounce + 1)));
            r.origin = s.origin;
            r.direction = s.direction;
            r.pdf = s.distance;
            r.width = s.width;
            r.spread = shadow_spread;
            rays.push_back(r);
        }
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        for (int surfaces = 0; surfaces < 32 && !rays.empty(); ++surfaces) {
            size_t kept = 0;
            for (Path& r : rays) {
                RTCRayHit ray = single_ray(r.origin, r.direction, r.pdf == INFINITY ? INFINITY : r.pdf * .9999f);
                rtcIntersect1(p_.geometry->scene(), &context, &ray);
                if (ray.hit.geomID == no_hit) {
                    const Shadow& s = t.shadows[r.pixel];
                    add(s.pixel, s.group, s.radiance, s.indirect);
                    continue;
                }
                if (!p_.build_ups[size_t(p_.build_up_of_mesh[ray.hit.geomID])].may_open) continue;
                r.mesh = ray.hit.geomID;
                r.triangle = ray.hit.primID;
                r.u = ray.hit.u;
                r.v = ray.hit.v;
                r.t = ray.ray.tfar;
                rays[kept++] = r;
            }
            rays.resize(kept);
            materials(t, rays, sample, uint32_t(200 + surfaces));
            kept = 0;
            for (size_t i = 0; i < rays.size(); ++i) {
                Path& r = rays[i];
                const MaterialPoint& point = t.materials.points[i];
                float u, v;
                sample_2d(r.seed, sample, uint32_t(240 + surfaces), u, v);
                if (u < point.slots.geometry_opacity) continue;
                if (r.pdf != INFINITY) r.pdf -= r.t;
                r.origin = offset_origin(point.s.position, -point.s.normal_geometric);
                rays[kept++] = r;
            }
            rays.resize(kept);
        }
    }

    /// Clay: matt grey under an even sky, one occlusion ray per sample. Form only: no material, no light of the rig.
    uint64_t clay(Tile& t, uint32_t sample) {
        const size_t n = t.paths.size();
        float *ru = t.camera_r.data(), *rv = t.camera_s.data();
        alignas(64) uint32_t seeds[capacity];
        for (size_t i = 0; i < n; ++i) seeds[i] = t.paths[i].seed;
        for (size_t i = 0; i < n; ++i) {
            float u, v, sine, cosine;
            sample_2d(seeds[i], sample, 1, u, v);
            sincos_turn(v, sine, cosine);
            const float s = std::sqrt(u);
            ru[i] = s * cosine;
            rv[i] = s * sine;
        }
        t.shadows.clear();
        for (size_t i = 0; i < n; ++i) {
            Path& path = t.paths[i];
            float solid = 0.f;
            const float ts = stage(path.origin, path.direction, solid);
            float part_stage = 0.f;
            if (path.mesh == no_hit) {
                if (ts == INFINITY || solid <= 0.f) {
                    add(path.pixel, 0, V3f(.42f), false);
                    continue;
                }
                path.mesh = stage_hit;
                path.t = ts;
                part_stage = 1.f - solid;
            } else if (ts < path.t && solid > .5f) {
                path.mesh = stage_hit;
                path.t = ts;
            }
            V3f position, ng, normal;
            if (path.mesh == stage_hit) {
                position = path.origin + path.direction * path.t;
                normal = ng = V3f(0, path.direction.y < 0.f ? 1.f : -1.f, 0);
            } else {
                const geometry::Mesh& m = *p_.geometry->meshes()[path.mesh];
                const uint32_t* k = &m.indices[3 * size_t(path.triangle)];
                const V3f &a = m.positions[k[0]], &b = m.positions[k[1]], &c = m.positions[k[2]];
                const float w = 1.f - path.u - path.v;
                position = a * w + b * path.u + c * path.v;
                normal = m.normals[k[0]] * w + m.normals[k[1]] * path.u + m.normals[k[2]] * path.v;
                normal *= 1.f / std::sqrt(std::max(1e-20f, normal.length2()));
                ng = (b - a).cross(c - a);
                ng *= 1.f / std::sqrt(ng.length2());
                if (ng.dot(path.direction) > 0.f) ng = -ng;
                if (normal.dot(ng) < 0.f) normal = -normal;
            }
            const float share = 1.f - part_stage;
            film_.normal[path.pixel] += normal * share;
            film_.depth[path.pixel] += path.t * share;
            film_.alpha[path.pixel] += share;
            film_.albedo[path.pixel] += V3f(.6f * share);
            const V3f d = Frame(normal).to_world({ru[i], rv[i], std::sqrt(std::max(0.f, 1.f - ru[i] * ru[i] - rv[i] * rv[i]))});
            const float sky = .62f + .38f * d.y + .25f * std::max(0.f, d.x * .5f + d.z * .6f);  // a little brighter from the front right: form reads better
            if (part_stage > 0.f) add(path.pixel, 0, V3f(.42f * part_stage), false);
            if (d.dot(ng) > 0.f && (!p_.stage_on || d.y > 0.f || path.mesh == stage_hit))
                t.shadows.push_back({path.pixel, offset_origin(position, ng), d, INFINITY, V3f(std::max(0.f, sky) * .62f * (1.f - part_stage)), 0, false, 0.f});
        }
        trace_shadows(t);
        return t.shadows.size();
    }

    /// Views that show one value of the first hit, unlit.
    void flat_view(Tile& t, uint32_t sample) {
        size_t kept = 0;
        for (const Path& path : t.paths) {
            if (path.mesh == no_hit) add(path.pixel, 0, V3f(.18f), false);
            else t.paths[kept++] = path;
        }
        t.paths.resize(kept);
        if (f_.view == View::coverage) materials(t, t.paths, sample, 1);
        else
            for (size_t i = 0; i < kept; ++i) {
                Path& path = t.paths[i];
                locate(path, t.materials.points[i]);
                t.materials.locate(int(i), p_, path.u, path.v);
            }
        if (f_.view == View::node) {
            for (size_t b = 0; b < p_.build_ups.size(); ++b) {
                std::vector<int>& picks = t.picks;
                picks.clear();
                for (size_t i = 0; i < kept; ++i)
                    if (p_.build_up_of_mesh[t.paths[i].mesh] == int(b)) picks.push_back(int(i));
                if (picks.empty()) continue;
                const program::Program& shown = p_.build_ups[b].shown;
                if (!shown.outputs()) {  // another build-up: dimmed, so that the shown one stands out
                    for (int i : picks) add(t.paths[size_t(i)].pixel, 0, V3f(.1f + .05f * std::fabs(t.materials.points[size_t(i)].s.normal.dot(t.materials.points[size_t(i)].wo))), false);
                    continue;
                }
                t.materials.gather(picks);
                shown.run(t.materials.subset.batch(int(picks.size()), p_), t.materials.workspace, t.outputs);
                for (size_t k = 0; k < picks.size(); ++k) add(t.paths[size_t(picks[k])].pixel, 0, V3f(t.outputs[0][k], t.outputs[1][k], t.outputs[2][k]), false);
            }
        }
        for (size_t i = 0; i < kept; ++i) {
            const Path& path = t.paths[i];
            const MaterialPoint& point = t.materials.points[i];
            film_.alpha[path.pixel] += 1.f;
            film_.normal[path.pixel] += point.s.normal;
            film_.depth[path.pixel] += path.t;
            const float facing = .55f + .45f * std::fabs(point.s.normal.dot(point.wo));
            switch (f_.view) {
                case View::coverage:
                    add(path.pixel, 0, coverage_color(point.layer) * facing, false);
                    if (size_t(point.layer) < film_.coverage.size()) film_.coverage[size_t(point.layer)][path.pixel] += 1.f;
                    break;
                case View::normal: add(path.pixel, 0, point.s.normal * .5f + V3f(.5f), false); break;
                case View::depth: add(path.pixel, 0, V3f(clamp01(1.f - (path.t - near_) / p_.scene_size)), false); break;
                case View::uv: add(path.pixel, 0, uv_check(point.s) * facing, false); break;
                default: break;
            }
        }
    }

    /// Whether a figure of the tile's number covers the place: four digits of 3 x 5 dots in the lower half of every quarter of a tile, with u
    /// to their right, so that mirrored islands show them mirrored.
    static bool on_number(int tile, float u, float v) {
        static constexpr uint16_t digits[] = {075557, 022222, 071747, 071717, 055711, 074717, 074757, 071111, 075757, 075717};  // rows, top first
        const float x = (u * 4.f - std::floor(u * 4.f)) * 20.f - 2.f, y = (v * 4.f - std::floor(v * 4.f)) * 20.f - 2.f;
        if (x < 0.f || x >= 15.f || y < 0.f || y >= 5.f) return false;
        const int column = int(x), row = 4 - int(y), place = column / 4;
        if (column % 4 == 3) return false;
        static constexpr int powers[] = {1000, 100, 10, 1};
        return digits[tile / powers[place] % 10] >> (3 * (4 - row) + 2 - column % 4) & 1;
    }
    /// A checker of 16 fields per tile in a colour per UDIM tile, with the tiles' numbers; red where there are no UVs.
    V3f uv_check(const Surface& s) const {
        if (s.uv_per_metre <= 0.f) return V3f(.7f, .1f, .08f);
        const int tile = int(std::floor(s.uv.x)) + 10 * int(std::floor(s.uv.y));
        const bool numbered = s.uv.x >= 0.f && s.uv.x < 10.f && s.uv.y >= 0.f && s.uv.y < 100.f;
        if (numbered && on_number(1001 + tile, s.uv.x, s.uv.y)) return V3f(.95f);
        const bool odd = (int(std::floor(s.uv.x * 16.f)) + int(std::floor(s.uv.y * 16.f))) & 1;
        return coverage_color(tile + 7) * .5f + V3f(odd ? .5f : .12f);
    }

    const Prepared& p_;
    const FrameSettings& f_;
    Film& film_;
    LayerCost* costs_;
    Pinhole camera_;
    bool odd_ = false;
    const float near_ = std::max(0.f, (p_.geometry->bounds().center() - p_.camera.position).length() - .5f * p_.scene_size);
};

constexpr uint32_t least_samples = 32, look_every = 16;  // of adaptive sampling: enough for an estimate, and how often it is made
}  // namespace

bool render_samples(const Prepared& prepared, const FrameSettings& frame, uint32_t first, uint32_t last, Film& film, LayerCost* costs,
                    const std::atomic<bool>* stop, std::atomic<uint64_t>* rays) {
    const PixelRect r = frame.region.x1 > frame.region.x0 ? frame.region : PixelRect{0, 0, frame.width, frame.height};
    const int across = (r.x1 - r.x0 + tile_size - 1) / tile_size, down = (r.y1 - r.y0 + tile_size - 1) / tile_size;
    // Tiles are known by their place in the whole frame, whichever part of it is rendered.
    const size_t frame_across = size_t((frame.width + tile_size - 1) / tile_size);
    if (frame.noise > 0.f) film.finished.resize(frame_across * size_t((frame.height + tile_size - 1) / tile_size), 0);
    static tbb::enumerable_thread_specific<std::unique_ptr<Tile>> tiles;
    std::atomic<bool> whole{true};
    parallel_ranges(size_t(across) * size_t(down), 1, [&](size_t from, size_t to) {
        auto& mine = tiles.local();
        // A thread may take up another tile while it waits inside a library's own parallel loop: each nesting gets its own memory.
        std::unique_ptr<Tile> tile = mine ? std::move(mine) : std::make_unique<Tile>();
        Renderer renderer(prepared, frame, film, costs);
        for (size_t i = from; i < to; ++i) {
            const int x = r.x0 + int(i) % across * tile_size, y = r.y0 + int(i) / across * tile_size;
            const PixelRect part{x, y, std::min(x + tile_size, r.x1), std::min(y + tile_size, r.y1)};
            const size_t id = size_t(y / tile_size) * frame_across + size_t(x / tile_size);
            uint64_t traced = 0;
            for (uint32_t s = first; s < last; ++s) {
                if (stop && stop->load(std::memory_order_relaxed)) {
                    whole = false;
                    break;
                }
                if (frame.noise > 0.f) {
                    if (s >= least_samples && s % look_every == 0 && film.noise(part) < frame.noise) film.finished[id] = 1;
                    if (film.finished[id]) break;
                }
                traced += renderer.render_tile(*tile, part, s);
            }
            if (rays) *rays += traced;
        }
        mine = std::move(tile);
    });
    return whole;
}

}  // namespace vemtra::render
