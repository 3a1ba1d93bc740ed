// How far within its border a mask is, at the grid points of faces.
#include "geometry/border.h"

#include <tbb/global_control.h>

#include "geometry/field_grid.h"
#include "geometry/import.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

struct Form {
    std::shared_ptr<const geometry::Mesh> mesh;
    std::shared_ptr<const geometry::Welds> welds;
    geometry::ReliefLevels levels;
    Form(const std::string& obj, int segments) {
        Scratch s;
        auto r = geometry::import(s.write("m.obj", obj).string(), {});
        REQUIRE(r);
        mesh = r->parts[0].mesh;
        welds = geometry::weld(*mesh);
        levels = geometry::relief_levels(*mesh, *welds, [&](uint32_t) { return float(segments); });
    }
    V3f place(uint32_t f, float u, float v) const {
        const uint32_t* c = &mesh->indices[3 * size_t(f)];
        return mesh->positions[c[0]] * (1.f - u - v) + mesh->positions[c[1]] * u + mesh->positions[c[2]] * v;
    }
    geometry::BorderGrid grid(float width, const std::function<float(const V3f&)>& mask,
                              geometry::BorderSides sides = geometry::BorderSides::within) const {
        return by_face(width, sides, [&](uint32_t, const V3f& p) { return mask(p); });
    }
    geometry::BorderGrid by_face(float width, geometry::BorderSides sides,
                                 const std::function<float(uint32_t, const V3f&)>& mask) const {
        auto out = geometry::border_grid(*mesh, *welds, levels, width, sides, [&]() -> geometry::HeightsAt {
            return [&](int n, const uint32_t* face, const float* u, const float* v, float* value) {
                for (int k = 0; k < n; ++k) value[k] = mask(face[k], place(face[k], u[k], v[k]));
            };
        });
        REQUIRE(out);
        return std::move(*out);
    }
    V3f normal(uint32_t f) const {
        const V3f a = place(f, 0, 0);
        return (place(f, 1, 0) - a).cross(place(f, 0, 1) - a).normalized();
    }
    /// Every grid point: put(position, distance as a share of the width).
    template <class Put> void points(const geometry::BorderGrid& grid, Put&& put) const {
        for (uint32_t f = 0; f < mesh->triangles(); ++f) {
            const int n = 1 << grid.level[f];
            for (int j = 0; j <= n; ++j)
                for (int i = 0; i + j <= n; ++i) {
                    const float u = float(i) / float(n);
                    const float v = float(j) / float(n);
                    put(place(f, u, v), grid.at(f, u, v));
                }
        }
    }
};

/// A box from 0 to 1 whose sides are cut n times each way.
std::string box(int n) {
    std::string out = "o box\n";
    std::string faces;
    int count = 0;
    for (int axis = 0; axis < 3; ++axis)
        for (const int end : {0, 1}) {
            for (int b = 0; b <= n; ++b)
                for (int a = 0; a <= n; ++a) {
                    float p[3];
                    p[axis] = float(end);
                    p[(axis + 1) % 3] = float(a) / float(n);
                    p[(axis + 2) % 3] = float(b) / float(n);
                    out += "v " + std::to_string(p[0]) + " " + std::to_string(p[1]) + " " + std::to_string(p[2]) + "\n";
                }
            for (int b = 0; b < n; ++b)
                for (int a = 0; a < n; ++a) {
                    const int i = count + b * (n + 1) + a + 1;
                    const int corners[] = {i, i + 1, i + n + 2, i + n + 1};
                    faces += "f";
                    for (int k = 0; k < 4; ++k) faces += " " + std::to_string(corners[end ? k : 3 - k]);
                    faces += "\n";
                }
            count += (n + 1) * (n + 1);
        }
    return out + faces;
}

}  // namespace

TEST_CASE("on a plane points know how far a round border is, behind hard and soft masks") {
    const Form plane(square_obj, 128);
    const V2f middle(.4f, .55f);
    const bool soft = GENERATE(false, true);
    auto from_middle = [&](const V3f& p) { return std::hypot(p.x - middle.x, p.y - middle.y); };
    const geometry::BorderGrid grid = plane.grid(.15f, [&](const V3f& p) {
        const float d = .3f - from_middle(p);
        return soft ? clamp01(.5f + 10.f * d) : d > 0.f ? 1.f : 0.f;
    });
    size_t within = 0;
    plane.points(grid, [&](const V3f& p, float share) {
        const float d = .3f - from_middle(p);
        if (std::fabs(d) < 1e-4f) return;
        within += d > 0.f && d < .15f;
        CHECK(share == Approx(clamp01(d / .15f)).margin(.012));  // of the width: a quarter of a grid's step
    });
    CHECK(within > 2000);
}

TEST_CASE("distances go over edges of a box, however it is cut") {
    auto mask = [](const V3f& p) { return p.y > .8f ? 1.f : 0.f; };
    for (const auto& [cuts, segments] : {std::pair{1, 64}, {8, 8}, {32, 2}}) {
        const Form form(box(cuts), segments);
        const geometry::BorderGrid grid = form.grid(.3f, mask);
        INFO(cuts);
        form.points(grid, [&](const V3f& p, float share) {
            float expected = 0.f;
            if (p.y > .8f && p.y < 1.f) expected = p.y - .8f;
            if (p.y == 1.f) {  // through space to the nearest side's border
                const float rim = std::min({p.x, 1.f - p.x, p.z, 1.f - p.z});
                expected = std::hypot(rim, .2f);
            }
            CHECK(share == Approx(std::min(1.f, expected / .3f)).margin(.012));
        });
    }
}

