#include "render/regression.h"

#include <OpenImageIO/imageio.h>
#include <tbb/global_control.h>

#include "base/progress.h"
#include "plate_support.h"
#include "render_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

constexpr int size = 64;
constexpr uint32_t samples = 32;

/// A wall of tiles in two colours under light that falls off to the right, with a shadow's hard edge below.
struct Wall {
    render::Film film{size, size, 2};
    std::vector<V3f> truth;
    explicit Wall(float noise, uint32_t seed = 5) {
        film.keep_halves();
        std::mt19937 random(seed);
        std::normal_distribution<float> chance(0.f, 1.f);
        const float n = float(samples);
        for (int y = 0; y < size; ++y)
            for (int x = 0; x < size; ++x) {
                const size_t p = at(x, y);
                const V3f albedo = (x / 4 + y / 4) % 2 ? V3f(.8f, .3f, .1f) : V3f(.1f, .2f, .6f);
                const float light = (2.f - float(x) / size) * (y < size * 3 / 4 ? 1.f : .2f);
                film.samples[p] = samples;
                film.alpha[p] = n;
                film.albedo[p] = albedo * n;
                film.normal[p] = V3f(0.f, 0.f, 1.f) * n;
                film.depth[p] = 2.f * n;
                truth.push_back(albedo * light);
                for (size_t g = 0; g < 2; ++g) {
                    const V3f mean = truth[p] * (g ? .25f : .75f);
                    // The mean of half the samples is off by `noise` times the light.
                    const V3f odd = mean * (1.f + noise * chance(random));
                    const V3f even = mean * (1.f + noise * chance(random));
                    film.odd_light[g][p] = odd * (n / 2);
                    film.light[g][p] = (odd + even) * (n / 2);
                    film.odd_luminance[p] += luminance(film.odd_light[g][p]);
                }
            }
    }
    static size_t at(int x, int y) { return size_t(y) * size + size_t(x); }
    std::vector<V3f> picture() const {
        std::vector<V3f> out;
        film.resolve(gains, out);
        return out;
    }
    static double error(const std::vector<V3f>& a, const std::vector<V3f>& b) {
        double sum = 0.;
        for (size_t p = 0; p < a.size(); ++p) {
            const double d = double((a[p] - b[p]).length()) / (.05 + double(luminance(b[p])));
            sum += d * d / 3.;
        }
        return std::sqrt(sum / double(a.size()));
    }
    inline static const std::vector<V3f> gains{V3f(1.f), V3f(1.f)};
};

/// Four of it on each other.
render::Film tower(const render::Film& film) {
    render::Film out(film.width, 4 * film.height, film.light.size());
    out.keep_halves();
    auto repeat = [](const auto& from, auto& to) {
        for (size_t p = 0; p < to.size(); ++p) to[p] = from[p % from.size()];
    };
    repeat(film.samples, out.samples);
    for (size_t g = 0; g < film.light.size(); ++g) {
        repeat(film.light[g], out.light[g]);
        repeat(film.odd_light[g], out.odd_light[g]);
    }
    repeat(film.albedo, out.albedo);
    repeat(film.normal, out.normal);
    repeat(film.depth, out.depth);
    repeat(film.alpha, out.alpha);
    repeat(film.odd_luminance, out.odd_luminance);
    return out;
}

}  // namespace

TEST_CASE("regression takes noise away, keeps what features show and what light shows, and tells the error") {
    for (const float noise : {.1f, .4f}) {
        Wall wall(noise);
        const auto raw = wall.picture();
        const auto albedo = wall.film.albedo;
        const auto depth = wall.film.depth;
        REQUIRE(render::smooth_by_regression(wall.film, Wall::gains));
        const auto smooth = wall.picture();
        const double before = Wall::error(raw, wall.truth);
        const double after = Wall::error(smooth, wall.truth);
        INFO("noise " << noise << ": " << before << " to " << after);
        CHECK(after < .4 * before);
        REQUIRE(wall.film.smoothing);
        CHECK(wall.film.smoothing->noise_before == Approx(before).epsilon(.5));
        CHECK(wall.film.smoothing->error_after < .6f * wall.film.smoothing->noise_before);
        CHECK(wall.film.smoothing->error_after > .3 * after);
        CHECK(wall.film.smoothing->error_after < 3. * after);
        CHECK(wall.film.albedo == albedo);
        CHECK(wall.film.depth == depth);
        // The shadow's edge is in no feature.
        double lit = 0.;
        double dark = 0.;
        for (int x = 0; x < size; ++x) {
            lit += double(luminance(smooth[Wall::at(x, size * 3 / 4 - 1)]) /
                          luminance(wall.truth[Wall::at(x, size * 3 / 4 - 1)]));
            dark +=
                double(luminance(smooth[Wall::at(x, size * 3 / 4)]) / luminance(wall.truth[Wall::at(x, size * 3 / 4)]));
        }
        CHECK(lit / size == Approx(1.).epsilon(noise > .2f ? .15 : .05));
        CHECK(dark / size == Approx(1.).epsilon(noise > .2f ? .3 : .1));
    }
}

