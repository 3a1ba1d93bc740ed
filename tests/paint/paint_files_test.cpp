// Painted texels in memory, in the document's history, in files and in the journal.
#include "texture/paint_files.h"
#include "paint/paint_support.h"
#include "scene/autosave.h"
#include "scene/document.h"
#include "texture/write_image.h"

using namespace vemtra;
using namespace vemtra::test;
using scene::Texels;

namespace {

std::shared_ptr<const Texels> noise(std::shared_ptr<const Texels> from, int x, int y, uint32_t seed) {
    scene::TexelsEdit edit(std::move(from));
    uint16_t* t = edit.tile(x, y);
    std::mt19937 random(seed);
    const size_t lanes = size_t(edit.before().lanes());
    for (size_t i = 0; i < edit.before().halves(); i += lanes) {
        const float cover = float(random() % 1000) / 999.f;
        for (size_t c = 0; c + 1 < lanes; ++c) t[i + c] = scene::float_to_half(cover * float(random() % 1000) / 999.f);
        t[i + lanes - 1] = scene::float_to_half(cover);
    }
    return edit.done();
}
bool same(const Texels& a, const Texels& b) {
    if (a.size() != b.size() || a.lanes() != b.lanes()) return false;
    bool equal = a.tiles() == b.tiles();
    a.for_each([&](int level, int x, int y, const scene::TexelTile& t) {
        const scene::TexelTile& u = b.tile(level, x, y);
        equal = equal && u && std::equal(t.get(), t.get() + a.halves(), u.get());
    });
    return equal;
}

}  // namespace

TEST_CASE("a sheet where nothing is painted costs next to nothing, a stroke its tiles") {
    const auto blank = Texels::blank(8192, 4);
    CHECK(blank->bytes() < (size_t(1) << 20));
    CHECK(blank->empty());
    const auto next = noise(blank, 3, 5, 1);
    CHECK(next->tiles() == size_t(next->levels()));  // one of each level
    CHECK(next->bytes_not_in(*blank) == next->tiles() * next->halves() * 2);
    const auto third = noise(next, 100, 90, 2);
    CHECK(third->tile(0, 3, 5) == next->tile(0, 3, 5));
    CHECK(next->bytes_not_in(*third) < next->bytes_not_in(*blank));
    scene::TexelsEdit edit(third);
    std::fill_n(edit.tile(3, 5), third->halves(), uint16_t(0));
    std::fill_n(edit.tile(100, 90), third->halves(), uint16_t(0));
    CHECK(edit.done()->empty());
}

TEST_CASE("mip levels are means, and of what stands for something alone") {
    const auto blank = Texels::blank(128, 2);
    struct Half final : scene::TexelCover {  // the left half of each pair of texels
        Rows pairs{}, all{};
        Half() {
            pairs.fill(0x5555555555555555ull);
            all.fill(~uint64_t(0));
        }
        const Rows* rows(int level, int, int) const override { return level == 0 ? &pairs : &all; }
    } cover;
    scene::TexelsEdit edit(blank);
    uint16_t* t = edit.tile(0, 0);
    for (size_t i = 0; i < 64 * 64; ++i)
        if (i % 2 == 0) t[2 * i] = scene::float_to_half(.5f), t[2 * i + 1] = scene::float_to_half(1.f);
    scene::TexelsEdit plain(edit.done(&cover));
    const auto made = plain.done();
    CHECK(scene::half_to_float(made->tile(1, 0, 0)[0]) == .5f);
    CHECK(scene::half_to_float(made->tile(1, 0, 0)[1]) == 1.f);
    CHECK(scene::half_to_float(made->tile(2, 0, 0)[1]) == 1.f);
}

