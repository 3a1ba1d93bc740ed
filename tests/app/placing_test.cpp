#include <QDropEvent>
#include <QMimeData>
#include <QProcess>
#include <QUrl>
#include <fstream>

#include "app/detail/value_field.h"
#include "app/view/projection.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "window.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

const char* two_crates =
    "o left\nv -2 0 0\nv -1 0 0\nv -1 1 0\nv -2 1 0\nv -2 0 1\nv -1 0 1\nv -1 1 1\nv -2 1 1\nf 4 3 2 1\nf 5 6 7 8\nf 1 "
    "2 6 5\nf 3 4 8 7\nf 2 3 7 6\nf 1 5 8 4\n"
    "o right\nv 1 0 0\nv 2 0 0\nv 2 1 0\nv 1 1 0\nv 1 0 1\nv 2 0 1\nv 2 1 1\nv 1 1 1\nf 12 11 10 9\nf 13 14 15 16\nf 9 "
    "10 14 13\nf 11 12 16 15\nf 10 11 15 14\nf 9 13 16 12\n";

struct Bench {
    Scratch scratch;
    app::MainWindow w;
    app::Workbench& b = w.bench();
    Bench() {
        w.resize(1280, 800);
        w.show();
        QApplication::setActiveWindow(&w);
        b.showing().set_scale(25);  // hands are tried here, not pictures
        std::ofstream(scratch.path / "crates.obj") << two_crates;
        b.files().import_asset(scratch.path / "crates.obj");
        wait_until([&] { return !b.jobs().busy() && !b.scene().parts.empty(); });
        b.edit("few samples", [](scene::Scene& s) { s.render.samples = 2; });
        b.select_part("left");
        picture(w);
    }
    ~Bench() { b.files().discard_autosave(); }
    const scene::Placement& placement(const char* part = "left") {
        return scene::find(b.scene().parts, part)->placement;
    }
    QPointF handle(app::PlacementHandles::Handle h) { return w.view()->placing().position(h, w.view()->size()); }
    void drag(const QPointF& from, const QPointF& to) {
        QTest::mousePress(w.view(), Qt::LeftButton, {}, from.toPoint());
        for (int i = 1; i <= 4; ++i) {
            QTest::mouseMove(w.view(), (from + (to - from) * (i / 4.)).toPoint());
            picture(w);
        }
        QTest::mouseRelease(w.view(), Qt::LeftButton, {}, to.toPoint());
        picture(w);
    }
};

}  // namespace

TEST_CASE("a part is moved, turned and scaled by its handles, and every step comes back") {
    Bench t;
    CHECK_FALSE(t.w.view()->placing().shown());
    QTest::keyClick(&t.w, Qt::Key_P);
    REQUIRE(t.b.arranging().on());
    REQUIRE(t.w.view()->placing().shown());
    using H = app::PlacementHandles;
    t.drag(t.handle(H::along_x), t.handle(H::along_x) + (t.handle(H::along_x) - t.handle(H::carry)) * .5);
    const V3f moved = t.placement().position;
    CHECK(moved.x > .1f);
    CHECK(std::fabs(moved.y) < 1e-5f);
    CHECK(std::fabs(moved.z) < 1e-5f);
    t.drag(t.handle(H::about_y), t.handle(H::about_y) + QPointF(40, 25));
    CHECK(t.placement().rotation.length() > 1.f);
    CHECK(std::fabs(std::remainder(t.placement().rotation.x, 180.f)) < 1e-2f);
    CHECK(t.placement().position == moved);
    const QPointF out = t.handle(H::scale) - t.handle(H::carry);
    t.drag(t.handle(H::scale), t.handle(H::scale) + out * .4);
    CHECK(t.placement().scale.x > 1.05f);
    CHECK(t.placement().scale.x == Approx(t.placement().scale.z));
    CHECK(t.placement("right").at_rest());
    for (int i = 0; i < 3; ++i) t.b.undo();
    CHECK(t.placement().at_rest());
    t.b.redo();
    CHECK(t.placement().position == moved);
    QTest::keyClick(&t.w, Qt::Key_Escape);
    CHECK_FALSE(t.b.arranging().on());
}

