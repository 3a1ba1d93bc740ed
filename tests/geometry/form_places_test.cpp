// Meshes by their places, grids on faces, and pictures laid over a form from one point.
#include "geometry/field.h"
#include "geometry/field_grid.h"
#include "geometry/import.h"
#include "geometry/places.h"
#include "geometry/wrap.h"
#include "support.h"

#include <set>

using namespace vemtra;
using namespace vemtra::test;

namespace {
/// Two squares side by side that share an edge by place, split there as at a seam.
geometry::Mesh split_pair() {
    geometry::Mesh m;
    m.positions = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {1, 0, 0}, {2, 0, 0}, {2, 1, 0}, {1, 1, 0}};
    m.normals.assign(8, V3f(0, 0, 1));
    m.indices = {0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7};
    return m;
}
std::shared_ptr<const geometry::Shape> shape_of(const Scratch& s, const std::string& obj) {
    auto r = geometry::import(s.write("m.obj", obj).string(), {});
    REQUIRE(r);
    return geometry::make_shape(r->parts[0].mesh);
}
}  // namespace

TEST_CASE("vertices at one place stand for each other, whatever sign their zeros have") {
    geometry::Mesh m = split_pair();
    m.positions[4] = {1.f, -0.f, 0.f};
    CHECK(geometry::first_at_place(m) == std::vector<uint32_t>{0, 1, 2, 3, 1, 5, 6, 2});
}

TEST_CASE("faces know who lies beyond each side, by vertex or by place") {
    const geometry::Mesh m = split_pair();
    std::vector<uint32_t> own(m.positions.size());
    for (uint32_t v = 0; v < own.size(); ++v) own[v] = v;
    const auto by_vertex = geometry::faces_beside(m, own);
    const auto by_place = geometry::faces_beside(m, geometry::first_at_place(m));
    REQUIRE(by_vertex.size() == 4);
    CHECK(by_vertex[0] == std::array<int, 3>{-1, -1, 1});
    CHECK(by_vertex[1] == std::array<int, 3>{0, -1, -1});
    CHECK(by_vertex[3] == std::array<int, 3>{2, -1, -1});
    CHECK(by_place[0] == std::array<int, 3>{-1, 3, 1});  // over the seam
    CHECK(by_place[3] == std::array<int, 3>{2, -1, 0});
    // Who is beyond sees this face from there.
    for (size_t f = 0; f < by_place.size(); ++f)
        for (const int other : by_place[f]) {
            if (other < 0) continue;
            const auto& back = by_place[size_t(other)];
            CHECK(std::find(back.begin(), back.end(), int(f)) != back.end());
        }
}

TEST_CASE("of three faces at a side each has at most one beyond it") {
    geometry::Mesh m;
    m.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}};
    m.normals.assign(5, V3f(0, 0, 1));
    m.indices = {0, 1, 2, 1, 0, 3, 0, 1, 4};
    const auto beside = geometry::faces_beside(m, geometry::first_at_place(m));
    int paired = 0;
    for (const auto& face : beside) paired += face[0] >= 0;
    CHECK(paired == 2);
}

TEST_CASE("a grid on a face has its rows one after the other, and as many samples as it says") {
    for (const int r : {1, 2, 5, 32}) {
        size_t at = 0;
        for (int j = 0; j <= r; ++j) {
            CHECK(geometry::grid_row(r, j) == at);
            at += size_t(r - j + 1);
        }
        CHECK(geometry::grid_size(r) == at);
    }
}

TEST_CASE("distances of a reach grow by a constant ratio up to the range") {
    CHECK(geometry::knot_at(geometry::reach_knots - 1) == 1.f);
    for (int k = 0; k + 1 < geometry::reach_knots; ++k)
        CHECK(geometry::knot_at(k + 1) / geometry::knot_at(k) == Approx(std::sqrt(2.f)).epsilon(1e-5));
}

