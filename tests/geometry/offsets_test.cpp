// Forms whose points go any way, and forms that are rounded between their corners.
#include "geometry/rounding.h"
#include "geometry/subdivision.h"
#include "relief_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

V3f place_on(const Mesh& m, uint32_t face, float u, float v) {
    const uint32_t* i = &m.indices[3 * size_t(face)];
    return m.positions[i[0]] * (1.f - u - v) + m.positions[i[1]] * u + m.positions[i[2]] * v;
}

/// Offsets by a function of the face and the place on it.
std::shared_ptr<const geometry::ReliefHeights> moved(const std::shared_ptr<const Mesh>& m, const geometry::Welds& w,
                                                     const std::function<float(uint32_t)>& segments,
                                                     const std::function<V3f(uint32_t, float, float)>& offset,
                                                     float reach) {
    return geometry::freeze_offsets(*m, w, geometry::relief_levels(*m, w, segments), reach, [&] {
        return [&](int n, const uint32_t* face, const float* u, const float* v, float* out) {
            for (int k = 0; k < n; ++k) {
                const V3f o = offset(face[k], u[k], v[k]);
                for (int c = 0; c < 3; ++c) out[c * n + k] = o[c];
            }
        };
    });
}

/// A ball of `around` by `along` faces, with the normals of one.
std::shared_ptr<Mesh> ball(int around, int along) {
    auto m = std::make_shared<Mesh>();
    for (int j = 0; j <= along; ++j)
        for (int i = 0; i <= around; ++i) {
            const float a = 2.f * pi * float(i % around) / float(around);
            const float b = pi * float(j) / float(along);
            const V3f p = j == 0       ? V3f(0, 1, 0)
                          : j == along ? V3f(0, -1, 0)
                                       : V3f(std::sin(b) * std::cos(a), std::cos(b), -std::sin(b) * std::sin(a));
            m->positions.push_back(p);
            m->normals.push_back(p);
            m->uvs.push_back({float(i) / float(around), 1.f - float(j) / float(along)});
        }
    for (int j = 0; j < along; ++j)
        for (int i = 0; i < around; ++i) {
            const auto at = [&](int x, int y) { return uint32_t((j + y) * (around + 1) + i + x); };
            if (j + 1 < along) m->indices.insert(m->indices.end(), {at(0, 0), at(0, 1), at(1, 1)});
            if (j > 0) m->indices.insert(m->indices.end(), {at(0, 0), at(1, 1), at(1, 0)});
        }
    return m;
}

std::shared_ptr<const geometry::ReliefHeights> rounded(const std::shared_ptr<const Mesh>& m, const geometry::Welds& w,
                                                       float segments) {
    return moved(
        m, w, [=](uint32_t) { return segments; },
        [&](uint32_t f, float u, float v) { return geometry::bulge(*m, w, f, u, v); }, geometry::largest_bulge(*m));
}

}  // namespace

TEST_CASE("rays meet a form whose points go any way where they meet its triangles, overhangs included") {
    const auto m = cube(3);
    const auto w = geometry::weld(*m);
    auto swirl = [&](uint32_t f, float u, float v) {
        const V3f p = place_on(*m, f, u, v);
        return V3f(.06f * std::sin(23.f * p.y + 3.f * p.z), .05f * std::cos(19.f * p.x),
                   .06f * std::sin(21.f * p.x * p.y));
    };
    for (const float fine : {1.f, 4.f, 16.f, 64.f}) {
        const Displaced d(m, w,
                          moved(
                              m, *w, [&](uint32_t f) { return f % 3 ? fine : fine / 4.f; }, swirl, .07f));
        const auto [hits, differ] = met_and_apart(d);
        INFO(fine);
        CHECK(hits > 12000);
        CHECK(differ <= 2);
        CHECK(leaks(d.direct, 50000, 4) == 0);
    }
}

TEST_CASE("offsets that go where heights would go make the same form with the same normals") {
    const auto m = ball(24, 16);
    const auto w = geometry::weld(*m);
    auto wave = [](const V3f& p) { return .04f * std::sin(9.f * p.x) * std::cos(7.f * p.y); };
    const auto heights = frozen(
        m, *w, [](uint32_t) { return 16.f; }, [&](V3f p, V2f) { return wave(p); }, .05f);
    const auto offsets = moved(
        m, *w, [](uint32_t) { return 16.f; },
        [&](uint32_t f, float u, float v) {
            const uint32_t* i = &m->indices[3 * size_t(f)];
            auto along = [&](int c) { return w->direction[w->place_of[i[c]]]; };
            return (along(0) * (1.f - u - v) + along(1) * u + along(2) * v) * wave(place_on(*m, f, u, v));
        },
        .1f);
    const auto a = geometry::make_displaced(geometry::make_shape(m), w, heights);
    const auto b = geometry::make_displaced(geometry::make_shape(m), w, offsets);
    double apart = 0;
    float farthest = 0;
    int n = 0;
    for (uint32_t f = 0; f < m->triangles(); ++f)
        for (const V2f uv : {V2f(.3f, .3f), V2f(.1f, .02f), V2f(.6f, .39f)}) {
            const geometry::SurfacePoint p = a->at(f, uv.x, uv.y);
            const geometry::SurfacePoint q = b->at(f, uv.x, uv.y);
            farthest = std::max(farthest, (p.position - q.position).length());
            apart += double((p.normal - q.normal).length());
            ++n;
        }
    CHECK(farthest < 1e-5f);
    CHECK(apart / n < .02);
}

