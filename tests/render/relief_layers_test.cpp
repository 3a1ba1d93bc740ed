// Heights of layers, from the project to where rays meet them.
#include "render/relief.h"

#include <tbb/global_control.h>

#include "plate_support.h"
#include "render/fine_relief.h"
#include "review/finding.h"
#include "texture/height_map.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("a map alone is met as it lies in its file; a mask or a second height is computed") {
    Plate p;
    p.map(0, "ramp.tif", 16, [](int x, int) { return float(x) / 15.f; });
    program::Resources resources;
    std::vector<Error> problems;
    auto relief = [&] { return render::compile_reliefs(p.scene, resources, problems)[0]; };
    CHECK(relief()->map.has_value());
    SECTION("repeated, moved and turned") {
        p.node(0, "place", "placement", "place",
               {{"repeat", {scene::Value{V2f(3.f, 5.f)}, {}}}, {"rotation", {scene::Value{30.f}, {}}}});
        p.layer(0).nodes[0].inputs["texcoord"] = {scene::Value{V2f(0.f)}, "place"};
        const auto straight = relief();
        REQUIRE(straight->map.has_value());
        const auto& q = straight->map->placing.place;
        CHECK(q[0][0] == Approx(3.f * std::cos(pi / 6)));
        CHECK(q[1][1] == Approx(5.f * std::cos(pi / 6)));
        p.layer(0).nodes[1].inputs["projection"] = {scene::Value{1.f}, {}};
        CHECK_FALSE(relief()->map.has_value());
        p.layer(0).nodes[1].inputs["projection"] = {scene::Value{0.f}, {}};
        p.layer(0).nodes[1].inputs["shuffle_shift"] = {scene::Value{1.f}, {}};
        CHECK_FALSE(relief()->map.has_value());
    }
    SECTION("with something between the map and the slot") {
        p.node(0, "turned", "invert", "float", {{"in", from("map0")}});
        p.wire(0, slot::height, "turned");
        CHECK_FALSE(relief()->map.has_value());
    }
    SECTION("with a cover that is thick somewhere") {
        p.add_cover();
        p.set(1, slot::height_thickness, .01f);
        CHECK_FALSE(relief()->map.has_value());
    }
    SECTION("smoothed") {
        p.set(0, slot::height_smoothing, .01f);
        CHECK_FALSE(relief()->map.has_value());
    }
    p.layer(0).surface.clear();
    p.layer(0).nodes.clear();
    if (p.build_up().layers.size() == 1) CHECK(relief() == nullptr);
}

TEST_CASE("heights stand where the map, its scale, neutral value, limits and gamma say") {
    Plate p;
    p.map(0, "half.tif", 4, [](int x, int) { return x < 2 ? .25f : .75f; });
    p.set(0, slot::height_scale, .1f);
    CHECK(p.out_at(.25f, .5f) == Approx(-.025f).margin(1e-5));
    CHECK(p.out_at(.75f, .5f) == Approx(.025f).margin(1e-5));
    p.set(0, slot::height_neutral, 0.f);
    p.set(0, slot::height_strength, -2.f);
    CHECK(p.out_at(.75f, .5f) == Approx(-.15f).margin(1e-5));
    p.set(0, slot::height_strength, 1.f);
    p.set(0, slot::height_high, .5f);
    CHECK(p.out_at(.75f, .5f) == Approx(.05f).margin(1e-5));
    p.set(0, slot::height_high, 1.f);
    p.set(0, slot::height_gamma, 2.f);
    CHECK(p.out_at(.75f, .5f) == Approx(.05625f).margin(1e-5));
    // The same numbers by way of computed heights.
    p.node(0, "same", "multiply", "float", {{"in1", from("map0")}, {"in2", {scene::Value{1.f}, {}}}});
    p.wire(0, slot::height, "same");
    CHECK(p.out_at(.75f, .5f) == Approx(.05625f).margin(1e-4));
    p.scene.parts[0].flat = true;
    CHECK(p.out_at(.75f, .5f) == Approx(0.f).margin(1e-6));
    p.scene.parts[0].flat = false;
    CHECK(Plate::out_at(*p.ready({.relief = render::Relief::off}), .75f, .5f) == Approx(0.f).margin(1e-6));
}

