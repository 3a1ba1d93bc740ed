#include "app/window.h"

#include <QComboBox>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSignalSpy>
#include <QTableWidget>
#include <QTreeWidget>
#include <fstream>

#include "app/detail/color_editor.h"
#include "app/detail/form.h"
#include "app/detail/levels_plot.h"
#include "nodes/description.h"
#include "scene/edits.h"
#include "scene/project_file.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
const char* cube_obj =
    "o crate\nv -1 -1 -1\nv 1 -1 -1\nv 1 1 -1\nv -1 1 -1\nv -1 -1 1\nv 1 -1 1\nv 1 1 1\nv -1 1 1\nf 4 3 2 1\nf 5 6 7 "
    "8\nf 1 2 6 5\nf 3 4 8 7\nf 2 3 7 6\nf 1 5 8 4\n";

struct Open {
    Scratch scratch;
    app::MainWindow w;
    Open() {
        w.resize(1280, 800);
        w.show();
        QApplication::setActiveWindow(&w);  // keys go to it, with or without a window manager
        w.bench().set_denoise(false);
    }
    ~Open() { w.bench().discard_autosave(); }
    void import(const std::string& name, const std::string& text) {
        std::ofstream(scratch.path / name) << text;
        w.bench().import_asset(scratch.path / name);
        wait_until([&] { return !w.bench().jobs().busy() && !w.bench().scene().parts.empty(); });
    }
    void click(QWidget* on, QPoint at, Qt::KeyboardModifiers m = {}) { QTest::mouseClick(on, Qt::LeftButton, m, at); }
    void drag(QWidget* on, QPoint from, QPoint to) {
        QTest::mousePress(on, Qt::LeftButton, {}, from);
        QTest::mouseMove(on, from + (to - from) / 2);
        QTest::mouseMove(on, to);
        QTest::mouseRelease(on, Qt::LeftButton, {}, to);
    }
    std::vector<V3f> pixels() { return picture(w)->linear; }
};
}  // namespace

TEST_CASE("from an empty window to a worn crate, saved and opened again with the same pixels") {
    Open o;
    auto& bench = o.w.bench();
    CHECK(o.w.findChild<QLabel*>("message"));
    o.import("crate.obj", cube_obj);
    REQUIRE(bench.build_up());
    CHECK(bench.build_up()->layers.size() == 1);
    bench.edit("few samples", [](scene::Scene& s) { s.render.samples = 4; });
    const auto grey = o.pixels();

    // A cover of red paint.
    QTest::keyClick(&o.w, Qt::Key_L);
    REQUIRE(bench.build_up()->layers.size() == 2);
    const std::string paint = bench.selection().layer;
    auto* color = o.w.detail()->findChild<app::ColorEditor*>("base color");
    REQUIRE(color);
    auto* hex = color->findChild<QLineEdit*>();
    hex->setFocus();
    hex->setText("#c02010");
    QTest::keyClick(hex, Qt::Key_Return);
    const auto red = o.pixels();
    CHECK(red != grey);

    // Cavity on exposed edges, levels behind it, inverted into the gate; all by the typed list and wires on the board.
    auto add = [&](const char* text) {
        bench.select_layer(paint);
        o.w.open_node_list();
        auto* line = o.w.command_list()->findChild<QLineEdit*>();
        QTest::keyClicks(line, text);
        QTest::keyClick(line, Qt::Key_Return);
        return bench.selection().node;
    };
    const auto cavity = add("Cavity"), levels = add("Levels"), invert = add("Invert");
    CHECK(bench.node()->kind == "invert");
    bench.edit_build_up("where", [&](scene::BuildUp& b) {
        scene::node(b, cavity)->inputs["where"].value = std::string("edges");
        scene::node(b, cavity)->inputs["reach"].value = .6f;
    });
    o.w.board()->connect_nodes(cavity, levels, "in");
    bench.select_node(invert);
    QTest::qWait(50);
    // From the output tab of the levels onto the input tab of the selected invert tile, by mouse.
    o.drag(o.w.board()->viewport(), o.w.board()->output_position(levels),
           o.w.board()->tile_position(invert) - QPoint(38, 25));
    CHECK(scene::node(const_cast<scene::BuildUp&>(*bench.build_up()), invert)->inputs["in"].from == levels);
    o.w.board()->connect_to_layer(invert, paint, "gate");
    const auto worn = o.pixels();
    CHECK(worn != red);

    // Drag the white cut of the levels; the picture follows.
    bench.select_node(levels);
    wait_until(
        [&] { return bench.measured().nodes.count(levels) && bench.measured().nodes.at(levels).values.points > 0; });
    auto* plot = o.w.detail()->findChild<app::LevelsPlot*>("levels-plot");
    REQUIRE(plot);
    o.drag(plot, QPoint(int(plot->x_of(1.f)), 40), QPoint(int(plot->x_of(.35f)), 40));
    const float high = scene::as_number(nodes::literal_of(*bench.node(), *nodes::describe("levels")->port("inhigh")));
    CHECK(high == Approx(.35f).margin(.02));
    const auto sharper = o.pixels();
    CHECK(sharper != worn);
    const auto undo_label = bench.document().undo_label();
    bench.undo();
    CHECK(o.pixels() == worn);
    bench.redo();
    CHECK(o.pixels() == sharper);
    CHECK_FALSE(undo_label.empty());

    // Save, open in another window: the same pixels.
    const fs::path file = o.scratch.path / "crate.vemtra";
    REQUIRE(bench.save(file));
    CHECK_FALSE(bench.document().unsaved());
    CHECK(scene::load(file)->scene.assets[0].file == "crate.obj");
    Open again;
    REQUIRE(again.w.open_project(file, false));
    again.w.view()->resize(o.w.view()->size());
    wait_until([&] { return picture(again.w, 4)->samples == 4 && picture(o.w, 4)->samples == 4; });
    CHECK(again.w.view()->size() == o.w.view()->size());
    CHECK(picture(again.w, 4)->linear == picture(o.w, 4)->linear);
}

