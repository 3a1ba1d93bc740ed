// What is the same everywhere, a file or a number of octaves, given from outside of a network.
#include <set>

#include "exchange/collect.h"
#include "exchange/standard/document.h"
#include "exchange/standard/evaluate.h"
#include "nodes/groups.h"
#include "program/compile.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

const char* two_stamps = R"(<?xml version="1.0"?><materialx version="1.39">
  <nodedef name="ND_stamp" node="stamp"><input name="map" type="filename" value="white.exr"/>
    <input name="octaves" type="integer" value="1"/><output name="out" type="float"/></nodedef>
  <nodegraph name="NG_stamp" nodedef="ND_stamp">
    <image name="image" type="float"><input name="file" type="filename" interfacename="map"/></image>
    <fractal2d name="noise" type="float"><input name="octaves" type="integer" interfacename="octaves"/></fractal2d>
    <multiply name="both" type="float"><input name="in1" type="float" nodename="image"/>
      <input name="in2" type="float" nodename="noise"/></multiply>
    <output name="out" type="float" nodename="both"/>
  </nodegraph>
  <nodegraph name="g">
    <stamp name="one" type="float"><input name="map" type="filename" value="half.exr"/>
      <input name="octaves" type="integer" value="4"/></stamp>
    <stamp name="two" type="float"/>
    <fractal2d name="four" type="float"><input name="octaves" type="integer" value="4"/></fractal2d>
    <fractal2d name="single" type="float"><input name="octaves" type="integer" value="1"/></fractal2d>
    <constant name="three" type="integer"><input name="value" type="integer" value="3"/></constant>
    <fractal2d name="by_constant" type="float"><input name="octaves" type="integer" nodename="three"/></fractal2d>
    <fractal2d name="third" type="float"><input name="octaves" type="integer" value="3"/></fractal2d>
    <fractal2d name="by_noise" type="float"><input name="octaves" type="integer" nodename="four"/></fractal2d>
    <output name="one_out" type="float" nodename="one"/><output name="two_out" type="float" nodename="two"/>
    <output name="four_out" type="float" nodename="four"/><output name="single_out" type="float" nodename="single"/>
    <output name="constant_out" type="float" nodename="by_constant"/>
    <output name="third_out" type="float" nodename="third"/><output name="noise_out" type="float" nodename="by_noise"/>
  </nodegraph></materialx>)";

struct PortBench {
    Scratch s;
    fs::path file;
    exchange::StandardDocument document;
    PortBench() {
        write_image(s.path / "white.exr", 4, 4, 1, Kept::floats, [](int, int, int) { return 1.f; });
        write_image(s.path / "half.exr", 4, 4, 1, Kept::floats, [](int, int, int) { return .5f; });
        file = s.write("stamps.mtlx", two_stamps);
        auto read = exchange::read_standard_document(file);
        REQUIRE(read);
        document = std::move(*read);
    }
    exchange::StandardValues values(const std::string& output) const {
        auto v = exchange::evaluate(document, "g/" + output, 8, .37f, file);
        REQUIRE(v);
        return *v;
    }
};

/// A build-up with an instance of the stamp, in a scene.
scene::Scene with_instance(const PortBench& t, std::string& id) {
    scene::Scene scene;
    exchange::StandardDocument document = t.document;
    exchange::take_in(std::move(document), scene, t.file, t.s.path / "p.vemtra");
    scene::BuildUp b = scene::default_build_up("b", "Material");
    scene::Node n;
    n.id = n.name = id = "stamp";
    for (const scene::Network& network : scene.networks)
        if (network.inputs.size() == 2) n.network = network.id;
    n.inputs["map"].value = std::string("half.exr");
    n.inputs["octaves"].value = 4.f;
    b.layers[0].nodes.push_back(n);
    b.layers[0].surface["base_weight"].from = id;
    scene.build_ups.push_back(b);
    return scene;
}

std::vector<float> weight(const scene::Scene& s, const fs::path& folder) {
    const scene::BuildUp& b = *scene::find(s.build_ups, "b");
    return exchange::evaluate_on_square(b, s.networks, b.layers[0].surface.at("base_weight"), nodes::Type::number, 8,
                                        .37f, Paths(folder))
        .grid;
}

}  // namespace

TEST_CASE("each instance has its own file and its own count of octaves") {
    const PortBench t;
    CHECK(t.document.problems.empty());
    auto one = t.values("four_out").grid;
    for (float& x : one) x *= .5f;
    CHECK_THAT(t.values("one_out").grid, AllClose(one, 1e-6f));
    CHECK_THAT(t.values("two_out").grid, AllClose(t.values("single_out").grid, 1e-6f));
}