TEST_CASE("distances are known on both sides, and straight between the points") {
    const Form plane(square_obj, 64);
    const V2f middle(.4f, .55f);
    const auto grid = plane.grid(
        .25f, [&](const V3f& p) { return std::hypot(p.x - middle.x, p.y - middle.y) < .3f ? 1.f : 0.f; },
        geometry::BorderSides::both);
    CHECK(grid.width == .25f);
    int outside = 0;
    for (uint32_t f = 0; f < plane.mesh->triangles(); ++f)
        for (int k = 0; k < 4000; ++k) {
            float u = std::fmod(.7548777f * float(k), 1.f);
            float v = std::fmod(.5698403f * float(k), 1.f);
            if (u + v > 1.f) u = 1.f - u, v = 1.f - v;
            const V3f p = plane.place(f, u, v);
            const float d = .3f - std::hypot(p.x - middle.x, p.y - middle.y);
            outside += d < 0.f;
            const float found = grid.between(f, u, v) * grid.width;
            if (std::fabs(d) < .23f)
                CHECK(found == Approx(d).margin(.0025));
            else  // the ends lie between grid points
                CHECK(std::fabs(found) > .22f);
        }
    CHECK(outside > 4000);
    for (const V2f& far : {V2f(0, 0), V2f(1, 0), V2f(0, 1)}) CHECK(grid.between(0, far.x, far.y) == -1.f);
}

TEST_CASE("a mask of whole faces has its border along their edges, on grids and on meshes that need none") {
    for (const auto& [cuts, segments] : {std::pair{1, 64}, {4, 16}, {40, 1}}) {
        INFO(cuts);
        const Form form(box(cuts), segments);
        const auto grid = form.by_face(.3f, geometry::BorderSides::both,
                                       [&](uint32_t f, const V3f&) { return form.normal(f).y > .5f ? 1.f : 0.f; });
        size_t within = 0;
        for (uint32_t f = 0; f < form.mesh->triangles(); ++f)
            for (const V2f& uv : {V2f(.2f, .3f), V2f(.6f, .25f), V2f(.1f, .85f)}) {
                const V3f p = form.place(f, uv.x, uv.y);
                const bool top = form.normal(f).y > .5f;
                const float rim = std::min({p.x, 1.f - p.x, p.z, 1.f - p.z});
                float expected = top ? rim : p.y - 1.f;
                if (form.normal(f).y < -.5f) expected = -1.f;
                within += std::fabs(expected) < .3f;
                CHECK(grid.between(f, uv.x, uv.y) * .3f == Approx(std::clamp(expected, -.3f, .3f)).margin(.008));
            }
        CHECK(within > 10);
    }
}

TEST_CASE("a mask that is white or black all over has no border, and one thread gives what many give") {
    const Form form(box(6), 8);
    form.points(form.grid(.1f, [](const V3f&) { return 1.f; }), [](const V3f&, float share) { CHECK(share == 1.f); });
    form.points(form.grid(.1f, [](const V3f&) { return 0.f; }), [](const V3f&, float share) { CHECK(share == 0.f); });
    auto spots = [](const V3f& p) {
        return std::sin(31.f * p.x) + std::sin(27.f * p.y) + std::sin(23.f * p.z) > .3f ? 1.f : 0.f;
    };
    const auto many = form.grid(.1f, spots);
    tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    CHECK(form.grid(.1f, spots).codes == many.codes);
}

TEST_CASE("spreading a border can be stopped") {
    const Form form(box(4), 16);
    Progress progress;
    progress.stop = true;
    auto make = []() -> geometry::HeightsAt {
        return [](int n, const uint32_t*, const float*, const float*, float* out) { std::fill_n(out, n, 1.f); };
    };
    CHECK_FALSE(
        geometry::border_grid(*form.mesh, *form.welds, form.levels, .1f, geometry::BorderSides::both, make, &progress));
}

TEST_CASE("a border that is kept on disk comes back as it was, and nothing else does") {
    const Scratch s;
    const CacheIn cache(s.path);
    const Form form(box(4), 16);
    geometry::BorderGrid made = form.grid(
        .1f, [](const V3f& p) { return p.x > .3f ? 1.f : 0.f; }, geometry::BorderSides::both);
    made.content = 77;
    geometry::keep_border(made);
    const auto back = geometry::kept_border(*form.mesh, 77);
    REQUIRE(back);
    CHECK(back->content == 77);
    CHECK(back->width == made.width);
    CHECK(back->first == made.first);
    CHECK(back->level == made.level);
    CHECK(back->codes == made.codes);
    CHECK_FALSE(geometry::kept_border(*form.mesh, 78));
    CHECK_FALSE(geometry::kept_border(*Form(box(2), 16).mesh, 77));
    fs::path file;
    for (const auto& e : fs::directory_iterator(cache_folder("fields"))) file = e.path();
    const std::string whole = *read_file(file);
    for (const size_t size : {size_t(0), size_t(11), size_t(40), whole.size() - 1}) {
        REQUIRE(write_file_atomically(file, whole.substr(0, size)));
        CHECK_FALSE(geometry::kept_border(*form.mesh, 77));
    }
    std::string other = whole;
    other[whole.size() / 2] = char(other[whole.size() / 2] ^ 1);
    REQUIRE(write_file_atomically(file, other));
    CHECK_FALSE(geometry::kept_border(*form.mesh, 77));
    made.level[0] = 200;  // sound by its hash, and nonsense
    geometry::keep_border(made);
    CHECK_FALSE(geometry::kept_border(*form.mesh, 77));
}
