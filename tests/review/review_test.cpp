#include "review/visible.h"

#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

Result<render::Film> first_program(const fs::path& asset, const fs::path& picture);  // docs/first-program.cpp

TEST_CASE("the first program of the docs works as it is told") {
    Scratch s;
    s.write("sphere.obj", sphere_obj());
    auto film = first_program(s.path / "sphere.obj", s.path / "first.png");
    REQUIRE(film);
    CHECK(fs::exists(s.path / "first.png"));
    REQUIRE(film->coverage.size() >= 2);
    double steel = 0, paint = 0;
    for (float v : film->coverage[0]) steel += double(v);
    for (float v : film->coverage[1]) paint += double(v);
    CHECK(steel > 0);
    CHECK(paint > 0);
}

TEST_CASE("measures agree with the picture: coverage, colour, and what arrives") {
    auto scene = scene::load(demo_project)->scene;
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo_project.parent_path();
    options.field_rays = geometry::field_rays_first;
    const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    const auto m = review::measure(*p, "housing");
    const scene::BuildUp& housing = *scene::find(scene.build_ups, std::string("housing"));
    REQUIRE(m.layers.size() == housing.layers.size());
    CHECK(m.points > 500);
    size_t enamel = 0, lacquer = 0;
    float covered = 0.f;  // covers share the surface; a coat lies over them
    for (size_t k = 0; k < housing.layers.size(); ++k) {
        if (housing.layers[k].id == "marine-enamel") enamel = k;
        if (housing.layers[k].kind == scene::LayerKind::coat)
            lacquer = k;
        else
            covered += m.layers[k].coverage;
    }
    CHECK(covered == Approx(1.f).margin(1e-3));
    CHECK(m.layers[lacquer].coverage > .3f);
    CHECK(m.layers[enamel].color.y > 2.f * m.layers[enamel].color.x);  // sea-green
    const auto& wear = m.nodes.at("wear");
    CHECK(wear.values.smallest == 0.f);
    CHECK(wear.values.largest == 1.f);
    float total = 0;
    for (float s : m.nodes.at("broken").values.share) total += s;
    CHECK(total == Approx(1.f).margin(1e-3));
    CHECK(m.gates.at("marine-enamel").points == m.points);
    auto film = render::render_picture(*p, {.width = 240, .height = 150, .samples = 4});
    double paint = 0, all = 0;
    for (size_t k = 0; k < housing.layers.size(); ++k)
        for (float v : film->coverage[k]) all += double(v), paint += k == enamel ? double(v) : 0.;
    CHECK(paint / all == Approx(double(m.layers[enamel].coverage)).margin(.02));
    CHECK(review::measure(*p, "nothing").points == 0);
}

TEST_CASE("a mask behind a field is crisp at the first sample") {
    // The levels behind the cavity must see its converged value: their output is black or white nearly everywhere,
    // sample by sample.
    auto scene = scene::load(demo_project)->scene;
    // Only what is asked for: every other field of the demo would be brought to its end too.
    for (scene::BuildUp& b : scene.build_ups)
        if (b.id != "housing") b = scene::default_build_up(b.id, b.name);
    scene::BuildUp& housing = *scene::find(scene.build_ups, std::string("housing"));
    std::erase_if(housing.layers, [&](const scene::Layer& l) {
        return &l != &housing.layers.front() && !scene::find(l.nodes, std::string("wear"));
    });
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo_project.parent_path();
    options.shown_build_up = "housing";
    options.shown_node = "wear";
    const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    const auto one = rendered(*p, 160, 120, 1, render::View::node),
               many = rendered(*p, 160, 120, 16, render::View::node);
    size_t between = 0, different = 0, inside = 0;
    for (size_t i = 0; i < one.size(); ++i) {
        if (std::fabs(many[i].x - many[i].y) > 1e-4f || one[i].x == .18f || (one[i].x > .09f && one[i].x < .16f))
            continue;
        ++inside;
        between += one[i].x > .05f && one[i].x < .95f;
        different += std::fabs(one[i].x - many[i].x) > .75f;
    }
    CHECK(inside > 500);
    CHECK(double(between) < .15 * double(inside));
    CHECK(double(different) < .03 * double(inside));
}