TEST_CASE("the window writes the very pixels that the command line writes") {
    Open o;
    REQUIRE(o.w.open_project(demo_project, false));
    const fs::path copy = demo_project.parent_path() / "window-test.vemtra";
    auto& bench = o.w.bench();
    bench.edit("small", [](scene::Scene& s) {
        s.render.width = 72, s.render.height = 54, s.render.samples = 3, s.render.seed = 4;
    });
    REQUIRE(scene::save(bench.scene(), copy));
    bench.write_picture(o.scratch.path / "window.exr");
    wait_until([&] { return !bench.jobs().busy(); });
    CHECK(std::system(
              (std::string(VEMTRA_CLI) + " render " + copy.string() + " -o " + (o.scratch.path / "cli.exr").string())
                  .c_str()) == 0);
    fs::remove(copy);
    auto a = texture::read_picture(o.scratch.path / "window.exr"),
         b = texture::read_picture(o.scratch.path / "cli.exr");
    REQUIRE(a);
    REQUIRE(b);
    CHECK(a->pixels == b->pixels);
    CHECK(a->width == 72);
}

TEST_CASE("hands in the picture: orbit, pan, dolly, frame and click") {
    Open o;
    REQUIRE(o.w.open_project(demo_project, false));
    auto& bench = o.w.bench();
    picture(o.w);
    auto camera = [&] { return *scene::active_camera(bench.scene()); };
    const auto start = camera();
    const QPoint middle = o.w.view()->rect().center();
    o.drag(o.w.view(), middle, middle + QPoint(80, 20));
    CHECK(camera().position != start.position);
    CHECK(camera().target == start.target);
    CHECK((camera().position - camera().target).length() ==
          Approx((start.position - start.target).length()).epsilon(1e-4));
    bench.undo();
    CHECK(camera() == start);  // one step, however many moves
    QTest::mousePress(o.w.view(), Qt::LeftButton, Qt::ShiftModifier, middle);
    QTest::mouseMove(o.w.view(), middle + QPoint(40, 0));
    QTest::mouseMove(o.w.view(), middle + QPoint(60, 0));
    QTest::mouseRelease(o.w.view(), Qt::LeftButton, Qt::ShiftModifier, middle + QPoint(60, 0));
    CHECK(camera().target != start.target);
    bench.undo();
    picture(o.w);
    // The lens is in the middle of the picture.
    o.click(o.w.view(), QPoint(o.w.view()->width() * 52 / 100, o.w.view()->height() * 60 / 100));
    const std::string part = bench.selection().part;
    CHECK((part == "lens" || part == "guard"));
    QTest::keyClick(&o.w, Qt::Key_F);
    CHECK((camera().position - camera().target).length() < (start.position - start.target).length());
    QTest::keyClick(&o.w, Qt::Key_A);
    CHECK((camera().position - camera().target).length() > .5f);
}

