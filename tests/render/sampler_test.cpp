// The points that pictures are sampled by: nets, whichever piece of the sequence is taken.
#include "render/sampler.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
/// Whether every box of 2^-a by 2^-b holds one of the 2^(a + b) samples from `first` on.
bool one_in_each(uint32_t seed, uint32_t first, uint32_t pair, int a, int b) {
    std::vector<int> count(size_t(1) << (a + b), 0);
    for (uint32_t i = 0; i < count.size(); ++i) {
        float u;
        float v;
        render::sample_2d(seed, first + i, pair, u, v);
        if (!(u >= 0.f && u < 1.f && v >= 0.f && v < 1.f)) return false;
        ++count[(size_t(u * float(1 << a)) << b) + size_t(v * float(1 << b))];
    }
    return std::all_of(count.begin(), count.end(), [](int n) { return n == 1; });
}
}  // namespace

TEST_CASE("of every power of two samples one lies in each box of their share, whatever its form") {
    for (const uint32_t seed : {1u, 77u, 123456789u})
        for (const uint32_t pair : {0u, 1u, 9u, 200u})
            for (int bits = 0; bits <= 10; ++bits)
                for (int a = 0; a <= bits; ++a) {
                    INFO("seed " << seed << " pair " << pair << " boxes 2^-" << a << " by 2^-" << bits - a);
                    CHECK(one_in_each(seed, 0, pair, a, bits - a));
                    CHECK(one_in_each(seed, 3u << bits, pair, a, bits - a));  // further samples of the pixel, too
                }
}

TEST_CASE("pairs of dimensions of one pixel, and the same pair of neighbours, know nothing of each other") {
    auto correlation = [](uint32_t seed_a, uint32_t pair_a, uint32_t seed_b, uint32_t pair_b) {
        double sum = 0;
        constexpr int n = 1024;
        for (uint32_t i = 0; i < n; ++i) {
            float u;
            float v;
            float s;
            float t;
            render::sample_2d(seed_a, i, pair_a, u, v);
            render::sample_2d(seed_b, i, pair_b, s, t);
            sum += (double(u) - .5) * (double(s) - .5);
        }
        return sum / n * 12.;
    };
    double most = 0;
    for (uint32_t k = 0; k < 40; ++k) {
        const uint32_t here = render::pixel_seed(k, 5, 0);
        most = std::max(most, std::fabs(correlation(here, k, here, k + 1)));
        most = std::max(most, std::fabs(correlation(here, 2, render::pixel_seed(k + 1, 5, 0), 2)));
        most = std::max(most, std::fabs(correlation(here, 2, render::pixel_seed(k, 5, 1), 2)));
    }
    CHECK(most < .16);  // five deviations of a mean over 1024 products of independent numbers
}

TEST_CASE("the parts of the sequence are what they are called") {
    CHECK(render::reverse_bits(1u) == 0x80000000u);
    CHECK(render::reverse_bits(0x12345678u) == 0x1e6a2c48u);
    CHECK(render::unit_float(0u) == 0.f);
    CHECK(render::unit_float(0xffffffffu) < 1.f);
    CHECK(render::unit_float(0x80000000u) == .5f);
    // Row n of Pascal's triangle modulo 2, times the index: bit r of the result is the sum of C(c, r) over its bits c.
    for (const uint32_t x : {1u, 6u, 0x8001u, 0xdeadbeefu}) {
        uint32_t expected = 0;
        for (uint32_t r = 0; r < 32; ++r)
            for (uint32_t c = r; c < 32; ++c)
                if ((r & c) == r && (x >> c & 1u)) expected ^= 1u << r;  // C(c, r) is odd: Lucas
        CHECK(render::pascal(x) == expected);
    }
    // Laine and Karras' hash lets a bit depend on lower ones only: what a nested permutation of a tree of halves is.
    for (uint32_t seed : {5u, 0x9e3779b9u})
        for (int bit = 0; bit < 32; ++bit) {
            const uint32_t low = (bit == 31 ? 0u : (2u << bit)) - 1u;
            for (uint32_t x : {0u, 0x13579bdfu, 0xffffffffu})
                CHECK((render::laine_karras(x, seed) & low) == (render::laine_karras(x & low, seed) & low));
        }
}
