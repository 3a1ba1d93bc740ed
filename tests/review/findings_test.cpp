#include "review/finding.h"

#include <OpenImageIO/imageio.h>

#include "render_support.h"
#include "support.h"
#include "texture/map_set.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

struct FindingBench {
    Scratch s;
    scene::Scene scene;
    render::Workshop workshop;
    review::Remembered remembered;
    FindingBench() {
        s.write("square.obj", square_obj);
        scene = plain_scene("square.obj");
        scene.cameras[0].position = V3f(.5f, .5f, 2.f);
        scene.cameras[0].target = V3f(.5f, .5f, .37f);
    }
    std::vector<review::Finding> look() {
        return review::findings(*prepared(scene, s.path, workshop), *workshop.textures(), Paths(s.path), remembered);
    }
    bool tells(const std::string& what) {
        for (const review::Finding& f : look())
            if (f.error.what == what) {
                CHECK_FALSE((f.error.place.empty() && f.error.file.empty()));
                CHECK_FALSE(f.error.remedy.empty());
                return true;
            }
        return false;
    }
};

}  // namespace

TEST_CASE("a gate that never opens, or never fully, is told by the window's list and by the command line alike") {
    FindingBench b;
    const std::string cover = scene::add_layer(b.scene.build_ups[0], "Paint");
    auto& gate = scene::find(b.scene.build_ups[0].layers, cover)->gate;
    const std::string noise = scene::add_node(b.scene.build_ups[0], cover, "noise3d", "float", "Noise");
    CHECK_FALSE(b.tells("A gate never opens"));
    scene::node(b.scene.build_ups[0], noise)->inputs["amplitude"].value = .1f;
    scene::node(b.scene.build_ups[0], noise)->inputs["pivot"].value = .5f;
    gate.mask.from = noise;
    CHECK(b.tells("A gate never opens fully"));
    scene::node(b.scene.build_ups[0], noise)->inputs["pivot"].value = -5.f;
    CHECK(b.tells("A gate never opens"));
    CHECK_FALSE(b.tells("A mask hides nothing"));
    scene::node(b.scene.build_ups[0], noise)->inputs["pivot"].value = 5.f;
    CHECK(b.tells("A mask hides nothing"));
    scene::node(b.scene.build_ups[0], noise)->inputs["pivot"].value = -5.f;
    REQUIRE(scene::save(b.scene, b.s.path / "p.vemtra"));
    const Ran ran = cli("check " + (b.s.path / "p.vemtra").string());
    CHECK(ran.out.find("A gate never opens") != std::string::npos);
}

TEST_CASE("who reads UVs on a part that has none is told, by name, and a projection is not") {
    FindingBench b;
    b.s.write("bare.obj", "o square\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n");
    b.scene.assets[0].file = "bare.obj";
    scene::BuildUp& worn = b.scene.build_ups[0];
    const std::string layer = worn.layers[0].id;
    const std::string checks = scene::add_node(worn, layer, "checkerboard", "color3", "Squares");
    CHECK_FALSE(b.tells("A part has no UVs to read"));  // it feeds nothing
    worn.layers[0].surface["base_color"].from = checks;
    CHECK(b.tells("A part has no UVs to read"));
    const std::string box = nodes::add(worn, layer, nodes::Use::placement, nodes::Type::place, "Box");
    scene::node(worn, checks)->inputs["texcoord"].from = box;
    CHECK(b.tells("A part has no UVs to read"));  // the placement reads them
    nodes::set(*scene::node(worn, box), nodes::Role::projection, 1.f);
    CHECK_FALSE(b.tells("A part has no UVs to read"));
    b.scene.assets[0].file = "square.obj";
    scene::node(worn, checks)->inputs.erase("texcoord");
    CHECK_FALSE(b.tells("A part has no UVs to read"));
}

TEST_CASE("a map that cannot be read is told by the command line") {
    FindingBench b;
    auto& build_up = b.scene.build_ups[0];
    const std::string image = scene::add_node(build_up, build_up.layers[0].id, "image", "color3", "Image");
    b.s.write("map.png", "this is no picture");
    scene::node(build_up, image)->inputs["file"].value = std::string("map.png");
    build_up.layers[0].surface["base_color"].from = image;
    REQUIRE(scene::save(b.scene, b.s.path / "p.vemtra"));
    const Ran ran = cli("check " + (b.s.path / "p.vemtra").string());
    CHECK(ran.code == 4);
    CHECK(ran.out.find("map.png") != std::string::npos);
}

