// Every kernel in both builds. The values that they have to have are in kernels_test.cpp, and for what the open
// standard has in tests/exchange/standard_test.cpp.
#include <set>

#include "nodes/description.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("both builds of the kernels give the same bits") {
    if (!nodes::wide_kernels_run()) {
        WARN("this processor has no AVX-512: the kernels' second build was not compared");
        return;
    }
    constexpr size_t n = 1000;
    constexpr size_t rows = 64;
    std::mt19937 random(5);
    std::vector<float> in(rows * n);
    for (float& x : in) x = float(random() % 20000) / 1000.f - 10.f;
    std::vector<const float*> inputs;
    for (size_t i = 0; i < rows; ++i) inputs.push_back(&in[i * n]);
    nodes::PointBatch points;
    points.n = int(n);
    for (int r = 0; r < nodes::row_count; ++r) points.rows[r] = inputs[size_t(r)];
    size_t compared = 0;
    for (const nodes::NodeDescription& d : nodes::catalogue()) {
        if (!d.kernel.avx512 || d.use == nodes::Use::placement) continue;
        if (d.ask != nodes::ask_nothing && d.ask != nodes::ask_tangents && d.ask != nodes::ask_footprint) continue;
        std::vector<float> uniform;
        for (const nodes::Port& p : d.ports)
            if (p.uniform && !p.text)
                for (int c = 0; c < nodes::components(p.type); ++c)
                    uniform.push_back(p.whole ? std::min(2.f, p.high) : nodes::literal(p.value, p.type)[size_t(c)]);
        uniform.resize(64, .5f);
        for (const nodes::Type type : d.types) {
            const int components = nodes::components(type);
            std::vector<float> a(n * 4, 0.f);
            std::vector<float> b(n * 4, 0.f);
            std::vector<float*> to_a;
            std::vector<float*> to_b;
            for (size_t c = 0; c < 4; ++c) {
                to_a.push_back(&a[c * n]);
                to_b.push_back(&b[c * n]);
            }
            d.kernel.avx2({int(n), components, inputs.data(), to_a.data(), uniform.data(), -1, &points});
            d.kernel.avx512({int(n), components, inputs.data(), to_b.data(), uniform.data(), -1, &points});
            INFO(d.kind << " " << nodes::type_name(type));
            size_t differ = 0;
            for (size_t i = 0; i < a.size(); ++i) differ += std::memcmp(&a[i], &b[i], 4) != 0 && !std::isnan(a[i]);
            CHECK(differ == 0);
            ++compared;
        }
    }
    CHECK(compared > 200);
}

TEST_CASE("every description is complete") {
    std::set<std::string> kinds;
    for (const auto& d : nodes::catalogue()) {
        INFO(d.kind);
        CHECK(kinds.insert(d.kind).second);
        CHECK_FALSE(d.help.empty());
        CHECK_FALSE(d.types.empty());
        CHECK(bool(d.kernel.avx2) != bool(d.stands_for));
        for (const auto& p : d.ports) {
            INFO(p.name);
            CHECK_FALSE(p.help.empty());
            CHECK(p.low < p.high);
            CHECK(std::holds_alternative<std::string>(p.value) == p.text);
        }
    }
}
