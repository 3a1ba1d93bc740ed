#include <OpenImageIO/imageio.h>

#include "texture/texture.h"

#include <thread>

#include "render_support.h"
#include "support.h"
#include "texture/display.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;
using texture::Textures;
using texture::TextureStore;

namespace {

program::ImageRequest image_request(const std::string& file, const std::string& space = "auto", int components = 3,
                                    const std::string& channel = "r") {
    program::ImageRequest r;
    r.file = file;
    r.colorspace = space;
    r.channel = channel;
    r.components = components;
    return r;
}
std::vector<float> look(const Textures& t, int handle, float u, float v, int components, float du = 0.f,
                        float dv = 0.f) {
    float r = 0, g = 0, b = 0, zero = 0.f;
    float* out[] = {&r, &g, &b};
    const float* place[] = {&u, &v, &du, &zero, &zero, &dv};
    t.sample(handle, 1, place, out, components);
    std::vector<float> all{r, g, b};
    all.resize(size_t(components));
    return all;
}
/// A store of its own in the scratch folder.
std::shared_ptr<TextureStore> store_in(const Scratch& s, size_t megabytes = 64) {
    return std::make_shared<TextureStore>(megabytes, s.path / "prepared");
}

std::vector<float> look(const Scratch& s, const program::ImageRequest& r, float u, float v,
                        std::vector<Error>& problems) {
    auto store = store_in(s);
    const Textures t(store, {r}, s.path, problems);
    auto value = look(t, 0, u, v, r.components);
    for (const Error& e : store->problems())
        if (problems.empty()) problems.push_back(e);
    return value;
}
}  // namespace

TEST_CASE(
    "a grey card keeps its value through every depth and space to a part in 65535, read from the file and prepared") {
    Scratch s;
    const auto exact = [](const std::string& space, float x) {
        if (space == "srgb_texture") return srgb_to_linear(x);
        if (space == "g22_rec709") return std::pow(x, 2.2f);
        return x;  // primaries leave greys alone
    };
    const std::pair<const char*, Kept> files[] = {
        {"u8.png", Kept::bytes},     {"u16.png", Kept::words},    {"u16.tif", Kept::words}, {"half.exr", Kept::halves},
        {"float.exr", Kept::floats}, {"float.tif", Kept::floats}, {"u8.tga", Kept::bytes},  {"u8.bmp", Kept::bytes}};
    for (const auto& [file, type] : files)
        for (const int code : {0, 3, 17, 46, 118, 128, 200, 255}) {
            const float value =
                type == Kept::halves ? float(code) / 256.f : float(code) / 255.f;  // what the depth can hold
            write_image(s.path / file, 8, 8, 3, type, [&](int, int, int) { return value; });
            for (const std::string& space : texture::colour_spaces()) {
                INFO(file << " " << code << " " << space);
                auto store = store_in(s);
                std::vector<Error> problems;
                const Textures straight(store, {image_request(file, space)}, s.path, problems);
                const float expected = exact(space, value);
                for (float x : look(straight, 0, .37f, .61f, 3)) CHECK(std::fabs(x - expected) <= 1.f / 65535.f);
                REQUIRE(store->prepare({image_request(file, space)}, s.path));
                const Textures prepared(store, {image_request(file, space)}, s.path, problems);
                for (float x : look(prepared, 0, .37f, .61f, 3, .9f, .9f))
                    CHECK(std::fabs(x - expected) <= (type == Kept::bytes ? 1e-6f : 0.f) + 1.f / 65535.f);
                CHECK(problems.empty());
            }
        }
}