TEST_CASE("layers are added, switched, moved, renamed, doubled and deleted, and every step comes back") {
    Open o;
    REQUIRE(o.w.open_project(demo_project, false));
    auto& bench = o.w.bench();
    bench.select_part("body");
    // The two lowest layers alone.
    bench.edit_build_up("two layers", [](scene::BuildUp& b) {
        std::erase_if(b.layers,
                      [](const scene::Layer& l) { return l.id != "galvanised-steel" && l.id != "marine-enamel"; });
    });
    const std::string before = scene::to_text(bench.scene());
    bench.select_layer("marine-enamel");
    QTest::keyClick(&o.w, Qt::Key_O);
    CHECK_FALSE(bench.layer()->on);
    QTest::keyClick(&o.w, Qt::Key_D, Qt::ControlModifier);
    CHECK(bench.build_up()->layers.size() == 3);
    QTest::keyClick(&o.w, Qt::Key_Down, Qt::AltModifier);
    CHECK(bench.build_up()->layers[0].id == "marine-enamel");
    QTest::keyClick(&o.w, Qt::Key_Delete);
    CHECK(bench.build_up()->layers.size() == 2);
    bench.select_layer("galvanised-steel");
    auto* name = o.w.detail()->findChild<QLineEdit*>("name");
    REQUIRE(name);
    name->setText("Zinc");
    QTest::keyClick(name, Qt::Key_Return);
    CHECK(bench.layer()->name == "Zinc");
    int steps = 0;
    while (scene::to_text(bench.scene()) != before && bench.document().can_undo()) bench.undo(), ++steps;
    CHECK(steps == 5);
    CHECK(scene::to_text(bench.scene()) == before);

    // Core: a block is dragged below the other one.
    const QPoint top = o.w.board()->block_position("marine-enamel"),
                 bottom = o.w.board()->block_position("galvanised-steel");
    REQUIRE(top.y() < bottom.y());
    o.drag(o.w.board()->viewport(), top, bottom + QPoint(0, 300));
    CHECK(bench.build_up()->layers[0].id == "marine-enamel");
}

TEST_CASE("a number is dragged, typed, stepped and reset on its field") {
    Open o;
    REQUIRE(o.w.open_project(demo_project, false));
    auto& bench = o.w.bench();
    bench.select_layer("marine-enamel");
    auto* amount = o.w.detail()->findChild<app::ValueField*>("amount");
    REQUIRE(amount);
    QSignalSpy settled(amount, &app::ValueField::settled);
    o.drag(amount, QPoint(100, 10), QPoint(40, 10));
    CHECK(bench.layer()->amount < .9f);
    CHECK(settled.count() == 1);
    const std::string label = bench.document().undo_label();
    bench.undo();
    CHECK(bench.layer()->amount == 1.f);
    amount->setFocus();
    QTest::keyClicks(amount, "0");
    auto* typed = amount->findChild<QLineEdit*>();
    REQUIRE(typed);
    QTest::keyClicks(typed, ".25");
    QTest::keyClick(typed, Qt::Key_Return);
    CHECK(bench.layer()->amount == .25f);
    QTest::keyClick(amount, Qt::Key_Up);
    CHECK(bench.layer()->amount == Approx(.26f));
    QTest::mouseDClick(amount, Qt::LeftButton, {}, QPoint(20, 10));
    CHECK(bench.layer()->amount == 1.f);
    amount->setFocus();
    QTest::keyClicks(amount, "7");
    typed->setText("not a number");
    QTest::keyClick(typed, Qt::Key_Return);
    CHECK(bench.layer()->amount == 1.f);
}

TEST_CASE("snapshots are kept, compared and brought back; a colour is picked from the picture") {
    Open o;
    REQUIRE(o.w.open_project(demo_project, false));
    auto& bench = o.w.bench();
    picture(o.w);
    const auto first = bench.snapshot();
    QTest::keyClick(&o.w, Qt::Key_K);
    REQUIRE(bench.kept().size() == 1);
    bench.edit("rig", [](scene::Scene& s) { s.rig = "studio"; });
    picture(o.w);
    QTest::keyClick(&o.w, Qt::Key_C);
    CHECK(bench.compared() == 0);
    const QImage left = o.w.view()->grab().toImage();
    const QPoint grip = o.w.view()->divider().toPoint();
    o.drag(o.w.view(), grip, grip + QPoint(-200, 0));
    CHECK(o.w.view()->divider().x() == Approx(grip.x() - 200).margin(3));
    CHECK(o.w.view()->grab().toImage() != left);
    QTest::keyClick(&o.w, Qt::Key_C);
    CHECK(bench.compared() == -1);
    V3f taken(-1.f);
    bench.pick_color([&](V3f c) { taken = c; });
    o.click(o.w.view(), o.w.view()->rect().center());
    CHECK(taken.x >= 0.f);
    CHECK_FALSE(bench.picking());
    CHECK(bench.document().undo_label() == "rig");
    CHECK(bench.kept()[0].scene == first);
}

