#include "geometry/relief.h"

#include "geometry/import.h"
#include "geometry/map_heights.h"
#include "relief_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

std::shared_ptr<const texture::HeightTile> bumps(int size, unsigned seed = 1) {
    std::mt19937 random(seed);
    std::vector<uint16_t> codes(size_t(size) * size_t(size));
    for (auto& c : codes) c = uint16_t(random());
    return std::make_shared<texture::HeightTile>(size, size, codes, 0.f, 1.f / 65535.f);
}

std::shared_ptr<const geometry::ReliefHeights> of_map(const std::shared_ptr<const Mesh>& m,
                                                      const std::shared_ptr<const geometry::Welds>& w,
                                                      const geometry::MapPlacing& placing,
                                                      const geometry::HeightCurve& curve) {
    return geometry::map_heights(geometry::map_grid(m, w, placing), curve);
}

}  // namespace

TEST_CASE("rays meet a displaced form where they meet its triangles") {
    // As it is, with narrow faces whose corners are as sharp as blunt, and in a hurry: with faces that follow each
    // other beside each other, or anywhere.
    enum class Form { even, narrow, hurried, strewn };
    const Form form = GENERATE(Form::even, Form::narrow, Form::hurried, Form::strewn);
    const auto m = cube(3);
    if (form == Form::narrow)
        for (V3f& p : m->positions) p = V3f(p.x + .9f * p.z, .8f * p.y, .06f * p.z);
    if (form == Form::strewn)
        for (size_t f = 0; f < m->triangles(); ++f)
            std::swap_ranges(&m->indices[3 * f], &m->indices[3 * f] + 3, &m->indices[3 * (f * 17 % m->triangles())]);
    const auto w = geometry::weld(*m);
    auto wave = [](V3f p, V2f) { return .03f * std::sin(23.f * p.x) * std::cos(17.f * p.y + 9.f * p.z); };
    for (const float fine : {1.f, 4.f, 16.f, 64.f}) {
        // Neighbours of different fineness.
        const Displaced d(m, w,
                          frozen(
                              m, *w, [&](uint32_t f) { return f % 3 ? fine : fine / 4.f; }, wave, .05f),
                          {.for_now = form == Form::hurried || form == Form::strewn});
        const auto [hits, differ] = met_and_apart(d);
        INFO(fine << ", form " << int(form));
        CHECK(hits > (form == Form::narrow ? 3000 : 12000));
        CHECK(differ <= 2);  // silhouettes, by rounding
    }
}

TEST_CASE("where heights are even a coarse round form throws no shadows of its faces, where they are steep they do") {
    // A square whose normals lean outwards, as a facet of a ball.
    auto m = square(1.f);
    for (uint32_t v = 0; v < 4; ++v)
        m->normals[v] = (V3f(0, 1, 0) + (m->positions[v] - V3f(.5f, 0.f, -.5f)) * .3f).normalized();
    const auto welds = geometry::weld(*m);
    auto lift = [&](float slope) {
        const Displaced d(
            m, welds,
            frozen(
                m, *welds, [](uint32_t) { return 16.f; }, [&](V3f p, V2f) { return .01f + slope * p.x; }, 1.f));
        return d.direct.at({0, 0, .3f, .3f}).lift.length();
    };
    const geometry::Geometry flat({geometry::Instance(geometry::make_shape(m), M44f())});
    const float whole = flat.at({0, 0, .3f, .3f}).lift.length();
    CHECK(whole > .01f);
    CHECK(lift(0.f) == Approx(whole).epsilon(.1));
    CHECK(lift(.05f) < whole);
    CHECK(lift(.05f) > .3f * whole);
    CHECK(lift(.5f) == 0.f);
}

