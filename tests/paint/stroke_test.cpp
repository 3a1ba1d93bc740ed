// Strokes on the form: seams, tiles, overlapping UVs, what is hidden, what a stroke adds at most.
#include "nodes/slot_names.h"
#include "paint/paint_support.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("a stroke crosses a seam without a step") {
    Painted p(two_islands_obj());
    paint::Brush soft;
    soft.hardness = 0.f;
    for (const float y : {-.6f, -.1f, .3f, .7f}) {
        p.painting().sheets.clear();
        p.prepare();
        paint::Dab d = p.dab({.03f, y, 0.f}, {0, 0, 1}, .3f);
        d.hardness = 0.f;
        p.paint({d}, soft);
        const float left = p.seen({-1e-4f, y, 1.f}, {0, 0, -1});
        const float right = p.seen({1e-4f, y, 1.f}, {0, 0, -1});
        INFO("at y " << y << ": left " << left << ", right " << right);
        CHECK(left > .9f);
        CHECK(std::fabs(left - right) < .01f);
        // Also where a ray sees many texels at once: no unpainted ones come in from beside the islands.
        d.hardness = .9f;
        p.paint(std::vector<paint::Dab>(6, d), {});
        for (const float x : {-.02f, .02f}) CHECK(p.seen({x, y, 1.f}, {0, 0, -1}, .06f) > .98f);
    }
}

TEST_CASE("a stroke crosses the border of two UDIM tiles without a step") {
    Painted p(
        "o wide\nv -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nvn 0 0 1\nvt .5 .1\nvt 1.5 .1\nvt 1.5 .9\nvt .5 .9\n"
        "f 1/1/1 2/2/1 3/3/1 4/4/1\n",
        256);
    paint::Dab d = p.dab({.05f, 0.f, 0.f}, {0, 0, 1}, .4f);
    d.hardness = 0.f;
    p.paint({d});
    REQUIRE(p.painting().sheets.size() == 2);
    CHECK(p.painting().sheet(1001));
    CHECK(p.painting().sheet(1002));
    for (const float y : {-.3f, 0.f, .21f}) {
        const float left = p.seen({-1e-4f, y, 1.f}, {0, 0, -1});
        const float right = p.seen({1e-4f, y, 1.f}, {0, 0, -1});
        INFO(left << " and " << right);
        CHECK(left > .05f);
        CHECK(std::fabs(left - right) < .01f);
    }
}

TEST_CASE("a stroke adds at most its opacity, and erases by it") {
    Painted p(square_obj);
    paint::Brush brush;
    brush.opacity = .6f;
    std::vector<paint::Dab> many(30, p.dab({.5f, .5f, .37f}, {0, 0, 1}, .2f));
    p.paint(many, brush, V3f(.8f));
    const V3f above(.5f, .5f, 2.f);
    CHECK(p.seen(above, {0, 0, -1}) == Approx(.48f).margin(.002));
    p.paint(many, brush, V3f(.8f));  // another stroke adds to it
    CHECK(p.seen(above, {0, 0, -1}) == Approx(.8f * (1.f - .4f * .4f)).margin(.003));
    brush.mode = paint::Mode::erase;
    brush.opacity = .3f;
    p.paint(many, brush);
    CHECK(p.seen(above, {0, 0, -1}) == Approx(.8f * (1.f - .4f * .4f) * .7f).margin(.003));
    CHECK(p.seen({.9f, .9f, 2.f}, {0, 0, -1}) == 0.f);
    SECTION("what is erased shows what comes in") {
        p.scene.build_ups[0].layers[0].nodes[0].inputs["under"].value = .5f;
        brush.opacity = 1.f;
        p.paint(many, brush);
        CHECK(p.seen(above, {0, 0, -1}) == Approx(.5f).margin(.003));
    }
}

