// Maps of four channels in documents: here an image node reads three of them, or one.
#include "exchange/standard/document.h"
#include "exchange/standard/evaluate.h"
#include "scene/edits.h"
#include "support.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

constexpr int n = 4;

/// The lower left pixel of a document's output whose name ends so.
std::vector<float> value_at(const fs::path& file, const std::string& output) {
    const auto document = exchange::read_standard_document(file);
    REQUIRE(document);
    for (const Error& e : document->problems) FAIL_CHECK(e.line());
    for (const std::string& o : exchange::outputs_of(*document)) {
        if (!o.ends_with(output)) continue;
        const auto v = exchange::evaluate(*document, o, n, 0.f, file);
        REQUIRE(v);
        for (const Error& e : v->problems) FAIL_CHECK(e.line());
        return {v->grid.begin(), v->grid.begin() + ptrdiff_t(v->grid.size() / (n * n))};
    }
    FAIL("there is no output " + output);
    return {};
}
/// Left half: .2, .4, .6, alpha .25; right half: half of each.
void write_map(const fs::path& file) {
    write_image(file, 64, 64, 4, Kept::words, [](int x, int, int c) {
        const float left[] = {.2f, .4f, .6f, .25f};
        return left[c] * (x < 32 ? 1.f : .5f);
    });
}

}  // namespace

TEST_CASE("an image of four channels has its colour and its alpha, and an extract finds each") {
    const Scratch s;
    write_map(s.path / "map.tif");
    const auto image = [](const std::string& kind, const std::string& name, const std::string& type,
                          const std::string& more) {
        return "<" + kind + " name=\"" + name + "\" type=\"" + type +
               "\"><input name=\"file\" type=\"filename\" value=\"map.tif\"/>" + more + "</" + kind + ">";
    };
    auto extract = [](const std::string& name, const std::string& from, int index) {
        return "<extract name=\"" + name + "\" type=\"float\"><input name=\"in\" type=\"color4\" nodename=\"" + from +
               "\"/><input name=\"index\" type=\"integer\" value=\"" + std::to_string(index) + "\"/></extract>";
    };
    auto output = [](const std::string& name, const std::string& type, const std::string& from) {
        return "<output name=\"" + name + "\" type=\"" + type + "\" nodename=\"" + from + "\"/>";
    };
    s.write("m.mtlx", "<?xml version=\"1.0\"?><materialx version=\"1.39\"><nodegraph name=\"g\">" +
                          image("image", "whole", "color4", "") + image("image", "vector", "vector4", "") +
                          image("tiledimage", "tiled", "color4",
                                "<input name=\"uvtiling\" type=\"vector2\" value=\"1, 1\"/>"
                                "<input name=\"uvoffset\" type=\"vector2\" value=\".5, 0\"/>") +
                          extract("alpha", "whole", 3) + extract("green", "whole", 1) + extract("moved", "tiled", 3) +
                          output("all_out", "color4", "whole") + output("vector_out", "vector4", "vector") +
                          output("alpha_out", "float", "alpha") + output("green_out", "float", "green") +
                          output("moved_out", "float", "moved") + "</nodegraph></materialx>");
    const fs::path file = s.path / "m.mtlx";
    CHECK_THAT(value_at(file, "all_out"), AllClose({.2f, .4f, .6f, .25f}, 1e-3f));
    CHECK_THAT(value_at(file, "vector_out"), AllClose({.2f, .4f, .6f, .25f}, 1e-3f));
    CHECK_THAT(value_at(file, "alpha_out"), AllClose({.25f}, 1e-3f));
    CHECK_THAT(value_at(file, "green_out"), AllClose({.4f}, 1e-3f));
    CHECK_THAT(value_at(file, "moved_out"), AllClose({.125f}, 1e-3f));
}

TEST_CASE("a mask from a map's alpha comes back from a document") {
    const Scratch s;
    write_map(s.path / "map.tif");
    scene::Scene scene;
    scene.build_ups = {scene::default_build_up("b", "Masked")};
    scene::Layer& base = scene.build_ups[0].layers[0];
    scene::Node node;
    node.id = node.name = "alpha";
    node.kind = "image";
    node.type = "float";
    node.inputs["file"].value = std::string("map.tif");
    node.inputs["channel"].value = std::string("a");
    base.nodes.push_back(node);
    base.surface["specular_roughness"].from = "alpha";
    const fs::path file = s.path / "m.mtlx";
    const auto problems = exchange::write_standard_file(scene, s.path / "p.vemtra", file);
    REQUIRE(problems);
    for (const Error& e : *problems) FAIL_CHECK(e.line());
    CHECK_THAT(value_at(file, "specular_roughness"), AllClose({.25f}, 1e-3f));
}