TEST_CASE("each texel of a level is the mean of the four under it, however many numbers it has") {
    const int lanes = GENERATE(2, 4);
    const auto made = noise(Texels::blank(64, lanes), 0, 0, 11);
    auto value = [&](int level, int x, int y, int c) {
        return scene::half_to_float(made->tile(level, 0, 0)[(y * 64 + x) * lanes + c]);
    };
    for (int level = 1; level < made->levels(); ++level)
        for (int y = 0; y < 64 >> level; ++y)
            for (int x = 0; x < 64 >> level; ++x)
                for (int c = 0; c < lanes; ++c) {
                    const float mean =
                        .25f * (value(level - 1, 2 * x, 2 * y, c) + value(level - 1, 2 * x + 1, 2 * y, c) +
                                value(level - 1, 2 * x, 2 * y + 1, c) + value(level - 1, 2 * x + 1, 2 * y + 1, c));
                    INFO("level " << level << ", " << x << ", " << y << ", number " << c);
                    REQUIRE(std::fabs(value(level, x, y, c) - mean) <= mean / 2048.f + 1e-7f);  // half of a last place
                }
}

TEST_CASE("levels over a few changed blocks are those of sheets that were made in whole") {
    struct Islands final : scene::TexelCover {  // a bit in two of each level, in patches
        std::map<std::array<int, 3>, Rows> all;
        const Rows* rows(int level, int x, int y) const override {
            return (x + y) % 5 == 4 ? nullptr : &all.at({level, x, y});
        }
    } cover;
    std::mt19937 random(7);
    const int lanes = GENERATE(2, 4);
    const auto blank = Texels::blank(512, lanes);
    for (int level = 0; level < blank->levels(); ++level)
        for (int y = 0; y < blank->across(level); ++y)
            for (int x = 0; x < blank->across(level); ++x) {
                auto& rows = cover.all[{level, x, y}];
                for (size_t r = 0; r < rows.size(); ++r)
                    rows[r] = r % 8 ? rows[r - 1] : uint64_t(random()) << 32 | random();
            }
    auto sheet = blank;
    for (int round = 0; round < 12; ++round) {
        scene::TexelsEdit edit(sheet);
        scene::TexelsEdit whole(blank);
        sheet->for_each([&](int level, int x, int y, const scene::TexelTile& t) {
            if (level == 0) std::copy_n(t.get(), sheet->halves(), whole.tile(x, y));
        });
        for (int k = 0; k < 3; ++k) {
            const int x = int(random() % 8);
            const int y = int(random() % 8);
            const size_t block = random() % 64;
            for (scene::TexelsEdit* e : {&edit, &whole}) {
                uint16_t* t = e->tile(x, y, uint64_t(1) << block);
                std::mt19937 values(uint32_t(round * 3 + k));
                for (size_t i = 0; i < 64; ++i)
                    for (size_t c = 0; c < size_t(lanes); ++c)
                        t[((block / 8 * 8 + i / 8) * 64 + block % 8 * 8 + i % 8) * size_t(lanes) + c] =
                            scene::float_to_half(float(values() % 100) / 99.f);
            }
        }
        sheet = edit.done(&cover);
        CHECK(same(*sheet, *whole.done(&cover)));
    }
}

TEST_CASE("painted texels are resampled up and down") {
    const auto once = noise(Texels::blank(256, 2), 1, 1, 3);
    const auto twice = scene::resampled(*once, 512);
    CHECK(twice->size() == 512);
    const auto back = scene::resampled(*twice, 256);
    float worst = 0.f;
    for (size_t i = 0; i < once->halves(); ++i)
        worst = std::max(worst, std::fabs(scene::half_to_float(once->tile(0, 1, 1)[i]) -
                                          scene::half_to_float(back->tile(0, 1, 1)[i])));
    CHECK(worst < .6f);  // noise of single texels is softened, and stays in its place
    CHECK(same(*scene::resampled(*once, 256), *once));
}

