// Projects that no hand would write, opened in the real window: they stand on the board, give a picture, and can be
// left.
#include "app/window.h"
#include "scene/edits.h"
#include "scene/project_file.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

scene::Scene demo() {
    auto loaded = scene::load(demo_project);
    REQUIRE(loaded);
    for (auto& a : loaded->scene.assets) a.file = (demo_project.parent_path() / a.file).string();
    for (auto& r : loaded->scene.rigs) r.environment.image.clear();
    loaded->scene.parts.resize(1);
    return loaded->scene;
}

void chain(scene::BuildUp& b, int length, bool circle) {
    scene::Layer& base = b.layers[0];
    b.layers.resize(1);
    base.nodes.clear();
    base.surface.clear();
    for (int i = 0; i < length; ++i) {
        scene::Node n;
        n.id = "n" + std::to_string(i);
        n.kind = "invert";
        n.type = "float";
        if (i || circle) n.inputs["in"].from = "n" + std::to_string(i ? i - 1 : length - 1);
        base.nodes.push_back(n);
    }
    base.surface["specular_roughness"].from = "n" + std::to_string(length - 1);
}

/// Opens it in a window, waits for a picture, touches what stands there, and leaves it.
void opens(const scene::Scene& s) {
    const Scratch scratch;
    REQUIRE(scene::save(s, scratch.path / "odd.vemtra"));
    app::MainWindow w;
    w.resize(1280, 800);
    w.show();
    w.bench().files().allow_outside();
    REQUIRE(w.open_project(scratch.path / "odd.vemtra", false));
    const auto image = picture(w);
    REQUIRE(image);
    for (const V3f& c : image->linear) REQUIRE(finite(c));
    auto& bench = w.bench();
    bench.select_part(bench.scene().parts[0].id);
    if (bench.build_up()) {
        bench.select_layer(bench.build_up()->layers.back().id);
        bench.edit_build_up("amount", [](scene::BuildUp& b) { b.layers.back().amount = .5f; });
        bench.undo();
    }
    QTest::qWait(50);
    CHECK(w.grab().width() == 1280);
    bench.files().start_new();
    CHECK(bench.scene().parts.empty());
    bench.files().discard_autosave();
}

}  // namespace

TEST_CASE("a chain of thousands of nodes, and a circle of them, open in the window", "[.hostile]") {
    for (const bool circle : {false, true}) {
        scene::Scene s = demo();
        chain(*scene::find(s.build_ups, s.parts[0].build_up), 3000, circle);
        opens(s);
    }
}

TEST_CASE("layers without number, and build-ups nested without end, open in the window", "[.hostile]") {
    scene::Scene s = demo();
    scene::BuildUp& b = *scene::find(s.build_ups, s.parts[0].build_up);
    for (int i = 0; i < 150; ++i) {
        b.layers.push_back(b.layers[0]);
        b.layers.back().id = "l" + std::to_string(i);
        b.layers.back().amount = .01f;
    }
    opens(s);
    s = demo();
    const std::string worn = s.parts[0].build_up;
    for (int i = 0; i < 60; ++i) {
        scene::BuildUp next = scene::default_build_up(i ? "b" + std::to_string(i) : worn, "B");
        if (i == 0) std::erase_if(s.build_ups, [&](const scene::BuildUp& old) { return old.id == worn; });
        scene::Layer* l = scene::find(next.layers, scene::add_layer(next, "Inner"));
        l->build_up = "b" + std::to_string(i + 1);
        l->amount = .5f;
        s.build_ups.push_back(next);
    }
    opens(s);
}

TEST_CASE("text without sense and without end opens in the window", "[.hostile]") {
    scene::Scene s = demo();
    const std::string odd = "\x01\x1b[31m\n\r\t<b>&amp;</b> " + std::string(5000, 'x');
    s.name = odd;
    s.parts[0].name = odd;
    for (auto& b : s.build_ups) {
        b.name = odd;
        for (auto& l : b.layers) l.name = odd;
    }
    for (auto& r : s.rigs) {
        r.name = odd;
        for (auto& g : r.groups) g.name = odd;
    }
    opens(s);
}
