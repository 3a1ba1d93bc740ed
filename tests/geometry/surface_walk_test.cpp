// Straight on over faces: as far as was said, over edges and seams, and no farther than the form goes.
#include "geometry/surface_walk.h"

#include <random>

#include "geometry/import.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using geometry::FacePlace;

namespace {

struct Ground {
    std::shared_ptr<const geometry::Mesh> mesh;
    std::shared_ptr<const geometry::Welds> welds;
    explicit Ground(const std::string& obj) {
        Scratch s;
        auto r = geometry::import(s.write("m.obj", obj).string(), {});
        REQUIRE(r);
        mesh = r->parts[0].mesh;
        welds = geometry::weld(*mesh);
    }
    V3f at(const FacePlace& p) const {
        const uint32_t* i = &mesh->indices[3 * size_t(p.face)];
        return mesh->positions[i[0]] * (1.f - p.u - p.v) + mesh->positions[i[1]] * p.u + mesh->positions[i[2]] * p.v;
    }
    FacePlace walk(const FacePlace& from, const V3f& step) const {
        const FacePlace p = geometry::walk(*mesh, *welds, from, step);
        REQUIRE(p.face < mesh->triangles());
        CHECK(p.u >= 0.f);
        CHECK(p.v >= 0.f);
        CHECK(p.u + p.v <= 1.f + 1e-6f);
        return p;
    }
};

/// n x n quads over the unit square, whose inner points are moved about; every face has vertices of its own, so that
/// only their places say what hangs together.
std::string torn_grid(int n, const std::function<V3f(float, float)>& point) {
    std::mt19937 random(3);
    std::uniform_real_distribution<float> off(-.3f, .3f);
    std::vector<V3f> points;
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            const bool inner = i > 0 && j > 0 && i < n && j < n;
            const float u = (float(i) + (inner ? off(random) : 0.f)) / float(n);
            const float v = (float(j) + (inner ? off(random) : 0.f)) / float(n);
            points.push_back(point(u, v));
        }
    std::string out = "o grid\n";
    std::string faces;
    int next = 1;
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i)
            for (const auto& corners : {std::array{0, 1, n + 2}, std::array{0, n + 2, n + 1}}) {
                for (const int c : corners) {
                    const V3f& p = points[size_t(j * (n + 1) + i + c)];
                    char line[96];
                    std::snprintf(line, sizeof line, "v %.8g %.8g %.8g\n", double(p.x), double(p.y), double(p.z));
                    out += line;
                }
                faces += "f " + std::to_string(next) + " " + std::to_string(next + 1) + " " + std::to_string(next + 2) +
                         "\n";
                next += 3;
            }
    return out + faces;
}

}  // namespace

TEST_CASE("walking over a plane of torn, uneven triangles is adding") {
    const Ground g(torn_grid(20, [](float u, float v) { return V3f(u, v, .2f); }));
    std::mt19937 random(11);
    std::uniform_real_distribution<float> any(0.f, 1.f);
    int long_ways = 0;
    for (int k = 0; k < 2000; ++k) {
        FacePlace from{uint32_t(random() % g.mesh->triangles()), any(random), any(random)};
        if (from.u + from.v > 1.f) from = {from.face, 1.f - from.u, 1.f - from.v};
        const V3f step(any(random) - .5f, any(random) - .5f, 0.f);
        const V3f goal = g.at(from) + step;
        if (goal.x < .001f || goal.x > .999f || goal.y < .001f || goal.y > .999f) continue;
        long_ways += step.length() > .3f;
        CHECK((g.at(g.walk(from, step)) - goal).length() < 1e-5f);
    }
    CHECK(long_ways > 100);
}

