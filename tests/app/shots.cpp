// Not a test: writes docs/screenshots from the real window with the demo. Run by `./run shots`.
#include "app/window.h"

#include <QListWidget>
#include <QSplitter>
#include <QToolButton>

#include "scene/edits.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("screenshots of the main views", "[.shots]") {
    const QString folder =
        qEnvironmentVariable("VEMTRA_SHOTS", QString::fromStdString((root / "docs" / "screenshots").string()));
    const int samples =
        qEnvironmentVariableIntValue("VEMTRA_SHOT_SAMPLES") ? qEnvironmentVariableIntValue("VEMTRA_SHOT_SAMPLES") : 48;
    const QString only = qEnvironmentVariable("VEMTRA_SHOT");
    app::MainWindow w;
    w.resize(1280, 800);
    w.show();
    auto shot = [&](const QString& name) {
        QTest::qWait(350);  // thumbnails and measures follow the picture
        w.grab().save(folder + "/" + name + ".png");
    };
    auto wants = [&](const QString& name) { return only.isEmpty() || only.contains(name); };
    if (wants("empty")) QTest::qWait(300), shot("empty");
    REQUIRE(w.open_project(demo_project, false));
    picture(w, 2);
    auto& bench = w.bench();
    bench.select_layer("marine-enamel");
    if (wants("bench")) picture(w, uint32_t(samples)), shot("bench");
    if (wants("levels")) {
        bench.select_node("wear");
        picture(w, uint32_t(samples));
        shot("levels");
    }
    if (wants("network")) {
        bench.select_node("wear");
        QApplication::setActiveWindow(&w);
        QTest::keyClick(&w, Qt::Key_B);
        QTest::qWait(400);
        picture(w, uint32_t(samples));
        shot("network");
        QTest::keyClick(&w, Qt::Key_B);
        QTest::qWait(200);
    }
    if (wants("group")) {
        bench.select_node("wear");
        QApplication::setActiveWindow(&w);
        QTest::keyClick(&w, Qt::Key_B);
        std::vector<std::string> inside;
        for (const scene::Node& n : bench.layer()->nodes)
            if (n.name == "Stains" || n.name == "Stain size" || n.name == "Fading") inside.push_back(n.id);
        bench.node_work().group_nodes(inside, "Break-up");
        bench.node_work().open_group(bench.selection().node);
        bench.edit_build_up("x", [](scene::BuildUp& b) { scene::node(b, "wear")->note = "Where hands and ropes rub"; });
        bench.select_node("wear");
        QTest::qWait(400);
        picture(w, uint32_t(samples));
        shot("group");
        QTest::keyClick(&w, Qt::Key_B);
        for (int i = 0; i < 3; ++i) bench.undo();
        bench.select_node("wear");
    }
    if (wants("decals")) {  // the foil sticker, wrapped, and its two layers in a build-up of their own
        bench.select_part("body");
        bench.edit("Nearer", [](scene::Scene& s) { s.camera = "sticker"; });
        bench.select_layer("foil");
        picture(w, uint32_t(samples));
        QTest::qWait(600);
        shot("decals");
        while (bench.document().can_undo()) bench.undo();
        bench.select_part("base");
        bench.select_layer("marine-enamel");
        picture(w, 4);
    }
    if (wants("paint")) {  // enamel worn off along the front of the base plate
        QApplication::setActiveWindow(&w);
        QTest::keyClick(&w, Qt::Key_Q);
        picture(w, uint32_t(samples));
        w.drawer()->show_page(app::Page::brushes);
        bench.painter().set_ink(V3f(0.f));
        bench.painter().change_brush([](paint::StockBrush& b) {
            b = paint::shipped_brushes()[3];
            b.brush.size = 26.f;
        });
        auto* v = w.view();
        const QPoint from(v->width() / 2 - 112, v->height() / 2 + 178);
        QTest::mousePress(v, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 20; ++i) {
            QTest::mouseMove(v, from + QPoint(i * 7, i * 8 / 5));
            QTest::qWait(16);
        }
        QTest::mouseRelease(v, Qt::LeftButton, {}, from + QPoint(140, 32));
        bench.painter().finish();
        QTest::qWait(7000);  // the hand has rested: all of the picture knows of it
        shot("paint");
        bench.painter().put_down();
        while (bench.document().can_undo()) bench.undo();
        w.drawer()->show_page(app::Page::parts);
        bench.select_layer("marine-enamel");
        picture(w, 4);
    }
    if (wants("maps")) {
        bench.select_part("handle");
        bench.select_layer("zinc");
        bench.map_intake().look_for_maps({root / "demo" / "maps"});
        wait_until([&] { return !bench.map_intake().map_sets().empty() && !bench.jobs().busy(); });
        QTest::qWait(300);  // the drawer grows, and the picture with it
        picture(w, uint32_t(samples));
        shot("maps");
        bench.map_intake().apply_map_set(0);
        w.drawer()->show_page(app::Page::files);
        QTest::qWait(300);
        picture(w, uint32_t(samples));
        shot("maps-board");
        bench.undo();
        w.drawer()->show_page(app::Page::parts);
        bench.select_part("body");
    }
    if (wants("placing")) {
        bench.files().import_asset(root / "demo" / "buoy.glb");
        wait_until([&] { return !bench.jobs().busy() && bench.scene().assets.size() == 2; });
        bench.stockroom().wear_stock("enamel-yellow", "float");
        bench.select_part("float");
        bench.arranging().set_whole_asset(true);
        bench.arranging().arrange(true);
        picture(w, 2);
        bench.arranging().place("Beside the lantern", [](scene::Placement& p) { p.position = V3f(.24f, 0.f, .08f); });
        picture(w, 2);
        w.view()->frame_all();
        picture(w, uint32_t(samples));
        shot("placing");
        bench.arranging().arrange(false);
        while (bench.scene().assets.size() > 1) bench.undo();
        bench.select_part("body");
        picture(w, 2);
    }
    if (wants("clay")) {
        bench.showing().show_view(render::View::clay);
        wait_until([&] {
            return bench.image()->request.view == render::View::clay && bench.image()->samples >= uint32_t(samples);
        });
        shot("clay");
    }
    if (wants("uv")) {
        bench.showing().show_view(render::View::uv);
        wait_until([&] { return bench.image()->request.view == render::View::uv && bench.image()->samples >= 16; });
        shot("uv");
    }
    if (wants("coverage")) {
        bench.select_layer("marine-enamel");
        bench.showing().show_view(render::View::coverage);
        wait_until(
            [&] { return bench.image()->request.view == render::View::coverage && bench.image()->samples >= 16; });
        shot("coverage");
    }
    if (wants("on-asset")) {
        bench.select_node("broken");
        bench.showing().show_node("broken");
        wait_until([&] { return bench.image()->request.view == render::View::node && bench.image()->samples >= 16; });
        shot("on-asset");
    }
    if (wants("compare")) {
        bench.showing().show_view(render::View::beauty);
        picture(w, uint32_t(samples));
        bench.kept_pictures().keep_picture();
        bench.edit("Rig", [](scene::Scene& s) { s.rig = "studio"; });
        picture(w, uint32_t(samples));
        bench.kept_pictures().compare_with(0);
        w.drawer()->show_page(app::Page::snapshots);
        shot("compare");
        w.drawer()->show_page(app::Page::rigs);
        bench.kept_pictures().compare_with(-1);
        bench.select_part("cap");
        picture(w, uint32_t(samples));
        shot("studio");
    }
    if (wants("stock")) {
        bench.edit("Rig", [](scene::Scene& s) { s.rig = "quay"; });  // the one that the cache was filled for
        bench.select_part("body");
        bench.select_layer("lacquer");
        w.drawer()->show_page(app::Page::stock);
        w.setMinimumSize(1280, 800);
        for (QSplitter* s : w.findChildren<QSplitter*>())
            if (s->orientation() == Qt::Vertical && s->indexOf(w.drawer()) >= 0) s->setSizes({360, 376});
        auto* list = w.drawer()->findChild<QListWidget*>("stock");
        picture(w, uint32_t(samples));
        QTest::qWait(qEnvironmentVariableIntValue("VEMTRA_SHOT_WAIT") ? qEnvironmentVariableIntValue("VEMTRA_SHOT_WAIT")
                                                                      : 6000);  // swatches come from the cache
        shot("stock");
        // The whole stock on one sheet.
        list->setParent(nullptr);
        list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
        list->resize(1420, 1110);
        list->show();
        QTest::qWait(500);
        list->grab().save(folder + "/stock-sheet.png");
        delete list;
        return;
    }
    if (wants("commands")) {
        w.open_command_list();
        QTest::keyClicks(QApplication::focusWidget() ? QApplication::focusWidget() : w.command_list(), "no");
        QTest::qWait(200);
        w.command_list()->grab().save(folder + "/commands.png");
        w.command_list()->hide();
    }
    bench.files().discard_autosave();
}
