#include "app/view/projection.h"

#include "app/view/placement_handles.h"

#include "window.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

scene::Scene looking(const V3f& from, const V3f& at, float focal = 50.f) {
    scene::Scene s;
    scene::Camera c;
    c.id = "c";
    c.position = from;
    c.target = at;
    c.focal_length = focal;
    s.cameras = {c};
    s.camera = "c";
    return s;
}

}  // namespace

TEST_CASE("the target is in the middle of the picture, and what is behind the camera is nowhere") {
    const auto s = looking(V3f(1, 2, 5), V3f(0, .5f, 0));
    for (const QSize size : {QSize(640, 400), QSize(300, 700)}) {
        const auto middle = app::to_screen(s, V3f(0, .5f, 0), size);
        REQUIRE(middle);
        CHECK(middle->x() == Approx(size.width() * .5).margin(.01));
        CHECK(middle->y() == Approx(size.height() * .5).margin(.01));
        CHECK_FALSE(app::to_screen(s, V3f(2, 3.5f, 10), size));
    }
    CHECK_FALSE(app::to_screen(scene::Scene(), V3f(0.f), QSize(10, 10)));
}

TEST_CASE("a point of a plane comes back from where it is seen") {
    const auto s = looking(V3f(1, 2, 5), V3f(0, .5f, 0), 35.f);
    const QSize size(800, 500);
    for (const V3f& p : {V3f(.3f, 0, -.4f), V3f(-1, 0, 1), V3f(0, 0, 0)}) {
        const auto at = app::to_screen(s, p, size);
        REQUIRE(at);
        const auto back = app::on_plane(s, *at, size, V3f(9, 0, 9), V3f(0, 1, 0));
        REQUIRE(back);
        CHECK((*back - p).length() < 1e-3f);
    }
    // Above the horizon no sight line meets the ground.
    CHECK_FALSE(app::on_plane(s, QPointF(400, 0), size, V3f(0.f), V3f(0, 1, 0)));
}

TEST_CASE("half of the picture's width is where its edge lies, at any depth and focal length") {
    for (float focal : {20.f, 50.f, 135.f})
        for (float depth : {.05f, 1.f, 40.f}) {
            const auto s = looking(V3f(0, 0, depth), V3f(0.f), focal);
            const float half = app::half_width_at(s, V3f(0.f));
            CHECK(half == Approx(depth * 18.f / focal).epsilon(1e-4));  // the sensor is 36 mm wide
            const auto edge = app::to_screen(s, V3f(half, 0, 0), QSize(900, 600));
            REQUIRE(edge);
            CHECK(edge->x() == Approx(900).margin(.05));
        }
}

TEST_CASE("a step parallel to the picture moves what it carries as far as the hand") {
    const auto s = looking(V3f(2, 1, 3), V3f(0, .2f, 0));
    const QSize size(1000, 600);
    const V3f p(.1f, .3f, -.2f);
    const QPointF from = *app::to_screen(s, p, size), to = from + QPointF(37, -52);
    const auto there = app::to_screen(s, p + app::parallel_step(s, p, from, to, size), size);
    REQUIRE(there);
    CHECK(there->x() == Approx(to.x()).margin(.05));
    CHECK(there->y() == Approx(to.y()).margin(.05));
}

TEST_CASE("the turn onto a surface's normal holds for walls, undersides and what is there already") {
    for (const V3f& from : {V3f(0, 1, 0), V3f(1, 0, 0), V3f(1, 2, -1).normalized()})
        for (const V3f& to : {V3f(0, 1, 0), V3f(0, -1, 0), V3f(0, 0, 1), V3f(.3f, -.9f, .1f).normalized(), -from}) {
            const app::Turn turn = app::turn_between(from, to);
            CHECK(turn.axis.length() == Approx(1.f).margin(1e-5));
            CHECK(turn.degrees >= 0.f);
            CHECK(turn.degrees <= 180.01f);
            // Rodrigues' formula.
            const float a = radians(turn.degrees);
            const V3f k = turn.axis,
                      there = from * std::cos(a) + k.cross(from) * std::sin(a) + k * (k.dot(from) * (1 - std::cos(a)));
            CHECK((there - to).length() < 1e-3f);
        }
}
