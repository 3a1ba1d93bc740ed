#include "scene/node_clips.h"

#include "scene/edits.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
scene::BuildUp& added(scene::Scene& s, const char* id) {
    s.build_ups.push_back(scene::default_build_up(id, id));
    return s.build_ups.back();
}
struct Chain {
    scene::Scene s;
    scene::BuildUp& b = added(s, "b");
    std::string noise = scene::add_node(b, "base", "fractal3d", "float", "Noise");
    std::string levels = scene::add_node(b, "base", "levels", "float", "Levels");
    std::string last = scene::add_node(b, "base", "invert", "float", "Last");
    Chain() {
        scene::node(b, levels)->inputs["in"].from = noise;
        scene::node(b, last)->inputs["in"].from = levels;
        scene::node(b, levels)->inputs["inlow"].value = .25f;
    }
    const scene::Input& in(const std::string& node) { return scene::find_node(b, node).node->inputs.at("in"); }
};
}  // namespace

TEST_CASE("a pasted clip keeps wires among its nodes, and those from elsewhere where that is there") {
    Chain c;
    const std::string clip = scene::clip_of(c.s, c.b, {c.levels, c.last});
    const auto here = scene::paste_clip(c.s, "b", "base", clip);
    REQUIRE(here);
    REQUIRE(here->size() == 2);
    CHECK((*here)[0] != c.levels);
    CHECK(c.in((*here)[1]).from == (*here)[0]);
    CHECK(c.in((*here)[0]).from == c.noise);  // shared
    scene::Scene another;
    scene::BuildUp& other = added(another, "o");
    const auto there = scene::paste_clip(another, "o", "", clip);
    REQUIRE(there);
    CHECK(other.commons.size() == 2);
    CHECK(scene::find_node(other, (*there)[0]).node->inputs.at("in").from.empty());
    CHECK(scene::find_node(other, (*there)[0]).node->inputs.at("inlow").value == scene::Value(.25f));
    CHECK(scene::find_node(other, (*there)[1]).node->inputs.at("in").from == (*there)[0]);
}

TEST_CASE("what is no clip pastes nothing") {
    Chain c;
    const scene::BuildUp before = c.b;
    for (const char* text : {"", "hello", "{}", "{\"vemtra_nodes\": 7}", "{\"vemtra_nodes\": []}", "[1, 2"})
        CHECK_FALSE(scene::paste_clip(c.s, "b", "base", text));
    CHECK(c.b == before);
}

TEST_CASE("duplicates share what they read, or bring it along") {
    Chain c;
    const auto shared = scene::duplicate_nodes(c.b, {c.last}, false);
    REQUIRE(shared.size() == 1);
    CHECK(c.in(shared[0]).from == c.levels);
    const size_t before = c.b.layers[0].nodes.size();
    const auto own = scene::duplicate_nodes(c.b, {c.last}, true);
    REQUIRE(own.size() == 1);
    CHECK(c.b.layers[0].nodes.size() == before + 3);
    CHECK(c.in(own[0]).from != c.levels);
    CHECK(c.in(c.in(own[0]).from).from != c.noise);
}
