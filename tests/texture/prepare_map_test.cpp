#include <OpenImageIO/imageio.h>

// The prepared form of one map: every level averages exactly what lies under it, from any layout of the original.
#include "texture_support.h"

#include "texture/exr_header.h"
#include "texture/image_header.h"
#include "texture/prepare_map.h"

using namespace vemtra;
using namespace vemtra::test;
using namespace std::string_literals;

namespace {

struct Level {
    int width = 0, height = 0, channels = 0;
    std::vector<float> texels;
};

std::vector<Level> levels_of(const fs::path& file) {
    std::vector<Level> out;
    auto in = OIIO::ImageInput::open(file.string());
    REQUIRE(in);
    for (int i = 0; in->seek_subimage(0, i); ++i) {
        const OIIO::ImageSpec s = in->spec();
        CHECK(s.tile_width == 64);
        Level l{s.width, s.height, s.nchannels, {}};
        l.texels.resize(size_t(s.width) * size_t(s.height) * size_t(s.nchannels));
        REQUIRE(in->read_image(0, i, 0, s.nchannels, OIIO::TypeDesc::FLOAT, l.texels.data()));
        out.push_back(std::move(l));
    }
    return out;
}

double mean_of(const Level& l, int channel) {
    double sum = 0;
    for (size_t i = size_t(channel); i < l.texels.size(); i += size_t(l.channels)) sum += double(l.texels[i]);
    return sum / (double(l.width) * l.height);
}

float wavy(int x, int y, int c) {
    return .5f + .4f * std::sin(float(x) * .7f + float(y) * 1.3f + float(c));
}

}  // namespace

TEST_CASE("every level of a map has the mean of the map, for even, odd and narrow sizes, in rows or tiles") {
    Scratch s;
    int n = 0;
    for (const auto& [w, h] : std::vector<std::pair<int, int>>{{64, 64}, {65, 33}, {7, 200}, {1, 5}, {130, 1}})
        for (int tile : {0, 16, 48}) {
            INFO(w << " x " << h << ", tiles of " << tile);
            const fs::path from = s.path / (std::to_string(n++) + ".tif"), to = s.path / (std::to_string(n) + ".out");
            write_image(from, w, h, 3, Kept::floats, wavy, [&](OIIO::ImageSpec& spec) {
                if (!tile) return;
                spec.tile_width = spec.tile_height = tile;
            });
            REQUIRE(texture::prepare_map(from, to, "raw"));
            const auto levels = levels_of(to);
            REQUIRE(levels.back().width == 1);
            REQUIRE(levels.back().height == 1);
            for (size_t i = 0; i < levels.size(); ++i) {
                if (i > 0) {
                    CHECK(levels[i].width == std::max(1, levels[i - 1].width / 2));
                    CHECK(levels[i].height == std::max(1, levels[i - 1].height / 2));
                }
                for (int c = 0; c < 3; ++c) CHECK(mean_of(levels[i], c) == Approx(mean_of(levels[0], c)).margin(2e-5));
            }
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x)
                    for (int c = 0; c < 3; ++c)
                        REQUIRE(levels[0].texels[(size_t(y) * size_t(w) + size_t(x)) * 3 + size_t(c)] == wavy(x, y, c));
        }
}

TEST_CASE("a checker of black and white in a curved space averages to the code of half the light") {
    Scratch s;
    for (Kept type : {Kept::bytes, Kept::words}) {
        const fs::path from = s.path / "checker.tif", to = s.path / "checker.out";
        write_image(from, 8, 8, 3, type, [](int x, int y, int) { return float((x + y) & 1); });
        REQUIRE(texture::prepare_map(from, to, "srgb_texture"));
        const auto levels = levels_of(to);
        REQUIRE(levels.size() == 4);
        // IEC 61966-2-1: the code of half the light is 1.055 * 0.5^(1/2.4) - 0.055.
        const float half = 1.055f * std::pow(.5f, 1.f / 2.4f) - .055f;
        for (size_t i = 1; i < levels.size(); ++i)
            for (float x : levels[i].texels) CHECK(x == Approx(half).margin(type == Kept::bytes ? .004 : .0002));
        REQUIRE(texture::prepare_map(from, to, "raw"));
        const auto plain = levels_of(to);
        for (float x : plain[1].texels) CHECK(x == Approx(.5f).margin(.004));
    }
}

