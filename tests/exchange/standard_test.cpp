// Documents of the open standard: read, evaluated, written and read again.
#include "exchange/standard/document.h"

#include "exchange/standard/evaluate.h"
#include "exchange/standard/values.h"
#include "program/compile.h"
#include "scene/project_file.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using exchange::StandardDocument;

namespace {

const fs::path reference = root / "tests" / "reference";

StandardDocument parsed(const std::string& inside) {
    auto d = exchange::parse_standard_document("<materialx version=\"1.39\">" + inside + "</materialx>", "test.mtlx");
    REQUIRE(d);
    return std::move(*d);
}
/// One output of a document at one pixel that covers the whole square: its middle.
std::vector<float> at_middle(const StandardDocument& d, const std::string& output) {
    const auto v = exchange::evaluate(d, output, 1, .37f, "test.mtlx");
    REQUIRE(v);
    for (const Error& e : v->problems) FAIL(e.line());
    return v->grid;
}
/// A nodegraph g of these nodes, whose output o of that type is the node x.
std::vector<float> value_of(const std::string& nodes, const std::string& type) {
    const StandardDocument d = parsed("<nodegraph name=\"g\">" + nodes + "<output name=\"o\" type=\"" + type +
                                      "\" nodename=\"x\"/></nodegraph>");
    for (const Error& e : d.problems) FAIL(e.line());
    return at_middle(d, "g/o");
}
std::string number_node(const std::string& kind, const std::string& inputs) {
    return "<" + kind + " name=\"x\" type=\"float\">" + inputs + "</" + kind + ">";
}
std::string in(const std::string& name, const std::string& type, const std::string& value) {
    return "<input name=\"" + name + "\" type=\"" + type + "\" value=\"" + value + "\"/>";
}

}  // namespace

TEST_CASE("curves by arrays of knots are read, and written as the arrays that they were") {
    const std::string arrays = in("in", "float", ".5") + in("knots", "floatarray", "0, .5, 1") +
                               in("knotvalues", "color3array", "0, 0, 1,  .25, .5, .75,  1, 1, 1");
    const std::string node = "<curvelookup name=\"x\" type=\"color3\">" + arrays + "</curvelookup>";
    CHECK_THAT(value_of(node, "color3"), AllClose({.25f, .5f, .75f}, 1e-5f));
    const std::string bent =
        in("in", "float", "1") + in("knots", "floatarray", "0, 1") + in("knotvalues", "floatarray", ".75, .125");
    CHECK(value_of(number_node("curveadjust", bent), "float")[0] == Approx(.125f));

    const StandardDocument d =
        parsed("<nodegraph name=\"g\">" + node + "<output name=\"o\" type=\"color3\" nodename=\"x\"/></nodegraph>");
    scene::Scene s;
    s.networks = d.networks;
    s.build_ups = {scene::default_build_up("b", "B")};
    scene::Node instance;
    instance.id = "i";
    instance.network = d.networks.front().id;
    s.build_ups.front().layers.front().nodes.push_back(instance);
    s.build_ups.front().layers.front().surface["base_color"].from = "i";
    const std::string text = exchange::write_standard_document(s).text;
    CHECK(text.find("type=\"floatarray\" value=\"0, 0.5, 1\"") != std::string::npos);
    CHECK(text.find("type=\"color3array\" value=\"0, 0, 1, 0.25, 0.5, 0.75, 1, 1, 1\"") != std::string::npos);
    CHECK(text.find("num_knots") == std::string::npos);
}