TEST_CASE("a map of half floats is read from its prepared form, which is whole, and stays halves in memory") {
    Scratch s;
    write_image(s.path / "half.exr", 200, 130, 3, Kept::halves,
                [](int x, int y, int c) { return float(x + 3 * y + c) / 1024.f; });
    REQUIRE(texture::prepare_map(s.path / "half.exr", s.path / "prepared.tif", "raw"));
    texture::TexelStore store(size_t(64) << 20);
    int spoiled = 0;
    store.on_spoiled = [&](const fs::path&, const texture::TexelSource&) { ++spoiled; };
    const auto image = store.open({s.path / "half.exr", 0, 3, nullptr}, s.path / "prepared.tif");
    REQUIRE(image);
    CHECK((*image)->format() == texture::TexelFormat::half);
    CHECK((*image)->prepared());
    texture::TexelStore::Reading reading(store);
    for (size_t level = 0; level < (*image)->levels().size(); ++level)
        for (size_t tile = 0; tile < size_t((*image)->levels()[level].across * (*image)->levels()[level].down); ++tile)
            reading.texels(**image, level, tile);
    const uint8_t* texels = reading.texels(**image, 0, 0);
    uint16_t bits = 0;
    std::memcpy(&bits, texels + (size_t(5) * texture::tile_edge + 7) * 8, 2);
    CHECK(bits == 0x2580);  // 22 / 1024
    CHECK(spoiled == 0);
}

TEST_CASE("colours come from their primaries into linear Rec.709") {
    Scratch s;
    std::vector<Error> problems;
    write_image(s.path / "c.exr", 4, 4, 3, Kept::floats, [](int, int, int c) {
        return c == 0 ? .8f : c == 1 ? .3f : .1f;
    });
    // ACES TB-2014-004 and ITU-R BT.2020, adapted by Bradford where the white differs.
    CHECK_THAT(look(s, image_request("c.exr", "acescg"), .5f, .5f, problems),
               AllClose({1.16917725f, .23697f, .0574f}, 2e-3f));
    CHECK_THAT(look(s, image_request("c.exr", "lin_rec2020"), .5f, .5f, problems),
               AllClose({1.1448f, .2394f, .0672f}, 2e-3f));
    CHECK_THAT(look(s, image_request("c.exr", "raw"), .5f, .5f, problems), AllClose({.8f, .3f, .1f}, 1e-6f));
    look(s, image_request("c.exr", "a space that is none"), .5f, .5f, problems);
    CHECK(problems.size() == 1);
}

TEST_CASE("automatic: 8-bit colour is decoded, deeper files are linear, single numbers are raw, v points up") {
    Scratch s;
    std::vector<Error> problems;
    write_image(s.path / "c.png", 4, 4, 3, Kept::bytes,
                [](int, int y, int c) { return y < 2 ? .5f : (c == 0 ? 1.f : 0.f); });
    const float decoded = srgb_to_linear(128 / 255.f);
    CHECK_THAT(look(s, image_request("c.png"), .5f, .8f, problems), AllClose({decoded, decoded, decoded}, 1e-5f));
    CHECK_THAT(look(s, image_request("c.png", "raw"), .5f, .8f, problems),
               AllClose({.50196f, .50196f, .50196f}, 1e-5f));
    CHECK_THAT(look(s, image_request("c.png"), .5f, .2f, problems), AllClose({1.f, 0.f, 0.f}, 1e-5f));
    CHECK(look(s, image_request("c.png", "auto", 1), .5f, .8f, problems)[0] == Approx(.50196f).margin(1e-5));
    write_image(s.path / "f.exr", 4, 4, 3, Kept::floats, [](int, int, int) { return .5f; });
    CHECK_THAT(look(s, image_request("f.exr"), .5f, .5f, problems), AllClose({.5f, .5f, .5f}, 1e-6f));
    CHECK(problems.empty());
}

TEST_CASE("a single number is read from the channel that is named, never by accident from alpha") {
    Scratch s;
    std::vector<Error> problems;
    write_image(
        s.path / "p.tif", 4, 4, 4, Kept::floats, [](int, int, int c) { return .125f * float(c + 1); },
        [](OIIO::ImageSpec& spec) { spec.attribute("oiio:UnassociatedAlpha", 1); });
    for (int c = 0; c < 4; ++c)
        CHECK(look(s, image_request("p.tif", "raw", 1, std::string(1, "rgba"[c])), .5f, .5f, problems)[0] ==
              Approx(.125f * float(c + 1)));
    CHECK(look(s, image_request("p.tif", "raw", 1, "luminance"), .5f, .5f, problems)[0] ==
          Approx(luminance({.125f, .25f, .375f})));
    CHECK(problems.empty());
    write_image(s.path / "f3.exr", 4, 4, 3, Kept::halves, [](int, int, int) { return .25f; });
    CHECK(look(s, image_request("f3.exr", "raw", 1, "a"), .5f, .5f, problems)[0] == .25f);
    CHECK(problems.size() == 1);
    // By the name in the file, and grey with alpha.
    write_image(
        s.path / "named.exr", 4, 4, 2, Kept::floats, [](int, int, int c) { return c ? .75f : .25f; },
        [](OIIO::ImageSpec& spec) {
            spec.channelnames = {"height", "wear"};
            spec.alpha_channel = -1;
        });
    problems.clear();
    CHECK(look(s, image_request("named.exr", "raw", 1, "wear"), .5f, .5f, problems)[0] == .75f);
    CHECK(look(s, image_request("named.exr", "raw", 1, "height"), .5f, .5f, problems)[0] == .25f);
    write_image(s.path / "ya.png", 4, 4, 2, Kept::bytes, [](int, int, int c) { return c ? .2f : 1.f; });
    CHECK(look(s, image_request("ya.png", "raw", 1), .5f, .5f, problems)[0] == 1.f);
    CHECK(problems.empty());
}

