#include "render/integrator.h"

#include <tbb/enumerable_thread_specific.h>

#include <chrono>
#include <cstring>

#include "base/parallel.h"
#include "render/sampler.h"

namespace vemtra::render {

using geometry::offset_origin;
using geometry::single_ray;
using geometry::Surface;
using surface::Bsdf;
using surface::Slots;

Film::Film(int w, int h, size_t groups, size_t coverage_layers) : width(w), height(h) {
    const size_t n = size_t(w) * size_t(h);
    samples.assign(n, 0);
    light.assign(groups, std::vector<V3f>(n, V3f(0.f)));
    albedo.assign(n, V3f(0.f));
    normal.assign(n, V3f(0.f));
    depth.assign(n, 0.f);
    alpha.assign(n, 0.f);
    odd_luminance.assign(n, 0.f);
    coverage.assign(coverage_layers, std::vector<float>(n, 0.f));
}

size_t Film::bytes() const { return size_t(width) * size_t(height) * (4 + 12 * light.size() + 24 + 12 + 4 * coverage.size()); }

void Film::resolve(const std::vector<V3f>& gains, std::vector<V3f>& out) const {
    out.resize(samples.size());
    parallel_ranges(samples.size(), 8192, [&](size_t first, size_t last) {
        for (size_t p = first; p < last; ++p) {
            V3f sum(0.f);
            for (size_t g = 0; g < light.size(); ++g) sum += light[g][p] * gains[g];
            out[p] = samples[p] ? sum / float(samples[p]) : V3f(0.f);
        }
    });
}

float Film::noise() const {
    double difference = 0, total = 0;
    for (size_t p = 0; p < samples.size(); ++p) {
        if (samples[p] < 2) continue;
        float sum = 0.f;
        for (const auto& group : light) sum += luminance(group[p]);
        const float odd = odd_luminance[p] / float(samples[p] / 2), even = (sum - odd_luminance[p]) / float(samples[p] - samples[p] / 2);
        difference += double(.5f * std::fabs(odd - even) / (.05f + sum / float(samples[p])));
        total += 1;
    }
    return total > 0 ? float(difference / total) * 1.2533f : 0.f;  // mean of |x| of a normal distribution to its deviation
}

V3f coverage_color(int layer) {
    // Steps of the golden ratio around the hue circle, lightness alternating: neighbours differ in both.
    const float hue = std::fmod(.58f + .61803399f * float(layer), 1.f) * 6.f;
    auto channel = [&](float offset) { return clamp01(std::fabs(std::fmod(hue + offset, 6.f) - 3.f) - 1.f); };
    const float level = layer % 2 ? .75f : .42f;
    return V3f(.12f + .88f * channel(0.f), .12f + .88f * channel(4.f), .12f + .88f * channel(2.f)) * level;
}

void PointArrays::set(int i, const geometry::Mesh& mesh, const Surface& s, uint32_t mesh_index, uint32_t tri, float u, float v, float uv_width) {
    V3f p = s.position, n = s.normal;
    if (!mesh.identity) {
        p = s.position * mesh.world_to_object;
        mesh.world_to_object.multDirMatrix(s.normal, n);
        n.normalize();
    }
    const float row[] = {p.x, p.y, p.z, n.x, n.y, n.z, s.uv.x, s.uv.y, uv_width, s.color.x, s.color.y, s.color.z, u, v};
    for (size_t k = 0; k < 14; ++k) values[k][size_t(i)] = row[k];
    part[size_t(i)] = mesh_index;
    triangle[size_t(i)] = tri;
}

nodes::PointBatch PointArrays::batch(int n, const Prepared& prepared) const {
    nodes::PointBatch b;
    b.n = n;
    for (size_t c = 0; c < 3; ++c) {
        b.position_object[c] = values[c].data();
        b.normal_object[c] = values[3 + c].data();
        b.color[c] = values[9 + c].data();
    }
    b.uv[0] = values[6].data();
    b.uv[1] = values[7].data();
    b.uv_width = values[8].data();
    b.bary[0] = values[12].data();
    b.bary[1] = values[13].data();
    b.part = part.data();
    b.triangle = triangle.data();
    b.textures = prepared.textures.get();
    b.fields = prepared.fields.get();
    return b;
}

void coverage_of(const PreparedLayer& layer, const nodes::PointBatch& batch, program::Workspace& workspace, float* out) {
    const float* mask = nullptr;
    layer.gate.run(batch, workspace, &mask);
    for (int i = 0; i < batch.n; ++i) out[i] = layer.amount * (1.f + layer.gate_amount * (std::min(1.f, std::max(0.f, mask[i])) - 1.f));
}

namespace {

using Clock = std::chrono::steady_clock;

struct Pinhole {
    V3f origin, forward, right, up;
    float tan_x, tan_y, pixel_angle;
    Pinhole(const scene::Camera& c, int width, int height) : origin(c.position) {
        forward = (c.target - c.position).normalized();
        if (!finite(forward) || forward.length() < .5f) forward = V3f(0, 0, -1);
        const V3f world_up = std::fabs(forward.y) > .9999f ? V3f(0, 0, -1) : V3f(0, 1, 0);
        right = forward.cross(world_up).normalized();
        up = right.cross(forward);
        tan_x = 18.f / c.focal_length;
        tan_y = tan_x * float(height) / float(width);
        pixel_angle = 2.f * tan_x / float(width);
    }
};

float tent(float u) { return u < .5f ? std::sqrt(2.f * u) - 1.f : 1.f - std::sqrt(2.f - 2.f * u); }

constexpr int capacity = tile_size * tile_size;
constexpr uint32_t no_hit = RTC_INVALID_GEOMETRY_ID, stage_hit = no_hit - 1;

struct Path {
    uint32_t pixel;       // in the film
    uint32_t seed;
    V3f origin, direction;
    V3f throughput;
    float pdf;            // of the direction, for MIS; 0 after the camera
    float width, spread;  // ray cone: radius at the origin, angle
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
};

struct Point {
    Surface s;
    V3f wo;
    int layer = -1;
    Slots slots;
};

/// Working memory of one thread: one tile.
struct Tile {
    std::vector<Path> paths, next;
    std::vector<Shadow> shadows;
    std::vector<Point> points;
    PointArrays arrays, subset;
    program::Workspace workspace;
    std::vector<int> picks, open, chosen, still;
    std::vector<float> choice, coverage;
    std::vector<float> camera_u, camera_v, camera_r, camera_s;
    const float* outputs[16];
    Tile() {
        paths.reserve(capacity);
        next.reserve(capacity);
        shadows.reserve(capacity);
        points.resize(capacity);
        choice.resize(capacity);
        coverage.resize(capacity);
        for (auto* a : {&camera_u, &camera_v, &camera_r, &camera_s}) a->resize(capacity);
    }
};

class Renderer {
public:
    Renderer(const Prepared& prepared, const FrameSettings& frame, Film& film, LayerCost* costs)
        : p_(prepared), f_(frame), film_(film), costs_(costs), camera_(prepared.camera, frame.width, frame.height) {}

