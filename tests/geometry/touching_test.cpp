// Where parts touch one another, and how far that is along the surface.
#include "geometry/touching.h"

#include "field_support.h"
#include "render/materials.h"
#include "render_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A plate of one metre at z = 0 with a block that sticks in it, 0.2 wide about (.5, .5), and one that hovers a tenth
/// above it, about (.85, .85).
constexpr const char* plate_and_blocks = R"(o plate
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
f 1 2 3 4
o block
v .4 .4 -.1
v .6 .4 -.1
v .6 .6 -.1
v .4 .6 -.1
v .4 .4 .1
v .6 .4 .1
v .6 .6 .1
v .4 .6 .1
f 8 7 6 5
f 5 6 10 9
f 6 7 11 10
f 7 8 12 11
f 8 5 9 12
f 9 10 11 12
o hovering
v .8 .8 .1
v .9 .8 .1
v .9 .9 .1
v .8 .9 .1
v .8 .8 .2
v .9 .8 .2
v .9 .9 .2
v .8 .9 .2
f 16 15 14 13
f 13 14 18 17
f 14 15 19 18
f 15 16 20 19
f 16 13 17 20
f 17 18 19 20
)";

geometry::Place on_plate(float x, float y) {
    return y <= x ? geometry::Place{0, 0, x - y, y} : geometry::Place{0, 1, x, y - x};
}

/// The scene whose plate wears a mask of what is near along the surface.
scene::Scene near_scene(const Scratch& s) {
    s.write("form.obj", plate_and_blocks);
    scene::Scene scene = plain_scene("form.obj");
    scene.parts[0].source = "plate";
    for (const char* name : {"block", "hovering"}) {
        scene::Part part = scene.parts[0];
        part.id = part.name = part.source = name;
        scene.parts.push_back(part);
    }
    scene::BuildUp& b = scene.build_ups[0];
    const std::string id = scene::add_node(b, b.layers[0].id, "nearby", "float", "near");
    scene::node(b, id)->inputs["way"].value = 1.f;
    scene::node(b, id)->inputs["width"].value = .1f;
    b.layers[0].surface["specular_roughness"].from = id;
    return scene;
}
float near_at(const render::Prepared& p, const scene::BuildUp& b, const geometry::Place& place) {
    auto arrays = std::make_unique<render::PointArrays>();
    program::Resources resources = p.resources;
    std::vector<Error> problems;
    const auto program = program::compile(b, {{"", nodes::Type::number, {scene::Value{0.f}, b.layers[0].nodes[0].id}}},
                                          resources, problems);
    program::Workspace workspace;
    const geometry::SurfacePoint at = p.geometry->at(place);
    arrays->set(0, p, place, at, at.normal, .001f);
    const float* out = nullptr;
    program.run(arrays->batch(1, p), workspace, &out);
    return out[0];
}

}  // namespace

TEST_CASE("a part is touched where another lies within the gap or stands in it, and where it stands on the ground") {
    const Scratch s;
    const auto r = geometry::import(s.write("form.obj", plate_and_blocks).string(), {});
    REQUIRE(r);
    for (const float size : {.2f, 10.f}) {
        std::vector<geometry::Instance> instances;
        for (const auto& p : r->parts)
            instances.emplace_back(geometry::make_shape(p.mesh), p.to_asset * M44f().setScale(size));
        const geometry::Geometry g(std::move(instances));
        const float gap = .01f * size;
        const geometry::Touching all(g, false, {}, gap);
        CHECK(all.at(on_plate(.5f, .5f)));
        CHECK(all.at(on_plate(.41f, .59f)));
        CHECK(all.at(on_plate(.395f, .5f)));
        CHECK_FALSE(all.at(on_plate(.385f, .5f)));
        CHECK_FALSE(all.at(on_plate(.85f, .85f)));  // what hovers does not
        CHECK_FALSE(all.at(on_plate(.1f, .1f)));
        const geometry::Touching only_hovering(g, false, {0, 0, 1}, gap);
        CHECK_FALSE(only_hovering.at(on_plate(.5f, .5f)));
        CHECK(geometry::Touching(g, false, {0, 0, 1}, .11f * size).at(on_plate(.85f, .85f)));
        CHECK(all.content() != only_hovering.content());
        CHECK(all.content() == geometry::Touching(g, false, {1, 1, 1}, gap).content());
        const geometry::Touching ground(g, true, {}, gap);
        CHECK(ground.at(on_plate(.3f, .005f)));
        CHECK_FALSE(ground.at(on_plate(.3f, .015f)));
    }
}