TEST_CASE("what shares its UVs is painted from either place") {
    Painted p(
        "o twins\nv -1 0 0\nv -.2 0 0\nv -.2 .8 0\nv -1 .8 0\nv .2 0 0\nv 1 0 0\nv 1 .8 0\nv .2 .8 0\nvn 0 0 1\n"
        "vt .1 .1\nvt .9 .1\nvt .9 .9\nvt .1 .9\nf 1/1/1 2/2/1 3/3/1 4/4/1\nf 5/2/1 6/1/1 7/4/1 8/3/1\n");
    paint::Brush through;
    p.paint(std::vector<paint::Dab>(10, p.dab({.4f, .3f, 0.f}, {0, 0, 1}, .1f)));
    CHECK(p.seen({.4f, .3f, 1.f}, {0, 0, -1}) > .95f);
    CHECK(p.seen({-.4f, .3f, 1.f}, {0, 0, -1}) > .95f);  // mirrored
    CHECK(p.seen({-.8f, .3f, 1.f}, {0, 0, -1}) == 0.f);
    p.paint(std::vector<paint::Dab>(10, p.dab({-.8f, .6f, 0.f}, {0, 0, 1}, .1f)));
    CHECK(p.seen({-.8f, .6f, 1.f}, {0, 0, -1}) > .95f);
    CHECK(p.seen({.8f, .6f, 1.f}, {0, 0, -1}) > .95f);
}

TEST_CASE("only what the camera sees is painted, unless through is asked") {
    // Two squares behind one another.
    const std::string obj =
        "o pair\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 -.1\nv 1 0 -.1\nv 1 1 -.1\nv 0 1 -.1\nvn 0 0 1\nvt 0 0\n"
        "vt .45 0\nvt .45 .45\nvt 0 .45\nvt .5 .5\nvt .95 .5\nvt .95 .95\nvt .5 .95\n"
        "f 1/1/1 2/2/1 3/3/1 4/4/1\nf 5/5/1 6/6/1 7/7/1 8/8/1\n";
    Painted p(obj);
    const std::vector<paint::Dab> dabs(20, p.dab({.5f, .5f, 0.f}, {0, 0, 1}, .3f));
    p.paint(dabs);
    CHECK(p.seen({.5f, .5f, 1.f}, {0, 0, -1}) > .95f);
    CHECK(p.seen({.5f, .5f, -.05f}, {0, 0, -1}) == 0.f);
    paint::Limits limits;
    limits.through = true;
    p.paint(dabs, {}, V3f(1.f), limits);
    CHECK(p.seen({.5f, .5f, -.05f}, {0, 0, -1}) > .5f);
    SECTION("and only within an outline") {
        p.painting().sheets.clear();
        p.prepare();
        limits.outline = {{0, 0}, {400, 0}, {400, 190}, {0, 190}};  // the upper part of the view
        p.scene.cameras[0].position = V3f(.5f, .5f, 3.f);
        p.scene.cameras[0].target = V3f(.5f, .5f, 0.f);
        p.prepare();
        p.paint(dabs, {}, V3f(1.f), limits);
        CHECK(p.seen({.5f, .45f, 1.f}, {0, 0, -1}) == 0.f);
        CHECK(p.seen({.5f, .6f, 1.f}, {0, 0, -1}) > .9f);
    }
}

TEST_CASE("where heights move a form, paint lies on the moved one") {
    Painted p(square_obj);
    write_image(p.scratch.path / "rise.exr", 64, 64, 1, Kept::floats, [](int x, int, int) { return float(x) / 64.f; });
    scene::Layer& base = p.scene.build_ups[0].layers[0];
    base.nodes.push_back({.id = "rise", .kind = "image", .type = "float", .name = "Rise"});
    base.nodes.back().inputs["file"].value = std::string("rise.exr");
    base.surface[nodes::slot::height] = {scene::Value{0.f}, "rise"};
    base.surface[nodes::slot::height_scale] = {scene::Value{.2f}, {}};
    base.surface[nodes::slot::height_neutral] = {scene::Value{0.f}, {}};
    p.prepare();
    const geometry::Place at = p.look({.8f, .5f, 3.f}, {0, 0, -1});
    REQUIRE(geometry::hit_something(at));
    const V3f there = p.prepared->geometry->at(at).position;
    REQUIRE(there.z == Approx(.37f + .16f).margin(.01));
    p.paint(std::vector<paint::Dab>(8, p.dab({.8f, .5f, .37f}, {0, 0, 1}, .06f)));  // where the flat form would be
    CHECK(p.seen({.8f, .5f, 3.f}, {0, 0, -1}) == 0.f);
    p.paint(std::vector<paint::Dab>(8, p.dab(there, {0, 0, 1}, .06f)));
    CHECK(p.seen({.8f, .5f, 3.f}, {0, 0, -1}) > .95f);
    CHECK(p.seen({.6f, .5f, 3.f}, {0, 0, -1}) == 0.f);
}