TEST_CASE("arrays that do not fit are told with their place, and the rest of the document stands") {
    auto problems_of = [](const std::string& inputs) {
        return parsed("<nodegraph name=\"g\"><curvelookup name=\"x\" type=\"float\">" + inputs +
                      "</curvelookup><output name=\"o\" type=\"float\" nodename=\"x\"/></nodegraph>")
            .problems;
    };
    std::string long_row = "0";
    for (int i = 1; i < 100000; ++i) long_row += ",1";
    for (const std::string& inputs :
         {in("knots", "floatarray", "0, word, 1"), in("knots", "floatarray", "0"), in("knots", "color3array", "0, 1"),
          in("knots", "floatarray", long_row), in("knots", "floatarray", "0, 1e999, nan"),
          std::string("<input name=\"knots\" type=\"floatarray\" nodename=\"y\"/>"),
          in("knots", "floatarray", "0, .5, 1") + in("knotvalues", "floatarray", "1, 2")}) {
        INFO(inputs.substr(0, 90));
        const auto problems = problems_of(inputs);
        REQUIRE(problems.size() == 1);
        CHECK(problems.front().place.find("x / knot") != std::string::npos);
        CHECK_FALSE(problems.front().remedy.empty());
    }
}

TEST_CASE("every output of the reference documents has the values of the standard library") {
    const auto expected = nlohmann::json::parse(*read_file(reference / "values.json"))["outputs"];
    size_t compared = 0;
    for (const char* file : {"noise.mtlx", "ramps.mtlx"}) {
        const auto document = exchange::read_standard_document(reference / file);
        REQUIRE(document);
        CHECK(document->problems.empty());
        for (const std::string& output : exchange::outputs_of(*document)) {
            if (output.find('/') == std::string::npos) continue;
            INFO(file << ":" << output);
            const auto& want = expected[std::string(file) + ":" + output];
            const auto got = exchange::evaluate(*document, output, 8, .37f, reference / file);
            REQUIRE(got);
            CHECK(got->problems.empty());
            CHECK(nodes::type_name(got->type) == want["type"].get<std::string>());
            CHECK_THAT(got->grid, AllClose(want["grid"].get<std::vector<float>>(), 1e-4f));
            ++compared;
        }
    }
    CHECK(compared == expected.size());
}

TEST_CASE("nodes of the standard have the values of its specification") {
    const std::string ab = in("in1", "float", "7.5") + in("in2", "float", "-2");
    CHECK(value_of(number_node("divide", ab), "float")[0] == -3.75f);
    CHECK(value_of(number_node("modulo", ab), "float")[0] == -.5f);  // 7.5 - -2 * floor(-3.75)
    CHECK(value_of(number_node("safepower", in("in1", "float", "-2") + in("in2", "float", "3")), "float")[0] == -8.f);
    CHECK(value_of(number_node("trianglewave", in("in", "float", "1.25")), "float")[0] == .5f);
    CHECK(value_of(number_node("round", in("in", "float", "-1.4")), "float")[0] == -1.f);
    CHECK(value_of(number_node("atan2", in("iny", "float", "1") + in("inx", "float", "0")), "float")[0] ==
          Approx(pi / 2));
    CHECK(value_of(number_node("ifgreater", in("value1", "float", "2") + in("value2", "float", "2") +
                                                in("in1", "float", "5") + in("in2", "float", "6")),
                   "float")[0] == 6.f);
    CHECK(value_of(number_node("ifgreatereq", in("value1", "float", "2") + in("value2", "float", "2") +
                                                  in("in1", "float", "5") + in("in2", "float", "6")),
                   "float")[0] == 5.f);
    CHECK(value_of(number_node("switch", in("in1", "float", "5") + in("in3", "float", "6") + in("which", "float", "2")),
                   "float")[0] == 6.f);
    CHECK(value_of(number_node("magnitude", in("in", "vector3", "2, 3, 6")), "float")[0] == 7.f);
    CHECK(value_of(number_node("dotproduct", in("in1", "vector2", "2, 3") + in("in2", "vector2", "4, 5")),
                   "float")[0] == 23.f);
    CHECK(value_of(number_node("extract", in("in", "color4", "1, 2, 3, 4") + in("index", "integer", "3")),
                   "float")[0] == 4.f);
    auto near = [](const std::vector<float>& have, std::vector<float> want) {
        CHECK_THAT(have, AllClose(want, 1e-5f));
    };
    near(value_of("<crossproduct name=\"x\" type=\"vector3\">" + in("in1", "vector3", "1, 0, 0") +
                      in("in2", "vector3", "0, 1, 0") + "</crossproduct>",
                  "vector3"),
         {0, 0, 1});
    near(value_of("<rotate2d name=\"x\" type=\"vector2\">" + in("in", "vector2", "1, 0") + in("amount", "float", "90") +
                      "</rotate2d>",
                  "vector2"),
         {0, -1});
    near(value_of("<place2d name=\"x\" type=\"vector2\">" + in("texcoord", "vector2", "1, .5") +
                      in("pivot", "vector2", ".5, .5") + in("scale", "vector2", "2, 1") +
                      in("offset", "vector2", ".1, .2") + "</place2d>",
                  "vector2"),
         {.65f, .3f});
    near(value_of("<rgbtohsv name=\"x\" type=\"color3\">" + in("in", "color3", ".2, .4, .1") + "</rgbtohsv>", "color3"),
         {.27777778f, .75f, .4f});
    near(value_of("<hsvtorgb name=\"x\" type=\"color3\">" + in("in", "color3", ".27777778, .75, .4") + "</hsvtorgb>",
                  "color3"),
         {.2f, .4f, .1f});
    near(value_of("<hsvadjust name=\"x\" type=\"color3\">" + in("in", "color3", ".8, .1, .1") +
                      in("amount", "vector3", "0.3333333, 1, .5") + "</hsvadjust>",
                  "color3"),
         {.05f, .4f, .05f});
    near(value_of("<luminance name=\"x\" type=\"color3\">" + in("in", "color3", "1, 0, 0") + "</luminance>", "color3"),
         {.2722287f, .2722287f, .2722287f});
    near(value_of("<contrast name=\"x\" type=\"float\">" + in("in", "float", ".75") + in("amount", "float", "3") +
                      "</contrast>",
                  "float"),
         {1.25f});
    near(value_of("<smoothstep name=\"x\" type=\"float\">" + in("in", "float", ".25") + "</smoothstep>", "float"),
         {.15625f});
}

