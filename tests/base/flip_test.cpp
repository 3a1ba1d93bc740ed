#include "flip_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
constexpr int size = 40;
using Rgba = std::vector<uint8_t>;
Rgba filled(uint8_t r, uint8_t g, uint8_t b) {
    Rgba out;
    for (int p = 0; p < size * size; ++p) out.insert(out.end(), {r, g, b, 255});
    return out;
}
double mean_of(const Rgba& a, const Rgba& b) {
    double sum = 0.;
    const auto all = flip(a, b, size, size);
    REQUIRE(all.size() == size_t(size * size));
    for (const float f : all) {
        REQUIRE(f >= 0.f);
        REQUIRE(f <= 1.001f);
        sum += double(f);
    }
    return sum / (size * size);
}
}  // namespace

TEST_CASE("the difference evaluator behaves as its paper says") {
    const Rgba grey = filled(120, 120, 120);
    CHECK(mean_of(grey, grey) == 0.);
    // The largest distance is that of blue to green, without features.
    CHECK(mean_of(filled(0, 255, 0), filled(0, 0, 255)) == Approx(1.).margin(1e-3));
    const double black_to_white = mean_of(filled(0, 0, 0), filled(255, 255, 255));
    CHECK(black_to_white > .95);
    CHECK(black_to_white < 1.);
    CHECK(mean_of(filled(0, 0, 0), grey) == Approx(mean_of(grey, filled(0, 0, 0))).epsilon(1e-4));
    CHECK(mean_of(grey, filled(124, 120, 120)) < mean_of(grey, filled(140, 120, 120)));
    // Noise too fine to be seen in its colour still shows as features; a single dot shows around itself.
    Rgba dotted = grey;
    dotted[size_t(4 * (20 * size + 20))] = 255;
    const auto dot = flip(grey, dotted, size, size);
    CHECK(dot[20 * size + 20] > dot[20 * size + 24]);
    CHECK(dot[0] == 0.f);
    // The same difference is told more at an edge that only one of them has than in an even field.
    Rgba edge = grey;
    for (int y = 0; y < size; ++y)
        for (int x = size / 2; x < size; ++x)
            for (size_t c = 0; c < 3; ++c) edge[size_t(4 * (y * size + x)) + c] = 180;
    const auto at_edge = flip(grey, edge, size, size);
    CHECK(at_edge[20 * size + size / 2 + 1] > at_edge[20 * size + size - 1]);
}