TEST_CASE("views, region, hold and scale act on the live picture") {
    Open o;
    REQUIRE(o.w.open_project(demo_project, false));
    auto& bench = o.w.bench();
    picture(o.w);
    QTest::keyClick(&o.w, Qt::Key_2);
    REQUIRE(wait_until([&] { return bench.image()->request.view == render::View::clay && bench.image()->complete; }));
    QTest::keyClick(&o.w, Qt::Key_1);
    QTest::keyClick(&o.w, Qt::Key_R);
    o.drag(o.w.view(), QPoint(100, 100), QPoint(220, 200));
    CHECK(bench.live().region.x1 == 220);
    REQUIRE(wait_until([&] { return bench.image()->request.region.x1 == 220 && bench.image()->samples >= 2; }));
    QTest::keyClick(&o.w, Qt::Key_R);
    CHECK(bench.live().region.x1 == 0);
    bench.set_scale(50);
    REQUIRE(wait_until([&] { return bench.image()->coarse == 1 && bench.image()->width == o.w.view()->width() / 2; }));
    QTest::keyClick(&o.w, Qt::Key_H);
    CHECK(bench.live().hold);
    bench.select_node("wear");
    QTest::keyClick(&o.w, Qt::Key_S);
    CHECK(bench.live().view == render::View::node);
    CHECK(bench.live().shown_node == "wear");
}

TEST_CASE("bad input is told with file and remedy, and nothing is lost") {
    Open o;
    auto& bench = o.w.bench();
    o.import("crate.obj", cube_obj);
    const std::string before = scene::to_text(bench.scene());
    auto* text = o.w.findChild<QLabel*>("error-text");
    std::ofstream(o.scratch.path / "broken.obj") << "v 1 2\nf 9 9 9\n";
    bench.import_asset(o.scratch.path / "broken.obj");
    wait_until([&] { return !bench.jobs().busy() && text->isVisible(); });
    CHECK(text->text().contains("broken.obj"));
    CHECK_FALSE(o.w.open_project(o.scratch.path / "none.vemtra", false));
    CHECK(text->text().contains("none.vemtra"));
    std::ofstream(o.scratch.path / "future.vemtra") << "{\"vemtra\": 42}";
    CHECK_FALSE(o.w.open_project(o.scratch.path / "future.vemtra", false));
    CHECK(text->text().contains("42"));
    CHECK_FALSE(bench.save(o.scratch.path / "no" / "where.vemtra"));
    CHECK(scene::to_text(bench.scene()) == before);

    // A project with a circle, an unknown node and a missing map opens, renders and lists them.
    auto loaded = scene::load(demo_project);
    auto& b = loaded->scene.build_ups[0];
    scene::node(b, "edges")->kind = "warp";
    scene::node(b, "stains")->inputs["amplitude"].from = "faded";
    const auto map = scene::add_node(b, "marine-enamel", "image", "color3", "Map");
    scene::node(b, map)->inputs["file"].value = std::string("missing.<UDIM>.exr");
    scene::find(b.layers, "marine-enamel")->surface["specular_color"].from = map;
    for (auto& a : loaded->scene.assets) a.file = (demo_project.parent_path() / a.file).string();
    REQUIRE(scene::save(loaded->scene, o.scratch.path / "odd.vemtra"));
    REQUIRE(o.w.open_project(o.scratch.path / "odd.vemtra", false));
    picture(o.w);
    std::string all;
    for (const Error& e : bench.findings()) all += e.line() + "\n";
    for (const char* what : {"warp", "circle", "missing.<UDIM>.exr", "quay.exr"}) {
        INFO(all);
        CHECK(all.find(what) != std::string::npos);
    }
    for (const V3f& c : bench.image()->linear) CHECK(finite(c));
}

