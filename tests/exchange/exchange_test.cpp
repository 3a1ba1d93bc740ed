#include <OpenImageIO/imagebuf.h>

#include "exchange/collect.h"
#include "exchange/map_pack.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "texture/texture.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
scene::Scene scene_with_map(const std::string& file) {
    scene::Scene s;
    s.assets = {{.id = "a", .file = "ball.obj"}};
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string n = scene::add_node(b, b.layers.front().id, "image", "color3", "Map");
    scene::node(b, n)->inputs["file"].value = file;
    b.layers.front().surface["base_color"].from = n;
    s.build_ups = {b};
    return s;
}
}  // namespace

TEST_CASE("a collected project stands on its own: all tiles, and files of one name from two places") {
    Scratch s;
    fs::create_directories(s.path / "work" / "maps");
    fs::create_directories(s.path / "elsewhere");
    s.write("work/ball.obj", sphere_obj(8));
    for (int t : {1001, 1002})
        write_image(s.path / "work" / "maps" / ("c." + std::to_string(t) + ".png"), 2, 2, 3, Kept::bytes,
                    [](int, int, int) { return .5f; });
    write_image(s.path / "elsewhere" / "sky.exr", 2, 2, 3, Kept::floats, [](int, int, int) { return 1.f; });
    write_image(s.path / "work" / "sky.exr", 2, 2, 3, Kept::floats, [](int, int, int) { return 2.f; });
    scene::Scene scene = scene_with_map("maps/c.<UDIM>.png");
    scene.rigs = {scene::default_rig(), scene::default_rig()};
    scene.rigs[0].environment.image = (s.path / "elsewhere" / "sky.exr").string();
    scene.rigs[1].environment.image = "sky.exr";
    scene.rigs[1].id = "second";
    const fs::path project = s.path / "given" / "lantern.vemtra";
    fs::create_directories(project.parent_path());
    const auto c = exchange::collect(scene, s.path / "work", project);
    REQUIRE(c);
    CHECK(c->files == 5);
    CHECK(c->problems.empty());
    fs::remove_all(s.path / "work");
    fs::remove_all(s.path / "elsewhere");
    auto loaded = scene::load(project);
    REQUIRE(loaded);
    exchange::for_each_file(loaded->scene, [&](const std::string&, std::string& path, const char*) {
        INFO(path);
        CHECK(fs::path(path).is_relative());
        CHECK(path.find("..") == std::string::npos);
        CHECK_FALSE(texture::tile_files(project.parent_path() / path).empty());
        CHECK(fs::exists(texture::tile_files(project.parent_path() / path).front().second));
    });
    CHECK(loaded->scene.rigs[0].environment.image != loaded->scene.rigs[1].environment.image);
    // What is not there is told, and the rest is collected all the same.
    scene.assets[0].file = "gone.obj";
    CHECK(exchange::collect(scene_with_map("maps/c.<UDIM>.png"), s.path / "nowhere", s.path / "given" / "b.vemtra")
              ->problems.size() == 2);
}

TEST_CASE("missing files are found by name, over tiles, and by content under another name") {
    Scratch s;
    fs::create_directories(s.path / "store" / "deep");
    write_image(s.path / "old.png", 8, 8, 3, Kept::bytes, [](int x, int, int) { return float(x) / 8.f; });
    texture::MapCache cache(s.path / "cache");
    REQUIRE(cache.prepare_all({{s.path / "old.png", "raw"}}));
    fs::rename(s.path / "old.png", s.path / "store" / "deep" / "renamed.png");
    auto found = exchange::find_missing(scene_with_map("old.png"), s.path, {s.path / "store"}, cache);
    REQUIRE(found.size() == 1);
    CHECK(found[0].by_content);
    CHECK(found[0].to == "store/deep/renamed.png");
    write_image(s.path / "store" / "T.1001.png", 2, 2, 3, Kept::bytes, [](int, int, int) { return .5f; });
    s.write("store/ball.obj", sphere_obj(8));
    auto scene = scene_with_map("maps/T.<UDIM>.png");
    found = exchange::find_missing(scene, s.path, {s.path / "store"}, cache);
    REQUIRE(found.size() == 2);
    exchange::use_found(scene, found);
    CHECK(scene.assets[0].file == "store/ball.obj");
    CHECK(std::get<std::string>(scene.build_ups[0].layers[0].nodes[0].inputs["file"].value) == "store/T.<UDIM>.png");
    CHECK(exchange::find_missing(scene, s.path, {s.path / "store"}, cache).empty());
}

