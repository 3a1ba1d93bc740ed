#include <set>

#include "nodes/map_stack.h"

#include "kernel_support.h"
#include "nodes/as_computed.h"
#include "program/compile.h"
#include "scene/edits.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::entry_port;
using nodes::EntryPort;
using nodes::StackEntry;
using nodes::Type;

namespace {

/// A build-up with a stack, and the colour that it gives.
struct StackOfMaps {
    scene::BuildUp b = scene::default_build_up("b", "B");
    std::string id = scene::add_node(b, "base", "mapstack", "color3", "Stack");
    scene::Node& node() { return *scene::node(b, id); }
    void set(EntryPort what, int entry, scene::Value value) {
        node().inputs[entry_port(what, entry)].value = std::move(value);
    }
    std::string constant(const char* type, scene::Value value) {
        const std::string made = scene::add_node(b, "base", "constant", type, "Value");
        scene::node(b, made)->inputs["value"].value = std::move(value);
        return made;
    }
    V3f result(Type type = Type::color) {
        nodes::Resources resources;
        std::vector<Error> problems;
        const auto p = program::compile(b, {{"x", type, {scene::Value{0.f}, id}}}, resources, problems);
        for (const Error& e : problems) UNSCOPED_INFO(e.place << ": " << e.why);
        CHECK(problems.empty());
        REQUIRE(p.constant(0));
        return *p.constant(0);
    }
};
void check(V3f got, V3f expected) {
    INFO(got.x << " " << got.y << " " << got.z << " for " << expected.x << " " << expected.y << " " << expected.z);
    CHECK((got - expected).length() < 1e-5f);
}

}  // namespace

TEST_CASE("a map stack lays its entries on each other from the bottom to the top") {
    StackOfMaps s;
    s.set(EntryPort::map, 1, V4f(.2f, .4f, .6f, 1.f));
    s.set(EntryPort::map, 2, V4f(.5f, .5f, .5f, 1.f));
    check(s.result(), V3f(.5f));
    s.set(EntryPort::opacity, 2, .25f);
    check(s.result(), V3f(.275f, .425f, .575f));
    s.set(EntryPort::mode, 2, 1.f);  // multiply
    check(s.result(), V3f(.2f, .4f, .6f) * .875f);
    s.set(EntryPort::on, 2, 0.f);
    check(s.result(), V3f(.2f, .4f, .6f));
}

TEST_CASE("adjusters act on their entry alone, an adjuster entry on all below it") {
    StackOfMaps s;
    s.set(EntryPort::map, 1, V4f(.2f, .2f, .2f, 1.f));
    s.set(EntryPort::exposure, 1, 1.f);
    s.set(EntryPort::on, 2, 0.f);
    check(s.result(), V3f(.4f));
    const int above = nodes::add_entry(s.node(), StackEntry::Sort::adjuster);
    s.set(EntryPort::turned, above, 1.f);
    check(s.result(), V3f(.6f));
    s.set(EntryPort::opacity, above, .5f);
    check(s.result(), V3f(.5f));
    s.set(EntryPort::tint, above, V3f(1.f, 0.f, 0.f));  // turned after it is tinted: 1 - .4, 1, 1
    check(s.result(), V3f(.5f, .7f, .7f));
}

TEST_CASE("a group of entries is laid on what is below as a whole") {
    StackOfMaps s;
    s.set(EntryPort::map, 1, V4f(.1f, .1f, .1f, 1.f));
    s.set(EntryPort::map, 2, V4f(.5f, .5f, .5f, 1.f));
    const int third = nodes::add_entry(s.node(), StackEntry::Sort::map);
    s.set(EntryPort::map, third, V4f(.8f, .8f, .8f, 1.f));
    s.set(EntryPort::mode, third, 1.f);
    nodes::group_entry(s.node(), third);  // with the second
    const auto entries = nodes::entries_of(s.node());
    REQUIRE(entries.size() == 2);
    CHECK(entries[1].sort == StackEntry::Sort::group);
    CHECK(entries[1].members.size() == 2);
    check(s.result(), V3f(.4f));
    s.set(EntryPort::opacity, entries[1].number, .5f);
    check(s.result(), V3f(.25f));
    nodes::move_entry(s.node(), third, 1);  // out of it, on top
    CHECK(nodes::entries_of(s.node()).back().number == third);
    check(s.result(), V3f(.3f * .8f));
}

