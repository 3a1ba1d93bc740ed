#include "texture/texture.h"

#include <OpenImageIO/imageio.h>

#include "support.h"
#include "texture/display.h"

using namespace vemtra;
using namespace vemtra::test;
using texture::Textures;

namespace {
void write(const fs::path& file, int w, int h, int channels, OIIO::TypeDesc type, const std::function<float(int, int, int)>& value) {
    OIIO::ImageSpec spec(w, h, channels, type);
    std::vector<float> data;
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            for (int c = 0; c < channels; ++c) data.push_back(value(x, y, c));
    auto out = OIIO::ImageOutput::create(file.string());
    REQUIRE(out);
    REQUIRE(out->open(file.string(), spec));
    REQUIRE(out->write_image(OIIO::TypeDesc::FLOAT, data.data()));
    REQUIRE(out->close());
}
std::vector<float> look(const Textures& t, int handle, float u, float v, int components) {
    float r = 0, g = 0, b = 0;
    float* out[] = {&r, &g, &b};
    t.sample(handle, 1, &u, &v, nullptr, out, components);
    std::vector<float> all{r, g, b};
    all.resize(size_t(components));
    return all;
}
std::vector<float> look(const fs::path& folder, const program::ImageRequest& r, float u, float v, std::vector<Error>& problems) {
    return look(Textures(std::make_shared<texture::TextureStore>(), {r}, folder, problems), 0, u, v, r.components);
}
}  // namespace

TEST_CASE("colour is decoded by its space, data is left raw, v points up") {
    Scratch s;
    std::vector<Error> problems;
    write(s.path / "c.png", 4, 4, 3, OIIO::TypeDesc::UINT8, [](int, int y, int c) { return y < 2 ? .5f : (c == 0 ? 1.f : 0.f); });
    const float decoded = srgb_to_linear(128 / 255.f);
    CHECK_THAT(look(s.path, {"c.png", "auto", "r", "periodic", 3}, .5f, .8f, problems), AllClose({decoded, decoded, decoded}, 1e-4f));
    CHECK_THAT(look(s.path, {"c.png", "raw", "r", "periodic", 3}, .5f, .8f, problems), AllClose({.50196f, .50196f, .50196f}, 1e-4f));
    CHECK_THAT(look(s.path, {"c.png", "auto", "r", "periodic", 3}, .5f, .2f, problems), AllClose({1.f, 0.f, 0.f}, 1e-4f));
    write(s.path / "f.exr", 4, 4, 3, OIIO::TypeDesc::FLOAT, [](int, int, int) { return .5f; });
    CHECK_THAT(look(s.path, {"f.exr", "auto", "r", "periodic", 3}, .5f, .5f, problems), AllClose({.5f, .5f, .5f}, 1e-6f));
    CHECK(problems.empty());
}

TEST_CASE("a single number is read from the channel that is named, never by accident from alpha") {
    Scratch s;
    std::vector<Error> problems;
    write(s.path / "p.exr", 4, 4, 4, OIIO::TypeDesc::HALF, [](int, int, int c) { return .125f * float(c + 1); });
    for (int c = 0; c < 4; ++c) CHECK(look(s.path, {"p.exr", "raw", std::string(1, "rgba"[c]), "periodic", 1}, .5f, .5f, problems)[0] == Approx(.125f * float(c + 1)));
    CHECK(look(s.path, {"p.exr", "raw", "luminance", "periodic", 1}, .5f, .5f, problems)[0] == Approx(luminance({.125f, .25f, .375f})));
    CHECK(problems.empty());
    look(s.path, {"f3.exr", "raw", "a", "periodic", 1}, .5f, .5f, problems);
    CHECK(problems.size() == 1);
}

TEST_CASE("UDIM tiles are found by number, and 1x1 maps are maps") {
    Scratch s;
    std::vector<Error> problems;
    write(s.path / "t.1001.exr", 2, 2, 1, OIIO::TypeDesc::FLOAT, [](int, int, int) { return .25f; });
    write(s.path / "t.1002.exr", 1, 1, 1, OIIO::TypeDesc::FLOAT, [](int, int, int) { return .75f; });
    const program::ImageRequest r{"t.<UDIM>.exr", "raw", "r", "periodic", 1};
    CHECK(look(s.path, r, .5f, .5f, problems)[0] == Approx(.25f));
    CHECK(look(s.path, r, 1.5f, .5f, problems)[0] == Approx(.75f));
    CHECK(problems.empty());
}

TEST_CASE("every broken map is reported and reads as the loud documented value") {
    Scratch s;
    write(s.path / "whole.png", 64, 64, 3, OIIO::TypeDesc::UINT8, [](int x, int y, int c) { return float((x * 7 + y * 13 + c * 5) % 64) / 64.f; });
    const std::string bytes = *read_file(s.path / "whole.png");
    s.write("cut.png", bytes.substr(0, bytes.size() / 3));
    s.write("empty.png", "");
    s.write("text.png", "this is no picture");
    fs::create_directories(s.path / "folder.png");
    for (const char* name : {"missing.png", "cut.png", "empty.png", "text.png", "folder.png", ""}) {
        INFO(name);
        std::vector<Error> problems;
        CHECK_THAT(look(s.path, {name, "auto", "r", "periodic", 3}, .5f, .5f, problems), AllClose({1.f, 0.f, 1.f}, 0.f));
        REQUIRE(problems.size() == 1);
        CHECK_FALSE(problems[0].why.empty());
        CHECK_FALSE(problems[0].remedy.empty());
        problems.clear();
        CHECK(look(s.path, {name, "raw", "r", "periodic", 1}, .5f, .5f, problems)[0] == texture::missing_number);
        CHECK_FALSE(texture::read_picture(s.path / name));
    }
}

TEST_CASE("the display shows greys as greys, black as black, and more light as brighter") {
    for (const std::string& view : texture::display_views()) {
        INFO(view);
        auto made = texture::DisplayTransform::make(view);
        REQUIRE(made);
        const auto& d = **made;
        float last = -1.f;
        for (float x : {0.f, .001f, .01f, .05f, .18f, .5f, 1.f, 4.f}) {
            const V3f c = d(V3f(x));
            CHECK(std::fabs(c.x - c.y) < .004f);
            CHECK(std::fabs(c.y - c.z) < .004f);
            CHECK((c.x > last || c.x == 1.f));
            last = c.x;
        }
        CHECK(d(V3f(0.f)).x < .004f);
        CHECK(d(V3f(NAN, 1.f, INFINITY)) == d(V3f(0.f)));
    }
    CHECK((**texture::DisplayTransform::make("srgb"))(V3f(.18f)).x == Approx(linear_to_srgb(.18f)));
    CHECK((**texture::DisplayTransform::make("raw"))(V3f(.25f), 1.f).x == Approx(.5f));
    CHECK_FALSE(texture::DisplayTransform::make("sepia"));
}