TEST_CASE("what a network gives that no surface can have is told once, with its slot, and the picture stays whole") {
    Scratch s;
    s.write("sphere.obj", sphere_obj());
    scene::Scene scene;
    scene.assets = {{.id = "a", .file = "sphere.obj"}};
    scene.parts = {{.id = "ball", .asset = "a", .source = "sphere", .name = "ball", .build_up = "b"}};
    scene::BuildUp b = scene::default_build_up("b", "Ball");
    scene::Layer& base = b.layers.front();
    auto node = [&](const std::string& id, const std::string& kind, const std::string& type, scene::Inputs inputs) {
        scene::Node n;
        n.id = id;
        n.kind = kind;
        n.type = type;
        n.inputs = std::move(inputs);
        base.nodes.push_back(n);
    };
    node("noise", "noise3d", "float", {});
    node("huge", "multiply", "float", {{"in1", {scene::Value{0.f}, "noise"}}, {"in2", {scene::Value{3e38f}, {}}}});
    node("huger", "multiply", "float", {{"in1", {scene::Value{0.f}, "huge"}}, {"in2", {scene::Value{3e38f}, {}}}});
    node("down", "multiply", "vector3",
         {{"in1", {scene::Value{V3f(1.f)}, "n"}}, {"in2", {scene::Value{V3f(-1.f)}, {}}}});
    node("n", "normal", "vector3", {});
    base.surface["specular_roughness"].from = "huger";
    base.surface["base_metalness"].from = "huge";
    base.surface["geometry_normal"].from = "down";
    base.surface["geometry_tangent"].from = "n";
    scene.build_ups = {b};
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = s.path;
    auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    auto framed = *p;
    scene::frame(framed.camera, framed.geometry->bounds(), 1.6f);
    const auto m = review::measure(framed, "b");
    auto told = [&](const char* what, const char* slot) {
        return std::count_if(m.faults.begin(), m.faults.end(),
                             [&](const Error& e) { return e.what == what && e.place.ends_with(slot); });
    };
    CHECK(told("A network gives what is no number", "specular_roughness") == 1);
    CHECK(told("A network leaves its slot's range", "base_metalness") == 1);
    CHECK(told("A normal faces away from the surface", "geometry_normal") == 1);
    CHECK(told("A tangent vanishes", "geometry_tangent") == 1);
    CHECK(m.faults.size() == 4);
    const auto film = render::render_picture(framed, {.width = 32, .height = 20, .samples = 2});
    std::vector<V3f> out;
    film->resolve(render::group_gains(framed, scene), out);
    for (const V3f& c : out) CHECK(finite(c));
}

TEST_CASE("a metal by its optical constants is known by what it reflects, not by a colour that it does not use") {
    Scratch s;
    s.write("ball.obj", sphere_obj());
    scene::Scene scene = plain_scene("ball.obj");
    scene.parts[0].source = "sphere";
    auto& surface = scene.build_ups[0].layers[0].surface;
    surface["base_metalness"].value = 1.f;
    surface["base_color"].value = V3f(.8f);
    surface["metal_ior"].value = V3f(.44f, .6f, 1.2f);  // about brass
    surface["metal_extinction"].value = V3f(3.7f, 2.6f, 1.9f);
    render::Workshop workshop;
    const auto m = review::measure(*prepared(scene, s.path, workshop), scene.build_ups[0].id);
    REQUIRE(m.layers.size() == 1);
    REQUIRE(m.points > 0);
    CHECK(m.layers[0].color.x > .8f);
    CHECK(m.layers[0].color.z < .6f * m.layers[0].color.x);
}

TEST_CASE("masks measure slender forms by how thick they are, compact ones and open ones by their size") {
    auto box = [](float x, float y, float z, bool closed = true) {
        std::string text = "o form\n";
        for (const float a : {-.5f, .5f})
            for (const float b : {-.5f, .5f})
                for (const float c : {-.5f, .5f})
                    text +=
                        "v " + std::to_string(a * x) + " " + std::to_string(b * y) + " " + std::to_string(c * z) + "\n";
        text += "f 1 2 4 3\nf 5 7 8 6\nf 1 5 6 2\nf 1 3 7 5\nf 2 6 8 4\n";
        return closed ? text + "f 3 4 8 7\n" : text;
    };
    Scratch s;
    auto size_of = [&](const std::string& obj) {
        s.write("form.obj", obj);
        render::Workshop workshop;
        return review::mask_size(*prepared(plain_scene("form.obj"), s.path, workshop), 0);
    };
    const float cube = size_of(box(2, 2, 2));
    CHECK_THAT(cube, Catch::Matchers::WithinRel(2.f * std::sqrt(3.f) * .7f, 1e-4f));
    // A post of 10 x .2 x .2: eight times the width of a cube of as much volume to its surface.
    CHECK_THAT(size_of(box(.2f, 10, .2f)), Catch::Matchers::WithinRel(8.f * 6.f * .4f / (4 * 2.f + .08f), 1e-3f));
    CHECK_THAT(size_of(box(.001f, 10, 10)), Catch::Matchers::WithinRel(std::sqrt(200.f) * .7f / 16.f, 1e-3f));
    CHECK_THAT(size_of(box(10, .2f, 10, false)), Catch::Matchers::WithinRel(std::sqrt(200.04f) * .7f, 1e-3f));
}
