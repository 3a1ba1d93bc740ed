#include "base/paths.h"

#include "exchange/collect.h"
#include "render_support.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
scene::Scene with_map(const std::string& file) {
    scene::Scene s = plain_scene("ball.obj");
    const std::string n = scene::add_node(s.build_ups[0], s.build_ups[0].layers.front().id, "image", "color3", "Map");
    scene::node(s.build_ups[0], n)->inputs["file"].value = file;
    s.build_ups[0].layers.front().surface["base_color"].from = n;
    return s;
}
}  // namespace

TEST_CASE("a path stays in a folder, or leaves it by dots, by its root or by a link") {
    Scratch s;
    fs::create_directories(s.path / "in" / "deep");
    fs::create_directories(s.path / "inside-out");
    s.write("secret.png", "x");
    s.write("in/a.1001.png", "x");
    fs::create_symlink(s.path / "secret.png", s.path / "in" / "a.1002.png");
    fs::create_directory_symlink(s.path, s.path / "in" / "link");
    const fs::path in = s.path / "in";
    CHECK(lies_in(in, in / "a.1001.png"));
    CHECK(lies_in(in, in / "not" / "there.png"));
    CHECK(lies_in(in, in / "deep" / ".." / "a.1001.png"));
    CHECK_FALSE(lies_in(in, in / ".." / "secret.png"));
    CHECK_FALSE(lies_in(in, s.path / "inside-out" / "x.png"));
    CHECK_FALSE(lies_in(in, in / "link" / "secret.png"));
    const Paths paths(in);
    CHECK_FALSE(paths.leaves("a.1001.png"));
    CHECK(paths.leaves("a.<UDIM>.png"));  // its second tile does
    CHECK(paths.leaves("/etc/passwd"));
    CHECK(paths.leaves("../secret.png"));
}

TEST_CASE("what is not at its place is found by name in the search folders, over tiles too") {
    Scratch s;
    fs::create_directories(s.path / "project");
    fs::create_directories(s.path / "store");
    s.write("store/ball.obj", sphere_obj(8));
    s.write("store/c.1003.png", "x");
    const Paths paths(s.path / "project", {"../store"}, nullptr);
    CHECK(*paths.find("maps/ball.obj") == s.path / "project" / "../store/ball.obj");
    CHECK(tile_files(*paths.find("c.<UDIM>.png")).size() == 1);
    CHECK(*paths.find("nowhere.png") == s.path / "project" / "nowhere.png");
    s.write("project/ball.obj", sphere_obj(6));
    CHECK(*paths.find("ball.obj") == s.path / "project" / "ball.obj");  // its own place first
    // In a picture, and through the project file.
    scene::Scene scene = plain_scene("gone/ball.obj");
    scene.parts[0].source = "sphere";
    scene.search_folders = {"../store"};
    REQUIRE(scene::save(scene, s.path / "project" / "p.vemtra"));
    auto loaded = scene::load(s.path / "project" / "p.vemtra");
    REQUIRE(loaded);
    CHECK(loaded->problems.empty());
    CHECK(loaded->scene.search_folders == scene.search_folders);
    render::Workshop workshop;
    const auto p = prepared(loaded->scene, s.path / "project", workshop);
    CHECK(p->geometry->faces() > 0);
    for (const Error& e : p->problems) CHECK(e.what == "Left out while importing");  // triangles at the poles
}

TEST_CASE("a project from elsewhere reads nothing outside of its folder until it is allowed") {
    Scratch s;
    fs::create_directories(s.path / "got");
    s.write("ball.obj", sphere_obj(8));
    write_image(s.path / "secret.png", 4, 4, 3, Kept::bytes, [](int, int, int) { return .5f; });
    scene::Scene scene = with_map("../secret.png");
    scene.assets[0].file = (s.path / "ball.obj").string();
    scene.parts[0].source = "sphere";
    scene.rigs[0].environment.image = "../sky.exr";
    scene.search_folders = {".."};
    const BlockedPaths blocked = exchange::paths_that_leave(scene, s.path / "got");
    REQUIRE(blocked);
    CHECK(blocked->size() == 4);
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = s.path / "got";
    options.blocked = blocked;
    auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    CHECK(p->geometry->faces() == 0);
    CHECK(std::count_if(p->problems.begin(), p->problems.end(),
                        [](const Error& e) { return e.what == not_read_outside; }) == 3);
    CHECK(p->textures->files().empty());
    // Nor does collecting it carry them along.
    const auto c =
        exchange::collect(scene, Paths(s.path / "got", scene.search_folders, blocked), s.path / "given" / "p.vemtra");
    CHECK(c->files == 0);
    CHECK(c->problems.size() == 3);
    options.blocked.reset();
    p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    CHECK(p->geometry->faces() > 0);
    CHECK_FALSE(p->textures->files().empty());
    CHECK_FALSE(exchange::paths_that_leave(plain_scene("ball.obj"), s.path));
    // The list of the artist's own projects.
    OwnProjects own(s.path / "data" / "own.json");
    CHECK_FALSE(own.holds(s.path / "got" / "p.vemtra"));
    REQUIRE(own.add(s.path / "got" / "p.vemtra"));
    CHECK(OwnProjects(s.path / "data" / "own.json").holds(s.path / "got" / ".." / "got" / "p.vemtra"));
    s.write("data/own.json", "{ not a list");
    CHECK_FALSE(own.holds(s.path / "got" / "p.vemtra"));
}
