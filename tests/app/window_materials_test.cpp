// Stock, maps and projections through the real window.
#include "app/hands.h"

#include <QComboBox>
#include <QDropEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QTableWidget>

#include "app/detail/form.h"
#include "scene/edits.h"

using namespace vemtra;
using namespace vemtra::test;

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
    CHECK(after.x / after.z > 1.01f * before.x / before.z);  // warmer, although soft boxes are mirrored in it

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
    CHECK(all_rows(o.w)->findChild<app::ValueField*>("thickness, worn"));
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
    REQUIRE(wait_until([&] { return !bench.map_intake().map_sets().empty() && !bench.jobs().busy(); }));
    auto* table = w.findChild<QTableWidget*>("maps");
    REQUIRE(table);
    CHECK(table->isVisible());
    REQUIRE(table->rowCount() == 4);

    // The roughness map is taken for glossiness, then put back: the choice is a box in its row.
    int row = -1;
    for (int r = 0; r < 4; ++r)
        if (bench.map_intake().map_sets()[0].maps[size_t(r)].kind == texture::MapKind::roughness) row = r;
    REQUIRE(row >= 0);
    auto choose = [&](texture::MapKind kind) {
        auto* box = qobject_cast<QComboBox*>(table->cellWidget(row, 2));
        REQUIRE(box);
        box->setCurrentIndex(int(kind));
        Q_EMIT box->activated(int(kind));
        REQUIRE(wait_until([&] { return bench.map_intake().map_sets()[0].maps[size_t(row)].kind == kind; }));
        QTest::qWait(20);
    };
    choose(texture::MapKind::glossiness);
    const auto before = picture(w, 2);  // the drawer has taken its room by now
    CHECK(bench.map_intake().map_sets()[0].maps[size_t(row)].invert);
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
    REQUIRE(int(menus.size()) == std::min(4, bench.map_intake().map_sets()[0].maps[size_t(row)].header.channels));
    for (QAction* a : menus[0]->menu()->actions())
        if (a->text() == texture::info(texture::MapKind::metalness).title) a->trigger();
    REQUIRE(wait_until([&] { return !bench.map_intake().map_sets()[0].maps[size_t(row)].packed.empty(); }));
    CHECK(bench.map_intake().map_sets()[0].maps[size_t(row)].packed[0] == texture::MapKind::metalness);
    QTest::qWait(20);
    choose(texture::MapKind::glossiness);

    // What was set right is remembered for the set.
    bench.map_intake().look_for_maps({s.path / "maps"});
    REQUIRE(wait_until([&] { return !bench.jobs().busy(); }));
    CHECK(bench.map_intake().map_sets()[0].maps[size_t(row)].kind == texture::MapKind::glossiness);
    bench.undo();
    CHECK(*bench.snapshot() == *old);
    bench.files().discard_autosave();
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
    picture(w, 1, Fields::as_they_come);
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
    bench.files().discard_autosave();
}

TEST_CASE("with the key held a pin's middle leaves another one behind, in the same mask") {
    app::MainWindow w;
    w.resize(1000, 700);
    w.show();
    REQUIRE(w.open_project(demo_project, false));
    auto& bench = w.bench();
    bench.select_part("body");
    std::string pin;
    auto enamel = [](auto& b) {
        return std::find_if(b.layers.begin(), b.layers.end(), [](const auto& l) { return l.id == "marine-enamel"; });
    };
    bench.edit_build_up("Add", [&](scene::BuildUp& b) {
        pin = scene::add_node(b, "marine-enamel", "pin", "float", "Knock");
        scene::node(b, pin)->inputs["centre"].value = V3f(0.f, .15f, .1f);
        enamel(b)->gate.mask.from = pin;
    });
    bench.select_layer("marine-enamel");
    bench.select_node(pin);
    picture(w, 1, Fields::as_they_come);
    auto* view = w.findChild<app::RenderView*>();
    REQUIRE(view->handles().shown());
    auto centre = [&](const std::string& id) {
        return scene::as_vector(scene::find_node(*bench.build_up(), id).node->inputs.at("centre").value);
    };
    auto gate = [&] { return enamel(*bench.build_up())->gate.mask.from; };
    const V3f before = centre(pin);
    const QPoint from = view->handles().position(app::FrameHandles::middle, view->size()).toPoint();
    QTest::mousePress(view, Qt::LeftButton, Qt::ControlModifier, from);
    CHECK(gate() == pin);  // it has not moved yet
    for (int i = 1; i <= 4; ++i) QTest::mouseMove(view, from + QPoint(9, 4) * i);
    QTest::mouseRelease(view, Qt::LeftButton, Qt::ControlModifier, from + QPoint(36, 16));
    const std::string other = bench.selection().node;
    REQUIRE(other != pin);
    CHECK(centre(pin) == before);
    CHECK((centre(other) - before).length() > .003f);
    CHECK(scene::sources(scene::find_node(*bench.build_up(), gate()).node->inputs) ==
          std::vector<std::string>{pin, other});
    bench.undo();  // the way it went
    bench.undo();
    CHECK(gate() == pin);
    CHECK_FALSE(scene::find_node(*bench.build_up(), other).node);
    bench.files().discard_autosave();
}
