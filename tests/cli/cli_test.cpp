#include "support.h"
#include "texture/texture.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("the command line makes, checks, evaluates and renders a project") {
    Scratch s;
    s.write("square.obj", square_obj);
    const std::string asset = (s.path / "square.obj").string(), project = (s.path / "p.vemtra").string();
    REQUIRE(cli("new " + asset + " -o " + project).code == 0);
    CHECK(cli("check " + project).code == 0);
    const auto info = nlohmann::json::parse(cli("info " + asset + " --json").out);
    CHECK(info["triangles"] == 2);
    CHECK(nlohmann::json::parse(cli("info " + project + " --json").out)["parts"][0]["id"] == "square");

    auto scene = scene::load(project)->scene;
    auto& b = scene.build_ups[0];
    const auto noise = scene::add_node(b, "base", "noise3d", "float", "Noise");
    b.layers[0].surface["specular_roughness"].from = noise;
    REQUIRE(scene::save(scene, project));
    const auto values = nlohmann::json::parse(cli("values " + project + " --node noise --uv-grid 4 --json").out);
    CHECK(values["type"] == "float");
    REQUIRE(values["grid"].size() == 16);
    const auto slot = nlohmann::json::parse(
        cli("values " + project + " --slot square/base/specular_roughness --uv-grid 4 --json").out);
    CHECK(slot["grid"] == values["grid"]);
    const auto outside =
        nlohmann::json::parse(cli("values " + project + " --node noise --uv-grid 2 --tile 1005 --json").out);
    CHECK(outside["grid"][0].is_null());
    CHECK(cli("values " + project + " --slot square/base/gate --uv-grid 1").out.find("1") == 0);

    const std::string out = (s.path / "o.exr").string();
    const auto ran = cli("render " + project + " -o " + out + " --size 40x30 --samples 2 --json");
    CHECK(ran.code == 0);
    CHECK(nlohmann::json::parse(ran.out)["samples"] == 2);
    CHECK(nlohmann::json::parse(cli("info " + out + " --json").out)["width"] == 40);
    for (const char* view : {"clay", "coverage", "normal", "depth", "uv"})
        CHECK(
            cli("render " + project + " -o " + (s.path / "v.png").string() + " --size 20x20 --samples 1 --view " + view)
                .code == 0);
    CHECK(cli("render " + project + " -o " + (s.path / "n.png").string() +
              " --size 20x20 --samples 1 --view node --node material/noise")
              .code == 0);
}

TEST_CASE("the same call gives the same file, at any thread count; another seed gives another") {
    Scratch s;
    auto render = [&](const std::string& name, const std::string& more) {
        CHECK(cli("render " + demo_project.string() + " -o " + (s.path / name).string() + " --size 64x48 --samples 2 " +
                  more)
                  .code == 0);
        return *read_file(s.path / name);
    };
    // The time that it took is in the header of the PNG: compare what was drawn.
    auto pixels = [&](const std::string& name, const std::string& more) {
        render(name, more);
        auto p = texture::read_linear_image(s.path / name);
        REQUIRE(p);
        return p->pixels;
    };
    const auto b = pixels("b.png", "--threads 2"), a = pixels("a.png", "--threads 1"), c = pixels("c.png", "--seed 5");
    CHECK(a == b);
    CHECK(a != c);
}