TEST_CASE("blends and compositing follow the standard's formulas") {
    auto blend = [](const std::string& kind, const std::string& fg, const std::string& bg, const std::string& mix) {
        return value_of(number_node(kind, in("fg", "float", fg) + in("bg", "float", bg) + in("mix", "float", mix)),
                        "float")[0];
    };
    CHECK(blend("plus", ".25", ".5", "1") == .75f);
    CHECK(blend("minus", ".25", ".5", "1") == .25f);
    CHECK(blend("difference", ".75", ".5", ".5") == Approx(.375f));
    CHECK(blend("burn", ".5", ".75", "1") == Approx(.5f));
    CHECK(blend("burn", "0", ".75", ".5") == 0.f);
    CHECK(blend("dodge", ".5", ".25", "1") == Approx(.5f));
    CHECK(blend("dodge", "1", ".25", ".5") == 0.f);
    CHECK(blend("screen", ".5", ".5", "1") == Approx(.75f));
    CHECK(blend("overlay", ".25", ".25", "1") == Approx(.125f));
    CHECK(blend("overlay", ".25", ".5", "1") == Approx(.25f));
    auto composite = [](const std::string& kind, const std::string& fg, const std::string& bg) {
        return value_of("<" + kind + " name=\"x\" type=\"color4\">" + in("fg", "color4", fg) + in("bg", "color4", bg) +
                            "</" + kind + ">",
                        "color4");
    };
    const std::string f = ".4, .2, 0, .5";
    const std::string b = ".1, .3, .6, .75";
    CHECK_THAT(composite("over", f, b), AllClose({.45f, .35f, .3f, .875f}, 1e-6f));
    CHECK_THAT(composite("in", f, b), AllClose({.3f, .15f, 0.f, .375f}, 1e-6f));
    CHECK_THAT(composite("out", f, b), AllClose({.1f, .05f, 0.f, .125f}, 1e-6f));
    CHECK_THAT(composite("mask", f, b), AllClose({.05f, .15f, .3f, .375f}, 1e-6f));
    CHECK_THAT(composite("matte", f, b), AllClose({.25f, .25f, .3f, .875f}, 1e-6f));
    CHECK_THAT(composite("disjointover", f, b), AllClose({.4666667f, .4f, .4f, 1.f}, 1e-6f));
}