TEST_CASE("what hides a form is found with fewer rays than it has texels, where those are finer than pixels") {
    // A triangle, leaning, before a square.
    const std::string obj =
        "o pair\nv -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nv -.53 -.41 .2\nv .47 -.23 .3\nv .11 .62 .1\nvn 0 0 1\n"
        "vt .01 .01\nvt .9 .01\nvt .9 .9\nvt .01 .9\nvt .95 .95\nvt .99 .95\nvt .99 .99\n"
        "f 1/1/1 2/2/1 3/3/1 4/4/1\nf 5/5/1 6/6/1 7/7/1\n";
    Painted p(obj, 1024);
    const auto canvas = p.canvas();
    const auto layout = canvas->layout(canvas->sheets()[0], 1024);
    paint::View view = p.view();
    view.camera.position = V3f(.2f, .1f, 4.f);
    view.camera.target = V3f(0.f);
    paint::View each = view;  // more pixels than texels: each one asks
    each.width *= 16;
    each.height *= 16;
    const paint::Sight sight(p.prepared, view);
    const paint::Sight truth(p.prepared, each);
    size_t hidden = 0;
    size_t apart = 0;
    size_t all = 0;
    for (int y = 0; y < layout->across(); ++y)
        for (int x = 0; x < layout->across(); ++x)
            for (const auto& leaf : layout->tile(x, y)->leaves)
                for (int b = 0; b < 64; ++b) {
                    const uint64_t seen = truth.of_block(*leaf, b);
                    hidden += size_t(64 - std::popcount(seen));
                    apart += size_t(std::popcount(seen ^ sight.of_block(*leaf, b)));
                    all += 64;
                }
    CHECK(hidden > all / 10);
    CHECK(apart < hidden / 2000);  // tips of the triangle between the sixteen of a block
}

TEST_CASE("a form without UVs is told of, and painted on itself") {
    Painted over(sphere_obj(24), 256);
    CHECK(over.canvas()->sheets().empty());
    REQUIRE_FALSE(over.canvas()->problems().empty());
    CHECK(over.canvas()->problems()[0].why.find("it has none") != std::string::npos);
    over.paint({over.dab({0, 0, .5f}, {0, 0, 1}, .2f)});
    CHECK(over.painting().sheets.empty());

    Painted p(sphere_obj(24), 256, "float", 2.f);  // two millimetres
    REQUIRE(p.canvas()->sheets().size() == 1);
    CHECK(p.canvas()->problems().empty());
    p.paint(std::vector<paint::Dab>(12, p.dab({0, 0, .5f}, {0, 0, 1}, .2f)));
    REQUIRE(p.painting().sheets.size() == 1);
    CHECK(p.painting().sheets[0].part == "part");
    CHECK(p.seen({0, 0, 2.f}, {0, 0, -1}) > .98f);
    CHECK(p.seen({.45f, 0, 2.f}, {0, 0, -1}) == 0.f);
    CHECK(p.seen({0, 0, -2.f}, {0, 0, 1}) == 0.f);  // what is turned away
}

