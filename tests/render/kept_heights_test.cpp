// Heights of forms are kept on disk, known by all that they follow from.
#include "base/hash.h"
#include "plate_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
/// A plate whose left half stands out by two centimetres.
struct Raised : Plate {
    const fs::path cache = s.path / "cache";
    const CacheIn cached{cache};
    Raised() {
        map(0, "half.tif", 16, [](int x, int) { return x < 8 ? 1.f : 0.f; });
        node(0, "more", "multiply", "float", {{"in1", from("map0")}, {"in2", {scene::Value{1.f}, {}}}});
        wire(0, slot::height, "more");
        set(0, slot::height_scale, .02f);
        set(0, slot::height_neutral, 0.f);
    }
    static std::vector<fs::path> files() {
        std::vector<fs::path> all;
        for (const auto& e : entries_of(cache_folder("heights"))) all.push_back(e.path());
        return all;
    }
    std::shared_ptr<const render::Prepared> afresh() {
        render::Workshop fresh;
        return prepared(scene, s.path, fresh);
    }
    /// How many heights had to be computed by a workshop that knows nothing.
    size_t computed() {
        const size_t before = files().size();
        CHECK(afresh()->problems.empty());
        return files().size() - before;
    }
};
}  // namespace

TEST_CASE("heights are computed once, and again when what they follow from is other") {
    Raised p;
    const size_t all = p.computed();
    REQUIRE(all > 0);
    const float out = Plate::out_at(*p.afresh(), .25f, .5f);
    CHECK(out == Approx(.02f).margin(1e-4));
    CHECK(p.computed() == 0);
    SECTION("another colour is not") {
        p.set(0, "base_metalness", .7f);
        CHECK(p.computed() == 0);
    }
    SECTION("the map") {
        write_image(p.s.path / "half.tif", 16, 16, 1, Kept::words, [](int, int y, int) { return y < 8 ? 1.f : 0.f; });
        fs::last_write_time(p.s.path / "half.tif", fs::file_time_type::clock::now() + std::chrono::seconds(5));
        CHECK(p.computed() == all);
        CHECK(std::fabs(Plate::out_at(*p.afresh(), .25f, .75f) - Plate::out_at(*p.afresh(), .25f, .25f)) > .015f);
    }
    SECTION("the scale") {
        p.set(0, slot::height_scale, .03f);
        CHECK(p.computed() == all);
        CHECK(Plate::out_at(*p.afresh(), .25f, .5f) == Approx(.03f).margin(1e-4));
    }
    SECTION("where the part stands") {
        p.scene.assets[0].placement.scale = V3f(2.f);
        CHECK(p.computed() == all);
    }
    SECTION("the form") {
        p.s.write("square.obj",
                  "v 0 0 .37\nv 1 0 .37\nv 1 1 .37\nv 0 .9 .37\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
                  "f 1/1 2/2 3/3 4/4\n");
        CHECK(p.computed() == all);
    }
    SECTION("what was spoiled on the disk") {
        for (const fs::path& file : Raised::files()) REQUIRE(write_file_atomically(file, "spoiled"));
        CHECK(Plate::out_at(*p.afresh(), .25f, .5f) == out);
        for (const fs::path& file : Raised::files()) CHECK(fs::file_size(file) > 100);
    }
}

TEST_CASE("what is kept is what stands out") {
    Raised p;
    p.afresh();
    for (const fs::path& file : Raised::files()) {
        // Sound by its hash, and flat: so it is read, and nothing is computed beside it.
        const uint64_t content = std::stoull(file.stem().string(), nullptr, 16);
        std::string body = read_file(file)->substr(8);
        std::fill(body.begin(), body.end(), '\0');
        const uint64_t check = hash_bytes(body.data(), body.size(), content);
        REQUIRE(write_file_atomically(file, std::string(reinterpret_cast<const char*>(&check), 8) + body));
    }
    CHECK(Plate::out_at(*p.afresh(), .25f, .5f) == Approx(0.f).margin(1e-4));
}
