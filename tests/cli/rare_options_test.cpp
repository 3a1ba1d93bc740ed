// The options that the other tests of the command line do not say.
#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

struct Project {
    Scratch s;
    std::string file = (s.path / "p.vemtra").string(), out = (s.path / "o.exr").string();
    scene::Scene scene;
    Project() {
        s.write("square.obj", square_obj);
        scene = plain_scene("square.obj");
        scene.build_ups[0].layers[0].surface = {{"base_color", {scene::Value{V3f(.8f, .4f, .1f)}, {}}}};
        keep();
    }
    void keep() { REQUIRE(scene::save(scene, file)); }
    std::vector<float> rendered(const std::string& more) {
        const auto ran = cli("render " + file + " -o " + out + " --size 32x24 --samples 4 " + more);
        REQUIRE(ran.code == 0);
        const auto p = texture::read_linear_image(out);
        REQUIRE(p);
        std::vector<float> numbers;
        for (const V3f& v : p->pixels) numbers.insert(numbers.end(), {v.x, v.y, v.z});
        return numbers;
    }
};

}  // namespace

TEST_CASE("--region renders the pixels that the whole picture has there, and leaves the rest black") {
    Project p;
    const auto whole = p.rendered(""), part = p.rendered("--region 8,6,20,18");
    REQUIRE(whole.size() == part.size());
    const size_t channels = whole.size() / (32 * 24);
    for (size_t y = 0; y < 24; ++y)
        for (size_t x = 0; x < 32; ++x) {
            const bool inside = x >= 8 && x < 20 && y >= 6 && y < 18;
            const size_t i = (y * 32 + x) * channels;
            for (size_t c = 0; c < 3; ++c) REQUIRE(part[i + c] == (inside ? whole[i + c] : 0.f));
        }
}

TEST_CASE("--camera and --rig choose by id, and what does not exist is said") {
    Project p;
    const auto first = p.rendered("");
    scene::Camera aside = p.scene.cameras.at(0);
    aside.id = "aside";
    aside.position += V3f(.5f, .3f, 0.f);
    p.scene.cameras.push_back(aside);
    scene::Rig dark = p.scene.rigs.at(0);
    dark.id = "dark";
    dark.environment.exposure = -20.f;
    for (scene::Light& l : dark.lights) l.on = false;
    p.scene.rigs.push_back(dark);
    p.keep();
    CHECK(p.rendered("") == first);
    CHECK(p.rendered("--camera aside") != first);
    float brightest = 0;
    for (float x : p.rendered("--rig dark --view beauty")) brightest = std::max(brightest, std::fabs(x));
    float before = 0;
    for (float x : first) before = std::max(before, std::fabs(x));
    CHECK(brightest <= before);
    CHECK(cli("render " + p.file + " -o " + p.out + " --camera nowhere").code == 2);
}

TEST_CASE("--preview clamps what single samples may add, and only downwards") {
    Project p;
    scene::Light lamp;
    lamp.id = "lamp";
    lamp.position = V3f(0, .3f, .4f);
    lamp.size = V2f(.02f, .02f);
    lamp.intensity = 5e4f;
    p.scene.rigs.at(0).lights = {lamp};
    p.scene.render.preview_clamp = .01f;
    p.keep();
    double full = 0, clamped = 0;
    for (float x : p.rendered("")) full += double(x);
    for (float x : p.rendered("--preview")) clamped += double(x);
    CHECK(clamped <= full + 1e-3);
}

TEST_CASE("counts are checked before anything is read") {
    Project p;
    const std::string call = "render " + p.file + " -o " + p.out;
    for (const char* wrong : {" --samples 0", " --samples many", " --threads 0", " --seed -1", " --size 20000x20000",
                              " --region 1,2,3", " --region a,b,c,d", " --view node", " --node x"}) {
        INFO(wrong);
        CHECK(cli(call + wrong).code == 2);
    }
    CHECK(cli("values " + p.file + " --node a --slot b").code == 2);
    CHECK(cli("values " + p.file + " --node a --uv-grid 0").code == 2);
    CHECK(cli("values " + p.file + " --node a --tile 900").code == 2);
    CHECK(cli("values " + p.file + " --slot onlyone").code == 2);
    CHECK(cli("measure albedo " + p.file + " --part part --uv here").code == 2);
    CHECK(cli("measure albedo " + p.file + " --part part --paths 3").code == 2);
    CHECK(cli("stock render copper -o " + p.out + " --size 4").code == 2);
    CHECK_FALSE(fs::exists(p.out));
}

TEST_CASE("values picks the part that is named, and says of points outside of it that there is nothing") {
    Project p;
    auto& b = p.scene.build_ups[0];
    const auto noise = scene::add_node(b, "base", "noise3d", "float", "Noise");
    p.keep();
    const std::string call = "values " + p.file + " --node " + noise + " --uv-grid 3 --json";
    const auto any = nlohmann::json::parse(cli(call).out),
               named = nlohmann::json::parse(cli(call + " --part part").out);
    CHECK(any == named);
    CHECK(cli(call + " --part nobody").code == 1);
}

