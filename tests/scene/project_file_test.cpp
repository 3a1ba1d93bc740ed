#include <sys/resource.h>
#include <sys/wait.h>
#include <csignal>

#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("a project that is saved and loaded is the same document") {
    auto loaded = scene::load(demo_project);
    REQUIRE(loaded);
    CHECK(loaded->problems.empty());
    auto again = scene::parse(scene::to_text(loaded->scene), "again");
    REQUIRE(again);
    CHECK(again->scene == loaded->scene);
    CHECK(scene::to_text(again->scene) == scene::to_text(loaded->scene));
}

TEST_CASE("the demo project is written as the program writes it") {
    CHECK(scene::to_text(scene::load(demo_project)->scene) == *read_file(demo_project));
}

TEST_CASE("keys that this version does not know survive load and save") {
    auto loaded = scene::parse(
        R"({"vemtra": 1, "name": "x", "future": {"a": [1, 2]},
             "rigs": [{"id": "r", "fog": 0.5, "stage": {"tiles": true}}]})",
        "x");
    REQUIRE(loaded);
    const auto json = nlohmann::json::parse(scene::to_text(loaded->scene));
    CHECK(json["future"]["a"][1] == 2);
    CHECK(json["rigs"][0]["fog"] == 0.5);
    CHECK(json["rigs"][0]["stage"]["tiles"] == true);
}

TEST_CASE("numbers are written with as few digits as bring back the same float") {
    scene::Scene s;
    s.display.exposure = .1f;
    const std::string text = scene::to_text(s);
    CHECK(text.find("\"exposure\": 0.1\n") != std::string::npos);
    for (float f : {1.f / 3.f, 1e-7f, 123456.789f, -2.5e10f, .30000001f}) {
        s.kept_values.resize(1);
        s.kept_values[0].roughness = f;
        CHECK(scene::parse(scene::to_text(s), "")->scene.kept_values[0].roughness == f);
    }
}

TEST_CASE("what is wrong in a hand-written project is told with its place, and the rest is read") {
    SECTION("a mistake in the JSON names the line") {
        auto r = scene::parse("{\n\"vemtra\": 1,\n\"name\": oops\n}", "hand.vemtra");
        REQUIRE_FALSE(r);
        CHECK(r.error().place == "line 3");
        CHECK(r.error().file == "hand.vemtra");
        CHECK_FALSE(r.error().remedy.empty());
    }
    SECTION("a newer version is refused and says so") {
        auto r = scene::parse(R"({"vemtra": 99})", "new.vemtra");
        REQUIRE_FALSE(r);
        CHECK(r.error().why.find("99") != std::string::npos);
    }
    SECTION("something else is not a project") {
        CHECK_FALSE(scene::parse("[1, 2]", "x"));
        CHECK_FALSE(scene::parse("", "x"));
        CHECK_FALSE(scene::parse(R"({"version": 3})", "x"));
    }
    SECTION("a wrong type keeps the default and is named") {
        auto r = scene::parse(
            R"({"vemtra": 1, "render": {"width": "wide", "samples": 12},
                "cameras": [{"id": "a", "position": [1, 2]}]})",
            "x");
        REQUIRE(r);
        REQUIRE(r->problems.size() == 2);
        CHECK(r->problems[0].place == "cameras[0].position");
        CHECK(r->problems[1].place == "render.width");
        CHECK(r->scene.render.width == scene::RenderSettings().width);
        CHECK(r->scene.render.samples == 12);
    }
    SECTION("ids that are used twice are told apart") {
        auto r = scene::parse(R"({"vemtra": 1, "cameras": [{"id": "a"}, {"id": "a"}]})", "x");
        REQUIRE(r);
        CHECK(r->scene.cameras[1].id == "a-2");
        CHECK(r->problems.size() == 1);
    }
    SECTION("sizes outside of reason are brought back") {
        auto r = scene::parse(R"({"vemtra": 1, "render": {"width": 999999999, "depth": -4}})", "x");
        REQUIRE(r);
        CHECK(r->scene.render.width == 16384);
        CHECK(r->scene.render.depth == 1);
    }
}