TEST_CASE("a subdivided form is painted where its smooth surface is, with UVs and without") {
    // A cube whose faces lie side by side in the UVs: subdivided it is nearly a ball.
    auto cube = [](bool uvs) {
        std::string text = "o cube\n";
        char line[160];
        for (int c = 0; c < 8; ++c) {
            std::snprintf(line, sizeof line, "v %g %g %g\n", c & 1 ? .5 : -.5, c & 2 ? .5 : -.5, c & 4 ? .5 : -.5);
            text += line;
        }
        for (int f = 0; uvs && f < 6; ++f)
            for (int c = 0; c < 4; ++c) {
                std::snprintf(line, sizeof line, "vt %g %g\n", (f % 3 + .05 + .9 * (c == 1 || c == 2)) / 3.,
                              (f / 3 + .05 + .9 * (c > 1)) / 2.);
                text += line;
            }
        const int faces[6][4] = {{1, 3, 4, 2}, {5, 6, 8, 7}, {1, 2, 6, 5}, {3, 7, 8, 4}, {1, 5, 7, 3}, {2, 4, 8, 6}};
        for (int f = 0; f < 6; ++f) {
            text += "f";
            for (int c = 0; c < 4; ++c)
                text += " " + std::to_string(faces[f][c]) + (uvs ? "/" + std::to_string(4 * f + c + 1) : "");
            text += "\n";
        }
        return text;
    };
    for (const bool uvs : {true, false}) {
        INFO((uvs ? "with UVs" : "without"));
        Painted p(cube(uvs), 1024, "float", uvs ? 0.f : 2.f);
        for (scene::Part& part : p.scene.parts) part.subdivision = 4;
        p.prepare();
        const geometry::Place at = p.look({.1f, .1f, 3.f}, {0, 0, -1});
        REQUIRE(geometry::hit_something(at));
        const V3f there = p.prepared->geometry->at(at).position;
        REQUIRE(there.z < .42f);                                                       // the cube's own face is at .5
        p.paint(std::vector<paint::Dab>(8, p.dab({.1f, .1f, .5f}, {0, 0, 1}, .05f)));  // where the cube's face would be
        CHECK(p.seen({.1f, .1f, 3.f}, {0, 0, -1}) == 0.f);
        p.paint(std::vector<paint::Dab>(8, p.dab(there, {0, 0, 1}, .06f)));
        CHECK(p.seen({.1f, .1f, 3.f}, {0, 0, -1}) > .95f);
        CHECK(p.seen({.13f, .12f, 3.f}, {0, 0, -1}) > .5f);
        CHECK(p.seen({.2f, .1f, 3.f}, {0, 0, -1}) == 0.f);
        // Across a border of the cube's faces, round where its edge was.
        const geometry::Place edge = p.look({0, 3.f, 3.f}, {0, -1, -1});
        const V3f on = p.prepared->geometry->at(edge).position;
        p.paint(std::vector<paint::Dab>(8, p.dab(on, {0, 1, 1}, .08f)));
        for (const float turn : {-.04f, -.02f, .02f, .04f}) {
            INFO("beside the edge by " << turn);
            CHECK(p.seen({0, 3.f + turn, 3.f - turn}, {0, -1, -1}) > .5f);
        }
    }
}

TEST_CASE("painted with UVs and without, a form looks the same") {
    // The same ball: with UVs in one tile, and on itself in charts whose borders run through the strokes.
    auto ball = [](bool uvs) {
        const int n = 40;
        std::string text = "o ball\n";
        char line[192];
        for (int j = 0; j <= n; ++j)
            for (int i = 0; i <= n; ++i) {
                const double t = M_PI * (.05 + .9 * j / n), a = M_PI * (double(i) / n - .5);
                const double x = std::sin(t) * std::sin(a), y = std::cos(t), z = std::sin(t) * std::cos(a);
                std::snprintf(line, sizeof line, "v %.9g %.9g %.9g\nvn %.9g %.9g %.9g\n", .5 * x, .5 * y, .5 * z, x, y,
                              z);
                text += line;
                std::snprintf(line, sizeof line, "vt %.9g %.9g\n", .02 + .96 * i / n, .98 - .96 * j / n);
                if (uvs) text += line;
            }
        for (int j = 0; j < n; ++j)
            for (int i = 0; i < n; ++i) {
                const int a = j * (n + 1) + i + 1, b = a + 1, c = b + n + 1, d = a + n + 1;
                if (uvs)
                    std::snprintf(line, sizeof line, "f %d/%d/%d %d/%d/%d %d/%d/%d %d/%d/%d\n", a, a, a, d, d, d, c, c,
                                  c, b, b, b);
                else
                    std::snprintf(line, sizeof line, "f %d//%d %d//%d %d//%d %d//%d\n", a, a, d, d, c, c, b, b);
                text += line;
            }
        return text;
    };
    Painted with(ball(true), 1024);
    Painted without(ball(false), 1024, "float", 1.f);
    CHECK(without.prepared->charts_of[0]->count > 3);
    std::vector<paint::Dab> dabs;
    for (int i = 0; i < 40; ++i) {
        const float a = -.9f + .045f * float(i);
        const V3f out(std::sin(a), .3f * std::sin(5.f * a), std::cos(a));
        paint::Dab d = with.dab(out.normalized() * .5f, out, .09f);
        d.hardness = 0.f;
        d.flow = .5f;
        dabs.push_back(d);
    }
    paint::Limits through;
    through.through = true;
    with.paint(dabs, {}, V3f(1.f), through);
    without.paint(dabs, {}, V3f(1.f), through);
    float worst = 0.f;
    double apart = 0;
    int painted = 0;
    for (float y = -.3f; y < .3f; y += .01f)
        for (float x = -.4f; x < .4f; x += .01f) {
            if (x * x + y * y > .18f) continue;  // beside the ball
            const float a = with.seen({x, y, 2.f}, {0, 0, -1});
            const float b = without.seen({x, y, 2.f}, {0, 0, -1});
            worst = std::max(worst, std::fabs(a - b));
            apart += double(std::fabs(a - b));
            painted += a > .1f;
        }
    CHECK(painted > 200);
    CHECK(worst < .01f);
    CHECK(apart / (60 * 80) < .002);
}

