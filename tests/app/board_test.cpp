// Networks built by hand on the board: by keys alone, by wires that are let go anywhere, and with little room.
#include <QAction>
#include <QClipboard>
#include <QGuiApplication>
#include <QLineEdit>
#include <QListWidget>
#include <QScrollBar>
#include <QSignalSpy>

#include "app/hands.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("a worn edge with break-up takes twelve keys from an empty cover") {
    Hands h;
    h.key(Qt::Key_L);
    const std::string cover = h.bench.selection().layer;
    h.keys = 0;
    const std::string cavity = h.node("ca");
    CHECK(h.at(cavity).kind == "cavity");
    CHECK(h.bench.layer()->gate.mask.from == cavity);
    const std::string product = h.node("mu");
    CHECK(h.at(product).inputs.at("in1").from == cavity);
    const std::string noise = h.node("fr");
    CHECK(h.at(noise).kind == "fractal3d");
    CHECK(h.at(product).inputs.at("in2").from == noise);
    CHECK(scene::find(h.bench.build_up()->layers, cover)->gate.mask.from == product);
    CHECK(h.keys <= 12);
}

TEST_CASE("what a node can be asked for is found by its own word") {
    Hands h;
    h.key(Qt::Key_L);
    const std::string edges = h.node("edge");
    CHECK(h.at(edges).kind == "cavity");
    CHECK(h.at(edges).inputs.at("where").value == scene::Value(std::string("edges")));
    const auto& layers = h.bench.build_up()->layers;
    CHECK(scene::find(layers, h.bench.selection().layer)->gate.mask.from == edges);
}

TEST_CASE("from the search line of the stock a surface goes onto the layer by keys alone") {
    Hands h;
    h.key(Qt::Key_L);
    const auto before = h.bench.layer()->surface;
    h.key(Qt::Key_T);
    auto* line = h.w.drawer()->findChild<QLineEdit*>("stock-search");
    REQUIRE(line);
    QTest::keyClicks(line, "red enamel");  // words in any order
    QTest::keyClick(line, Qt::Key_Return);
    CHECK(h.bench.layer()->name == "Marine enamel, signal red");
    CHECK(h.bench.layer()->surface != before);
    CHECK(QApplication::focusWidget() != line);  // single keys are commands again
    QTest::keyClicks(line, " nothing is called so");
    const auto kept = h.bench.layer()->surface;
    QTest::keyClick(line, Qt::Key_Return);
    CHECK(h.bench.layer()->surface == kept);
    line->clear();
    QTest::keyClicks(line, "enamel");
    QTest::keyClick(line, Qt::Key_Down);
    QTest::keyClick(line, Qt::Key_Down);
    QTest::keyClick(line, Qt::Key_Return);
    CHECK(h.bench.layer()->surface != kept);
}

TEST_CASE("a wire may be let go anywhere on a tile, and on nothing it asks for a node that reads it") {
    Hands h;
    h.key(Qt::Key_L);
    const std::string cover = h.bench.selection().layer;
    const std::string cavity = h.node("ca");
    h.bench.select_layer(cover);
    const std::string mix = h.node("mix");
    REQUIRE(h.at(mix).kind == "mix");
    QTest::qWait(50);
    app::Board* board = h.w.board();
    // Onto the middle of the picture of the tile: a number takes the port that is one.
    h.drag(board->output_position(cavity), board->tile_position(mix));
    CHECK_FALSE(h.at(mix).inputs.empty());
    size_t wired = 0;
    for (const auto& [port, in] : h.at(mix).inputs) wired += in.from == cavity;
    CHECK(wired == 1);
    const size_t before = h.bench.build_up()->layers.back().nodes.size();
    const QPoint output = board->output_position(cavity);
    h.drag(output, QPoint(3, output.y() + 40));
    REQUIRE(h.w.command_list()->isVisible());
    auto* line = h.w.command_list()->findChild<QLineEdit*>();
    QTest::keyClicks(line, "Levels");
    QTest::keyClick(line, Qt::Key_Return);
    CHECK(h.at(h.bench.selection().node).kind == "levels");
    CHECK(h.at(h.bench.selection().node).inputs.at("in").from == cavity);
    CHECK(h.bench.build_up()->layers.back().nodes.size() == before + 1);
}

