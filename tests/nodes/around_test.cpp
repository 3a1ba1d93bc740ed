// Nodes that read beside the point, images by side, and what meshes bring by name.
#include "exchange/standard/document.h"
#include "exchange/standard/evaluate.h"
#include "geometry/import.h"
#include "nodes/plain_names.h"
#include "render_support.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// Values of an output of a document's one graph on an n x n grid.
std::vector<float> values(const Scratch& s, const std::string& nodes, int n, std::vector<Error>* problems = nullptr) {
    const fs::path file =
        s.write("graph.mtlx", "<?xml version=\"1.0\"?><materialx version=\"1.39\"><nodegraph name=\"g\">" + nodes +
                                  "</nodegraph></materialx>");
    auto document = exchange::read_standard_document(file);
    REQUIRE(document);
    auto out = exchange::evaluate(*document, "g/out", n, .37f, file);
    REQUIRE(out);
    if (problems) *problems = out->problems;
    return out->grid;
}

}  // namespace

TEST_CASE("the slopes of a network's heights are those of mathematics, encoded as the standard says") {
    Scratch s;
    // h = 3 u - 2 v: dh/du = 3, dh/dv = -2, over 16, at a strength of 4.
    const auto n = values(s, R"(
        <texcoord name="uv" type="vector2"/>
        <dotproduct name="h" type="float"><input name="in1" type="vector2" nodename="uv"/>
          <input name="in2" type="vector2" value="3, -2"/></dotproduct>
        <heighttonormal name="slope" type="vector3"><input name="in" type="float" nodename="h"/>
          <input name="scale" type="float" value="4"/></heighttonormal>
        <output name="out" type="vector3" nodename="slope"/>)",
                          8);
    V3f expected(-3.f * 4 / 16, 2.f * 4 / 16, 1.f);
    expected.normalize();
    for (size_t i = 0; i < 64; ++i)
        for (int c = 0; c < 3; ++c) CHECK(n[3 * i + size_t(c)] == Approx(.5f + .5f * expected[c]).margin(2e-5));
    const auto flat = values(s, R"(<heighttonormal name="slope" type="vector3"/>
        <output name="out" type="vector3" nodename="slope"/>)",
                             2);
    CHECK_THAT(flat, AllClose({.5f, .5f, 1, .5f, .5f, 1, .5f, .5f, 1, .5f, .5f, 1}, 0.f));
}

TEST_CASE("bump is the slopes of heights as a direction of the surface") {
    Scratch s;
    const std::string height = R"(<position name="p" type="vector3"/>
        <sin name="s" type="vector3"><input name="in" type="vector3" nodename="p"/></sin>
        <dotproduct name="h" type="float"><input name="in1" type="vector3" nodename="s"/>
          <input name="in2" type="vector3" value="5, 7, 2"/></dotproduct>)";
    const auto one =
        values(s, height + R"(<bump name="b" type="vector3"><input name="height" type="float" nodename="h"/>
          <input name="scale" type="float" value="2"/></bump><output name="out" type="vector3" nodename="b"/>)",
               8);
    const auto two = values(s, height + R"(<heighttonormal name="n" type="vector3">
          <input name="in" type="float" nodename="h"/><input name="scale" type="float" value="2"/></heighttonormal>
        <normalmap name="b" type="vector3"><input name="in" type="vector3" nodename="n"/></normalmap>
        <output name="out" type="vector3" nodename="b"/>)",
                            8);
    CHECK_THAT(one, AllClose(two, 0.f));
    // At (u, v) the slope along u is 5 cos u, taken over a pixel of 1/8.
    const float u = 1.5f / 8;
    const float slope = 5.f * (std::sin(u + .125f) - std::sin(u)) * 8 * 2 / 16;
    CHECK(one[3] / one[5] == Approx(-slope).epsilon(1e-3));
}

