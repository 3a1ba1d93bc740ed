// Reads the standard's documents, makes our networks of them, and holds every output against what the standard library
// evaluates.
#include <pugixml.hpp>
#include <set>
#include <sstream>

#include "program/compile.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

scene::Value value_from(const std::string& type, std::string text) {
    std::replace(text.begin(), text.end(), ',', ' ');
    std::istringstream in(text);
    if (type == "float" || type == "integer") {
        float f = 0;
        in >> f;
        return f;
    }
    if (type == "boolean") return text == "true";
    if (type == "vector2") {
        V2f v(0.f);
        in >> v.x >> v.y;
        return v;
    }
    V3f v(0.f);  // color4 keeps its colour
    in >> v.x >> v.y >> v.z;
    return v;
}

struct Document {
    scene::BuildUp build_up;
    std::map<std::string, std::string> outputs;  // output -> node
    std::set<std::string> usable;
};

Document read(const std::string& name) {
    pugi::xml_document xml;
    REQUIRE(xml.load_file((root / "tests" / "reference" / name).c_str()));
    Document d;
    d.build_up = scene::default_build_up("b", name);
    for (const auto& e : xml.child("materialx").child("nodegraph").children()) {
        const std::string kind = e.name(), type = e.attribute("type").value();
        if (kind == "output") {
            d.outputs[e.attribute("name").value()] = e.attribute("nodename").value();
            continue;
        }
        scene::Node n;
        n.id = e.attribute("name").value();
        n.kind = kind;
        n.type = type == "color4" ? "color3" : type;
        for (const auto& i : e.children("input")) {
            scene::Input input;
            if (i.attribute("nodename"))
                input.from = i.attribute("nodename").value();
            else
                input.value = value_from(i.attribute("type").value(), i.attribute("value").value());
            n.inputs[i.attribute("name").value()] = input;
        }
        d.build_up.commons.push_back(n);
    }
    return d;
}

/// Evaluates at 8 x 8 pixel centres, position = (u, v, 0.37).
std::vector<float> evaluate(const scene::BuildUp& b, const std::string& node, nodes::Type type) {
    program::Resources resources;
    std::vector<Error> problems;
    const auto p = program::compile(b, {{"o", type, {scene::Value{0.f}, node}}}, resources, problems);
    for (const Error& e : problems) FAIL(e.line());
    std::vector<float> u(64), v(64), z(64, .37f), zero(64, 0.f), one(64, 1.f);
    for (int i = 0; i < 64; ++i) u[size_t(i)] = (float(i % 8) + .5f) / 8.f, v[size_t(i)] = (float(i / 8) + .5f) / 8.f;
    nodes::PointBatch batch;
    batch.n = 64;
    batch.rows[nodes::row_position + 0] = batch.rows[nodes::row_uv + 0] = u.data();
    batch.rows[nodes::row_position + 1] = batch.rows[nodes::row_uv + 1] = v.data();
    batch.rows[nodes::row_position + 2] = z.data();
    for (int c = 0; c < 3; ++c)
        batch.rows[nodes::row_normal + c] = c == 2 ? one.data() : zero.data(),
                                       batch.rows[nodes::row_color + c] = one.data();
    program::Workspace workspace;
    const float* out[4] = {};
    p.run(batch, workspace, out);
    std::vector<float> values;
    for (int i = 0; i < 64; ++i)
        for (int c = 0; c < nodes::components(type); ++c) values.push_back(out[c][i]);
    return values;
}

}  // namespace

TEST_CASE("every output of the reference documents that our nodes make has the standard's values") {
    const auto reference = nlohmann::json::parse(*read_file(root / "tests" / "reference" / "values.json"))["outputs"];
    size_t compared = 0;
    for (const char* file : {"noise.mtlx", "ramps.mtlx"}) {
        const Document d = read(file);
        for (const auto& [output, node_id] : d.outputs) {
            const scene::Node* node = scene::find_node(d.build_up, node_id).node;
            const auto* description = nodes::describe(node->kind);
            if (!description) continue;
            const auto& expected =
                reference[std::string(file) + ":" + (file[0] == 'n' ? "noise" : "ramps") + "/" + output];
            const std::string type_text = expected["type"];
            nodes::Type type;
            if (!nodes::type_from_name(type_text == "color4" ? "color3" : type_text, type) ||
                type == nodes::Type::vector4)
                continue;  // no node of ours makes it yet
            std::vector<float> values = expected["grid"];
            if (type_text == "color4")
                for (size_t i = 0; i < 64; ++i) std::copy_n(&values[4 * i], 3, &values[3 * i]);
            values.resize(64 * size_t(nodes::components(type)));
            INFO(file << " " << output << " (" << node->kind << ")");
            CHECK_THAT(evaluate(d.build_up, node_id, type), AllClose(values, 1e-4f));
            ++compared;
        }
    }
    CHECK(compared >= 20);
}

TEST_CASE("both builds of the kernels give the same bits") {
    const Document d = read("noise.mtlx");
    for (const auto& n : d.build_up.commons) {
        const auto* description = nodes::describe(n.kind);
        if (!description || !description->kernel.avx512 || !__builtin_cpu_supports("avx512bw")) continue;
        std::vector<float> a(1000), b(1000), in(64 * 1000);
        std::mt19937 random(5);
        for (float& x : in) x = float(random() % 20000) / 1000.f - 10.f;
        std::vector<const float*> inputs;
        for (int i = 0; i < 64; ++i) inputs.push_back(&in[size_t(i) * 1000]);
        const float uniform[64] = {3, 0, 2};
        nodes::PointBatch points;
        points.n = 1000;
        for (int c = 0; c < 3; ++c)
            points.rows[nodes::row_position + c] = points.rows[nodes::row_normal + c] =
                points.rows[nodes::row_color + c] = inputs[size_t(c)];
        points.rows[nodes::row_uv + 0] = inputs[0];
        points.rows[nodes::row_uv + 1] = inputs[1];
        float* to_a[] = {a.data()};
        float* to_b[] = {b.data()};
        description->kernel.avx2({1000, 1, inputs.data(), to_a, uniform, -1, &points});
        description->kernel.avx512({1000, 1, inputs.data(), to_b, uniform, -1, &points});
        INFO(n.kind);
        CHECK(a == b);
    }
}

TEST_CASE("every description is complete") {
    std::set<std::string> kinds;
    for (const auto& d : nodes::catalogue()) {
        INFO(d.kind);
        CHECK(kinds.insert(d.kind).second);
        CHECK_FALSE(d.help.empty());
        CHECK_FALSE(d.types.empty());
        CHECK(d.kernel.avx2);
        for (const auto& p : d.ports) {
            INFO(p.name);
            CHECK_FALSE(p.help.empty());
            CHECK(p.low < p.high);
            CHECK(std::holds_alternative<std::string>(p.value) == p.text);
        }
    }
}
