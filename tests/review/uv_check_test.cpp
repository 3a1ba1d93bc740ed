#include "geometry/uv_report.h"
#include "review/findings/uvs.h"

#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
geometry::UvReport check_uvs(const geometry::Mesh& m) {
    return geometry::check_uvs(*geometry::make_shape(std::make_shared<geometry::Mesh>(m)));
}

/// Squares of one metre side by side, each with the UV corners given.
geometry::Mesh squares(const std::vector<std::array<V2f, 4>>& uvs) {
    geometry::Mesh m;
    for (size_t k = 0; k < uvs.size(); ++k) {
        const uint32_t at = uint32_t(m.positions.size());
        for (int c = 0; c < 4; ++c) {
            m.positions.push_back(V3f(float(k) * 1.5f + (c == 1 || c == 2 ? 1.f : 0.f), c >= 2 ? 1.f : 0.f, 0.f));
            m.normals.push_back(V3f(0, 0, 1));
            m.uvs.push_back(uvs[k][size_t(c)]);
        }
        for (uint32_t i : {0u, 1u, 2u, 0u, 2u, 3u}) m.indices.push_back(at + i);
    }
    return m;
}
std::array<V2f, 4> box(float u, float v, float w, float h) {
    return {V2f(u, v), V2f(u + w, v), V2f(u + w, v + h), V2f(u, v + h)};
}
bool tells(const geometry::Mesh& m, const char* what) {
    const auto found = review::uv_findings(check_uvs(m), "p");
    return std::any_of(found.begin(), found.end(), [&](const Error& e) { return e.what == what; });
}
}  // namespace

TEST_CASE("UVs that lie apart, each in its tile, are in order") {
    const auto r = check_uvs(squares({box(.1f, .1f, .3f, .3f), box(.5f, .1f, .3f, .3f), box(1.2f, 1.1f, .3f, .3f)}));
    CHECK(r.tiles == std::vector<int>{1001, 1012});
    CHECK(r.overlapping == 0.f);
    CHECK(r.flipped == 0.f);
    CHECK(r.stretch == Approx(1.f).margin(1e-3));
    CHECK(r.density == Approx(.3f).margin(1e-4));
    CHECK(review::uv_findings(r, "p").empty());
}

TEST_CASE("overlaps, flips, stretch, uneven density, what is outside and what is missing are told") {
    CHECK(tells(squares({box(.1f, .1f, .3f, .3f), box(.3f, .2f, .3f, .3f)}), "UVs overlap"));
    CHECK(check_uvs(squares({box(.1f, .1f, .4f, .4f), box(.1f, .1f, .4f, .4f)})).overlapping ==
          Approx(1.f).margin(.02));
    CHECK(tells(squares({box(.1f, .1f, .3f, .3f), box(.9f, .1f, -.3f, .3f)}), "UV islands are flipped"));
    CHECK(check_uvs(squares({box(.1f, .1f, .3f, .3f), box(.9f, .1f, -.3f, .3f)})).flipped == Approx(.5f));
    CHECK(tells(squares({box(.05f, .1f, .8f, .1f)}), "UVs are stretched"));
    CHECK(check_uvs(squares({box(.05f, .1f, .8f, .1f)})).stretch == Approx(8.f).margin(.01));
    CHECK(tells(squares({box(.05f, .1f, .8f, .8f), box(.9f, .1f, .05f, .05f)}), "UV density differs"));
    CHECK(tells(squares({box(-.5f, .1f, .3f, .3f)}), "UVs lie outside of the tiles"));
    CHECK(tells(squares({box(.5f, .1f, 0.f, .3f)}), "UVs have no area"));
    geometry::Mesh none = squares({box(.1f, .1f, .3f, .3f)});
    none.uvs.clear();
    CHECK(check_uvs(none).missing);
    geometry::Mesh odd = squares({box(.1f, .1f, .3f, .3f)});
    odd.uvs[1] = V2f(NAN, INFINITY);
    check_uvs(odd);  // no crash
}
