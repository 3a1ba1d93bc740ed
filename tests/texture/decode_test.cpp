// Colour spaces, channels and tones by themselves, against their formulas.
#include "texture/channels.h"
#include "texture/colour.h"
#include "texture/map_names.h"
#include "texture/picture_formats.h"
#include "texture/seamless.h"
#include "texture_support.h"

#include <set>
#include <sstream>

using namespace vemtra;
using namespace vemtra::test;

namespace {
std::shared_ptr<const texture::ColourDecode> decode(const std::string& space) {
    auto d = texture::colour_decode(space);
    REQUIRE(d);
    return *d;
}
/// xy of a linear Rec.709 colour.
std::pair<double, double> chromaticity(const V3f& c) {
    const double x = .412391 * double(c.x) + .357584 * double(c.y) + .180481 * double(c.z);
    const double y = .212639 * double(c.x) + .715169 * double(c.y) + .072192 * double(c.z);
    const double z = .019331 * double(c.x) + .119195 * double(c.y) + .950532 * double(c.z);
    return {x / (x + y + z), y / (x + y + z)};
}
}  // namespace

TEST_CASE("spaces are decoded by their formulas, and what is linear or raw is left alone") {
    for (const char* plain : {"raw", "lin_rec709"}) CHECK(decode(plain)->plain());
    const auto srgb = decode("srgb_texture");
    REQUIRE(srgb->has_curve);
    CHECK_FALSE(srgb->has_matrix);
    for (int i = 0; i < 256; ++i)
        CHECK(srgb->curve8[size_t(i)] == Approx(srgb_to_linear(float(i) / 255.f)).margin(2e-6));
    const auto gamma = decode("g22_rec709");
    for (const int i : {10, 100, 200, 255})
        CHECK(gamma->curve8[size_t(i)] == Approx(std::pow(double(i) / 255., 2.2)).margin(2e-5));
    std::vector<float> numbers{.5f, 1.f, 2.f, 0.f, .2f, 1.5f};
    srgb->apply_curve(numbers.data(), 2);
    CHECK(numbers[0] == Approx(srgb_to_linear(.5f)).epsilon(1e-4));
    CHECK(numbers[2] == Approx(srgb_to_linear(2.f)).epsilon(1e-3));  // of floating point, beyond 1
    CHECK(numbers[3] == 0.f);
}

TEST_CASE("primaries of wider spaces come out where they lie, and white stays white") {
    struct Case {
        const char* space;
        double xy[3][2];
    };
    // SMPTE ST 2065-1 (AP0), S-2014-004 (AP1), ITU-R BT.2020. The first two have another white, which is adapted to.
    for (const Case& c : {Case{"lin_rec2020", {{.708, .292}, {.170, .797}, {.131, .046}}}}) {
        const auto d = decode(c.space);
        for (int k = 0; k < 3; ++k) {
            V3f one(0.f);
            one[k] = 1.f;
            const auto [x, y] = chromaticity(d->transform(one));
            INFO(c.space << " primary " << k);
            CHECK(x == Approx(c.xy[k][0]).margin(.002));
            CHECK(y == Approx(c.xy[k][1]).margin(.002));
        }
    }
    for (const char* space : {"acescg", "aces2065_1", "lin_rec2020"}) {
        const auto d = decode(space);
        CHECK_FALSE(d->has_curve);
        CHECK((d->transform(V3f(1.f)) - V3f(1.f)).length() < 2e-4f);
        CHECK(d->transform({1.f, 0.f, 0.f}).x > 1.f);  // wider: its red lies outside
    }
    // AP1 to Rec.709 with Bradford's adaptation, as published with ACES.
    const V3f red = decode("acescg")->transform({1.f, 0.f, 0.f});
    CHECK((red - V3f(1.70505f, -.13026f, -.02400f)).length() < 2e-3f);
}

TEST_CASE("codes for linear numbers are the nearest ones, and decode to what they were") {
    const auto d = decode("srgb_texture");
    REQUIRE(d->encode16().size() == 65536);
    for (int i = 0; i < 65536; i += 97) {
        const float x = float(i) / 65535.f;
        const uint16_t code = d->encode16()[size_t(i)];
        const float back = d->curve16[code];
        const float below = d->curve16[code ? code - 1u : 0u];
        const float above = d->curve16[std::min(65535, code + 1)];
        CHECK_FALSE(std::fabs(back - x) > std::fabs(below - x) + 1e-7f);
        CHECK_FALSE(std::fabs(back - x) > std::fabs(above - x) + 1e-7f);
    }
}

TEST_CASE("a space that nobody knows is told, and words of files are understood in any writing") {
    const auto none = texture::colour_decode("moonlight");
    REQUIRE_FALSE(none);
    CHECK(none.error().place.find("moonlight") != std::string::npos);
    CHECK_FALSE(none.error().remedy.empty());
    for (const std::string& space : texture::colour_spaces()) {
        CHECK(texture::colour_decode(space));
        CHECK(texture::colour_space_named(space) == space);
    }
    CHECK(texture::colour_space_named("sRGB") == "srgb_texture");
    CHECK(texture::colour_space_named("Lin_AP1") == "acescg");
    CHECK(texture::colour_space_named("ACES 2065-1") == "aces2065_1");
    CHECK(texture::colour_space_named("Non-Color") == "raw");
    CHECK(texture::colour_space_named("harbour").empty());
}