TEST_CASE("colours of a document become linear Rec.709, by the nearest space that is said") {
    const std::string constant =
        "<constant name=\"x\" type=\"color3\">" + in("value", "color3", ".5, .5, .5") + "</constant>";
    CHECK(value_of(constant, "color3")[0] == .5f);
    const StandardDocument d = parsed("<nodegraph name=\"g\" colorspace=\"srgb_texture\">" + constant +
                                      "<output name=\"o\" type=\"color3\" nodename=\"x\"/></nodegraph>");
    CHECK(at_middle(d, "g/o")[1] == Approx(.2140411f));
    CHECK(exchange::from_standard_space("acescg", {1, 1, 1})->x == Approx(1.f).margin(2e-4));
    CHECK(exchange::from_standard_space("g22_ap1", {.5f, .5f, .5f})->y == Approx(.2176376f).margin(2e-4));
    CHECK(exchange::from_standard_space("lin_displayp3", {1, 0, 0})->x == Approx(1.22494f));
    CHECK_FALSE(exchange::from_standard_space("no such space", {1, 1, 1}));
}

TEST_CASE("separated, combined and converted values come through") {
    const std::string parts =
        "<separate3 name=\"s\" type=\"multioutput\">" + in("in", "color3", "1, 2, 3") +
        "</separate3>"
        "<combine2 name=\"x\" type=\"color4\"><input name=\"in1\" type=\"color3\" nodename=\"c\"/>"
        "<input name=\"in2\" type=\"float\" nodename=\"s\" output=\"outb\"/></combine2>"
        "<constant name=\"c\" type=\"color3\">" +
        in("value", "color3", ".1, .2, .3") + "</constant>";
    CHECK_THAT(value_of(parts, "color4"), AllClose({.1f, .2f, .3f, 3.f}, 1e-6f));
    auto convert = [](const std::string& from, const std::string& value, const std::string& to) {
        return value_of("<convert name=\"x\" type=\"" + to + "\">" + in("in", from, value) + "</convert>", to);
    };
    CHECK_THAT(convert("float", ".5", "color4"), AllClose({.5f, .5f, .5f, 1.f}, 1e-6f));
    CHECK_THAT(convert("color3", "1, 2, 3", "color4"), AllClose({1, 2, 3, 1}, 1e-6f));
    CHECK_THAT(convert("vector2", "1, 2", "vector3"), AllClose({1, 2, 0}, 1e-6f));
    CHECK_THAT(convert("boolean", "true", "float"), AllClose({1.f}, 1e-6f));
}

TEST_CASE("a document's own nodes, graphs behind graphs and loose nodes are read") {
    const StandardDocument d =
        parsed("<nodedef name=\"ND_twice\" node=\"twice\">" + in("in", "float", "1") +
               "<output name=\"out\" type=\"float\"/></nodedef>"
               "<nodegraph name=\"NG_twice\" nodedef=\"ND_twice\"><add name=\"a\" type=\"float\">"
               "<input name=\"in1\" type=\"float\" interfacename=\"in\"/><input name=\"in2\" type=\"float\" "
               "interfacename=\"in\"/></add>"
               "<output name=\"out\" type=\"float\" nodename=\"a\"/></nodegraph>"
               "<nodegraph name=\"g\">" +
               in("start", "float", "3") +
               "<twice name=\"t\" type=\"float\"><input name=\"in\" type=\"float\" interfacename=\"start\"/></twice>"
               "<output name=\"o\" type=\"float\" nodename=\"t\"/></nodegraph>"
               "<nodegraph name=\"h\"><input name=\"from\" type=\"float\" nodegraph=\"g\" output=\"o\"/>"
               "<multiply name=\"m\" type=\"float\"><input name=\"in1\" type=\"float\" interfacename=\"from\"/>" +
               in("in2", "float", "10") +
               "</multiply><output name=\"o\" type=\"float\" nodename=\"m\"/></nodegraph>"
               "<add name=\"free\" type=\"float\"><input name=\"in1\" type=\"float\" nodegraph=\"h\" output=\"o\"/>" +
               in("in2", "float", ".5") + "</add><output name=\"last\" type=\"float\" nodename=\"free\"/>");
    CHECK(at_middle(d, "g/o")[0] == 6.f);
    CHECK(at_middle(d, "h/o")[0] == 60.f);
    CHECK(at_middle(d, "free")[0] == 60.5f);
    CHECK(at_middle(d, "last")[0] == 60.5f);
    CHECK_FALSE(exchange::evaluate(d, "g/nothing", 1, 0.f, "test.mtlx"));
}

