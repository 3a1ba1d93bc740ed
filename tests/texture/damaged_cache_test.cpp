// Prepared maps that were cut, emptied or changed on the disk are noticed and made anew; what is read is right
// meanwhile.
#include <random>

#include "render_support.h"
#include "texture/texture.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

float value_at(int x, int y, int c) {
    return float((x * 7 + y * 13 + c * 29 + x * y) % 251) / 255.f;
}

struct Map {
    Scratch s;
    fs::path file, cache;
    Map() : file(s.path / "map.png"), cache(s.path / "cache") { write_image(file, 200, 140, 3, Kept::bytes, value_at); }
    /// The prepared form; made where it is not there.
    fs::path prepared() const {
        texture::MapCache maps(cache);
        REQUIRE(maps.prepare_all({{file, "raw"}}));
        const auto found = maps.find(file, "raw");
        REQUIRE(found);
        return *found;
    }
    /// Every texel of the finest level, in a process that has read nothing yet.
    std::vector<float> texels(std::vector<Error>* told = nullptr) const {
        auto store = std::make_shared<texture::TextureStore>(16, cache);
        program::ImageRequest r;
        r.file = file.string();
        r.colorspace = "raw";
        r.components = 3;
        r.filter = "off";
        std::vector<Error> problems;
        std::vector<float> out;
        {
            const texture::Textures textures(store, {r}, Paths(s.path, {}, nullptr), problems);
            std::vector<float> rows[6], values[3];
            for (int y = 0; y < 140; ++y)
                for (int x = 0; x < 200; ++x) {
                    rows[0].push_back((float(x) + .5f) / 200.f);
                    rows[1].push_back(1.f - (float(y) + .5f) / 140.f);
                }
            for (int k = 2; k < 6; ++k) rows[k].assign(rows[0].size(), 0.f);
            for (auto& v : values) v.resize(rows[0].size());
            for (size_t first = 0; first < rows[0].size(); first += size_t(nodes::max_batch)) {
                const float* place[6];
                float* to[3];
                for (int k = 0; k < 6; ++k) place[k] = &rows[k][first];
                for (int c = 0; c < 3; ++c) to[c] = &values[c][first];
                const size_t n = std::min(size_t(nodes::max_batch), rows[0].size() - first);
                textures.sample(0, int(n), place, to, 3);
            }
            for (const auto& v : values) out.insert(out.end(), v.begin(), v.end());
        }
        const auto later = store->problems();
        problems.insert(problems.end(), later.begin(), later.end());
        if (told) *told = problems;
        return out;
    }
};

void change(const fs::path& file, const std::function<void(std::string&)>& spoil) {
    std::string bytes = *read_file(file);
    spoil(bytes);
    std::ofstream(file, std::ios::binary | std::ios::trunc) << bytes;
}

}  // namespace

namespace {
/// What every texel of the map is, channel by channel.
std::vector<float> right() {
    std::vector<float> all;
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < 140; ++y)
            for (int x = 0; x < 200; ++x) all.push_back(value_at(x, y, c));
    return all;
}
bool is_right(const std::vector<float>& texels) {
    const std::vector<float> all = right();
    for (size_t i = 0; i < all.size(); ++i)
        if (!(std::fabs(texels[i] - all[i]) < 1e-3f)) return false;  // a code is four times as much
    return texels.size() == all.size();
}
}  // namespace

// Each damage has a map of its own: what a process has read once it does not read again.
TEST_CASE("a prepared map that was cut, emptied or is another file is made anew") {
    const std::function<void(const Map&, std::string&)> damages[] = {
        [](const Map&, std::string&) {},
        [](const Map&, std::string& b) { b.clear(); },
        [](const Map&, std::string& b) { b.resize(b.size() / 2); },
        [](const Map&, std::string& b) { b.resize(100); },
        [](const Map&, std::string& b) { b.assign(b.size(), '\0'); },
        [](const Map& m, std::string& b) { b = *read_file(m.file); },
    };
    for (size_t i = 0; i < std::size(damages); ++i) {
        INFO("damage " << i);
        const Map m;
        const fs::path prepared = m.prepared();
        const std::string whole = *read_file(prepared);
        change(prepared, [&](std::string& b) { damages[i](m, b); });
        std::vector<Error> told;
        CHECK(is_right(m.texels(&told)));
        CHECK(told.empty());
        std::string damaged = whole;
        damages[i](m, damaged);
        const bool is_the_original = damaged == *read_file(m.file);  // which is as good, if slower
        if (damaged != whole && !is_the_original) CHECK((*read_file(m.prepared()) == damaged) == false);
    }
}

