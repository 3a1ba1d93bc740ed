// Reliefs that go any way: vectors, facets, rounding.
#include "plate_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// Where the ray from in front meets the plate, and what is there.
geometry::SurfacePoint met(const render::Prepared& p, float x, float y) {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray = geometry::single_ray({x, y, 5.f}, {0.f, 0.f, -1.f});
    rtcIntersect1(p.geometry->scene(), &context, &ray);
    const geometry::Place at = geometry::place_of(ray.hit);
    REQUIRE(geometry::hit_something(at));
    return p.geometry->at(at);
}

void set_vector(Plate& p, size_t layer, const V3f& v, scene::VectorSpace space) {
    p.layer(layer).surface[slot::height_vector] = {scene::Value{v}, {}};
    p.set(layer, slot::height_vector_space, float(int(space)));
}

}  // namespace

TEST_CASE("a vector moves the surface along UVs and outwards, or along the part's axes") {
    Plate p;
    p.set(0, slot::height_scale, .2f);
    auto by = [&](const V3f& v, scene::VectorSpace space) {
        set_vector(p, 0, v, space);
        return met(*p.ready(), .5f, .5f).displaced_by;
    };
    // The plate's U runs along x, its V along y, outwards along z.
    CHECK((by({.75f, .5f, .5f}, scene::VectorSpace::uv_third_outwards) - V3f(.05f, 0, 0)).length() < 1e-4f);
    CHECK((by({.5f, .75f, .5f}, scene::VectorSpace::uv_third_outwards) - V3f(0, .05f, 0)).length() < 1e-4f);
    CHECK((by({.5f, .5f, .75f}, scene::VectorSpace::uv_third_outwards) - V3f(0, 0, .05f)).length() < 1e-4f);
    CHECK((by({.5f, .75f, .5f}, scene::VectorSpace::uv_second_outwards) - V3f(0, 0, .05f)).length() < 1e-4f);
    CHECK((by({.25f, .75f, 1.f}, scene::VectorSpace::part) - V3f(-.05f, .05f, .1f)).length() < 1e-4f);
    CHECK((by({2.f, .5f, .5f}, scene::VectorSpace::part) - V3f(.1f, 0, 0)).length() < 1e-4f);  // the limit
    CHECK(by({.5f, .5f, .5f}, scene::VectorSpace::part).length() < 1e-5f);
}

TEST_CASE("vectors and heights of layers make one form") {
    Plate p;
    p.set(0, slot::height, .8f);
    p.set(0, slot::height_scale, .1f);  // .03 outwards
    p.add_cover();
    p.layer(1).amount = .5f;
    p.set(1, slot::height_scale, .1f);
    set_vector(p, 1, {.9f, .5f, .6f}, scene::VectorSpace::part);  // .04 along x, .01 outwards
    auto join = [&](scene::HeightJoin j) {
        p.set(1, slot::height_join, float(int(j)));
        return met(*p.ready(), .5f, .5f).displaced_by;
    };
    CHECK((join(scene::HeightJoin::by_coverage) - V3f(.02f, 0, .02f)).length() < 1e-4f);
    CHECK((join(scene::HeightJoin::added) - V3f(.02f, 0, .035f)).length() < 1e-4f);
    CHECK((join(scene::HeightJoin::highest) - V3f(0, 0, .03f)).length() < 1e-4f);
    p.set(0, slot::height, .5f);
    CHECK((join(scene::HeightJoin::highest) - V3f(.02f, 0, .005f)).length() < 1e-4f);
    p.set(1, slot::height_thickness, .004f);
    CHECK((join(scene::HeightJoin::by_coverage) - V3f(.02f, 0, .007f)).length() < 1e-4f);
    CHECK(met(*p.ready(), .5f, .5f).height == Approx(.007f).margin(1e-4));
}

TEST_CASE("masks read how far vectors stand out, and coats level what they press in") {
    Plate p;
    p.set(0, slot::height_scale, .1f);
    set_vector(p, 0, {.5f, .5f, .2f}, scene::VectorSpace::part);  // .03 inwards
    p.add_cover(scene::LayerKind::coat);
    p.set(1, slot::height_levelling, .5f);
    CHECK(met(*p.ready(), .5f, .5f).displaced_by.z == Approx(-.015f).margin(1e-4));
    p.layer(1).on = false;
    p.add_cover();
    p.node(2, "low", "reliefheight", "float", {{"from", {scene::Value{0.f}, {}}}, {"to", {scene::Value{-.03f}, {}}}});
    p.layer(2).gate.mask = {scene::Value{1.f}, "low"};
    p.set(2, slot::height_thickness, .01f);
    CHECK(met(*p.ready(), .5f, .5f).displaced_by.z == Approx(-.02f).margin(1e-4));
}

