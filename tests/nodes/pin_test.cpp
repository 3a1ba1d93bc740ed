// A mask that is stuck to a place: its shapes at worked points, its depth, what it faces, and its copies.
#include "kernel_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A pin of .2 x .1 metres, .05 deep, at (1, 2, 3) on a surface that faces along z, with a hard border.
struct Pinned {
    KernelRun run;
    std::vector<V3f> places;
    explicit Pinned(std::vector<V3f> at) : run("pin", int(at.size()), nodes::Type::number), places(std::move(at)) {
        run.uniform("centre", {1.f, 2.f, 3.f});
        run.uniform("axis", {0.f, 0.f, 1.f});
        run.uniform("turn", {0.f});
        run.uniform("size", {.2f, .1f, .05f});
        run.uniform("faces", {1.f});
        run.uniform("copies", {1.f});
        for (size_t i = 0; i < places.size(); ++i) {
            for (int c = 0; c < 3; ++c) run.in("position", c)[i] = V3f(1.f, 2.f, 3.f)[c] + places[i][c];
            run.in("normal", 2)[i] = 1.f;
            run.in("softness")[i] = 1e-4f;
            run.in("bend")[i] = 1.f;
            run.in("breakup")[i] = .5f;
        }
    }
    std::vector<float> operator()() { return run.run()[0]; }
};
constexpr float round_pin = 0.f, box_pin = 1.f, capsule_pin = 2.f, ring_pin = 3.f;

}  // namespace

TEST_CASE("a pin is white inside of its shape") {
    Pinned p({{0, 0, 0}, {.099f, 0, 0}, {.101f, 0, 0}, {0, .049f, 0}, {.08f, .035f, 0}, {.095f, .045f, 0}});
    p.run.uniform("shape", {round_pin});
    CHECK(p() == std::vector<float>{1, 1, 0, 1, 0, 0});
    p.run.uniform("shape", {box_pin});
    CHECK(p() == std::vector<float>{1, 1, 0, 1, 1, 1});
    p.run.uniform("shape", {capsule_pin});  // ends in half circles of .05 about (.05, 0)
    CHECK(p() == std::vector<float>{1, 1, 0, 1, 1, 0});
    p.run.uniform("shape", {ring_pin});  // between half and all of the ellipse
    CHECK(p() == std::vector<float>{0, 1, 0, 1, 0, 0});
}

TEST_CASE("a pin is turned about its axis, as deep as it says, and only on what faces it") {
    Pinned p({{.09f, 0, 0}, {0, .09f, 0}, {0, 0, .03f}, {0, 0, -.06f}, {0, 0, 0}});
    p.run.uniform("shape", {box_pin});
    p.run.in("normal", 2)[4] = -1.f;
    CHECK(p() == std::vector<float>{1, 0, 1, 0, 0});
    p.run.uniform("turn", {90.f});
    p.run.uniform("faces", {0.f});
    CHECK(p() == std::vector<float>{0, 1, 1, 0, 1});
}

TEST_CASE("copies of a pin lie in a row about its middle, or around a ring, and no farther") {
    Pinned row({{-.5f, 0, 0}, {0, 0, 0}, {.5f, 0, 0}, {.25f, 0, 0}, {1.f, 0, 0}, {.55f, 0, 0}, {.62f, 0, 0}});
    row.run.uniform("shape", {round_pin});
    row.run.uniform("copies", {3.f});
    row.run.uniform("apart", {.5f});
    CHECK(row() == std::vector<float>{1, 1, 1, 0, 0, 1, 0});
    row.run.uniform("copies", {2.f});  // at -.25 and .25
    CHECK(row() == std::vector<float>{0, 0, 0, 1, 0, 0, 0});

    std::vector<V3f> around;
    for (int k = 0; k < 12; ++k)
        around.emplace_back(.4f * std::cos(pi * float(k) / 6), .4f * std::sin(pi * float(k) / 6), 0);
    around.emplace_back(0.f);
    around.emplace_back(0.f, .48f, 0.f);  // outwards each is as wide as it is along x
    around.emplace_back(.06f, .4f, 0.f);
    Pinned ring(around);
    ring.run.uniform("shape", {round_pin});
    ring.run.uniform("copies", {4.f});
    ring.run.uniform("laid", {1.f});
    ring.run.uniform("apart", {.4f});
    CHECK(ring() == std::vector<float>{1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 0, 1, 0});
}
