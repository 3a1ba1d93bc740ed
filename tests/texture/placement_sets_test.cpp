#include "render_support.h"
#include "review/evaluate_at.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A square of two by one metres, with its UVs in a first set, and turned and shrunk in a second.
fs::path two_sets(const Scratch& s) {
    const float positions[] = {0, 0, 0, 2, 0, 0, 2, 1, 0, 0, 1, 0}, normals[] = {0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1};
    const float first[] = {0, 1, 1, 1, 1, 0, 0, 0},
                second[] = {.5f, 1, .5f, .5f, 0, .5f, 0, 1};  // glTF counts v downwards
    const uint16_t indices[] = {0, 1, 2, 0, 2, 3};
    std::string data;
    auto put = [&](const void* from, size_t bytes) { data.append(static_cast<const char*>(from), bytes); };
    put(positions, sizeof positions);
    put(normals, sizeof normals);
    put(first, sizeof first);
    put(second, sizeof second);
    put(indices, sizeof indices);
    s.write("square.bin", data);
    return s.write(
        "square.gltf",
        R"({"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"scene":0,"nodes":[{"mesh":0,"name":"square"}],
      "meshes":[{"primitives":[{"attributes":{"POSITION":0,"NORMAL":1,"TEXCOORD_0":2,"TEXCOORD_1":3},"indices":4}]}],
      "buffers":[{"uri":"square.bin","byteLength":172}],
      "bufferViews":[{"buffer":0,"byteOffset":0,"byteLength":48},{"buffer":0,"byteOffset":48,"byteLength":48},
                     {"buffer":0,"byteOffset":96,"byteLength":32},
                     {"buffer":0,"byteOffset":128,"byteLength":32},{"buffer":0,"byteOffset":160,"byteLength":12}],
      "accessors":[{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3","min":[0,0,0],"max":[2,1,0]},
                   {"bufferView":1,"componentType":5126,"count":4,"type":"VEC3"},
                   {"bufferView":2,"componentType":5126,"count":4,"type":"VEC2"},
                   {"bufferView":3,"componentType":5126,"count":4,"type":"VEC2"},
                   {"bufferView":4,"componentType":5123,"count":6,"type":"SCALAR"}]})");
}

struct SetBench {
    Scratch s;
    scene::Scene scene;
    render::Workshop workshop;
    std::string place;
    SetBench() {
        two_sets(s);
        scene = plain_scene("square.gltf");
        scene.parts[0].source = "square";
        scene::BuildUp& b = scene.build_ups[0];
        place = scene::add_node(b, b.layers[0].id, "placement", "place", "Placement");
        b.layers[0].surface["base_color"].from = place;  // (u, v) as a colour
    }
    scene::Node& node() { return *scene::node(scene.build_ups[0], place); }
    /// Where the placement reads at this place of the first set of UVs, with the step along the surface's x over a
    /// pixel of .01.
    std::vector<float> at(float u, float v, std::vector<Error>* problems = nullptr) {
        const auto p = prepared(scene, s.path, workshop);
        if (problems) *problems = p->problems;
        return values_at(*p, scene.build_ups[0], {"place", nodes::Type::place, {scene::Value{V2f(0.f)}, place}},
                         {u, v});
    }
};

}  // namespace

TEST_CASE("a placement reads a part's further set of UVs by its name, with the footprint that goes with it") {
    SetBench t;
    auto first = t.at(.25f, .5f);
    CHECK(first[0] == Approx(.25f));
    CHECK(first[1] == Approx(.5f));
    t.node().inputs["uv_set"] = {std::string("TEXCOORD_1"), {}};
    std::vector<Error> problems;
    const auto second = t.at(.25f, .5f, &problems);
    CHECK(problems.empty());
    // At (.5 m, .5 m): half-way up the second set's U downwards, a quarter along its V.
    CHECK(second[0] == Approx(.25f));
    CHECK(second[1] == Approx(.125f));
    // A metre along x is .25 of its V, a metre along y -.5 of its U; of the first set: .5 of U, 1 of V.
    auto area = [](const std::vector<float>& p) { return std::fabs(p[2] * p[5] - p[3] * p[4]); };
    CHECK(area(first) == Approx(.01f * .01f * .5f).epsilon(1e-3));
    CHECK(area(second) == Approx(.01f * .01f * .125f).epsilon(1e-3));
    t.node().inputs["uv_set"] = {std::string("paint"), {}};
    CHECK(t.at(.25f, .5f, &problems)[0] == Approx(.25f));
    REQUIRE(problems.size() == 1);
    CHECK(problems[0].what.find("set of UVs is missing") != std::string::npos);
}

TEST_CASE("by UV a copy of the map can be as large as it is in the world") {
    SetBench t;
    t.node().inputs["real_size"] = {1.f, {}};
    t.node().inputs["size"] = {V2f(.25f, .5f), {}};
    // The square is 2 m by 1 m on one unit of UVs: .7071 widths per metre in the mean.
    const float density = std::sqrt(.5f);
    const auto a = t.at(.25f, .5f), b = t.at(.75f, .5f);
    CHECK(b[0] - a[0] == Approx(.5f / (density * .25f)).epsilon(1e-4));
    const auto c = t.at(.25f, .75f);
    CHECK(c[1] - a[1] == Approx(.25f / (density * .5f)).epsilon(1e-4));
    // The second set lies half as dense: so many more copies.
    t.node().inputs["uv_set"] = {std::string("TEXCOORD_1"), {}};
    const auto d = t.at(.25f, .5f), e = t.at(.25f, .75f);
    CHECK(std::fabs(e[0] - d[0]) == Approx(.125f / (std::sqrt(.125f) * .25f)).epsilon(1e-4));
}
