// Frozen heights and offsets through the disk.
#include "relief_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
geometry::ReliefLevels eight(const Mesh& m, const geometry::Welds& w) {
    return geometry::relief_levels(m, w, [](uint32_t f) { return f % 3 ? 8.f : 2.f; });
}
fs::path only_file() {
    const auto all = entries_of(cache_folder("heights"));
    REQUIRE(all.size() == 1);
    return all[0].path();
}
}  // namespace

TEST_CASE("heights that are kept on disk come back as they were, and nothing else does") {
    const Scratch s;
    const CacheIn cache(s.path);
    const auto m = cube(3);
    const auto w = geometry::weld(*m);
    const auto made = frozen(
        m, *w, [](uint32_t f) { return f % 3 ? 8.f : 2.f; }, [](V3f p, V2f) { return .05f * p.x * p.y; }, .1f);
    geometry::keep_heights(*made, 77);
    const auto back = geometry::kept_heights(*m, eight(*m, *w), -.1f, .1f, 77);
    REQUIRE(back);
    CHECK(back->content_hash() == made->content_hash());
    CHECK(back->bytes() == made->bytes());
    for (uint32_t f = 0; f < m->triangles(); ++f) {
        float lo[2];
        float hi[2];
        made->range(f, lo[0], hi[0]);
        back->range(f, lo[1], hi[1]);
        CHECK(lo[0] == lo[1]);
        CHECK(hi[0] == hi[1]);
    }
    const Displaced before(m, w, made);
    const Displaced after(m, w, back);
    std::mt19937 random(5);
    for (int k = 0; k < 300; ++k) {
        const V3f origin = on_sphere(random) * 2.f;
        const V3f to = on_sphere(random) * .6f - origin;
        const Hit a = first_hit(before.direct, origin, to);
        const Hit b = first_hit(after.direct, origin, to);
        CHECK(a.any == b.any);
        CHECK(a.t == b.t);
    }

    CHECK_FALSE(geometry::kept_heights(*m, eight(*m, *w), -.1f, .1f, 78));
    CHECK_FALSE(geometry::kept_offsets(*m, eight(*m, *w), .1f, 77));
    const auto other = cube(2);
    CHECK_FALSE(geometry::kept_heights(*other, eight(*other, *geometry::weld(*other)), -.1f, .1f, 77));
    const fs::path file = only_file();
    const std::string whole = *read_file(file);
    for (const size_t size : {size_t(0), size_t(7), size_t(40), whole.size() - 1}) {
        REQUIRE(write_file_atomically(file, whole.substr(0, size)));
        CHECK_FALSE(geometry::kept_heights(*m, eight(*m, *w), -.1f, .1f, 77));
    }
    std::string changed = whole;
    changed[whole.size() / 2] = char(changed[whole.size() / 2] ^ 1);
    REQUIRE(write_file_atomically(file, changed));
    CHECK_FALSE(geometry::kept_heights(*m, eight(*m, *w), -.1f, .1f, 77));
}

TEST_CASE("so do offsets that go any way") {
    const Scratch s;
    const CacheIn cache(s.path);
    const auto m = cube(2);
    const auto w = geometry::weld(*m);
    const auto made = geometry::freeze_offsets(*m, *w, eight(*m, *w), .2f, []() -> geometry::HeightsAt {
        return [](int n, const uint32_t* face, const float* u, const float* v, float* out) {
            for (int k = 0; k < n; ++k) {
                out[k] = .1f * u[k];
                out[k + n] = .1f * v[k];
                out[k + 2 * n] = face[k] % 2 ? .02f : -.02f;
            }
        };
    });
    geometry::keep_heights(*made, 5);
    const auto back = geometry::kept_offsets(*m, eight(*m, *w), .2f, 5);
    REQUIRE(back);
    CHECK(back->any_way());
    CHECK(back->content_hash() == made->content_hash());
    for (uint32_t f = 0; f < m->triangles(); ++f) {
        CHECK(back->offset_range(f).min == made->offset_range(f).min);
        CHECK(back->offset_range(f).max == made->offset_range(f).max);
    }
    CHECK_FALSE(geometry::kept_heights(*m, eight(*m, *w), -.2f, .2f, 5));
}