TEST_CASE("a constant gives what is the same everywhere; what differs from point to point is refused with its place") {
    const PortBench t;
    const auto three = t.values("constant_out");
    CHECK(three.problems.empty());
    CHECK_THAT(three.grid, AllClose(t.values("third_out").grid, 0.f));
    const auto refused = t.values("noise_out");
    REQUIRE(refused.problems.size() == 1);
    CHECK(refused.problems[0].why.find("cannot be driven") != std::string::npos);
    CHECK(refused.problems[0].place.find("by_noise / octaves") != std::string::npos);
}

TEST_CASE("a group that takes a file lies open with it, and takes it again when it is closed") {
    const PortBench t;
    std::string id;
    scene::Scene s = with_instance(t, id);
    const auto before = weight(s, t.s.path);
    const std::string network = scene::find_node(*scene::find(s.build_ups, "b"), id).node->network;
    REQUIRE(nodes::lay_open(s, "b", id));
    CHECK_THAT(weight(s, t.s.path), AllClose(before, 1e-6f));
    bool seen = false;
    scene::for_each_node(*scene::find(s.build_ups, "b"), [&](scene::Node& n, scene::Layer*) {
        if (n.kind != "image") return;
        seen = true;
        CHECK(std::get<std::string>(n.inputs.at("file").value) == "half.exr");
        CHECK(n.words_from.size() == 1);
    });
    CHECK(seen);
    auto loaded = scene::parse(scene::to_text(s), "x");
    REQUIRE(loaded);
    CHECK(loaded->scene == s);
    REQUIRE(nodes::close_group(s, "b", network));
    CHECK_THAT(weight(s, t.s.path), AllClose(before, 1e-6f));
    const scene::Network& closed = *scene::find(s.networks, network);
    REQUIRE(closed.inputs.size() == 2);
    int words = 0;
    for (const scene::NetworkInput& i : closed.inputs) words += i.name == "map" && i.type == "string";
    CHECK(words == 1);
}

TEST_CASE("a file that an instance is given is collected, and handed over as a file") {
    const PortBench t;
    std::string id;
    scene::Scene s = with_instance(t, id);
    std::set<std::string> files;
    exchange::for_each_file(s, [&](const std::string&, const std::string& path, const char*) { files.insert(path); });
    CHECK(files.contains("half.exr"));
    CHECK(files.contains("white.exr"));  // what the network takes where nothing is given
    // Nothing else of words is taken for a path.
    CHECK(files.size() == 2);
    const std::string text = exchange::write_standard_document(s).text;
    CHECK(text.find("interfacename=\"map\"") != std::string::npos);
    CHECK(text.find("type=\"filename\" value=\"half.exr\"") != std::string::npos);
    auto again = exchange::parse_standard_document(text, "again");
    REQUIRE(again);
    CHECK(again->problems.empty());
}

TEST_CASE("no path comes to a file port by a way that is not looked at before files are opened") {
    scene::BuildUp b = scene::default_build_up("b", "Material");
    const std::string layer = b.layers[0].id;
    const std::string word = scene::add_node(b, layer, "dot", "float", "Word");
    scene::node(b, word)->inputs["in"].value = std::string("/elsewhere/secret.png");
    const std::string image = scene::add_node(b, layer, "image", "color3", "Image");
    scene::Input& file = scene::node(b, image)->inputs["file"];
    file.value = std::string("own.png");
    file.from = word;
    const std::vector<program::Wanted> wanted{{"c", nodes::Type::color, {scene::Value{V3f(0.f)}, image}}};
    auto files = [&](const std::vector<scene::Network>& networks, std::vector<Error>& problems) {
        program::Resources resources;
        program::compile(b, wanted, resources, problems, &networks);
        REQUIRE(resources.images.size() == 1);
        return resources.images[0].file;
    };
    std::vector<Error> problems;
    CHECK(files({}, problems) == "own.png");
    CHECK_FALSE(problems.empty());
    // Nor out of an instance whose output is a word.
    scene::Network says;
    says.id = says.name = "says";
    says.outputs.push_back({"out", "string", {scene::Value{std::string("/elsewhere/secret.png")}, {}}, {}});
    scene::node(b, word)->network = "says";
    problems.clear();
    CHECK(files({says}, problems) == "own.png");
    CHECK_FALSE(problems.empty());
}