TEST_CASE("what has no noise stays as it is") {
    Wall wall(0.f);
    const auto raw = wall.picture();
    REQUIRE(render::smooth_by_regression(wall.film, Wall::gains));
    const auto smooth = wall.picture();
    for (size_t p = 0; p < raw.size(); ++p) REQUIRE((smooth[p] - raw[p]).length() < 2e-3f * raw[p].length());
    CHECK(wall.film.smoothing->error_after < .01f);
}

TEST_CASE("regression is the same at any number of threads, and leaves alone what it cannot know") {
    Wall one(.2f);
    Wall other(.2f);
    for (Wall* wall : {&one, &other}) {
        wall->film.samples[Wall::at(10, 10)] = 1;
        wall->film.samples[Wall::at(20, 20)] = 0;
        for (auto* half : {&wall->film.light, &wall->film.odd_light})
            for (auto& group : *half) group[Wall::at(20, 20)] = V3f(0.f);
    }
    const V3f single = one.film.light[0][Wall::at(10, 10)];
    REQUIRE(render::smooth_by_regression(one.film, Wall::gains));
    {
        tbb::global_control alone(tbb::global_control::max_allowed_parallelism, 1);
        REQUIRE(render::smooth_by_regression(other.film, Wall::gains));
    }
    CHECK(one.film.light == other.film.light);
    CHECK(one.film.smoothing->error == other.film.smoothing->error);
    CHECK(one.film.light[0][Wall::at(10, 10)] == single);
    CHECK(one.film.light[0][Wall::at(20, 20)] == V3f(0.f));
    for (const auto& group : one.film.light)
        for (const V3f& c : group) REQUIRE((finite(c) && c.x >= 0.f && c.y >= 0.f && c.z >= 0.f));
    // By pieces of a tile's height it is the same.
    render::Film pieces = tower(Wall(.2f).film);
    render::Film whole = pieces;
    REQUIRE(render::smooth_by_regression(whole, Wall::gains));
    REQUIRE(render::smooth_by_regression(pieces, Wall::gains, nullptr, 0.f, 32));
    for (size_t g = 0; g < 2; ++g)
        for (size_t p = 0; p < whole.light[g].size(); ++p)
            REQUIRE((pieces.light[g][p] - whole.light[g][p]).length() <= 1e-3f * whole.light[g][p].length());
    CHECK(pieces.smoothing->error_after == Approx(whole.smoothing->error_after).epsilon(1e-3));
    // Stopped, and without halves: nothing happens.
    Wall third(.2f);
    const auto light = third.film.light;
    Progress progress;
    progress.stop = true;
    CHECK_FALSE(render::smooth_by_regression(third.film, Wall::gains, &progress));
    CHECK(third.film.light == light);
    third.film.odd_light.clear();
    CHECK_FALSE(render::smooth_by_regression(third.film, Wall::gains));
}

TEST_CASE("a smoothed picture is nearer to the truth, group by group, and says so in its file") {
    Plate p;
    p.scene.render.smooth = true;
    p.scene.render.samples = 8;
    p.set(0, "specular_roughness", .3f);
    const auto ready = p.ready();
    render::PictureSettings settings = render::picture_settings(p.scene);
    CHECK(settings.regression);
    settings.width = settings.height = 48;
    auto film = render::render_picture(*ready, settings);
    REQUIRE(film);
    REQUIRE(film->smoothing);
    render::PictureSettings plain = settings;
    plain.regression = false;
    const auto gains = render::group_gains(*ready, p.scene);
    auto resolved = [&](const render::PictureSettings& s) {
        std::vector<V3f> out;
        render::render_picture(*ready, s)->resolve(gains, out);
        return out;
    };
    render::PictureSettings many = plain;
    many.samples = 512;
    many.seed = 3;
    const auto truth = resolved(many);
    CHECK(Wall::error(resolved(settings), truth) < .8 * Wall::error(resolved(plain), truth));
    // Stopped half-way there is no picture.
    Progress progress;
    progress.stop = true;
    CHECK_FALSE(render::render_picture(*ready, settings, &progress));
    const fs::path file = p.s.path / "smooth.exr";
    REQUIRE(render::write_exr(*ready, *film, settings, {"plate", 1.}, file));
    auto in = OIIO::ImageInput::open(file.string());
    REQUIRE(in);
    const OIIO::ImageSpec spec = in->spec();
    std::vector<float> data(size_t(spec.width) * size_t(spec.height) * size_t(spec.nchannels));
    REQUIRE(in->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, data.data()));
    CHECK(spec.channelindex("error.Y") > 0);
    CHECK(spec.get_float_attribute("vemtra:error_after_smoothing", -1.f) == film->smoothing->error_after);
    // Beauty is still the sum of its groups.
    for (size_t q = 0; q < size_t(spec.width) * size_t(spec.height); ++q) {
        float sum = film->light[0][q].x * gains[0].x / float(settings.samples);
        for (int c = 0; c < spec.nchannels; ++c)
            if (spec.channelnames[size_t(c)].starts_with("light.") && spec.channelnames[size_t(c)].ends_with(".R"))
                sum += data[q * size_t(spec.nchannels) + size_t(c)];
        REQUIRE(data[q * size_t(spec.nchannels)] == Approx(sum).epsilon(1e-3).margin(1e-5));
    }
}
