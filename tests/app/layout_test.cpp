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