TEST_CASE("a channel is found by its letter, its name, and its name without its layer") {
    texture::ImageHeader h;
    h.channels = 5;
    h.channel_names = {"R", "G", "B", "wear.A", "wear.height"};
    CHECK(texture::channel_of(h, "r") == 0);
    CHECK(texture::channel_of(h, "b") == 2);
    CHECK(texture::channel_of(h, "wear.height") == 4);
    CHECK(texture::channel_of(h, "height") == 4);
    CHECK(texture::channel_of(h, "nothing") == -1);
    CHECK(texture::channel_of({}, "r") == -1);
}

TEST_CASE("kinds of maps are told apart by one name each, and go to slots that surfaces have") {
    std::set<std::string> names;
    for (const texture::MapKindInfo& k : texture::map_kinds()) {
        CHECK(names.insert(k.name).second);
        CHECK(&texture::info(k.kind) == &k);
        CHECK(texture::map_kind_from_name(k.name) == k.kind);
        CHECK(std::string(k.title).size() > 1);
    }
    CHECK(texture::map_kind_from_name("a thing of no kind") == texture::MapKind::unknown);
    CHECK(texture::info(texture::MapKind::base_color).colour);
    CHECK_FALSE(texture::info(texture::MapKind::roughness).colour);
}

TEST_CASE("image files are known by their ending, in any case, and dialogs offer the same") {
    for (const char* good : {"a.exr", "a.PNG", "harbour/b.1001.tif", "c.d.Jpeg"}) CHECK(texture::is_picture_name(good));
    for (const char* bad : {"a", "a.obj", "png", "a.png.part", ".exr.vemtra"})
        CHECK_FALSE(texture::is_picture_name(bad));
    std::istringstream offered(texture::picture_patterns());
    int count = 0;
    for (std::string pattern; offered >> pattern; ++count) {
        REQUIRE(pattern.front() == '*');
        CHECK(texture::is_picture_name("x" + pattern.substr(1)));
    }
    CHECK(count >= 10);
}

TEST_CASE("tones become a normal distribution by their rank, and come back") {
    std::mt19937 random(4);
    std::vector<float> values;
    for (int i = 0; i < 20000; ++i) {
        const float x = float(random() % 100001) / 100000.f;
        values.push_back(x * x * x);  // far from normal
    }
    const texture::Tones tones(values);
    double sum = 0;
    double squares = 0;
    for (const float v : values) {
        const double g = double(tones.to_normal(v)) - .5;
        sum += g;
        squares += g * g;
    }
    CHECK(std::fabs(sum / 20000.) < .002);
    CHECK(std::sqrt(squares / 20000.) == Approx(1. / 6.).epsilon(.02));
    for (const float v : {.01f, .1f, .4f, .9f}) CHECK(tones.from_normal(tones.to_normal(v)) == Approx(v).margin(.01));
    float last = -1.f;
    for (float g = 0.f; g <= 1.f; g += .01f) {
        CHECK(tones.from_normal(g) >= last);
        last = tones.from_normal(g);
    }
    const texture::Tones two(std::vector<float>{0.f, 0.f, 0.f, 1.f});
    CHECK(two.from_normal(two.to_normal(0.f)) == 0.f);
    CHECK(two.from_normal(two.to_normal(1.f)) == 1.f);
    CHECK(texture::Tones().from_normal(.3f) == 0.f);
}

TEST_CASE("three copies share a point: shares add up to one, nothing jumps, and mixing keeps the spread") {
    for (float t = 0.f; t < 7.f; t += .0371f) {
        const float u = t;
        const float v = 3.f - .7f * t;
        const texture::Copies here = texture::copies_at(u, v);
        const texture::Copies near = texture::copies_at(u + 1e-4f, v);
        CHECK(here.weight[0] + here.weight[1] + here.weight[2] == Approx(1.f).epsilon(1e-5));
        for (int k = 0; k < 3; ++k) {
            CHECK(here.weight[k] >= -1e-6f);
            // The copy that has a share here has about the same close by, wherever it stands in the list there.
            float same = 0.f;
            for (int j = 0; j < 3; ++j) {
                const float du = near.u[j] - here.u[k] - 1e-4f;
                const float dv = near.v[j] - here.v[k];
                if (std::fabs(du - std::round(du)) < 1e-4f && std::fabs(dv - std::round(dv)) < 1e-4f)
                    same += near.weight[j];
            }
            CHECK(std::fabs(same - here.weight[k]) < .01f);
        }
    }
    std::mt19937 random(11);
    std::normal_distribution<float> normal(.5f, 1.f / 6.f);
    for (const std::array<float, 3> w : {std::array{1.f, 0.f, 0.f}, {.5f, .5f, 0.f}, {.34f, .33f, .33f}}) {
        double squares = 0;
        constexpr int n = 40000;
        for (int i = 0; i < n; ++i) {
            const float g[] = {normal(random), normal(random), normal(random)};
            const double m = double(texture::mix_normal(g, w.data())) - .5;
            squares += m * m;
        }
        CHECK(std::sqrt(squares / n) == Approx(1. / 6.).epsilon(.02));
    }
}
