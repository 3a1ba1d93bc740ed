// A mask that is stuck to a place: its shapes at worked points, its depth, what it faces, and its copies.
#include "kernel_support.h"
#include "nodes/frame.h"
#include "scene/edits.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A pin of .2 x .1 metres, .05 deep, at (1, 2, 3) on a surface that faces along z, with a hard border.
struct Pinned {
    KernelRun run;
    std::vector<V3f> places;
    explicit Pinned(std::vector<V3f> at) : run("pin", int(at.size()), nodes::Type::number), places(std::move(at)) {
        run.uniform("centre", {1.f, 2.f, 3.f});
        run.uniform("axis", {0.f, 0.f, 1.f});
        run.uniform("turn", {0.f});
        run.uniform("size", {.2f, .1f, .05f});
        run.uniform("faces", {1.f});
        run.uniform("copies", {1.f});
        for (size_t i = 0; i < places.size(); ++i) {
            for (int c = 0; c < 3; ++c) run.in("position", c)[i] = V3f(1.f, 2.f, 3.f)[c] + places[i][c];
            run.in("normal", 2)[i] = 1.f;
            run.in("softness")[i] = 1e-4f;
            run.in("bend")[i] = 1.f;
            run.in("breakup")[i] = .5f;
        }
    }
    std::vector<float> operator()() { return run.run()[0]; }
};
constexpr float round_pin = 0.f, box_pin = 1.f, capsule_pin = 2.f, ring_pin = 3.f;

}  // namespace

TEST_CASE("a pin is white inside of its shape") {
    Pinned p({{0, 0, 0}, {.099f, 0, 0}, {.101f, 0, 0}, {0, .049f, 0}, {.08f, .035f, 0}, {.095f, .045f, 0}});
    p.run.uniform("shape", {round_pin});
    CHECK(p() == std::vector<float>{1, 1, 0, 1, 0, 0});
    p.run.uniform("shape", {box_pin});
    CHECK(p() == std::vector<float>{1, 1, 0, 1, 1, 1});
    p.run.uniform("shape", {capsule_pin});  // ends in half circles of .05 about (.05, 0)
    CHECK(p() == std::vector<float>{1, 1, 0, 1, 1, 0});
    p.run.uniform("shape", {ring_pin});  // between half and all of the ellipse
    CHECK(p() == std::vector<float>{0, 1, 0, 1, 0, 0});
}

TEST_CASE("a pin is turned about its axis, as deep as it says, and only on what faces it") {
    Pinned p({{.09f, 0, 0}, {0, .09f, 0}, {0, 0, .03f}, {0, 0, -.06f}, {0, 0, 0}});
    p.run.uniform("shape", {box_pin});
    p.run.in("normal", 2)[4] = -1.f;
    CHECK(p() == std::vector<float>{1, 0, 1, 0, 0});
    p.run.uniform("turn", {90.f});
    p.run.uniform("faces", {0.f});
    CHECK(p() == std::vector<float>{0, 1, 1, 0, 1});
}

TEST_CASE("copies of a pin lie in a row about its middle, or around a ring, and no farther") {
    Pinned row({{-.5f, 0, 0}, {0, 0, 0}, {.5f, 0, 0}, {.25f, 0, 0}, {1.f, 0, 0}, {.55f, 0, 0}, {.62f, 0, 0}});
    row.run.uniform("shape", {round_pin});
    row.run.uniform("copies", {3.f});
    row.run.uniform("apart", {.5f});
    CHECK(row() == std::vector<float>{1, 1, 1, 0, 0, 1, 0});
    row.run.uniform("copies", {2.f});  // at -.25 and .25
    CHECK(row() == std::vector<float>{0, 0, 0, 1, 0, 0, 0});

    std::vector<V3f> around;
    for (int k = 0; k < 12; ++k)
        around.emplace_back(.4f * std::cos(pi * float(k) / 6), .4f * std::sin(pi * float(k) / 6), 0);
    around.emplace_back(0.f);
    around.emplace_back(0.f, .48f, 0.f);  // outwards each is as wide as it is along x
    around.emplace_back(.06f, .4f, 0.f);
    Pinned ring(around);
    ring.run.uniform("shape", {round_pin});
    ring.run.uniform("copies", {4.f});
    ring.run.uniform("laid", {1.f});
    ring.run.uniform("apart", {.4f});
    CHECK(ring() == std::vector<float>{1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 0, 1, 0});
}

TEST_CASE("another pin in a mask is a copy beside it, and all who read the one read both") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string layer = b.layers[0].id;
    const std::string pin = scene::add_node(b, layer, "pin", "float", "Knock");
    const std::string levels = scene::add_node(b, layer, "levels", "float", "Harder");
    scene::node(b, pin)->inputs["size"].value = V3f(.2f);
    scene::node(b, levels)->inputs["in"].from = pin;
    b.layers[0].gate.mask.from = pin;
    const std::string copy = nodes::another_pin(b, pin);
    REQUIRE(scene::node(b, copy));
    CHECK(scene::node(b, copy)->kind == "pin");
    CHECK(scene::as_vector(scene::node(b, copy)->inputs["size"].value) == V3f(.2f));
    const std::string both = b.layers[0].gate.mask.from;
    REQUIRE(scene::node(b, both));
    CHECK(scene::node(b, levels)->inputs["in"].from == both);
    CHECK(scene::sources(scene::node(b, both)->inputs) == std::vector<std::string>{pin, copy});
    // A third one: still one mask, and no circle.
    CHECK_FALSE(nodes::another_pin(b, copy).empty());
    CHECK(b.layers[0].gate.mask.from == both);
    const auto upstream = scene::Graph(b).upstream({both});
    CHECK(upstream.size() == 5);
    // They meet as those do that were there.
    scene::node(b, both)->inputs["how"].value = 2.f;
    const std::string fourth = nodes::another_pin(b, pin);
    for (const scene::Node& n : b.layers[0].nodes)
        if (n.kind == "together" && n.inputs.at("in2").from == fourth)
            CHECK(scene::as_number(n.inputs.at("how").value) == 2.f);
    const std::string grain = scene::add_node(b, layer, "grain", "vector2", "Grain");
    CHECK(nodes::another_pin(b, grain).empty());
    CHECK(nodes::another_pin(b, "nothing").empty());
}