TEST_CASE("a coarse ball with a ball's normals is rounded to one, and its outline has no corners") {
    const auto m = ball(12, 8);
    const auto w = geometry::weld(*m);
    const auto heights = rounded(m, *w, 32.f);
    const Displaced d(m, w, heights, {.rounded = true});
    const geometry::Geometry flat({geometry::Instance(geometry::make_shape(m), M44f())});
    std::mt19937 random(5);
    float worst = 0.f;
    float worst_flat = 0.f;
    float worst_normal = 0.f;
    for (int k = 0; k < 20000; ++k) {
        const V3f out = on_sphere(random);
        const Hit a = first_hit(d.direct, out * 3.f, -out);
        REQUIRE(a.any);
        worst = std::max(worst, std::fabs(2.f - a.t));
        worst_flat = std::max(worst_flat, std::fabs(2.f - first_hit(flat, out * 3.f, -out).t));
        const geometry::SurfacePoint s = d.direct.at(a.place);
        worst_normal = std::max(worst_normal, (s.normal - s.position.normalized()).length());
        CHECK(s.lift == V3f(0.f));
        CHECK(std::fabs(s.height) < 1e-3f);  // no relief stands on it
    }
    CHECK(worst_flat > .05f);
    CHECK(worst < .1f * worst_flat);
    CHECK(worst_normal < .12f);
    CHECK(leaks(d.direct, 50000, 6) == 0);
}

TEST_CASE("where normals part a side bends along the line of both faces: the rim of a pipe becomes round") {
    // An open pipe of twelve sides with a lid.
    auto m = std::make_shared<Mesh>();
    constexpr int n = 12;
    for (int k = 0; k <= n; ++k) {
        const float a = 2.f * pi * float(k % n) / float(n);
        const V3f out(std::cos(a), 0.f, -std::sin(a));
        for (const float y : {0.f, 1.f}) {
            m->positions.push_back(out + V3f(0, y, 0));
            m->normals.push_back(out);
        }
    }
    for (uint32_t k = 0; k < n; ++k) {
        const uint32_t i = 2 * k;
        m->indices.insert(m->indices.end(), {i, i + 2, i + 1, i + 1, i + 2, i + 3});
    }
    const uint32_t middle = uint32_t(m->positions.size());
    m->positions.push_back({0, 1, 0});
    for (int k = 0; k < n; ++k) m->positions.push_back(m->positions[size_t(2 * k + 1)]);
    for (int k = 0; k <= n; ++k) m->normals.push_back({0, 1, 0});
    for (uint32_t k = 0; k < n; ++k)
        m->indices.insert(m->indices.end(), {middle, middle + 1 + k, middle + 1 + (k + 1) % n});
    const auto w = geometry::weld(*m);
    const uint32_t lid = 2 * n;
    const uint32_t wall = 1;  // whose first and last corner lie at the rim
    for (const float t : {.25f, .5f, .75f}) {
        const V3f of_lid = place_on(*m, lid, 1.f - t, t) + geometry::bulge(*m, *w, lid, 1.f - t, t);
        const V3f of_wall = place_on(*m, wall, 0.f, t) + geometry::bulge(*m, *w, wall, 0.f, t);
        CHECK(V2f(of_lid.x, of_lid.z).length() == Approx(1.f).margin(3e-3));
        CHECK(of_lid.y == Approx(1.f).margin(1e-6));
        CHECK((of_lid - of_wall).length() < 1e-5f);
    }
}

TEST_CASE("what lies flat, or has the normals of its facets, stays as it is when rounded") {
    for (const auto& m : {square(1.f), cube(2)}) {
        const auto w = geometry::weld(*m);
        for (uint32_t f = 0; f < m->triangles(); ++f) CHECK(geometry::bulge(*m, *w, f, .3f, .4f).length() < 1e-6f);
    }
}

TEST_CASE("a smoothed form knows the facets that it was made from") {
    auto m = std::make_shared<Mesh>(*cube(1));
    const auto smooth = geometry::subdivided(m, 3, false);
    REQUIRE(smooth->cage_polygon.size() == smooth->triangles());
    REQUIRE(smooth->cage_normals.size() == 12);  // its triangles
    for (uint32_t f = 0; f < smooth->triangles(); ++f) {
        const V3f n = smooth->facet_normal(f);
        const V3f middle = place_on(*smooth, f, .33f, .33f);
        CHECK(std::fabs(std::fabs(n.x) + std::fabs(n.y) + std::fabs(n.z) - 1.f) < 1e-5f);
        CHECK(n.dot(middle) > 0.f);
        // It is the side of the cube that the place lies below.
        CHECK(n.dot(middle) > .55f * std::max({std::fabs(middle.x), std::fabs(middle.y), std::fabs(middle.z)}));
    }
}

TEST_CASE("two parts of one smooth surface stay together where they meet when heights move both") {
    // Halves of a ball, each with the whole one's normals.
    const auto whole = ball(24, 16);
    std::vector<geometry::Instance> parts;
    for (const bool upper : {true, false}) {
        auto half = std::make_shared<Mesh>(*whole);
        half->indices.clear();
        for (size_t t = 0; t < whole->triangles(); ++t) {
            float y = 0.f;
            for (size_t c = 0; c < 3; ++c) y += whole->positions[whole->indices[3 * t + c]].y;
            if ((y > 0.f) == upper)
                half->indices.insert(half->indices.end(), whole->indices.begin() + long(3 * t),
                                     whole->indices.begin() + long(3 * t) + 3);
        }
        const auto w = geometry::weld(*half);
        const auto heights = frozen(
            half, *w, [](uint32_t) { return 8.f; },
            [](V3f p, V2f) { return .05f * std::sin(9.f * p.x) * std::cos(8.f * p.z); }, .06f);
        parts.emplace_back(geometry::make_displaced(geometry::make_shape(half), w, heights), M44f());
    }
    CHECK(leaks(geometry::Geometry(parts), 200000, 9) == 0);
}