TEST_CASE("every check has a name of its own and runs on a scene of nothing") {
    std::set<std::string> names;
    for (const auto& kind : review::finding_kinds()) CHECK(names.insert(kind.name).second);
    render::Workshop workshop;
    review::Remembered remembered;
    scene::Scene nothing;
    const auto p = prepared(nothing, fs::current_path(), workshop);
    CHECK(review::findings(*p, *workshop.textures(), Paths(fs::current_path()), remembered).empty());
}

TEST_CASE("a colour map is called bright only where all of its channels are") {
    // The mean of a pure saturated red has one full channel: that is no white. A near-white map has three.
    Scratch s;
    auto write = [&](const char* name, const V3f& c) {
        OIIO::ImageSpec spec(8, 8, 3, OIIO::TypeDesc::UINT8);
        std::vector<uint8_t> pixels;
        for (int i = 0; i < 64; ++i)
            for (int k = 0; k < 3; ++k)
                pixels.push_back(uint8_t(c[k] * 255.f) - uint8_t(i % 24));  // not one value everywhere
        auto out = OIIO::ImageOutput::create((s.path / name).string());
        out->open((s.path / name).string(), spec);
        out->write_image(OIIO::TypeDesc::UINT8, pixels.data());
        out->close();
    };
    auto bright = [&](const char* name) {
        std::vector<Error> problems;
        auto sets = texture::find_map_sets({s.path / name}, problems);
        REQUIRE(sets.size() == 1);
        texture::probe_map_set(sets[0], problems);
        for (const auto& m : sets[0].maps)
            for (const auto& n : m.notes)
                if (n.what.find("brighter") != std::string::npos) return true;
        return false;
    };
    write("red_BaseColor.png", V3f(1.f, .1f, .1f));
    write("white_BaseColor.png", V3f(1.f));
    CHECK_FALSE(bright("red_BaseColor.png"));
    CHECK(bright("white_BaseColor.png"));
}

TEST_CASE("a field that came to the end of its memory is told") {
    FindingBench b;
    const std::string cover = scene::add_layer(b.scene.build_ups[0], "Grime");
    const std::string cavity = scene::add_node(b.scene.build_ups[0], cover, "cavity", "float", "Recesses");
    scene::find(b.scene.build_ups[0].layers, cover)->gate.mask.from = cavity;
    const auto whole = prepared(b.scene, b.s.path, b.workshop);
    REQUIRE(whole->fields->all().size() == 1);
    auto told = [&](const render::Prepared& p) {
        const auto found = review::findings(p, *b.workshop.textures(), Paths(b.s.path), b.remembered);
        return std::any_of(found.begin(), found.end(), [](const review::Finding& f) {
            return f.error.what == "A field has less detail than the form" && !f.error.remedy.empty();
        });
    };
    CHECK_FALSE(told(*whole));
    render::Prepared cut = *whole;
    auto field = std::make_shared<geometry::FormField>(*whole->fields->all()[0]);
    field->cut = true;
    cut.fields = std::make_shared<const geometry::Fields>(
        cut.geometry, std::vector<std::shared_ptr<const geometry::FormField>>{field});
    CHECK(told(cut));
}

TEST_CASE("a mask over the whole form that the camera is too near for is told") {
    FindingBench b;
    b.s.write("square.obj", square_obj);
    b.scene = plain_scene("square.obj");
    scene::BuildUp& worn = b.scene.build_ups[0];
    const std::string cover = scene::add_layer(worn, "Rust");
    const std::string noise = scene::add_node(worn, cover, "fractal3d", "float", "Break-up");
    const std::string grown = scene::add_node(worn, cover, "grow", "float", "Grown");
    scene::node(worn, grown)->inputs["in"].from = noise;
    scene::find(worn.layers, cover)->gate.mask.from = grown;
    b.scene.cameras[0].target = V3f(.5f, .5f, 0.f);
    b.scene.cameras[0].position = V3f(.5f, .5f, 3.f);
    const char* told = "A mask whose border is asked for has less detail than the picture";
    CHECK_FALSE(b.tells(told));
    b.scene.render.width = b.scene.render.height = 16384;
    CHECK(b.tells(told));
}