TEST_CASE("smudging carries paint along, blurring evens it out, both across the seam") {
    Painted p(two_islands_obj());
    paint::Dab hard = p.dab({-.3f, 0.f, 0.f}, {0, 0, 1}, .25f);
    hard.hardness = .95f;
    p.paint(std::vector<paint::Dab>(8, hard));
    REQUIRE(p.seen({-.06f, 0.f, 1.f}, {0, 0, -1}) > .9f);
    REQUIRE(p.seen({.1f, 0.f, 1.f}, {0, 0, -1}) == 0.f);
    SECTION("smudge") {
        paint::Brush brush;
        brush.mode = paint::Mode::smudge;
        std::vector<paint::Dab> way;
        for (int i = 0; i < 30; ++i) {
            paint::Dab d = p.dab({-.3f + .02f * float(i), 0.f, 0.f}, {0, 0, 1}, .15f);
            d.flow = .8f;
            way.push_back(d);
        }
        p.paint(way, brush);
        CHECK(p.seen({.1f, 0.f, 1.f}, {0, 0, -1}) > .3f);
        const float left = p.seen({-2e-3f, 0.f, 1.f}, {0, 0, -1});
        const float right = p.seen({2e-3f, 0.f, 1.f}, {0, 0, -1});
        CHECK(std::fabs(left - right) < .08f);
    }
    SECTION("blur") {
        paint::Brush brush;
        brush.mode = paint::Mode::blur;
        p.paint(std::vector<paint::Dab>(12, p.dab({-.05f, 0.f, 0.f}, {0, 0, 1}, .2f)), brush);
        const float middle = p.seen({-.05f, 0.f, 1.f}, {0, 0, -1});
        CHECK(middle < .95f);
        CHECK(middle > .2f);
        CHECK(p.seen({.01f, 0.f, 1.f}, {0, 0, -1}) > .03f);
    }
}