TEST_CASE("alpha is never decoded, and channels beyond four are left out") {
    Scratch s;
    const fs::path from = s.path / "a.tif", to = s.path / "a.out";
    auto straight = [](OIIO::ImageSpec& spec) {
        spec.channelnames = {"R", "G", "B", "A"};
        spec.alpha_channel = 3;
        spec.attribute("oiio:UnassociatedAlpha", 1);
    };
    write_image(
        from, 4, 4, 4, Kept::bytes, [](int x, int, int c) { return c == 3 ? float(x & 1) : .5f; }, straight);
    REQUIRE(texture::prepare_map(from, to, "srgb_texture"));
    auto header = texture::read_header(to);
    REQUIRE(header);
    CHECK(header->channels == 4);
    CHECK(header->alpha == 3);
    const fs::path many = s.path / "many.exr";
    write_image(many, 4, 4, 6, Kept::halves, wavy);
    REQUIRE(texture::prepare_map(many, to, "raw"));
    CHECK(texture::read_header(to)->channels == 4);
}

TEST_CASE("what is infinite or no number does not reach the next level") {
    Scratch s;
    const fs::path from = s.path / "n.exr", to = s.path / "n.out";
    write_image(from, 4, 4, 1, Kept::floats, [](int x, int y, int) {
        return x == 0 && y == 0   ? std::numeric_limits<float>::infinity()
               : x == 1 && y == 0 ? std::numeric_limits<float>::quiet_NaN()
                                  : 1.f;
    });
    REQUIRE(texture::prepare_map(from, to, "raw"));
    const auto levels = levels_of(to);
    for (size_t i = 1; i < levels.size(); ++i)
        for (float x : levels[i].texels) CHECK(std::isfinite(x));
}

TEST_CASE("preparing can be stopped, and leaves no file") {
    Scratch s;
    const fs::path from = s.path / "m.tif", to = s.path / "m.out";
    write_image(from, 300, 300, 1, Kept::bytes, wavy);
    Progress progress;
    progress.stop = true;
    const Status done = texture::prepare_map(from, to, "raw", &progress);
    REQUIRE_FALSE(done);
    CHECK(done.error().why.find("stopped") != std::string::npos);
    CHECK_FALSE(fs::exists(to));
}

TEST_CASE("headers that promise what cannot be are refused with a reason before anything is allocated") {
    Scratch s;
    CHECK(texture::read_header(s.path / "none.tif").error().why.find("not exist") != std::string::npos);
    CHECK(texture::read_header(s.path).error().why.find("folder") != std::string::npos);
    CHECK(texture::read_header(s.write("empty.png", "")).error().why.find("empty") != std::string::npos);
    CHECK_FALSE(texture::read_header(s.write("words.png", "this is no picture")));
    // A header of a Radiance picture that is far too large.
    const auto huge =
        texture::read_header(s.write("huge.hdr", "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 65000 +X 65000\n"));
    REQUIRE_FALSE(huge);
    CHECK_FALSE(huge.error().remedy.empty());
}

