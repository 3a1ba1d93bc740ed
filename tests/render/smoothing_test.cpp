#include "render/denoise.h"
#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

constexpr int size = 32;

/// Two walls beside each other, evenly lit, one sample's worth.
render::Film two_walls(uint32_t samples) {
    render::Film film(size, size, 1);
    const float n = float(samples);
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) {
            const size_t p = size_t(y) * size + size_t(x);
            const bool left = x < size / 2;
            film.samples[p] = samples;
            film.alpha[p] = n;
            film.albedo[p] = V3f(.5f) * n;
            film.normal[p] = (left ? V3f(1.f, 0.f, 0.f) : V3f(0.f, 0.f, 1.f)) * n;
            film.depth[p] = (left ? 1.f : 1.4f) * n;
            film.light[0][p] = V3f(left ? .2f : .8f) * n;
            film.odd_luminance[p] = luminance(film.light[0][p]) * float(samples / 2) / n;
        }
    return film;
}
std::vector<V3f> smoothed(const render::Film& film) {
    std::vector<V3f> out;
    film.resolve({V3f(1.f)}, out);
    render::denoise(film, out);
    for (const V3f& c : out) REQUIRE(finite(c));
    return out;
}

}  // namespace

TEST_CASE("two samples that found no light are no evidence of darkness, sixteen are") {
    for (const uint32_t samples : {2u, 16u}) {
        render::Film film = two_walls(samples);
        constexpr size_t p = 16 * size + 24;
        film.light[0][p] = V3f(0.f);
        film.odd_luminance[p] = 0.f;
        const float found = smoothed(film)[p].x / .8f;
        INFO(samples);
        CHECK((found > .33f) == (samples == 2));
    }
}

TEST_CASE("smoothing that is stopped says so, and one that is not is as without a stop") {
    const render::Film film = two_walls(2);
    std::vector<V3f> out;
    film.resolve({V3f(1.f)}, out);
    std::vector<V3f> stopped = out;
    std::atomic<bool> stop{false};
    CHECK(render::denoise(film, out, 1.f, &stop));
    CHECK(out == smoothed(film));
    stop = true;
    CHECK_FALSE(render::denoise(film, stopped, 1.f, &stop));
}

TEST_CASE("smoothing takes away dots, dark and bright, from the first sample on, and keeps edges") {
    for (const uint32_t samples : {1u, 2u, 8u}) {
        render::Film film = two_walls(samples);
        std::mt19937 random(4);
        std::uniform_real_distribution<float> u(0.f, 1.f);
        for (size_t p = 0; p < film.samples.size();
             ++p) {  // noise, and dots in it, all in the samples with even numbers
            const float turn = u(random);
            const float most = 1.f + 11.f / float(samples);  // one bright sample among them
            const float factor = turn < .03f ? 0.f : turn > .97f ? most : .6f + .8f * u(random);
            film.light[0][p] *= factor;
        }
        const auto out = smoothed(film);
        int off = 0;  // where several dots lie beside each other
        for (int y = 2; y < size - 2; ++y)
            for (int x = 2; x < size - 2; ++x) {
                const float ratio = out[size_t(y) * size + size_t(x)].x / (x < size / 2 ? .2f : .8f);
                INFO(samples << " samples, " << x << ", " << y);
                CHECK(ratio > .33f);
                CHECK(ratio < 4.f);
                off += ratio < .55f || ratio > 1.8f;
            }
        CHECK(off < 16);  // 2 in a hundred
    }
}

TEST_CASE("smoothing leaves alone what the halves of the samples agree on") {
    render::Film film = two_walls(16);
    const size_t glint = 10 * size + 20;
    film.light[0][glint] = V3f(9.f) * 16.f;
    film.odd_luminance[glint] = 9.f * 8.f;
    const auto out = smoothed(film);
    CHECK(out[glint].x == Approx(9.f).epsilon(.02));
    CHECK(out[glint + 2].x == Approx(.8f).epsilon(.02));
    // A pixel that its halves do not bear out is none.
    render::Film spark = two_walls(16);
    spark.light[0][glint] = V3f(9.f) * 16.f;
    CHECK(smoothed(spark)[glint].x < 1.7f);
}

TEST_CASE("the picture before an edit stands on where no path met what was edited") {
    render::Standing old;
    old.width = old.height = size;
    old.samples = 64;
    old.linear.assign(size * size, V3f(.3f));
    for (const int coarse : {1, 4}) {
        const int w = size / coarse;
        render::Film film(w, w, 1);
        film.touched.assign(film.samples.size(), 0.f);
        for (int y = 0; y < w; ++y)
            for (int x = 0; x < w; ++x) {
                const size_t p = size_t(y) * size_t(w) + size_t(x);
                film.samples[p] = 1;
                if (x >= w / 2) film.touched[p] = 1.f;
            }
        std::vector<V3f> linear(film.samples.size(), V3f(.9f));
        render::keep_standing(old, film, coarse, linear);
        REQUIRE(linear.size() == size_t(size) * size);
        CHECK(linear[5 * size + 2].x == Approx(.3f).margin(.02f));
        CHECK(linear[5 * size + size - 3].x == Approx(.9f));
        // A picture of another size is none that stands.
        std::vector<V3f> other(film.samples.size(), V3f(.9f));
        render::Standing wrong = old;
        wrong.width = size + 9;
        wrong.linear.resize(size_t(size + 9) * size);
        render::keep_standing(wrong, film, coarse, other);
        CHECK(other.size() == film.samples.size());
    }
}