TEST_CASE("unsaved work comes back after a crash") {
    Open o;
    auto loaded = scene::load(demo_project);
    for (auto& a : loaded->scene.assets) a.file = (demo_project.parent_path() / a.file).string();
    const fs::path file = o.scratch.path / "p.vemtra";
    REQUIRE(scene::save(loaded->scene, file));
    REQUIRE(o.w.open_project(file, false));
    o.w.bench().edit("exposure", [](scene::Scene& s) { s.display.exposure = 1.25f; });
    o.w.bench().autosave_now();
    CHECK(fs::exists(scene::autosave_path(file)));
    CHECK(scene::load(file)->scene.display.exposure == 0.f);  // the project itself is untouched
    Open after;
    REQUIRE(after.w.open_project(file, false));
    REQUIRE(after.w.bench().recover());
    CHECK(after.w.bench().scene().display.exposure == 1.25f);
    CHECK(after.w.bench().document().unsaved());
    after.w.bench().undo();
    CHECK(after.w.bench().scene().display.exposure == 0.f);
}

TEST_CASE("brass and tinted varnish on pale ash, out of the stock") {
    Open o;
    auto& bench = o.w.bench();
    o.import("crate.obj", cube_obj);
    bench.edit("few samples", [](scene::Scene& s) { s.render.samples = 4; });
    o.w.drawer()->show_page(app::Page::stock);
    auto* list = o.w.drawer()->findChild<QListWidget*>("stock");
    auto* search = o.w.drawer()->findChild<QLineEdit*>("stock-search");
    REQUIRE(list);
    CHECK(list->count() > 70);
    auto choose = [&](const char* words, const char* id) {
        search->setText(words);
        for (int i = 0; i < list->count(); ++i)
            if (list->item(i)->data(Qt::UserRole).toString() == id) return list->setCurrentRow(i);
        FAIL("the stock has no " << id);
    };
    auto press = [&](const char* text) {
        for (auto* b : o.w.drawer()->findChildren<QPushButton*>())
            if (b->text() == text && b->isVisible()) return QTest::mouseClick(b, Qt::LeftButton);
        FAIL("no button " << text);
    };
    const auto grey = o.pixels();
    choose("brass", "brass-polished");
    press("Onto layer");
    CHECK(bench.layer()->surface.count("metal_extinction"));
    const auto brass = o.pixels();
    CHECK(brass != grey);

    choose("ash", "ash");
    press("Onto layer");
    const auto ash = o.pixels();
    choose("varnish", "varnish-honey");
    press("Onto layer");  // the base cannot be a coat
    CHECK(bench.layer()->kind == scene::LayerKind::cover);
    press("New layer");
    CHECK(bench.build_up()->layers.size() == 2);
    CHECK(bench.layer()->kind == scene::LayerKind::coat);
    const auto varnished = o.pixels();
    V3f before(0.f), after(0.f);
    for (size_t i = 0; i < ash.size(); ++i)  // the crate alone: where the picture changed
        if (std::fabs(ash[i].x - varnished[i].x) > .05f * ash[i].x) before += ash[i], after += varnished[i];
    CHECK(after.x / after.z > 1.03f * before.x / before.z);  // warmer, although soft boxes are mirrored in it

    // Swatches arrive in the background.
    wait_until([&] {
        return !list->item(0)->icon().isNull() && fs::exists(cache_folder("swatches")) &&
               !fs::is_empty(cache_folder("swatches"));
    });

    // Two ends of the varnish's thickness, flipped, and then driven.
    const std::string coat = bench.selection().layer;
    bench.edit_build_up("Two ends", [&](scene::BuildUp& b) {
        auto& input = scene::find(b.layers, coat)->surface["thickness"];
        input.value = .2f;
        input.worn = 4.f;
    });
    CHECK(o.w.detail()->findChild<app::ValueField*>("thickness, worn"));
    const auto clean = o.pixels();
    bench.edit_build_up(
        "Flip", [&](scene::BuildUp& b) { scene::find(b.layers, coat)->surface["thickness"].worn_shown = true; });
    const auto worn = o.pixels();
    CHECK(worn != clean);
    o.w.drawer()->show_page(app::Page::values);
    press("Write down");
    CHECK(bench.scene().kept_values.size() == 1);
    bench.undo();
    CHECK(bench.scene().kept_values.empty());
}