TEST_CASE("a bad document is answered, and what is good in it is there") {
    CHECK_FALSE(exchange::parse_standard_document("<materialx", "bad.mtlx"));
    CHECK_FALSE(exchange::parse_standard_document("<other/>", "bad.mtlx"));
    CHECK_FALSE(exchange::parse_standard_document("", "bad.mtlx"));
    CHECK_FALSE(exchange::read_standard_document(root / "there is no such file.mtlx"));
    const StandardDocument d = parsed(
        "<nodegraph name=\"g\"><add name=\"a\" type=\"float\"><input name=\"in1\" type=\"float\" nodename=\"b\"/>" +
        in("in2", "float", "not a number") + in("in9", "float", "1") +
        "</add><add name=\"b\" type=\"float\"><input name=\"in1\" type=\"float\" nodename=\"a\"/></add>"
        "<nonsense name=\"n\" type=\"float\"/><add name=\"a\" type=\"float\"/>"
        "<constant name=\"c\" type=\"float\">" +
        in("value", "float", "2") +
        "</constant>"
        "<output name=\"circle\" type=\"float\" nodename=\"a\"/><output name=\"unknown\" type=\"float\" "
        "nodename=\"n\"/>"
        "<output name=\"nothing\" type=\"float\" nodename=\"no such\"/><output name=\"good\" type=\"float\" "
        "nodename=\"c\"/></nodegraph>");
    CHECK(d.problems.size() == 3);
    CHECK(at_middle(d, "g/good")[0] == 2.f);
    for (const char* bad : {"g/circle", "g/unknown", "g/nothing"}) {
        const auto v = exchange::evaluate(d, bad, 1, 0.f, "test.mtlx");
        REQUIRE(v);
        CHECK_FALSE(v->problems.empty());
        CHECK(std::isfinite(v->grid[0]));
    }
    // An entity that would become a thousand million characters is not followed.
    const auto bomb = exchange::parse_standard_document(
        "<!DOCTYPE x [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;\">]><materialx "
        "version=\"1.39\">"
        "<nodegraph name=\"g\"><constant name=\"c\" type=\"string\">" +
            in("value", "string", "&b;") + "</constant></nodegraph></materialx>",
        "bomb.mtlx");
    CHECK(bomb);
    std::string deep;
    for (int i = 0; i < 10000; ++i) deep += "<nodegraph name=\"g\">";
    for (int i = 0; i < 10000; ++i) deep += "</nodegraph>";
    CHECK(exchange::parse_standard_document("<materialx>" + deep + "</materialx>", "deep.mtlx"));
    std::string chain = "<constant name=\"n0\" type=\"float\">" + in("value", "float", "1") + "</constant>";
    for (int i = 1; i < 100000; ++i)
        chain += "<dot name=\"n" + std::to_string(i) +
                 "\" type=\"float\"><input name=\"in\" type=\"float\" nodename=\"n" + std::to_string(i - 1) +
                 "\"/></dot>";
    const StandardDocument many = parsed("<nodegraph name=\"g\">" + chain +
                                         "<output name=\"o\" type=\"float\" nodename=\"n99999\"/></nodegraph>");
    CHECK(at_middle(many, "g/o")[0] == 1.f);
}