TEST_CASE("layers make one height: by coverage, added, the highest, by thickness, levelled by coats") {
    Plate p;
    p.set(0, slot::height, .8f);
    p.set(0, slot::height_scale, .1f);  // .03 above neutral
    p.add_cover();
    p.layer(1).amount = .5f;
    p.set(1, slot::height, .6f);
    p.set(1, slot::height_scale, .1f);  // .01
    auto join = [&](scene::HeightJoin j) {
        p.set(1, slot::height_join, float(int(j)));
        return p.out_at(.4f, .6f);
    };
    CHECK(join(scene::HeightJoin::by_coverage) == Approx(.02f).margin(1e-5));
    CHECK(join(scene::HeightJoin::added) == Approx(.035f).margin(1e-5));
    CHECK(join(scene::HeightJoin::highest) == Approx(.03f).margin(1e-5));
    CHECK(join(scene::HeightJoin::none) == Approx(.03f).margin(1e-5));
    p.set(1, slot::height_thickness, .004f);
    CHECK(join(scene::HeightJoin::none) == Approx(.032f).margin(1e-5));
    p.layer(1).on = false;
    p.add_cover(scene::LayerKind::coat);
    p.set(2, slot::height_levelling, .75f);
    CHECK(p.out_at(.4f, .6f) == Approx(.03f).margin(1e-5));  // what stands out stays
    p.set(0, slot::height_strength, -1.f);
    CHECK(p.out_at(.4f, .6f) == Approx(-.03f * .25f).margin(1e-5));
}

TEST_CASE("a cover's edge is a real one, and its mask may read the height below it") {
    Plate p;
    p.map(0, "half.tif", 4, [](int x, int) { return x < 2 ? .25f : .75f; });
    p.set(0, slot::height_scale, .1f);
    p.add_cover();
    p.node(1, "low", "reliefheight", "float", {{"from", {scene::Value{.02f}, {}}}, {"to", {scene::Value{-.02f}, {}}}});
    p.layer(1).gate.mask = {scene::Value{1.f}, "low"};
    p.set(1, slot::height_thickness, .01f);
    const auto ready = p.ready();
    CHECK(Plate::out_at(*ready, .25f, .5f) == Approx(-.015f).margin(1e-4));
    CHECK(Plate::out_at(*ready, .75f, .5f) == Approx(.025f).margin(1e-4));
}

TEST_CASE("patterns stay where they lie on the form, and a part without heights is what it was") {
    Plate p;
    const auto before = p.ready();
    p.set(0, slot::height, 1.f);
    p.set(0, slot::height_scale, 1.f);
    const auto after = p.ready();
    CHECK(Plate::out_at(*after, .5f, .5f) == Approx(.5f).margin(1e-4));
    const geometry::SurfacePoint s = after->geometry->at({0, 0, .3f, .3f});
    const geometry::SurfacePoint rest = before->geometry->at({0, 0, .3f, .3f});
    CHECK((s.position - s.displaced_by - rest.position).length() < 1e-6f);
    CHECK(s.height == Approx(.5f).margin(1e-4));
    CHECK(rest.displaced_by == V3f(0.f));
    p.layer(0).surface.erase(slot::height);
    CHECK(p.ready()->geometry == before->geometry);  // nothing is built anew
}

TEST_CASE("normals follow the slope, across the sides of faces") {
    Plate p;
    p.map(
        0, "ramp.tif", 64, [](int x, int) { return (float(x) + .5f) / 64.f; }, Kept::floats);
    p.set(0, slot::height_scale, .5f);
    const auto ready = p.ready();
    const V3f tilted = V3f(-.5f, 0.f, 1.f).normalized();
    for (const V2f uv : {V2f(.2f, .4f), V2f(.45f, .1f), V2f(.499f, .3f)})
        for (uint32_t face = 0; face < 2; ++face)
            CHECK((ready->geometry->at({0, face, uv.x, uv.y}).normal - tilted).length() < 2e-2f);
}