TEST_CASE("the stock lists and shows in words and as JSON alike") {
    const auto words = cli("stock list");
    CHECK(words.code == 0);
    const auto list = nlohmann::json::parse(cli("stock list --json").out);
    for (const auto& item : list) CHECK(words.out.find(item["id"].get<std::string>()) != std::string::npos);
    Scratch s;
    CHECK(cli("stock render nothing -o " + (s.path / "n.png").string()).code == 1);
    CHECK(cli("stock render copper -o " + (s.path / "c.png").string() + " --size 16 --samples 1 --rig-of " +
              demo_project.string() + " --rig studio")
              .code == 0);
    CHECK(cli("stock render copper -o " + (s.path / "d.png").string() + " --size 16 --samples 1 --rig-of " +
              demo_project.string() + " --rig moon")
              .code != 0);
    CHECK_FALSE(fs::exists(s.path / "d.png"));
}

TEST_CASE("maps finds by names alone when it should be quick, and lists its recipes") {
    const std::string maps = (root / "demo" / "maps").string();
    const auto quick = nlohmann::json::parse(cli("maps " + maps + " --quick --json").out),
               whole = nlohmann::json::parse(cli("maps " + maps + " --json").out);
    CHECK(quick.size() == whole.size());
    const auto recipes = cli("maps --pack");
    CHECK(recipes.code == 2);  // a recipe has to be named
    CHECK(cli("maps").code != 0);
    CHECK(cli("maps " + maps + " --pack nonesuch -o /tmp").code != 0);
    CHECK(cli("maps /nowhere/at/all --json").code != 0);
}

TEST_CASE("find says what it found and changes the project only when asked to") {
    Project p;
    fs::create_directories(p.s.path / "moved");
    fs::rename(p.s.path / "square.obj", p.s.path / "moved" / "square.obj");
    const std::string before = *read_file(p.file);
    const auto looked = cli("find " + p.file + " " + (p.s.path / "moved").string() + " --json");
    CHECK(looked.out.find("square.obj") != std::string::npos);
    CHECK(*read_file(p.file) == before);
    cli("find " + p.file + " " + (p.s.path / "moved").string() + " --write");
    CHECK(scene::load(p.file)->scene.assets[0].file == "moved/square.obj");
    CHECK(cli("check " + p.file).code == 0);
}

TEST_CASE("values, export and import speak the open standard") {
    Project p;
    const fs::path reference = root / "tests" / "reference" / "noise.mtlx";
    const auto values = cli("values " + reference.string() + " --output noise/noise3d_out --uv-grid 8 --z 0.37 --json");
    REQUIRE(values.code == 0);
    const auto said = nlohmann::json::parse(values.out);
    CHECK(said["type"] == "float");
    CHECK(said["grid"].size() == 64);
    const auto expected = nlohmann::json::parse(*read_file(root / "tests" / "reference" / "values.json"))["outputs"];
    CHECK(said["grid"][9].get<float>() ==
          Approx(expected["noise.mtlx:noise/noise3d_out"]["grid"][9].get<float>()).margin(1e-4));
    const auto none = cli("values " + reference.string() + " --output noise/nothing --uv-grid 2");
    CHECK(none.code == 1);
    CHECK(none.out.find("noise3d_out") != std::string::npos);  // it says what there is
    const std::string document = (p.s.path / "o.mtlx").string();
    const std::string taken = (p.s.path / "taken.vemtra").string();
    REQUIRE(cli("export " + p.file + " --mtlx " + document).code == 0);
    const auto imported = cli("import " + p.file + " --mtlx " + document + " -o " + taken + " --json");
    REQUIRE(imported.code == 0);
    CHECK(nlohmann::json::parse(imported.out)["build_ups"].size() == 1);
    const auto back = scene::load(taken);
    REQUIRE(back);
    REQUIRE(back->scene.build_ups.size() == 2);
    CHECK(scene::as_vector(back->scene.build_ups[1].layers[0].surface.at("base_color").value) == V3f(.8f, .4f, .1f));
    CHECK(cli("import " + p.file + " --mtlx " + (p.s.path / "none.mtlx").string()).code == 1);
}

TEST_CASE("pictures of the form alone ask for no mask that shows on nothing, and show what moves the form") {
    Project p;
    const char* const forms[] = {"--view clay", "--view normal", "--view depth", "--view uv"};
    scene::BuildUp& b = p.scene.build_ups[0];
    scene::Layer& base = b.layers[0];
    auto add = [](scene::Layer& layer, const char* id, const char* kind) {
        scene::Node n;
        n.id = id;
        n.kind = kind;
        n.type = "float";
        layer.nodes.push_back(n);
    };
    add(base, "hills", "noise3d");
    base.surface["height"].from = "hills";
    base.surface["height_scale"].value = scene::Value{.05f};
    p.keep();
    std::vector<std::vector<float>> moved;
    for (const char* view : forms) moved.push_back(p.rendered(view));
    // A map that is not there is told by who reads it; covers that only show go, one that is thick stays.
    add(base, "lost", "image");
    scene::node(b, "lost")->inputs["file"].value = std::string("nowhere.png");
    base.surface["specular_roughness"].from = "lost";
    scene::Layer cover;
    cover.id = cover.name = "cover";
    cover.gate.mask.from = "enclosed";
    add(cover, "enclosed", "cavity");
    b.layers.push_back(cover);
    p.keep();
    CHECK(cli("render " + p.file + " -o " + p.out + " --size 32x24 --samples 4").code == 4);
    for (size_t k = 0; k < std::size(forms); ++k) CHECK(p.rendered(forms[k]) == moved[k]);
    scene::Layer& thick = b.layers.back();
    thick.gate.mask = {scene::Value{1.f}, {}};
    thick.surface["height_thickness"].value = scene::Value{.3f};
    p.keep();
    CHECK(p.rendered(forms[2]) != moved[2]);
}
