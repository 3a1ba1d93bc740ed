// How layers are made visible: their colours in the coverage view, loud ones, and lines over a mask's ends.
#include "render/session.h"
#include "render_support.h"

#include <set>

using namespace vemtra;
using namespace vemtra::test;

namespace {
struct Eye {
    const char* name;
    float m[9];  ///< linear Rec.709 as this eye sees it: Machado, Oliveira, Fernandes 2009, at full severity
};
const Eye eyes[] = {
    {"all three cones", {1, 0, 0, 0, 1, 0, 0, 0, 1}},
    {"no red cones", {.152286f, 1.052583f, -.204868f, .114503f, .786281f, .099216f, -.003882f, -.048116f, 1.051998f}},
    {"no green cones", {.367322f, .860646f, -.227968f, .280085f, .672501f, .047413f, -.01182f, .04294f, .968881f}},
    {"no blue cones", {1.255528f, -.076749f, -.178779f, -.078411f, .930809f, .147602f, .004733f, .691367f, .3039f}}};

V3f lab(const Eye& eye, const V3f& c) {
    V3f s;
    for (int i = 0; i < 3; ++i)
        s[i] = std::max(0.f, eye.m[3 * i] * c.x + eye.m[3 * i + 1] * c.y + eye.m[3 * i + 2] * c.z);
    auto f = [](float t) { return t > .008856f ? std::cbrt(t) : 7.787f * t + 16.f / 116.f; };
    const float x = f((.4124f * s.x + .3576f * s.y + .1805f * s.z) / .9505f);
    const float y = f(.2126f * s.x + .7152f * s.y + .0722f * s.z);
    const float z = f((.0193f * s.x + .1192f * s.y + .9505f * s.z) / 1.089f);
    return {116.f * y - 16.f, 500.f * (x - y), 200.f * (y - z)};
}

/// A sphere in grey under a red cover that a mask lets through by half, with a clear coat over both.
scene::Scene layered(const Scratch& s) {
    s.write("ball.obj", sphere_obj(24));
    scene::Scene scene = plain_scene("ball.obj");
    scene.parts[0].source = "sphere";
    scene.cameras[0].position = V3f(0.f, 0.f, 2.5f);
    scene.cameras[0].target = V3f(0.f);
    scene::BuildUp& b = scene.build_ups[0];
    scene::Layer& red = *scene::find(b.layers, scene::add_layer(b, "Red"));
    red.surface["base_color"].value = V3f(.8f, .02f, .02f);
    red.gate.mask.value = .5f;
    scene::add_layer(b, "Varnish", "", scene::LayerKind::coat);
    return scene;
}
render::PrepareOptions options_for(const Scratch& s) {
    render::PrepareOptions o;
    o.folder = s.path;
    o.field_rays = 1;
    return o;
}
}  // namespace

TEST_CASE("the colours of eight layers are told apart by every eye, and each of twenty-four has a name of its own") {
    std::set<std::string> names;
    for (int i = 0; i < 24; ++i) CHECK(names.insert(render::coverage_color_name(i)).second);
    CHECK(render::coverage_color_name(24) == render::coverage_color_name(0));
    for (const Eye& eye : eyes)
        for (int i = 0; i < 8; ++i)
            for (int j = 0; j < i; ++j) {
                INFO(eye.name << ": " << render::coverage_color_name(i) << ", " << render::coverage_color_name(j));
                const V3f d = lab(eye, render::coverage_color(i)) - lab(eye, render::coverage_color(j));
                CHECK(d.length() > 10.f);  // a difference of 2.3 is just seen side by side
            }
    for (int i = 0; i < 24; ++i)
        for (int j = 0; j < i; ++j)
            CHECK((lab(eyes[0], render::coverage_color(i)) - lab(eyes[0], render::coverage_color(j))).length() > 4.f);
    CHECK(render::coverage_color(-1) != render::coverage_color(0));
}

