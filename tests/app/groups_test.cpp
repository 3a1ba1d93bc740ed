// Groups, versions, bypass, wires by letters, zoom and lists: what the board and the detail panel do beyond wiring.
#include <QAction>
#include <QComboBox>
#include <QDropEvent>
#include <QMimeData>
#include <QPushButton>
#include <QSignalSpy>
#include <QToolButton>

#include "app/detail/curve_plot.h"
#include "app/hands.h"
#include "nodes/groups.h"
#include "nodes/map_stack.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
/// A cover whose gate is driven by cavity, multiplied by a noise.
struct Chain : Hands {
    std::string cavity, product, noise, cover;
    Chain() {
        key(Qt::Key_L);
        cover = bench.selection().layer;
        cavity = node("ca");
        product = node("mu");
        noise = node("fr");
        QTest::qWait(30);
    }
    const scene::Layer& layer() { return *scene::find(bench.build_up()->layers, cover); }
};
template <class T> T* detail(Hands& h, const char* name = nullptr) {
    QTest::qWait(30);
    auto* panel = all_rows(h.w);
    REQUIRE(panel);
    return name ? panel->findChild<T*>(name) : panel->findChild<T*>();
}
QPushButton* button(Hands& h, const QString& text) {
    QTest::qWait(30);
    for (QPushButton* b : all_rows(h.w)->findChildren<QPushButton*>())
        if (b->text() == text) return b;
    return nullptr;
}
}  // namespace

TEST_CASE("tiles become a group that opens in its place and closes again") {
    Chain h;
    h.bench.node_work().group_nodes({h.product, h.noise}, "Break-up");
    const std::string group = h.bench.selection().node;
    REQUIRE_FALSE(h.at(group).network.empty());
    CHECK(h.layer().nodes.size() == 2);
    CHECK(h.layer().gate.mask.from == group);
    CHECK(h.at(group).inputs.begin()->second.from == h.cavity);
    const std::string network = h.at(group).network;
    QTest::keyClick(&h.w, Qt::Key_G, Qt::ShiftModifier);
    CHECK(h.layer().nodes.size() == 5);  // cavity, product, noise, a tile for the input, one for the output
    h.bench.select_node(h.layer().nodes.back().id);
    CHECK(nodes::laid_open_of(*h.bench.node()).first == network);
    QTest::keyClick(&h.w, Qt::Key_G, Qt::ShiftModifier);
    CHECK(h.layer().nodes.size() == 2);
    h.bench.undo();
    h.bench.undo();
    h.bench.undo();
    CHECK(h.layer().gate.mask.from == h.product);
    CHECK(h.bench.scene().networks.empty());
}

TEST_CASE("a refused group is told and leaves no step") {
    Chain h;
    QSignalSpy failed(&h.bench, &app::Workbench::failed);
    const bool unsaved = h.bench.document().can_undo();
    h.bench.node_work().open_group(h.cavity);
    CHECK(failed.count() == 1);
    CHECK(h.bench.document().can_undo() == unsaved);
}

TEST_CASE("no two commands share a key") {
    Hands h;
    std::map<QString, QString> taken;
    for (const QAction* a : h.w.findChildren<QAction*>()) {
        if (a->shortcut().isEmpty()) continue;
        const auto [at, fresh] = taken.emplace(a->shortcut().toString(), a->text());
        INFO(a->shortcut().toString().toStdString()
             << ": " << a->text().toStdString() << ", " << at->second.toStdString());
        CHECK(fresh);
    }
    CHECK(taken.size() > 40);
}

