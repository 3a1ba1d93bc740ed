#include "nodes/groups.h"

#include "program/compile.h"
#include "scene/edits.h"
#include "scene/networks.h"
#include "scene/project_file.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::Type;

namespace {

/// a = .25; sum = a + .5; twice = sum * 2; both read by slots.
struct GroupBench {
    scene::Scene s;
    std::string a, sum, twice;
    GroupBench() {
        s.build_ups.push_back(scene::default_build_up("b", "B"));
        a = make("constant", "A");
        sum = make("add", "Sum");
        twice = make("multiply", "Twice");
        node(a).inputs["value"].value = .25f;
        node(sum).inputs["in1"].from = a;
        node(sum).inputs["in2"].value = .5f;
        node(twice).inputs["in1"].from = sum;
        node(twice).inputs["in2"].value = 2.f;
        b().layers[0].surface["base_weight"].from = twice;
        b().layers[0].surface["base_metalness"].from = sum;
    }
    scene::BuildUp& b() { return s.build_ups[0]; }
    scene::Node& node(const std::string& id) { return *scene::node(b(), id); }
    std::string make(const char* kind, const char* name) {
        return scene::add_node(b(), b().layers[0].id, kind, "float", name);
    }
    float slot(const char* name) {
        nodes::Resources resources;
        std::vector<Error> problems;
        const auto p = program::compile(b(), {{name, Type::number, b().layers[0].surface[name]}}, resources, problems,
                                        &s.networks);
        for (const Error& e : problems) UNSCOPED_INFO(e.place << ": " << e.why);
        CHECK(problems.empty());
        return p.constant(0) ? p.constant(0)->x : NAN;
    }
    void same() {
        CHECK(slot("base_weight") == Approx(1.5f));
        CHECK(slot("base_metalness") == Approx(.75f));
    }
};

}  // namespace

TEST_CASE("marked nodes become a group with the inputs and outputs that its surroundings need") {
    GroupBench t;
    t.same();
    const auto made = nodes::make_group(t.s, "b", {t.sum, t.twice}, "Twice and sum");
    REQUIRE(made);
    REQUIRE(t.s.networks.size() == 1);
    const scene::Network& n = t.s.networks[0];
    CHECK(n.inputs.size() == 1);
    CHECK(n.outputs.size() == 2);
    CHECK(n.nodes.size() == 2);
    CHECK(t.b().layers[0].nodes.size() == 2);  // A and the instance
    t.same();
    CHECK_FALSE(nodes::make_group(t.s, "b", {"nowhere"}, "X"));
}

TEST_CASE("a group opens in place and closes again as it was; instances follow what was changed") {
    GroupBench t;
    const std::string group = *nodes::make_group(t.s, "b", {t.sum, t.twice}, "Pair");
    const std::string network = t.node(group).network;
    scene::Node second = t.node(group);
    second.id = "second";
    second.inputs.begin()->second = {scene::Value{1.f}, {}};
    t.b().layers[0].nodes.push_back(second);
    t.b().layers[0].surface["specular_weight"] = {scene::Value{0.f}, "second",
                                                  t.b().layers[0].surface["base_weight"].output};
    CHECK(t.slot("specular_weight") == Approx(3.f));
    const scene::Network before = t.s.networks[0];
    REQUIRE(nodes::lay_open(t.s, "b", group));
    t.same();
    CHECK_FALSE(nodes::lay_open(t.s, "b", "second"));  // it lies open already
    auto closed = nodes::close_group(t.s, "b", network);
    REQUIRE(closed);
    CHECK(t.s.networks[0].inputs == before.inputs);
    CHECK(t.s.networks[0].outputs.size() == before.outputs.size());
    t.same();
    CHECK(t.slot("specular_weight") == Approx(3.f));
    // Changed while it lies open: both instances follow once it is closed.
    REQUIRE(nodes::lay_open(t.s, "b", *closed));
    scene::for_each_node(t.b(), [&](scene::Node& n, scene::Layer*) {
        if (n.kind == "multiply") n.inputs["in2"].value = 4.f;
    });
    CHECK(t.slot("base_weight") == Approx(3.f));
    CHECK(t.slot("specular_weight") == Approx(3.f));  // not yet
    closed = nodes::close_group(t.s, "b", network);
    REQUIRE(closed);
    CHECK(t.slot("base_weight") == Approx(3.f));
    CHECK(t.slot("specular_weight") == Approx(6.f));
    CHECK(nodes::instances_of(t.s, network) == 2);
    CHECK_FALSE(nodes::close_group(t.s, "b", network));
}

