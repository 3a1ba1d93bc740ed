#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("a placement scales, then turns about x, y and z, then moves") {
    scene::Placement p;
    p.scale = V3f(2.f, 1.f, 1.f);
    p.rotation = V3f(0.f, 90.f, 0.f);  // by the right-hand rule: x goes to -z
    p.position = V3f(1.f, 2.f, 3.f);
    const V3f q = moved(V3f(1, 0, 0), scene::matrix_of(p));
    CHECK(q.x == Approx(1.f).margin(1e-6));
    CHECK(q.y == Approx(2.f));
    CHECK(q.z == Approx(1.f));
    p.rotation = V3f(90.f, 0.f, 90.f);  // about x first: y to z, then about z: z stays
    const V3f r = moved(V3f(0, 1, 0), scene::matrix_of(p)) - p.position;
    CHECK(r.z == Approx(1.f));
}

TEST_CASE("a matrix gives its placement back, mirrored and at the poles too") {
    std::mt19937 random(7);
    auto u = [&](float low, float high) { return low + (high - low) * float(random() % 10000) / 10000.f; };
    for (int i = 0; i < 500; ++i) {
        scene::Placement p;
        p.position = V3f(u(-5, 5), u(-5, 5), u(-5, 5));
        p.rotation = V3f(u(-180, 180), i % 5 == 0 ? (i % 2 ? 90.f : -90.f) : u(-90, 90), u(-180, 180));
        p.scale = V3f(u(.1f, 3), u(.1f, 3), u(.1f, 3));
        if (i % 3 == 0) p.scale.x = -p.scale.x;
        const M44f m = scene::matrix_of(p), back = scene::matrix_of(scene::placement_of(m));
        for (int r = 0; r < 4; ++r)
            for (int c = 0; c < 3; ++c) CHECK(back[r][c] == Approx(m[r][c]).margin(2e-3));
    }
}

TEST_CASE("placements are kept by the project file where something was moved, and only there") {
    scene::Scene s;
    s.assets.push_back({.id = "a", .file = "a.obj"});
    s.parts.push_back({.id = "p", .asset = "a", .source = "p", .name = "P"});
    CHECK(scene::to_text(s).find("placement") == std::string::npos);
    s.parts[0].placement.position = V3f(.1f, .2f, .3f);
    s.assets[0].placement.rotation = V3f(0, 45, 0);
    const auto back = scene::parse(scene::to_text(s), "p");
    REQUIRE(back);
    CHECK(back->problems.empty());
    CHECK(back->scene.parts == s.parts);
    CHECK(back->scene.assets == s.assets);
}

TEST_CASE("a placement that no matrix can have is corrected and told") {
    const auto loaded = scene::parse(
        R"({"vemtra": 1, "assets": [{"id": "a", "file": "a.obj",
                "placement": {"scale": [0, 1, -1e9], "position": [1e10, 0, 0]}}]})",
        "p");
    REQUIRE(loaded);
    CHECK(loaded->problems.size() >= 2);
    const auto& p = loaded->scene.assets[0].placement;
    CHECK(p.scale.x != 0.f);
    CHECK(std::fabs(p.scale.z) <= 1e6f);
    CHECK(p.scale.z < 0.f);
    CHECK(std::isfinite(scene::matrix_of(p).determinant()));
}
