// Faults that were found in pictures, each with the smallest scene that shows it.
#include <OpenImageIO/imageio.h>

#include "render/visible_points.h"
#include "render_support.h"
#include "support.h"
#include "texture/display.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A square in front of the camera, under a sky that is bright on the left, dark on the right.
scene::Scene square_scene(const Scratch& s) {
    s.write("square.obj", square_obj);
    scene::Scene scene = plain_scene("square.obj");
    scene.cameras[0].position = V3f(.5f, .5f, 2.f);
    scene.cameras[0].target = V3f(.5f, .5f, .37f);
    return scene;
}
scene::Layer& base(scene::Scene& s) {
    return s.build_ups[0].layers[0];
}

}  // namespace

TEST_CASE("wax behind a perforated shade: more shadow rays than a tile has points") {
    Scratch s;
    // A sheet of wax fills the picture; in front of the light hangs a sheet full of holes. Each path casts two shadow
    // rays, nearly all are stopped.
    s.write("wax.obj",
            "o wax\nv -3 -3 0\nv 3 -3 0\nv 3 3 0\nv -3 3 0\nv -3 -3 -1\nv 3 -3 -1\nv 3 3 -1\nv -3 3 -1\nf 1 2 3 4\nf 8 "
            "7 6 5\no shade\nv -9 -9 2.5\nv 9 -9 2.5\nv 9 9 2.5\nv -9 9 2.5\nf 9 10 11 12\n");
    scene::Scene scene = plain_scene("wax.obj");
    scene.parts = {{.id = "wax", .asset = "asset", .source = "wax", .name = "Wax", .build_up = "material"},
                   {.id = "shade", .asset = "asset", .source = "shade", .name = "Shade", .build_up = "holes"}};
    base(scene).surface["subsurface_weight"] = {scene::Value{1.f}, {}};
    base(scene).surface["subsurface_radius"] = {scene::Value{.05f}, {}};
    scene.build_ups.push_back(scene::default_build_up("holes", "Holes"));
    auto& shade = scene.build_ups[1].layers[0].surface;
    shade["geometry_opacity"] = {scene::Value{.5f}, {}};
    shade["base_weight"] = shade["specular_weight"] = {scene::Value{0.f}, {}};  // it throws nothing back
    scene.cameras[0].position = V3f(0, 0, 2);
    scene::Light lamp;
    lamp.id = "lamp";
    lamp.position = V3f(0, 0, 4);
    lamp.target = V3f(0, 0, 0);
    lamp.size = V2f(2.f);
    scene.rigs[0].environment.on = false;
    scene.rigs[0].lights.push_back(lamp);
    render::Workshop workshop;
    const auto p = prepared(scene, s.path, workshop);
    const auto shaded = rendered_exactly(*p, 64, 64, 8);
    for (const V3f& c : shaded) CHECK(finite(c));
    scene.parts[1].visible = false;
    const V3f open = mean(rendered_exactly(*prepared(scene, s.path, workshop), 64, 64, 8));
    CHECK(mean(shaded).x == Approx(.5f * open.x).epsilon(.03));
}

TEST_CASE("a region's pixels are the whole picture's, with holes and with adaptive sampling") {
    Scratch s;
    scene::Scene scene = square_scene(s);
    base(scene).surface["geometry_opacity"] = {scene::Value{.4f}, {}};
    scene::Part behind = scene.parts[0];
    behind.id = "behind";
    behind.placement.position = V3f(.1f, .1f, -.4f);
    scene.parts.push_back(behind);
    scene::Light lamp;
    lamp.id = "lamp";
    lamp.position = V3f(.8f, .9f, 2.f);
    lamp.target = V3f(.5f, .5f, 0.f);
    scene.rigs[0].lights.push_back(lamp);
    for (float noise : {0.f, .08f}) {
        INFO("noise " << noise);
        scene.render.noise = noise;
        render::Workshop workshop;
        const auto p = prepared(scene, s.path, workshop);
        const int samples = noise > 0.f ? 80 : 4;
        const auto whole = rendered(*p, 100, 70, samples);
        auto film =
            render::render_picture(*p, {.width = 100, .height = 70, .samples = samples, .region = {21, 13, 77, 55}});
        REQUIRE(film);
        std::vector<V3f> part;
        film->resolve(render::group_gains(*p, scene), part);
        size_t other = 0;
        for (int y = 0; y < 70; ++y)
            for (int x = 0; x < 100; ++x) {
                const bool inside = x >= 21 && x < 77 && y >= 13 && y < 55;
                other += part[size_t(y * 100 + x)] != (inside ? whole[size_t(y * 100 + x)] : V3f(0.f));
            }
        CHECK(other == 0);
    }
}

TEST_CASE("a back face keeps its relief: it is lit as the same face turned around is") {
    Scratch s;
    // The same relief seen from the front, and from behind on a sheet whose normal points away.
    auto picture = [&](bool from_behind) {
        scene::Scene scene = square_scene(s);
        auto& b = scene.build_ups[0];
        const std::string lane = b.layers[0].id;
        const std::string lean = scene::add_node(b, lane, "constant", "vector3", "Lean");
        const float side = .6f;
        scene::node(b, lean)->inputs["value"].value = V3f(side, 0.f, .8f);
        base(scene).surface["geometry_normal"].from = lean;
        base(scene).surface["specular_weight"] = {scene::Value{0.f}, {}};
        scene.rigs[0].environment.on = false;
        scene::Light lamp;
        lamp.id = "lamp";
        // From the front the normal leans to +x; from behind it is the other side of the same plane, which leans to -x.
        lamp.position = from_behind ? V3f(.5f - 2.f, .5f, .37f - 2.f) : V3f(.5f + 2.f, .5f, .37f + 2.f);
        lamp.target = V3f(.5f, .5f, .37f);
        scene.rigs[0].lights = {lamp};
        if (from_behind) scene.cameras[0].position = V3f(.5f, .5f, .37f - 1.63f);
        render::Workshop workshop;
        return mean(rendered(*prepared(scene, s.path, workshop), 24, 24, 16)).x;
    };
    const float front = picture(false);
    CHECK(front > .01f);
    CHECK(picture(true) == Approx(front).epsilon(.03));
}

