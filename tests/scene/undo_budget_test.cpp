#include "scene/autosave.h"
#include "scene/document.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("undo forgets its oldest steps beyond its budget, and never the last") {
    scene::Scene s;
    for (int i = 0; i < 200; ++i) s.build_ups.push_back(scene::default_build_up("b" + std::to_string(i), "B"));
    scene::Document d(s);
    const size_t one = scene::bytes_of(s);
    CHECK(one > 200 * sizeof(scene::BuildUp));
    d.set_budget(10 * one);
    for (int i = 0; i < 100; ++i) d.edit("name", [&](scene::Scene& x) { x.name = std::to_string(i); });
    CHECK(d.held() <= 10 * one);
    CHECK(d.steps() >= 5);
    CHECK(d.steps() <= 10);
    for (size_t i = d.steps(); i > 0; --i) d.undo();
    CHECK_FALSE(d.can_undo());
    CHECK(d.held() == 0);
    d.redo();
    CHECK(d.held() > 0);
    d.set_budget(1);
    d.edit("name", [](scene::Scene& x) { x.name = "last"; });
    CHECK(d.steps() == 1);
    CHECK(d.can_undo());
}

TEST_CASE("work in progress is on the disk within a second, however fast edits come, and nobody waits") {
    Scratch s;
    const fs::path file = s.path / "p.vemtra.autosave";
    scene::Autosaver saver;
    scene::Scene scene;
    const auto begin = std::chrono::steady_clock::now();
    // Edits without a pause for two seconds; what stands on the disk meanwhile is never older than a second.
    int behind = 0;
    for (int i = 0; std::chrono::steady_clock::now() - begin < std::chrono::milliseconds(2500); ++i) {
        const double now = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
        scene.display.exposure = float(now);
        saver.keep(std::make_shared<const scene::Scene>(scene), file);
        if (i % 20 == 0 && now > 1.) {
            const auto there = scene::load(file);
            REQUIRE(there);
            behind += now - double(there->scene.display.exposure) > 1.;
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    }
    CHECK(behind == 0);
    saver.finish();
    CHECK(scene::load(file)->scene.display.exposure == scene.display.exposure);
}

TEST_CASE("a cancelled autosave writes nothing any more, and a folder that cannot be written to is told") {
    Scratch s;
    scene::Autosaver saver;
    auto scene = std::make_shared<const scene::Scene>();
    saver.keep(scene, s.path / "a.autosave");
    saver.finish();
    fs::remove(s.path / "a.autosave");
    saver.keep(scene, s.path / "a.autosave");
    saver.cancel();
    std::this_thread::sleep_for(std::chrono::milliseconds(600));
    CHECK_FALSE(fs::exists(s.path / "a.autosave"));
    saver.keep(scene, s.path / "no such folder" / "a.autosave");
    saver.finish();
    const auto problem = saver.problem();
    REQUIRE(problem);
    CHECK(problem->file.find("no such folder") != std::string::npos);
    CHECK_FALSE(saver.problem());
}