TEST_CASE("a wrong call is code 2, what cannot be done is 1, done with problems is 4") {
    Scratch s;
    s.write("square.obj", square_obj);
    const std::string project = (s.path / "p.vemtra").string(), out = " -o " + (s.path / "o.png").string();
    REQUIRE(cli("new " + (s.path / "square.obj").string() + " -o " + project).code == 0);
    CHECK(cli("").code == 2);
    CHECK(cli("paint").code == 2);
    CHECK(cli("render " + project).code == 2);
    CHECK(cli("render " + project + out + " --size 0x0").code == 2);
    CHECK(cli("render " + project + out + " --size 10x").code == 2);
    CHECK(cli("render " + project + out + " --view sepia").code == 2);
    CHECK(cli("render " + project + out + " --region 5,5,2,2").code == 2);
    CHECK(cli("render " + project + out + " --rig moon").code == 2);
    CHECK(cli("render " + project + " -o x.gif").code == 2);
    CHECK(cli("values " + project).code == 2);
    const auto missing = cli("render " + (s.path / "none.vemtra").string() + out);
    CHECK(missing.code == 1);
    CHECK(missing.out.find("none.vemtra") != std::string::npos);
    CHECK(cli("new " + (s.path / "none.obj").string() + " -o " + project).code == 1);
    CHECK(cli("values " + project + " --node nothing").code == 1);
    CHECK(cli("render " + project + " -o /proc/o.png --size 8x8 --samples 1").code == 1);

    auto scene = scene::load(project)->scene;
    auto& b = scene.build_ups[0];
    b.layers[0].surface["base_color"].from = "gone";
    const auto image = scene::add_node(b, "base", "image", "color3", "Map");
    scene::node(b, image)->inputs["file"].value = std::string("missing.exr");
    b.layers[0].surface["specular_color"].from = image;
    scene.assets.push_back({"other", "other.obj", 1.f, "y", {}});
    REQUIRE(scene::save(scene, project));
    const auto check = cli("check " + project + " --json");
    CHECK(check.code == 4);
    const auto problems = nlohmann::json::parse(check.out)["problems"];
    CHECK(problems.size() == 3);
    for (const auto& p : problems) CHECK_FALSE(p["remedy"].get<std::string>().empty());
    CHECK(cli("render " + project + out + " --size 16x16 --samples 1").code == 4);  // the rest of the scene works
    CHECK(fs::exists(s.path / "o.png"));
}

TEST_CASE("the documentation of the nodes is what the descriptions say") {
    CHECK(cli("nodes").out == *read_file(root / "docs" / "nodes.md"));
}

TEST_CASE("the command line measures albedo and knows the stock") {
    Scratch s;
    s.write("square.obj", square_obj);
    const std::string project = (s.path / "p.vemtra").string();
    auto scene = plain_scene("square.obj");
    auto& b = scene.build_ups[0];
    b.layers[0].surface = {{"base_color", {scene::Value{V3f(.8f, .4f, .1f)}, {}}},
                           {"specular_weight", {scene::Value{0.f}, {}}}};
    REQUIRE(scene::save(scene, project));
    const auto bare =
        nlohmann::json::parse(cli("measure albedo " + project + " --part part --cos 1,0.5 --paths 4000 --json").out);
    REQUIRE(bare["measured"].size() == 2);
    CHECK(bare["measured"][1]["albedo"][0].get<float>() == Approx(.8f).margin(.005));
    const auto coat = scene::add_layer(b, "Coat", {}, scene::LayerKind::coat);
    scene::find(b.layers, coat)->surface = {{"coat_ior", {scene::Value{1.5f}, {}}},
                                            {"coat_roughness", {scene::Value{0.f}, {}}}};
    REQUIRE(scene::save(scene, project));
    const auto coated = nlohmann::json::parse(
        cli("measure albedo " + project + " --part Part --uv 0.3,0.6 --cos 1 --paths 40000 --json").out);
    for (int c = 0; c < 3; ++c) {  // coated.csv, clear coat of IOR 1.5 over this base
        static constexpr float walk[] = {.633f, .24377f, .08136f};
        CHECK(coated["measured"][0]["albedo"][c].get<float>() ==
              Approx(walk[c]).margin(.004f + 4.f * coated["measured"][0]["standard_error"][c].get<float>()));
    }
    CHECK(cli("measure albedo " + project + " --part nobody").code == 1);
    CHECK(cli("measure albedo " + project + " --part part --cos 2").code == 2);
    CHECK(cli("measure albedo " + project + " --part part --uv 5,5").code == 1);
    CHECK(nlohmann::json::parse(cli("stock list --json").out).size() >= 70);
    CHECK(nlohmann::json::parse(cli("stock show gold").out)["surface"].contains("metal_extinction"));
    CHECK(cli("stock show unobtainium").code == 1);
    CHECK(cli("stock render").code == 2);
    CHECK(cli("stock render copper -o " + (s.path / "c.png").string() + " --size 24 --samples 2").code == 0);
    CHECK(fs::file_size(s.path / "c.png") > 100);
}
