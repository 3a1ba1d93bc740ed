#include "base/even_frame.h"

#include "base/text.h"
#include "support.h"

using namespace vemtra;

TEST_CASE("a frame is orthonormal and right-handed around every direction, straight down among them") {
    std::vector<V3f> normals{
        {0, 0, -1}, {0, 0, 1}, {1, 0, 0}, {0, -1, 0}, V3f(1e-4f, 0, -1).normalized(), V3f(0, -1e-7f, -1).normalized()};
    std::mt19937 random(1);
    for (int i = 0; i < 1000; ++i) {
        const V3f n(float(random() % 2001) - 1000.f, float(random() % 2001) - 1000.f, float(random() % 2001) - 1000.5f);
        normals.push_back(n.normalized());
    }
    for (const V3f& n : normals) {
        INFO(n.x << " " << n.y << " " << n.z);
        const Frame f(n);
        CHECK(f.tangent.length() == Approx(1.f).margin(1e-5));
        CHECK(f.bitangent.length() == Approx(1.f).margin(1e-5));
        CHECK(f.tangent.dot(f.bitangent) == Approx(0.f).margin(1e-5));
        CHECK(f.tangent.dot(n) == Approx(0.f).margin(1e-5));
        CHECK((f.tangent.cross(f.bitangent) - n).length() < 1e-4f);
        CHECK((f.to_world(f.to_local(V3f(.3f, -.2f, .9f))) - V3f(.3f, -.2f, .9f)).length() < 1e-5f);
    }
}

TEST_CASE("an even frame is one around every direction, and stands beside that of any direction beside it") {
    auto off = [](const Frame& f) {
        return std::fabs(f.tangent.dot(f.bitangent)) + std::fabs(f.tangent.dot(f.normal)) +
               std::fabs(f.bitangent.dot(f.normal)) + std::fabs(f.tangent.length() - 1.f) +
               (f.tangent.cross(f.bitangent) - f.normal).length();
    };
    std::mt19937 random(4);
    std::normal_distribution<float> d;
    float worst = 0.f;
    float turned = 0.f;  // more than the direction was
    float level = 0.f;   // how far the tangent of what is steep is from it
    for (int k = 0; k < 100000; ++k) {
        V3f n(d(random), d(random), d(random));
        if (k % 4 == 1) n.z *= 1e-4f;                // where other frames change their sense
        if (k % 4 == 2) n.x *= 1e-4f, n.z *= 1e-4f;  // straight up and down
        if (k % 4 == 3) n.y *= 1e-4f;                // walls
        const V3f to = V3f(d(random), d(random), d(random)) * 1e-4f;
        const Frame a = even_frame(n.normalized());
        const Frame b = even_frame((n + to).normalized());
        worst = std::max(worst, off(a));
        if (std::fabs(a.normal.y) < .8f) level = std::max(level, std::fabs(a.tangent.y));
        const bool at_seam = a.normal.z < 0.f && std::fabs(a.normal.x) < .01f && std::fabs(a.normal.y) > .79f;
        if (at_seam) continue;
        turned = std::max(turned, ((a.tangent - b.tangent).length() + (a.bitangent - b.bitangent).length()) /
                                      (1e-4f + (a.normal - b.normal).length()));
    }
    CHECK(worst < 2e-6f);
    CHECK(level == 0.f);
    CHECK(turned < 30.f);
    for (const V3f& n : {V3f(0, 1, 0), V3f(0, -1, 0), V3f(1e-20f, -1, 0), V3f(1, 0, 0), V3f(0, 0, -1)})
        CHECK(off(even_frame(n)) < 1e-6f);
}

TEST_CASE("an affine matrix moves points, turns steps, and keeps normals upright by its inverse transpose") {
    M44f m;
    m.setScale(V3f(2.f, 1.f, .5f));
    m = m * M44f(0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 4, 5, 6, 1);
    const V3f p(1, 2, 3), a(1, 0, 1), b(0, 1, 2);
    CHECK((moved(p, m) - p * m).length() < 1e-6f);
    CHECK((turned(a, m) - (moved(p + a, m) - moved(p, m))).length() < 1e-5f);
    const V3f n = turned_by_transpose(a.cross(b), m.inverse());
    CHECK(n.dot(turned(a, m)) == Approx(0.f).margin(1e-5));
    CHECK(n.dot(turned(b, m)) == Approx(0.f).margin(1e-5));
}

TEST_CASE("the dual basis measures along its own vectors alone") {
    const V3f e1(1, 2, 0), e2(-1, .5f, 3);
    V3f d1, d2;
    REQUIRE(dual_basis(e1, e2, d1, d2));
    CHECK(d1.dot(e1) == Approx(1.f));
    CHECK(d1.dot(e2) == Approx(0.f).margin(1e-6));
    CHECK(d2.dot(e2) == Approx(1.f));
    CHECK(d2.dot(e1) == Approx(0.f).margin(1e-6));
    CHECK_FALSE(dual_basis(e1, e1 * 2.f, d1, d2));
}

TEST_CASE("lower case is for letters of ASCII alone") {
    CHECK(lower("Rust_BaseColor.1001.EXR") == "rust_basecolor.1001.exr");
    CHECK(lower("\xc3\x84"
                "B") ==
          "\xc3\x84"
          "b");
}
