#include "program/compile.h"

#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::Type;

namespace {
struct Compiled {
    scene::BuildUp b = scene::default_build_up("b", "B");
    program::Resources resources;
    std::vector<Error> problems;
    std::string add(const std::string& kind, const std::string& type = "float") {
        return scene::add_node(b, b.layers[0].id, kind, type, kind);
    }
    scene::Inputs& inputs(const std::string& id) { return scene::node(b, id)->inputs; }
    program::Program compile(const std::string& node, Type type = Type::number) {
        return program::compile(b, {{"out", type, {scene::Value{.25f}, node}}}, resources, problems);
    }
};
std::vector<float> run(const program::Program& p, std::vector<float> x) {
    nodes::PointBatch batch;
    batch.n = int(x.size());
    for (int c = 0; c < 3; ++c)
        batch.rows[nodes::row_position + c] = batch.rows[nodes::row_normal + c] = batch.rows[nodes::row_color + c] =
            x.data();
    batch.rows[nodes::row_uv + 0] = batch.rows[nodes::row_uv + 1] = x.data();
    program::Workspace w;
    std::vector<const float*> out(size_t(p.component_count()));
    p.run(batch, w, out.data());
    return {out[0], out[0] + x.size()};
}
}  // namespace

TEST_CASE("a network of constants folds to a constant") {
    Compiled c;
    const auto a = c.add("add"), m = c.add("multiply");
    c.inputs(a)["in1"].value = 2.f;
    c.inputs(a)["in2"].value = 3.f;
    c.inputs(m)["in1"].from = a;
    c.inputs(m)["in2"].value = 4.f;
    const auto p = c.compile(m);
    CHECK(p.steps() == 0);
    REQUIRE(p.constant(0));
    CHECK(p.constant(0)->x == 20.f);
}

TEST_CASE("masks put together are the larger, the union or the sum of both") {
    Compiled c;
    const auto both = c.add("together");
    c.inputs(both)["in1"].value = .5f;
    c.inputs(both)["in2"].value = .75f;
    for (const auto& [how, expected] : {std::pair{0.f, .75f}, {1.f, .875f}, {2.f, 1.f}}) {
        c.inputs(both)["how"].value = how;
        const auto p = c.compile(both);
        REQUIRE(p.constant(0));
        CHECK(p.constant(0)->x == expected);
    }
    c.inputs(both)["in2"].value = .25f;
    CHECK(c.compile(both).constant(0)->x == .75f);  // a sum below white
    CHECK(c.problems.empty());
}

TEST_CASE("equal work is done once") {
    Compiled c;
    const auto n1 = c.add("fractal3d"), n2 = c.add("fractal3d"), s = c.add("add");
    c.inputs(s)["in1"].from = n1;
    c.inputs(s)["in2"].from = n2;
    CHECK(c.compile(s).steps() == 2);
    c.inputs(n2)["amplitude"].value = 2.f;
    CHECK(c.compile(s).steps() == 3);
}

TEST_CASE("registers are used again and long chains stay right") {
    Compiled c;
    std::string last = c.add("noise3d");
    const auto noise = c.compile(last);
    for (int i = 0; i < 60; ++i) {
        const auto next = c.add("add");
        c.inputs(next)["in1"].from = last;
        c.inputs(next)["in2"].value = 1.f;
        last = next;
    }
    std::vector<float> x{.1f, 1.7f, -2.3f}, expected = run(noise, x);
    for (float& v : expected) v += 60.f;
    CHECK_THAT(run(c.compile(last), x), AllClose(expected, 1e-4f));
}

TEST_CASE("what cannot be computed is reported and its literal stands in its place") {
    Compiled c;
    SECTION("a circle") {
        const auto a = c.add("add"), b = c.add("invert");
        c.inputs(a)["in1"].from = b;
        c.inputs(b)["in"].from = a;
        const auto p = c.compile(a);
        REQUIRE(c.problems.size() >= 1);
        CHECK(c.problems[0].why.find("circle") != std::string::npos);
        CHECK(run(p, {0.f}).size() == 1);
    }
    SECTION("an unknown kind") {
        const auto a = c.add("warp-field");
        CHECK(c.compile(a).constant(0)->x == .25f);
        CHECK(c.problems[0].why.find("warp-field") != std::string::npos);
        CHECK_FALSE(c.problems[0].remedy.empty());
    }
    SECTION("a source that does not exist") {
        const auto a = c.add("invert");
        c.inputs(a)["in"].from = "gone";
        c.inputs(a)["in"].value = .3f;
        CHECK(c.compile(a).constant(0)->x == Approx(.7f));
        CHECK(c.problems.size() == 1);
    }
    SECTION("a type that the node does not have") {
        const auto a = c.add("worleynoise3d", "color3");
        c.compile(a);
        CHECK(c.problems.size() == 1);
    }
    SECTION("an input that the node does not have, and a word where a number belongs") {
        const auto a = c.add("fractal3d");
        c.inputs(a)["colour"].value = 1.f;
        c.inputs(a)["octaves"].value = std::string("many");
        c.compile(a);
        CHECK(c.problems.size() == 2);
    }
}

TEST_CASE("a value that is not a number leaves the program as zero") {
    Compiled c;
    const auto r = c.add("remap"), n = c.add("noise3d");
    c.inputs(r)["in"].from = n;
    c.inputs(r)["inlow"].value = 1.f;
    c.inputs(r)["inhigh"].value = 1.f;  // divides by zero
    for (float v : run(c.compile(r), {.1f, .2f, .3f})) CHECK(v == 0.f);
}

TEST_CASE("numbers spread over colours, colours become luminance, never alpha") {
    Compiled c;
    const auto k = c.add("constant", "color3");
    c.inputs(k)["value"].value = V3f(1.f, .5f, .25f);
    CHECK(c.compile(k, Type::number).constant(0)->x == Approx(.2126f + .7152f * .5f + .0722f * .25f));
    const auto n = c.add("constant", "float");
    CHECK(*c.compile(n, Type::color).constant(0) == V3f(.5f));
}

TEST_CASE("levels cut to black and white and bend the middle; equal ends are a hard threshold") {
    Compiled c;
    const auto l = c.add("levels"), p = c.add("position", "vector3");
    c.inputs(l)["in"].from = p;
    c.inputs(l)["inlow"].value = .2f;
    c.inputs(l)["inhigh"].value = .6f;
    CHECK_THAT(run(c.compile(l), {0.f, .2f, .4f, .6f, 1.f}), AllClose({0.f, 0.f, .5f, 1.f, 1.f}, 1e-6f));
    c.inputs(l)["gamma"].value = 2.f;
    CHECK_THAT(run(c.compile(l), {.3f}), AllClose({.5f}, 1e-6f));
    c.inputs(l)["gamma"].value = 1.f;
    c.inputs(l)["inhigh"].value = .2f;
    CHECK_THAT(run(c.compile(l), {.19f, .2f, .21f}), AllClose({0.f, 1.f, 1.f}, 0.f));
}