TEST_CASE("colour that was multiplied by its alpha gets its own value back, straight colour is left") {
    Scratch s;
    std::vector<Error> problems;
    write_image(s.path / "over.exr", 4, 4, 4, Kept::floats, [](int, int, int c) { return c == 3 ? .25f : .2f; });
    CHECK_THAT(look(s, image_request("over.exr", "lin_rec709"), .5f, .5f, problems), AllClose({.8f, .8f, .8f}, 1e-5f));
    write_image(
        s.path / "straight.png", 4, 4, 4, Kept::bytes, [](int, int, int c) { return c == 3 ? .2f : .6f; },
        [](OIIO::ImageSpec& spec) { spec.attribute("oiio:UnassociatedAlpha", 1); });
    const float value = srgb_to_linear(.6f);
    CHECK_THAT(look(s, image_request("straight.png"), .5f, .5f, problems), AllClose({value, value, value}, 1e-5f));
    CHECK(problems.empty());
}

TEST_CASE("UDIM tiles are found by number, missing ones are loud, and 1x1 maps are maps") {
    Scratch s;
    std::vector<Error> problems;
    write_image(s.path / "t.1001.exr", 2, 2, 1, Kept::floats, [](int, int, int) { return .25f; });
    write_image(s.path / "t.1002.exr", 1, 1, 1, Kept::floats, [](int, int, int) { return .75f; });
    write_image(s.path / "t.1012.exr", 1, 1, 1, Kept::floats, [](int, int, int) { return 1.f; });
    const auto r = image_request("t.<UDIM>.exr", "raw", 1);
    CHECK(look(s, r, .5f, .5f, problems)[0] == Approx(.25f));
    CHECK(look(s, r, 1.5f, .5f, problems)[0] == Approx(.75f));
    CHECK(look(s, r, 1.999f, 1.001f, problems)[0] == Approx(1.f));
    for (const float u : {.5f, 2.5f, -.5f, 11.f}) CHECK(look(s, r, u, 1.5f, problems)[0] == texture::missing_number);
    CHECK_THAT(look(s, image_request("t.<UDIM>.exr"), .5f, 1.5f, problems), AllClose({1.f, 0.f, 1.f}, 0.f));
    for (const Error& e : problems) UNSCOPED_INFO(e.line());
    CHECK(problems.empty());
    write_image(s.path / "w_u2_v1.exr", 1, 1, 1, Kept::floats, [](int, int, int) { return .5f; });
    CHECK(texture::tile_files(s.path / "w_<UVTILE>.exr").front().first == 1002);
}