TEST_CASE("an OpenEXR file whose header claims more than it holds is refused before any memory is asked for") {
    const Scratch s;
    write_image(s.path / "good.exr", 40, 24, 3, Kept::floats, [](int x, int y, int) { return .01f * float(x + y); });
    std::ifstream in(s.path / "good.exr", std::ios::binary);
    const std::string good{std::istreambuf_iterator<char>(in), {}};
    CHECK(texture::exr_claims_too_much(s.path / "good.exr").empty());
    CHECK(texture::read_header(s.path / "good.exr"));
    auto attribute = [](const std::string& name, const std::string& type, int32_t size, const std::string& data) {
        return name + '\0' + type + '\0' + std::string(reinterpret_cast<const char*>(&size), 4) + data;
    };
    auto with = [&](const std::string& more) { return s.write("bad.exr", good.substr(0, 8) + more + good.substr(8)); };
    const std::string four = std::string("\xff\xff\xff\x7f", 4);
    // Kinds that are read by what is in them: the library would go on elsewhere.
    const std::string channel = "A\0\1\0\0\0\0\0\0\0\1\0\0\0\1\0\0\0"s;
    CHECK(texture::exr_claims_too_much(with(attribute("more", "chlist", 19, channel + '\0'))).empty());
    CHECK(texture::exr_claims_too_much(with(attribute("depth", "float", 4, "abcd"))).empty());
    for (const std::string& bad :
         {attribute("owner", "string", 0x7fffffff, ""), attribute("more", "chlist", 19, channel + 'Y'),
          attribute("more", "chlist", 18, channel), attribute("more", "chlist", 20, channel + "\0\0"s),
          attribute("depth", "float", 8, "abcdabcd"), attribute("depth", "floatvector", 6, "abcdab"),
          attribute("owner", "string", -2, ""), attribute("preview", "preview", 8, "\x20\x4e\0\0\x20\x4e\0\0"s),
          attribute("names", "stringvector", 4, four), attribute("ids", "idmanifest", 8, four + "abcd"),
          std::string(300, 'a')}) {
        const auto header = texture::read_header(with(bad));
        REQUIRE_FALSE(header);
        CHECK(header.error().why.find("claims more than the file holds") != std::string::npos);
    }
    CHECK(texture::exr_claims_too_much(with(attribute("owner", "string", 4, "Isla"))).empty());
    // Its window is larger than its table of chunks can be.
    std::string wide = good;
    const size_t window = wide.find("dataWindow");
    REQUIRE(window != std::string::npos);
    const int32_t last[] = {16000, 2000000000};
    wide.replace(window + sizeof "dataWindow" + sizeof "box2i" + 4 + 8, 8, reinterpret_cast<const char*>(last), 8);
    CHECK(texture::exr_claims_too_much(s.write("wide.exr", wide)).find("table of chunks") != std::string::npos);
    CHECK_FALSE(texture::read_header(s.path / "wide.exr"));
    // So are its lines: no byte can hold so many texels.
    std::string lines = good;
    const int32_t far[] = {16000000, 23};
    lines.replace(window + sizeof "dataWindow" + sizeof "box2i" + 4 + 8, 8, reinterpret_cast<const char*>(far), 8);
    CHECK(texture::exr_claims_too_much(s.write("lines.exr", lines)).find("lines are longer") != std::string::npos);
    CHECK_FALSE(texture::read_header(s.path / "lines.exr"));
    // One that is all of a colour is not: it is deflated as far as that goes.
    write_image(s.path / "even.exr", 4096, 2048, 3, Kept::floats, [](int, int, int) { return .5f; });
    CHECK(texture::exr_claims_too_much(s.path / "even.exr").empty());
    // Tiles of a thousand million texels would be asked for whole.
    const int32_t large[] = {0x40000000, 0x4000};
    const std::string tiles = std::string(reinterpret_cast<const char*>(large), 8) + '\0';
    CHECK(texture::exr_claims_too_much(with(attribute("tiles", "tiledesc", 9, tiles))).find("far larger") !=
          std::string::npos);
    const int32_t usual[] = {1024, 1024};
    const std::string few = std::string(reinterpret_cast<const char*>(usual), 8) + '\0';
    CHECK(texture::exr_claims_too_much(with(attribute("tiles", "tiledesc", 9, few))).empty());
    // What is cut off anywhere in its header is damaged; what is no such file is not this one's affair.
    for (const size_t length : {9u, 20u, 100u})
        CHECK_FALSE(texture::read_header(s.write("cut.exr", good.substr(0, length))));
    CHECK(texture::exr_claims_too_much(s.write("other.exr", "P6 1 1 255 abc")).empty());
    CHECK(texture::exr_claims_too_much(s.path / "none.exr").empty());
}

