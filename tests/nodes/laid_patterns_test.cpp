// Laid pieces, weave and knurl: held to what can be said of them without a second implementation.
#include <set>

#include "kernel_support.h"
#include "nodes/description.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::Type;

namespace {

/// Values over n x n points of the unit square, with a footprint of that width.
std::vector<float> over_square(const std::string& kind, const std::map<std::string, float>& set, int n,
                               float width = 0.f, float uv_scale = 1.f) {
    const nodes::NodeDescription& d = *nodes::describe(kind);
    std::vector<float> result;
    for (int row = 0; row < n; ++row) {
        KernelRun k(kind, n, Type::number);
        for (const nodes::Port& p : d.ports) {
            if (p.uniform || p.text || p.type == Type::place) continue;
            const float v = set.contains(p.name) ? set.at(p.name) : scene::as_number(p.value);
            for (float& x : k.in(p.name, 0)) x = v;
        }
        for (int i = 0; i < n; ++i) {
            k.in("texcoord", 0)[size_t(i)] = (float(i) + .5f) / float(n) * uv_scale;
            k.in("texcoord", 1)[size_t(i)] = (float(row) + .5f) / float(n) * uv_scale;
            for (int c = 2; c < 6; ++c) k.in("texcoord", c)[size_t(i)] = c == 2 || c == 5 ? width : 0.f;
        }
        for (const nodes::Port& p : d.ports)
            if (p.uniform && set.contains(p.name)) k.uniform(p.name, {set.at(p.name)});
        const auto out = k.run(d.kernel.get());
        result.insert(result.end(), out[0].begin(), out[0].end());
    }
    return result;
}
float mean_of(const std::vector<float>& v) {
    double sum = 0;
    for (float x : v) sum += x;
    return float(sum / double(v.size()));
}

}  // namespace

TEST_CASE("laid pieces cover what their joints leave") {
    const std::map<std::string, float> flat{{"columns", 4}, {"rows", 8}, {"joint", .2f}, {"bevel", 0}, {"uneven", 0}};
    for (float bond : {0.f, 1.f, 2.f}) {
        auto set = flat;
        set["bond"] = bond;
        const auto height = over_square("laid", set, 640);
        // A piece is two rows wide: 1.8 x 0.8 of 2 x 1.
        CHECK(mean_of(height) == Approx(.72f).margin(.01));
        for (float h : height) CHECK((h == 0.f || h == 1.f));
        set["gives"] = 2.f;
        CHECK(mean_of(over_square("laid", set, 640)) == Approx(.28f).margin(.01));
    }
}

TEST_CASE("each piece has a number of its own, the same all over it") {
    std::map<std::string, float> set{{"columns", 4}, {"rows", 8}, {"bond", 1}, {"gives", 1}};
    const auto numbers = over_square("laid", set, 64);
    std::set<float> seen;
    for (int row = 0; row < 8; ++row)
        for (int column = 0; column < 4; ++column) {
            const float first = numbers[size_t(row * 8 * 64 + column * 16)];
            seen.insert(first);
            for (int j = 0; j < 8; ++j)
                for (int i = 0; i < 16; ++i) CHECK(numbers[size_t((row * 8 + j) * 64 + column * 16 + i)] == first);
        }
    CHECK(seen.size() == 32);
    set["seed"] = 5.f;
    CHECK(over_square("laid", set, 64) != numbers);
}

TEST_CASE("what is finer than the footprint fades to its mean") {
    for (const char* kind : {"laid", "weave", "knurl"}) {
        INFO(kind);
        const float mean = mean_of(over_square(kind, {{"uneven", 0}, {"bevel", .02f}}, 512));
        const auto far = over_square(kind, {{"uneven", 0}, {"bevel", .02f}}, 64, 2.f, 40.f);
        for (float v : far) CHECK(v == far[0]);
        CHECK(far[0] == Approx(mean).margin(.08));
        const auto near = over_square(kind, {}, 64, 1e-6f);
        CHECK(*std::max_element(near.begin(), near.end()) > *std::min_element(near.begin(), near.end()) + .2f);
    }
}

TEST_CASE("a weave's threads meet at their crossings without a step along them") {
    const int n = 480;
    const std::map<std::string, float> set{{"threads", 6}, {"thickness", 1}};
    for (float bond : {0.f, 1.f}) {
        auto with = set;
        with["bond"] = bond;
        const auto h = over_square("weave", with, n);
        // Along the middle of an upright thread, up and down.
        float most = 0.f;
        const size_t x = size_t(n / 12);
        for (int y = 0; y + 1 < n; ++y)
            most = std::max(most, std::fabs(h[size_t(y + 1) * size_t(n) + x] - h[size_t(y) * size_t(n) + x]));
        CHECK(most < .07f);  // a step would be of half a height
        for (float v : h) CHECK((v >= 0.f && v <= 1.f));
    }
}

TEST_CASE("patterns of no pieces, of none in number and far away stay finite") {
    for (const char* kind : {"laid", "weave", "knurl"})
        for (float v : {0.f, -3.f, 1e9f, 1e-9f}) {
            std::map<std::string, float> set;
            for (const nodes::Port& p : nodes::describe(kind)->ports)
                if (!p.uniform && p.type == Type::number) set[p.name] = v;
            for (float x : over_square(kind, set, 16, 0.f, 1e6f)) CHECK(std::isfinite(x));
        }
}