TEST_CASE("heights that cannot be right are told, and the picture is of numbers") {
    Plate p;
    auto told = [&](const char* what) {
        const auto ready = p.ready();
        for (const V3f& c : rendered(*ready, 16, 16, 2)) CHECK(finite(c));
        for (const V3f& c : rendered(*ready, 16, 16, 2, render::View::clay)) CHECK(finite(c));
        return std::any_of(ready->problems.begin(), ready->problems.end(),
                           [&](const Error& e) { return e.what.find(what) != std::string::npos; });
    };
    SECTION("in the thousands") {
        p.set(0, slot::height, 1.f);
        p.set(0, slot::height_scale, 9000.f);
        CHECK(told("larger than the part"));
    }
    SECTION("of a map in the thousands, with numbers that are none") {
        p.map(
            0, "wild.exr", 8, [](int x, int y) { return x == y   ? NAN
                                                        : x == 2 ? INFINITY
                                                                 : 9000.f; }, Kept::floats);
        p.set(0, slot::height_high, 1e9f);
        CHECK(told("larger than the part"));
    }
    SECTION("a network that divides by nothing") {
        p.node(0, "broken", "divide", "float", {{"in1", {scene::Value{1.f}, {}}}, {"in2", {scene::Value{0.f}, {}}}});
        p.wire(0, slot::height, "broken");
        told("");
    }
    SECTION("a height that reads the height") {
        p.node(0, "itself", "reliefheight", "float", {});
        p.wire(0, slot::height, "itself");
        told("");
        CHECK(p.out_at(.5f, .5f) == Approx(0.f).margin(1e-4));  // nothing lies below the base
    }
    SECTION("a map that is gone") {
        p.map(0, "gone.tif", 4, [](int, int) { return 1.f; });
        fs::remove(p.s.path / "gone.tif");
        CHECK(told("cannot be read"));
    }
    SECTION("a tile that is gone") {
        p.s.write(
            "square.obj",
            "o square\nv 0 0 0.37\nv 1 0 0.37\nv 1 1 0.37\nv 0 1 0.37\nv 2 0 .37\nv 2 1 .37\nvt 0 0\nvt 1 0\nvt 1 "
            "1\nvt 0 1\nvt 2 0\nvt 2 1\nf 1/1 2/2 3/3 4/4\nf 2/2 5/5 6/6 3/3\n");
        p.map(0, "tile.1001.tif", 4, [](int, int) { return 1.f; });
        p.layer(0).nodes[0].inputs["file"].value = std::string("tile.<UDIM>.tif");
        p.set(0, slot::height_scale, .1f);
        CHECK(told("Tiles of a height map are missing"));
        CHECK(p.out_at(.5f, .5f) == Approx(.05f).margin(1e-4));
        CHECK(p.out_at(1.5f, .5f) == Approx(0.f).margin(1e-4));
    }
    SECTION("no UVs") {
        p.s.write("square.obj", "o square\nv 0 0 0.37\nv 1 0 0.37\nv 1 1 0.37\nv 0 1 0.37\nf 1 2 3 4\n");
        p.map(0, "any.tif", 4, [](int, int) { return 1.f; });
        CHECK(told("no UVs"));
    }
    SECTION("UVs of no area, and faces turned over") {
        p.s.write("square.obj",
                  "o square\nv 0 0 0.37\nv 1 0 0.37\nv 1 1 0.37\nv 0 1 0.37\nvt .5 .5\nvt 1 0\nvt 0 1\nf 1/1 2/1 "
                  "3/1\nf 1/1 3/3 4/2\n");
        p.map(0, "any.tif", 8, [](int x, int y) { return float(x * y) / 49.f; });
        p.set(0, slot::height_scale, 3.f);  // steep: it folds over itself
        told("");
    }
}

TEST_CASE("a displaced picture is the same at any number of threads") {
    Plate p;
    p.node(0, "bumps", "fractal3d", "float", {});
    p.wire(0, slot::height, "bumps");
    p.set(0, slot::height_scale, .05f);
    auto picture = [&](size_t threads) {
        tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
        render::Workshop fresh;
        return rendered(*prepared(p.scene, p.s.path, fresh), 24, 24, 4);
    };
    CHECK(picture(1) == picture(3));
}