TEST_CASE("every broken map is reported and reads as the loud documented value") {
    Scratch s;
    write_image(s.path / "whole.png", 64, 64, 3, Kept::bytes,
                [](int x, int y, int c) { return float((x * 7 + y * 13 + c * 5) % 64) / 64.f; });
    const std::string bytes = *read_file(s.path / "whole.png");
    s.write("cut.png", bytes.substr(0, bytes.size() / 3));
    s.write("empty.png", "");
    s.write("text.png", "this is no picture");
    fs::create_directories(s.path / "folder.png");
    fs::create_symlink(s.path / "loop-b.png", s.path / "loop-a.png");
    fs::create_symlink(s.path / "loop-a.png", s.path / "loop-b.png");
    // A header that promises 60000 x 60000 texels, and one of 65000 x 8000: refused before memory is asked for.
    auto bomb = [&](const char* name, uint32_t w, uint32_t h) {
        std::string b = bytes.substr(0, 33);
        for (int i = 0; i < 4; ++i)
            b[size_t(16 + i)] = char(w >> (24 - 8 * i)), b[size_t(20 + i)] = char(h >> (24 - 8 * i));
        uint32_t crc = 0xffffffffu;
        for (size_t i = 12; i < 29; ++i) {
            crc ^= uint8_t(b[i]);
            for (int k = 0; k < 8; ++k) crc = crc >> 1 ^ (crc & 1 ? 0xedb88320u : 0u);
        }
        crc = ~crc;
        for (int i = 0; i < 4; ++i) b[size_t(29 + i)] = char(crc >> (24 - 8 * i));
        s.write(name, b + bytes.substr(33));
    };
    bomb("bomb.png", 60000, 60000);
    bomb("wide.png", 65000, 8000);
    for (const char* name :
         {"missing.png", "cut.png", "empty.png", "text.png", "folder.png", "loop-a.png", "bomb.png", "wide.png", ""}) {
        INFO(name);
        std::vector<Error> problems;
        CHECK_THAT(look(s, image_request(name), .5f, .1f, problems), AllClose({1.f, 0.f, 1.f}, 0.f));
        REQUIRE(problems.size() == 1);
        CHECK_FALSE(problems[0].why.empty());
        CHECK_FALSE(problems[0].remedy.empty());
        problems.clear();
        CHECK(look(s, image_request(name, "raw", 1), .5f, .1f, problems)[0] ==
              Approx(texture::missing_number).margin(.003));
        CHECK_FALSE(texture::read_linear_image(s.path / name));
        Status prepared = texture::prepare_map(s.path / name, s.path / "out.tif", "raw");
        CHECK_FALSE(prepared);
        CHECK_FALSE(fs::exists(s.path / "out.tif"));
    }
    // The wrong extension does no harm.
    fs::copy(s.path / "whole.png", s.path / "whole.tif");
    std::vector<Error> problems;
    look(s, image_request("whole.tif"), .5f, .5f, problems);
    CHECK(problems.empty());
}

TEST_CASE("numbers in a map that are none do not spread") {
    Scratch s;
    std::vector<Error> problems;
    write_image(s.path / "n.exr", 4, 4, 1, Kept::floats, [](int x, int, int) {
        return x == 0 ? NAN : x == 1 ? INFINITY : .5f;
    });
    auto store = store_in(s);
    REQUIRE(store->prepare({image_request("n.exr", "raw", 1)}, s.path));
    const Textures t(store, {image_request("n.exr", "raw", 1)}, s.path, problems);
    for (float u = 0.f; u < 1.f; u += .05f)
        for (float w : {0.f, .3f, 2.f}) CHECK(std::isfinite(look(t, 0, u, .5f, 1, w, w)[0]));
    for (const float bad : {NAN, INFINITY, 1e30f}) CHECK(std::isfinite(look(t, 0, bad, .5f, 1, .1f, bad)[0]));
}

TEST_CASE("what stands beside an image: repeated, held, mirrored or nothing, each way by itself") {
    Scratch s;
    write_image(s.path / "ramp.exr", 4, 4, 1, Kept::floats,
                [](int x, int y, int) { return float(x) + 10.f * float(3 - y); });
    auto at = [&](const std::string& u_mode, const std::string& v_mode, float u, float v) {
        auto r = image_request("ramp.exr", "raw", 1);
        r.wrap_u = u_mode;
        r.wrap_v = v_mode;
        std::vector<Error> problems;
        return look(s, r, u, v, problems)[0];
    };
    const float middle = .625f;  // of texel 2
    CHECK(at("periodic", "periodic", 1.125f, middle) == Approx(20.f));
    CHECK(at("periodic", "periodic", -.125f, middle) == Approx(23.f));
    CHECK(at("periodic", "periodic", 0.f, middle) == Approx(21.5f));  // between the last and the first
    CHECK(at("clamp", "periodic", 1.6f, middle) == Approx(23.f));
    CHECK(at("clamp", "clamp", -3.f, 7.f) == Approx(30.f));
    CHECK(at("mirror", "clamp", 1.125f, middle) == Approx(23.f));
    CHECK(at("mirror", "clamp", 1.375f, middle) == Approx(22.f));
    CHECK(at("mirror", "clamp", -.125f, middle) == Approx(20.f));
    CHECK(at("constant", "clamp", 1.6f, middle) == 0.f);
    CHECK(at("constant", "clamp", .625f, middle) == Approx(22.f));
    CHECK(at("periodic", "constant", .625f, 2.f) == 0.f);
}