TEST_CASE("the spread of a map is the squares of its directions, or of its slopes from texel to texel") {
    Scratch s;
    for (const auto& [w, h] : std::vector<std::pair<int, int>>{{256, 256}, {97, 130}, {300, 70}})
        for (const nodes::Spread spread : {nodes::Spread::directions, nodes::Spread::heights}) {
            const bool directions = spread == nodes::Spread::directions;
            INFO(w << " x " << h << (directions ? ", directions" : ", heights"));
            const fs::path from = s.path / "from.tif";
            const fs::path to = s.path / "to.tif";
            write_image(from, w, h, 3, Kept::floats, wavy);
            REQUIRE(texture::prepare_map(from, to, texture::spread_form(spread, directions ? 0 : 1, "raw")));
            const auto levels = levels_of(to);
            REQUIRE(levels[0].channels == 4);
            CHECK(levels[0].width == w);
            for (const float x : levels[0].texels) REQUIRE(x == 0.f);
            // Of the whole map, by itself.
            double sum[5] = {};
            double count = 0;
            for (int y = 0; y < h - !directions; ++y)
                for (int x = 0; x < w - !directions; ++x, ++count) {
                    const double here = double(wavy(x, y, 1));
                    const double a = directions ? 2. * double(wavy(x, y, 0)) - 1. : double(wavy(x + 1, y, 1)) - here;
                    const double b = directions ? 2. * here - 1. : here - double(wavy(x, y + 1, 1));
                    sum[0] += a, sum[1] += b, sum[2] += a * a, sum[3] += b * b, sum[4] += a * b;
                }
            for (double& x : sum) x /= count;
            const double expected[] = {sum[2], sum[3], sum[4], 1.};
            for (int c = 0; c < 4; ++c)
                CHECK(double(levels.back().texels[size_t(c)]) ==
                      Approx(expected[c]).margin(.02 * std::max(expected[0], expected[1])));
            for (size_t i = 1; i < levels.size(); ++i) {
                CHECK(mean_of(levels[i], 0) == Approx(expected[0]).epsilon(.03));
                CHECK(mean_of(levels[i], 3) == Approx(1.));
            }
        }
    // Of a map of bytes, the square of its own mean can be taken off: nothing is left of an even one.
    write_image(s.path / "even.png", 64, 64, 3, Kept::bytes, [](int, int, int c) { return c == 2 ? .8f : .7123f; });
    REQUIRE(texture::prepare_map(s.path / "even.png", s.path / "even.tif",
                                 texture::spread_form(nodes::Spread::directions, 0, "raw")));
    const float kept = 2.f * std::round(.7123f * 255.f) / 255.f - 1.f;
    for (const Level& l : levels_of(s.path / "even.tif"))
        if (l.width < 64) CHECK(l.texels[0] == Approx(kept * kept).epsilon(1e-5));
    write_image(s.path / "grey.png", 8, 8, 1, Kept::bytes, wavy);
    CHECK_FALSE(texture::prepare_map(s.path / "grey.png", s.path / "to.tif",
                                     texture::spread_form(nodes::Spread::directions, 0, "raw")));
    CHECK(texture::prepare_map(s.path / "grey.png", s.path / "to.tif",
                               texture::spread_form(nodes::Spread::heights, 0, "raw")));
    write_image(s.path / "dot.png", 1, 1, 1, Kept::bytes, wavy);
    CHECK(texture::prepare_map(s.path / "dot.png", s.path / "to.tif",
                               texture::spread_form(nodes::Spread::heights, 0, "raw")));
}