TEST_CASE("a swapped node keeps its place") {
    Hands h;
    h.key(Qt::Key_L);
    const std::string cavity = h.node("ca");
    const std::string levels = h.node("le");
    REQUIRE(h.at(levels).kind == "levels");
    h.w.open_swap_list();
    auto* line = h.w.command_list()->findChild<QLineEdit*>();
    QTest::keyClicks(line, "Contrast");
    QTest::keyClick(line, Qt::Key_Return);
    CHECK(h.at(levels).kind == "contrast");
    CHECK(h.at(levels).inputs.at("in").from == cavity);
    h.bench.undo();
    CHECK(h.at(levels).kind == "levels");
}

TEST_CASE("lanes fold where there is no room for all, and those that are opened stay open") {
    Hands h;
    for (int i = 0; i < 2; ++i) {
        h.key(Qt::Key_L);
        h.node("ca");
    }
    app::Board* board = h.w.board();
    const std::string last = h.bench.selection().layer;
    const std::string first = h.bench.build_up()->layers[1].id;
    h.bench.select_layer(last);
    QTest::qWait(30);
    const auto* open = scene::find(h.bench.build_up()->layers, last);
    CHECK(board->tile_position(open->gate.mask.from) != QPoint(-1, -1));
    const auto& nodes = scene::find(h.bench.build_up()->layers, first)->nodes;
    REQUIRE_FALSE(nodes.empty());
    CHECK(board->tile_position(nodes.front().id) == QPoint(-1, -1));
    // Every layer's block is in sight, or a short way down.
    int lowest = 0;
    for (const auto& l : h.bench.build_up()->layers) lowest = std::max(lowest, board->block_position(l.id).y());
    CHECK(lowest < board->viewport()->height() + 120);
    board->open_lane(first, true);
    CHECK(board->tile_position(nodes.front().id) != QPoint(-1, -1));
    h.bench.select_layer(last);
    CHECK(board->tile_position(nodes.front().id) != QPoint(-1, -1));
    board->open_lane(first, false);
    CHECK(board->tile_position(nodes.front().id) == QPoint(-1, -1));
}

TEST_CASE("a mask of the stock opens the gate of the selected layer, and T goes to its search line") {
    Hands h;
    h.key(Qt::Key_L);
    picture(h.w);
    h.key(Qt::Key_T);
    auto* line = h.w.drawer()->findChild<QLineEdit*>("stock-search");
    REQUIRE(line);
    CHECK(QApplication::focusWidget() == line);
    const auto surface = h.bench.layer()->surface;
    h.bench.stockroom().apply_stock("mask-worn-edges");
    CHECK(h.bench.layer()->surface == surface);
    REQUIRE_FALSE(h.bench.layer()->gate.mask.from.empty());
    h.bench.select_layer(h.bench.build_up()->layers.front().id);
    const auto base = *h.bench.layer();
    h.bench.stockroom().apply_stock("mask-worn-edges");
    CHECK(*h.bench.layer() == base);
}

TEST_CASE("materials are handed over and taken in again") {
    Hands h;
    const Scratch scratch;
    const fs::path file = scratch.path / "materials.mtlx";
    h.bench.files().hand_over(file);
    REQUIRE(wait_until([&] { return !h.bench.jobs().busy(); }));
    REQUIRE(fs::exists(file));
    const size_t before = h.bench.scene().build_ups.size();
    const std::string part = h.bench.selection().part;
    h.bench.files().take_in(file);
    CHECK(h.bench.scene().build_ups.size() > before);
    CHECK(scene::find(h.bench.scene().parts, part)->build_up == h.bench.scene().build_ups[before].id);
    CHECK_FALSE(h.bench.scene().networks.empty());
    const auto taken = h.bench.snapshot();
    CHECK(wait_until([&] {
        const auto image = h.bench.image();
        return image && image->request.scene == taken && image->samples >= 1;
    }));
    h.bench.undo();
    CHECK(h.bench.scene().build_ups.size() == before);
    QSignalSpy failed(&h.bench, &app::Workbench::failed);
    h.bench.files().take_in(scratch.path / "none.mtlx");
    CHECK(failed.count() == 1);
    CHECK(h.bench.scene().build_ups.size() == before);
}