TEST_CASE("mip levels average light, not codes, for any size") {
    Scratch s;
    for (const auto& [w, h] : std::vector<std::pair<int, int>>{{64, 64}, {37, 21}, {1, 9}, {130, 66}, {5, 3}}) {
        INFO(w << " x " << h);
        write_image(s.path / "c.png", w, h, 3, Kept::words, [](int x, int y, int) { return (x + y) % 2 ? 1.f : 0.f; });
        auto store = store_in(s);
        const auto r = image_request("c.png", "srgb_texture");
        REQUIRE(store->prepare({r}, s.path));
        std::vector<Error> problems;
        const Textures t(store, {r}, s.path, problems);
        const double expected = double((w * h) / 2) / double(w * h);
        CHECK(look(t, 0, .5f, .5f, 3, 300.f, 300.f)[0] == Approx(expected).margin(2e-3));
    }
}

TEST_CASE("footprints keep fine patterns quiet, and leave wide ones alone") {
    Scratch s;
    // A chirp: from slow to one change a texel.
    constexpr int size = 512;
    write_image(s.path / "chirp.exr", size, size, 1, Kept::floats,
                [](int x, int, int) { return .5f + .5f * std::cos(float(x) * float(x) * pi / (2.f * size)); });
    auto store = store_in(s);
    for (const char* filter : {"smooth", "box"}) {
        auto r = image_request("chirp.exr", "raw", 1);
        r.filter = filter;
        REQUIRE(store->prepare({r}, s.path));
        std::vector<Error> problems;
        const Textures t(store, {r}, s.path, problems);
        double slow = 0, fast = 0, unfiltered = 0;
        for (int i = 0; i < 400; ++i) {
            const float v = .3f + .001f * float(i), left = .02f + .0003f * float(i), right = .8f + .0004f * float(i);
            slow = std::max(
                slow, double(std::fabs(look(t, 0, left, v, 1, 1.f / size, 1.f / size)[0] - look(t, 0, left, v, 1)[0])));
            fast = std::max(fast, double(std::fabs(look(t, 0, right, v, 1, 24.f / size, 24.f / size)[0] - .5f)));
            unfiltered = std::max(unfiltered, double(std::fabs(look(t, 0, right, v, 1)[0] - .5f)));
        }
        INFO(filter);
        CHECK(slow < .02);
        CHECK(fast < .06);
        CHECK(unfiltered > .3);
    }
    // An elongated footprint blurs along its length only.
    write_image(s.path / "stripes.exr", size, size, 1, Kept::floats,
                [](int, int y, int) { return (y / 4) % 2 ? 1.f : 0.f; });
    auto r = image_request("stripes.exr", "raw", 1);
    REQUIRE(store->prepare({r}, s.path));
    std::vector<Error> problems;
    const Textures t(store, {r}, s.path, problems);
    const float inside = 1.f - 6.f / size;  // in the middle of a white stripe
    CHECK(look(t, 0, .5f, inside, 1, 8.f / size, 1.f / size)[0] > .95f);
    CHECK(look(t, 0, .5f, inside, 1, 1.f / size, 64.f / size)[0] == Approx(.5f).margin(.08));
    r.filter = "off";
    const Textures off(store, {r}, s.path, problems);
    CHECK(look(off, 0, .5f, inside, 1, 1.f / size, 64.f / size)[0] == 1.f);
    // The same ellipse is said by any pair of conjugate axes, as where a map is stretched: those lie nearly along each
    // other, and the blur still has the ellipse's own width.
    for (const float turn : {.2f, .7f, 1.2f, 2.4f}) {
        const float a[] = {20.f / size * std::cos(turn), 1.f / size * std::sin(turn)};
        const float b[] = {-20.f / size * std::sin(turn), 1.f / size * std::cos(turn)};
        const float u = .5f;
        float value = 0.f;
        float* out[] = {&value};
        const float* place[] = {&u, &inside, &a[0], &a[1], &b[0], &b[1]};
        t.sample(0, 1, place, out, 1);
        INFO(turn);
        CHECK(value > .8f);
    }
}

