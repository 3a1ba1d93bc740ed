// Borders of masks and the runs below them are kept on disk, known by all that they follow from.
#include "plate_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
/// Runs below a mask that a map makes, on a plate.
struct Runny : Plate {
    const fs::path cache = s.path / "cache";
    const CacheIn cached{cache};
    Runny() {
        map(0, "white.tif", 16, [](int, int y) { return y < 5 ? 1.f : 0.f; });
        layer(0).surface.erase(slot::height);
        node(0, "grown", "grow", "float", {{"in", from("map0")}, {"by", {scene::Value{.03f}, {}}}});
        node(0, "runs", "runfrom", "float", {{"in", from("grown")}, {"length", {scene::Value{.2f}, {}}}});
        wire(0, "base_weight", "runs");
    }
    size_t files(const char* ending) const {
        size_t n = 0;
        for (const auto& e : entries_of(cache_folder("fields"))) n += e.path().extension() == ending;
        return n;
    }
    /// Prepares it in a workshop that knows nothing; how many borders and fields had to be computed.
    std::pair<size_t, size_t> computed() const {
        const std::pair before{files(".border"), files(".field")};
        render::Workshop fresh;
        const auto p = prepared(scene, s.path, fresh);
        CHECK(p->problems.empty());
        CHECK(p->fields_final);
        return {files(".border") - before.first, files(".field") - before.second};
    }
};
using Counts = std::pair<size_t, size_t>;
}  // namespace

TEST_CASE("borders and what runs from them are computed once, and again when what they follow from is other") {
    Runny p;
    CHECK(p.computed() == Counts{2, 1});
    CHECK(p.computed() == Counts{0, 0});
    SECTION("another colour is not") {
        p.set(0, "base_metalness", .7f);
        CHECK(p.computed() == Counts{0, 0});
    }
    SECTION("the mask's map") {
        write_image(p.s.path / "white.tif", 16, 16, 1, Kept::words, [](int, int y, int) { return y < 9 ? 1.f : 0.f; });
        fs::last_write_time(p.s.path / "white.tif", fs::file_time_type::clock::now() + std::chrono::seconds(5));
        CHECK(p.computed() == Counts{2, 1});
    }
    SECTION("how far it grows moves its own border and the runs below, not the border of the map") {
        p.layer(0).nodes[1].inputs["by"].value = scene::Value{-.03f};
        CHECK(p.computed() == Counts{1, 1});
    }
    SECTION("where the part stands") {
        p.scene.assets[0].placement.scale = V3f(2.f);
        CHECK(p.computed() == Counts{2, 1});
    }
    SECTION("the form") {
        p.s.write("square.obj",
                  "v 0 0 .37\nv 1 0 .37\nv 1 1 .37\nv 0 .9 .37\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
                  "f 1/1 2/2 3/3 4/4\n");
        CHECK(p.computed() == Counts{2, 1});
    }
}

TEST_CASE("a kept border is that of what is painted, whoever painted it") {
    Runny p;
    scene::Painting painting;
    painting.id = painting.name = "chips";
    painting.size = 64;
    auto painted = [&](int rows) {
        scene::TexelsEdit edit(scene::Texels::blank(64, 2));
        uint16_t* texels = edit.tile(0, 0);
        for (int k = 0; k < rows * 64 * 2; ++k) texels[k] = scene::float_to_half(1.f);
        return edit.done();
    };
    scene::Sheet sheet;
    sheet.size = 64;
    sheet.texels = painted(20);
    painting.sheets = {sheet};
    p.scene.paintings = {painting};
    p.node(0, "by-hand", "paint", "float", {{"painting", {scene::Value{std::string("chips")}, {}}}});
    p.layer(0).nodes[1].inputs["in"] = from("by-hand");
    CHECK(p.computed() == Counts{2, 1});
    const auto first = p.scene.paintings[0].sheets[0].texels;
    p.scene.paintings[0].sheets[0].texels = painted(20);
    CHECK(p.scene.paintings[0].sheets[0].texels->number() != first->number());
    CHECK(p.scene.paintings[0].sheets[0].texels->content_hash() == first->content_hash());
    CHECK(p.computed() == Counts{0, 0});
    p.scene.paintings[0].sheets[0].texels = painted(24);
    CHECK(p.scene.paintings[0].sheets[0].texels->content_hash() != first->content_hash());
    CHECK(p.computed() == Counts{2, 1});
}

TEST_CASE("every kernel has a name of its own, which programs are known by") {
    std::map<std::string, nodes::Kernel> seen;
    for (const nodes::NodeDescription& d : nodes::catalogue()) {
        if (!d.kernel.avx2) continue;
        INFO(d.kind);
        const std::string name = d.kernel.name;
        CHECK_FALSE(name.empty());
        const auto [at, fresh] = seen.try_emplace(name, d.kernel.avx2);
        CHECK(at->second == d.kernel.avx2);
    }
    CHECK(seen.size() > 60);
}
TEST_CASE("what a project made is let go when another one comes, but what both name") {
    const Runny p;
    render::Workshop shop;
    std::weak_ptr<const geometry::FormField> field;
    std::weak_ptr<const render::AssetState> form;
    const render::AssetState* read = nullptr;
    const Paths paths(p.s.path);
    auto make = [&] {
        const auto made = prepared(p.scene, p.s.path, shop);
        REQUIRE_FALSE(made->fields->all().empty());
        field = made->fields->all()[0];
        form = shop.asset(p.scene.assets[0], paths);
        read = form.lock().get();
    };
    make();
    CHECK_FALSE(field.expired());  // kept for the next request, though nobody has it
    shop.turn_to(p.scene, paths);
    CHECK(field.expired());
    CHECK(shop.asset(p.scene.assets[0], paths).get() == read);
    make();
    shop.turn_to(scene::Scene{}, paths);
    CHECK(field.expired());
    CHECK(form.expired());
}