TEST_CASE("any cut of a project file is an error or a project, never a crash") {
    const std::string text = *read_file(demo_project);
    std::mt19937 random(7);
    for (int i = 0; i < 300; ++i) {
        std::string broken = text.substr(0, random() % text.size());
        if (i % 2) broken = text, broken[random() % text.size()] = char(random() % 256);
        auto r = scene::parse(broken, "broken");
        if (!r) CHECK_FALSE(r.error().what.empty());
    }
}

TEST_CASE("a kill during save, two hundred times, leaves a project that loads") {
    Scratch scratch;
    scene::Scene s = scene::load(demo_project)->scene;
    const fs::path file = scratch.path / "killed.vemtra";
    REQUIRE(scene::save(s, file));
    std::mt19937 random(11);
    int versions = 0;
    std::string last;
    for (int i = 0; i < 200; ++i) {
        int first_save[2];
        REQUIRE(::pipe(first_save) == 0);
        const pid_t child = fork();
        if (child == 0) {
            for (int k = 0;; ++k) {
                s.name = "version " + std::to_string(i) + "." + std::to_string(k);
                scene::save(s, file);
                if (k == 0 && ::write(first_save[1], "x", 1) != 1) ::_exit(1);
            }
        }
        char told;
        REQUIRE(::read(first_save[0], &told, 1) ==
                1);  // however slow the disk: one save is done, and the kill lands in a later one
        ::close(first_save[0]);
        ::close(first_save[1]);
        ::usleep(random() % 4000);
        ::kill(child, SIGKILL);
        int status;
        ::waitpid(child, &status, 0);
        auto loaded = scene::load(file);
        REQUIRE(loaded);
        CHECK(loaded->problems.empty());
        CHECK(loaded->scene.parts.size() == s.parts.size());
        versions += loaded->scene.name != last;
        last = loaded->scene.name;
    }
    CHECK(versions == 200);  // saves did happen in between
}

TEST_CASE("a save that cannot be made leaves the old file and says why") {
    Scratch scratch;
    scene::Scene s;
    s.name = "first";
    const fs::path file = scratch.path / "p.vemtra";
    REQUIRE(scene::save(s, file));
    s.name = std::string(1 << 20, 'x');
    SECTION("a full disk") {
        // The limit on a file's size stands in for a full disk: writing fails half-way in the same place.
        const pid_t child = fork();
        if (child == 0) {
            std::signal(SIGXFSZ, SIG_IGN);
            rlimit limit{1000, 1000};
            setrlimit(RLIMIT_FSIZE, &limit);
            const Status status = scene::save(s, file);
            _exit(!status && !status.error().remedy.empty() ? 7 : 1);
        }
        int status;
        ::waitpid(child, &status, 0);
        CHECK(WEXITSTATUS(status) == 7);
    }
    SECTION("a folder that does not exist") {
        const Status status = scene::save(s, scratch.path / "nowhere" / "p.vemtra");
        REQUIRE_FALSE(status);
        CHECK(status.error().file.find("nowhere") != std::string::npos);
    }
    SECTION("a place that is a folder") {
        CHECK_FALSE(scene::save(s, scratch.path));
    }
    CHECK(scene::load(file)->scene.name == "first");
    size_t files = 0;
    for (const auto& e : fs::directory_iterator(scratch.path)) files += e.is_regular_file();
    CHECK(files == 1);  // no temporary file is left
}

TEST_CASE("an autosave newer than the project is offered, an older one is not") {
    Scratch scratch;
    const fs::path file = scratch.path / "p.vemtra";
    REQUIRE(scene::save(scene::Scene(), file));
    CHECK_FALSE(scene::recovery_offered(file));
    REQUIRE(scene::save(scene::Scene(), scene::autosave_path(file)));
    fs::last_write_time(scene::autosave_path(file), fs::last_write_time(file) + std::chrono::seconds(5));
    CHECK(scene::recovery_offered(file));
    fs::last_write_time(scene::autosave_path(file), fs::last_write_time(file) - std::chrono::seconds(5));
    CHECK_FALSE(scene::recovery_offered(file));
}
