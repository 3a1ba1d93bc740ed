// What was painted, carried to other parts and to a form that took the place of the old one.
#include "paint/carry.h"

#include "geometry/nearest.h"
#include "paint/paint_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A plane of n x n quads in z = 0 from (-1, -1) to (1, 1); `turned`: its UVs are turned by a right angle and half as
/// large.
std::string plane_obj(const char* name, int n, bool turned, float z = 0.f, int first_vertex = 0, double shift = 0.) {
    std::string text = std::string("o ") + name + "\n";
    char line[160];
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            const double s = double(i) / n, t = double(j) / n;
            std::snprintf(line, sizeof line, "v %.9g %.9g %.9g\nvt %.9g %.9g\nvn 0 0 1\n", 2 * s - 1, 2 * t - 1,
                          double(z), shift + (turned ? .95 - .45 * t : .02 + .96 * s),
                          turned ? .05 + .45 * s : .02 + .96 * t);
            text += line;
        }
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) {
            const int a = first_vertex + j * (n + 1) + i + 1, b = a + 1, c = b + n + 1, d = a + n + 1;
            std::snprintf(line, sizeof line, "f %d/%d/%d %d/%d/%d %d/%d/%d %d/%d/%d\n", a, a, a, b, b, b, c, c, c, d, d,
                          d);
            text += line;
        }
    return text;
}

paint::Dab blob(const Painted& p) {
    paint::Dab d = p.dab({.2f, -.3f, 0.f}, {0, 0, 1}, .5f);
    d.hardness = .3f;
    return d;
}

}  // namespace

TEST_CASE("the nearest place is found, on the side that faces the same way") {
    Painted p(sphere_obj());
    const geometry::Nearest nearest(*p.prepared->geometry, {0});
    for (const V3f& way : {V3f(1, 0, 0), V3f(.3f, -.8f, .5f), V3f(-.2f, .1f, -.9f)}) {
        const V3f out = way.normalized();
        const auto found = nearest.at(out * .8f, out, 1.f);
        REQUIRE(geometry::hit_something(found.place));
        CHECK(found.distance == Approx(.3f).margin(.003));
        CHECK((p.prepared->geometry->at(found.place).position - out * .5f).length() < .01f);
        CHECK_FALSE(geometry::hit_something(nearest.at(out * .8f, out, .2f).place));  // out of reach
        const auto other = nearest.at(out * .8f, -out, 3.f);                          // only what faces away
        REQUIRE(geometry::hit_something(other.place));
        CHECK(p.prepared->geometry->at(other.place).normal.dot(out) < .1f);
    }
    CHECK_FALSE(geometry::hit_something(nearest.at(V3f(NAN), {0, 0, 1}, 1.f).place));
}

TEST_CASE("on a form with other faces and other UVs paint lies where it lay on the old one") {
    Painted old(plane_obj("plane", 8, false));
    old.paint({blob(old)});
    Painted changed(plane_obj("plane", 13, true));
    changed.painting() = old.painting();
    changed.prepare();
    const auto from = old.canvas();
    paint::Carried what{from.get(), &old.painting(), from->instances(), {0}, paint::CarryBy::place, .05f};
    double by_uv = 0, carried = 0, worst = 0;
    auto apart = [&](double& sum) {
        for (float y = -.9f; y < 1.f; y += .08f)
            for (float x = -.9f; x < 1.f; x += .08f) {
                const double d = std::fabs(double(changed.seen({x, y, 1.f}, {0, 0, -1})) -
                                           double(old.seen({x, y, 1.f}, {0, 0, -1})));
                sum += d;
                worst = std::max(worst, d);
            }
    };
    apart(by_uv);
    changed.painting() = paint::carried(what, *changed.canvas(), changed.painting());
    changed.prepare();
    worst = 0;
    apart(carried);
    CHECK(by_uv > 20.);
    CHECK(carried < .02 * by_uv);
    CHECK(worst < .02);
    SECTION("stopped, it is as it was") {
        Progress progress;
        progress.stop = true;
        CHECK(paint::carried(what, *changed.canvas(), changed.painting(), &progress) == changed.painting());
    }
    SECTION("beyond reach nothing is painted") {
        Painted far(plane_obj("plane", 4, true, .2f));
        const scene::Painting none = paint::carried(what, *far.canvas(), far.painting());
        CHECK(none.sheets.empty());
    }
}

TEST_CASE("paint goes from a form without usable UVs to one with them") {
    Painted old(plane_obj("plane", 8, false), 256, "float", 4.f);  // on the form itself, 4 mm
    old.paint({blob(old)});
    REQUIRE_FALSE(old.painting().sheets[0].part.empty());
    Painted changed(plane_obj("plane", 5, true));
    const auto from = old.canvas();
    paint::Carried what{from.get(), &old.painting(), from->instances(), {0}, paint::CarryBy::place, .05f};
    changed.painting() = paint::carried(what, *changed.canvas(), changed.painting());
    changed.prepare();
    CHECK(changed.seen({.2f, -.3f, 1.f}, {0, 0, -1}) > .95f);
    CHECK(changed.seen({-.7f, .7f, 1.f}, {0, 0, -1}) == 0.f);
}

TEST_CASE("a part takes what another one has at the same UVs, or at the nearest place") {
    Painted p(plane_obj("left", 4, false) + plane_obj("right", 4, false, .1f, 25, 1.), 256);
    p.scene.parts.push_back(p.scene.parts[0]);
    p.scene.parts[1].id = p.scene.parts[1].name = "right";
    p.scene.parts[1].source = "right";
    p.prepare();
    REQUIRE(p.prepared->geometry->instances().size() == 2);
    paint::Dab d = blob(p);
    d.radius = .05f;  // it reaches the left part alone
    paint::Limits limits;
    limits.through = true;  // it lies below the right one
    p.paint({d}, {}, V3f(1.f), limits);
    const V3f on_left(.2f, -.3f, .05f);
    const V3f on_right(.2f, -.3f, 1.f);
    REQUIRE(p.seen(on_left, {0, 0, -1}) > .9f);
    REQUIRE(p.seen(on_right, {0, 0, -1}) == 0.f);
    const auto canvas = p.canvas();
    const scene::Painting before = p.painting();
    for (const paint::CarryBy by : {paint::CarryBy::uv, paint::CarryBy::place}) {
        p.painting() = paint::carried({canvas.get(), &before, {0}, {1}, by, .2f}, *canvas, before);
        p.prepare();
        CHECK(p.seen(on_right, {0, 0, -1}) > .9f);
        CHECK(p.seen(on_left, {0, 0, -1}) > .9f);
        CHECK(p.seen({.5f, .5f, 1.f}, {0, 0, -1}) == 0.f);
    }
    // What was there before goes: the empty part is carried onto the painted one.
    p.painting() = paint::carried({canvas.get(), &before, {1}, {0}, paint::CarryBy::uv, .2f}, *canvas, before);
    p.prepare();
    CHECK(p.seen(on_left, {0, 0, -1}) == 0.f);
}