TEST_CASE("a blur is the mean over its square, of networks and of images, and passes on where it has no width") {
    Scratch s;
    const std::string edge = R"(<texcoord name="uv" type="vector2"/>
        <extract name="u" type="float"><input name="in" type="vector2" nodename="uv"/></extract>
        <ifgreatereq name="e" type="float"><input name="value1" type="float" nodename="u"/>
          <input name="value2" type="float" value="0.5"/><input name="in1" type="float" value="1"/>
          <input name="in2" type="float" value="0"/></ifgreatereq>)";
    auto blurred = [&](const std::string& size, const std::string& more = "") {
        return values(s,
                      edge + "<blur name=\"b\" type=\"float\"><input name=\"in\" type=\"float\" nodename=\"e\"/>" +
                          "<input name=\"size\" type=\"float\" value=\"" + size + "\"/>" + more +
                          "</blur><output name=\"out\" type=\"float\" nodename=\"b\"/>",
                      16);
    };
    const auto sharp = blurred("0");
    for (size_t i = 0; i < 16; ++i) CHECK(sharp[i] == (i < 8 ? 0.f : 1.f));
    const auto soft = blurred("0.3");
    // Its nine squares are a tenth wide: one, two or three columns of them lie beyond the edge.
    for (size_t i = 0; i < 16; ++i) {
        const float x = (float(i) + .5f) / 16;
        float expected = 0;
        for (int t = -1; t <= 1; ++t) expected += (x + .1f * float(t) >= .5f ? 1.f : 0.f) / 3.f;
        CHECK(soft[i] == Approx(expected).margin(1e-6));
    }
    const auto bell = blurred("0.3", R"(<input name="filtertype" type="string" value="gaussian"/>)");
    for (size_t i = 1; i < 16; ++i) CHECK(bell[i] >= bell[i - 1] - 1e-6f);
    CHECK(bell[7] + bell[8] == Approx(1.f));  // even about the edge
    CHECK(bell[0] == Approx(0.f).margin(1e-6));

    // A checkerboard of texels is grey under a square of many of them.
    write_image(s.path / "board.exr", 64, 64, 1, Kept::floats, [](int x, int y, int) { return float((x + y) & 1); });
    const auto grey =
        values(s, R"(<image name="i" type="float"><input name="file" type="filename" value="board.exr"/></image>
        <blur name="b" type="float"><input name="in" type="float" nodename="i"/>
          <input name="size" type="float" value="0.5"/></blur>
        <output name="out" type="float" nodename="b"/>)",
               8);
    for (float g : grey) CHECK(g == Approx(.5f).margin(.01));
    std::vector<Error> problems;
    values(s, edge + R"(<blur name="b" type="float"><input name="in" type="float" nodename="e"/>
        <input name="size" type="float" nodename="e"/></blur><output name="out" type="float" nodename="b"/>)",
           2, &problems);
    REQUIRE(problems.size() == 1);
    CHECK(problems[0].why.find("cannot be driven") != std::string::npos);
}

TEST_CASE("blurs of blurs stay within bounds") {
    Scratch s;
    std::string chain = R"(<noise2d name="n0" type="float"/>)";
    for (int i = 1; i <= 40; ++i)
        chain += "<blur name=\"n" + std::to_string(i) +
                 "\" type=\"float\"><input name=\"in\" type=\"float\" nodename=\"n" + std::to_string(i - 1) +
                 "\"/><input name=\"size\" type=\"float\" value=\"0.0" + std::to_string(i + 10) + "\"/></blur>";
    const auto v = values(s, chain + "<output name=\"out\" type=\"float\" nodename=\"n40\"/>", 4);
    for (float x : v) CHECK(std::fabs(x) < 1.f);
}

