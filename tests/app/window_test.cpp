// The window itself: hands in the picture, layers, values, views and commands.
#include "app/hands.h"

#include <QLineEdit>
#include <QListWidget>
#include <QSignalSpy>

#include "app/detail/form.h"
#include "scene/project_file.h"

using namespace vemtra;
using namespace vemtra::test;

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
    auto* name = all_rows(o.w)->findChild<QLineEdit*>("name");
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
    auto* amount = all_rows(o.w)->findChild<app::ValueField*>("amount");
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
    REQUIRE(bench.kept_pictures().kept().size() == 1);
    bench.edit("rig", [](scene::Scene& s) { s.rig = "studio"; });
    picture(o.w);
    QTest::keyClick(&o.w, Qt::Key_C);
    CHECK(bench.kept_pictures().compared() == 0);
    const QImage left = o.w.view()->grab().toImage();
    const QPoint grip = o.w.view()->divider().toPoint();
    o.drag(o.w.view(), grip, grip + QPoint(-200, 0));
    CHECK(o.w.view()->divider().x() == Approx(grip.x() - 200).margin(3));
    CHECK(o.w.view()->grab().toImage() != left);
    QTest::keyClick(&o.w, Qt::Key_C);
    CHECK(bench.kept_pictures().compared() == -1);
    V3f taken(-1.f);
    bench.picking().pick_color([&](V3f c) { taken = c; });
    o.click(o.w.view(), o.w.view()->rect().center());
    CHECK(taken.x >= 0.f);
    CHECK_FALSE(bench.picking().picking());
    CHECK(bench.document().undo_label() == "rig");
    CHECK(bench.kept_pictures().kept()[0].scene == first);
}

TEST_CASE("views, region, hold and scale act on the live picture") {
    Open o;
    REQUIRE(o.w.open_project(demo_project, false));
    auto& bench = o.w.bench();
    bench.showing().set_scale(100);
    picture(o.w);
    QTest::keyClick(&o.w, Qt::Key_2);
    REQUIRE(wait_until([&] { return bench.image()->request.view == render::View::clay && bench.image()->complete; }));
    QTest::keyClick(&o.w, Qt::Key_1);
    QTest::keyClick(&o.w, Qt::Key_R);
    o.drag(o.w.view(), QPoint(100, 100), QPoint(220, 200));
    CHECK(bench.showing().live().region.x1 == 220);
    REQUIRE(wait_until([&] { return bench.image()->request.region.x1 == 220 && bench.image()->samples >= 2; }));
    QTest::keyClick(&o.w, Qt::Key_R);
    CHECK(bench.showing().live().region.x1 == 0);
    bench.showing().set_scale(50);
    REQUIRE(wait_until([&] { return bench.image()->coarse == 1 && bench.image()->width == o.w.view()->width() / 2; }));
    QTest::keyClick(&o.w, Qt::Key_H);
    CHECK(bench.showing().live().hold);
    bench.select_node("wear");
    QTest::keyClick(&o.w, Qt::Key_S);
    CHECK(bench.showing().live().view == render::View::node);
    CHECK(bench.showing().live().shown_node == "wear");
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
