#include "render/film.h"
#include "render/light_tree.h"
#include "render/lights.h"
#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

std::vector<render::LightBounds> many(int count, uint32_t seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> u(-1.f, 1.f);
    std::vector<render::LightBounds> all;
    for (int i = 0; i < count; ++i) {
        render::LightBounds b;
        const V3f middle(4.f * u(random), 4.f * u(random), 4.f * u(random));
        const V3f half(.1f + .09f * u(random), .1f + .09f * u(random), i % 3 ? .1f : 0.f);
        b.box = Box3f(middle - half, middle + half);
        b.axis = V3f(u(random), u(random), u(random) + .01f).normalized();
        b.cos_spread = i % 4 == 0 ? -1.f : i % 4 == 1 ? 1.f : u(random);
        b.power = std::exp(3.f * u(random));
        all.push_back(b);
    }
    return all;
}

}  // namespace

TEST_CASE("a tree of lights chooses each with the chance that it tells, and all chances add up to one") {
    for (const size_t leaf : {size_t(1), size_t(4)}) {
        const auto lights = many(60, 5);
        const render::LightTree tree(lights, leaf);
        for (const V3f& from : {V3f(0.f), V3f(3.f, -2.f, 1.f), V3f(30.f, 0.f, 2.f)}) {
            double sum = 0;
            std::vector<double> found(lights.size());
            for (uint32_t k = 0; k < lights.size(); ++k) sum += double(tree.chance(from, k));
            CHECK(sum < 1.0001);
            CHECK(sum > .9);
            constexpr int n = 100000;
            double none = 0;  // where all that a bound let hope for turns away
            for (int i = 0; i < n; ++i) {
                const auto c = tree.choose(from, (float(i) + .5f) / n);
                if (!(c.chance > 0.f)) {
                    none += 1. / n;
                    continue;
                }
                REQUIRE(c.light < lights.size());
                CHECK(c.chance == Approx(tree.chance(from, c.light)).epsilon(1e-4));
                CHECK((c.rest >= 0.f && c.rest < 1.f));
                found[c.light] += 1. / n;
            }
            CHECK(sum + none == Approx(1.).margin(1e-3));
            for (uint32_t k = 0; k < lights.size(); ++k)
                CHECK(found[k] == Approx(double(tree.chance(from, k))).margin(4. / n));
        }
    }
    CHECK(render::LightTree().choose(V3f(0.f), .5f).chance == 0.f);
    // Places that are no numbers, as a broken file may have them.
    auto lights = many(20, 2);
    for (size_t k = 0; k < lights.size(); k += 3) {
        lights[k].box.min.x = NAN;
        lights[k].power = k % 2 ? INFINITY : 1.f;
    }
    const render::LightTree broken(lights);
    for (int i = 0; i < 1000; ++i) {
        const auto c = broken.choose(V3f(1.f, 2.f, 3.f), (float(i) + .5f) / 1000.f);
        CHECK(std::isfinite(c.chance));
        if (c.chance > 0.f) CHECK(c.light % 3 != 0);
    }
}

TEST_CASE("a tree of lights never leaves out one that shines on the point, and prefers the near one") {
    std::mt19937 random(9);
    std::uniform_real_distribution<float> u(-1.f, 1.f);
    const auto lights = many(200, 11);
    const render::LightTree tree(lights);
    for (int i = 0; i < 20000; ++i) {
        const V3f from(6.f * u(random), 6.f * u(random), 6.f * u(random));
        const size_t k = size_t(i) % lights.size();
        const render::LightBounds& b = lights[k];
        // A place of the light, and a normal of its cone.
        const V3f half = (b.box.max - b.box.min) * .5f;
        const V3f at = (b.box.max + b.box.min) * .5f + V3f(u(random), u(random), u(random)) * half;
        const float spread = std::acos(std::clamp(b.cos_spread, -1.f, 1.f)) * std::fabs(u(random));
        const Frame frame(b.axis);
        const float turn = 3.14f * u(random);
        const V3f normal =
            frame.to_world({std::sin(spread) * std::cos(turn), std::sin(spread) * std::sin(turn), std::cos(spread)});
        if (normal.dot((from - at).normalized()) > 1e-3f) CHECK(tree.chance(from, uint32_t(k)) > 0.f);
    }
    std::vector<render::LightBounds> two(2);
    two[0].box = Box3f(V3f(-.1f), V3f(.1f));
    two[1].box = Box3f(V3f(9.9f), V3f(10.1f));
    for (auto& b : two) b.power = 1.f, b.cos_spread = -1.f;
    const render::LightTree pair(two);
    CHECK(pair.chance(V3f(.5f, 0.f, 0.f), 0) > .99f);
    CHECK(pair.chance(V3f(9.f), 1) > .95f);
}