TEST_CASE("a way goes around the edges of a box as over its unfolded sides, and once around it leads back") {
    // Four walls of a box of 1 x 1, .5 high, without top and bottom: unfolded a strip of length 4.
    const Ground g(
        "o box\nv 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nv 0 .5 0\nv 1 .5 0\nv 1 .5 1\nv 0 .5 1\n"
        "f 4 3 7 8\nf 3 2 6 7\nf 2 1 5 6\nf 1 4 8 5\n");
    const auto wall = [&](const FacePlace& p) {  // where on the strip
        const V3f q = g.at(p);
        const V3f n = (g.mesh->normals[g.mesh->indices[3 * size_t(p.face)]]);
        if (n.z > .5f) return V2f(q.x, q.y);
        if (n.x > .5f) return V2f(1.f + (1.f - q.z), q.y);
        if (n.z < -.5f) return V2f(2.f + (1.f - q.x), q.y);
        return V2f(3.f + q.z, q.y);
    };
    const FacePlace start{0, .3f, .3f};
    const V2f from = wall(start);
    for (const float way : {.2f, .9f, 1.7f, 2.6f, 3.5f, 4.f}) {
        const V2f to = wall(g.walk(start, V3f(way, .02f * way, 0.f)));
        float around = std::fmod(from.x + way / std::sqrt(1.0004f) * std::sqrt(1.0004f), 4.f);
        INFO(way);
        CHECK(to.x == Approx(around).margin(1e-4));
        CHECK(to.y == Approx(from.y + .02f * way).margin(1e-4));
    }
}

TEST_CASE("a helix on a cylinder keeps its slope") {
    const int n = 128;
    const Ground g(torn_grid(n, [](float u, float v) {
        return V3f(std::cos(2.f * pi * u), v, std::sin(2.f * pi * u)) * V3f(.5f, 2.f, .5f);
    }));
    const FacePlace start{uint32_t(2 * (10 * n + 5)), .2f, .2f};
    const V3f p = g.at(start);
    const V3f around = V3f(-p.z, 0.f, p.x).normalized();
    const FacePlace end = g.walk(start, around * 1.2f + V3f(0.f, .6f, 0.f));
    const V3f q = g.at(end);
    const float turned = std::atan2(q.z, q.x) - std::atan2(p.z, p.x);
    CHECK(std::fmod(turned + 4.f * pi, 2.f * pi) == Approx(1.2f / .5f).epsilon(.002));
    CHECK(q.y - p.y == Approx(.6f).epsilon(.002));
}

TEST_CASE("a way ends where the form does, and faces without area harm nothing") {
    const Ground g(torn_grid(4, [](float u, float v) { return V3f(u, v, 0.f); }));
    const V3f at = g.at(g.walk({0, .3f, .3f}, V3f(-5.f, 0.f, 0.f)));
    CHECK(at.x == Approx(0.f).margin(1e-6));
    const FacePlace here{5, .25f, .5f};
    const FacePlace stays = g.walk(here, V3f(0.f));
    CHECK(stays.face == here.face);
    CHECK(stays.u == here.u);
    CHECK(g.walk(here, V3f(0.f, 0.f, 1.f)).face == here.face);  // straight up: there is no way
    const Ground thin("o thin\nv 0 0 0\nv 1 0 0\nv 2 0 0\nv 0 1 0\nf 1 2 3\nf 1 3 4\n");
    {
        geometry::Mesh m = *thin.mesh;
        for (const uint32_t i : {0u, 0u, 1u}) m.indices.push_back(m.indices[i]);
        const auto welds = geometry::weld(m);
        const FacePlace p = geometry::walk(m, *welds, {uint32_t(m.triangles() - 1), .2f, .2f}, V3f(1.f, 0.f, 0.f));
        CHECK(p.face == m.triangles() - 1);
        CHECK(p.u == .2f);
    }
    for (uint32_t f = 0; f < thin.mesh->triangles(); ++f)
        for (const V3f& step : {V3f(.5f, 0, 0), V3f(0, -.5f, 0), V3f(-9.f, -9.f, 0), V3f(1e30f, 0, 0)})
            CHECK(finite(thin.at(thin.walk({f, .2f, .2f}, step))));
}