TEST_CASE("a prepared map of another size than its original is not believed") {
    const Map m;
    Map other;
    write_image(other.file, 64, 64, 3, Kept::bytes, value_at);
    fs::copy_file(other.prepared(), m.prepared(), fs::copy_options::overwrite_existing);
    CHECK(is_right(m.texels()));
}

TEST_CASE("of bytes that turned over in a prepared map all are noticed, and none ends the reading") {
    std::mt19937 random(5);
    int wrong = 0;
    for (int round = 0; round < 120; ++round) {
        const Map m;
        change(m.prepared(), [&](std::string& b) { b[random() % b.size()] ^= char(1 << random() % 8); });
        const std::vector<float> texels = m.texels();
        for (const float v : texels) REQUIRE(std::isfinite(v));
        wrong += !is_right(texels);
    }
    CHECK(wrong == 0);
}

TEST_CASE("a note whose line was changed is not believed") {
    const Map m;
    (void)m.prepared();
    fs::path note;
    for (const auto& e : entries_of(m.cache))
        if (e.path().extension() == ".note") note = e.path();
    REQUIRE_FALSE(note.empty());
    texture::MapCache maps(m.cache);
    REQUIRE(maps.noted(m.file));
    const auto known = *maps.noted(m.file);
    CHECK(known.first == int64_t(fs::file_size(m.file)));
    CHECK(known.second == texture::content_hash(m.file));
    change(note, [](std::string& b) { b[0] = b[0] == '1' ? '2' : '1'; });
    CHECK_FALSE(maps.noted(m.file));
    CHECK(maps.find(m.file, "raw"));  // the file is read again
    CHECK(maps.noted(m.file));
    change(note, [](std::string& b) { b.clear(); });
    CHECK_FALSE(maps.noted(m.file));
}

TEST_CASE("a picture whose header lies is refused before its memory is asked for") {
    Scratch s;
    write_image(s.path / "a.exr", 64, 64, 3, Kept::halves, value_at);
    change(s.path / "a.exr", [](std::string& b) {
        const int box[] = {0, 0, 16383, 16383};
        for (const char* window : {"dataWindow", "displayWindow"}) {
            const size_t at = b.find(window) + std::strlen(window) + 1 + 6 + 4;
            std::memcpy(&b[at], box, sizeof box);
        }
    });
    const auto picture = texture::read_linear_image(s.path / "a.exr");
    REQUIRE_FALSE(picture);
    CHECK_FALSE(picture.error().why.empty());
    s.write("b.png", "no picture");
    CHECK_FALSE(texture::read_linear_image(s.path / "b.png"));
    CHECK_FALSE(texture::read_linear_image(s.path));
    CHECK_FALSE(texture::read_linear_image(s.path / "none.png"));
}

TEST_CASE("a picture of light holds finite numbers, whatever its file has") {
    Scratch s;
    const float odd[] = {NAN, INFINITY, -INFINITY, 3e38f, -5.f, 7.f};
    write_image(s.path / "odd.exr", 6, 1, 3, Kept::floats, [&](int x, int, int) { return odd[x]; });
    const auto p = texture::read_linear_image(s.path / "odd.exr");
    REQUIRE(p);
    REQUIRE(p->pixels.size() == 6);
    for (const V3f& c : p->pixels) {
        CHECK(finite(c));
        CHECK(c.x >= -5.f);  // a colour outside of Rec.709 has such
        CHECK(c.x <= 1e9f);
    }
    CHECK(p->pixels[5].y == 7.f);
}

TEST_CASE("maps are read at places that are no numbers, or beyond all counting") {
    const Map m;
    auto store = std::make_shared<texture::TextureStore>(16, m.cache);
    for (const char* wrap : {"periodic", "clamp", "mirror", "constant"})
        for (const bool seamless : {false, true}) {
            program::ImageRequest r;
            r.file = m.file.string();
            r.components = 3;
            r.wrap_u = r.wrap_v = wrap;
            r.seamless = seamless;
            std::vector<Error> problems;
            const texture::Textures textures(store, {r}, Paths(m.s.path, {}, nullptr), problems);
            for (const float at : {NAN, INFINITY, -INFINITY, 3e38f, -3e38f, 1e12f, 8388609.f, -2147483904.f}) {
                const float rows[6] = {at, .3f, at, 0.f, 0.f, at};
                const float* place[6];
                float values[3];
                float* to[3];
                for (int k = 0; k < 6; ++k) place[k] = &rows[k];
                for (int c = 0; c < 3; ++c) to[c] = &values[c];
                textures.sample(0, 1, place, to, 3);
                INFO(wrap << " " << seamless << " " << at);
                for (const float v : values) CHECK(std::isfinite(v));
            }
        }
}
