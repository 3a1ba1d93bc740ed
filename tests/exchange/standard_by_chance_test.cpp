// Networks by chance, through documents of the open standard and back.
#include "exchange/standard/document.h"

#include "exchange/standard/values.h"
#include "program/compile.h"
#include "scene/project_file.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// Networks of nodes that the standard has too, wired by chance.
class RandomNetworks {
public:
    explicit RandomNetworks(uint32_t seed) : random_(seed) {
        for (const nodes::NodeDescription& d : nodes::catalogue())
            if ((!d.standard.empty() || !d.said_as.empty()) && !d.port(nodes::Role::file) && d.kind != "normalmap")
                usable_.push_back(&d);
    }
    scene::BuildUp build_up(size_t count) {
        scene::BuildUp b = scene::default_build_up("b", "Chance");
        for (size_t i = 0; i < count; ++i) b.layers[0].nodes.push_back(node("n" + std::to_string(i), i));
        const std::string last = "n" + std::to_string(count - 1);
        b.layers[0].surface["base_color"].from = last;
        b.layers[0].surface["specular_roughness"].from = "n" + std::to_string(count / 2);
        return b;
    }

private:
    size_t below(size_t n) { return random_() % n; }
    float number_node() { return float(int(random_() % 4001) - 2000) / 1000.f; }
    scene::Node node(const std::string& id, size_t earlier) {
        const nodes::NodeDescription& d = *usable_[below(usable_.size())];
        scene::Node n;
        n.id = n.name = id;
        n.kind = d.kind;
        const nodes::Type type = d.types[below(d.types.size())];
        n.type = nodes::type_name(type);
        for (const nodes::Port& p : d.ports) {
            if (p.text || below(4) == 0) continue;
            scene::Input& in = n.inputs[p.name];
            const nodes::Type of = d.port_type(p, type);
            if (p.uniform) {
                const float x = p.low + float(below(1000)) / 999.f * (p.high - p.low);
                in.value =
                    p.whole ? scene::Value(std::round(x)) : nodes::to_value(of, {x, number_node(), number_node()});
                continue;
            }
            in.value = nodes::to_value(of, {number_node(), number_node(), number_node()});
            if (p.whole) in.value = std::round(number_node() * 3.f);
            // Vectors of any length are told by what comes in: the standard has no such port without a wire.
            if (earlier > 0 && of != nodes::Type::place && (below(2) == 0))
                in.from = "n" + std::to_string(below(earlier));
        }
        return n;
    }
    std::mt19937 random_;
    std::vector<const nodes::NodeDescription*> usable_;
};

std::vector<float> slot_values(const scene::BuildUp& b, const std::vector<scene::Network>& networks,
                               const std::string& slot, nodes::Type type) {
    const auto v = exchange::evaluate_on_square(b, networks, b.layers[0].surface.at(slot), type, 6, .37f, Paths(root));
    for (const Error& e : v.problems) FAIL(e.line());
    return v.grid;
}
/// Small numbers compare as they are, large ones by their size.
bool as_good_as(const std::vector<float>& a, const std::vector<float>& b) {
    if (a.size() != b.size()) return false;
    size_t off = 0;
    for (size_t i = 0; i < a.size(); ++i) off += std::fabs(a[i] - b[i]) > 1e-5f * std::max(1.f, std::fabs(b[i]));
    return off == 0;
}

}  // namespace

TEST_CASE("networks by chance are the same after saving and loading, and after export and import") {
    for (uint32_t seed = 1; seed <= 60; ++seed) {
        RandomNetworks chance(seed);
        scene::Scene s;
        s.build_ups.push_back(chance.build_up(4 + seed % 9));
        const auto color = slot_values(s.build_ups[0], {}, "base_color", nodes::Type::color);
        const auto roughness = slot_values(s.build_ups[0], {}, "specular_roughness", nodes::Type::number);
        const Scratch scratch;
        REQUIRE(scene::save(s, scratch.path / "p.vemtra"));
        const auto loaded = scene::load(scratch.path / "p.vemtra");
        REQUIRE(loaded);
        CHECK(slot_values(loaded->scene.build_ups[0], {}, "base_color", nodes::Type::color) == color);
        const auto written = exchange::write_standard_document(s);
        INFO("seed " << seed << "\n" << written.text);
        CHECK(written.problems.empty());
        const auto read = exchange::parse_standard_document(written.text, "written.mtlx");
        REQUIRE(read);
        for (const Error& e : read->problems) FAIL_CHECK(e.line());
        REQUIRE(read->build_ups.size() == 1);
        CHECK(as_good_as(slot_values(read->build_ups[0], read->networks, "base_color", nodes::Type::color), color));
        CHECK(as_good_as(slot_values(read->build_ups[0], read->networks, "specular_roughness", nodes::Type::number),
                         roughness));
    }
}
