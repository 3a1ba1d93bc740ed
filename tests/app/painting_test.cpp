// The brush and decals by hand, in the real window.
#include <QLineEdit>
#include <QListWidget>
#include <QPointingDevice>
#include <QTabletEvent>
#include <fstream>

#include "app/bench/decal_tool.h"
#include "app/window.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "texture/paint_files.h"
#include "texture/write_image.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A window with a square plate, not the demo, whose one cover has a mask to be painted.
struct Plate {
    Scratch scratch;
    std::unique_ptr<app::MainWindow> w = std::make_unique<app::MainWindow>();
    app::Workbench& bench() { return w->bench(); }
    app::Painter& painter() { return bench().painter(); }
    app::RenderView* view() { return w->view(); }

    Plate() {
        std::ofstream(scratch.path / "plate.obj")
            << "o plate\nv -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nvn 0 0 1\nvt .02 .02\nvt .98 .02\nvt .98 .98\n"
               "vt .02 .98\nf 1/1/1 2/2/1 3/3/1 4/4/1\n";
        scene::Scene s;
        s.assets.push_back({.id = "asset", .file = "plate.obj"});
        s.parts.push_back({.id = "part", .asset = "asset", .source = "plate", .name = "Plate", .build_up = "material"});
        s.build_ups.push_back(scene::default_build_up("material", "Material"));
        scene::add_layer(s.build_ups[0], "Rust");
        s.rigs.push_back(scene::default_rig());
        scene::Camera camera;
        camera.id = camera.name = "camera";
        camera.position = V3f(0, 0, 4);
        s.cameras.push_back(camera);
        s.render.samples = 4;
        REQUIRE(scene::save(s, scratch.path / "plate.vemtra"));
        show();
        bench().select_layer(bench().scene().build_ups[0].layers.back().id);
    }
    ~Plate() { bench().files().discard_autosave(); }
    void show() {
        w->resize(1100, 760);
        w->show();
        QApplication::setActiveWindow(w.get());
        REQUIRE(w->open_project(scratch.path / "plate.vemtra", false));
        bench().select_part("part");
        picture(*w, 1);
    }
    /// Waits until the picture knows of the painting, so that a stroke can begin.
    void ready() {
        wait_until([&] {
            const auto image = bench().image();
            return painter().painting() && image && image->prepared &&
                   scene::find(image->prepared->scene->paintings, painter().painting()->id);
        });
    }
    void stroke(QPoint from, QPoint to) {
        QTest::mousePress(view(), Qt::LeftButton, {}, from);
        for (int i = 1; i <= 8; ++i) QTest::mouseMove(view(), from + (to - from) * i / 8);
        QTest::mouseRelease(view(), Qt::LeftButton, {}, to);
        painter().finish();
    }
    QPoint middle() { return {view()->width() / 2, view()->height() / 2}; }
    /// The painting at a place of the plate, -1..1: value and coverage.
    V2f texel(float x, float y) {
        const scene::Painting& p = bench().scene().paintings.at(0);
        if (p.sheets.empty() || !p.sheets[0].texels) return V2f(0.f);
        const scene::Texels& t = *p.sheets[0].texels;
        const int px = int((.5f + .48f * x) * float(t.size()));
        const int py = int((.5f - .48f * y) * float(t.size()));
        const scene::TexelTile& tile = t.tile(0, px / 64, py / 64);
        if (!tile) return V2f(0.f);
        const size_t i = (size_t(py % 64) * 64 + size_t(px % 64)) * 2;
        return V2f(scene::half_to_float(tile[i]), scene::half_to_float(tile[i + 1]));
    }
};

}  // namespace

