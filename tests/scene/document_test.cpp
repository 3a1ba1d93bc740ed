#include "scene/document.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using scene::BuildUp;
using scene::Document;
using scene::Scene;

namespace {
/// One random edit of the demo's first build-up.
void random_edit(Document& d, std::mt19937& random) {
    const auto pick = [&](size_t n) { return n ? random() % n : 0; };
    d.edit("edit", [&](Scene& s) {
        BuildUp& b = s.build_ups[pick(s.build_ups.size())];
        const std::string layer = b.layers[pick(b.layers.size())].id;
        std::vector<std::string> nodes;
        for (const auto& l : b.layers)
            for (const auto& n : l.nodes) nodes.push_back(n.id);
        const std::string node = nodes.empty() ? "" : nodes[pick(nodes.size())];
        switch (random() % 9) {
            case 0: scene::add_layer(b, "Layer " + std::to_string(random() % 5), layer); break;
            case 1: scene::remove_layer(b, layer); break;
            case 2: scene::duplicate_layer(b, layer); break;
            case 3: scene::move_layer(b, layer, int(pick(b.layers.size()))); break;
            case 4: scene::add_node(b, layer, "fractal3d", "float", "Noise"); break;
            case 5: scene::remove_node(b, node); break;
            case 6: scene::find(b.layers, layer)->amount = float(random() % 100) / 100.f; break;
            case 7: scene::find(b.layers, layer)->gate.mask.from = node; break;
            default: s.display.exposure = float(random() % 7); break;
        }
    });
}
}  // namespace

TEST_CASE("undo and redo over random edits give back the identical document") {
    std::mt19937 random(3);
    Document d(scene::load(demo_project)->scene);
    std::vector<std::string> states{scene::to_text(*d.now())};
    for (int i = 0; i < 400; ++i) {
        const auto before = d.now();
        random_edit(d, random);
        if (d.now() != before) states.push_back(scene::to_text(*d.now()));
    }
    REQUIRE(states.size() > 200);
    size_t at = states.size() - 1;
    for (int i = 0; i < 1000; ++i) {
        if (random() % 3 != 0 || at == 0) {
            if (at + 1 < states.size() && random() % 2)
                d.redo(), ++at;
            else if (at > 0)
                d.undo(), --at;
        }
        REQUIRE(scene::to_text(*d.now()) == states[at]);
    }
    while (d.can_undo()) d.undo();
    CHECK(scene::to_text(*d.now()) == states.front());
    while (d.can_redo()) d.redo();
    CHECK(scene::to_text(*d.now()) == states.back());
}

TEST_CASE("a drag is one step, however many values it passes") {
    Document d;
    for (int i = 0; i < 50; ++i)
        d.edit(
            "Exposure", [&](Scene& s) { s.display.exposure = float(i) * .1f; }, "exposure");
    d.end_merge();
    d.edit(
        "Exposure", [&](Scene& s) { s.display.exposure = 9.f; }, "exposure");
    d.undo();
    CHECK(d.now()->display.exposure == Approx(4.9f));
    d.undo();
    CHECK(d.now()->display.exposure == 0.f);
    CHECK_FALSE(d.can_undo());
}

TEST_CASE("an edit that changes nothing leaves no step, and snapshots never change") {
    Document d;
    const auto snapshot = d.now();
    d.edit("nothing", [](Scene&) {});
    CHECK_FALSE(d.can_undo());
    d.edit("name", [](Scene& s) { s.name = "other"; });
    CHECK(snapshot->name == "Untitled");
    CHECK(d.unsaved());
    d.mark_saved();
    CHECK_FALSE(d.unsaved());
    d.undo();
    CHECK(d.unsaved());
}

TEST_CASE("layers and nodes keep their connections through edits") {
    BuildUp b = scene::default_build_up("b", "B");
    const std::string paint = scene::add_layer(b, "Paint"),
                      noise = scene::add_node(b, paint, "fractal3d", "float", "Noise");
    const std::string levels = scene::add_node(b, paint, "levels", "float", "Levels");
    scene::node(b, levels)->inputs["in"].from = noise;
    scene::find(b.layers, paint)->gate.mask.from = levels;

    SECTION("a duplicate reads its own copies") {
        const std::string copy = scene::duplicate_layer(b, paint);
        const auto* layer = scene::find(b.layers, copy);
        REQUIRE(layer);
        CHECK(layer->gate.mask.from != levels);
        const auto* own = scene::find_node(b, layer->gate.mask.from).node;
        REQUIRE(own);
        CHECK(own->inputs.at("in").from != noise);
        CHECK(b.layers.size() == 3);
    }
    SECTION("nodes that others read move to commons when their layer goes") {
        const std::string rust = scene::add_layer(b, "Rust");
        scene::find(b.layers, rust)->gate.mask.from = levels;
        scene::remove_layer(b, paint);
        CHECK(b.commons.size() == 2);
        CHECK(scene::find_node(b, noise).node);
    }
    SECTION("deleting a node brings the literal back") {
        scene::find(b.layers, paint)->gate.mask.value = .25f;
        scene::remove_node(b, levels);
        CHECK(scene::find(b.layers, paint)->gate.mask.from.empty());
        CHECK(scene::as_number(scene::find(b.layers, paint)->gate.mask.value) == .25f);
    }
    SECTION("circles are seen before they are made") {
        CHECK(scene::would_circle(b, levels, noise));
        CHECK(scene::would_circle(b, noise, noise));
        CHECK_FALSE(scene::would_circle(b, noise, levels));
    }
    SECTION("there is always something at the bottom") {
        BuildUp one = scene::default_build_up("x", "X");
        scene::remove_layer(one, one.layers[0].id);
        CHECK(one.layers.size() == 1);
    }
}