TEST_CASE("five hundred strokes undone and redone are the very same, within the budget") {
    scene::Scene s;
    s.paintings.push_back({.id = "p", .name = "P", .size = 1024});
    scene::Document d(s);
    std::mt19937 random(5);
    std::vector<scene::Snapshot> states{d.now()};
    for (int i = 0; i < 500; ++i) {
        d.edit("Stroke", [&](scene::Scene& now) {
            scene::Painting& p = now.paintings[0];
            if (p.sheets.empty()) p.sheets.push_back({1001, 1024, "", Texels::blank(1024, 2), {}});
            p.sheets[0].texels = noise(p.sheets[0].texels, int(random() % 16), int(random() % 16), uint32_t(i));
        });
        states.push_back(d.now());
    }
    CHECK(d.held() < size_t(96) << 20);  // tiles, not whole maps: those would be 500 x 5.6 MB
    CHECK(d.held() > size_t(500) * 16384);
    for (int i = 499; i >= 0; --i) {
        d.undo();
        REQUIRE(d.now() == states[size_t(i)]);
    }
    for (int i = 1; i <= 500; ++i) {
        d.redo();
        REQUIRE(d.now() == states[size_t(i)]);
    }
    d.set_budget(size_t(8) << 20);
    CHECK(d.held() <= size_t(8) << 20);
    CHECK(d.can_undo());
}

TEST_CASE("paintings are saved and read again to the bit; only what changed is written") {
    Scratch s;
    scene::Scene scene;
    scene.paintings.push_back({.id = "rust", .name = "Rust", .type = "color3", .size = 256});
    scene.paintings[0].sheets.push_back({1001, 256, "", noise(Texels::blank(256, 4), 1, 2, 1), {}});
    scene.paintings[0].sheets.push_back({1012, 512, "", noise(Texels::blank(512, 4), 6, 2, 2), {}});
    const fs::path project = s.path / "p.vemtra";
    const Paths paths(s.path);
    const auto first = texture::save_paintings(scene, project, paths, nullptr);
    if (!first) FAIL(first.error().line());
    REQUIRE(scene::save(scene, project));
    const std::string first_name = scene.paintings[0].file;
    CHECK(fs::exists(s.path / "p.paint" / "rust_1.1001.exr"));
    CHECK(fs::exists(s.path / "p.paint" / "rust_1.1012.exr"));

    auto read = [&] {
        auto loaded = scene::load(project);
        REQUIRE(loaded);
        texture::load_paintings(loaded->scene, paths, loaded->problems);
        return std::move(*loaded);
    };
    auto again = read();
    CHECK(again.problems.empty());
    for (const int tile : {1001, 1012})
        CHECK(same(*again.scene.paintings[0].sheet(tile)->texels, *scene.paintings[0].sheet(tile)->texels));

    const scene::Scene saved = scene;
    scene.paintings[0].sheets[0].texels = noise(scene.paintings[0].sheets[0].texels, 0, 0, 9);
    const auto gone = texture::save_paintings(scene, project, paths, &saved);
    REQUIRE(gone);
    CHECK(scene.paintings[0].file != first_name);
    CHECK(gone->size() == 2);
    // Until the project names the new ones, the old ones are there.
    CHECK(same(*read().scene.paintings[0].sheet(1001)->texels, *saved.paintings[0].sheet(1001)->texels));
    CHECK(fs::hard_link_count(s.path / "p.paint" / "rust_1.1012.exr") == 2);  // not written again
    REQUIRE(scene::save(scene, project));
    for (const fs::path& f : *gone) fs::remove(f);
    CHECK(same(*read().scene.paintings[0].sheet(1001)->texels, *scene.paintings[0].sheets[0].texels));
    CHECK(same(*read().scene.paintings[0].sheet(1012)->texels, *scene.paintings[0].sheets[1].texels));
    // Nothing changed: nothing is written.
    const std::string name = scene.paintings[0].file;
    const scene::Scene third = scene;
    CHECK(texture::save_paintings(scene, project, paths, &third)->empty());
    CHECK(scene.paintings[0].file == name);
}

