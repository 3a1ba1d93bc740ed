// What a project may ask for, and what happens beyond: a sentence and a picture, never an end.
#include "render/build_up.h"
#include "render/rig.h"
#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// Build-ups b0, b1, ... that each show the next one `times` over, half covering.
scene::Scene nested(int deep, int times) {
    scene::Scene s = plain_scene("square.obj");
    s.build_ups.clear();
    for (int i = 0; i < deep; ++i) {
        scene::BuildUp b = scene::default_build_up("b" + std::to_string(i), "B" + std::to_string(i));
        for (int t = 0; t < times && i + 1 < deep; ++t) {
            scene::Layer* l = scene::find(b.layers, scene::add_layer(b, "Inner"));
            l->build_up = "b" + std::to_string(i + 1);
            l->amount = .5f;
        }
        s.build_ups.push_back(std::move(b));
    }
    s.parts[0].build_up = "b0";
    return s;
}

struct CompiledAlone {
    std::vector<std::shared_ptr<const render::PreparedBuildUp>> all;
    std::vector<Error> problems;
};
CompiledAlone compiled(const scene::Scene& s) {
    CompiledAlone c;
    program::Resources resources;
    std::vector<int> first;
    int layers = 0;
    for (const scene::BuildUp& b : s.build_ups) {
        first.push_back(layers);
        layers += int(b.layers.size());
    }
    c.all = render::BuildUpCompiler(s, first, resources, c.problems).all();
    return c;
}

std::vector<V3f> picture_of(const scene::Scene& s) {
    Scratch folder;
    folder.write("square.obj", square_obj);
    render::Workshop workshop(16);
    return rendered(*prepared(s, folder.path, workshop), 16, 10, 1);
}

}  // namespace

TEST_CASE("a build-up that many layers show is compiled once and shared") {
    const CompiledAlone c = compiled(nested(3, 2));
    REQUIRE(c.problems.empty());
    const auto& layers = c.all[0]->layers;
    REQUIRE(layers.size() == 3);
    CHECK(layers[0].nested == layers[1].nested);
    CHECK(layers[0].nested == c.all[1]);
    CHECK(c.all[0]->height == 3);
    CHECK(c.all[2]->total_layers == 1);
    CHECK(c.all[1]->total_layers == 3);  // its own base, and two of one layer each
    CHECK(c.all[0]->total_layers == 7);
}

TEST_CASE("build-ups nest up to a bound; what is deeper is plain, and told") {
    CHECK(compiled(nested(render::most_nested, 1)).problems.empty());
    const CompiledAlone deep = compiled(nested(1000, 1));
    CHECK_FALSE(deep.problems.empty());
    for (const auto& b : deep.all) CHECK(b->height <= render::most_nested);
    const CompiledAlone wide = compiled(nested(30, 2));
    CHECK_FALSE(wide.problems.empty());
    for (const auto& b : wide.all) CHECK(b->total_layers <= render::most_total_layers);
    for (const V3f& c : picture_of(nested(30, 2))) CHECK(finite(c));
}

TEST_CASE("of very many layers the outermost and the base show") {
    scene::Scene s = nested(1, 0);
    scene::Layer thin = s.build_ups[0].layers[0];
    thin.amount = .001f;
    for (size_t i = 0; i < 3 * render::most_layers; ++i) {
        thin.id = "l" + std::to_string(i);
        s.build_ups[0].layers.push_back(thin);
    }
    const CompiledAlone c = compiled(s);
    CHECK(c.problems.size() == 1);
    CHECK(c.all[0]->layers.size() <= render::most_layers + 1);
    CHECK(c.all[0]->layers.back().always);
    CHECK(c.all[0]->layers.back().index == 0);
    CHECK(c.all[0]->layers.front().index == int(3 * render::most_layers));
}

TEST_CASE("layers that close a circle of build-ups are found, whichever way one comes") {
    scene::Scene s = nested(50, 1);
    scene::Layer* l = scene::find(s.build_ups[49].layers, scene::add_layer(s.build_ups[49], "Back"));
    l->build_up = "b10";
    const auto circles = scene::layers_in_circles(s);
    REQUIRE(circles.size() == 1);
    CHECK(circles[0]->build_up == "b10");
    circles[0]->build_up.clear();
    CHECK(scene::layers_in_circles(s).empty());
    const auto order = scene::inner_first(s);
    REQUIRE(order.size() == 50);
    CHECK(order.front() == 49);
    CHECK(order.back() == 0);
    s.build_ups[3].layers[0].build_up = "b3";  // itself
    CHECK(scene::layers_in_circles(s).size() == 1);
    CHECK(scene::inner_first(s).size() == 50);
}

