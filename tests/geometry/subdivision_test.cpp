#include "geometry/subdivision.h"

#include <set>

#include "geometry/import.h"
#include "geometry/relief.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A cube from -1 to 1 of six quads, a square of UVs each.
std::string cage_obj(bool normals = false) {
    std::string o = "o cube\n";
    for (int k = 0; k < 8; ++k)
        o += "v " + std::to_string(k & 1 ? 1 : -1) + " " + std::to_string(k & 2 ? 1 : -1) + " " +
             std::to_string(k & 4 ? 1 : -1) + "\n";
    o += "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn -1 0 0\nvn 1 0 0\nvn 0 -1 0\nvn 0 1 0\nvn 0 0 -1\nvn 0 0 1\n";
    const int sides[6][4] = {{1, 5, 7, 3}, {2, 4, 8, 6}, {1, 2, 6, 5}, {3, 7, 8, 4}, {1, 3, 4, 2}, {5, 6, 8, 7}};
    for (int s = 0; s < 6; ++s) {
        o += "f";
        for (int c = 0; c < 4; ++c)
            o += " " + std::to_string(sides[s][c]) + "/" + std::to_string(c + 1) +
                 (normals ? "/" + std::to_string(s + 1) : "");
        o += "\n";
    }
    return o;
}
std::shared_ptr<const geometry::Mesh> mesh_of(const std::string& obj) {
    Scratch s;
    auto read = geometry::import(s.write("cage.obj", obj).string(), {});
    REQUIRE(read);
    return read->parts.at(0).mesh;
}
bool closed(const geometry::Mesh& m) {
    const auto w = geometry::weld(m);
    for (uint32_t s = 0; s < w->next_side.size(); ++s)
        if (w->next_side[s] == s || w->next_side[w->next_side[s]] != s) return false;
    return true;
}
V3f farthest_corner(const geometry::Mesh& m) {
    V3f best(0.f);
    for (const V3f& p : m.positions)
        if (p.x + p.y + p.z > best.x + best.y + best.z) best = p;
    return best;
}

}  // namespace

TEST_CASE("a cube becomes the surface that Catmull and Clark give it") {
    const auto cage = mesh_of(cage_obj());
    CHECK(cage->triangles() == 12);
    for (const int levels : {1, 3}) {
        const auto m = geometry::subdivided(cage, levels, false);
        CHECK(m->triangles() == size_t(12) << (2 * levels));
        CHECK(closed(*m));
        // Of a corner of three quads: (9 v + 4 sum of neighbours - sum of what lies across) / 24.
        CHECK((farthest_corner(*m) - V3f(.5f)).length() < 1e-5f);
        for (const V3f& n : m->normals) CHECK(n.length() == Approx(1.f).margin(1e-4));
        for (size_t v = 0; v < m->positions.size(); ++v) CHECK(m->normals[v].dot(m->positions[v]) > 0.f);
        // Every side keeps its own square of UVs.
        std::set<std::pair<float, float>> corners;
        for (const V2f& uv : m->uvs)
            if ((uv.x == 0.f || uv.x == 1.f) && (uv.y == 0.f || uv.y == 1.f)) corners.insert({uv.x, uv.y});
        CHECK(corners.size() == 4);
    }
}

TEST_CASE("hard edges of the cage stay sharp where that is asked for") {
    const auto cage = mesh_of(cage_obj(true));
    CHECK((farthest_corner(*geometry::subdivided(cage, 3, true)) - V3f(1.f)).length() < 1e-5f);
    CHECK((farthest_corner(*geometry::subdivided(cage, 3, false)) - V3f(.5f)).length() < 1e-5f);
}

TEST_CASE("borders are followed and their corners stay; triangles alone, odd polygons and none at all are taken") {
    const auto flat = geometry::subdivided(mesh_of(square_obj), 2, false);
    const Box3f box = flat->bounds();
    CHECK((box.min - V3f(0.f, 0.f, .37f)).length() < 1e-5f);
    CHECK((box.max - V3f(1.f, 1.f, .37f)).length() < 1e-5f);
    const auto tetra = mesh_of("o t\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n");
    const auto smooth = geometry::subdivided(tetra, 3, false);
    CHECK(smooth->triangles() == 4u << 6);
    CHECK(closed(*smooth));
    const auto penta = geometry::subdivided(
        mesh_of("o p\nv 1 0 0\nv .3 1 0\nv -.8 .6 0\nv -.8 -.6 0\nv .3 -1 0\nf 1 2 3 4 5\n"), 1, false);
    CHECK(penta->triangles() == 10);
    auto none = std::make_shared<geometry::Mesh>();
    CHECK(geometry::subdivided(none, 2, false) == none);
    // Three faces at one edge: no surface, but no end either.
    const auto fan = mesh_of("o f\nv 0 0 0\nv 0 0 1\nv 1 0 0\nv 0 1 0\nv -1 -1 0\nf 1 2 3\nf 1 2 4\nf 1 2 5\n");
    const auto sheets = geometry::subdivided(fan, 2, true);
    for (const V3f& p : sheets->positions) CHECK(finite(p));
}

TEST_CASE("a stop is minded, and a large cage is taken whole") {
    std::string o = "o grid\n";
    constexpr int n = 200;
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) o += "v " + std::to_string(i) + " " + std::to_string(j) + " 0\n";
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) {
            const int a = j * (n + 1) + i + 1;
            o += "f " + std::to_string(a) + " " + std::to_string(a + 1) + " " + std::to_string(a + n + 2) + " " +
                 std::to_string(a + n + 1) + "\n";
        }
    Progress progress;
    progress.stop = true;
    const auto grid = mesh_of(o);
    CHECK(geometry::subdivided(grid, 2, false, &progress) == nullptr);
    CHECK(geometry::subdivided(grid, 2, false)->triangles() == size_t(2 * n * n) << 4);
}