TEST_CASE("the knob holds to the grid, to the stage, or to what lies under the hand with its normal up") {
    Bench t;
    using H = app::PlacementHandles;
    t.b.arranging().arrange(true);
    SECTION("grid") {
        t.b.arranging().set_snap(app::Arranging::Snap::grid);
        t.drag(t.handle(H::carry), t.handle(H::carry) + QPointF(33, -21));
        const V3f middle = t.b.arranging().standing_pivot();
        for (int c = 0; c < 3; ++c) CHECK(std::fabs(std::remainder(middle[c], .05f)) < 1e-4f);
    }
    SECTION("stage") {
        t.b.arranging().place("lift", [](scene::Placement& p) { p.position.y = .8f; });
        picture(t.w);
        t.b.arranging().set_snap(app::Arranging::Snap::stage);
        t.drag(t.handle(H::carry), t.handle(H::carry) + QPointF(25, 40));
        CHECK(t.b.arranging().standing_bounds().min.y ==
              Approx(scene::active_rig(t.b.scene())->stage.height).margin(1e-4));
    }
    SECTION("surface") {
        t.b.arranging().set_snap(app::Arranging::Snap::surface);
        // Onto the top of the other crate.
        const auto top = app::to_screen(t.b.scene(), V3f(1.5f, 1.f, .5f), t.w.view()->size());
        REQUIRE(top);
        t.drag(t.handle(H::carry), *top);
        const Box3f box = t.b.arranging().standing_bounds();
        CHECK(box.min.y == Approx(1.f).margin(.02));
        CHECK(box.center().x == Approx(1.5f).margin(.15));
    }
}

TEST_CASE("in detail a part is placed by numbers, sat down, copied as an instance and taken out") {
    Bench t;
    t.b.arranging().arrange(true);
    auto* y = all_rows(t.w)->findChild<app::ValueField*>("position.y");
    REQUIRE(y);
    Q_EMIT y->moved(.7f);
    CHECK(t.placement().position.y == Approx(.7f));
    Q_EMIT y->settled();
    picture(t.w);
    QTest::keyClick(&t.w, Qt::Key_S, Qt::ShiftModifier);
    picture(t.w);
    CHECK(t.b.arranging().standing_bounds().min.y == Approx(0.f).margin(1e-4));
    const size_t forms = t.b.image()->prepared->geometry->own_faces();
    QTest::keyClick(&t.w, Qt::Key_D, Qt::ControlModifier | Qt::ShiftModifier);
    REQUIRE(t.b.scene().parts.size() == 3);
    CHECK(t.b.selection().part == "left-2");
    picture(t.w);
    CHECK(t.b.image()->prepared->geometry->own_faces() == forms);
    CHECK(t.b.image()->prepared->geometry->faces() > forms);
    t.b.arranging().remove_part();
    CHECK(t.b.scene().parts.size() == 2);
}

TEST_CASE("a whole asset is placed with all of its parts, beside another one in the same project") {
    Bench t;
    std::ofstream(t.scratch.path / "buoy.obj")
        << "o buoy\nv 0 0 0\nv .3 0 0\nv 0 .9 0\nv 0 0 .3\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n";
    t.b.files().import_asset(t.scratch.path / "buoy.obj");
    wait_until([&] { return !t.b.jobs().busy(); });
    REQUIRE(t.b.scene().assets.size() == 2);
    t.b.select_part("right");
    QTest::keyClick(&t.w, Qt::Key_P, Qt::ShiftModifier);
    REQUIRE(t.b.arranging().whole_asset());
    picture(t.w);
    const Box3f before = t.b.arranging().standing_bounds();
    t.b.arranging().move_by(V3f(0, 0, -2), "Move", {});
    picture(t.w);
    CHECK(t.b.arranging().standing_bounds().center().z == Approx(before.center().z - 2.f).margin(1e-3));
    CHECK(t.placement("left").at_rest());
    CHECK(t.b.scene().assets[1].placement.at_rest());
    // A newer version of the file: what was placed stays placed.
    std::ofstream(t.scratch.path / "crates2.obj")
        << std::string(two_crates).replace(std::string(two_crates).find("o left"), 6, "o best");
    t.b.files().replace_asset("crates", t.scratch.path / "crates2.obj");
    wait_until([&] { return !t.b.jobs().busy(); });
    CHECK(scene::find(t.b.scene().parts, "right"));
    CHECK_FALSE(scene::find(t.b.scene().parts, "left"));
    CHECK(t.b.scene().assets[0].placement.position.z == Approx(-2.f));
    t.b.undo();
    CHECK(scene::find(t.b.scene().parts, "left"));
}

