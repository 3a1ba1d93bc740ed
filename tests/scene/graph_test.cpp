#include <set>

#include "scene/graph.h"

#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
/// a -> b -> c in the lane of the base, c into the gate of a cover, b into a slot; d reads nothing and feeds nothing.
scene::BuildUp wired() {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string base = b.layers[0].id;
    for (const char* id : {"a", "b", "c", "d"}) scene::add_node(b, base, "add", "float", id);
    scene::node(b, "b")->inputs["in1"].from = "a";
    scene::node(b, "c")->inputs["in1"].from = "b";
    scene::node(b, "c")->inputs["in2"].from = "a";
    const std::string cover = scene::add_layer(b, "Cover");
    scene::find(b.layers, cover)->gate.mask.from = "c";
    scene::find(b.layers, cover)->surface["base_weight"].from = "b";
    return b;
}
}  // namespace

TEST_CASE("up and down the wires every node is met once") {
    const scene::BuildUp b = wired();
    const scene::Graph g(b);
    CHECK(g.upstream({"c"}) == scene::Ids{"a", "b", "c"});
    CHECK(g.upstream({"a"}) == scene::Ids{"a"});
    CHECK(g.downstream("a") == scene::Ids{"a", "b", "c"});
    CHECK(g.readers("a").size() == 2);
    CHECK(g.find("d").layer == &b.layers[0]);
    CHECK_FALSE(g.find("nobody").node);
    CHECK(scene::would_circle(b, "c", "a"));
    CHECK_FALSE(scene::would_circle(b, "a", "c"));
}

TEST_CASE("where a node's values end is told, straight or through others, in layers that are on") {
    scene::BuildUp b = wired();
    auto ends = scene::Graph(b).ends("b");
    REQUIRE(ends.size() == 2);
    CHECK(ends[0].slot == "base_weight");
    CHECK(ends[0].straight);
    CHECK(ends[1].slot == scene::gate_slot);
    CHECK_FALSE(ends[1].straight);
    b.layers[1].on = false;
    CHECK(scene::Graph(b).ends("b").empty());
}

TEST_CASE("copies get names of their own and keep their wires among them") {
    const scene::BuildUp b = wired();
    std::unordered_map<std::string, std::string> renamed;
    const auto made = scene::copies(b, b.layers[0].nodes, renamed);
    REQUIRE(made.size() == 4);
    CHECK(renamed.at("a") == "a-2");
    CHECK(made[2].inputs.at("in1").from == "b-2");
    CHECK(made[2].inputs.at("in2").from == "a-2");
}

TEST_CASE("what nothing reads any more goes with what only it read, and nothing else") {
    scene::BuildUp b = wired();
    b.layers[1].gate.mask.from.clear();
    scene::remove_unread(b, b.layers[0].id, {"c"});
    CHECK_FALSE(scene::find_node(b, "c").node);
    CHECK(scene::find_node(b, "b").node);  // a slot reads it
    CHECK(scene::find_node(b, "a").node);
    CHECK(scene::find_node(b, "d").node);  // it was no candidate
}

TEST_CASE("twenty thousand equal stems find free names in a moment") {
    scene::FreshIds ids({"rust", "rust-3"});
    CHECK(ids.take("rust") == "rust-2");
    CHECK(ids.take("rust") == "rust-4");
    std::set<std::string> seen;
    for (int i = 0; i < 20000; ++i) CHECK(seen.insert(ids.take("rust")).second);
}