TEST_CASE("the filter of the detail panel leaves the rows with its letters, and goes away again") {
    Hands h;
    h.bench.select_layer(h.bench.build_up()->layers.front().id);
    auto* line = all_rows(h.w)->findChild<QLineEdit*>("find-setting");
    REQUIRE(line);
    auto shown = [&](const char* row) {
        auto* w = all_rows(h.w)->findChild<QWidget*>(row);
        return w && w->isVisible();
    };
    CHECK_FALSE(shown("thin film ior"));
    QTest::keyClicks(line, "film");
    CHECK(shown("thin film ior"));
    CHECK_FALSE(shown("base metalness"));
    line->clear();
    CHECK_FALSE(shown("thin film ior"));
    CHECK(shown("base metalness"));
}

TEST_CASE("nodes inside a frame are marked, cut and pasted, also into another layer") {
    Hands h;
    h.key(Qt::Key_L);
    const std::string first = h.bench.selection().layer;
    const std::string cavity = h.node("ca");
    const std::string levels = h.node("le");
    h.bench.select_layer(first);
    QTest::qWait(30);
    app::Board* board = h.w.board();
    const QPoint a = board->tile_position(cavity);
    const QPoint b = board->tile_position(levels);
    h.drag(QPoint(std::min(a.x(), b.x()) - 44, std::min(a.y(), b.y()) - 40),
           QPoint(std::max(a.x(), b.x()), a.y() + 10));
    REQUIRE(board->marked() == std::set<std::string>{cavity, levels});
    board->cut_nodes();
    CHECK(scene::find(h.bench.build_up()->layers, first)->nodes.empty());
    h.key(Qt::Key_L);
    board->paste_nodes();
    REQUIRE(h.bench.layer()->nodes.size() == 2);
    CHECK(h.bench.layer()->nodes[1].inputs.at("in").from == h.bench.layer()->nodes[0].id);
    board->duplicate_marked(false);
    CHECK(h.bench.layer()->nodes.size() == 4);
    board->delete_selected();
    CHECK(h.bench.layer()->nodes.size() == 2);
    QGuiApplication::clipboard()->setText("no nodes");
    const auto before = *h.bench.build_up();
    board->paste_nodes();
    CHECK(*h.bench.build_up() == before);
}

TEST_CASE("a stroke with Alt cuts the wires that it crosses, and a search finds any node by its value") {
    Hands h;
    h.key(Qt::Key_L);
    const std::string cover = h.bench.selection().layer;
    const std::string cavity = h.node("ca");
    const std::string levels = h.node("le");
    QTest::qWait(30);
    app::Board* board = h.w.board();
    // Between both tiles runs the wire, at the height of the left one's output.
    const QPoint out = board->output_position(cavity);
    const QPoint above(out.x() + 9, out.y() - 14);
    QTest::mousePress(board->viewport(), Qt::LeftButton, Qt::AltModifier, above);
    QTest::mouseMove(board->viewport(), above + QPoint(0, 14));
    QTest::mouseRelease(board->viewport(), Qt::LeftButton, Qt::AltModifier, above + QPoint(0, 28));
    CHECK(h.at(levels).inputs.at("in").from.empty());
    CHECK(h.bench.layer()->gate.mask.from == levels);
    h.bench.undo();
    CHECK(h.at(levels).inputs.at("in").from == cavity);
    h.bench.edit_build_up("mark", [&](scene::BuildUp& b) { scene::node(b, levels)->inputs["gamma"].value = 1.7531f; });
    h.bench.select_part(h.bench.scene().parts.back().id);
    h.w.open_search();
    auto* line = h.w.command_list()->findChild<QLineEdit*>();
    QTest::keyClicks(line, "1.7531");
    QTest::keyClick(line, Qt::Key_Return);
    CHECK(h.bench.selection().node == levels);
    CHECK(h.bench.selection().layer == cover);
}

