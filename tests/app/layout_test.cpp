#include "app/board/layout.h"

#include "app/window.h"
#include "scene/edits.h"
#include "scene/project_file.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("on the board up is outward, left to right is from source to surface, and nothing overlaps") {
    const auto scene = scene::load(demo_project)->scene;
    for (const auto& b : scene.build_ups) {
        const auto l = app::lay_out(b, 400);
        REQUIRE(l.lanes.size() == b.layers.size() + !b.commons.empty());
        for (size_t i = 0; i + 1 < l.lanes.size(); ++i) CHECK(l.lanes[i].rect.bottom() < l.lanes[i + 1].rect.top());
        CHECK(l.lanes.front().layer == b.layers.back().id);
        for (size_t i = 0; i < l.tiles.size(); ++i) {
            CHECK(l.lanes[size_t(l.tiles[i].lane)].rect.contains(l.tiles[i].rect));
            for (size_t k = 0; k < i; ++k) CHECK_FALSE(l.tiles[i].rect.intersects(l.tiles[k].rect));
        }
        for (const auto& w : l.wires)
            if (!w.across_lanes) CHECK(w.start.x() < w.stop.x());
    }
}

TEST_CASE("the layout is stable: an unrelated change moves no tile sideways, and a circle is still drawn") {
    auto scene = scene::load(demo_project)->scene;
    auto& b = scene.build_ups[0];
    const auto before = app::lay_out(b, 400);
    scene::find(b.layers, "marine-enamel")->amount = .3f;
    const auto after = app::lay_out(b, 400);
    for (size_t i = 0; i < before.tiles.size(); ++i) CHECK(before.tiles[i].rect == after.tiles[i].rect);
    scene::node(b, "edges")->inputs["reach"].from = "wear";
    scene::node(b, "break-up")->inputs["amplitude"].from = "left";
    CHECK(app::lay_out(b, 400).tiles.size() == before.tiles.size());
}

TEST_CASE("a folded lane is one line, its nodes are not shown and the others stand closer") {
    const auto scene = scene::load(demo_project)->scene;
    const auto& b = scene.build_ups[0];
    const auto open = app::lay_out(b, 400);
    const std::string kept = b.layers[1].id;
    const auto l = app::lay_out(b, 400, nullptr, [&](const std::string& layer) { return layer != kept; });
    CHECK(l.height < open.height);
    for (const auto& lane : l.lanes) {
        const bool folded = lane.layer != kept;
        CHECK(lane.folded == folded);
        if (folded) CHECK(lane.rect.height() == app::board::folded_height);
    }
    for (const auto& t : l.tiles) CHECK_FALSE(l.lanes[size_t(t.lane)].folded);
    for (const auto& w : l.wires) CHECK(l.tile(w.from) != nullptr);
}

TEST_CASE("ten layers with networks have all their lanes in sight at 1280 x 800, one of them open") {
    scene::BuildUp b = scene::default_build_up("b", "Ten");
    for (int i = 1; i < 10; ++i) {
        const std::string layer = scene::add_layer(b, "Cover " + std::to_string(i));
        for (int k = 0; k < 4; ++k) {
            const std::string node = scene::add_node(b, layer, "levels", "float", "Levels");
            scene::node(b, node)->inputs["in"].from = scene::find(b.layers, layer)->gate.mask.from;
            scene::find(b.layers, layer)->gate.mask.from = node;
        }
    }
    const std::string open = b.layers[4].id;
    const auto l = app::lay_out(b, 400, nullptr, [&](const std::string& layer) { return layer != open; });
    CHECK(l.lanes.size() == 10);
    CHECK(l.height < 480);  // what the board has there
}
