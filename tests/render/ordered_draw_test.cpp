// Drawing by chances in order, and what rests on it: light from panoramas.
#include "render/ordered_draw.h"

#include "render/environment.h"
#include "render_support.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;
using render::OrderedDraw;
using render::ZCurve;

TEST_CASE("growing numbers draw along the row, each as often as its chance") {
    const OrderedDraw draw({3.f, 0.f, 1.f, 6.f, 0.f});
    CHECK(draw.chance(0) == Approx(.3));
    CHECK(draw.chance(3) == Approx(.6));
    CHECK(draw.chance(1) < 1e-9f);
    size_t before = 0;
    std::vector<double> share(5, 0.);
    constexpr int n = 100000;
    for (int i = 0; i < n; ++i) {
        const render::Drawn d = draw.draw((double(i) + .5) / n);
        CHECK(d.index >= before);
        CHECK(d.rest >= 0.f);
        CHECK(d.rest < 1.f);
        CHECK(d.chance == draw.chance(d.index));
        before = d.index;
        share[d.index] += 1. / n;
    }
    for (size_t k = 0; k < 5; ++k) CHECK(share[k] == Approx(double(draw.chance(k))).margin(2. / n));
}

TEST_CASE("what is left of a number is evenly spread within the one that it draws") {
    const OrderedDraw draw({1.f, 2.f, 5.f});
    double rest = 0;
    int of_it = 0;
    for (int i = 0; i < 8000; ++i)
        if (const render::Drawn d = draw.draw((double(i) + .5) / 8000); d.index == 1) rest += double(d.rest), ++of_it;
    CHECK(of_it == 2000);
    CHECK(rest / of_it == Approx(.5).margin(.001));
}

TEST_CASE("millions of chances: the small ones of a row with a sun in it are drawn as often as they should be") {
    constexpr size_t n = 3000000;
    std::vector<float> chance(n, 1.f);
    chance[n / 3] = 3e7f;
    const OrderedDraw draw(chance);
    double all = 0;
    for (size_t k = 0; k < n; ++k) all += double(draw.chance(k));
    CHECK(all == Approx(1.));
    CHECK(draw.chance(n / 3) == Approx(10. / 11.).epsilon(2e-3));
    // Estimates by drawing: each drawn one, over its chance, stands for one.
    double before = 0, sun = 0, after = 0;
    constexpr int draws = 2000000;
    for (int i = 0; i < draws; ++i) {
        const render::Drawn d = draw.draw((double(i) + .31) / draws);
        (d.index < n / 3 ? before : d.index == n / 3 ? sun : after) += 1. / double(d.chance) / draws;
    }
    CHECK(before == Approx(n / 3.).epsilon(.01));
    CHECK(sun == Approx(1.).epsilon(.01));
    CHECK(after == Approx(2. * n / 3.).epsilon(.01));
}

TEST_CASE("what is below 0 is never drawn, wherever in the row it stands") {
    const OrderedDraw draw({-1.f, 2.f, -1.f, -1.f, 1.f, 1.f, -1.f, -1.f});
    double all = 0;
    for (size_t k = 0; k < 8; ++k) all += double(draw.chance(k));
    CHECK(all == Approx(1.));
    for (int i = 0; i <= 1000; ++i) {
        const render::Drawn d = draw.draw(i / 1000.);
        CHECK(d.index == (i < 500 ? 1u : i < 750 ? 4u : 5u));
        CHECK(d.chance > 0.f);
    }
}

TEST_CASE("one of one is always drawn") {
    const OrderedDraw draw({7.f});
    CHECK(draw.chance(0) == 1.f);
    for (const double u : {0., .5, .9999999999}) CHECK(draw.draw(u).index == 0);
}

TEST_CASE("a Z-curve goes through every texel once, and its neighbours are neighbours") {
    for (const auto& [w, h] : {std::pair{16, 8}, {7, 5}, {33, 4}, {1, 1}, {3, 9}, {5, 40}, {1, 17}}) {
        INFO(w << " x " << h);
        const ZCurve curve(w, h);
        std::vector<bool> met(curve.size(), false);
        for (uint32_t y = 0; y < uint32_t(h); ++y)
            for (uint32_t x = 0; x < uint32_t(w); ++x) {
                const size_t i = curve.index(x, y);
                REQUIRE(i < curve.size());
                CHECK_FALSE(met[i]);
                met[i] = true;
                uint32_t back_x = 99, back_y = 99;
                curve.place(i, back_x, back_y);
                CHECK(back_x == x);
                CHECK(back_y == y);
            }
    }
    // A thin picture, from a file of a few bytes, asks for no more than a few times its texels.
    for (const auto& [w, h] : {std::pair{1, 65000}, {65000, 1}, {3, 40000}, {5000, 9}, {33, 33}})
        CHECK(ZCurve(w, h).size() <= 4 * (size_t(w) + 1) * (size_t(h) + 64));
    // Any 64 that follow each other from a multiple of 64 on fill a square of 8.
    const ZCurve curve(64, 32);
    for (size_t first = 0; first < curve.size(); first += 64) {
        uint32_t x0, y0;
        curve.place(first, x0, y0);
        for (size_t i = first; i < first + 64; ++i) {
            uint32_t x, y;
            curve.place(i, x, y);
            CHECK(x - x0 < 8);
            CHECK(y - y0 < 8);
        }
    }
}

TEST_CASE("small lamps in a large panorama light a matt surface by as much as their integral says") {
    Scratch s;
    s.write("square.obj", square_obj);
    constexpr int w = 2048, h = 1024;
    texture::LinearImage picture{w, h, std::vector<V3f>(size_t(w) * h, V3f(.1f))};
    for (const V2f& lamp : {V2f(.43f, .31f), V2f(.52f, .47f), V2f(.61f, .22f), V2f(.47f, .63f), V2f(.9f, .5f)})
        for (int y = -1; y <= 1; ++y)
            for (int x = -1; x <= 1; ++x)
                picture.pixels[size_t(int(lamp.y * h) + y) * w + size_t(int(lamp.x * w) + x)] = V3f(9000.f);
    write_image(s.path / "lamps.exr", w, h, 3, Kept::floats,
                [&](int x, int y, int c) { return picture.pixels[size_t(y) * w + size_t(x)][c]; });

    scene::Scene scene = plain_scene("square.obj");
    scene.rigs[0].environment.image = "lamps.exr";
    scene.rigs[0].environment.tint = V3f(1.f);
    scene.render.depth = 1;
    auto& surface = scene.build_ups[0].layers[0].surface;
    surface["base_color"].value = V3f(.5f);
    surface["specular_weight"].value = 0.f;
    scene.cameras[0].position = V3f(.5f, .5f, 3.f);
    scene.cameras[0].target = V3f(.5f, .5f, .37f);
    scene.cameras[0].focal_length = 300.f;

    // What falls on a surface that faces +z, the middle of the picture.
    double falls = 0;
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            const double b = M_PI * (y + .5) / h, a = 2. * M_PI * ((x + .5) / w - .5);
            const double cosine = std::sin(b) * std::cos(a);
            if (cosine > 0.)
                falls += double(picture.pixels[size_t(y) * w + size_t(x)].x) * cosine * std::sin(b) * (M_PI / h) *
                         (2. * M_PI / w);
        }
    render::Workshop workshop;
    const auto p = prepared(scene, s.path, workshop);
    const V3f seen = mean(rendered_exactly(*p, 16, 16, 64));
    CHECK(seen.x == Approx(.5 * falls / M_PI).epsilon(.01));
}