TEST_CASE("the first heights after an edit are coarse, then as fine as the picture can tell") {
    Plate p;
    p.node(0, "bumps", "fractal3d", "float", {});
    p.wire(0, slot::height, "bumps");
    p.set(0, slot::height_scale, .05f);
    p.scene.render.width = p.scene.render.height = 4096;
    p.scene.render.relief_points = 4;
    const auto first = p.ready({.field_rays = geometry::field_rays_first});
    CHECK_FALSE(first->fields_final);
    const auto last = p.ready();
    CHECK(last->fields_final);
    CHECK(last->geometry->shape(0).bytes() > 4 * first->geometry->shape(0).bytes());
    CHECK(p.ready({.field_rays = geometry::field_rays_first})->geometry == last->geometry);  // it is there already
    CHECK(p.ready({.relief = render::Relief::quick})->fields_final);
}

TEST_CASE("parts share the points of computed heights, equal ones count once, and what that leaves out is told") {
    Plate p;
    p.node(0, "bumps", "fractal3d", "float", {});
    p.wire(0, slot::height, "bumps");
    p.set(0, slot::height_scale, .05f);
    p.scene.render.width = p.scene.render.height = 1024;
    p.scene.render.relief_points = 1;
    review::Remembered remembered;
    const Paths paths(p.s.path, {}, {});
    auto told = [&](const render::Prepared& ready) {
        const auto all = review::findings(ready, *p.workshop.textures(), paths, remembered);
        return std::any_of(all.begin(), all.end(), [](const review::Finding& f) {
            return f.error.what == "Heights have less detail than the picture" && !f.error.remedy.empty();
        });
    };
    auto bytes = [](const render::Prepared& ready) {
        std::set<const geometry::Shape*> shapes;
        size_t sum = 0;
        for (uint32_t i = 0; i < ready.geometry->instances().size(); ++i)
            if (shapes.insert(&ready.geometry->shape(i)).second) sum += ready.geometry->shape(i).bytes();
        return sum;
    };
    const auto one = p.ready();
    CHECK(one->cut_heights.empty());
    CHECK_FALSE(told(*one));
    p.scene.parts.resize(40, p.scene.parts[0]);
    for (size_t i = 0; i < p.scene.parts.size(); ++i) p.scene.parts[i].id = "part" + std::to_string(i);
    const auto equal = p.ready();
    CHECK(equal->cut_heights.empty());
    CHECK(bytes(*equal) == bytes(*one));
    // Each with heights of its own.
    for (size_t i = 1; i < p.scene.parts.size(); ++i) {
        p.scene.build_ups.push_back(p.build_up());
        p.scene.build_ups.back().id = p.scene.parts[i].build_up = "b" + std::to_string(i);
        p.scene.build_ups.back().layers[0].surface[slot::height_scale].value = .001f * float(i);
    }
    const auto own = p.ready();
    CHECK(own->cut_heights.size() == 40);
    CHECK(told(*own));
    CHECK(bytes(*own) < 8 * bytes(*one));  // and not forty times
}

TEST_CASE("heights that are cut off or lie beside the neutral value are noticed, and one step mends the latter") {
    Plate p;
    p.map(0, "low.tif", 16, [](int x, int) { return x < 8 ? 0.f : .3f; });
    p.set(0, slot::height_neutral, .9f);
    review::Remembered remembered;
    const Paths paths(p.s.path, {}, {});
    auto found = [&](const char* what) {
        const auto ready = p.ready({.maps_now = true});
        for (const review::Finding& f : review::findings(*ready, *p.workshop.textures(), paths, remembered))
            if (f.error.what.find(what) != std::string::npos) return std::optional(f);
        return std::optional<review::Finding>();
    };
    CHECK(found("Heights are cut off"));
    const auto beside = found("one side of the neutral value");
    REQUIRE(beside);
    REQUIRE(beside->change);
    beside->change(p.scene);
    CHECK(scene::as_number(p.layer(0).surface.at(slot::height_neutral).value) == Approx(.15f).margin(.01));
    CHECK_FALSE(found("one side of the neutral value"));
    // A map that rises from its neutral grey, which is a code beside the value, is as it should be.
    p.set(0, slot::height_neutral, -.002f);
    CHECK_FALSE(found("one side of the neutral value"));
    p.set(0, slot::height_neutral, -.01f);
    CHECK(found("one side of the neutral value"));
}

