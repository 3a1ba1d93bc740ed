#include "kernel_support.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::Type;

namespace {

const std::vector<float> steps = [] {
    std::vector<float> x;
    for (int i = 0; i <= 100; ++i) x.push_back(-.1f + .012f * float(i));
    return x;
}();

/// The node of `kind` over `steps`, by its uniforms.
std::vector<std::vector<float>> along(const std::string& kind, Type type,
                                      const std::vector<std::pair<std::string, std::vector<float>>>& uniforms,
                                      const std::vector<float>& at = steps) {
    KernelRun run(kind, int(at.size()), type);
    for (const auto& [port, values] : uniforms) run.uniform(port, values);
    run.in("in") = at;
    return run.run();
}
std::vector<std::pair<std::string, std::vector<float>>> knots(const std::vector<float>& places,
                                                              const std::vector<float>& values) {
    std::vector<std::pair<std::string, std::vector<float>>> all{
        {"num_knots", {float(std::max(places.size(), values.size()))}}};
    for (size_t k = 0; k < places.size(); ++k) all.push_back({"knot" + std::to_string(k + 1), {places[k]}});
    for (size_t k = 0; k < values.size(); ++k)
        all.push_back({"value" + std::to_string(k + 1), {values[k], 1.f - values[k], .5f, 1.f}});
    return all;
}

}  // namespace

TEST_CASE("a curve lookup is the even curve at the place between its knots") {
    const std::vector<float> places{.05f, .2f, .6f, .7f, 1.f};
    const std::vector<float> values{.3f, .9f, .1f, .1f, 2.f};
    const auto at = along("curveinversecubic", Type::number, knots(places, {}));
    const auto even = along("curveuniformcubic", Type::color, knots({}, values), at[0]);
    const auto looked_up = along("curvelookup", Type::color, knots(places, values));
    for (int c = 0; c < 3; ++c) CHECK_THAT(looked_up[size_t(c)], AllClose(even[size_t(c)], 1e-5f));
    for (size_t i = 0; i + 1 < at[0].size(); ++i) CHECK(at[0][i] <= at[0][i + 1]);  // an inverse: it never turns back
    CHECK(at[0].front() == 0.f);
    CHECK(at[0].back() == Approx(1.f).margin(1e-6));
}

TEST_CASE("a curve lookup goes through its knots, is level beyond them, and straight where they lie on a line") {
    const std::vector<float> places{0.f, .01f, .5f, 1.f};
    const std::vector<float> values{.2f, .4f, .8f, .1f};
    const auto through = along("curvelookup", Type::number, knots(places, values), {-5.f, 0.f, .01f, .5f, 1.f, 7.f});
    CHECK_THAT(through[0], AllClose({.2f, .2f, .4f, .8f, .1f, .1f}, 2e-5f));
    const auto straight = along("curvelookup", Type::number, knots({0.f, .25f, .5f, 1.f}, {1.f, 1.5f, 2.f, 3.f}));
    for (size_t i = 0; i < steps.size(); ++i)
        CHECK(straight[0][i] == Approx(1.f + 2.f * std::clamp(steps[i], 0.f, 1.f)).margin(1e-4));
    // Between four even values the spline of Catmull and Rom has the well-known weights -1/16, 9/16, 9/16, -1/16.
    const auto middle = along("curveuniformcubic", Type::number, knots({}, {3.f, 1.f, 4.f, 1.5f}), {.5f});
    CHECK(middle[0][0] == Approx((-3.f + 9.f * 1.f + 9.f * 4.f - 1.5f) / 16.f));
}

TEST_CASE("the straight curve is straight from value to value, the curve of all takes every component the same way") {
    const auto lines =
        along("curveuniformlinear", Type::vector2, knots({}, {0.f, 1.f, .5f}), {0.f, .25f, .5f, .75f, 2.f});
    CHECK_THAT(lines[0], AllClose({0.f, .5f, 1.f, .75f, .5f}, 1e-6f));
    CHECK_THAT(lines[1], AllClose({1.f, .5f, 0.f, .25f, .5f}, 1e-6f));
    KernelRun run("curveadjust", 3, Type::color);
    run.uniform("num_knots", {3.f});
    run.uniform("knot1", {0.f, 1.f});
    run.uniform("knot2", {.5f, .25f});
    run.uniform("knot3", {1.f, 0.f});
    run.in("in", 0) = {0.f, .5f, 1.f};
    run.in("in", 1) = {.5f, 1.f, 0.f};
    run.in("in", 2) = {1.f, 0.f, .5f};
    const auto bent = run.run();
    CHECK_THAT(bent[0], AllClose({1.f, .25f, 0.f}, 1e-5f));
    CHECK_THAT(bent[1], AllClose({.25f, 0.f, 1.f}, 1e-5f));
    CHECK_THAT(bent[2], AllClose({0.f, 1.f, .25f}, 1e-5f));
}

TEST_CASE("knots that turn back, or lie on each other, give numbers all the same") {
    for (const std::vector<float>& places :
         {std::vector<float>{0.f, 0.f, 0.f}, {1.f, .5f, 0.f}, {.5f, .5f, 1.f}, {0.f, 1e30f, 1e30f}}) {
        const auto y = along("curvelookup", Type::number, knots(places, {.25f, .5f, .75f}));
        for (const float v : y[0]) {
            CHECK(v >= .2f);
            CHECK(v <= .8f);
        }
    }
}