TEST_CASE("a project dropped on the view asks about unsaved work, as opening does") {
    Bench t;
    REQUIRE(t.b.document().unsaved());
    scene::Scene other;
    other.name = "Other";
    REQUIRE(scene::save(other, t.scratch.path / "other.vemtra"));
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(QString::fromStdString((t.scratch.path / "other.vemtra").string()))});
    bool asked = false;
    QTimer::singleShot(200, [&] {
        for (QWidget* top : QApplication::topLevelWidgets())
            if (top->inherits("QMessageBox") && top->isVisible()) {
                asked = true;
                QTest::keyClick(top, Qt::Key_Escape);
            }
    });
    QDragEnterEvent enter(QPoint(100, 100), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(t.w.view(), &enter);
    QDropEvent drop(QPointF(100, 100), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(t.w.view(), &drop);
    wait_until([&] { return asked; }, 5);
    CHECK(asked);
    CHECK_FALSE(t.b.scene().parts.empty());  // stayed
}

// The child of the next test: an artist who drags a value without a pause, telling each one.
TEST_CASE("drags a value until it is killed", "[.drags]") {
    const char* project = std::getenv("VEMTRA_TEST_PROJECT");
    REQUIRE(project);
    app::MainWindow w;
    w.show();
    REQUIRE(w.open_project(project, false));
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < 30000) {
        const double now = double(clock.elapsed()) / 1000.;
        w.bench().edit(
            "Exposure", [&](scene::Scene& s) { s.display.exposure = float(now); }, "exposure");
        std::printf("at %.3f\n", now);
        std::fflush(stdout);
        QTest::qWait(8);
    }
}

// No pause comes, so that a writing that waits for one never begins. How late a writing is depends on the disk.
TEST_CASE("a kill while values are dragged leaves what was dragged up to the last writing") {
    Scratch s;
    scene::Scene scene;
    scene.name = "Dragged";
    REQUIRE(scene::save(scene, s.path / "p.vemtra"));
    const fs::path autosave = scene::autosave_path(s.path / "p.vemtra");
    for (int round = 0; round < 3; ++round) {
        std::error_code ec;
        fs::remove(autosave, ec);
        QProcess artist;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("VEMTRA_TEST_PROJECT", QString::fromStdString((s.path / "p.vemtra").string()));
        artist.setProcessEnvironment(environment);
        artist.start(QCoreApplication::applicationFilePath(), {"[.drags]"});
        REQUIRE(artist.waitForStarted());
        QByteArray told;
        auto saved = [&] {
            const auto loaded = fs::exists(autosave) ? scene::load(autosave) : scene::load(s.path / "p.vemtra");
            return loaded ? double(loaded->scene.display.exposure) : -1.;
        };
        int writings = 0;
        for (double before = saved(); writings < 3 && artist.waitForReadyRead(30000);) {
            told += artist.readAllStandardOutput();
            if (const double now = saved(); now != before) before = now, ++writings;
        }
        if (round > 0) QTest::qWait(130 * round);  // a kill at another moment of the next writing
        artist.kill();
        artist.waitForFinished();
        told += artist.readAllStandardOutput();
        CHECK(writings == 3);  // in the middle of a drag that never pauses
        INFO("saved " << saved());
        CHECK(saved() > 0.);                                                       // whole, whatever was being written
        CHECK(told.contains("at " + QByteArray::number(saved(), 'f', 3) + "\n"));  // a state that there was
        CHECK(scene::load(s.path / "p.vemtra")->scene == scene);                   // the project itself is as it was
    }
}