TEST_CASE("a loud layer is matt and of its colour where it lies, nowhere else, and the document knows nothing of it") {
    const Scratch s;
    const auto scene = std::make_shared<const scene::Scene>(layered(s));
    const scene::BuildUp& b = scene->build_ups[0];
    render::Workshop workshop;
    render::PrepareOptions options = options_for(s);
    const auto plain = render::prepare(scene, workshop, options);
    options.loud = {render::loud_key(b.id, b.layers[1].id)};
    const auto loud = render::prepare(scene, workshop, options);
    REQUIRE(loud->build_ups[0].layers.size() == 3);
    const render::PreparedLayer& red = loud->build_ups[0].layers[1];
    CHECK(red.fixed.base_color == render::coverage_color(1));
    CHECK(red.fixed.specular_weight == 0.f);
    CHECK(red.gate.constant(0)->x == .5f);
    CHECK(plain->build_ups[0].layers[1].fixed.base_color == V3f(.8f, .02f, .02f));
    CHECK(loud->build_ups[0].layers[2].fixed.base_color == plain->build_ups[0].layers[2].fixed.base_color);
    CHECK(plain->scene == loud->scene);
    // A coat that is loud hides what it lies over, so that it is seen at all.
    options.loud = {render::loud_key(b.id, b.layers[2].id)};
    const auto coat = render::prepare(scene, workshop, options);
    REQUIRE(coat->build_ups[0].layers.size() == 1);
    CHECK_FALSE(coat->build_ups[0].layers[0].coat);
    const std::vector<V3f> seen = rendered(*coat, 24, 24, 8);
    const V3f middle = seen[12 * 24 + 12];
    const V3f wanted = render::coverage_color(2);
    CHECK(middle.z / middle.y == Approx(wanted.z / wanted.y).epsilon(.1));
    CHECK(middle.x < .1f * middle.y);
    // What is loud is another picture, begun anew.
    render::LiveRequest a;
    a.scene = scene;
    a.width = a.height = 16;
    render::LiveRequest c = a;
    c.loud = options.loud;
    CHECK(render::classify(a, c) == render::Change::shading);
    CHECK(render::classify(c, c) == render::Change::none);
    c = a;
    c.hatch_ends = false;
    CHECK(render::classify(a, c) == render::Change::display);
}

TEST_CASE("the coverage view counts layers within their build-up") {
    const Scratch s;
    scene::Scene scene = layered(s);
    scene.build_ups.insert(scene.build_ups.begin(), scene::default_build_up("unused", "Unused"));
    scene.build_ups[1].layers[1].gate.mask.value = 1.f;
    scene.build_ups[1].layers.pop_back();
    render::Workshop workshop;
    const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options_for(s));
    CHECK(p->layers[1].own == 0);
    CHECK(p->layers[2].own == 1);
    const V3f middle = rendered(*p, 24, 24, 4, render::View::coverage)[12 * 24 + 12];
    const V3f wanted = render::coverage_color(1);
    CHECK((middle / max_component(middle) - wanted / max_component(wanted)).length() < .02f);
}

TEST_CASE("lines lie over true black and true white, slanted apart, and over nothing between") {
    constexpr int w = 40;
    std::vector<V3f> numbers(size_t(w) * 30);
    for (int y = 0; y < 30; ++y)
        for (int x = 0; x < w; ++x) numbers[size_t(y) * w + size_t(x)] = V3f(y < 10 ? -.2f : y < 20 ? .5f : 1.3f);
    numbers[0] = V3f(0.f, .4f, 0.f);  // black in two channels alone
    for (const int enlarge : {1, 2}) {
        const int across = w * enlarge;
        const std::vector<uint8_t> before(numbers.size() * size_t(4 * enlarge * enlarge), 200);
        std::vector<uint8_t> after = before;
        render::hatch_ends(numbers, w, enlarge, after);
        auto changed = [&](int x, int y) { return after[size_t(y * across + x) * 4] != 200; };
        int black = 0;
        int white = 0;
        for (int y = 0; y < 30 * enlarge; ++y)
            for (int x = 0; x < across; ++x) {
                const int band = y / enlarge / 10;
                if (!changed(x, y)) continue;
                CHECK(band != 1);
                CHECK_FALSE((x < enlarge && y < enlarge));
                (band == 0 ? black : white) += 1;
                // One line runs down to the left, the other down to the right.
                const bool inner = x > 0 && x + 1 < across && y % (10 * enlarge) + 1 < 10 * enlarge;
                if (inner && !(x < 3 * enlarge && y < 3 * enlarge)) CHECK(changed(band == 0 ? x - 1 : x + 1, y + 1));
            }
        CHECK(black == Approx(across * 10 * enlarge / 7.).epsilon(.05));
        CHECK(white == Approx(across * 10 * enlarge / 7.).epsilon(.05));
        CHECK(after[3] == 200);  // opacity stays
    }
    std::vector<uint8_t> none;
    render::hatch_ends(numbers, 0, 1, none);
    render::hatch_ends({}, w, 1, none);
    CHECK(none.empty());
}
