// What a map of heights holds, and its range taken over.
#include "review/height_source.h"

#include "nodes/slot_names.h"
#include "render_support.h"
#include "review/finding.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

texture::HeightTile tile_of(int size, const std::function<float(int, int)>& value) {
    std::vector<uint16_t> codes;
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) codes.push_back(uint16_t(std::lround(65535.f * clamp01(value(x, y)))));
    return {size, size, codes, 0.f, 1.f / 65535.f};
}

}  // namespace

TEST_CASE("a height map tells what it holds, and what 8 bits would leave of it") {
    // Mostly a plane at .3, a gentle ramp from .4 to .45 in the lower half.
    const auto tile = tile_of(256, [](int x, int y) { return y < 160 ? .3f : .4f + .05f * float(x) / 255.f; });
    const review::HeightSource s = review::height_source(tile);
    CHECK(s.commonest == Approx(.3f).margin(1e-4));
    CHECK(s.ends.x == Approx(.3f).margin(1e-4));
    CHECK(s.ends.y == Approx(.45f).margin(1e-3));
    CHECK(s.levels == 257);   // of the ramp's texels and the plane
    CHECK(s.levels_8 == 15);  // 102 to 115 of 255, and the plane
    CHECK(s.step(8) == Approx(1.f / 255.f));
    CHECK(s.step(16) == Approx(1.f / 65535.f));
    CHECK(s.at_8_bits(.4005f) == Approx(102.f / 255.f));
    float sum = 0.f;
    for (const float share : s.values.share) sum += share;
    CHECK(sum == Approx(1.f).epsilon(1e-3));
    // The stretch lies on the ramp, and is less smooth at 8 bits.
    REQUIRE(s.stretch.size() == 64);
    size_t steps = 0;
    for (size_t k = 1; k < s.stretch.size(); ++k) steps += s.at_8_bits(s.stretch[k]) != s.at_8_bits(s.stretch[k - 1]);
    CHECK(s.stretch.front() >= .4f - 1e-3f);
    CHECK(steps >= 2);
    CHECK(steps <= 5);
}

TEST_CASE("a map of one value, a tiny one and one of floats beyond one are told as they are") {
    const review::HeightSource one = review::height_source(tile_of(4, [](int, int) { return .5f; }));
    CHECK(one.levels == 1);
    CHECK(one.levels_8 == 1);
    CHECK(one.commonest == Approx(.5f).margin(1e-4));
    CHECK(one.stretch.size() == 4);
    const texture::HeightTile floats(2, 1, std::vector<float>{-3.f, 5.f});
    const review::HeightSource wide = review::height_source(floats);
    CHECK(wide.range.x == Approx(-3.f));
    CHECK(wide.range.y == Approx(5.f));
    CHECK(wide.values.low == Approx(-3.f));
    CHECK(wide.values.high == Approx(5.f));
    CHECK(wide.levels == 2);
}

TEST_CASE("the range of a wired map is found for its layer, and taken over in one step") {
    Scratch s;
    s.write("square.obj", square_obj);
    write_image(s.path / "h.tif", 32, 32, 1, Kept::words,
                [](int x, int y, int) { return y < 20 ? .25f : .25f + .5f * float(x) / 31.f; });
    scene::Scene scene = plain_scene("square.obj");
    scene::Layer& base = scene.build_ups[0].layers[0];
    base.nodes.push_back({.id = "h",
                          .kind = "image",
                          .type = "float",
                          .name = "h",
                          .inputs = {{"file", {scene::Value{std::string("h.tif")}, {}}}}});
    base.surface[nodes::slot::height] = {scene::Value{.5f}, "h"};
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = s.path;
    const auto ready = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    review::Remembered remembered;
    const Paths paths(s.path, {}, {});
    const auto found = review::height_sources(*ready, scene.build_ups[0].id, workshop, paths, remembered);
    REQUIRE(found.contains(base.id));
    const review::HeightSource& source = found.at(base.id);
    CHECK(source.bits == 16);
    CHECK(source.file == "h.tif");
    review::take_range(base, source);
    auto number = [&](const char* name) { return scene::as_number(base.surface.at(name).value); };
    CHECK(number(nodes::slot::height_low) == Approx(.25f).margin(1e-3));
    CHECK(number(nodes::slot::height_high) == Approx(.75f).margin(1e-3));
    CHECK(number(nodes::slot::height_neutral) == Approx(.25f).margin(5e-3));
    CHECK(base.surface.at(nodes::slot::height).from == "h");
    CHECK(review::height_sources(*ready, "nobody", workshop, paths, remembered).empty());
}