TEST_CASE("a photograph lands where it is held") {
    // A checker of 8 x 8 held over the view, brushed through onto a plane, a cylinder and a sphere.
    paint::Photo checker;
    checker.width = checker.height = 256;
    for (int y = 0; y < 256; ++y)
        for (int x = 0; x < 256; ++x) checker.pixels.push_back(V3f((x / 32 + y / 32) % 2 ? 1.f : 0.f));
    checker.corners = {V2f(100, 100), V2f(300, 100), V2f(300, 300), V2f(100, 300)};
    auto with_uvs = [](bool sphere) {
        const int n = 48;
        std::string text = "o bent\n";
        char line[160];
        for (int j = 0; j <= n; ++j)
            for (int i = 0; i <= n; ++i) {
                const double a = M_PI * (double(i) / n - .5), t = double(j) / n;
                const double y = sphere ? std::sin(M_PI * (t - .5)) : 2 * t - 1;
                const double r = sphere ? std::cos(M_PI * (t - .5)) : 1;
                const double x = r * std::sin(a), z = r * std::cos(a);
                std::snprintf(line, sizeof line, "v %.9g %.9g %.9g\nvn %.9g %.9g %.9g\nvt %.9g %.9g\n", .5 * x, .5 * y,
                              .5 * z, x, sphere ? y : 0., z, .02 + .96 * i / n, .02 + .96 * t);
                text += line;
            }
        for (int j = 0; j < n; ++j)
            for (int i = 0; i < n; ++i) {
                const int a = j * (n + 1) + i + 1, b = a + 1, c = b + n + 1, d = a + n + 1;
                std::snprintf(line, sizeof line, "f %d/%d/%d %d/%d/%d %d/%d/%d %d/%d/%d\n", a, a, a, b, b, b, c, c, c,
                              d, d, d);
                text += line;
            }
        return text;
    };
    const std::string forms[] = {two_islands_obj(), with_uvs(false), with_uvs(true)};
    for (const std::string& form : forms) {
        Painted p(form, 2048, "color3");
        paint::Brush brush;
        brush.steep = 180.f;
        paint::Stroke stroke(p.canvas(), p.painting(), brush, V3f(1.f), p.view(), {},
                             std::make_shared<const paint::Photo>(checker));
        paint::Dab d = p.dab({0, 0, .5f}, {0, 0, 1}, 2.f);
        d.hardness = 1.f;
        d.flow = 1.f;
        d.steep = 180.f;
        stroke.dab(d);
        p.painting() = stroke.now();
        p.prepare();
        const render::Pinhole eye(p.prepared->camera, 400, 400, p.view().framed);
        // Along lines through the view: where dark turns to light is where a square ends.
        int edges = 0;
        float worst = 0.f;
        for (const float row : {161.f, 212.f, 237.f}) {
            float last = -1.f;
            float last_x = 0.f;
            for (float x = 130.f; x < 270.f; x += .05f) {
                const V3f along = eye.forward + eye.right * ((2.f * x / 400.f - 1.f) * eye.tan_x) +
                                  eye.up * ((1.f - 2.f * row / 400.f) * eye.tan_y);
                const float v = p.seen(eye.origin, along);
                if (last >= 0.f && (v > .5f) != (last > .5f)) {
                    const float at = last_x + (x - last_x) * (.5f - last) / (v - last);
                    const float ideal = std::round((at - 100.f) / 25.f) * 25.f + 100.f;
                    // A texel here, in pixels of the view.
                    const geometry::Place here = p.look(eye.origin, along);
                    const geometry::SurfacePoint s = p.prepared->geometry->at(here);
                    const float texel =
                        1.f / (2048.f * s.uv_per_metre) / ((s.position - eye.origin).length() * eye.pixel_angle);
                    worst = std::max(worst, std::fabs(at - ideal) / std::max(texel, .05f));
                    ++edges;
                }
                last = v;
                last_x = x;
            }
        }
        INFO(form.substr(0, 12) << ": " << edges << " edges, worst " << worst << " texels away");
        CHECK(edges >= 12);
        CHECK(worst < .75f);  // half a texel, and what the search steps by
    }
}

TEST_CASE("hands that say nothing sensible do no harm") {
    Painted p(square_obj);
    p.scene.cameras[0].position = V3f(.5f, .5f, 3.f);
    p.scene.cameras[0].target = V3f(.5f, .5f, 0.f);
    p.prepare();
    paint::Brush brush;
    paint::Hand hand(p.prepared, p.view(), brush, 7);
    std::vector<paint::Dab> dabs = hand.move({200.f, 200.f, NAN, NAN, NAN});
    CHECK(dabs.size() == 1);
    CHECK(hand.move({NAN, 200.f}).empty());
    CHECK(hand.move({INFINITY, 200.f}).empty());
    for (const paint::Dab& d : hand.move({1e30f, 200.f})) CHECK(finite(d.centre));
    paint::Stroke stroke(p.canvas(), p.painting(), brush, V3f(NAN), p.view());
    for (paint::Dab d : {dabs[0], dabs[0], dabs[0]}) {
        d.radius = NAN;
        stroke.dab(d);
        d.radius = 1e30f;
        stroke.dab(d);
        d.radius = .1f;
        d.centre.x = INFINITY;
        stroke.dab(d);
    }
    p.painting() = stroke.now();
    p.prepare();
    CHECK(std::isfinite(p.seen({.5f, .5f, 2.f}, {0, 0, -1})));
    // Photos of one pixel, and of none.
    for (const int size : {0, 1}) {
        auto photo = std::make_shared<paint::Photo>();
        photo->width = photo->height = size;
        photo->pixels.assign(size_t(size * size), V3f(.5f));
        photo->corners = {V2f(0, 0), V2f(0, 0), V2f(0, 0), V2f(0, 0)};  // and no room
        paint::Stroke with(p.canvas(), p.painting(), brush, V3f(1.f), p.view(), {}, photo);
        with.dabs(dabs);
        with.now();
    }
}