TEST_CASE("a dropped folder of maps is reviewed, one guess set right, applied, and seen in the picture") {
    Scratch s;
    fs::copy(root / "demo" / "maps", s.path / "maps", fs::copy_options::recursive);
    app::MainWindow w;
    w.resize(1000, 700);
    w.show();
    REQUIRE(w.open_project(demo_project, false));
    auto& bench = w.bench();
    bench.select_part("body");
    bench.select_layer("marine-enamel");

    auto* view = w.findChild<app::RenderView*>();
    QMimeData dropped;
    dropped.setUrls({QUrl::fromLocalFile(QString::fromStdString((s.path / "maps").string()))});
    const QPoint middle(view->width() / 2, int(view->height() * .72));
    QDragEnterEvent enter(middle, Qt::CopyAction, &dropped, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(view, &enter);
    CHECK(enter.isAccepted());
    QDropEvent drop(middle, Qt::CopyAction, &dropped, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(view, &drop);
    REQUIRE(wait_until([&] { return !bench.map_sets().empty() && !bench.jobs().busy(); }));
    auto* table = w.findChild<QTableWidget*>("maps");
    REQUIRE(table);
    CHECK(table->isVisible());
    REQUIRE(table->rowCount() == 4);

    // The roughness map is taken for glossiness, then put back: the choice is a box in its row.
    int row = -1;
    for (int r = 0; r < 4; ++r)
        if (bench.map_sets()[0].maps[size_t(r)].kind == texture::MapKind::roughness) row = r;
    REQUIRE(row >= 0);
    auto choose = [&](texture::MapKind kind) {
        auto* box = qobject_cast<QComboBox*>(table->cellWidget(row, 2));
        REQUIRE(box);
        box->setCurrentIndex(int(kind));
        Q_EMIT box->activated(int(kind));
        REQUIRE(wait_until([&] { return bench.map_sets()[0].maps[size_t(row)].kind == kind; }));
        QTest::qWait(20);
    };
    choose(texture::MapKind::glossiness);
    const auto before = picture(w, 2);  // the drawer has taken its room by now
    CHECK(bench.map_sets()[0].maps[size_t(row)].invert);
    bench.select_layer("marine-enamel");
    auto* apply = w.findChild<QPushButton*>("apply-maps");
    REQUIRE(apply->isEnabled());
    const scene::Snapshot old = bench.snapshot();
    QTest::mouseClick(apply, Qt::LeftButton);
    const auto* enamel = scene::find(bench.build_up()->layers, "marine-enamel");
    CHECK(std::count_if(enamel->nodes.begin(), enamel->nodes.end(),
                        [](const scene::Node& n) { return n.kind == "image" || n.kind == "heightrelief"; }) == 4);
    const auto* rough = scene::find_node(*bench.build_up(), enamel->surface.at("specular_roughness").from).node;
    REQUIRE(rough);
    CHECK(rough->kind == "invert");
    const auto after = picture(w, 2);
    // The new tiles show what comes out of them: some green of the enamel's picture, not an empty field.
    REQUIRE(wait_until([&] {
        return bench.measured().build_up == "housing" && bench.thumbnails().count(rough->id) &&
               bench.thumbnails().count(rough->inputs.at("in").from);
    }));
    QTest::qWait(100);
    auto* board = w.findChild<app::Board*>("board");
    const QImage drawn = board->grab().toImage();
    const QImage& thumbnail = bench.thumbnails().at(rough->id);
    const QPoint middle_of = board->tile_position(rough->id) - QPoint(0, 12);
    const QColor there = drawn.pixelColor(middle_of);
    CHECK(there != QColor(0, 0, 0));
    CHECK_FALSE(thumbnail.isNull());
    size_t changed = 0;
    REQUIRE(after->bgra.size() == before->bgra.size());
    for (size_t i = 0; i < after->bgra.size(); i += 4)
        changed += std::abs(int(after->bgra[i]) - int(before->bgra[i])) > 12;
    CHECK(changed > after->bgra.size() / 4 / 100);
    CHECK(bench.findings().size() < 12);

    // A packed map: what each channel is, chosen in the menu of its row.
    choose(texture::MapKind::packed);
    auto* channels = qobject_cast<QPushButton*>(table->cellWidget(row, 3));
    REQUIRE(channels);
    const auto menus = channels->menu()->actions();
    REQUIRE(int(menus.size()) == std::min(4, bench.map_sets()[0].maps[size_t(row)].header.channels));
    for (QAction* a : menus[0]->menu()->actions())
        if (a->text() == texture::info(texture::MapKind::metalness).title) a->trigger();
    REQUIRE(wait_until([&] { return !bench.map_sets()[0].maps[size_t(row)].packed.empty(); }));
    CHECK(bench.map_sets()[0].maps[size_t(row)].packed[0] == texture::MapKind::metalness);
    QTest::qWait(20);
    choose(texture::MapKind::glossiness);

    // What was set right is remembered for the set.
    bench.look_for_maps({s.path / "maps"});
    REQUIRE(wait_until([&] { return !bench.jobs().busy(); }));
    CHECK(bench.map_sets()[0].maps[size_t(row)].kind == texture::MapKind::glossiness);
    bench.undo();
    CHECK(*bench.snapshot() == *old);
    bench.discard_autosave();
}

TEST_CASE("the frame of a projection is moved, sized and rolled by its handles in the picture") {
    app::MainWindow w;
    w.resize(1000, 700);
    w.show();
    REQUIRE(w.open_project(demo_project, false));
    auto& bench = w.bench();
    bench.select_part("body");
    std::string placement;
    bench.edit_build_up("Add", [&](scene::BuildUp& b) {
        placement = scene::add_node(b, "marine-enamel", "placement", "place", "Placed");
        scene::Node* n = scene::node(b, placement);
        n->inputs["projection"].value = 1.f;
        n->inputs["centre"].value = V3f(0.f, .15f, .1f);
        n->inputs["size"].value = V2f(.1f, .1f);
    });
    bench.select_layer("marine-enamel");
    bench.select_node(placement);
    picture(w, 1);
    auto* view = w.findChild<app::RenderView*>();
    REQUIRE(view->handles().shown());
    auto value = [&](const char* name) {
        return scene::as_vector(scene::find_node(*bench.build_up(), placement).node->inputs.at(name).value);
    };
    auto drag = [&](app::FrameHandles::Handle handle, const QPoint& by) {
        const QPoint from = view->handles().position(handle, view->size()).toPoint();
        QTest::mousePress(view, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 4; ++i) QTest::mouseMove(view, from + by * i / 4);
        QTest::mouseRelease(view, Qt::LeftButton, {}, from + by);
        return view->handles().position(handle, view->size()).toPoint() - from;
    };
    const auto camera = *scene::active_camera(bench.scene());
    const V3f centre = value("centre");
    const QPoint moved = drag(app::FrameHandles::middle, {30, 12});
    CHECK((moved - QPoint(30, 12)).manhattanLength() < 5);
    CHECK((value("centre") - centre).length() > .003f);
    const float size = value("size").x;
    drag(app::FrameHandles::side, {25, 0});
    CHECK(value("size").x > size * 1.1f);
    drag(app::FrameHandles::top, {20, 4});
    CHECK(std::fabs(value("turned").z) > 3.f);
    CHECK(*scene::active_camera(bench.scene()) == camera);  // the hand was on the frame, not on the camera
    const size_t before = 3;
    for (size_t i = 0; i < before; ++i) bench.undo();
    CHECK((value("centre") - centre).length() < 1e-6f);
    bench.discard_autosave();
}

TEST_CASE(
    "a project from elsewhere: outside files are told, allowed by the finding's button, and listed; a wrong space is "
    "put right by one") {
    Scratch s;
    fs::create_directories(s.path / "got");
    std::ofstream(s.path / "plate.obj")
        << "o plate\nv -1 0 -1\nv 1 0 -1\nv 1 0 1\nv -1 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 4/4 3/3 2/2 1/1\n";
    QImage map(64, 64, QImage::Format_RGB888);
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 64; ++x) map.setPixelColor(x, y, QColor(60 + (x * 37 + y * 91) % 90, 120, 90));
    REQUIRE(map.save(QString::fromStdString((s.path / "got" / "paint.png").string())));
    std::ofstream(s.path / "got" / "plate.vemtra") << R"({"vemtra": 1, "assets": [{"id": "a", "file": "../plate.obj"}],
      "parts": [{"id": "plate", "asset": "a", "source": "plate", "build_up": "b"}],
      "build_ups": [{"id": "b", "layers": [{"id": "base", 
        "surface": {"base_color": {"from": "map", "value": 0.5}},
        "nodes": [{"id": "map", "kind": "image", "type": "color3",
         "inputs": {"file": "paint.png", "colorspace": "raw"}}]}]}],
      "rigs": [{"id": "r"}], "cameras": [{"id": "c", "position": [0, 2, 2.5]}]})";
    app::MainWindow w;
    w.resize(1280, 800);
    w.show();
    REQUIRE(w.open_project(s.path / "got" / "plate.vemtra", false));
    auto& bench = w.bench();
    auto* drawer = w.findChild<app::Drawer*>("drawer");
    auto* tree = w.findChild<QTreeWidget*>("findings");
    auto press = [&](const QString& what) {  // the button of that finding
        drawer->show_page(app::Page::findings);
        for (int i = 0; i < tree->topLevelItemCount(); ++i)
            if (tree->topLevelItem(i)->text(0).contains(what)) {
                auto* button = tree->itemWidget(tree->topLevelItem(i), 4)
                                   ? tree->itemWidget(tree->topLevelItem(i), 4)->findChild<QPushButton*>()
                                   : nullptr;
                if (!button) return false;
                QTest::mouseClick(button, Qt::LeftButton);
                return true;
            }
        return false;
    };
    picture(w, 1);
    CHECK(bench.image()->prepared->geometry->faces() == 0);
    drawer->show_page(app::Page::files);
    auto* files = w.findChild<QTreeWidget*>("files");
    REQUIRE(wait_until([&] { return files->topLevelItemCount() == 2; }));
    CHECK(files->topLevelItem(0)->text(2) == "outside, not read");
    CHECK(files->topLevelItem(1)->text(2) == "there");
    REQUIRE(wait_until([&] { return press("outside of the project"); }));
    REQUIRE(wait_until([&] { return bench.image() && bench.image()->prepared->geometry->faces() == 2; }));
    drawer->show_page(app::Page::files);
    REQUIRE(wait_until([&] { return files->topLevelItem(0)->text(2) == "there"; }));

    // One press, an edit like any other.
    REQUIRE(wait_until([&] { return press("colour map is taken raw"); }));
    auto space = [&] { return bench.scene().build_ups[0].layers[0].nodes[0].inputs.at("colorspace").value; };
    REQUIRE(wait_until([&] { return space() == scene::Value(std::string("auto")); }));
    REQUIRE(wait_until([&] {
        for (const auto& f : bench.findings())
            if (f.what.find("taken raw") != std::string::npos) return false;
        return bench.measured().build_up == "b";
    }));
    bench.undo();
    CHECK(space() == scene::Value(std::string("raw")));

    // Allowed once, it stays so; and it can be handed on whole.
    REQUIRE(w.open_project(s.path / "got" / "plate.vemtra", false));
    picture(w, 1);
    CHECK(bench.image()->prepared->geometry->faces() == 2);
    bench.collect_into(s.path / "given" / "plate.vemtra");
    REQUIRE(wait_until([&] { return !bench.jobs().busy(); }));
    CHECK(fs::exists(s.path / "given" / "assets" / "plate.obj"));
    fs::rename(s.path / "plate.obj", s.path / "got" / "plate.obj");
    drawer->show_page(app::Page::files);
    REQUIRE(wait_until([&] { return files->topLevelItem(0)->text(2) == "missing"; }));
    bench.find_missing_in(s.path / "got");
    REQUIRE(wait_until([&] { return bench.scene().assets[0].file == "plate.obj"; }));
    bench.discard_autosave();
}

