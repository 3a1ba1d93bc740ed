// What a picture is summed up in, by numbers that can be worked out by hand.
#include "render/film.h"
#include "render/views.h"
#include "support.h"

#include <set>

using namespace vemtra;
using namespace vemtra::test;
using render::Film;

namespace {
/// Every pixel with four samples: two odd ones that sum up to `odd`, two even ones to `even`.
Film film_of(int w, int h, float odd, float even) {
    Film f(w, h, 2, 1);
    for (size_t p = 0; p < f.samples.size(); ++p) {
        f.samples[p] = 4;
        f.light[0][p] = V3f(.5f * (odd + even));
        f.light[1][p] = V3f(.5f * (odd + even));
        f.odd_luminance[p] = odd;
        f.albedo[p] = V3f(float(p));
        f.depth[p] = float(p);
        f.coverage[0][p] = 2.f;
    }
    return f;
}
}  // namespace

TEST_CASE("a film is the sum over its groups, each by its gain, divided by the samples") {
    Film f = film_of(3, 2, 1.f, 3.f);
    f.samples[4] = 0;
    std::vector<V3f> out;
    f.resolve({V3f(1.f, 0.f, 2.f), V3f(0.f, 1.f, 0.f)}, out);
    REQUIRE(out.size() == 6);
    CHECK((out[0] - V3f(.5f, .5f, 1.f)).length() < 1e-6f);
    CHECK(out[4] == V3f(0.f));  // nothing was sampled there
}

TEST_CASE("noise is told by how far the halves of the samples lie apart") {
    CHECK(film_of(16, 16, 2.f, 2.f).noise() == 0.f);
    // Halves of means .5 and 1.5 about 1: half their distance over .05 and the mean, as a deviation.
    CHECK(film_of(16, 16, 1.f, 3.f).noise() == Approx(.5f / 1.05f * 1.2533f).epsilon(1e-3));
    Film f = film_of(16, 16, 2.f, 2.f);
    f.samples[0] = 1;
    CHECK(f.noise() == 0.f);  // one sample tells nothing of its own noise
    CHECK(std::isinf(f.noise(render::PixelRect{0, 0, 4, 4})));
    CHECK(f.noise(render::PixelRect{4, 4, 8, 8}) == 0.f);
    // A spark in one block is told by the worst of them, and hardly by the mean.
    Film g = film_of(32, 32, 2.f, 2.f);
    g.odd_luminance[5 * 32 + 5] = 4.f;
    const render::PixelRect all{0, 0, 32, 32};
    CHECK(g.worst_noise(all) == Approx(16.f * g.noise(all)).epsilon(1e-3));
    CHECK(g.worst_noise({16, 16, 32, 32}) == 0.f);
}

TEST_CASE("parts of a film are taken, kept alone, or forgotten") {
    const Film whole = film_of(6, 5, 1.f, 3.f);
    const Film part = whole.part({2, 1, 5, 4});
    REQUIRE(part.width == 3);
    REQUIRE(part.height == 3);
    CHECK(part.depth[0] == 1 * 6 + 2);
    CHECK(part.depth[8] == 3 * 6 + 4);
    CHECK(part.coverage[0][4] == 2.f);
    CHECK(part.light.size() == 2);

    Film kept = whole;
    kept.keep_only({2, 1, 5, 4});
    for (int y = 0; y < 5; ++y)
        for (int x = 0; x < 6; ++x) {
            const bool inside = x >= 2 && x < 5 && y >= 1 && y < 4;
            const size_t p = size_t(y) * 6 + size_t(x);
            CHECK(kept.samples[p] == (inside ? 4u : 0u));
            CHECK(kept.light[1][p] == (inside ? V3f(2.f) : V3f(0.f)));
            CHECK(kept.coverage[0][p] == (inside ? 2.f : 0.f));
        }
    Film cleared = whole;
    std::vector<uint8_t> some(30, 0);
    some[7] = some[29] = 1;
    cleared.clear(some);
    CHECK(cleared.samples[7] == 0);
    CHECK(cleared.samples[29] == 0);
    CHECK(cleared.samples[8] == 4);
    CHECK(whole.bytes() > 30 * (4 + 2 * 12 + 24));
}

TEST_CASE("what is not believed yet counts less, and settling keeps only what is") {
    Film f = film_of(5, 5, 2.f, 2.f);
    f.keep_tiers(.1f);
    CHECK(f.trust(2, 2) == 1.f);
    // A single contribution a thousand times as bright as the rest, with nothing like it around.
    const size_t p = 2 * 5 + 2;
    const float spark = 4000.f;
    f.light[0][p] += V3f(spark);
    f.tiers[p].add(4, spark);
    CHECK(f.trust(2, 2) < .02f);
    CHECK(f.trust(1, 1) == 1.f);
    std::vector<V3f> out;
    f.resolve({V3f(1.f), V3f(1.f)}, out);
    CHECK(out[p].x < 20.f);
    Film settled = f;
    settled.settle();
    CHECK(settled.tiers.empty());
    std::vector<V3f> same;
    settled.resolve({V3f(1.f), V3f(1.f)}, same);
    for (size_t k = 0; k < out.size(); ++k) CHECK((same[k] - out[k]).length() <= 1e-5f * (1.f + out[k].length()));
    // Where all around has its like, it is what the place looks like.
    for (size_t k = 0; k < 25; ++k) {
        if (k != p) f.light[0][k] += V3f(spark);
        if (k != p) f.tiers[k].add(4, spark);
    }
    CHECK(f.trust(2, 2) == 1.f);
}

TEST_CASE("every view is known by its name, its key and its place in the table") {
    std::set<std::string> names;
    std::set<std::string> keys;
    for (const render::ViewKind& v : render::views()) {
        CHECK(names.insert(v.name).second);
        if (*v.key) CHECK(keys.insert(v.key).second);
        render::View found{};
        REQUIRE(render::view_from_name(v.name, found));
        CHECK(found == v.view);
        CHECK(&render::info(v.view) == &v);
        CHECK(render::view_names().find(v.name) != std::string::npos);
    }
    render::View left = render::View::uv;
    CHECK_FALSE(render::view_from_name("nothing of the kind", left));
    CHECK(left == render::View::uv);
}