TEST_CASE("a map that is saved anew is seen, the others are left alone") {
    Scratch s;
    auto store = store_in(s);
    std::vector<Error> problems;
    for (const char* name : {"a.png", "b.png"})
        write_image(s.path / name, 8, 8, 1, Kept::bytes, [&](int, int, int) { return name[0] == 'a' ? .2f : .4f; });
    const std::vector<program::ImageRequest> both{image_request("a.png", "raw", 1), image_request("b.png", "raw", 1)};
    REQUIRE(store->prepare(both, s.path));
    const Textures before(store, both, s.path, problems);
    CHECK(look(before, 0, .5f, .5f, 1)[0] == Approx(.2f));
    CHECK(look(before, 1, .5f, .5f, 1)[0] == Approx(.4f));
    const size_t held = store->memory();
    write_image(s.path / "a.png", 8, 8, 1, Kept::bytes, [](int, int, int) { return .8f; });
    fs::last_write_time(s.path / "a.png", fs::file_time_type::clock::now() + std::chrono::seconds(2));
    store->forget((s.path / "a.png").string());
    const Textures after(store, both, s.path, problems);
    CHECK(look(after, 0, .5f, .5f, 1)[0] == Approx(.8f));
    CHECK(look(after, 1, .5f, .5f, 1)[0] == Approx(.4f));
    CHECK(look(before, 1, .5f, .5f, 1)[0] == Approx(.4f));
    CHECK(store->memory() == held / 2 * 3);
    CHECK(problems.empty());
}