TEST_CASE("a paint file that is missing or cut off is told, and left alone by the next saving") {
    Scratch s;
    scene::Scene scene;
    scene.paintings.push_back({.id = "p", .name = "P", .size = 256});
    scene.paintings[0].sheets.push_back({1001, 256, "", noise(Texels::blank(256, 2), 1, 1, 1), {}});
    scene.paintings[0].sheets.push_back({1002, 256, "", noise(Texels::blank(256, 2), 1, 1, 2), {}});
    const fs::path project = s.path / "p.vemtra";
    REQUIRE(texture::save_paintings(scene, project, Paths(s.path), nullptr));
    REQUIRE(scene::save(scene, project));
    const fs::path file = s.path / "p.paint" / "p_1.1001.exr";
    const std::string whole = *read_file(file);
    for (const size_t size : {whole.size() / 2, size_t(40), size_t(0)}) {
        std::ofstream(file, std::ios::binary | std::ios::trunc) << whole.substr(0, size);
        auto loaded = scene::load(project);
        texture::load_paintings(loaded->scene, Paths(s.path), loaded->problems);
        REQUIRE(loaded->problems.size() == 1);
        CHECK(loaded->problems[0].file == file.string());
        CHECK_FALSE(loaded->scene.paintings[0].sheet(1001)->texels);
        CHECK(loaded->scene.paintings[0].sheet(1002)->texels);
        // Painted on elsewhere and saved: the broken file goes along as it is.
        const scene::Scene saved = loaded->scene;
        loaded->scene.paintings[0].sheets[1].texels = noise(loaded->scene.paintings[0].sheets[1].texels, 0, 0, 3);
        REQUIRE(texture::save_paintings(loaded->scene, project, Paths(s.path), &saved));
        const auto kept = read_file(s.path / "p.paint" / "p_2.1001.exr");
        REQUIRE(kept);
        CHECK(*kept == whole.substr(0, size));
        fs::remove(s.path / "p.paint" / "p_2.1001.exr");
        fs::remove(s.path / "p.paint" / "p_2.1002.exr");
    }
    fs::remove(file);
    auto loaded = scene::load(project);
    texture::load_paintings(loaded->scene, Paths(s.path), loaded->problems);
    CHECK(loaded->problems.size() == 1);
}

TEST_CASE("no number in a paint file is believed") {
    const Scratch s;
    scene::TexelsEdit edit(scene::Texels::blank(64, 2));
    uint16_t* t = edit.tile(0, 0);
    for (size_t k = 0; k < size_t(64) * 64 * 2; ++k) t[k] = scene::float_to_half(float(k % 7) * .1f);
    const fs::path file = s.path / "sheet.exr";
    REQUIRE(texture::write_sheet(file, *edit.done()));
    const std::string good = *read_file(file);
    size_t refused = 0;
    for (const uint32_t odd : {0xffffffffu, 0x7fffffffu, 0x80000000u})
        for (size_t at = 4; at + 4 < good.size(); at += 3) {
            std::string bad = good;
            bad.replace(at, 4, reinterpret_cast<const char*>(&odd), 4);
            const auto sheet = texture::read_sheet(s.write("bad.exr", bad), 2);
            refused += !sheet;
            if (sheet) CHECK((*sheet)->lanes() == 2);
        }
    CHECK(refused > 50);
}

TEST_CASE("paint files of other programs are taken as they are meant") {
    Scratch s;
    OIIO::ImageSpec spec(100, 80, 3, OIIO::TypeDesc::UINT8);
    std::vector<uint8_t> pixels(100 * 80 * 3, 255);
    REQUIRE(texture::write_image(s.path / "a.png", spec, OIIO::TypeDesc::UINT8, pixels.data()));
    const auto read = texture::read_sheet(s.path / "a.png", 4);
    REQUIRE(read);
    CHECK((*read)->size() == 64);
    CHECK(scene::half_to_float((*read)->tile(0, 0, 0)[0]) == 1.f);
    CHECK(scene::half_to_float((*read)->tile(0, 0, 0)[3]) == 1.f);  // no alpha: all of it is painted
    CHECK_FALSE(texture::read_sheet(s.write("b.exr", "no image"), 2));
}