TEST_CASE("what a project from elsewhere may not read stays unread when it is saved under another name") {
    Scratch s;
    fs::create_directories(s.path / "got");
    fs::create_directories(s.path / "mine");
    std::ofstream(s.path / "plate.obj") << "o plate\nv -1 0 -1\nv 1 0 -1\nv 1 0 1\nf 3 2 1\n";
    std::ofstream(s.path / "got" / "plate.vemtra") << R"({"vemtra": 1, "assets": [{"id": "a", "file": "../plate.obj"}],
      "parts": [{"id": "plate", "asset": "a", "source": "plate"}]})";
    app::MainWindow w;
    w.show();
    REQUIRE(w.open_project(s.path / "got" / "plate.vemtra", false));
    auto& bench = w.bench();
    REQUIRE(bench.save(s.path / "mine" / "deep.vemtra"));
    CHECK_FALSE(bench.paths().find(bench.scene().assets[0].file));
    bench.undo();
    CHECK_FALSE(bench.paths().find(bench.scene().assets[0].file));
    bench.redo();
    REQUIRE(w.open_project(s.path / "mine" / "deep.vemtra", false));
    CHECK_FALSE(bench.paths().find(bench.scene().assets[0].file));
    bench.allow_outside();
    CHECK(bench.paths().find(bench.scene().assets[0].file));
    bench.discard_autosave();
}

TEST_CASE("every command has a tooltip and is found by the typed list") {
    Open o;
    o.w.open_command_list();
    auto* list = o.w.command_list()->findChild<QListWidget*>();
    const int all = list->count();
    CHECK(all > 40);
    auto* line = o.w.command_list()->findChild<QLineEdit*>();
    QTest::keyClicks(line, "cov");
    CHECK(list->count() < all);
    CHECK(list->item(0)->text().contains("ov"));
    o.w.command_list()->hide();
    for (QAction* a : o.w.findChildren<QAction*>())
        if (!a->isSeparator() && !a->text().isEmpty()) CHECK(a->toolTip().size() > 3);
}
