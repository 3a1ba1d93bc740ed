// Forms that stand out by heights, and rays against them.
#pragma once
#include <random>

#include "geometry/geometry.h"
#include "geometry/relief.h"
#include "support.h"

namespace vemtra::test {

using geometry::Mesh;

/// A closed cube of side 1 around 0 with normals of its own per side, so that every edge is hard and a seam of UVs.
inline std::shared_ptr<Mesh> cube(int cuts) {
    auto m = std::make_shared<Mesh>();
    for (int axis = 0; axis < 3; ++axis)
        for (const float sign : {-1.f, 1.f}) {
            const uint32_t first = uint32_t(m->positions.size());
            for (int b = 0; b <= cuts; ++b)
                for (int a = 0; a <= cuts; ++a) {
                    const float s = float(a) / float(cuts);
                    const float t = float(b) / float(cuts);
                    V3f p;
                    V3f n(0.f);
                    p[axis] = .5f * sign;
                    p[(axis + 1) % 3] = s - .5f;
                    p[(axis + 2) % 3] = t - .5f;
                    n[axis] = sign;
                    m->positions.push_back(p);
                    m->normals.push_back(n);
                    m->uvs.push_back({s * .9f + .03f * float(axis), t * .8f + (sign > 0 ? .1f : 0.f)});
                }
            for (int b = 0; b < cuts; ++b)
                for (int a = 0; a < cuts; ++a) {
                    const uint32_t i = first + uint32_t(b * (cuts + 1) + a);
                    const uint32_t j = i + uint32_t(cuts) + 1;
                    // The first cell is cut in uneven triangles by turning its diagonal.
                    if (a == 0 && b == 0)
                        m->indices.insert(m->indices.end(), {i, i + 1, j, i + 1, j + 1, j});
                    else
                        m->indices.insert(m->indices.end(), {i, i + 1, j + 1, i, j + 1, j});
                }
        }
    return m;
}

/// A square of side `size` in the plane y = 0, UVs 0 to 1, of two triangles.
inline std::shared_ptr<Mesh> square(float size) {
    auto m = std::make_shared<Mesh>();
    m->positions = {{0, 0, 0}, {size, 0, 0}, {size, 0, -size}, {0, 0, -size}};
    m->normals.assign(4, {0, 1, 0});
    m->uvs = {{0, 0}, {1, 0}, {1, 1}, {0, 1}};
    m->indices = {0, 1, 2, 0, 2, 3};
    return m;
}

/// Heights by a function of the place on the form.
inline std::shared_ptr<const geometry::ReliefHeights> frozen(const std::shared_ptr<const Mesh>& m,
                                                             const geometry::Welds& w,
                                                             const std::function<float(uint32_t)>& segments,
                                                             const std::function<float(V3f, V2f)>& height, float most) {
    return geometry::freeze_heights(*m, w, geometry::relief_levels(*m, w, segments), -most, most, [&] {
        return [&](int n, const uint32_t* face, const float* u, const float* v, float* out) {
            for (int k = 0; k < n; ++k) {
                const uint32_t* i = &m->indices[3 * size_t(face[k])];
                const float c[3] = {1.f - u[k] - v[k], u[k], v[k]};
                V3f p(0.f);
                V2f uv(0.f);
                for (int x = 0; x < 3; ++x) p += m->positions[i[x]] * c[x], uv += m->uvs[i[x]] * c[x];
                out[k] = height(p, uv);
            }
        };
    });
}

struct Displaced {
    std::shared_ptr<const Mesh> mesh;
    std::shared_ptr<const geometry::Welds> welds;
    std::shared_ptr<const geometry::ReliefHeights> heights;
    geometry::Geometry direct, tessellated;
    Displaced(std::shared_ptr<const Mesh> m, std::shared_ptr<const geometry::Welds> w,
              std::shared_ptr<const geometry::ReliefHeights> h, geometry::DisplacedAs as = {})
        : mesh(m),
          welds(w),
          heights(h),
          direct({geometry::Instance(geometry::make_displaced(geometry::make_shape(m), w, h, as), M44f())}),
          tessellated({geometry::Instance(geometry::make_shape(geometry::tessellated(*m, *w, *h)), M44f())}) {}
};

struct Hit {
    bool any;
    float t;
    geometry::Place place;
};
inline Hit first_hit(const geometry::Geometry& g, const V3f& origin, const V3f& direction) {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray = geometry::single_ray(origin, direction);
    rtcIntersect1(g.scene(), &context, &ray);
    const geometry::Place at = geometry::place_of(ray.hit);
    return {geometry::hit_something(at), ray.ray.tfar, at};
}
inline bool is_hit(const geometry::Geometry& g, const V3f& origin, const V3f& direction) {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRay ray = geometry::single_ray(origin, direction).ray;
    rtcOccluded1(g.scene(), &context, &ray);
    return ray.tfar < 0.f;
}
inline V3f on_sphere(std::mt19937& random) {
    std::normal_distribution<float> d;
    return V3f(d(random), d(random), d(random)).normalized();
}

/// Rays from all around that both forms meet, and how many find something else there, by more than rounding; where the
/// direct one is met is where its point is.
inline std::pair<size_t, size_t> met_and_apart(const Displaced& d) {
    std::mt19937 random(3);
    size_t hits = 0;
    size_t apart = 0;
    for (int k = 0; k < 20000; ++k) {
        const V3f origin = on_sphere(random) * 2.f;
        const V3f way = on_sphere(random) * .7f - origin;
        const Hit a = first_hit(d.direct, origin, way);
        const Hit b = first_hit(d.tessellated, origin, way);
        hits += b.any;
        apart += a.any != b.any || (a.any && std::fabs(a.t - b.t) > 1e-5f);
        apart += is_hit(d.direct, origin, way) != a.any;
        if (a.any) CHECK((d.direct.at(a.place).position - origin - way * a.t).length() < 2e-5f);
    }
    return {hits, apart};
}

/// Rays that start inside, towards all sides: each must meet the form.
inline size_t leaks(const geometry::Geometry& g, size_t rays, unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> somewhere(-.3f, .3f);
    size_t out = 0;
    for (size_t k = 0; k < rays; ++k)
        out += !first_hit(g, {somewhere(random), somewhere(random), somewhere(random)}, on_sphere(random)).any;
    return out;
}

}  // namespace vemtra::test
