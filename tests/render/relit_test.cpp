#include "render/relit.h"

#include "plate_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

render::PreparedRig rig_of(const V3f& even, const std::vector<scene::Light>& lights = {}) {
    scene::Rig rig;
    rig.environment.on = even != V3f(0.f);
    rig.environment.tint = even;
    rig.lights = lights;
    std::vector<Error> problems;
    const auto none = [](const fs::path&) { return Result<std::shared_ptr<const render::EnvironmentImage>>(Error{}); };
    return render::prepare_rig(rig, V3f(0.f), Paths("/", {}, nullptr), none, problems);
}
scene::Light ball_of_light(const V3f& position, float intensity) {
    scene::Light light;
    light.shape = "sphere";
    light.position = position;
    light.size = V2f(1.f);
    light.intensity = intensity;
    return light;
}

}  // namespace

TEST_CASE("falling light is pi times an even one, and follows the cosine of a small one") {
    const render::FallingLight even(rig_of(V3f(.7f)), {}, V3f(0.f));
    std::mt19937 random(2);
    std::normal_distribution<float> d;
    for (int k = 0; k < 50; ++k) {
        const V3f n = V3f(d(random), d(random), d(random)).normalized();
        CHECK(even.on(n) == Approx(.7f * pi).epsilon(.02));
    }
    // A far sphere of radius r at distance R brings pi L (r / R)^2 cos; what the second order keeps of it is within a
    // tenth of the most.
    const auto rig = rig_of(V3f(0.f), {ball_of_light(V3f(0.f, 10.f, 0.f), 100.f)});
    REQUIRE(rig.lights.size() == 1);
    const render::FallingLight one(rig, {}, V3f(0.f));
    const auto straight = render::sample_light(rig.lights[0], V3f(0.f), .5f, .5f);
    const float most = luminance(straight.radiance) / straight.pdf;
    for (const float cosine : {1.f, .8f, .5f, .2f, 0.f, -.5f, -1.f}) {
        const float x = std::sqrt(1.f - cosine * cosine);
        CHECK(std::fabs(one.on(V3f(x, cosine, 0.f)) - most * std::max(0.f, cosine)) < .13f * most);
    }
    CHECK(finite(V3f(one.on(V3f(NAN)))));
    // A group that is off brings nothing.
    const std::vector<V3f> off(rig.groups.size(), V3f(0.f));
    CHECK(render::FallingLight(rig, off, V3f(0.f)).on({0, 1, 0}) < 1e-6f);
}

TEST_CASE("what has turned is lit as it faces now, and what has not moved stays to the last digit") {
    Plate p;
    p.node(0, "noise", "fractal3d", "float", {});
    p.wire(0, slot::height, "noise");
    p.set(0, slot::height_scale, .02f);
    auto before = p.ready({.field_rays = geometry::field_rays_first});
    p.set(0, slot::height_scale, .08f);
    auto now = p.ready({.field_rays = geometry::field_rays_first});
    REQUIRE(before->geometry != now->geometry);
    constexpr int size = 64;
    constexpr int small = 32;
    render::Standing standing;
    standing.width = standing.height = size;
    standing.samples = 8;
    for (int k = 0; k < size * size; ++k) standing.linear.emplace_back(.2f + .001f * float(k % 7));
    const auto was = render::seen_places(*before, small, small);
    const auto is = render::seen_places(*now, small, small);
    REQUIRE((was && is));
    const render::Faced faced{before, *was, render::made_smaller({size, size, standing.linear}, small, small)};
    const render::FallingLight light(rig_of(V3f(.1f), {ball_of_light(V3f(4.f), 50.f)}), {}, V3f(.5f, .5f, .37f));
    const render::Pixels same = render::made_smaller(faced.small, 8, 8);
    const auto made = render::relit(standing, faced, *is, {1}, light, same);
    REQUIRE(made.size() == standing.linear.size());
    size_t brighter = 0;
    size_t darker = 0;
    size_t good = 0;
    size_t told = 0;
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) {
            const size_t k = size_t(y * size + x);
            const size_t q = size_t(y / 2 * small + x / 2);
            REQUIRE(finite(made[k]));
            const bool on_it = is->pixels[q].instance == 0 || was->pixels[q].instance == 0;
            if (!on_it) {
                CHECK(made[k] == standing.linear[k]);
                continue;
            }
            if (is->pixels[q].instance != 0 || was->pixels[q].instance != 0) continue;
            const float ratio = made[k].x / standing.linear[k].x;
            brighter += ratio > 1.03f;
            darker += ratio < .97f;
            const float asked = light.on(is->pixels[q].normal) / light.on(was->pixels[q].normal);
            if (std::fabs(asked - 1.f) < .1f) continue;
            ++told;
            good += (asked > 1.f) == (ratio > 1.f);
        }
    CHECK(brighter > 50);
    CHECK(darker > 50);
    REQUIRE(told > 60);
    CHECK(double(good) > .8 * double(told));  // cells are mixed with those beside them, and with the coarse light
    // Of what nobody marks as moved, nothing changes.
    CHECK(render::relit(standing, faced, *is, {0}, light, same) == standing.linear);
}