TEST_CASE("prepared maps are found again by content, elsewhere and in another session, and make room") {
    Scratch s;
    write_image(s.path / "a.png", 64, 64, 1, Kept::bytes,
                [](int x, int y, int) { return float((x * 31 + y * 17) % 256) / 255.f; });
    {
        texture::MapCache cache(s.path / "cache");
        CHECK_FALSE(cache.find(s.path / "a.png", "raw"));
        CHECK(cache.prepare_all({{s.path / "a.png", "raw"}}));
        CHECK(cache.find(s.path / "a.png", "raw"));
        CHECK(cache.find(s.path / "a.png", "acescg"));  // no curve: the same averages
        CHECK_FALSE(cache.find(s.path / "a.png", "srgb_texture"));
    }
    fs::create_directories(s.path / "other project");
    fs::copy(s.path / "a.png", s.path / "other project" / "renamed.png");
    texture::MapCache cache(s.path / "cache");
    CHECK(cache.find(s.path / "other project" / "renamed.png", "raw"));
    CHECK(cache.state().bytes > 0);
    write_image(s.path / "a.png", 64, 64, 1, Kept::bytes, [](int, int, int) { return .5f; });
    CHECK_FALSE(cache.find(s.path / "a.png", "raw"));
    // In the background, with news of it.
    cache.want(s.path / "a.png", "raw");
    for (int i = 0; i < 2000 && !cache.find(s.path / "a.png", "raw"); ++i)
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    CHECK(cache.find(s.path / "a.png", "raw"));
    for (int i = 0; i < 2000; ++i) {
        if (const auto ready = cache.take_ready(); !ready.empty()) {
            CHECK(ready.front() == s.path / "a.png");
            break;
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
        CHECK(i < 1999);
    }
    cache.set_limit(100);
    CHECK(cache.state().bytes <= 100);
}

TEST_CASE("texels stay within their budget while several threads read at random, and are right") {
    Scratch s;
    constexpr int size = 2048;
    write_image(
        s.path / "big.exr", size, size, 1, Kept::floats, [](int x, int y, int) { return float(x) + float(y) * size; },
        [](OIIO::ImageSpec& spec) { spec.attribute("compression", "none"); });
    auto store = store_in(s, 4);  // of 22 MB that the map has
    const auto r = image_request("big.exr", "raw", 1);
    REQUIRE(store->prepare({r}, s.path));
    for (const Error& e : store->problems()) WARN(e.line());
    std::vector<Error> problems;
    const Textures t(store, {r}, s.path, problems);
    std::atomic<size_t> wrong{0}, most{0};
    auto walk = [&](unsigned seed) {
        std::mt19937 random(seed);
        std::vector<float> u(256), v(256), out(256);
        std::vector<std::pair<int, int>> texel(256);
        for (int round = 0; round < 120; ++round) {
            for (size_t i = 0; i < u.size(); ++i) {
                texel[i] = {int(random() % size), int(random() % size)};
                u[i] = (float(texel[i].first) + .5f) / size;
                v[i] = 1.f - (float(texel[i].second) + .5f) / size;
            }
            const float* place[6] = {u.data(), v.data(), nullptr, nullptr, nullptr, nullptr};
            float* to[] = {out.data()};
            t.sample(0, int(u.size()), place, to, 1);
            for (size_t i = 0; i < u.size(); ++i)
                wrong += std::fabs(out[i] - (float(texel[i].first) + float(texel[i].second) * size)) > 64.f;
            size_t seen = most, now = store->memory();
            while (now > seen && !most.compare_exchange_weak(seen, now)) {}
        }
    };
    std::vector<std::thread> threads;
    for (unsigned k = 0; k < 4; ++k) threads.emplace_back(walk, k + 1);
    for (std::thread& th : threads) th.join();
    CHECK(wrong == 0);
    CHECK(most <= (size_t(4) << 20) + (size_t(4) << 18));  // what the threads hold in their hands
    CHECK(problems.empty());
    CHECK(store->problems().empty());
}

TEST_CASE("tiling without repetition keeps the tones of the map") {
    Scratch s;
    // Two thirds dark, one third bright, in blots.
    write_image(s.path / "blots.png", 128, 128, 1, Kept::bytes, [](int x, int y, int) {
        return std::sin(float(x) * .3f) + std::sin(float(y) * .27f + float(x) * .05f) > .55f ? .85f : .15f;
    });
    auto r = image_request("blots.png", "raw", 1);
    auto store = store_in(s);
    REQUIRE(store->prepare({r}, s.path));
    std::vector<Error> problems;
    const Textures plain(store, {r}, s.path, problems);
    r.seamless = true;
    const Textures mixed(store, {r}, s.path, problems);
    double mean[2] = {}, bright[2] = {};
    int repeats = 0;
    constexpr int n = 4000;
    for (int i = 0; i < n; ++i) {
        const float u = 8.f * float(i % 63) / 63.f, v = 8.f * float(i) / n;
        const float a = look(plain, 0, u, v, 1)[0], b = look(mixed, 0, u, v, 1)[0];
        mean[0] += double(a) / n;
        mean[1] += double(b) / n;
        bright[0] += a > .5f ? 1. / n : 0.;
        bright[1] += b > .5f ? 1. / n : 0.;
        repeats += std::fabs(look(mixed, 0, u + 1.f, v, 1)[0] - b) < .02f;
    }
    CHECK(mean[1] == Approx(mean[0]).margin(.04));
    CHECK(bright[1] == Approx(bright[0]).margin(.06));
    CHECK(repeats < n * 8 / 10);
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

TEST_CASE("the display's lattice keeps to the exact transform") {
    const auto filmic = texture::DisplayTransform::make("filmic");
    REQUIRE(filmic);
    std::mt19937 random(11);
    std::uniform_real_distribution<float> stop(-9.f, 6.f);
    std::vector<V3f> colours;
    for (int i = 0; i < 3000; ++i) {
        const float level = .18f * std::exp2(stop(random));
        colours.push_back(V3f(level * std::exp2(stop(random) * .1f), level, level * std::exp2(stop(random) * .1f)));
    }
    std::vector<uint8_t> shown(colours.size() * 4);
    (*filmic)->apply(colours.data(), colours.size(), 0.f, shown.data());
    int worst = 0;
    for (size_t i = 0; i < colours.size(); ++i) {
        const V3f exact = (**filmic)(colours[i]);
        for (size_t c = 0; c < 3; ++c)
            worst = std::max(worst, std::abs(int(shown[4 * i + c]) - int(std::lround(exact[int(c)] * 255.f))));
    }
    CHECK(worst <= 2);  // of 255
}