TEST_CASE("a layer is made loud by a key and by the board's menu word, told in its lane, and gets its surface back") {
    Hands h;
    h.bench.select_layer("rust");
    const scene::Scene before = h.bench.scene();
    auto loud = [&] { return h.bench.showing().is_loud(h.bench.selection().build_up, "rust"); };
    QTest::keyClick(&h.w, Qt::Key_O, Qt::ShiftModifier);
    CHECK(loud());
    CHECK(h.bench.scene() == before);  // a way of looking, no edit
    wait_until([&] {
        const auto image = h.bench.image();
        return image && image->request.loud == h.bench.showing().live().loud && image->complete;
    });
    const auto image = h.bench.image();
    const scene::BuildUp& b = *h.bench.build_up();
    size_t found = 0;
    for (const render::PreparedBuildUp& built : image->prepared->build_ups)
        for (const render::PreparedLayer& l : built.layers)
            if (image->prepared->layers[size_t(l.index)].build_up == b.id &&
                image->prepared->layers[size_t(l.index)].layer == "rust") {
                ++found;
                CHECK(l.varying.empty());
                CHECK(l.fixed.base_color == render::coverage_color(l.own));
            }
    CHECK(found == 1);
    QTest::keyClick(&h.w, Qt::Key_O, Qt::ShiftModifier);
    CHECK_FALSE(loud());
    QTest::keyClick(&h.w, Qt::Key_O, Qt::ShiftModifier);
    REQUIRE(loud());
    REQUIRE(h.w.open_project(demo_project, false));  // another document begins with nothing loud
    CHECK(h.bench.showing().live().loud.empty());
}

TEST_CASE("lines over the ends of a mask come and go with a key, and the coverage view names its colours") {
    Hands h;
    h.key(Qt::Key_L);
    h.node("constant");
    const std::string node = h.bench.selection().node;
    REQUIRE_FALSE(node.empty());
    h.bench.edit_build_up("White", [&](scene::BuildUp& b) { scene::node(b, node)->inputs["value"].value = 1.f; });
    h.key(Qt::Key_S);
    auto marked = [&] {  // shown pixels that are neither the value nor what is beside it
        wait_until([&] {
            const auto image = h.bench.image();
            return image && image->request.hatch_ends == h.bench.showing().live().hatch_ends &&
                   image->request.shown_node == node && image->coarse == 1 && image->samples >= 2;
        });
        const auto image = h.bench.image();
        size_t n = 0;
        for (size_t p = 0; p < image->linear.size(); ++p)
            if (image->linear[p].x >= .9999f && image->bgra[p * 4] < 200) ++n;
        return n;
    };
    CHECK(marked() > 100);
    h.key(Qt::Key_V);
    CHECK(marked() == 0);
    h.key(Qt::Key_V);
    CHECK(marked() > 100);

    auto* view = h.w.findChild<QWidget*>("render-view");
    h.key(Qt::Key_3);
    wait_until([&] { return h.bench.image() && h.bench.image()->request.view == render::View::coverage; });
    const QImage with = view->grab().toImage();
    const QColor dark = with.pixelColor(11, 30);
    CHECK(dark.lightness() < 90);  // the ground of the legend
    size_t blue = 0;
    const QColor base = app::swatch(render::coverage_color(0));
    for (int y = 0; y < with.height() / 2; ++y)
        for (int x = 8; x < 32; ++x) blue += with.pixelColor(x, y) == base;
    CHECK(blue > 60);  // the swatch of the base
}