TEST_CASE("a mix of surfaces is a cover, and standard_surface speaks OpenPBR") {
    const StandardDocument d = parsed(
        "<nodegraph name=\"g\"><noise2d name=\"n\" type=\"float\"/><output name=\"o\" type=\"float\" "
        "nodename=\"n\"/></nodegraph>"
        "<open_pbr_surface name=\"paint\" type=\"surfaceshader\">" +
        in("base_color", "color3", ".1, .2, .3") +
        "</open_pbr_surface>"
        "<standard_surface name=\"rust\" type=\"surfaceshader\">" +
        in("metalness", "float", ".25") + in("thin_film_thickness", "float", "500") +
        "<input name=\"specular_roughness\" type=\"float\" nodegraph=\"g\" output=\"o\"/>"
        "</standard_surface>"
        "<mix name=\"both\" type=\"surfaceshader\"><input name=\"bg\" type=\"surfaceshader\" nodename=\"paint\"/>"
        "<input name=\"fg\" type=\"surfaceshader\" nodename=\"rust\"/>"
        "<input name=\"mix\" type=\"float\" nodegraph=\"g\" output=\"o\"/></mix>"
        "<surfacematerial name=\"Hull\" type=\"material\"><input name=\"surfaceshader\" type=\"surfaceshader\" "
        "nodename=\"both\"/></surfacematerial>");
    REQUIRE(d.build_ups.size() == 1);
    const scene::BuildUp& b = d.build_ups[0];
    CHECK(b.name == "Hull");
    REQUIRE(b.layers.size() == 2);
    CHECK(scene::as_vector(b.layers[0].surface.at("base_color").value) == V3f(.1f, .2f, .3f));
    CHECK(b.layers[1].gate.mask.from == "g");
    CHECK(scene::as_number(b.layers[1].surface.at("base_metalness").value) == .25f);
    CHECK(scene::as_number(b.layers[1].surface.at("thin_film_thickness").value) == Approx(.5f));
    CHECK(b.layers[1].surface.at("specular_roughness").from == "g");
    scene::Scene s;
    s.build_ups.push_back(scene::default_build_up("hull", "Taken"));
    const auto ids = exchange::take_in(d, s, root / "x.mtlx", root / "p.vemtra");
    REQUIRE(ids.size() == 1);
    CHECK(ids[0] != "hull");
    CHECK(s.networks.size() == 1);
    CHECK(scene::find(s.build_ups, ids[0])->commons[0].network == s.networks[0].id);
}

namespace {
/// The one layer of a document with that surface.
scene::Layer layer_of(const std::string& kind, const std::string& inputs, size_t problems = 0) {
    const StandardDocument d = parsed("<" + kind + " name=\"s\" type=\"surfaceshader\">" + inputs + "</" + kind + ">");
    REQUIRE(d.build_ups.size() == 1);
    CHECK(d.problems.size() == problems);
    return d.build_ups[0].layers.at(0);
}
/// What a slot has there, its default where nothing is said.
V3f slot_of(const scene::Layer& l, const char* slot) {
    const nodes::Port& port = *nodes::surface_description().port(slot);
    return scene::as_vector(nodes::literal_of(l.surface, port));
}
}  // namespace

TEST_CASE("surfaces of other models have their own defaults where nothing is said") {
    const scene::Layer standard = layer_of("standard_surface", "");
    CHECK(slot_of(standard, "base_color").x * slot_of(standard, "base_weight").x == Approx(.8f));
    CHECK(slot_of(standard, "specular_roughness").x == Approx(.2f));
    CHECK(slot_of(standard, "coat_ior").x == Approx(1.5f));
    const scene::Layer gltf = layer_of("gltf_pbr", "");
    CHECK(slot_of(gltf, "base_color") == V3f(1.f));
    CHECK(slot_of(gltf, "base_metalness").x == 1.f);
    CHECK(slot_of(gltf, "specular_roughness").x == 1.f);
    CHECK(slot_of(gltf, "fuzz_weight").x == 0.f);
    CHECK(slot_of(gltf, "emission_color") == V3f(0.f));
    const scene::Layer preview = layer_of("UsdPreviewSurface", "");
    CHECK(slot_of(preview, "base_color") == V3f(.18f));
    CHECK(slot_of(preview, "specular_roughness").x == .5f);
    CHECK(slot_of(preview, "coat_roughness").x == Approx(.01f));
}