TEST_CASE("recipes combine, convert, resize and leave out") {
    Scratch s;
    fs::create_directories(s.path / "in");
    auto file = [&](const char* name) { return s.path / "in" / name; };
    write_image(file("crate_BaseColor.png"), 16, 16, 3, Kept::bytes,
                [](int x, int, int c) { return c == 0 ? float(x) / 16.f : .5f; });
    write_image(file("crate_Gloss.png"), 16, 16, 1, Kept::bytes, [](int, int y, int) { return float(y) / 16.f; });
    write_image(file("crate_AO.png"), 16, 16, 1, Kept::bytes, [](int x, int y, int) { return float(x + y) / 32.f; });
    write_image(file("crate_Metalness.png"), 16, 16, 1, Kept::bytes, [](int, int, int) { return 0.f; });
    write_image(file("crate_NormalDX.png"), 16, 16, 3, Kept::bytes, [](int x, int y, int c) {
        return c == 2 ? .9f : c == 1 ? .5f + .02f * float(y % 5) : .5f - .02f * float(x % 3);
    });
    std::vector<Error> problems;
    auto sets = texture::find_map_sets({s.path / "in"}, problems);
    REQUIRE(sets.size() == 1);
    REQUIRE(texture::probe_map_set(sets[0], problems));
    REQUIRE(exchange::shipped_recipes().size() >= 10);
    for (const fs::path& p : exchange::shipped_recipes()) {
        INFO(p);
        const auto r = exchange::read_recipe(p);
        REQUIRE(r);
        CHECK(exchange::pack(sets[0], *r, s.path / p.stem()));
    }
    const OIIO::ImageBuf orm((s.path / "occlusion-roughness-metalness" / "crate_orm.png").string());
    REQUIRE(orm.nchannels() == 3);
    CHECK(orm.getchannel(4, 8, 0, 0) == Approx(12.f / 32.f).margin(.003));
    CHECK(orm.getchannel(4, 8, 0, 1) == Approx(.5f).margin(.003));  // roughness out of glossiness
    CHECK(orm.getchannel(4, 8, 0, 2) == 0.f);
    const OIIO::ImageBuf linear((s.path / "each-slot-float" / "crate_base_color.exr").string());
    CHECK(linear.getchannel(8, 3, 0, 0) == Approx(srgb_to_linear(128 / 255.f)).margin(.001));
    const OIIO::ImageBuf again((s.path / "each-slot-8bit" / "crate_base_color.png").string());
    CHECK(again.getchannel(8, 3, 0, 0) == Approx(128 / 255.f).margin(.003));
    const OIIO::ImageBuf normal((s.path / "each-slot-8bit" / "crate_normal.png").string());
    CHECK(normal.getchannel(0, 4, 0, 1) == Approx(1.f - .58f).margin(.004));  // green points up now
    CHECK_FALSE(fs::exists(s.path / "each-slot-8bit" / "crate_metalness.png"));
    const OIIO::ImageBuf half((s.path / "half-size" / "crate_base_color.png").string());
    CHECK(half.spec().width == 8);
    for (const char* bad :
         {"[]", "{\"outputs\": []}", "{\"outputs\": [{\"name\": \"../x.png\", \"channels\": [\"roughness\"]}]}",
          "{\"outputs\": [{\"name\": \"x.png\", \"channels\": [\"nonsense\"]}]}",
          "{\"outputs\": [{\"name\": \"x.png\", \"channels\": [\"roughness\"], \"depth\": \"9\"}]}",
          "{\"outputs\": [{\"name\": \"x.png\", \"channels\": [\"roughness\"], \"resize\": -4}]}"}) {
        INFO(bad);
        const auto r = exchange::read_recipe(s.write("bad.json", bad));
        REQUIRE_FALSE(r);
        CHECK_FALSE(r.error().why.empty());
    }
}