TEST_CASE("a map with alpha covers by it, and by its mask") {
    StackOfMaps s;
    s.set(EntryPort::map, 1, V4f(0.f, 0.f, 0.f, 1.f));
    const std::string sticker = s.constant("color4", V4f(1.f, .5f, 0.f, .5f));
    s.node().inputs[entry_port(EntryPort::map, 2)].from = sticker;
    check(s.result(), V3f(.5f, .25f, 0.f));
    const std::string mask = s.constant("float", .5f);
    s.node().inputs[entry_port(EntryPort::mask, 2)].from = mask;
    check(s.result(), V3f(.25f, .125f, 0.f));
}

TEST_CASE("every mode of a stack is the node that it stands for") {
    StackOfMaps s;
    const auto d = nodes::describe(s.node());
    const nodes::Port* mode = d->port(entry_port(EntryPort::mode, 2));
    REQUIRE(mode);
    CHECK(mode->choices.size() == 23);
    s.set(EntryPort::map, 1, V4f(.3f, .6f, .9f, 1.f));
    s.set(EntryPort::map, 2, V4f(.7f, .2f, .5f, 1.f));
    std::set<std::string> seen;
    for (size_t m = 0; m < mode->choices.size(); ++m) {
        s.set(EntryPort::mode, 2, float(m));
        const V3f r = s.result();
        CHECK(seen.insert(std::to_string(r.x) + " " + std::to_string(r.y) + " " + std::to_string(r.z)).second);
        if (mode->choices[m] == "screen") check(r, V3f(1 - .7f * .3f, 1 - .4f * .8f, 1 - .1f * .5f));
        if (mode->choices[m] == "darken") check(r, V3f(.3f, .2f, .5f));
        if (mode->choices[m] == "subtract") check(r, V3f(-.4f, .4f, .4f));
    }
}

TEST_CASE("a list that cannot be read keeps what can") {
    StackOfMaps s;
    for (const char* text :
         {"", "((((", "1 1 1", ") 1 ( 2", "99999999999999999999 3", "1a 2( 3( 4( 5 ) ) )", "-4 x y"}) {
        s.node().inputs["entries"].value = std::string(text);
        INFO(text);
        s.result();
        CHECK(nodes::describe(s.node()));
    }
    std::string long_list;
    for (int i = 1; i < 2000; ++i) long_list += std::to_string(i) + "( ";
    s.node().inputs["entries"].value = long_list;
    s.result();
    for (int i = 0; i < 100; ++i) nodes::add_entry(s.node(), StackEntry::Sort::map);
    CHECK(nodes::entries_of(s.node()).size() <= size_t(nodes::most_entries));
}

TEST_CASE("what an entry held goes with it") {
    StackOfMaps s;
    s.set(EntryPort::map, 2, V4f(1.f));
    s.set(EntryPort::title, 2, std::string("Streaks"));
    CHECK(nodes::title_of(s.node(), nodes::entries_of(s.node())[1]) == "Streaks");
    nodes::remove_entry(s.node(), 2);
    CHECK_FALSE(s.node().inputs.contains(entry_port(EntryPort::map, 2)));
    CHECK(nodes::entries_of(s.node()).size() == 1);
}