TEST_CASE("a preview surface and a glTF material are read slot by slot, in our units") {
    const scene::Layer preview =
        layer_of("UsdPreviewSurface", in("diffuseColor", "color3", ".1, .2, .3") + in("metallic", "float", "1") +
                                          in("clearcoat", "float", ".5") + in("opacity", "float", ".25") +
                                          in("ior", "float", "1.33") + in("emissiveColor", "color3", "2, 1, 0"));
    CHECK(slot_of(preview, "base_color") == V3f(.1f, .2f, .3f));
    CHECK(slot_of(preview, "base_metalness").x == 1.f);
    CHECK(slot_of(preview, "coat_weight").x == .5f);
    CHECK(slot_of(preview, "geometry_opacity").x == .25f);
    CHECK(slot_of(preview, "specular_ior").x == Approx(1.33f));
    CHECK(slot_of(preview, "emission_color") == V3f(2, 1, 0));
    CHECK(slot_of(preview, "emission_luminance").x == 1000.f);

    const std::string glass = in("transmission", "float", "1") + in("alpha", "float", ".3") +
                              in("sheen_color", "color3", ".2, .4, .1") + in("iridescence_thickness", "float", "400");
    const scene::Layer thin = layer_of("gltf_pbr", glass);
    CHECK_FALSE(thin.surface.contains("geometry_opacity"));  // opaque, unless a mode says otherwise
    CHECK(slot_of(thin, "geometry_thin_walled").x == 1.f);
    CHECK(slot_of(thin, "fuzz_weight").x == Approx(.4f));
    CHECK(slot_of(thin, "fuzz_color").x == Approx(.5f));
    CHECK(slot_of(thin, "thin_film_thickness").x == Approx(.4f));
    const scene::Layer body =
        layer_of("gltf_pbr", glass + in("thickness", "float", ".01") + in("alpha_mode", "integer", "2") +
                                 in("attenuation_distance", "float", ".05"));
    CHECK(slot_of(body, "geometry_opacity").x == Approx(.3f));
    CHECK(slot_of(body, "geometry_thin_walled").x == 0.f);
    CHECK(slot_of(body, "transmission_depth").x == Approx(.05f));
    layer_of("UsdPreviewSurface", in("useSpecularWorkflow", "integer", "1"), 1);
}

TEST_CASE("what the standard cannot say is told by name") {
    const auto loaded = scene::load(root / "demo" / "lantern.vemtra");
    REQUIRE(loaded);
    const auto written = exchange::write_standard_document(loaded->scene);
    CHECK_FALSE(written.problems.empty());
    for (const Error& e : written.problems) CHECK_FALSE(e.place.empty());
    const auto read = exchange::parse_standard_document(written.text, "lantern.mtlx");
    REQUIRE(read);
    for (const Error& e : read->problems) FAIL_CHECK(e.line());
    CHECK(read->build_ups.size() >= 2);
}

TEST_CASE(
    "a mix as the cover of a mix is read as a build-up that a layer shows, and comes back from its own document") {
    scene::Scene s;
    s.build_ups.push_back(scene::default_build_up("wall", "Wall"));
    s.build_ups.push_back(scene::default_build_up("sticker", "Sticker"));
    const std::string print = scene::add_layer(s.build_ups[1], "Print");
    scene::find(s.build_ups[1].layers, print)->surface["base_color"].value = V3f(.1f, .2f, .3f);
    scene::find(s.build_ups[1].layers, print)->amount = .25f;
    const std::string stuck = scene::add_layer(s.build_ups[0], "Stuck");
    scene::find(s.build_ups[0].layers, stuck)->build_up = "sticker";
    scene::find(s.build_ups[0].layers, stuck)->amount = .5f;
    const auto written = exchange::write_standard_document(s);
    auto read = exchange::parse_standard_document(written.text, "x.mtlx");
    REQUIRE(read);
    for (const Error& e : read->problems) FAIL_CHECK(e.line());
    scene::Scene into = s;
    const auto ids = exchange::take_in(std::move(*read), into, root / "x.mtlx", root / "p.vemtra");
    const scene::BuildUp* wall = nullptr;
    for (const std::string& id : ids) {
        const scene::BuildUp* b = scene::find(into.build_ups, id);
        REQUIRE(b);
        if (b->layers.size() == 2 && !b->layers[1].build_up.empty()) wall = b;
    }
    REQUIRE(wall);
    CHECK(wall->layers[1].amount == .5f);
    const scene::BuildUp* inner = scene::find(into.build_ups, wall->layers[1].build_up);
    REQUIRE(inner);
    CHECK(inner->id != "sticker");
    REQUIRE(inner->layers.size() == 2);
    CHECK(inner->layers[1].amount == .25f);
    CHECK(scene::as_vector(inner->layers[1].surface.at("base_color").value) == V3f(.1f, .2f, .3f));
}

