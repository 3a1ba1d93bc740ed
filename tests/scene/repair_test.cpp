#include "support.h"

#include "scene/repair.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

std::vector<Error> repaired(scene::Scene& s) {
    std::vector<Error> problems;
    scene::repair(s, "p.vemtra", problems);
    return problems;
}

}  // namespace

TEST_CASE("a sound scene is left as it is") {
    scene::Scene s = plain_scene("a.obj");
    const scene::Scene before = s;
    CHECK(repaired(s).empty());
    CHECK(s == before);
}

TEST_CASE("ids become unique where they have to be, and nodes are unique over all layers of a build-up") {
    scene::Scene s;
    s.parts.resize(3);
    s.build_ups.resize(1);
    s.build_ups[0].id = "b";
    s.build_ups[0].layers.resize(2);
    s.build_ups[0].layers[0].id = "base";
    s.build_ups[0].layers[1].id = "top";
    for (scene::Layer& l : s.build_ups[0].layers) l.nodes.resize(1, {"n", "noise3d", "float", "", {}, {}, {}});
    s.build_ups[0].commons.resize(1, {"n", "noise3d", "float", "", {}, {}, {}});
    const auto problems = repaired(s);
    CHECK(s.parts[0].id != s.parts[1].id);
    CHECK(s.parts[1].id != s.parts[2].id);
    std::set<std::string> nodes{s.build_ups[0].commons[0].id};
    for (const scene::Layer& l : s.build_ups[0].layers) nodes.insert(l.nodes[0].id);
    CHECK(nodes.size() == 3);
    CHECK(problems.size() == 5);
    for (const Error& e : problems) {
        CHECK(e.file == "p.vemtra");
        CHECK_FALSE(e.place.empty());
    }
    // What was repaired once stays as it is.
    CHECK(repaired(s).empty());
}

TEST_CASE("numbers come into the ranges that computing needs") {
    scene::Scene s = plain_scene("a.obj");
    s.render.width = 0;
    s.render.height = 1 << 20;
    s.render.samples = -3;
    s.render.depth = 1000;
    s.render.noise = 4.f;
    s.display.exposure = 100.f;
    s.assets[0].scale = -1.f;
    s.cameras[0].focal_length = 0.f;
    s.cameras[0].target = s.cameras[0].position;
    CHECK(repaired(s).size() == 9);
    CHECK(s.render.width == 1);
    CHECK(s.render.height == 16384);
    CHECK(s.render.samples == 1);
    CHECK(s.render.depth == 64);
    CHECK(s.render.noise == 1.f);
    CHECK(s.display.exposure == 32.f);
    CHECK(s.assets[0].scale > 0.f);
    CHECK(s.cameras[0].focal_length >= 1.f);
    CHECK((s.cameras[0].target - s.cameras[0].position).length() > .5f);
}

TEST_CASE("a build-up that would contain itself gets a surface again, and a base is never a coat") {
    scene::Scene s = plain_scene("a.obj");
    scene::BuildUp other = s.build_ups[0];
    other.id = "other";
    scene::add_layer(s.build_ups[0], "Round", {});
    scene::add_layer(other, "And round", {});
    s.build_ups[0].layers[1].build_up = "other";
    other.layers[1].build_up = s.build_ups[0].id;
    other.layers[0].kind = scene::LayerKind::coat;
    s.build_ups.push_back(other);
    CHECK(repaired(s).size() >= 2);
    CHECK(s.build_ups[1].layers[0].kind == scene::LayerKind::cover);
    const bool first = s.build_ups[0].layers[1].build_up.empty(), second = s.build_ups[1].layers[1].build_up.empty();
    CHECK((first || second));
    CHECK(repaired(s).empty());
}
