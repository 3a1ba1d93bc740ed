#include "program/compile.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::Type;

namespace {

/// Runs a program at one point whose rows count up: row r is r / 100.
std::vector<float> run(const program::Program& p) {
    std::vector<float> rows(nodes::row_count);
    nodes::PointBatch batch;
    batch.n = 1;
    for (int r = 0; r < nodes::row_count; ++r) {
        rows[size_t(r)] = float(r) / 100.f;
        batch.rows[r] = &rows[size_t(r)];
    }
    program::Workspace w;
    std::vector<const float*> out(size_t(std::max(1, p.component_count())));
    p.run(batch, w, out.data());
    std::vector<float> values;
    for (int c = 0; c < p.component_count(); ++c) values.push_back(out[size_t(c)][0]);
    return values;
}
program::Program compile(const scene::BuildUp& b, const scene::Input& input, Type type,
                         std::vector<Error>* told = nullptr) {
    program::Resources resources;
    std::vector<Error> problems;
    auto p = program::compile(b, {{"wanted", type, input}}, resources, problems);
    if (told) *told = problems;
    return p;
}
const std::vector<float> uv_place{.06f, .07f, .20f, .21f, .22f, .23f};  // rows of the UVs and their footprint

}  // namespace

TEST_CASE("a literal of a place is (u, v) without a footprint") {
    const scene::BuildUp b = scene::default_build_up("b", "B");
    CHECK(run(compile(b, {scene::Value{V2f(.25f, .75f)}, {}}, Type::place)) ==
          std::vector<float>{.25f, .75f, 0, 0, 0, 0});
    CHECK(run(compile(b, {scene::Value{.5f}, {}}, Type::place)) == std::vector<float>{.5f, .5f, 0, 0, 0, 0});
    CHECK(run(compile(b, {scene::Value{std::string("a word")}, {}}, Type::place)) == std::vector<float>(6, 0.f));
}

TEST_CASE("a map whose place is a missing, an unknown or a circular node is read at the UVs, and that is told") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string lane = b.layers[0].id, placing = scene::add_node(b, lane, "placement", "place", "Placing");
    scene::node(b, placing)->inputs["real_size"].value = 0.f;
    SECTION("missing") {
        scene::node(b, placing)->inputs["texcoord"].from = "nobody";
    }
    SECTION("unknown") {
        const std::string odd = scene::add_node(b, lane, "from-another-version", "", "Odd");
        scene::node(b, placing)->inputs["texcoord"].from = odd;
    }
    SECTION("circular") {
        const std::string second = scene::add_node(b, lane, "placement", "place", "Second");
        scene::node(b, placing)->inputs["texcoord"].from = second;
        scene::node(b, second)->inputs["texcoord"].from = placing;
    }
    std::vector<Error> told;
    const auto values = run(compile(b, {scene::Value{0.f}, placing}, Type::place, &told));
    REQUIRE(values.size() == 6);
    for (size_t c = 0; c < 6; ++c)
        CHECK(values[c] == Approx(uv_place[c]).margin(1e-5));  // a placement of one copy changes nothing
    CHECK_FALSE(told.empty());
}

TEST_CASE("a place that a network works out has the footprint that the network gives it") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string lane = b.layers[0].id, placing = scene::add_node(b, lane, "placement", "place", "Placing"),
                      times = scene::add_node(b, lane, "multiply", "vector2", "Times"),
                      uv = scene::add_node(b, lane, "texcoord", "vector2", "UV"),
                      turned = scene::add_node(b, lane, "combine2", "vector2", "Turned"),
                      v = scene::add_node(b, lane, "extract", "float", "V"),
                      u = scene::add_node(b, lane, "extract", "float", "U");
    scene::node(b, placing)->inputs["real_size"].value = 0.f;
    scene::node(b, times)->inputs["in1"].from = uv;
    scene::node(b, times)->inputs["in2"].value = V2f(50.f, 20.f);
    scene::node(b, u)->inputs["in"].from = times;
    scene::node(b, v)->inputs["in"].from = times;
    scene::node(b, v)->inputs["index"].value = 1.f;
    scene::node(b, turned)->inputs["in1"].from = v;
    scene::node(b, turned)->inputs["in2"].from = u;
    const float expected[] = {.07f * 20, .06f * 50, .21f * 20, .20f * 50, .23f * 20, .22f * 50};
    scene::node(b, placing)->inputs["texcoord"].from = turned;
    std::vector<Error> told;
    const program::Program p = compile(b, {scene::Value{0.f}, placing}, Type::place, &told);
    CHECK(told.empty());
    const auto values = run(p);
    REQUIRE(values.size() == 6);
    for (size_t c = 0; c < 6; ++c) CHECK(values[c] == Approx(expected[c]).margin(1e-5));
    // Points without a footprint: none comes of it.
    std::vector<float> rows(nodes::row_count, .25f);
    nodes::PointBatch batch;
    batch.n = 1;
    for (int r = 0; r < nodes::rows_without_footprint; ++r) batch.rows[r] = &rows[size_t(r)];
    program::Workspace w;
    std::vector<const float*> out(6);
    p.run(batch, w, out.data());
    CHECK(out[0][0] == Approx(5.f));
    for (size_t c = 2; c < 6; ++c) CHECK(out[c][0] == 0.f);
}