TEST_CASE("nothing leaks through displaced forms at seams, hard edges and where fineness changes") {
    const auto m = cube(4);
    const auto w = geometry::weld(*m);
    std::mt19937 random(8);
    std::vector<float> segments(m->triangles());
    for (float& s : segments) s = float(1 << (random() % 8));
    auto by_uv = [](V3f, V2f uv) { return .02f * std::sin(40.f * uv.x) * std::cos(31.f * uv.y); };
    SECTION("frozen") {
        const Displaced d(m, w,
                          frozen(
                              m, *w, [&](uint32_t f) { return segments[f]; }, by_uv, .02f));
        CHECK(leaks(d.direct, 200000, 4) == 0);
    }
    SECTION("of a map") {
        const Displaced d(m, w, of_map(m, w, {.tiles = {bumps(64)}}, {.scale = .04f}));
        CHECK(leaks(d.direct, 200000, 5) == 0);
    }
    SECTION("of tiles, one of which is missing") {
        auto wide = std::make_shared<Mesh>(*m);
        for (V2f& uv : wide->uvs) uv.x *= 2.4f;
        const geometry::MapPlacing placing{.tiles = {bumps(64), nullptr, bumps(16, 7)}, .tiled = true};
        const Displaced d(wide, w, of_map(wide, w, placing, {.scale = .04f}));
        CHECK(leaks(d.direct, 200000, 6) == 0);
    }
}

TEST_CASE("a map's heights are met at every texel, and tiled without memory") {
    const auto m = square(2.f);
    const auto w = geometry::weld(*m);
    std::vector<float> waves;
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 32; ++x)
            waves.push_back(.5f + .3f * std::sin(float(x) * pi / 8.f) * std::cos(float(y) * pi / 16.f));
    const auto tile = std::make_shared<texture::HeightTile>(32, 32, waves);
    const Displaced d(m, w, of_map(m, w, {.tiles = {tile}}, {.scale = .05f, .neutral = 0.f}));
    std::mt19937 random(5);
    std::uniform_real_distribution<float> x(.02f, 1.98f);
    size_t differ = 0;
    for (int k = 0; k < 20000; ++k) {
        const V3f to(x(random), 0, -x(random));
        const V3f origin = to + V3f(x(random) - 1.f, 1.f, x(random) - 1.f);
        const Hit a = first_hit(d.direct, origin, to - origin);
        const Hit b = first_hit(d.tessellated, origin, to - origin);
        differ += a.any != b.any || std::fabs(a.t - b.t) > 1e-5f;
    }
    CHECK(differ == 0);
    geometry::MapPlacing tiled{.tiles = {tile}};
    tiled.place[0][0] = tiled.place[1][1] = 100.f;
    const auto many = of_map(m, w, tiled, {.scale = .05f, .neutral = 0.f});
    CHECK(many->bytes() <= d.heights->bytes());
    // Copy by copy the same surface: 100 x 100 of them on a square a hundred times as large.
    const auto large = square(200.f);
    const auto lw = geometry::weld(*large);
    const geometry::Geometry copies(
        {geometry::Instance(geometry::make_displaced(geometry::make_shape(large), lw,
                                                     of_map(large, lw, tiled, {.scale = .05f, .neutral = 0.f})),
                            M44f())});
    differ = 0;
    for (int k = 0; k < 5000; ++k) {
        const V3f to(x(random), 0, -x(random));
        const V3f down(.1f * (x(random) - 1.f), -1.f, .1f * (x(random) - 1.f));
        const V3f corner(2.f * float(k % 97 + 1), 0.f, -2.f * float(k % 89 + 1));
        const Hit a = first_hit(d.direct, to - down * .2f, down);
        const Hit b = first_hit(copies, corner + to - down * .2f, down);
        differ += a.any != b.any || std::fabs(a.t - b.t) > 2e-3f;
    }
    CHECK(differ < 25);  // the one copy ends at its rim
}

TEST_CASE("the bounds of a height map hold every rectangle of it") {
    const auto t = bumps(37);
    std::mt19937 random(2);
    for (int k = 0; k < 2000; ++k) {
        int x[2] = {int(random() % 37), int(random() % 37)};
        int y[2] = {int(random() % 37), int(random() % 37)};
        std::sort(x, x + 2);
        std::sort(y, y + 2);
        uint16_t lo;
        uint16_t hi;
        t->range(x[0], y[0], x[1], y[1], lo, hi);
        for (int j = y[0]; j <= y[1]; ++j)
            for (int i = x[0]; i <= x[1]; ++i) {
                CHECK(lo <= t->code(i, j));
                CHECK(hi >= t->code(i, j));
            }
    }
    uint16_t lo;
    uint16_t hi;
    t->range(12, 30, 12, 30, lo, hi);
    CHECK(lo == t->code(12, 30));
    CHECK(hi == lo);
}
