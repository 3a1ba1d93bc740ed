// Loops over all cores, hashes and small numbers that every floor stands on.
#include "base/parallel.h"
#include "base/hash.h"
#include "base/vec.h"
#include "support.h"

#include <atomic>
#include <set>
#include <unordered_set>

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("a loop over all cores meets every index once, in pieces that are no smaller than asked but the last") {
    for (const size_t count : {size_t(0), size_t(1), size_t(7), size_t(1000), size_t(100001)})
        for (const size_t grain : {size_t(1), size_t(64), size_t(5000)}) {
            std::vector<std::atomic<int>> met(count);
            std::atomic<bool> good{true};
            parallel_ranges(count, grain, [&](size_t first, size_t last) {
                if (first >= last || last > count) good = false;
                for (size_t i = first; i < last; ++i) ++met[i];
            });
            CHECK(good);
            CHECK(std::all_of(met.begin(), met.end(), [](const auto& n) { return n == 1; }));
        }
}

TEST_CASE("a hash of bytes sees every one of them, their order and their number") {
    std::string text = "Skerrin Sound, lantern of the outer mole, 1931";
    std::set<uint64_t> seen{hash_text(text)};
    for (size_t i = 0; i < text.size(); ++i)
        for (int bit = 0; bit < 8; ++bit) {
            std::string other = text;
            other[i] = char(other[i] ^ (1 << bit));
            CHECK(seen.insert(hash_text(other)).second);
        }
    for (size_t n = 0; n < text.size(); ++n) CHECK(seen.insert(hash_text(text.substr(0, n))).second);
    for (size_t n = 0; n < 20; ++n) CHECK(seen.insert(hash_bytes(std::string(n, '\0').data(), n, 99)).second);
    CHECK(hash_text(text, 1) != hash_text(text, 2));
    CHECK(hash_text(text) == hash_text(std::string_view(text)));
}

TEST_CASE("mixing is a permutation in which every bit turns about half of the others over") {
    double turned = 0;
    int fewest = 32;
    for (uint32_t x = 0; x < 2000; ++x)
        for (int bit = 0; bit < 32; ++bit) {
            const int n = __builtin_popcount(mix32(x * 2654435761u) ^ mix32((x * 2654435761u) ^ (1u << bit)));
            turned += n;
            fewest = std::min(fewest, n);
        }
    CHECK(turned / (2000 * 32) == Approx(16).margin(.1));
    CHECK(fewest >= 2);
    std::unordered_set<uint32_t> values;
    for (uint32_t x = 0; x < 100000; ++x) values.insert(mix32(x));
    CHECK(values.size() == 100000);
}

TEST_CASE("small numbers keep their bounds, also where they are none") {
    CHECK(clamp01(-1.f) == 0.f);
    CHECK(clamp01(2.f) == 1.f);
    CHECK(clamp01(.25f) == .25f);
    CHECK((clamp01(NAN) >= 0.f && clamp01(NAN) <= 1.f));
    CHECK(vemtra::lerp(2.f, 4.f, .25f) == 2.5f);
    CHECK(max_component({1.f, 3.f, 2.f}) == 3.f);
    CHECK_FALSE(finite({0.f, INFINITY, 0.f}));
    CHECK_FALSE(finite({0.f, 0.f, NAN}));
    CHECK(finite({0.f, -1e38f, 1e-40f}));
    CHECK(luminance({1.f, 1.f, 1.f}) == Approx(1.f).epsilon(1e-5));
    for (float c = 0.f; c <= 1.f; c += .001f) {
        CHECK_FALSE(std::fabs(linear_to_srgb(srgb_to_linear(c)) - c) > 2e-6f);
        CHECK_FALSE(srgb_to_linear(c) > c + 1e-6f);
    }
    CHECK(srgb_to_linear(.5f) == Approx(.21404f).epsilon(1e-4));
}