    uint64_t render_tile(Tile& t, const PixelRect& r, uint32_t sample) {
        odd_ = sample & 1;
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
            std::swap(t.paths, t.next);
            if (bounce + 1 == f_.depth) break;
            trace(t.paths);
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
                path.origin = camera_.origin;
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

    static float power_heuristic(float a, float b) { return a * a / (a * a + b * b); }
    float surface_weight(float pdf_surface, float pdf_light) const {
        if (f_.strategy == FrameSettings::Strategy::light_only) return 0.f;
        if (f_.strategy == FrameSettings::Strategy::surface_only) return 1.f;
        return power_heuristic(pdf_surface, pdf_light);
    }

    /// The light of the surroundings that a path meets where it leaves the scene, times `share`.
    void leave(const Path& path, int bounce, float share) {
        if (path.pdf == 0.f) {
            if (p_.environment_seen) add(path.pixel, p_.environment_group, p_.environment->radiance(path.direction) * share, false);
            else add(path.pixel, 0, p_.backdrop * share, false);
        } else if (p_.environment) {
            const float weight = surface_weight(path.pdf, p_.environment_share * p_.environment->pdf(path.direction));
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
                const float weight = path.pdf > 0.f ? surface_weight(path.pdf, p_.light_share[size_t(light)] * light_pdf(l, path.origin, path.direction)) : 1.f;
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

    void locate(Path& path, Point& point) const {
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
        point.wo = -path.direction;
        if (point.s.normal_geometric.dot(point.wo) < 0.f) {
            point.s.normal_geometric = -point.s.normal_geometric;
            point.s.normal = -point.s.normal;
        }
        // A shading normal that faces away from the eye is bent back to the horizon.
        if (const float facing = point.s.normal.dot(point.wo); facing < .01f) point.s.normal = (point.s.normal + point.wo * (.01f - facing)).normalized();
    }

    /// Chooses one layer per point by coverage, outermost first, and evaluates only its slots. `picks` must be hits on meshes of one build-up.
    void choose_layers(Tile& t, const std::vector<int>& picks, const PreparedBuildUp& build_up) {
        t.open = picks;
        for (const PreparedLayer& layer : build_up.layers) {
            if (t.open.empty()) return;
            const auto begin = Clock::now();
            t.chosen.clear();
            if (layer.always) {
                t.chosen.swap(t.open);
            } else {
                t.still.clear();
                const int n = int(t.open.size());
                if (const V3f* mask = layer.gate.constant(0)) {
                    std::fill_n(t.coverage.begin(), n, layer.amount * (1.f + layer.gate_amount * (clamp01(mask->x) - 1.f)));
                } else {
                    gather(t, t.open);
                    coverage_of(layer, t.subset.batch(n, p_), t.workspace, t.coverage.data());
                }
                for (int k = 0; k < n; ++k) {
                    const int i = t.open[size_t(k)];
                    float& u = t.choice[size_t(i)];
                    const float c = t.coverage[size_t(k)];
                    if (u < c) u /= c, t.chosen.push_back(i);
                    else u = c < 1.f ? std::min(.99999994f, (u - c) / (1.f - c)) : 0.f, t.still.push_back(i);
                }
                t.open.swap(t.still);
            }
            const int n = int(t.chosen.size());
            if (n && layer.uniform) {
                for (int i : t.chosen) t.points[size_t(i)].slots = layer.fixed, t.points[size_t(i)].layer = layer.index;
            } else if (n) {
                gather(t, t.chosen);
                layer.slots.run(t.subset.batch(n, p_), t.workspace, t.outputs);
                const float* const* o = t.outputs;
                for (int k = 0; k < n; ++k) {
                    Point& point = t.points[size_t(t.chosen[size_t(k)])];
                    point.layer = layer.index;
                    point.slots = surface::sane({V3f(o[0][k], o[1][k], o[2][k]), o[3][k], o[4][k], o[5][k], o[6][k], o[7][k], V3f(o[8][k], o[9][k], o[10][k]), o[11][k]});
                }
            }
            if (costs_) {
                costs_[layer.index].nanoseconds += uint64_t(std::chrono::nanoseconds(Clock::now() - begin).count());
                costs_[layer.index].points += uint64_t(n);
            }
        }
    }

    void gather(Tile& t, const std::vector<int>& picks) const {
        for (size_t k = 0; k < picks.size(); ++k) {
            const size_t i = size_t(picks[k]);
            for (size_t r = 0; r < 14; ++r) t.subset.values[r][k] = t.arrays.values[r][i];
            t.subset.part[k] = t.arrays.part[i];
            t.subset.triangle[k] = t.arrays.triangle[i];
        }
    }

    /// Points and layers for all paths of the tile.
    void materials(Tile& t, uint32_t sample, uint32_t pair) {
        const size_t n = t.paths.size();
        std::vector<int>& picks = t.picks;
        for (size_t i = 0; i < n; ++i) {
            Path& path = t.paths[i];
            Point& point = t.points[i];
            locate(path, point);
            if (path.mesh == stage_hit) {
                point.slots = p_.stage_slots;
                point.layer = -1;
                continue;
            }
            const float grazing = std::max(.2f, point.s.normal.dot(point.wo));
            t.arrays.set(int(i), *p_.geometry->meshes()[path.mesh], point.s, path.mesh, path.triangle, path.u, path.v, path.width / grazing * point.s.uv_per_metre);
            float unused;
            sample_2d(path.seed, sample, pair, t.choice[i], unused);
        }
        for (size_t b = 0; b < p_.build_ups.size(); ++b) {
            picks.clear();
            for (size_t i = 0; i < n; ++i)
                if (t.paths[i].mesh != stage_hit && p_.build_up_of_mesh[t.paths[i].mesh] == int(b)) picks.push_back(int(i));
            if (!picks.empty()) choose_layers(t, picks, p_.build_ups[b]);
        }
    }

    void shade(Tile& t, int bounce, uint32_t sample) {
        const uint32_t pair = uint32_t(1 + 6 * bounce);
        materials(t, sample, pair);
        t.shadows.clear();
        t.next.clear();
        for (size_t i = 0; i < t.paths.size(); ++i) {
            const Path& path = t.paths[i];
            const Point& point = t.points[i];
            const auto begin = costs_ && (i & 15) == 0 ? Clock::now() : Clock::time_point();
            const Frame frame(point.s.normal);
            const V3f wo = frame.to_local(point.wo);
            const Bsdf bsdf(point.slots, wo);
            if (bounce == 0) {
                film_.albedo[path.pixel] += bsdf.albedo();
                film_.normal[path.pixel] += point.s.normal;
                film_.depth[path.pixel] += path.t;
                film_.alpha[path.pixel] += 1.f;
                if (point.layer >= 0 && size_t(point.layer) < film_.coverage.size()) film_.coverage[size_t(point.layer)][path.pixel] += 1.f;
            }
            const V3f& ng = point.s.normal_geometric;
            const V3f origin = offset_origin(point.s.position, ng);
            float u0, u1, l0, l1, c0, c1;
            sample_2d(path.seed, sample, pair + 1, u0, u1);
            sample_2d(path.seed, sample, pair + 2, l0, l1);
            sample_2d(path.seed, sample, pair + 3, c0, c1);
            if (f_.strategy != FrameSettings::Strategy::surface_only) next_event(t, path, bsdf, frame, ng, origin, c0, l0, l1, bounce);
            // On the last depth the direction is still followed to the lights by the next-event ray alone.
            if (bounce + 1 < f_.depth) {
                const surface::Scattered s = bsdf.sample(c1, u0, u1);
                if (s.pdf > 0.f) {
                    Path next = path;
                    next.direction = frame.to_world(s.wi);
                    if (next.direction.dot(ng) > 1e-5f) {
                        next.throughput = path.throughput * s.weight;
                        next.origin = origin;
                        next.pdf = s.pdf;
                        next.spread = path.spread + .25f * point.slots.specular_roughness;
                        if (survive(next, bounce, sample, pair)) t.next.push_back(next);
                    }
                }
            }
            if (costs_ && (i & 15) == 0 && point.layer >= 0)
                costs_[point.layer].nanoseconds += 16 * uint64_t(std::chrono::nanoseconds(Clock::now() - begin).count());
        }
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

    void next_event(Tile& t, const Path& path, const Bsdf& bsdf, const Frame& frame, const V3f& ng, const V3f& origin, float pick, float l0, float l1, int bounce) {
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
            const LightSample s = sample_light(p_.lights[l], origin, l0, l1);
            if (!(s.pdf > 0.f)) return;
            direction = s.direction;
            radiance = s.radiance;
            distance = s.distance;
            density = s.pdf * p_.light_share[l];
            group = p_.lights[l].group;
        }
        if (direction.dot(ng) <= 1e-5f) return;
        const V3f wi = frame.to_local(direction);
        const V3f f = bsdf.evaluate(wi);
        if (max_component(f) <= 0.f) return;
        // The last depth has no surface ray to share the work with.
        const bool alone = bounce + 1 >= f_.depth || f_.strategy == FrameSettings::Strategy::light_only;
        const float weight = alone ? 1.f : power_heuristic(density, bsdf.pdf(wi));
        float solid;
        const float ts = stage(origin, direction, solid);
        const float through = ts < distance ? 1.f - solid : 1.f;
        const V3f contribution = path.throughput * f * radiance * (weight * through / density);
        if (max_component(contribution) <= 0.f || !finite(contribution)) return;
        t.shadows.push_back({path.pixel, origin, direction, distance, contribution, group, bounce > 0});
    }

    void trace_shadows(Tile& t) {
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
            for (size_t k = 0; k < count; ++k)
                if (ray.tfar[k] >= 0.f) {
                    const Shadow& s = t.shadows[first + k];
                    add(s.pixel, s.group, s.radiance, s.indirect);
                }
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
            film_.normal[path.pixel] += normal;
            film_.depth[path.pixel] += path.t;
            film_.alpha[path.pixel] += 1.f;
            film_.albedo[path.pixel] += V3f(.6f);
            const V3f d = Frame(normal).to_world({ru[i], rv[i], std::sqrt(std::max(0.f, 1.f - ru[i] * ru[i] - rv[i] * rv[i]))});
            const float sky = .62f + .38f * d.y + .25f * std::max(0.f, d.x * .5f + d.z * .6f);  // a little brighter from the front right: form reads better
            if (part_stage > 0.f) add(path.pixel, 0, V3f(.42f * part_stage), false);
            if (d.dot(ng) > 0.f && (!p_.stage_on || d.y > 0.f || path.mesh == stage_hit))
                t.shadows.push_back({path.pixel, offset_origin(position, ng), d, INFINITY, V3f(std::max(0.f, sky) * .62f * (1.f - part_stage)), 0, false});
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
        if (f_.view == View::coverage) materials(t, sample, 1);
        else
            for (size_t i = 0; i < kept; ++i) {
                Path& path = t.paths[i];
                locate(path, t.points[i]);
                t.arrays.set(int(i), *p_.geometry->meshes()[path.mesh], t.points[i].s, path.mesh, path.triangle, path.u, path.v, path.width * t.points[i].s.uv_per_metre);
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
                    for (int i : picks) add(t.paths[size_t(i)].pixel, 0, V3f(.1f + .05f * std::fabs(t.points[size_t(i)].s.normal.dot(t.points[size_t(i)].wo))), false);
                    continue;
                }
                gather(t, picks);
                shown.run(t.subset.batch(int(picks.size()), p_), t.workspace, t.outputs);
                for (size_t k = 0; k < picks.size(); ++k) add(t.paths[size_t(picks[k])].pixel, 0, V3f(t.outputs[0][k], t.outputs[1][k], t.outputs[2][k]), false);
            }
        }
        for (size_t i = 0; i < kept; ++i) {
            const Path& path = t.paths[i];
            const Point& point = t.points[i];
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

    /// A checker of 16 fields per tile in a colour per UDIM tile; red where there are no UVs.
    V3f uv_check(const Surface& s) const {
        if (s.uv_per_metre <= 0.f) return V3f(.7f, .1f, .08f);
        const int tile = int(std::floor(s.uv.x)) + 10 * int(std::floor(s.uv.y));
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

}  // namespace

bool render_samples(const Prepared& prepared, const FrameSettings& frame, uint32_t first, uint32_t last, Film& film, LayerCost* costs,
                    const std::atomic<bool>* stop, std::atomic<uint64_t>* rays) {
    const PixelRect r = frame.region.x1 > frame.region.x0 ? frame.region : PixelRect{0, 0, frame.width, frame.height};
    const int across = (r.x1 - r.x0 + tile_size - 1) / tile_size, down = (r.y1 - r.y0 + tile_size - 1) / tile_size;
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
            uint64_t traced = 0;
            for (uint32_t s = first; s < last; ++s) {
                if (stop && stop->load(std::memory_order_relaxed)) {
                    whole = false;
                    break;
                }
                traced += renderer.render_tile(*tile, part, s);
            }
            if (rays) *rays += traced;
        }
        mine = std::move(tile);
    });
    return whole;
}

namespace {
VisiblePoint look(const Prepared& prepared, const Pinhole& camera, int width, int height, float x, float y) {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    const float sx = (2.f * x / float(width) - 1.f) * camera.tan_x, sy = (1.f - 2.f * y / float(height)) * camera.tan_y;
    const V3f d = (camera.forward + camera.right * sx + camera.up * sy).normalized();
    RTCRayHit ray = single_ray(camera.origin, d);
    rtcIntersect1(prepared.geometry->scene(), &context, &ray);
    if (ray.hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
    VisiblePoint v{true, ray.hit.geomID, ray.hit.primID, ray.hit.u, ray.hit.v, 0.f};
    v.uv_width = ray.ray.tfar * camera.pixel_angle * prepared.geometry->surface(v.mesh, v.triangle, v.u, v.v).uv_per_metre;
    return v;
}
}  // namespace

VisiblePoint visible_at(const Prepared& prepared, int width, int height, float x, float y) {
    return look(prepared, Pinhole(prepared.camera, width, height), width, height, x, y);
}

std::vector<VisiblePoint> visible_points(const Prepared& prepared, int width, int height) {
    std::vector<VisiblePoint> out(size_t(width) * size_t(height));
    const Pinhole camera(prepared.camera, width, height);
    parallel_ranges(out.size(), 512, [&](size_t first, size_t last) {
        for (size_t i = first; i < last; ++i) out[i] = look(prepared, camera, width, height, float(i % size_t(width)) + .5f, float(i / size_t(width)) + .5f);
    });
    return out;
}

}  // namespace vemtra::render
