#include <set>

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

TEST_CASE("numbers of a rig and a camera come into the ranges that light is computed in, each told") {
    const auto loaded = scene::parse(
        R"({"vemtra": 1,
            "rigs": [{"id": "r", "environment": {"exposure": 900, "rotation": 1e9, "tint": [-1, 1e6, 1]},
                      "lights": [{"id": "l", "position": [1e9, 0, 0], "size": [-1, 1e9],
                                  "intensity": -3, "exposure": -99}],
                      "groups": [{"name": "g", "exposure": 1e6}], "stage": {"height": -1e9, "fade_end": -1}}],
            "cameras": [{"id": "c", "position": [1e11, 0, 0], "target": [1e11, 0, 0], "focal_length": 0}],
            "render": {"clamp": -1, "depth": 999999, "samples": -1}, "display": {"exposure": 1e5}})",
        "p");
    REQUIRE(loaded);
    const scene::Rig& r = loaded->scene.rigs[0];
    CHECK(r.environment.exposure == 24.f);
    CHECK(r.environment.tint.x == 0.f);
    CHECK(r.environment.tint.y == 1e4f);
    CHECK(r.lights[0].position.x == 1e6f);
    CHECK(r.lights[0].size == V2f(0.f, 1e6f));
    CHECK(r.lights[0].intensity == 0.f);
    CHECK(r.lights[0].exposure == -24.f);
    CHECK(r.groups[0].exposure == 24.f);
    CHECK(r.stage.height == -1e6f);
    CHECK(r.stage.fade_end == 0.f);
    const scene::Camera& c = loaded->scene.cameras[0];
    CHECK(c.focal_length == 1.f);
    CHECK((c.position - c.target).length() > 0.f);
    CHECK(loaded->scene.render.depth == 64);
    CHECK(loaded->scene.display.exposure == 32.f);
    CHECK(loaded->problems.size() >= 15);
    for (const Error& e : loaded->problems) CHECK_FALSE(e.place.empty());
}

TEST_CASE("a number beyond a million million is not read, and the default stands") {
    for (const char* number : {"1.1e12", "-1e13", "1e39", "1e308", "18446744073709551615"}) {
        const auto loaded = scene::parse(
            std::string(R"({"vemtra": 1, "kept_values": [{"name": "a", "roughness": )") + number + "}]}", "p");
        REQUIRE(loaded);
        INFO(number);
        REQUIRE(loaded->problems.size() == 1);
        CHECK(loaded->problems[0].place == "kept_values[0].roughness");
        CHECK(loaded->scene.kept_values[0].roughness == scene::KeptValue().roughness);
    }
    CHECK_FALSE(scene::parse(R"({"vemtra": 1, "name": 1e400})", "p"));
    CHECK_FALSE(scene::parse(R"({"vemtra": 18446744073709551615})", "p"));
    CHECK_FALSE(scene::parse(R"({"vemtra": 4294967297})", "p"));
}

TEST_CASE("very many ids that are the same are told apart, and a part of them is listed") {
    std::string text = R"({"vemtra": 1, "parts": [)";
    for (int i = 0; i < 5000; ++i) text += std::string(i ? "," : "") + (i % 2 ? R"({"id": "same"})" : "{}");
    const auto loaded = scene::parse(text + "]}", "p");
    REQUIRE(loaded);
    std::set<std::string> ids;
    for (const scene::Part& p : loaded->scene.parts) ids.insert(p.id);
    CHECK(ids.size() == 5000);
    CHECK(loaded->problems.size() < 300);
    CHECK(loaded->problems.back().why.find("more things") != std::string::npos);
}