TEST_CASE("mixes that show themselves end") {
    const auto read = exchange::parse_standard_document(
        "<materialx version='1.39'><mix name='a' type='surfaceshader'><input name='bg' type='surfaceshader' "
        "nodename='a'/><input name='fg' type='surfaceshader' nodename='a'/><input name='mix' type='float' "
        "value='.5'/></mix><surfacematerial name='m' type='material'><input name='surfaceshader' "
        "type='surfaceshader' nodename='a'/></surfacematerial></materialx>",
        "x.mtlx");
    REQUIRE(read);
    CHECK_FALSE(read->problems.empty());
}

TEST_CASE("a network that runs in a circle is written with a default where it closes, and told") {
    scene::Scene s;
    s.build_ups.push_back(scene::default_build_up("b", "B"));
    scene::BuildUp& b = s.build_ups[0];
    for (const char* id : {"x", "y"}) {
        scene::Node n;
        n.id = n.name = id;
        n.kind = "add";
        n.type = "float";
        b.layers[0].nodes.push_back(n);
    }
    b.layers[0].nodes[0].inputs["in1"].from = "y";
    b.layers[0].nodes[1].inputs["in1"].from = "x";
    b.layers[0].surface["specular_roughness"].from = "x";
    const auto written = exchange::write_standard_document(s);
    REQUIRE(written.problems.size() == 1);
    CHECK(written.problems[0].why.find("circle") != std::string::npos);
    const auto read = exchange::parse_standard_document(written.text, "circle.mtlx");
    REQUIRE(read);
    CHECK(read->problems.empty());
}

TEST_CASE("build-ups that show one another many times over, or themselves, are written once each") {
    scene::Scene scene = plain_scene("none.obj");
    const scene::BuildUp first = scene.build_ups[0];
    for (int k = 1; k < 40; ++k) {
        scene::BuildUp b = first;
        b.id = b.name = "twice" + std::to_string(k);
        b.layers = {first.layers[0], first.layers[0]};
        for (size_t l = 0; l < 2; ++l) {
            b.layers[l].id = b.layers[l].name = "layer" + std::to_string(l);
            b.layers[l].build_up = scene.build_ups.back().id;
        }
        scene.build_ups.push_back(b);
    }
    scene.parts[0].build_up = scene.build_ups.back().id;
    auto count = [](const std::string& text, const std::string& what) {
        size_t n = 0;
        for (size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 1)) ++n;
        return n;
    };
    const std::string text = exchange::write_standard_document(scene).text;
    CHECK(count(text, "<open_pbr_surface ") == 1);
    CHECK(count(text, "<mix ") == 39);
    // A chain of thousands ends with a sentence, not with the stack.
    scene::Scene chain = plain_scene("none.obj");
    for (int k = 1; k < 3000; ++k) {
        scene::BuildUp b = first;
        b.id = b.name = "link" + std::to_string(k);
        b.layers[0].build_up = chain.build_ups.back().id;
        chain.build_ups.push_back(b);
    }
    chain.parts[0].build_up = chain.build_ups.back().id;
    const auto cut = exchange::write_standard_document(chain);
    CHECK(std::any_of(cut.problems.begin(), cut.problems.end(),
                      [](const Error& e) { return e.why.find("build-ups in others") != std::string::npos; }));
    scene.build_ups[0].layers[0].build_up = scene.build_ups.back().id;  // a circle
    CHECK(exchange::parse_standard_document(exchange::write_standard_document(scene).text, "circle.mtlx"));
}