TEST_CASE("networks that hold the next one twice over end at a bound, with a sentence") {
    scene::Scene s = plain_scene("square.obj");
    for (int i = 0; i < 40; ++i) {
        scene::Network n;
        n.id = "w" + std::to_string(i);
        n.name = n.id;
        scene::Node sum;
        sum.id = "sum";
        sum.kind = "add";
        sum.type = "float";
        for (const char* id : {"a", "b"}) {
            scene::Node inner;
            inner.id = id;
            if (i + 1 < 40)
                inner.network = "w" + std::to_string(i + 1);
            else
                inner.kind = "constant";
            n.nodes.push_back(inner);
        }
        sum.inputs["in1"].from = "a";
        sum.inputs["in2"].from = "b";
        n.nodes.push_back(sum);
        n.outputs.push_back({"out", "float", {0.f, "sum"}, {}});
        s.networks.push_back(std::move(n));
    }
    scene::Node top;
    top.id = "top";
    top.network = "w0";
    s.build_ups[0].layers[0].nodes.push_back(top);
    program::Resources resources;
    std::vector<Error> problems;
    (void)program::compile(s.build_ups[0], {{"wanted", nodes::Type::number, {0.f, "top"}}}, resources, problems,
                           &s.networks);
    REQUIRE_FALSE(problems.empty());
    CHECK(problems.front().why.find("instances") != std::string::npos);
}

TEST_CASE("what is no ray hits nothing, and is never given to the ray library") {
    const float bad[] = {NAN, INFINITY, -INFINITY, 3e38f, 1e19f};
    CHECK(geometry::is_ray(V3f(1e6f), V3f(0, 0, 1)));
    CHECK_FALSE(geometry::is_ray(V3f(0.f), V3f(0.f)));
    for (float b : bad) {
        CHECK_FALSE(geometry::is_ray(V3f(0, b, 0), V3f(0, 0, 1)));
        CHECK_FALSE(geometry::is_ray(V3f(0.f), V3f(0, b, 1)));
        const RTCRayHit r = geometry::single_ray(V3f(b, 0, 0), V3f(0, 0, 1));
        CHECK(r.ray.tfar < r.ray.tnear);
        CHECK(std::isfinite(r.ray.org_x));
    }
    CHECK(geometry::single_ray(V3f(0.f), V3f(0, 0, 1), NAN).ray.tfar < 0.f);
    RTCRay16 packet;
    geometry::set_ray(packet, 3, V3f(0.f), V3f(NAN, 0, 0));
    CHECK(packet.tfar[3] < packet.tnear[3]);
    CHECK(packet.dir_z[3] == 1.f);
}

TEST_CASE("cameras and parts beyond all measure give a finite picture and a sentence") {
    scene::Scene s = plain_scene("square.obj");
    s.assets[0].placement.scale = V3f(1e6f);
    s.parts[0].placement.scale = V3f(1e6f);
    Scratch folder;
    folder.write("square.obj", square_obj);
    render::Workshop workshop(16);
    const auto p = prepared(s, folder.path, workshop);
    CHECK(p->geometry->instances().empty());
    REQUIRE_FALSE(p->problems.empty());
    CHECK(p->problems[0].what == "A part is left out");
    s = plain_scene("square.obj");
    for (const V3f& at : {V3f(3e38f), V3f(NAN, 0, 1), V3f(1e30f, 0, 0), V3f(0.f)}) {
        s.cameras[0].position = at;
        for (const V3f& c : picture_of(s)) CHECK(finite(c));
    }
}

TEST_CASE("a rig keeps as many light groups and lights as a picture can hold, and tells what it joins") {
    scene::Rig rig = scene::default_rig();
    rig.lights.assign(200, rig.lights[0]);
    for (size_t i = 0; i < rig.lights.size(); ++i) rig.lights[i].group = "g" + std::to_string(i);
    std::vector<Error> problems;
    const auto none = [](const fs::path&) { return Result<std::shared_ptr<const render::EnvironmentImage>>(Error{}); };
    const Paths paths("/", {}, nullptr);
    render::PreparedRig made = render::prepare_rig(rig, V3f(0.f), paths, none, problems);
    CHECK(made.groups.size() == render::PreparedRig::most_groups);
    REQUIRE(problems.size() == 1);
    CHECK(problems[0].what == "There are too many light groups");
    for (const render::AreaLight& l : made.lights) CHECK(size_t(l.group) < made.groups.size());
    CHECK(made.environment_share + made.lights_share == Approx(1.f).epsilon(1e-4));
    problems.clear();
    rig.lights.assign(render::PreparedRig::most_lights + 5, rig.lights[0]);
    made = render::prepare_rig(rig, V3f(0.f), paths, none, problems);
    CHECK(made.lights.size() == render::PreparedRig::most_lights);
    CHECK(problems.size() == 1);
}