TEST_CASE("painted with a shaped tip, half rubbed out, undone, done again, saved, and the same after a kill") {
    Plate p;
    QTest::keyClick(p.w.get(), Qt::Key_Q);
    REQUIRE(p.painter().armed());
    CHECK(p.bench().layer()->gate.mask.from == p.painter().node());
    p.ready();
    p.painter().change_brush([](paint::StockBrush& b) {
        b = paint::shipped_brushes()[2];  // broad and flat
        b.brush.flow = 1.f;
        b.brush.pressure_flow = false;
        b.brush.smoothing = 0.f;
    });
    const QPoint m = p.middle();
    p.stroke(m - QPoint(60, 0), m + QPoint(60, 0));
    CHECK(p.texel(0, 0).x > .95f);
    CHECK(p.texel(0, .9f).y == 0.f);
    const scene::Snapshot painted = p.bench().snapshot();
    // Half of it is rubbed out by three tenths.
    p.painter().change_brush([](paint::StockBrush& b) {
        b = paint::shipped_brushes()[1];
        b.brush.mode = paint::Mode::erase;
        b.brush.opacity = .3f;
        b.brush.flow = 1.f;
    });
    p.stroke(m, m + QPoint(60, 0));
    const scene::Snapshot rubbed = p.bench().snapshot();
    const float right = p.texel(.15f, 0).x;
    CHECK(right == Approx(.7f).margin(.02));
    CHECK(p.texel(-.25f, 0).x > .95f);
    // The picture shows it, and all of it once the hand has rested.
    CHECK(wait_until([&] { return p.bench().image()->request.scene == rubbed; }, 20));
    QTest::keyClick(p.w.get(), Qt::Key_Z, Qt::ControlModifier);
    CHECK(p.bench().scene() == *painted);
    QTest::keyClick(p.w.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(p.bench().scene() == *rubbed);
    REQUIRE(p.bench().files().save(p.scratch.path / "plate.vemtra"));
    CHECK(fs::exists(p.scratch.path / "plate.paint"));
    // One more stroke, which is never saved; then the program ends without a word.
    p.painter().change_brush([](paint::StockBrush& b) { b = paint::shipped_brushes()[1]; });
    p.stroke(m + QPoint(0, 60), m + QPoint(10, 60));
    const V2f unsaved = p.texel(.0f, -.3f);
    p.bench().files().autosave_now();
    const scene::Scene last = p.bench().scene();
    p.w = std::make_unique<app::MainWindow>();
    p.show();
    CHECK(p.texel(.15f, 0).x == right);
    REQUIRE(p.bench().files().recover());
    CHECK(p.texel(.0f, -.3f) == unsaved);
    CHECK(p.texel(.15f, 0).x == right);
    CHECK(p.bench().scene().paintings[0].sheets.size() == last.paintings[0].sheets.size());
}

TEST_CASE("pens press and lean, also where they say nonsense; outlines, lines and stamps") {
    Plate p;
    p.painter().arm_selected();
    p.ready();
    p.painter().change_brush([](paint::StockBrush& b) {
        b = paint::shipped_brushes()[1];
        b.brush.flow = 1.f;
        b.brush.smoothing = 0.f;
    });
    static QPointingDevice pen("pen", 7, QInputDevice::DeviceType::Stylus, QPointingDevice::PointerType::Pen,
                               QInputDevice::Capability::All, 1, 1);
    auto send = [&](QEvent::Type type, QPointF at, float pressure, float tilt = 0.f) {
        QTabletEvent e(type, &pen, at, p.view()->mapToGlobal(at), pressure, tilt, tilt, 0, 0, 0, Qt::NoModifier,
                       Qt::LeftButton, Qt::LeftButton);
        QApplication::sendEvent(p.view(), &e);
    };
    const QPointF m = p.middle();
    send(QEvent::TabletPress, m, .4f);
    send(QEvent::TabletMove, m + QPointF(1, 0), NAN, NAN);
    send(QEvent::TabletRelease, m + QPointF(1, 0), 0.f);
    p.painter().finish();
    CHECK(p.texel(0, 0).x > .3f);
    CHECK(std::isfinite(p.texel(0, 0).x));
    p.painter().clear();
    CHECK(p.bench().scene().paintings[0].sheets.empty());
    SECTION("within an outline only") {
        const float x = float(m.x());
        const float y = float(m.y());
        p.painter().set_outline({{x - 200, y - 200}, {x, y - 200}, {x, y + 200}, {x - 200, y + 200}});
        p.stroke(p.middle() - QPoint(40, 0), p.middle() + QPoint(40, 0));
        CHECK(p.texel(-.1f, 0).x > .9f);
        CHECK(p.texel(.1f, 0).x == 0.f);
    }
    SECTION("a straight line from where the last stroke ended") {
        p.stroke(p.middle() - QPoint(80, 0), p.middle() - QPoint(78, 0));
        QTest::mouseClick(p.view(), Qt::LeftButton, Qt::ShiftModifier, p.middle() + QPoint(80, 0));
        p.painter().finish();
        CHECK(p.texel(0, 0).x > .9f);
    }
    SECTION("a stamp is one impression, as large as it is dragged") {
        p.painter().set_stamps(true);
        p.stroke(p.middle(), p.middle() + QPoint(90, 0));
        CHECK(p.texel(0, 0).x > .9f);
        CHECK(p.texel(.2f, 0).x > .9f);
        CHECK(p.bench().document().undo_label() == "Stroke");
        p.bench().undo();
        CHECK(p.bench().scene().paintings[0].sheets.empty());
    }
    SECTION("filled as a whole, turned over") {
        const auto image = p.bench().image();
        p.painter().fill({0, 0, .3f, .3f}, paint::FillWhat::part, 30.f);
        p.painter().finish();
        CHECK(p.texel(-.9f, .9f).x == 1.f);
        p.painter().turn_over();
        CHECK(p.texel(-.9f, .9f).x == 0.f);
        CHECK(p.texel(-.9f, .9f).y == 1.f);
        p.painter().resample(1024);
        CHECK(p.bench().scene().paintings[0].sheets[0].size == 1024);
        CHECK(p.texel(-.9f, .9f).y == 1.f);
    }
}

TEST_CASE("a decal is stuck on with one drag, carried, repeated and removed") {
    Plate p;
    OIIO::ImageSpec spec(64, 32, 4, OIIO::TypeDesc::UINT8);
    std::vector<uint8_t> pixels;
    for (int i = 0; i < 64 * 32; ++i) pixels.insert(pixels.end(), {255, 0, 0, uint8_t(i % 64 < 32 ? 255 : 0)});
    REQUIRE(texture::write_image(p.scratch.path / "label.png", spec, OIIO::TypeDesc::UINT8, pixels.data()));
    p.bench().decals().begin(p.scratch.path / "label.png");
    REQUIRE(p.bench().decals().placing());
    const QPoint m = p.middle();
    QTest::mousePress(p.view(), Qt::LeftButton, {}, m);
    QTest::mouseMove(p.view(), m + QPoint(40, 20));
    QTest::mouseMove(p.view(), m + QPoint(80, 40));
    QTest::mouseRelease(p.view(), Qt::LeftButton, {}, m + QPoint(80, 40));
    const scene::Decal* d = p.bench().decals().decal();
    REQUIRE(d);
    REQUIRE(d->pins.size() == 1);
    CHECK_FALSE(p.bench().decals().placing());
    CHECK(d->pins[0].part == "part");
    CHECK(d->pins[0].size.x / d->pins[0].size.y == Approx(2.f).margin(.01));
    CHECK(d->pins[0].size.x > .2f);
    CHECK(p.bench().layer()->gate.mask.from.size() > 0);  // its alpha cuts it out
    picture(*p.w, 2);
    // Carried by its middle.
    const V3f before = d->pins[0].position;
    QTest::mousePress(p.view(), Qt::LeftButton, {}, m);
    QTest::mouseMove(p.view(), m + QPoint(0, 30));
    QTest::mouseMove(p.view(), m + QPoint(0, 60));
    QTest::mouseRelease(p.view(), Qt::LeftButton, {}, m + QPoint(0, 60));
    CHECK(p.bench().decals().shown()->position.y < before.y - .1f);
    p.bench().decals().add_row(3);
    CHECK(p.bench().decals().decal()->pins.size() == 4);
    p.bench().decals().lie(scene::Lies::wrapped);
    CHECK(p.bench().decals().decal()->lies == scene::Lies::wrapped);
    const auto image = picture(*p.w, 2);
    for (const V3f& c : image->linear) REQUIRE(finite(c));
    const std::string layer = p.bench().selection().layer;
    for (int i = 0; i < 4; ++i) p.bench().decals().remove_pin();
    CHECK_FALSE(scene::find(p.bench().build_up()->layers, layer));
    // What is no picture is told, and nothing is placed.
    std::ofstream(p.scratch.path / "bad.png") << "no picture";
    p.bench().decals().begin(p.scratch.path / "bad.png");
    CHECK_FALSE(p.bench().decals().placing());
}

TEST_CASE("words are stuck on with one drag, and their frame takes the shape of other words") {
    Plate p;
    p.bench().decals().begin_lettering("SKERRIN");
    REQUIRE(p.bench().decals().placing());
    const QPoint m = p.middle();
    QTest::mousePress(p.view(), Qt::LeftButton, {}, m);
    QTest::mouseMove(p.view(), m + QPoint(60, 20));
    QTest::mouseRelease(p.view(), Qt::LeftButton, {}, m + QPoint(60, 20));
    const scene::Decal* d = p.bench().decals().decal();
    REQUIRE(d);
    const V3f size = d->pins[0].size;
    CHECK(size.x > 2.5f * size.y);  // seven letters side by side
    const scene::Layer& layer = *p.bench().layer();
    REQUIRE_FALSE(layer.gate.mask.from.empty());
    const std::string node = layer.gate.mask.from;
    p.bench().select_node(node);
    auto* line = all_rows(*p.w)->findChild<QLineEdit*>("text");
    REQUIRE(line);
    line->setText("SK\\n07");
    Q_EMIT line->editingFinished();
    const scene::Pin& after = *p.bench().decals().shown();
    CHECK(after.size.y == size.y);
    CHECK(after.size.x < .6f * size.x);
    QTest::keyClick(p.w.get(), Qt::Key_Z, Qt::ControlModifier);  // words and frame are one step
    CHECK(p.bench().decals().shown()->size == size);
    bool told = false;
    QObject::connect(&p.bench(), &app::Workbench::failed, p.w.get(), [&](const Error&) { told = true; });
    p.bench().decals().begin_lettering("   ");
    CHECK(told);
    CHECK_FALSE(p.bench().decals().placing());
}

TEST_CASE("much paint is saved while the hand goes on, as it was when saving began") {
    Plate p;
    p.painter().arm_selected();
    p.ready();
    p.painter().resample(4096);
    p.ready();
    p.painter().change_brush([](paint::StockBrush& b) {
        b = paint::shipped_brushes()[1];
        b.brush.size = 400.f;
        b.brush.flow = 1.f;
        b.brush.pressure_flow = false;
    });
    const QPoint m = p.middle();
    p.stroke(m - QPoint(200, 100), m + QPoint(200, 100));
    const scene::Snapshot before = p.bench().snapshot();
    REQUIRE(before->paintings[0].sheets[0].texels->tiles() > 100);
    int saved = 0;
    p.bench().files().save_aside([&](bool good) { saved = good ? 1 : -1; });
    CHECK(saved == 0);  // it goes on in the background
    CHECK(p.bench().jobs().busy());
    p.painter().change_brush([](paint::StockBrush& b) { b.brush.mode = paint::Mode::erase; });
    p.stroke(m - QPoint(100, 0), m + QPoint(100, 0));
    REQUIRE(wait_until([&] { return saved != 0; }, 60));
    REQUIRE(saved == 1);
    CHECK(p.bench().document().unsaved());  // the last stroke is not in it
    const V2f now = p.texel(0, 0);
    CHECK(now.y < .1f);
    auto loaded = scene::load(p.scratch.path / "plate.vemtra");
    REQUIRE(loaded);
    texture::load_paintings(loaded->scene, Paths(p.scratch.path), loaded->problems);
    CHECK(loaded->problems.empty());
    size_t apart = 0;
    REQUIRE(loaded->scene.paintings[0].sheets.size() == 1);
    const scene::Texels& on_disk = *loaded->scene.paintings[0].sheets[0].texels;
    on_disk.for_each_apart(*before->paintings[0].sheets[0].texels, [&](int level, int x, int y) {
        const auto& a = on_disk.tile(level, x, y);
        const auto& b = before->paintings[0].sheets[0].texels->tile(level, x, y);
        apart += !a || !b || std::memcmp(a.get(), b.get(), on_disk.halves() * 2) != 0;
    });
    CHECK(apart == 0);
    // Saved once more, it is all there, and one set of files is left.
    REQUIRE(p.bench().files().save(p.scratch.path / "plate.vemtra"));
    CHECK_FALSE(p.bench().document().unsaved());
    size_t files = 0;
    for (const auto& e : fs::directory_iterator(p.scratch.path / "plate.paint")) files += e.is_regular_file();
    CHECK(files == 1);
}

TEST_CASE("a tile of the board becomes a tip, which is kept with its brush") {
    Plate p;
    std::string pattern;
    p.bench().edit_build_up("Add", [&](scene::BuildUp& b) {
        scene::Node n;
        n.id = n.name = "spots";
        n.kind = "checkerboard";
        n.type = "float";
        scene::find(b.layers, p.bench().selection().layer)->nodes.push_back(n);
        pattern = n.id;
    });
    p.painter().arm_selected();
    p.ready();
    REQUIRE(p.painter().tip_from_node(pattern));
    REQUIRE(p.painter().brush().tips.size() == 1);
    const paint::Tip& tip = *p.painter().brush().tips[0];
    int light = 0, dark = 0;
    for (int y = 8; y < tip.size(); y += 16)
        for (int x = 8; x < tip.size(); x += 16) (tip.texel(x, y) > .5f ? light : dark) += 1;
    CHECK(light > 40);
    CHECK(dark > 40);
    p.painter().keep_brush("Spots");
    std::vector<Error> problems;
    const auto kept = paint::load_brushes(data_folder() / "brushes.json", problems);
    const auto it = std::find_if(kept.begin(), kept.end(), [](const auto& b) { return b.brush.name == "Spots"; });
    REQUIRE(it != kept.end());
    REQUIRE(it->ready().tips.size() == 1);
    bool same = it->ready().tips[0]->size() == tip.size();
    for (int y = 0; same && y < tip.size(); ++y)
        for (int x = 0; x < tip.size(); ++x)
            same &= std::fabs(it->ready().tips[0]->texel(x, y) - tip.texel(x, y)) < .003f;
    CHECK(same);
    p.painter().remove_brush("Spots");
}

TEST_CASE("a part's file is replaced: paint stays at its UVs, and is laid on by place when that is asked for") {
    Plate p;
    p.painter().arm_selected();
    p.ready();
    p.painter().change_brush([](paint::StockBrush& b) {
        b = paint::shipped_brushes()[1];
        b.brush.flow = 1.f;
        b.brush.size = 120.f;
        b.brush.pressure_flow = false;
    });
    const QPoint m = p.middle();
    p.stroke(m + QPoint(80, 0), m + QPoint(90, 0));
    REQUIRE(p.texel(.5f, 0).x > .9f);
    CHECK_FALSE(p.painter().has_old_form());
    // The same plate with UVs that are turned by half a turn.
    std::ofstream(p.scratch.path / "turned.obj")
        << "o plate\nv -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nvn 0 0 1\nvt .98 .98\nvt .02 .98\nvt .02 .02\n"
           "vt .98 .02\nf 1/1/1 2/2/1 3/3/1 4/4/1\n";
    const auto before = p.bench().image()->prepared;
    p.bench().files().replace_asset("asset", p.scratch.path / "turned.obj");
    REQUIRE(wait_until([&] { return p.bench().image()->prepared->geometry != before->geometry; }, 20));
    REQUIRE(p.painter().has_old_form());
    CHECK(p.texel(.5f, 0).x > .9f);  // which now lies to the left
    p.painter().carry_over();
    REQUIRE(wait_until([&] { return p.texel(-.5f, 0).x > .9f; }, 30));
    CHECK(p.texel(.5f, 0).y < .05f);
    QTest::keyClick(p.w.get(), Qt::Key_Z, Qt::ControlModifier);
    CHECK(p.texel(.5f, 0).x > .9f);
}