TEST_CASE("a vector map overhangs, and the picture of it is of numbers") {
    Plate p;
    write_image(p.s.path / "swirl.tif", 64, 64, 3, Kept::floats, [&](int x, int y, int c) {
        const float a = float(x) * .3f;
        return c == 0 ? .5f + .5f * std::sin(a) : c == 1 ? .5f : .5f + .5f * std::cos(a + .05f * float(y));
    });
    p.node(0, "swirl", "image", "vector3", {{"file", {scene::Value{std::string("swirl.tif")}, {}}}});
    p.layer(0).surface[slot::height_vector] = {scene::Value{V3f(.5f)}, "swirl"};
    p.set(0, slot::height_scale, .25f);
    const auto ready = p.ready();
    CHECK(ready->problems.empty());
    const Box3f box = ready->geometry->bounds();
    CHECK(box.size().z > .06f);
    // Somewhere a ray goes through the sheet three times.
    bool overhangs = false;
    for (float x = .05f; x < .95f; x += .003f) {
        RTCIntersectContext context;
        int crossings = 0;
        float from = 0.f;
        for (; crossings < 8; ++crossings) {
            rtcInitIntersectContext(&context);
            RTCRayHit ray = geometry::single_ray({x, .5f, 5.f}, {0.f, 0.f, -1.f});
            ray.ray.tnear = from;
            rtcIntersect1(ready->geometry->scene(), &context, &ray);
            if (!geometry::hit_something(geometry::place_of(ray.hit))) break;
            from = ray.ray.tfar + 1e-5f;
        }
        overhangs |= crossings >= 3;
    }
    CHECK(overhangs);
    for (const V3f& c : rendered(*ready, 24, 24, 2)) CHECK(finite(c));
}

TEST_CASE("vectors by UVs without UVs move outwards alone, and that is told; huge ones end, and that is told") {
    Plate p;
    p.s.write("bare.obj", "v 0 0 0.37\nv 1 0 0.37\nv 1 1 0.37\nv 0 1 0.37\nf 1 2 3\nf 1 3 4\n");
    p.scene.assets[0].file = "bare.obj";
    p.scene.parts.clear();
    p.scene.parts.push_back(plain_scene("bare.obj").parts[0]);
    p.set(0, slot::height_scale, .2f);
    set_vector(p, 0, {.75f, .75f, .75f}, scene::VectorSpace::uv_third_outwards);
    auto told = [&](const char* what) {
        const auto ready = p.ready();
        return std::any_of(ready->problems.begin(), ready->problems.end(),
                           [&](const Error& e) { return e.what.find(what) != std::string::npos; });
    };
    CHECK(told("no UVs for its vectors"));
    CHECK((met(*p.ready(), .5f, .5f).displaced_by - V3f(0, 0, .05f)).length() < 1e-4f);
    set_vector(p, 0, {.5f, .5f, 1.f}, scene::VectorSpace::part);
    CHECK(!told("no UVs for its vectors"));
    p.set(0, slot::height_scale, 1e6f);
    CHECK(told("larger than the part"));
}

TEST_CASE("a part is rounded between its corners, with relief and without, and left so when it is kept flat") {
    Plate p;
    std::string o;
    const char* corners[] = {"1 0 0", "-1 0 0", "0 1 0", "0 -1 0", "0 0 1", "0 0 -1"};
    for (const char* c : corners) o += std::string("v ") + c + "\nvn " + c + "\n";
    const int faces[8][3] = {{1, 3, 5}, {3, 2, 5}, {2, 4, 5}, {4, 1, 5}, {3, 1, 6}, {2, 3, 6}, {4, 2, 6}, {1, 4, 6}};
    for (const auto& f : faces) {
        o += "f";
        for (const int c : f) o += " " + std::to_string(c) + "//" + std::to_string(c);
        o += "\n";
    }
    p.s.write("ball.obj", o);
    p.scene.assets[0].file = "ball.obj";
    p.scene.parts = {plain_scene("ball.obj").parts[0]};
    auto radius = [&] {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        const V3f d = V3f(1, 1, 1).normalized();
        RTCRayHit ray = geometry::single_ray(d * 5.f, -d);
        rtcIntersect1(p.ready()->geometry->scene(), &context, &ray);
        return 5.f - ray.ray.tfar;
    };
    CHECK(radius() == Approx(.577f).margin(1e-3));
    p.scene.parts[0].round = true;
    const float round = radius();
    CHECK(round == Approx(.7698f).margin(2e-3));  // of the cubic patch: 4/9 of the root of 3
    p.set(0, slot::height, 1.f);
    p.set(0, slot::height_scale, .1f);
    CHECK(radius() == Approx(round + .05f).margin(.03));
    p.scene.parts[0].flat = true;
    CHECK(radius() == Approx(round).margin(1e-4));
}