TEST_CASE("a map that goes both ways under limits of 0 and 1 is noticed, for heights and for vectors, and mended") {
    const bool vectors = GENERATE(false, true);
    Plate p;
    auto value = [](int x, int) { return x < 8 ? .02f : -.3f; };
    if (vectors) {
        write_image(p.s.path / "both.exr", 16, 16, 3, Kept::floats, [&](int x, int y, int) { return value(x, y); });
        p.node(0, "both", "image", "vector3", {{"file", {scene::Value{std::string("both.exr")}, {}}}});
        p.wire(0, slot::height_vector, "both");
    } else {
        p.map(0, "both.exr", 16, value, Kept::floats);
    }
    review::Remembered remembered;
    const Paths paths(p.s.path, {}, {});
    auto found = [&] {
        const auto ready = p.ready({.maps_now = true});
        for (const review::Finding& f : review::findings(*ready, *p.workshop.textures(), paths, remembered))
            if (f.error.what.find("beyond 0 and 1") != std::string::npos) return std::optional(f);
        return std::optional<review::Finding>();
    };
    const auto noticed = found();
    REQUIRE(noticed);
    REQUIRE(noticed->change);
    noticed->change(p.scene);
    CHECK(scene::as_number(p.layer(0).surface.at(slot::height_low).value) < -.3f);
    CHECK(scene::as_number(p.layer(0).surface.at(slot::height_neutral).value) == 0.f);
    CHECK_FALSE(found());
}

TEST_CASE("heights of files of 8 and 16 bits and of floating point are read as they are; broken ones are refused") {
    Scratch s;
    auto value = [](int x, int y, int) { return float(x + 4 * y) / 15.f; };
    for (const auto& [name, type] :
         {std::pair("a.png", Kept::bytes), std::pair("b.tif", Kept::words), std::pair("c.exr", Kept::floats)}) {
        INFO(name);
        write_image(s.path / name, 4, 4, 1, type, value);
        const auto read = texture::read_heights(s.path / name, "r");
        REQUIRE(read);
        for (int y = 0; y < 4; ++y)
            for (int x = 0; x < 4; ++x)
                CHECK((*read)->value((*read)->code(x, y)) == Approx(value(x, y, 0)).margin(.003));
    }
    write_image(s.path / "colour.exr", 2, 2, 3, Kept::floats, [](int, int, int c) { return c == 1 ? 1.f : 0.f; });
    const auto bright = texture::read_heights(s.path / "colour.exr", "luminance");
    REQUIRE(bright);
    CHECK((*bright)->value((*bright)->code(1, 1)) == Approx(.7152f).margin(1e-4));
    const auto whole = *read_file(s.path / "b.tif");
    s.write("cut.tif", whole.substr(0, whole.size() / 2));
    CHECK_FALSE(texture::read_heights(s.path / "cut.tif", "r"));
    CHECK_FALSE(texture::read_heights(s.path / "none.tif", "r"));
    Progress stop;
    stop.stop = true;
    CHECK_FALSE(texture::read_heights(s.path / "b.tif", "r", &stop));
}