TEST_CASE("an instance is made unique, or dissolved into its nodes") {
    GroupBench t;
    const std::string group = *nodes::make_group(t.s, "b", {t.sum, t.twice}, "Pair");
    const std::string network = t.node(group).network;
    REQUIRE(nodes::make_unique(t.s, "b", group));
    CHECK(t.node(group).network != network);
    CHECK(t.s.networks.size() == 2);
    t.same();
    REQUIRE(nodes::dissolve(t.s, "b", group));
    CHECK_FALSE(scene::find_node(t.b(), group).node);
    t.same();
    scene::for_each_node(t.b(), [&](const scene::Node& n, const scene::Layer*) { CHECK(n.laid_open.empty()); });
    CHECK_FALSE(nodes::dissolve(t.s, "b", t.a));
    CHECK_FALSE(nodes::make_unique(t.s, "b", t.a));
}

TEST_CASE("groups hold groups, and what lies open is saved and closed after loading") {
    GroupBench t;
    const std::string inner = *nodes::make_group(t.s, "b", {t.sum}, "Inner");
    const std::string outer = *nodes::make_group(t.s, "b", {inner, t.twice}, "Outer");
    t.same();
    const std::string network = t.node(outer).network;
    REQUIRE(nodes::lay_open(t.s, "b", outer));
    t.same();
    auto loaded = scene::parse(scene::to_text(t.s), "x");
    REQUIRE(loaded);
    CHECK(loaded->scene == t.s);
    t.s = loaded->scene;
    REQUIRE(nodes::close_group(t.s, "b", network));
    t.same();
}

TEST_CASE("a wire drawn into an open group from outside becomes an input of it") {
    GroupBench t;
    const std::string group = *nodes::make_group(t.s, "b", {t.sum, t.twice}, "Pair");
    const std::string network = t.node(group).network;
    REQUIRE(nodes::lay_open(t.s, "b", group));
    scene::for_each_node(t.b(), [&](scene::Node& n, scene::Layer*) {
        if (n.kind == "multiply") n.inputs["in2"].from = t.a;
    });
    const float expected = t.slot("base_weight");
    CHECK(expected == Approx(.75f * .25f));
    REQUIRE(nodes::close_group(t.s, "b", network));
    CHECK(t.s.networks[0].inputs.size() == 2);
    CHECK(t.slot("base_weight") == Approx(expected));
}

TEST_CASE("networks that travel keep their ids where they are there alike, and get others where not") {
    GroupBench t;
    const std::string group = *nodes::make_group(t.s, "b", {t.sum, t.twice}, "Pair");
    std::vector<scene::Node> carried{t.node(group)};
    const auto networks = scene::networks_of(t.s.networks, carried);
    REQUIRE(networks.size() == 1);
    scene::Scene other;
    scene::bring_networks(other, networks, carried);
    CHECK(other.networks.size() == 1);
    scene::bring_networks(other, networks, carried);
    CHECK(other.networks.size() == 1);
    other.networks[0].nodes[0].inputs["in2"].value = 9.f;
    scene::bring_networks(other, networks, carried);
    CHECK(other.networks.size() == 2);
    CHECK(carried[0].network == other.networks[1].id);
}