TEST_CASE("a ray meets in a tree all lights that it crosses") {
    std::mt19937 random(3);
    std::uniform_real_distribution<float> u(-1.f, 1.f);
    std::vector<render::AreaLight> lights;
    std::vector<render::LightBounds> bounds;
    for (int i = 0; i < 40; ++i) {
        scene::Light l;
        l.shape = i % 2 ? "sphere" : "rectangle";
        l.position = V3f(3.f * u(random), 3.f * u(random), 3.f * u(random));
        // Some lie flat in an axis' plane: boxes without depth.
        l.target = l.position + (i % 4 ? V3f(u(random), u(random), u(random)) : V3f(0.f, -1.f, 0.f));
        l.size = V2f(1.f, .7f);
        lights.push_back(render::prepare_light(l, 1));
        bounds.push_back(render::bounds_of(lights.back()));
    }
    const render::LightTree tree(bounds);
    int met = 0;
    for (int i = 0; i < 20000; ++i) {
        const V3f origin(5.f * u(random), 5.f * u(random), 5.f * u(random));
        V3f direction(u(random), u(random), u(random));
        if (i % 5 == 0) direction = V3f(0.f, i % 2 ? 1.f : -1.f, 0.f);  // along an axis
        direction.normalize();
        std::vector<char> found(lights.size());
        tree.crossed(origin, direction, INFINITY, [&](uint32_t k, float limit) {
            found[k] = 1;
            return limit;
        });
        for (size_t k = 0; k < lights.size(); ++k)
            if (std::isfinite(render::intersect(lights[k], origin, direction))) {
                ++met;
                CHECK(found[k]);
            }
    }
    CHECK(met > 1000);
    // Along a face of its box, either one, where 0 times infinity says nothing.
    std::vector<render::LightBounds> one(1);
    one[0].box = Box3f(V3f(0.f), V3f(1.f));
    one[0].power = 1.f;
    const render::LightTree box(one);
    for (const float x : {0.f, 1.f}) {
        int found = 0;
        box.crossed(V3f(x, -1.f, .5f), V3f(0.f, 1.f, 0.f), INFINITY, [&](uint32_t, float limit) {
            ++found;
            return limit;
        });
        CHECK(found == 1);
    }
}

TEST_CASE("a rectangle is sampled evenly over its solid angle wherever it is seen from") {
    scene::Light l;
    l.shape = "rectangle";
    l.position = V3f(0.f, 0.f, 1.f);
    l.target = V3f(0.f);
    l.size = V2f(1.6f, 1.f);
    const render::AreaLight a = render::prepare_light(l, 1);
    std::mt19937 random(7);
    std::uniform_real_distribution<float> u(0.f, 1.f);
    for (const V3f& from :
         {V3f(0.f), V3f(.5f, .3f, .9f), V3f(2.f, 0.f, .2f), V3f(.79f, .49f, .5f), V3f(0.f, 9.f, 0.f)}) {
        double angle = 0;
        double expected = 0;
        constexpr int n = 40000;
        float least = INFINITY;
        float most = 0.f;
        int beside = 0;  // by rounding, at the edge
        for (int i = 0; i < n; ++i) {
            const auto s = render::sample_light(a, from, u(random), u(random));
            REQUIRE(s.pdf > 0.f);
            if (std::isfinite(render::intersect(a, from, s.direction)))
                CHECK(s.pdf == Approx(render::light_pdf(a, from, s.direction)).epsilon(1e-3));
            else
                ++beside;
            angle += 1. / double(s.pdf) / n;
            least = std::min(least, s.pdf);
            most = std::max(most, s.pdf);
            // By its area, for comparison.
            const V3f way = a.center + a.u * (2.f * u(random) - 1.f) + a.v * (2.f * u(random) - 1.f) - from;
            expected += double(-way.normalized().dot(a.normal)) / double(way.length2()) * 1.6 / n;
        }
        CHECK(angle == Approx(expected).epsilon(.02));
        CHECK(beside < 20);
        if (angle > .01) CHECK(most / least < 1.001f);
    }
}

TEST_CASE("single bright contributions are believed by how many of their kind there are") {
    constexpr int size = 8;
    render::Film film(size, size, 2);
    film.keep_tiers(.2f);
    for (uint32_t& s : film.samples) s = 16;
    for (V3f& l : film.light[1]) l = V3f(.1f * 16.f);
    const size_t spark = 3 * size + 3;
    film.light[1][spark] += V3f(800.f);
    film.tiers[spark].add(3, 800.f);
    std::vector<V3f> out;
    film.resolve({V3f(1.f), V3f(1.f)}, out);
    CHECK(out[spark].x < .4f);               // 50 without
    CHECK(out[spark + 1].x == Approx(.1f));  // others are left alone
    // A small lamp's image: every sample sees it.
    const size_t lamp = 5 * size + 5;
    for (int k = 0; k < 16; ++k) film.light[1][lamp] += V3f(800.f), film.tiers[lamp].add(3, 800.f);
    film.resolve({V3f(1.f), V3f(1.f)}, out);
    CHECK(out[lamp].x == Approx(800.1f));
    // As samples grow, the one spark no longer outshines the mean, and counts whole.
    for (uint32_t& s : film.samples) s = 1u << 17;
    for (V3f& l : film.light[1]) l = V3f(.1f * float(1 << 17));
    film.light[1][spark] += V3f(800.f);
    film.resolve({V3f(1.f), V3f(1.f)}, out);
    CHECK(out[spark].x == Approx(.1f + 800.f / float(1 << 17)).epsilon(1e-4));
}
