// Displaced forms beside the same forms as triangles.
#include <atomic>
#include <cmath>
#include <memory>
#include <random>

#include "base/parallel.h"
#include "bench.h"
#include "geometry/geometry.h"
#include "geometry/map_heights.h"
#include "geometry/subdivision.h"

namespace vemtra::bench {
namespace {

using geometry::Geometry;
using geometry::Instance;
using geometry::Mesh;

/// A cylinder, open at both ends, of `around` times `up` quads; UVs 0 to 1 over it, one seam.
std::shared_ptr<Mesh> pipe(int around, int up) {
    auto m = std::make_shared<Mesh>();
    for (int j = 0; j <= up; ++j)
        for (int i = 0; i <= around; ++i) {
            const float a = float(i % around) / float(around) * 2.f * pi;
            m->positions.push_back({std::cos(a), 3.f * float(j) / float(up) - 1.5f, -std::sin(a)});
            m->normals.push_back({std::cos(a), 0.f, -std::sin(a)});
            m->uvs.push_back({float(i) / float(around), float(j) / float(up)});
        }
    for (int j = 0; j < up; ++j)
        for (int i = 0; i < around; ++i) {
            const uint32_t a = uint32_t(j * (around + 1) + i);
            const uint32_t b = a + uint32_t(around) + 1;
            m->indices.insert(m->indices.end(), {a, a + 1, b + 1, a, b + 1, b});
        }
    return m;
}
/// Smooth bumps of all sizes, repeating at the borders.
std::shared_ptr<const texture::HeightTile> relief_map(int size) {
    std::vector<uint16_t> codes(size_t(size) * size_t(size));
    std::mt19937 random(3);
    struct Wave {
        float fx, fy, phase, amount;
    };
    std::vector<Wave> waves;
    for (int octave = 1; octave <= size / 8; octave *= 2)
        for (int k = 0; k < 6; ++k)
            waves.push_back({float(int(random() % 5u) - 2) * float(octave),
                             float(int(random() % 5u) - 2) * float(octave), float(random() % 1000u) * .00628f,
                             1.f / float(octave)});
    parallel_ranges(size_t(size), 16, [&](size_t first, size_t last) {
        for (size_t y = first; y < last; ++y)
            for (size_t x = 0; x < size_t(size); ++x) {
                float h = 0.f;
                for (const Wave& w : waves)
                    h += w.amount * std::sin(2.f * pi * (w.fx * float(x) + w.fy * float(y)) / float(size) + w.phase);
                codes[y * size_t(size) + x] = uint16_t(std::min(65535.f, std::max(0.f, 32768.f + 5000.f * h)));
            }
    });
    return std::make_shared<texture::HeightTile>(size, size, std::move(codes), 0.f, 1.f / 65535.f);
}

V3f lerp_of(const V3f& a, const V3f& b, float t) {
    return a + (b - a) * t;
}

struct Ray {
    V3f origin, direction;
};
std::vector<Ray> camera_rays(size_t side) {
    std::vector<Ray> rays;
    const V3f eye(0, .6f, 4.f);
    for (size_t y = 0; y < side; ++y)
        for (size_t x = 0; x < side; ++x) {
            const float u = float(x) / float(side) - .5f;
            const float v = float(y) / float(side) - .5f;
            rays.push_back({eye, V3f(.75f * u, -.15f + .75f * v, -1.f).normalized()});
        }
    return rays;
}
size_t shoot(const Geometry& g, const std::vector<Ray>& rays, std::vector<float>* far = nullptr) {
    size_t hits = 0;
    if (far) far->assign(rays.size(), INFINITY);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    for (size_t k = 0; k < rays.size(); ++k) {
        RTCRayHit r = geometry::single_ray(rays[k].origin, rays[k].direction);
        rtcIntersect1(g.scene(), &context, &r);
        if (!geometry::hit_something(geometry::place_of(r.hit))) continue;
        ++hits;
        if (far) (*far)[k] = r.ray.tfar;
    }
    return hits;
}
size_t shadows(const Geometry& g, const std::vector<Ray>& rays) {
    size_t free = 0;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    for (const Ray& r : rays) {
        RTCRay ray = geometry::single_ray(r.origin, r.direction).ray;
        rtcOccluded1(g.scene(), &context, &ray);
        free += ray.tfar >= 0.f;
    }
    return free;
}
std::vector<Ray> shadow_rays(const std::vector<Ray>& from, const std::vector<float>& far) {
    std::mt19937 random(11);
    std::normal_distribution<float> d;
    std::vector<Ray> rays;
    for (size_t k = 0; k < from.size(); ++k)
        if (far[k] < INFINITY)
            rays.push_back({from[k].origin + from[k].direction * (far[k] * .9998f),
                            (V3f(.5f, .8f, .9f) + V3f(d(random), d(random), d(random)) * .3f).normalized()});
    return rays;
}

/// The map's grid as triangles over the same faces, as one would subdivide for it.
std::shared_ptr<Mesh> brute_force(const Mesh& base, const geometry::Welds& welds, int around, int up, int size,
                                  const texture::HeightTile& t, const geometry::HeightCurve& relief) {
    auto m = pipe(size, size);
    for (size_t v = 0; v < m->positions.size(); ++v) {
        const float x = m->uvs[v].x * float(size) - .5f;
        const float y = (1.f - m->uvs[v].y) * float(size) - .5f;
        const int ix = int(std::floor(x));
        const int iy = int(std::floor(y));
        auto at = [&](int i, int j) { return relief.metres(t.value(t.code((i + size) % size, (j + size) % size))); };
        const float a = x - float(ix);
        const float b = y - float(iy);
        const float h = lerp(lerp(at(ix, iy), at(ix + 1, iy), a), lerp(at(ix, iy + 1), at(ix + 1, iy + 1), a), b);
        const float s = m->uvs[v].x * float(around);
        const float q = m->uvs[v].y * float(up);
        const int i = std::min(int(s), around - 1);
        const int j = std::min(int(q), up - 1);
        const uint32_t first = uint32_t(j * (around + 1) + i);
        const uint32_t above = first + uint32_t(around) + 1;
        auto between = [&](auto&& of) {
            const float fx = s - float(i);
            const float fy = q - float(j);
            return lerp_of(lerp_of(of(first), of(first + 1), fx), lerp_of(of(above), of(above + 1), fx), fy);
        };
        m->positions[v] = between([&](uint32_t k) { return base.positions[k]; }) +
                          between([&](uint32_t k) { return welds.direction[welds.place_of[k]]; }) * h;
    }
    return m;
}

void of_size(int size) {
    std::printf("a pipe of 64 x 16 quads under a height map of %d x %d\n", size, size);
    const auto tile = relief_map(size);
    const auto base = pipe(64, 16);
    const auto shape = geometry::make_shape(base);
    const auto welds = geometry::weld(*base);
    geometry::MapPlacing placing{.tiles = {tile}};
    geometry::HeightCurve relief{.scale = .2f};
    const auto grid = geometry::map_grid(base, welds, placing);
    std::unique_ptr<Geometry> direct;
    std::shared_ptr<const geometry::ReliefHeights> heights;
    auto make = [&] {
        heights = geometry::map_heights(grid, relief);
        direct =
            std::make_unique<Geometry>(std::vector{Instance(geometry::make_displaced(shape, welds, heights), M44f())});
        direct->build();
    };
    make();
    std::unique_ptr<Geometry> brute;
    size_t triangles = 0;
    const double built = seconds([&] {
        auto mesh = brute_force(*base, *welds, 64, 16, size, *tile, relief);
        triangles = mesh->triangles();
        brute = std::make_unique<Geometry>(std::vector{Instance(geometry::make_shape(mesh), M44f())});
        brute->build();
    });
    const std::vector<Ray> camera = camera_rays(400);
    std::vector<float> far;
    std::vector<float> far_brute;
    shoot(*direct, camera, &far);
    shoot(*brute, camera, &far_brute);
    double sum = 0;
    size_t both = 0;
    size_t missed = 0;
    for (size_t k = 0; k < far.size(); ++k) {
        if ((far[k] < INFINITY) != (far_brute[k] < INFINITY)) ++missed;
        if (far[k] < INFINITY && far_brute[k] < INFINITY) ++both, sum += double(std::fabs(far[k] - far_brute[k]));
    }
    line("hits apart in the mean, per mille of the relief's depth", 1e3 * sum / double(both) / .2, "", "under 5",
         sum / double(both) / .2 < .005);
    line("rays that meet one of both only, per million", 1e6 * double(missed) / double(far.size()), "", "under 200",
         double(missed) < 2e-4 * double(far.size()));
    const auto [a, b] = side_by_side(
        5, [&] { shoot(*direct, camera); }, [&] { shoot(*brute, camera); });
    line("camera rays, time beside triangles", a / b, "x", "at most 3", a <= 3 * b);
    std::printf("    %.2f million/s against %.2f\n", double(camera.size()) / a * 1e-6,
                double(camera.size()) / b * 1e-6);
    const std::vector<Ray> to_light = shadow_rays(camera, far);
    const auto [c, d] = side_by_side(
        5, [&] { shadows(*direct, to_light); }, [&] { shadows(*brute, to_light); });
    line("shadow rays, time beside triangles", c / d, "x", "at most 3", c <= 3 * d);
    std::printf("    %.2f million/s against %.2f\n", double(to_light.size()) / c * 1e-6,
                double(to_light.size()) / d * 1e-6);
    relief.scale = .15f;
    const double again = seconds(make);
    line("another height: time beside building triangles anew", again / built, "x", "at most 0.1", again <= .1 * built);
    line("another height, milliseconds until rays can go", again * 1e3, "ms", "at most 150", again <= .15);
    const double pyramid = double(size) * double(size) * 16. / 3.;
    line("memory beside a min-max pyramid", double(heights->bytes()) / pyramid, "x", "at most 1.5",
         double(heights->bytes()) <= 1.5 * pyramid);
    std::printf("    %.0f MB; as triangles about %.0f MB, as a grid %.0f MB\n", double(heights->bytes()) * 1e-6,
                double(triangles) * 78 * 1e-6, double(size) * double(size) * 22.5e-6);
    placing.place[0][0] = placing.place[1][1] = 100.f;
    const auto tiled = geometry::map_heights(geometry::map_grid(base, welds, placing), relief);
    line("memory of 100 x 100 copies beside one", double(tiled->bytes()) / double(heights->bytes()), "x", "1",
         tiled->bytes() <= heights->bytes());
}

/// What a large map adds, where triangles could not be held.
void of_memory(int size) {
    std::printf("a pipe of 64 x 16 quads under a height map of %d x %d\n", size, size);
    const auto base = pipe(64, 16);
    const auto heights = geometry::map_heights(
        geometry::map_grid(base, geometry::weld(*base), {.tiles = {relief_map(size)}}), {.scale = .2f});
    const double pyramid = double(size) * double(size) * 16. / 3.;
    line("memory beside a min-max pyramid", double(heights->bytes()) / pyramid, "x", "at most 1.5",
         double(heights->bytes()) <= 1.5 * pyramid);
    std::printf("    %.0f MB; as triangles about %.0f MB, as a grid %.0f MB\n", double(heights->bytes()) * 1e-6,
                double(size) * double(size) * 156e-6, double(size) * double(size) * 22.5e-6);
}

/// A form of a million faces whose heights are computed.
void of_many_faces() {
    const auto base = pipe(1024, 512);
    std::printf("a pipe of %.1f million triangles, heights computed at points\n", double(base->triangles()) * 1e-6);
    std::shared_ptr<const geometry::Welds> welds;
    const double welding = seconds([&] { welds = geometry::weld(*base); });
    const double building = seconds([&] { Geometry({Instance(geometry::make_shape(base), M44f())}).build(); });
    line("how faces hang together: time beside an accelerator's", welding / building, "x", "at most 1",
         welding <= building);
    auto levels = geometry::relief_levels(*base, *welds, [](uint32_t) { return 4.f; });
    const double points = double(levels.points());
    auto made = [&](int components) {
        return [components] {
            return [components](int n, const uint32_t*, const float* u, const float* v, float* out) {
                for (int c = 0; c < components; ++c)
                    for (int k = 0; k < n; ++k) out[c * n + k] = .001f * (u[k] * v[k]);
            };
        };
    };
    std::shared_ptr<const geometry::ReliefHeights> heights;
    std::shared_ptr<const geometry::ReliefHeights> offsets;
    const double once =
        seconds([&] { heights = geometry::freeze_heights(*base, *welds, levels, -.01f, .01f, made(1)); });
    const double thrice = seconds([&] { offsets = geometry::freeze_offsets(*base, *welds, levels, .01f, made(3)); });
    std::printf("    %.1f million points: heights %.2f s and %.1f bytes each, any way %.2f s and %.1f bytes\n",
                points * 1e-6, once, double(heights->bytes()) / points, thrice, double(offsets->bytes()) / points);
}

/// A cube of 4 x 4 quads per side, its edges hard and seams of UVs; faces of all finenesses beside each other.
std::shared_ptr<Mesh> box() {
    auto m = std::make_shared<Mesh>();
    constexpr int cuts = 4;
    for (int side = 0; side < 6; ++side) {
        const int axis = side / 2;
        const float sign = side % 2 ? 1.f : -1.f;
        const uint32_t first = uint32_t(m->positions.size());
        for (int b = 0; b <= cuts; ++b)
            for (int a = 0; a <= cuts; ++a) {
                V3f p;
                V3f n(0.f);
                p[axis] = .5f * sign;
                p[(axis + 1) % 3] = float(a) / cuts - .5f;
                p[(axis + 2) % 3] = float(b) / cuts - .5f;
                n[axis] = sign;
                m->positions.push_back(p);
                m->normals.push_back(n);
                m->uvs.push_back({float(a) / cuts * .9f + float(side % 3), float(b) / cuts * .8f + .1f * float(axis)});
            }
        for (int b = 0; b < cuts; ++b)
            for (int a = 0; a < cuts; ++a) {
                const uint32_t i = first + uint32_t(b * (cuts + 1) + a);
                const uint32_t j = i + cuts + 1;
                m->indices.insert(m->indices.end(), {i, i + 1, j + 1, i, j + 1, j});
            }
    }
    return m;
}
/// Of rays that start inside of a closed form: how many get out.
size_t leaks(const Geometry& g, size_t rays) {
    std::atomic<size_t> out{0};
    g.build();
    parallel_ranges(rays / 1000, 1, [&](size_t first, size_t last) {
        for (size_t piece = first; piece < last; ++piece) {
            std::mt19937 random{unsigned(piece)};
            std::normal_distribution<float> d;
            std::vector<Ray> some(1000);
            for (Ray& r : some) {
                r.origin = V3f(d(random), d(random), d(random)).normalized() * .2f;
                r.direction = V3f(d(random), d(random), d(random)).normalized();
            }
            out += some.size() - shoot(g, some);
        }
    });
    return out;
}
void tightness() {
    const auto cage = box();
    constexpr size_t rays = 2500000;  // for each of six
    size_t out = 0;
    for (const bool smooth : {false, true}) {
        const std::shared_ptr<const Mesh> m = smooth ? geometry::subdivided(cage, 2, false) : cage;
        const auto welds = geometry::weld(*m);
        const auto shape = geometry::make_shape(m);
        auto of = [&](const std::shared_ptr<const geometry::ReliefHeights>& heights) {
            const Geometry g({Instance(geometry::make_displaced(shape, welds, heights), M44f())});
            out += leaks(g, rays);
        };
        of(geometry::map_heights(
            geometry::map_grid(m, welds, {.tiles = {relief_map(64), relief_map(256), nullptr}, .tiled = true}),
            {.scale = .05f}));
        auto levels = geometry::relief_levels(*m, *welds, [](uint32_t f) { return float(1 << (f * 7 % 6)); });
        of(geometry::freeze_heights(*m, *welds, std::move(levels), -.03f, .03f, [] {
            return [](int n, const uint32_t* face, const float* u, const float* v, float* h) {
                for (int k = 0; k < n; ++k)
                    h[k] = .03f * std::sin(40.f * u[k] + float(face[k])) * std::cos(31.f * v[k]);
            };
        }));
        // The same heights go along the faces' first sides as well: nothing but the points of sides holds them
        // together.
        auto swaying = geometry::relief_levels(*m, *welds, [](uint32_t f) { return float(1 << (f * 7 % 6)); });
        of(geometry::freeze_offsets(*m, *welds, std::move(swaying), .05f, [] {
            return [](int n, const uint32_t* face, const float* u, const float* v, float* o) {
                for (int k = 0; k < n; ++k)
                    for (int c = 0; c < 3; ++c)
                        o[c * n + k] = .03f * std::sin(37.f * u[k] + float(face[k]) + float(c)) * std::cos(29.f * v[k]);
            };
        }));
    }
    line("rays that leak, of fifteen million, over seams, tiles and finenesses", double(out), "", "0", out == 0);
}

}  // namespace

void displacement() {
    tightness();
    of_size(1024);
    of_size(2048);
    of_memory(8192);
    of_many_faces();
}

}  // namespace vemtra::bench
