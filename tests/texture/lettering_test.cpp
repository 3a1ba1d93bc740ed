// Words as a picture: that they fill it, bend, break into lines and keep their insides by bridges.
#include "texture/lettering.h"
#include "nodes/description.h"
#include "support.h"

using namespace vemtra;

namespace {

nodes::Lettering words(const std::string& text) {
    nodes::Lettering l;
    l.text = text;
    l.face = "sign";
    l.align = "centre";
    return l;
}
/// Coverage at a place of the square, v up.
float at(const scene::Texels& t, float u, float v) {
    const int x = std::clamp(int(u * float(t.size())), 0, t.size() - 1);
    const int y = std::clamp(int((1.f - v) * float(t.size())), 0, t.size() - 1);
    const auto& tile = t.tile(0, x / scene::texel_tile, y / scene::texel_tile);
    const size_t i = size_t(y % scene::texel_tile) * scene::texel_tile + size_t(x % scene::texel_tile);
    return tile ? scene::half_to_float(tile[2 * i]) : 0.f;
}
struct Extent {
    float u0 = 1, u1 = 0, v0 = 1, v1 = 0, area = 0;
};
Extent extent(const scene::Texels& t, float from_u = 0.f, float to_u = 1.f) {
    Extent e;
    constexpr int n = 512;
    for (int y = 0; y < n; ++y)
        for (int x = 0; x < n; ++x) {
            const float u = (float(x) + .5f) / n, v = (float(y) + .5f) / n;
            if (u < from_u || u > to_u) continue;
            const float c = at(t, u, v);
            e.area += c / (n * n);
            if (c < .5f) continue;
            e.u0 = std::min(e.u0, u), e.u1 = std::max(e.u1, u);
            e.v0 = std::min(e.v0, v), e.v1 = std::max(e.v1, v);
        }
    return e;
}

}  // namespace

TEST_CASE("letters fill their square from edge to edge, in every face that is offered") {
    const nodes::NodeDescription& d = nodes::description_for(nodes::Use::lettering);
    for (const std::string& face : d.port("face")->choices) {
        INFO(face);
        nodes::Lettering l = words("HARBOUR 12");
        l.face = face;
        const auto sheet = texture::lettering_sheet(l);
        REQUIRE(sheet);
        const Extent e = extent(**sheet);
        CHECK(e.u0 < .03f);
        CHECK(e.u1 > .97f);
        CHECK(e.v0 < .06f);
        CHECK(e.v1 > .94f);
        CHECK(e.area > .2f);
        CHECK(e.area < .8f);
        const auto ratio = texture::lettering_ratio(l);
        REQUIRE(ratio);
        CHECK(*ratio > 2.f);  // ten letters stand side by side
        CHECK(*ratio < 12.f);
    }
}

TEST_CASE("lines stand below one another and are set to the side that is asked for") {
    nodes::Lettering l = words("SKERRIN\nI");
    const auto ratio_of_two = texture::lettering_ratio(l);
    const auto ratio_of_one = texture::lettering_ratio(words("SKERRIN"));
    REQUIRE(ratio_of_two);
    REQUIRE(ratio_of_one);
    CHECK(*ratio_of_two < .62f * *ratio_of_one);
    for (const auto& [align, from, to] : {std::tuple("left", .0f, .2f), {"centre", .4f, .6f}, {"right", .8f, 1.f}}) {
        INFO(align);
        l.align = align;
        const auto sheet = texture::lettering_sheet(l);
        REQUIRE(sheet);
        float below = 0, beside = 0;
        for (float u = .005f; u < 1.f; u += .005f) (u >= from && u <= to ? below : beside) += at(**sheet, u, .15f);
        CHECK(below > 1.f);
        CHECK(beside < .01f);
    }
}

TEST_CASE("an arc lifts the middle of a line, and one below zero its ends") {
    nodes::Lettering l = words("HHHHHHHHH");
    l.arc = 120.f;
    const auto up = texture::lettering_sheet(l);
    l.arc = -120.f;
    const auto down = texture::lettering_sheet(l);
    REQUIRE(up);
    REQUIRE(down);
    CHECK(extent(**up, .45f, .55f).v0 > extent(**up, 0.f, .15f).v0 + .3f);
    CHECK(extent(**down, .45f, .55f).v1 < extent(**down, 0.f, .15f).v1 - .3f);
}

TEST_CASE("bridges of a stencil join the inside of a letter to the outside, and leave letters without one alone") {
    nodes::Lettering l = words("0");
    const auto whole = texture::lettering_sheet(l);
    l.bridges = .15f;
    const auto cut = texture::lettering_sheet(l);
    REQUIRE(whole);
    REQUIRE(cut);
    // Down the middle: stroke, inside, stroke; with the bridge nothing is in the way.
    CHECK(at(**whole, .5f, .05f) > .9f);
    for (float v = .01f; v < 1.f; v += .01f) CHECK(at(**cut, .5f, v) < .1f);
    CHECK(at(**cut, .1f, .5f) > .9f);
    nodes::Lettering plain = words("H");
    const auto before = texture::lettering_sheet(plain);
    plain.bridges = .15f;
    const auto after = texture::lettering_sheet(plain);
    REQUIRE(before);
    REQUIRE(after);
    CHECK(extent(**before).area == extent(**after).area);
}

TEST_CASE("one sheet serves all who ask for the same words while it is in use") {
    const auto a = texture::lettering_sheet(words("BUOY"));
    const auto b = texture::lettering_sheet(words("BUOY"));
    REQUIRE(a);
    REQUIRE(b);
    CHECK(*a == *b);
}

TEST_CASE("what cannot be set is told: no letters, a face that does not ship, broken text") {
    const auto none = texture::lettering_sheet(words("  \n "));
    REQUIRE_FALSE(none);
    CHECK(none.error().why.find("no letters") != std::string::npos);
    nodes::Lettering l = words("A");
    l.face = "gothic";
    const auto face = texture::lettering_sheet(l);
    REQUIRE_FALSE(face);
    CHECK(face.error().why.find("gothic") != std::string::npos);
    CHECK(texture::lettering_sheet(words("A\xff\xc3")));  // what is no letter is left out
    std::string crowd;
    for (int i = 0; i < 100000; ++i) crowd += i % 60 == 59 ? '\n' : 'W';
    CHECK(texture::lettering_sheet(words(crowd)));
    CHECK(texture::lettering_sheet(words(std::string(300, 'W'))));
}