TEST_CASE("fields follow the displaced form once hands rest, and not the camera") {
    Plate p;
    // A pit in the middle of a flat square: only heights make it a recess.
    p.map(0, "pit.tif", 32,
          [](int x, int y) { return std::hypot(float(x) - 15.5f, float(y) - 15.5f) < 5.f ? 0.f : 1.f; });
    p.set(0, slot::height_scale, .3f);
    p.set(0, slot::height_neutral, 1.f);
    p.add_cover();
    p.node(1, "recess", "cavity", "float", {{"reach", {scene::Value{.5f}, {}}}});
    p.layer(1).gate.mask = {scene::Value{1.f}, "recess"};
    auto cover_at = [&](const render::Prepared& ready, float x, float y) {
        render::Materials m;
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        RTCRayHit ray = geometry::single_ray({x, y, 5.f}, {0.f, 0.f, -1.f});
        rtcIntersect1(ready.geometry->scene(), &context, &ray);
        const geometry::Place at = geometry::place_of(ray.hit);
        m.arrays.set(0, ready, at, ready.geometry->at(at), V3f(0, 0, 1), 1e-3f);
        float c = 0.f;
        render::coverage_of(ready.build_ups[0].layers[0], m.arrays.batch(1, ready), m.workspace, &c);
        return c;
    };
    const auto last = p.ready();
    CHECK(last->fields_final);
    const float inside = cover_at(*last, .5f, .5f);
    CHECK(inside > cover_at(*last, .1f, .1f) + .02f);
    const auto first = p.ready({.field_rays = geometry::field_rays_first});
    CHECK_FALSE(first->fields_final);
    CHECK(cover_at(*first, .5f, .5f) < inside);
    p.scene.cameras[0].position.z = .6f;
    CHECK(cover_at(*p.ready(), .5f, .5f) == inside);
}

TEST_CASE("what computed heights are too coarse for goes to shading normals, without a border") {
    Plate p;
    p.node(0, "place", "position", "vector3", {});
    p.node(0, "often", "multiply", "vector3", {{"in1", from("place")}, {"in2", {scene::Value{V3f(300.f)}, {}}}});
    p.node(0, "grain", "noise3d", "float", {{"position", from("often")}});
    p.wire(0, slot::height, "grain");
    p.set(0, slot::height_scale, .0007f);
    p.set(0, slot::height_neutral, 0.f);
    p.set(0, slot::height_low, -1.f);
    p.scene.render.width = p.scene.render.height = 2048;
    p.scene.render.relief_pixels = .5f;
    const auto fine = p.ready();
    CHECK(fine->fine_relief == nullptr);
    render::PrepareOptions options;
    options.relief = render::Relief::quick;
    options.field_rays = geometry::field_rays_first;
    p.scene.render.relief_pixels = 24.f;
    const auto quick = p.ready(options);
    REQUIRE(quick->fine_relief);
    options.field_rays = geometry::field_rays_final;
    const auto measured = p.ready(options);
    REQUIRE(measured->fine_relief);
    const render::Prepared* coarse = quick.get();
    // How far normals are from those of the fine form, by the width of the ray.
    auto apart = [&](float width, bool refined) {
        render::FineRelief::Work work;
        std::vector<render::MaterialPoint> points(256);
        for (size_t k = 0; k < points.size(); ++k) {
            render::MaterialPoint& point = points[k];
            const float x = float(k % 16 + 1) / 18.f;
            const float y = float(k / 16 + 1) / 18.f;
            point.at = {0, y > x ? 1u : 0u, 0.f, 0.f};
            point.at.u = point.at.face ? x : x - y;
            point.at.v = point.at.face ? y - x : y;
            point.s = coarse->geometry->at(point.at);
            point.normal_mesh = point.s.normal;
            point.wo = V3f(0, 0, 1);
            point.width = width;
        }
        if (refined) coarse->fine_relief->refine(points, points.size(), work);
        double sum = 0;
        for (const render::MaterialPoint& point : points) {
            CHECK(finite(point.s.normal));
            CHECK(point.normal_mesh.length() == Approx(1.f).margin(1e-4));
            sum += double((point.normal_mesh - fine->geometry->at(point.at).normal).length());
        }
        return sum / 256.;
    };
    const double without = apart(.0005f, false);
    CHECK(without > .1);
    CHECK(apart(.0005f, true) < .35 * without);
    // Hands at work: wide rays see what the form itself has; in between it is neither one nor the other.
    CHECK(apart(.5f, true) == apart(.5f, false));
    double before = apart(.0005f, true);
    for (float width = .0005f; width < .02f; width *= 1.15f) {
        const double here = apart(width, true);
        CHECK(std::fabs(here - before) < .3 * without);
        before = here;
    }
    // At rest they see what is there at one place of all that they cover.
    coarse = measured.get();
    for (const float width : {.0005f, .005f, .5f}) CHECK(apart(width, true) < .2 * without);
}