TEST_CASE("what was painted since the last saving comes back from the journal, whatever was cut off") {
    Scratch s;
    scene::Scene saved;
    saved.paintings.push_back({.id = "p", .name = "P", .size = 256});
    saved.paintings[0].sheets.push_back({1001, 256, "", noise(Texels::blank(256, 2), 1, 1, 1), {}});
    scene::PaintJournal journal;
    journal.begin(saved);
    const fs::path file = s.path / "p.paint-journal";
    CHECK(*journal.keep(saved, file) == 0);
    CHECK_FALSE(fs::exists(file));
    std::vector<scene::Scene> states{saved};
    std::vector<int> numbers{0};
    for (int i = 0; i < 8; ++i) {
        scene::Scene next = states.back();
        scene::Painting& p = next.paintings[0];
        if (i == 3) p.sheets.push_back({1002, 512, "", Texels::blank(512, 2), {}});
        if (i == 6) p.sheets[0].texels = states[2].paintings[0].sheets[0].texels;  // undone
        auto& texels = p.sheets.back().texels;
        texels = noise(texels, i % 3, 1, uint32_t(10 + i));
        const auto number = journal.keep(next, file);
        REQUIRE(number);
        states.push_back(next);
        numbers.push_back(*number);
    }
    auto replayed = [&](size_t i) {
        scene::Scene out = states[i];  // as the autosave has it: what is on the disk, for the sheets that are
        for (scene::Sheet& sheet : out.paintings[0].sheets)
            sheet.texels = sheet.tile == 1001 ? saved.paintings[0].sheets[0].texels : nullptr;
        const bool whole = scene::PaintJournal::replay(file, numbers[i], out);
        return std::pair(whole, out);
    };
    for (size_t i = 0; i < states.size(); ++i) {
        const auto [whole, out] = replayed(i);
        CHECK(whole);
        for (const scene::Sheet& sheet : states[i].paintings[0].sheets)
            CHECK(same(*sheet.texels, *out.paintings[0].sheet(sheet.tile)->texels));
    }
    // Cut off anywhere, or damaged: what stands before that is there, and the rest is told.
    const std::string bytes = *read_file(file);
    for (size_t size = 0; size < bytes.size(); size += 1 + bytes.size() / 37) {
        std::ofstream(file, std::ios::binary | std::ios::trunc) << bytes.substr(0, size);
        CHECK_FALSE(replayed(8).first);
    }
    std::mt19937 random(1);
    for (int i = 0; i < 60; ++i) {
        std::string broken = bytes;
        broken[random() % broken.size()] ^= char(1 << random() % 8);
        std::ofstream(file, std::ios::binary | std::ios::trunc) << broken;
        replayed(8);  // no crash; most are told
    }
}

TEST_CASE("an autosave brings back the strokes of a session that was killed") {
    Scratch s;
    scene::Scene scene;
    scene.paintings.push_back({.id = "p", .name = "P", .size = 256});
    const fs::path autosave = s.path / "p.vemtra.autosave";
    {
        scene::Autosaver saver;
        saver.begin(scene);
        scene.paintings[0].sheets.push_back({1001, 256, "", noise(Texels::blank(256, 2), 2, 2, 4), {}});
        saver.keep(std::make_shared<const scene::Scene>(scene), autosave);
        saver.finish();
        CHECK_FALSE(saver.problem());
    }
    auto loaded = scene::load(autosave);
    REQUIRE(loaded);
    const int state = scene::take_paint_state(loaded->scene);
    CHECK(state > 0);
    CHECK(scene::PaintJournal::replay(scene::journal_path(autosave), state, loaded->scene));
    CHECK(same(*loaded->scene.paintings[0].sheets[0].texels, *scene.paintings[0].sheets[0].texels));
    CHECK(loaded->scene.extra.is_null());
}
