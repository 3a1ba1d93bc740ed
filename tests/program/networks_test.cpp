#include "program/compile.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::Type;

namespace {

/// out = in * gain, out2 = in + 1; twice = the first of it, of itself.
struct WiredScene {
    scene::BuildUp b = scene::default_build_up("b", "B");
    std::vector<scene::Network> networks;
    std::vector<Error> problems;

    WiredScene() {
        scene::Network n;
        n.id = "gain";
        n.name = "Gain";
        n.inputs = {{.name = "in", .type = "float", .value = 3.f}, {.name = "gain", .type = "float", .value = 2.f}};
        n.nodes = {node("product", "multiply", {{"in1", "in"}, {"in2", "gain"}}), node("sum", "add", {{"in1", "in"}})};
        n.nodes[1].inputs["in2"].value = 1.f;
        n.outputs = {{.name = "product", .type = "float", .input = {scene::Value{0.f}, "product"}},
                     {.name = "sum", .type = "float", .input = {scene::Value{0.f}, "sum"}}};
        networks.push_back(n);
        scene::Network twice;
        twice.id = "twice";
        twice.name = "Twice";
        twice.inputs = {{.name = "x", .type = "float", .value = 1.f}};
        twice.nodes = {instance("first", "gain", {{"in", "x"}}), instance("second", "gain", {{"in", "first"}})};
        twice.outputs = {{.name = "y", .type = "float", .input = {scene::Value{0.f}, "second"}}};
        networks.push_back(twice);
    }
    static scene::Node node(const std::string& id, const std::string& kind,
                            const std::map<std::string, std::string>& from) {
        scene::Node n;
        n.id = id;
        n.kind = kind;
        n.type = "float";
        for (const auto& [port, source] : from) n.inputs[port].from = source;
        return n;
    }
    static scene::Node instance(const std::string& id, const std::string& network,
                                const std::map<std::string, std::string>& from) {
        scene::Node n;
        n.id = id;
        n.network = network;
        for (const auto& [port, source] : from) n.inputs[port].from = source;
        return n;
    }
    float value(const std::string& from, const std::string& output = {}) {
        program::Resources resources;
        problems.clear();
        scene::Input input{scene::Value{-1.f}, from};
        input.output = output;
        const auto p = program::compile(b, {{"wanted", Type::number, input}}, resources, problems, &networks);
        return p.constant(0) ? p.constant(0)->x : NAN;
    }
};

}  // namespace

TEST_CASE("an instance of a network takes its own inputs, and the network's defaults where it has none") {
    WiredScene s;
    s.b.commons.push_back(WiredScene::instance("plain", "gain", {}));
    s.b.commons.push_back(WiredScene::instance("own", "gain", {}));
    s.b.commons.back().inputs["in"].value = 10.f;
    CHECK(s.value("plain") == 6.f);
    CHECK(s.value("own") == 20.f);
    CHECK(s.value("own", "sum") == 11.f);
    CHECK(s.problems.empty());
}

TEST_CASE("networks may hold instances of others, each with a path of its own") {
    WiredScene s;
    s.b.commons.push_back(WiredScene::instance("deep", "twice", {}));
    s.b.commons.back().inputs["x"].value = 5.f;
    CHECK(s.value("deep") == 20.f);
    s.b.commons.push_back(WiredScene::node("outside", "add", {{"in1", "deep"}}));
    s.b.commons.back().inputs["in2"].value = .5f;
    s.b.commons.push_back(WiredScene::instance("over", "gain", {{"in", "outside"}}));
    CHECK(s.value("over") == 41.f);
    CHECK(s.problems.empty());
}

TEST_CASE("an input of an instance may be a span") {
    WiredScene s;
    s.b.commons.push_back(WiredScene::node("driver", "constant", {}));
    s.b.commons.back().inputs["value"].value = .25f;
    s.b.commons.push_back(WiredScene::instance("spanned", "gain", {{"in", "driver"}}));
    s.b.commons.back().inputs["in"].value = 0.f;
    s.b.commons.back().inputs["in"].worn = 8.f;
    CHECK(s.value("spanned") == 4.f);
}

TEST_CASE("a network that contains itself, is missing or lacks an output is told, and the literal stands") {
    WiredScene s;
    SECTION("itself") {
        s.networks[0].nodes.push_back(WiredScene::instance("again", "gain", {}));
        s.networks[0].outputs[0].input.from = "again";
        s.b.commons.push_back(WiredScene::instance("plain", "gain", {}));
        CHECK(s.value("plain") == -1.f);
    }
    SECTION("missing") {
        s.b.commons.push_back(WiredScene::instance("plain", "gone", {}));
        CHECK(s.value("plain") == -1.f);
    }
    SECTION("no such output") {
        s.b.commons.push_back(WiredScene::instance("plain", "gain", {}));
        CHECK(s.value("plain", "quotient") == -1.f);
    }
    SECTION("a circle through the outside") {
        s.b.commons.push_back(WiredScene::instance("plain", "gain", {{"in", "plain"}}));
        s.value("plain");
    }
    CHECK_FALSE(s.problems.empty());
}

TEST_CASE("networks are kept by the project file, with their instances") {
    WiredScene s;
    scene::Scene scene;
    scene.networks = s.networks;
    scene.build_ups.push_back(s.b);
    scene.build_ups[0].commons.push_back(WiredScene::instance("plain", "gain", {}));
    scene.build_ups[0].layers[0].gate.mask.from = "plain";
    scene.build_ups[0].layers[0].gate.mask.output = "sum";
    const auto back = scene::parse(scene::to_text(scene), "p.vemtra");
    REQUIRE(back);
    CHECK(back->problems.empty());
    CHECK(back->scene.networks == scene.networks);
    CHECK(back->scene.build_ups == scene.build_ups);
}

TEST_CASE("what two instances compute alike is done once") {
    WiredScene s;
    for (const char* id : {"a", "b"}) s.b.commons.push_back(WiredScene::instance(id, "gain", {{"in", "where"}}));
    s.b.commons.push_back(WiredScene::node("where", "position", {}));
    s.b.commons.back().type = "vector3";
    program::Resources resources;
    std::vector<Error> problems;
    const auto p = program::compile(
        s.b, {{"a", Type::number, {scene::Value{0.f}, "a"}}, {"b", Type::number, {scene::Value{0.f}, "b"}}}, resources,
        problems, &s.networks);
    const auto one =
        program::compile(s.b, {{"a", Type::number, {scene::Value{0.f}, "a"}}}, resources, problems, &s.networks);
    CHECK(p.steps() == one.steps());
}