TEST_CASE("a wire is drawn by two keys") {
    Chain h;
    h.bench.select_layer(h.cover);
    const std::string levels = h.node("Lev");
    REQUIRE(h.at(levels).kind == "levels");
    QTest::qWait(30);
    app::Board* board = h.w.board();
    h.bench.select_node(h.noise);
    board->setFocus();
    h.key(Qt::Key_W);
    // The letters begin at the nearest: all that may be chosen are tried by undoing until the levels are wired.
    bool wired = false;
    for (int k = 0; k < 12 && !wired; ++k) {
        if (k > 0) h.key(Qt::Key_W);
        const auto before = h.bench.snapshot();
        QTest::keyClick(board, char('a' + k));
        const auto& in = h.at(levels).inputs;
        wired = in.contains("in") && in.at("in").from == h.noise;
        if (!wired && h.bench.snapshot() != before) h.bench.undo();
    }
    CHECK(wired);
    h.key(Qt::Key_W);
    QTest::keyClick(board, Qt::Key_Escape);
    const auto before = h.bench.snapshot();
    QTest::keyClick(board, Qt::Key_B);  // a command again: the board goes wide
    CHECK(h.bench.snapshot() == before);
    QTest::keyClick(board, Qt::Key_B);
}

TEST_CASE("arrows walk from tile to tile") {
    Chain h;
    app::Board* board = h.w.board();
    board->setFocus();
    h.bench.select_node(h.product);
    QTest::keyClick(board, Qt::Key_Left);
    const std::string left = h.bench.selection().node;
    CHECK((left == h.cavity || left == h.noise));
    QTest::keyClick(board, Qt::Key_Down);
    QTest::keyClick(board, Qt::Key_Up);
    QTest::keyClick(board, Qt::Key_Right);
    CHECK(h.bench.selection().node == h.product);
    QTest::keyClick(board, Qt::Key_Right);
    CHECK(h.bench.selection().node.empty());
    CHECK(h.bench.selection().layer == h.cover);
}

TEST_CASE("bypass and versions by key") {
    Chain h;
    h.bench.select_node(h.product);
    h.key(Qt::Key_Y);
    CHECK(h.at(h.product).bypassed);
    h.key(Qt::Key_Y);
    CHECK_FALSE(h.at(h.product).bypassed);
    h.bench.select_node(h.noise);
    const float first = nodes::number_of(h.at(h.noise), *nodes::describe("fractal3d")->port("octaves"));
    h.key(Qt::Key_X);  // nothing is held yet: this one is
    h.bench.edit_build_up("x", [&](scene::BuildUp& b) { scene::node(b, h.noise)->inputs["octaves"].value = 7.f; });
    h.key(Qt::Key_X);
    CHECK(nodes::number_of(h.at(h.noise), *nodes::describe("fractal3d")->port("octaves")) == first);
    h.key(Qt::Key_X);
    CHECK(nodes::number_of(h.at(h.noise), *nodes::describe("fractal3d")->port("octaves")) == 7.f);
}

TEST_CASE("a tile dropped on a wire goes in between, dragged by its body") {
    Chain h;
    h.bench.select_layer(h.cover);
    const std::string levels = h.node("Lev");
    h.bench.edit_build_up("x", [&](scene::BuildUp& b) {  // loose, and the gate as before
        scene::node(b, levels)->inputs.erase("in");
        scene::find(b.layers, h.cover)->gate.mask.from = h.product;
    });
    QTest::qWait(30);
    app::Board* board = h.w.board();
    const QPoint from = board->tile_position(levels);
    const QPoint end = board->output_position(h.product) + QPoint(12, 0);  // on the wire to the gate
    h.drag(from, end);
    CHECK(h.layer().gate.mask.from == levels);
    CHECK(h.at(levels).inputs.at("in").from == h.product);
}

TEST_CASE("the board is zoomed, and fits whole") {
    Chain h;
    app::Board* board = h.w.board();
    for (int i = 0; i < 5; ++i) {
        h.key(Qt::Key_L);
        h.node("ca");
    }
    board->zoom_to_fit();
    CHECK(board->zoom() < 1);
    for (const auto& l : h.bench.build_up()->layers)
        for (const auto& n : l.nodes) {
            const QPoint at = board->tile_position(n.id);
            CHECK(board->viewport()->rect().contains(at));
        }
    // What is hit is what is seen there.
    const std::string first = h.bench.build_up()->layers[1].nodes.front().id;
    QTest::mouseClick(board->viewport(), Qt::LeftButton, {}, board->tile_position(first));
    CHECK(h.bench.selection().node == first);
    board->zoom_to_fit();
    CHECK(board->zoom() == 1);
    board->set_zoom(1.5, QPointF(100, 100));
    CHECK(board->zoom() == Approx(1.5));
    board->grab();
}