TEST_CASE("three images are read along their axes and blended by where the surface faces") {
    Scratch s;
    auto ramp = [](int x, int y, int c) { return (float(c == 0 ? x : c == 1 ? y : 0) + .5f) / 64.f; };
    for (const char* name : {"x.exr", "y.exr", "z.exr"}) write_image(s.path / name, 64, 64, 3, Kept::floats, ramp);
    auto faced = [&](const std::string& normal) {
        return values(s,
                      R"(<constant name="n" type="vector3"><input name="value" type="vector3" value=")" + normal +
                          R"("/></constant><triplanarprojection name="t" type="vector3">
            <input name="filex" type="filename" value="x.exr"/><input name="filey" type="filename" value="y.exr"/>
            <input name="filez" type="filename" value="z.exr"/>
            <input name="normal" type="vector3" nodename="n"/></triplanarprojection>
          <output name="out" type="vector3" nodename="t"/>)",
                      8);
    };
    const auto z = faced("0, 0, 1");
    const auto x = faced("-1, 0, 0");
    const auto both = faced("0.8, 0, 0.2");
    for (int j = 1; j < 7; ++j)
        for (int i = 1; i < 7; ++i) {
            const size_t at = size_t(3 * (8 * j + i));
            const float u = (float(i) + .5f) / 8, v = (float(j) + .5f) / 8;
            CHECK(z[at] == Approx(u).margin(.02));            // x across
            CHECK(z[at + 1] == Approx(1.f - v).margin(.02));  // y up: rows of images count downwards
            CHECK(x[at] == Approx(v).margin(.02));            // y across
            CHECK(x[at + 1] == Approx(1.f - .37f).margin(.02));
            CHECK(both[at] == Approx(.8f * x[at] + .2f * z[at]).margin(1e-4));
        }
}

TEST_CASE("what a mesh brings by a name of its own is read where it is asked for, and has a default elsewhere") {
    Scratch s;
    s.write("worn.ply",
            "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n"
            "property float s\nproperty float t\nproperty float wear\nproperty uchar red\nproperty uchar green\n"
            "property uchar blue\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"
            "0 0 0 0 0 0 255 255 255\n1 0 0 1 0 4 255 255 255\n1 1 0 1 1 8 255 255 255\n0 1 0 0 1 4 255 255 255\n"
            "4 0 1 2 3\n");
    auto asset = geometry::import((s.path / "worn.ply").string(), {});
    REQUIRE(asset);
    const auto shape = geometry::make_shape(asset->parts[0].mesh);
    CHECK(shape->property_names() == std::vector<std::string>{"wear"});
    CHECK(shape->uv_set_names().empty());

    scene::Scene scene = plain_scene("worn.ply");
    scene::BuildUp& b = scene.build_ups[0];
    const std::string id = scene::add_node(b, b.layers[0].id, "geompropvalue", "float", "Wear");
    b.layers[0].surface["base_color"].from = id;
    render::Workshop workshop;
    auto at = [&](const std::string& name, float u, float v) {
        scene::node(scene.build_ups[0], id)->inputs["geomprop"].value = name;
        scene::node(scene.build_ups[0], id)->inputs["default"].value = -3.f;
        const auto p = prepared(scene, s.path, workshop);
        CHECK(p->problems.empty());
        return values_at(*p, scene.build_ups[0], {"w", nodes::Type::number, {scene::Value{0.f}, id}}, {u, v})[0];
    };
    CHECK(at("wear", .25f, .5f) == Approx(4.f * .75f));
    CHECK(at("rust", .25f, .5f) == -3.f);
    CHECK(at("", .25f, .5f) == -3.f);
    // A document's square has no properties.
    CHECK(values(s, R"(<geompropvalue name="p" type="float"><input name="geomprop" type="string" value="wear"/>
        <input name="default" type="float" value="0.25"/></geompropvalue>
        <output name="out" type="float" nodename="p"/>)",
                 2)[0] == .25f);
}

TEST_CASE(
    "formulas speak of nodes that exist, by the names that the screen has, and every node of mathematics has one") {
    for (const nodes::NodeDescription& d : nodes::catalogue()) {
        INFO(d.kind);
        if (d.family == "mathematics") CHECK_FALSE(nodes::formula(d.kind).empty());
    }
    const nodes::NodeDescription& remap = *nodes::describe("remap");
    const std::string said = nodes::plain_formula(remap);
    CHECK(said.find("\u2039from, low\u203a") != std::string::npos);
    CHECK(said.find("inlow") == std::string::npos);
    CHECK(nodes::plain_formula(*nodes::describe("image")).empty());
}