TEST_CASE("near others along the surface is as far as it is from where they touch, and those that hover are not near") {
    const Scratch s;
    scene::Scene scene = near_scene(s);
    scene::BuildUp& b = scene.build_ups[0];
    render::Workshop workshop;
    const auto p = prepared(scene, s.path, workshop);
    CHECK(p->problems.empty());
    REQUIRE(p->resources.borders.size() == 1);
    CHECK(p->resources.fields.empty());
    auto at = [&](const render::Prepared& of, float x, float y) { return near_at(of, b, on_plate(x, y)); };
    CHECK(at(*p, .5f, .5f) == 1.f);
    for (const float away : {.02f, .05f, .08f}) {
        CHECK(at(*p, .4f - away, .5f) == Approx(1.f - (away - .0005f) / .1f).margin(.03));
        CHECK(at(*p, .5f, .6f + away) == Approx(1.f - (away - .0005f) / .1f).margin(.03));
        const float aslant = away * .70711f;  // away from a corner
        CHECK(at(*p, .6f + aslant, .6f + aslant) == Approx(1.f - (away - .0005f) / .1f).margin(.03));
    }
    CHECK(at(*p, .2f, .5f) == 0.f);
    CHECK(at(*p, .85f, .85f) == 0.f);
    // Through the air what hovers is near.
    scene::node(b, b.layers[0].nodes[0].id)->inputs["way"].value = 0.f;
    const auto through_air = prepared(scene, s.path, workshop);
    CHECK(through_air->resources.borders.empty());
    CHECK(at(*through_air, .5f, .7f) == Approx(0.f).margin(.02));
    scene::node(b, b.layers[0].nodes[0].id)->inputs["width"].value = .2f;
    CHECK(at(*prepared(scene, s.path, workshop), .85f, .85f) == Approx(.5f).margin(.02));
}

TEST_CASE("what touches is found anew when the other part is moved, named otherwise or hidden, and told when none is") {
    const Scratch s;
    scene::Scene scene = near_scene(s);
    scene::BuildUp& b = scene.build_ups[0];
    scene::Inputs& inputs = scene::node(b, b.layers[0].nodes[0].id)->inputs;
    render::Workshop workshop;
    auto at = [&](float x, float y) { return near_at(*prepared(scene, s.path, workshop), b, on_plate(x, y)); };
    inputs["parts"].value = std::string("block");
    CHECK(at(.37f, .5f) > .6f);
    inputs["parts"].value = std::string("hover*");
    CHECK(at(.37f, .5f) == 0.f);
    inputs["parts"].value = std::string("bollard");
    const auto told = prepared(scene, s.path, workshop);
    CHECK(std::any_of(told->problems.begin(), told->problems.end(),
                      [](const Error& e) { return e.what == "A mask names a part that is not there"; }));
    inputs["parts"].value = std::string();
    inputs["of"].value = 1.f;
    CHECK(at(.5f, .03f) == Approx(.7f).margin(.03));
    CHECK(at(.5f, .5f) == 0.f);
    inputs["of"].value = 0.f;
    CHECK(at(.37f, .5f) > .6f);
    inputs["width"].from = "nothing that is there";
    inputs["furthest"].value = .05f;
    CHECK(std::isfinite(at(.37f, .5f)));
}