TEST_CASE("the same hand gives the same dabs, spaced as asked, behind a string") {
    Painted p(square_obj);
    p.scene.cameras[0].position = V3f(.5f, .5f, 3.f);
    p.scene.cameras[0].target = V3f(.5f, .5f, 0.f);
    p.prepare();
    paint::Brush brush;
    brush.size = 20.f;
    brush.spacing = .5f;
    brush.smoothing = 0.f;
    brush.jitter_place = .3f;
    brush.jitter_size = .5f;
    auto run = [&](uint32_t seed) {
        paint::Hand hand(p.prepared, p.view(), brush, seed);
        std::vector<paint::Dab> all = hand.move({150, 200});
        for (int x = 151; x <= 250; ++x)
            for (const paint::Dab& d : hand.move({float(x), 200})) all.push_back(d);
        for (const paint::Dab& d : hand.end()) all.push_back(d);
        return all;
    };
    const auto a = run(1);
    const auto b = run(1);
    const auto c = run(2);
    REQUIRE(a.size() == b.size());
    CHECK(a.size() > 8);
    bool other = a.size() != c.size();
    for (size_t i = 0; i < a.size(); ++i) {
        CHECK(a[i].centre == b[i].centre);
        other |= i < c.size() && !(a[i].centre == c[i].centre);
    }
    CHECK(other);
}

TEST_CASE("faces are filled by island, and as far as they go on evenly") {
    Painted p(two_islands_obj());
    paint::Brush brush;
    auto fill = [&](const V3f& at, paint::FillWhat what, const V3f& along = {0, 0, -1}) {
        const paint::FaceSet faces = paint::faces_at(*p.prepared, p.look(at, along), what, 30.f);
        p.painting() = paint::filled(*p.canvas(), p.painting(), faces, brush, V3f(1.f));
        p.prepare();
    };
    fill({-.5f, .2f, 1.f}, paint::FillWhat::island);
    CHECK(p.seen({-.9f, -.9f, 1.f}, {0, 0, -1}) == 1.f);
    CHECK(p.seen({-.01f, .9f, 1.f}, {0, 0, -1}) == 1.f);
    CHECK(p.seen({.01f, .9f, 1.f}, {0, 0, -1}) < .6f);  // the other island: at most what lies within a texel
    CHECK(p.seen({.5f, 0.f, 1.f}, {0, 0, -1}) == 0.f);
    fill({-.5f, .2f, 1.f}, paint::FillWhat::faces);  // over the seam: the form goes on there
    CHECK(p.seen({.5f, 0.f, 1.f}, {0, 0, -1}) == 1.f);

    Painted corner(
        "o corner\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 1 0 -1\nv 1 1 -1\nvt .1 .1\nvt .4 .1\nvt .4 .4\n"
        "vt .1 .4\nvt .7 .1\nvt .7 .4\nf 1/1 2/2 3/3 4/4\nf 2/2 5/5 6/6 3/3\n");
    const paint::FaceSet even =
        paint::faces_at(*corner.prepared, corner.look({.5f, .5f, 1.f}, {0, 0, -1}), paint::FillWhat::faces, 30.f);
    CHECK(std::count(even.faces.begin(), even.faces.end(), 1) == 2);  // up to the edge
    const paint::FaceSet all =
        paint::faces_at(*corner.prepared, corner.look({.5f, .5f, 1.f}, {0, 0, -1}), paint::FillWhat::faces, 100.f);
    CHECK(std::count(all.faces.begin(), all.faces.end(), 1) == 4);
}