TEST_CASE("networks read the mesh's own normal on both sides: a box projection does not change side") {
    Scratch s;
    scene::Scene scene = square_scene(s);
    auto& b = scene.build_ups[0];
    const std::string normal = scene::add_node(b, b.layers[0].id, "normal", "vector3", "Normal");
    auto seen_from = [&](float z) {
        scene.cameras[0].position = V3f(.5f, .5f, z);
        render::Workshop workshop;
        render::PrepareOptions options;
        options.folder = s.path;
        options.shown_build_up = b.id;
        options.shown_node = normal;
        const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
        return rendered(*p, 9, 9, 1, render::View::node)[40].z;
    };
    CHECK(seen_from(2.f) == Approx(1.f));
    CHECK(seen_from(-1.26f) == Approx(1.f));
}

TEST_CASE("normals that networks give stay upright on a part that is scaled unevenly") {
    Scratch s;
    s.write("ball.obj", sphere_obj(48));
    scene::Scene scene = plain_scene("ball.obj");
    scene.parts[0].source = "sphere";
    scene.parts[0].placement.scale = V3f(3.f, .6f, 1.f);
    auto& b = scene.build_ups[0];
    render::Workshop workshop;
    auto shaded = [&] { return rendered(*prepared(scene, s.path, workshop), 64, 48, 4); };
    const auto plain = shaded();
    // The surface's own normal by way of a network changes nothing.
    const std::string own = scene::add_node(b, b.layers[0].id, "normal", "vector3", "Own");
    b.layers[0].surface["geometry_normal"].from = own;
    const auto through = shaded();
    double difference = 0;
    for (size_t i = 0; i < plain.size(); ++i) difference += double((plain[i] - through[i]).length());
    CHECK(difference / double(plain.size()) < .004);
}

TEST_CASE("looking from elsewhere needs no other scene: a camera stands beside it") {
    Scratch s;
    const scene::Scene scene = square_scene(s);
    render::Workshop workshop;
    const auto p = prepared(scene, s.path, workshop);
    scene::Camera beside = p->camera;
    beside.position = V3f(3.f, .5f, 2.f);
    const auto hit = render::visible_at(*p, p->camera, 100, 100, 50.f, 50.f);
    CHECK(hit.hit);
    beside.target = V3f(9.f, .5f, .37f);
    CHECK_FALSE(render::visible_at(*p, beside, 100, 100, 50.f, 50.f).hit);
}

TEST_CASE("what wears no build-up has a channel of its own name in the picture") {
    Scratch s;
    scene::Scene scene = square_scene(s);
    scene.rigs[0].stage.on = true;
    render::Workshop workshop;
    const auto p = prepared(scene, s.path, workshop);
    const render::PictureSettings settings{.width = 16, .height = 16, .samples = 1};
    auto film = render::render_picture(*p, settings);
    REQUIRE(render::write_picture(*p, *film, settings, {"t", 0}, s.path / "p.exr"));
    auto in = OIIO::ImageInput::open((s.path / "p.exr").string());
    REQUIRE(in);
    size_t named = 0;
    for (const std::string& name : in->spec().channelnames) {
        CHECK(name.find("..") == std::string::npos);
        CHECK(name.back() != '.');
        named += name == "coverage.none";
    }
    CHECK(named == 1);
}

TEST_CASE("a written PNG is what the display shows, to the last bit") {
    Scratch s;
    scene::Scene scene = square_scene(s);
    scene.display.exposure = -.7f;
    render::Workshop workshop;
    const auto p = prepared(scene, s.path, workshop);
    for (const char* view : {"filmic", "srgb", "raw"}) {
        scene.display.view = view;
        const render::PictureSettings settings{.width = 24, .height = 20, .samples = 2};
        auto film = render::render_picture(*p, settings);
        auto prepared_again = prepared(scene, s.path, workshop);
        REQUIRE(render::write_picture(*prepared_again, *film, settings, {"t", 0},
                                      s.path / "p.PNG"));  // the extension in either case
        std::vector<V3f> linear;
        film->resolve(render::group_gains(*prepared_again, scene), linear);
        const auto shown = render::displayed(linear, render::View::beauty, scene.display);
        REQUIRE(shown);
        auto in = OIIO::ImageInput::open((s.path / "p.PNG").string());
        REQUIRE(in);
        std::vector<uint8_t> read(size_t(24 * 20 * 3));
        REQUIRE(in->read_image(OIIO::TypeDesc::UINT8, read.data()));
        size_t other = 0;
        for (size_t i = 0; i < size_t(24 * 20); ++i)
            for (size_t c = 0; c < 3; ++c) other += read[3 * i + c] != (*shown)[4 * i + c];
        CHECK(other == 0);
    }
}