TEST_CASE("a second node with a place as its output is compiled like the first") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string lane = b.layers[0].id, a = scene::add_node(b, lane, "placement", "place", "A"),
                      c = scene::add_node(b, lane, "placement", "place", "C");
    scene::node(b, c)->inputs["texcoord"].from = a;
    scene::node(b, a)->inputs["projection"].value = 2.f;  // a box: who reads it as one place gets its first side
    std::vector<Error> told;
    CHECK(run(compile(b, {scene::Value{0.f}, c}, Type::place, &told)).size() == 6);
    CHECK(told.empty());
}

TEST_CASE("a span on every type has its ends at 0 and 1 and its middle between them") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string driver = scene::add_node(b, b.layers[0].id, "constant", "float", "Driver");
    for (size_t t = 0; t < nodes::type_count; ++t) {
        const Type type = Type(t);
        INFO(nodes::type_name(type));
        const int components = nodes::components(type);
        const scene::Value low = V4f(.1f, .2f, .3f, .4f), high = V4f(.9f, .6f, .5f, .8f);
        for (float at : {0.f, .5f, 1.f}) {
            scene::node(b, driver)->inputs["value"].value = at;
            scene::Input input{low, driver};
            input.worn = high;
            const auto values = run(compile(b, input, type));
            REQUIRE(values.size() == size_t(components));
            const auto a = nodes::literal(low, type), z = nodes::literal(high, type);
            for (size_t c = 0; c < values.size(); ++c) CHECK(values[c] == Approx(vemtra::lerp(a[c], z[c], at)));
        }
        // Driven by something that varies: the same way at the points.
        const std::string noise = scene::add_node(b, b.layers[0].id, "position", "vector3", "Where");
        scene::Input input{low, noise};
        input.worn = high;
        const auto values = run(compile(b, input, type));
        const auto a = nodes::literal(low, type);
        for (size_t c = 0; c < values.size(); ++c) CHECK(values[c] == Approx(a[c]));  // x of the position is 0 there
        scene::remove_node(b, noise);
    }
}

TEST_CASE("a node may have as many inputs as it wants") {
    // A ramp has 43 uniform numbers; what varies is bounded by nothing but memory.
    scene::BuildUp b = scene::default_build_up("b", "B");
    std::vector<program::Wanted> wanted;
    const std::string p = scene::add_node(b, b.layers[0].id, "position", "vector3", "Where");
    for (int i = 0; i < 200; ++i) wanted.push_back({"w", Type::color, {scene::Value{0.f}, p}});
    program::Resources resources;
    std::vector<Error> problems;
    const auto program = program::compile(b, wanted, resources, problems);
    CHECK(run(program).size() == 600);
}

TEST_CASE("a chain of a hundred thousand nodes compiles without recursion") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    std::string last;
    auto& lane = b.layers[0].nodes;
    lane.reserve(100001);
    for (int i = 0; i < 100000; ++i) {
        scene::Node n;
        n.id = "n" + std::to_string(i);
        n.kind = "add";
        n.type = "float";
        n.inputs["in1"].from = last;
        n.inputs["in2"].value = 1.f;
        last = n.id;
        lane.push_back(std::move(n));
    }
    const auto p = compile(b, {scene::Value{0.f}, last}, Type::number);
    REQUIRE(p.constant(0));
    CHECK(p.constant(0)->x == 100000.f);
}