TEST_CASE("a bypassed node passes what it works on; what works on nothing gives way to the reader's own value") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string c = scene::add_node(b, "base", "constant", "float", "C");
    scene::node(b, c)->inputs["value"].value = .25f;
    const std::string turned = scene::add_node(b, "base", "invert", "float", "I");
    scene::node(b, turned)->inputs["in"].from = c;
    const std::string twice = scene::add_node(b, "base", "multiply", "float", "M");
    scene::node(b, twice)->inputs["in1"] = {scene::Value{7.f}, turned};
    scene::node(b, twice)->inputs["in2"].value = 2.f;
    auto value = [&] {
        nodes::Resources resources;
        std::vector<Error> problems;
        const auto p = program::compile(b, {{"x", Type::number, {scene::Value{0.f}, twice}}}, resources, problems);
        CHECK(problems.empty());
        return p.constant(0)->x;
    };
    CHECK(value() == Approx(1.5f));
    scene::node(b, turned)->bypassed = true;
    CHECK(value() == Approx(.5f));
    scene::node(b, turned)->inputs["in"] = {scene::Value{.125f}, {}};  // not wired: its literal passes
    CHECK(value() == Approx(.25f));
    scene::node(b, turned)->bypassed = false;
    scene::node(b, turned)->inputs["in"].from = c;
    const std::string noise = scene::add_node(b, "base", "fractal3d", "float", "N");
    scene::node(b, twice)->inputs["in1"].from = noise;
    scene::node(b, noise)->bypassed = true;
    CHECK(value() == Approx(14.f));
    CHECK(nodes::has_shorthand(b));
}

TEST_CASE("a held version changes places with the one that stands, and wires stay") {
    scene::Node n;
    n.kind = "levels";
    n.type = "float";
    n.inputs["in"].from = "noise";
    n.inputs["inlow"].value = .25f;
    const auto& d = *nodes::describe("levels");
    const scene::Inputs first = n.inputs;
    nodes::hold_version(n, d);
    n.inputs["inlow"].value = .5f;
    n.inputs["gamma"].value = 2.f;
    nodes::flip_version(n, d);
    CHECK(n.inputs == first);
    nodes::flip_version(n, d);
    CHECK(nodes::number_of(n, *d.port("inlow")) == .5f);
    CHECK(nodes::number_of(n, *d.port("gamma")) == 2.f);
    CHECK(n.inputs["in"].from == "noise");
}

TEST_CASE("curves run through their knots, never beyond them, and channels go through their own first") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string id = scene::add_node(b, "base", "curves", "color3", "C");
    scene::Node& n = *scene::node(b, id);
    auto at = [&](V3f x) {
        n.inputs["in"].value = x;
        nodes::Resources resources;
        std::vector<Error> problems;
        const auto p = program::compile(b, {{"x", Type::color, {scene::Value{0.f}, id}}}, resources, problems);
        return *p.constant(0);
    };
    check(at(V3f(.1f, .5f, 2.f)), V3f(.1f, .5f, 2.f));
    n.inputs["red_knots"].value = 4.f;
    n.inputs["red1"].value = V2f(0.f, .2f);
    n.inputs["red2"].value = V2f(.25f, .5f);
    n.inputs["red3"].value = V2f(.5f, .5f);
    n.inputs["red4"].value = V2f(1.f, .9f);
    check(at(V3f(.25f, .3f, .4f)), V3f(.5f, .3f, .4f));
    for (int i = 0; i <= 100; ++i) {
        const float x = float(i) / 100.f;
        const float y = at(V3f(x)).x;
        CHECK(y >= .2f - 1e-6f);
        CHECK(y <= .9f + 1e-6f);
        if (x >= .25f && x <= .5f) CHECK(y == Approx(.5f));  // level between equal knots: no swing
    }
    n.inputs["all_knots"].value = 2.f;
    n.inputs["all2"].value = V2f(1.f, .5f);
    check(at(V3f(.25f, 1.f, 1.f)), V3f(.25f, .5f, .5f));
    CHECK(at(V3f(0.f, 3.f, 0.f)).y == Approx(1.5f));
    n.inputs["clip"].value = 1.f;
    CHECK(at(V3f(0.f, 3.f, 0.f)).y == Approx(.5f));
}