TEST_CASE("a mask that follows the form alone is told, until something breaks it") {
    FindingBench b;
    b.s.write("ball.obj", sphere_obj(24));
    b.scene = plain_scene("ball.obj");
    b.scene.parts[0].source = "sphere";
    b.scene.cameras[0].position = V3f(0.f, 0.f, 2.5f);
    b.scene.cameras[0].target = V3f(0.f);
    scene::BuildUp& worn = b.scene.build_ups[0];
    const std::string cover = scene::add_layer(worn, "Dust");
    const std::string settled = scene::add_node(worn, cover, "settle", "float", "Settled");
    scene::Input& mask = scene::find(worn.layers, cover)->gate.mask;
    mask.from = settled;
    CHECK(b.tells("A mask is too even"));
    const std::string noise = scene::add_node(worn, cover, "fractal3d", "float", "Break-up");
    const std::string sum = scene::add_node(worn, cover, "add", "float", "Broken up");
    scene::node(worn, sum)->inputs["in1"].from = settled;
    scene::node(worn, sum)->inputs["in2"].from = noise;
    scene::find(worn.layers, cover)->gate.mask.from = sum;
    CHECK_FALSE(b.tells("A mask is too even"));
    scene::find(worn.layers, cover)->gate.mask.from = noise;  // no field in it
    CHECK_FALSE(b.tells("A mask is too even"));
    scene::find(worn.layers, cover)->gate.mask.from = settled;
    scene::find(worn.layers, cover)->on = false;
    CHECK_FALSE(b.tells("A mask is too even"));
}

TEST_CASE("two masks that one pattern breaks are told; not where one is made from the other") {
    FindingBench b;
    b.s.write("square.obj", square_obj);
    b.scene = plain_scene("square.obj");
    scene::BuildUp& worn = b.scene.build_ups[0];
    const std::string paint = scene::add_layer(worn, "Paint");
    const std::string rust = scene::add_layer(worn, "Rust");
    auto noise = [&](const std::string& layer) {
        const std::string id = scene::add_node(worn, layer, "fractal3d", "float", "Noise");
        scene::node(worn, id)->inputs["amplitude"].value = .7f;
        return id;
    };
    auto gate = [&](const std::string& layer) -> std::string& {
        return scene::find(worn.layers, layer)->gate.mask.from;
    };
    const std::string one = noise(paint);
    const std::string levels = scene::add_node(worn, paint, "range", "float", "Levels");
    scene::node(worn, levels)->inputs["in"].from = one;
    gate(paint) = levels;
    gate(rust) = one;  // the same node
    constexpr const char* what = "Two masks are broken by the same pattern";
    CHECK_FALSE(b.tells(what));  // paint is made from the whole of what rust takes
    const std::string more = scene::add_node(worn, rust, "range", "float", "More levels");
    scene::node(worn, more)->inputs["in"].from = one;
    gate(rust) = more;
    CHECK(b.tells(what));
    const std::string copy = noise(rust);  // another node that says the same
    scene::node(worn, more)->inputs["in"].from = copy;
    CHECK(b.tells(what));
    scene::node(worn, copy)->inputs["amplitude"].value = .6f;
    CHECK_FALSE(b.tells(what));
    scene::node(worn, more)->inputs["in"].from = levels;  // made from the other's mask
    CHECK_FALSE(b.tells(what));
    scene::node(worn, more)->inputs["in"].from = one;
    CHECK(b.tells(what));
    // Two levels of one wear, in which the form and the pattern are joined.
    const std::string edge = scene::add_node(worn, paint, "cavity", "float", "Edges");
    const std::string wear = scene::add_node(worn, paint, "add", "float", "Wear");
    scene::node(worn, wear)->inputs["in1"].from = edge;
    scene::node(worn, wear)->inputs["in2"].from = one;
    scene::node(worn, levels)->inputs["in"].from = wear;
    scene::node(worn, more)->inputs["in"].from = wear;
    CHECK_FALSE(b.tells(what));
    scene::node(worn, more)->inputs["in"].from = one;
    scene::find(worn.layers, paint)->on = false;
    CHECK_FALSE(b.tells(what));
}
