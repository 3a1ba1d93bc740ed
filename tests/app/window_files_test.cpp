// Projects, pictures and foreign files through the real window.
#include "app/hands.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTreeWidget>
#include <fstream>

#include "app/detail/color_editor.h"
#include "app/detail/levels_plot.h"
#include "nodes/description.h"
#include "scene/edits.h"
#include "scene/project_file.h"

using namespace vemtra;
using namespace vemtra::test;

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
    auto* color = all_rows(o.w)->findChild<app::ColorEditor*>("base color");
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
    auto* plot = all_rows(o.w)->findChild<app::LevelsPlot*>("levels-plot");
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
    REQUIRE(bench.files().save(file));
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
    bench.files().write_picture(o.scratch.path / "window.exr");
    wait_until([&] { return !bench.jobs().busy(); });
    CHECK(std::system(
              (std::string(cli_file) + " render " + copy.string() + " -o " + (o.scratch.path / "cli.exr").string())
                  .c_str()) == 0);
    fs::remove(copy);
    auto a = texture::read_linear_image(o.scratch.path / "window.exr"),
         b = texture::read_linear_image(o.scratch.path / "cli.exr");
    REQUIRE(a);
    REQUIRE(b);
    CHECK(a->pixels == b->pixels);
    CHECK(a->width == 72);
}

TEST_CASE("bad input is told with file and remedy, and nothing is lost") {
    Open o;
    auto& bench = o.w.bench();
    o.import("crate.obj", cube_obj);
    const std::string before = scene::to_text(bench.scene());
    auto* text = o.w.findChild<QLabel*>("error-text");
    std::ofstream(o.scratch.path / "broken.obj") << "v 1 2\nf 9 9 9\n";
    bench.files().import_asset(o.scratch.path / "broken.obj");
    wait_until([&] { return !bench.jobs().busy() && text->isVisible(); });
    CHECK(text->text().contains("broken.obj"));
    CHECK_FALSE(o.w.open_project(o.scratch.path / "none.vemtra", false));
    CHECK(text->text().contains("none.vemtra"));
    std::ofstream(o.scratch.path / "future.vemtra") << "{\"vemtra\": 42}";
    CHECK_FALSE(o.w.open_project(o.scratch.path / "future.vemtra", false));
    CHECK(text->text().contains("42"));
    CHECK_FALSE(bench.files().save(o.scratch.path / "no" / "where.vemtra"));
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
    CHECK(text->isVisible());
    REQUIRE(o.w.open_project(o.scratch.path / "odd.vemtra", false));
    CHECK_FALSE(text->isVisible());  // of what was refused before
    picture(o.w);
    std::string all;
    wait_until([&] {  // they are looked for once the picture is there
        all.clear();
        for (const Error& e : bench.findings()) all += e.line() + "\n";
        return all.find("warp") != std::string::npos;
    });
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
    o.w.bench().files().autosave_now();
    CHECK(fs::exists(scene::autosave_path(file)));
    CHECK(scene::load(file)->scene.display.exposure == 0.f);  // the project itself is untouched
    Open after;
    REQUIRE(after.w.open_project(file, false));
    REQUIRE(after.w.bench().files().recover());
    CHECK(after.w.bench().scene().display.exposure == 1.25f);
    CHECK(after.w.bench().document().unsaved());
    after.w.bench().undo();
    CHECK(after.w.bench().scene().display.exposure == 0.f);
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
    REQUIRE(bench.files().save(s.path / "mine" / "deep.vemtra"));
    CHECK_FALSE(bench.files().paths().find(bench.scene().assets[0].file));
    bench.undo();
    CHECK_FALSE(bench.files().paths().find(bench.scene().assets[0].file));
    bench.redo();
    REQUIRE(w.open_project(s.path / "mine" / "deep.vemtra", false));
    CHECK_FALSE(bench.files().paths().find(bench.scene().assets[0].file));
    bench.files().allow_outside();
    CHECK(bench.files().paths().find(bench.scene().assets[0].file));
    bench.files().discard_autosave();
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
    bench.files().collect_into(s.path / "given" / "plate.vemtra");
    REQUIRE(wait_until([&] { return !bench.jobs().busy(); }));
    CHECK(fs::exists(s.path / "given" / "assets" / "plate.obj"));
    fs::rename(s.path / "plate.obj", s.path / "got" / "plate.obj");
    drawer->show_page(app::Page::files);
    REQUIRE(wait_until([&] { return files->topLevelItem(0)->text(2) == "missing"; }));
    bench.files().find_missing_in(s.path / "got");
    REQUIRE(wait_until([&] { return bench.scene().assets[0].file == "plate.obj"; }));
    bench.files().discard_autosave();
}

TEST_CASE("where there is no display the program says so, and what can be done without one") {
    const fs::path program = fs::path(cli_file).parent_path() / "vemtra";
    REQUIRE(fs::exists(program));
    FILE* pipe =
        popen(("env -u DISPLAY -u WAYLAND_DISPLAY -u QT_QPA_PLATFORM " + program.string() + " 2>&1").c_str(), "r");
    std::string told;
    char buffer[256];
    while (size_t n = fread(buffer, 1, sizeof buffer, pipe)) told.append(buffer, n);
    CHECK(WEXITSTATUS(pclose(pipe)) == 1);
    CHECK(told.find("no display") != std::string::npos);
    CHECK(told.find("vemtra-cli") != std::string::npos);
}
