#include "nodes/wiring.h"

#include "program/compile.h"
#include "scene/edits.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::describe;

namespace {
scene::BuildUp two_layers(std::string& cover) {
    scene::BuildUp b = scene::default_build_up("b", "B");
    cover = scene::add_layer(b, "Worn");
    return b;
}
const scene::Input& input(const scene::BuildUp& b, const std::string& node, const std::string& port) {
    return scene::find_node(b, node).node->inputs.at(port);
}
}  // namespace

TEST_CASE("a worn edge with break-up is four nodes, each where it is wanted") {
    std::string cover;
    scene::BuildUp b = two_layers(cover);
    const std::string cavity = nodes::add_where_wanted(b, cover, *describe("cavity"), "");
    CHECK(scene::find(b.layers, cover)->gate.mask.from == cavity);
    const std::string levels = nodes::add_where_wanted(b, cover, *describe("levels"), cavity);
    CHECK(scene::find(b.layers, cover)->gate.mask.from == levels);
    CHECK(input(b, levels, "in").from == cavity);
    const std::string product = nodes::add_where_wanted(b, cover, *describe("multiply"), cavity);
    CHECK(input(b, product, "in1").from == cavity);
    CHECK(input(b, levels, "in").from == product);
    const std::string noise = nodes::add_where_wanted(b, cover, *describe("fractal3d"), product);
    CHECK(input(b, product, "in2").from == noise);
    CHECK(scene::find_node(b, noise).layer->id == cover);
}

TEST_CASE("what reads the point by itself is not taken for a mask's place") {
    std::string cover;
    scene::BuildUp b = two_layers(cover);
    const std::string noise = nodes::add_where_wanted(b, cover, *describe("fractal3d"), "");
    const std::string second = nodes::add_where_wanted(b, cover, *describe("worleynoise3d"), noise);
    const scene::Node* n = scene::find_node(b, noise).node;
    for (const auto& [name, in] : n->inputs)
        if (name == "position") CHECK(in.from.empty());
    CHECK_FALSE(second.empty());
    CHECK(nodes::main_input(*describe("fractal3d")) == nullptr);
    CHECK(nodes::main_input(*describe("levels"))->name == "in");
    CHECK(nodes::main_input(*describe("multiply"))->name == "in1");
}

TEST_CASE("the base has no gate that a node could open") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    nodes::add_where_wanted(b, b.layers[0].id, *describe("cavity"), "");
    CHECK(b.layers[0].gate.mask.from.empty());
}

TEST_CASE("a wire takes the free port of its own type first, and places only take places") {
    std::string cover;
    scene::BuildUp b = two_layers(cover);
    const std::string mix = scene::add_node(b, cover, "mix", "color3", "Mix");
    const scene::Node* n = scene::find_node(b, mix).node;
    CHECK(nodes::fitting_port(*n, *describe("mix"), nodes::Type::color) == "fg");
    CHECK(nodes::fitting_port(*n, *describe("mix"), nodes::Type::number) == "mix");
    CHECK(nodes::fitting_port(*n, *describe("mix"), nodes::Type::place).empty());
    const std::string image = scene::add_node(b, cover, "image", "color3", "Map");
    CHECK(nodes::fitting_port(*scene::find_node(b, image).node, *describe("image"), nodes::Type::place) == "texcoord");
    scene::node(b, mix)->inputs["fg"].from = image;
    scene::node(b, mix)->inputs["bg"].from = image;
    CHECK(nodes::fitting_port(*scene::find_node(b, mix).node, *describe("mix"), nodes::Type::color) == "mix");
}

TEST_CASE("a node that reads what a dropped wire brings changes nothing else") {
    std::string cover;
    scene::BuildUp b = two_layers(cover);
    const std::string cavity = nodes::add_where_wanted(b, cover, *describe("cavity"), "");
    const std::string levels = nodes::add_reading(b, cover, *describe("levels"), cavity);
    CHECK(input(b, levels, "in").from == cavity);
    CHECK(scene::find(b.layers, cover)->gate.mask.from == cavity);
}

TEST_CASE("a swapped node keeps its readers and what fits") {
    std::string cover;
    scene::BuildUp b = two_layers(cover);
    const std::string cavity = nodes::add_where_wanted(b, cover, *describe("cavity"), "");
    const std::string levels = nodes::add_where_wanted(b, cover, *describe("levels"), cavity);
    scene::node(b, levels)->inputs["inlow"].value = .25f;
    REQUIRE(nodes::swap_kind(b, levels, *describe("range")));
    const scene::Node* n = scene::find_node(b, levels).node;
    CHECK(n->kind == "range");
    CHECK(n->name == describe("range")->title);
    CHECK(n->inputs.at("in").from == cavity);
    CHECK(n->inputs.at("inlow").value == scene::Value(.25f));
    REQUIRE(nodes::swap_kind(b, levels, *describe("multiply")));
    CHECK(scene::find_node(b, levels).node->inputs.at("in1").from == cavity);
    CHECK(scene::find(b.layers, cover)->gate.mask.from == levels);
    CHECK_FALSE(nodes::swap_kind(b, "no such node", *describe("range")));
}

TEST_CASE("lengths follow the asset's size") {
    std::vector<scene::Node> nodes;
    nodes.push_back({.id = "where", .kind = "position", .type = "vector3"});
    nodes.push_back({.id = "fine", .kind = "multiply", .type = "vector3"});
    nodes.back().inputs["in1"].from = "where";
    nodes.back().inputs["in2"].value = V3f(40.f, 2.f, 40.f);
    nodes.push_back({.id = "edges", .kind = "cavity", .type = "float"});
    nodes.back().inputs["reach"].value = .01f;
    nodes::scale_lengths(nodes, 10.f);
    CHECK(scene::as_triple(nodes[1].inputs["in2"].value) == V3f(4.f, .2f, 4.f));
    CHECK(scene::as_number(nodes[2].inputs["reach"].value) == Approx(.1f));
    scene::Node fresh{.id = "new", .kind = "cavity", .type = "float"};
    nodes::fit_lengths(fresh, .5f);
    CHECK(fresh.inputs.empty());
    nodes::fit_lengths(fresh, 10.f);
    CHECK(scene::as_number(fresh.inputs.at("reach").value) == Approx(.4f));
}