TEST_CASE("kinds of fields are told apart, and each can be computed") {
    std::set<std::string> names;
    for (const geometry::FieldKind& k : geometry::field_kinds()) {
        INFO(k.name);
        CHECK(names.insert(k.name).second);
        CHECK(geometry::field_kind(k.name) == &k);
        CHECK((k.samplers != nullptr) != (k.at_vertices != nullptr));
        CHECK((k.channels <= geometry::most_numbers || k.channels == geometry::reach_knots));
        CHECK(k.version >= 1);
        for (const char* p : k.parameters) CHECK(std::string(p).size() > 0);
    }
    CHECK(geometry::field_kind("a field of no kind") == nullptr);
}

TEST_CASE("on a flat form what is laid over it is its own plane, turned as the pin is") {
    const Scratch s;
    std::string obj;
    for (int j = 0; j <= 8; ++j)
        for (int i = 0; i <= 8; ++i) obj += "v " + std::to_string(i * .25) + " " + std::to_string(j * .25) + " 0\n";
    for (int j = 0; j < 8; ++j)
        for (int i = 0; i < 8; ++i) {
            const int a = j * 9 + i + 1;
            obj += "f " + std::to_string(a) + " " + std::to_string(a + 1) + " " + std::to_string(a + 10) + " " +
                   std::to_string(a + 9) + "\n";
        }
    const auto shape = shape_of(s, obj);
    const V3f x = V3f(1, 1, 0).normalized();
    const V3f y = V3f(-1, 1, 0).normalized();
    const V3f pin(1.f, .9f, 0.f);
    const auto wrap = geometry::wrap_around(shape, pin, x, y, 10.f);
    const geometry::Mesh& m = shape->faces_as_triangles();
    REQUIRE(wrap->faces.size() == m.triangles());
    for (const auto& f : wrap->faces)
        for (int k = 0; k < 3; ++k) {
            const V3f p = m.positions[m.indices[3 * size_t(f.face) + size_t(k)]] - pin;
            CHECK(f.corner[k].x == Approx(p.dot(x)).margin(1e-4));
            CHECK(f.corner[k].y == Approx(p.dot(y)).margin(1e-4));
            CHECK((f.grow_x - x).length() < 1e-3f);
        }
    CHECK(wrap->find(0) == &wrap->faces[0]);
    CHECK(wrap->find(100000) == nullptr);
    // As far as it is told to go, and the same one again while somebody holds it.
    const auto near = geometry::wrap_around(shape, pin, x, y, .2f);
    CHECK(near->faces.size() < wrap->faces.size());
    for (const auto& f : wrap->faces)
        for (const V2f& corner : f.corner)
            if (corner.length() < .2f) CHECK(near->find(f.face));
    CHECK(geometry::wrap_around(shape, pin, x, y, 10.f) == wrap);
}

TEST_CASE("round a pipe what is laid over it runs as far as the pipe is round") {
    const Scratch s;
    std::string obj;
    constexpr int around = 64;
    for (int j = 0; j <= 20; ++j)
        for (int i = 0; i < around; ++i) {
            const double phi = 2 * M_PI * i / around;
            obj += "v " + std::to_string(.1 * std::sin(phi)) + " " + std::to_string(j * .02) + " " +
                   std::to_string(.1 * std::cos(phi)) + "\n";
        }
    for (int j = 0; j < 20; ++j)
        for (int i = 0; i < around; ++i) {
            const int a = j * around + i + 1;
            const int b = j * around + (i + 1) % around + 1;
            obj += "f " + std::to_string(a) + " " + std::to_string(b) + " " + std::to_string(b + around) + " " +
                   std::to_string(a + around) + "\n";
        }
    const auto shape = shape_of(s, obj);
    const auto wrap = geometry::wrap_around(shape, {0.f, .2f, .1f}, {1, 0, 0}, {0, 1, 0}, .25f);
    const geometry::Mesh& m = shape->faces_as_triangles();
    int looked = 0;
    for (const auto& f : wrap->faces)
        for (int k = 0; k < 3; ++k) {
            const V3f& p = m.positions[m.indices[3 * size_t(f.face) + size_t(k)]];
            const float phi = std::atan2(p.x, p.z);
            if (std::fabs(phi) > 2.f) continue;  // further round it may come from either side
            ++looked;
            CHECK(f.corner[k].x == Approx(.1f * phi).margin(.003));
            CHECK(f.corner[k].y == Approx(p.y - .2f).margin(.003));
        }
    CHECK(looked > 500);
}