TEST_CASE("a map stack is edited as a list") {
    Hands h;
    h.key(Qt::Key_L);
    const std::string stack = h.node("Map s");
    REQUIRE(nodes::is_stack(h.at(stack)));
    REQUIRE(button(h, "Add map"));
    button(h, "Add map")->click();
    CHECK(nodes::entries_of(h.at(stack)).size() == 3);
    auto* head = detail<QToolButton>(h, "entry-3");
    REQUIRE(head);
    h.bench.edit_build_up("x", [&](scene::BuildUp& b) {
        scene::node(b, stack)->inputs[nodes::entry_port(nodes::EntryPort::mode, 3)].value = 2.f;
        scene::node(b, stack)->inputs[nodes::entry_port(nodes::EntryPort::title, 3)].value = std::string("Streaks");
    });
    QTest::qWait(30);
    CHECK(detail<QToolButton>(h, "entry-3")->text() == "Streaks, screen");
    detail<QToolButton>(h, "entry-3")->setChecked(true);
    REQUIRE(button(h, "Into group"));
    button(h, "Into group")->click();
    CHECK(nodes::entries_of(h.at(stack)).back().sort == nodes::StackEntry::Sort::group);
    h.bench.undo();
    CHECK(nodes::entries_of(h.at(stack)).size() == 3);
}

TEST_CASE("a knot of a curve is dragged, added and taken away") {
    Hands h;
    h.key(Qt::Key_L);
    h.node("ca");
    const std::string curves = h.node("Curv");
    REQUIRE(h.at(curves).kind == "curves");
    auto* plot = detail<app::CurvePlot>(h, "curve-plot");
    REQUIRE(plot);
    QTest::mouseClick(plot, Qt::LeftButton, {}, plot->place_of({.5f, .8f}).toPoint());
    const auto& d = *nodes::describe("curves");
    CHECK(nodes::number_of(h.at(curves), *d.port("all_knots")) == 3.f);
    const V3f knot = scene::as_vector(nodes::literal_of(h.at(curves), *d.port("all2")));
    CHECK(knot.x == Approx(.5f).margin(.02));
    CHECK(knot.y == Approx(.8f).margin(.02));
    plot = detail<app::CurvePlot>(h, "curve-plot");
    QTest::mouseDClick(plot, Qt::LeftButton, {}, plot->place_of({knot.x, knot.y}).toPoint());
    CHECK(nodes::number_of(h.at(curves), *d.port("all_knots")) == 2.f);
}

TEST_CASE("a picture dropped on a layer's tab feeds it") {
    Hands h;
    app::Board* board = h.w.board();
    const std::string layer = h.bench.build_up()->layers.front().id;
    const size_t before = h.bench.build_up()->layers.front().nodes.size();
    h.bench.select_layer(layer);
    QTest::qWait(30);
    fs::path file;
    for (const auto& e : fs::recursive_directory_iterator(root / "demo"))
        if (e.path().extension() == ".png" || e.path().extension() == ".exr" || e.path().extension() == ".tif")
            file = e.path();
    REQUIRE_FALSE(file.empty());
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(QString::fromStdString(file.string()))});
    const QPoint at = board->layer_end_position(layer);
    QDragEnterEvent enter(at, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(board->viewport(), &enter);
    CHECK(enter.isAccepted());
    QDropEvent drop(at, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(board->viewport(), &drop);
    CHECK(h.bench.build_up()->layers.front().nodes.size() == before + 1);
    CHECK(nodes::has_use(*h.bench.node(), nodes::Use::map));
}
