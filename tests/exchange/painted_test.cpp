// What is painted by hand goes out with the materials: as files of its own, read by the document's nodes.
#include "exchange/standard/document.h"
#include "exchange/standard/evaluate.h"
#include "scene/edits.h"
#include "support.h"
#include "texture/paint_files.h"

#include <OpenImageIO/imageio.h>

using namespace vemtra;
using namespace vemtra::test;

namespace {

constexpr int size = 64;

/// A sheet whose left half holds these values, whose right one holds half of them, and whose lower half is empty.
std::shared_ptr<const scene::Texels> half_painted(const std::vector<float>& values) {
    scene::TexelsEdit edit(scene::Texels::blank(size, int(values.size())));
    uint16_t* t = edit.tile(0, 0);
    for (int y = 0; y < size / 2; ++y)
        for (int x = 0; x < size; ++x)
            for (size_t c = 0; c < values.size(); ++c)
                t[(size_t(y) * size + size_t(x)) * values.size() + c] =
                    scene::float_to_half(values[c] * (x < size / 2 ? 1.f : .5f));
    return edit.done();
}
scene::Painting painting(const std::string& id, const std::string& type, const std::vector<float>& values) {
    scene::Painting p;
    p.id = id;
    p.name = "Worn by hand";
    p.type = type;
    p.size = size;
    scene::Sheet sheet;
    sheet.tile = 1001;
    sheet.size = size;
    sheet.texels = half_painted(values);
    p.sheets.push_back(sheet);
    return p;
}
/// A surface whose colour and roughness are painted over what lies under them.
scene::Scene painted_scene() {
    scene::Scene s;
    s.paintings = {painting("colour", "color3", {.8f, .4f, .2f, 1.f}), painting("rough", "float", {.9f, 1.f})};
    s.build_ups = {scene::default_build_up("b", "Painted")};
    scene::Layer& l = s.build_ups[0].layers[0];
    for (const auto& [id, type, slot] : {std::array<const char*, 3>{"colour", "color3", "base_color"},
                                         std::array<const char*, 3>{"rough", "float", "specular_roughness"}}) {
        scene::Node n;
        n.id = n.name = id;
        n.kind = "paint";
        n.type = type;
        n.inputs["painting"].value = std::string(id);
        n.inputs["under"].value = n.type == "float" ? scene::Value(.1f) : scene::Value(V3f(.1f, .2f, .3f));
        l.nodes.push_back(n);
        l.surface[slot].from = id;
    }
    return s;
}

}  // namespace

TEST_CASE("what is painted over UVs is handed over in files of its own, over what lies under it") {
    const Scratch scratch;
    const fs::path file = scratch.path / "hand over.mtlx";
    const bool alike = GENERATE(true, false);
    scene::Scene s = painted_scene();
    if (!alike) s.paintings[1].name = "Worn by hand cover";  // which the first one's coverage must not meet
    const std::string second = alike ? "Worn_by_hand_2" : "Worn_by_hand_cover";
    const auto problems = exchange::write_standard_file(s, scratch.path / "p.vemtra", file);
    REQUIRE(problems);
    for (const Error& e : *problems) FAIL_CHECK(e.line());
    const fs::path folder = scratch.path / "hand over_paint";
    // Two of one name do not meet; values and coverage are files that any program reads.
    for (const auto& [name, channels] :
         {std::pair(std::string("Worn_by_hand"), 3), std::pair(std::string("Worn_by_hand.cover"), 1),
          std::pair(second, 1), std::pair(second + ".cover", 1)}) {
        const auto in = OIIO::ImageInput::open((folder / (name + ".1001.exr")).string());
        REQUIRE(in);
        CHECK(in->spec().nchannels == channels);
        CHECK(in->spec().width == size);
    }
    const auto document = exchange::read_standard_document(file);
    REQUIRE(document);
    for (const Error& e : document->problems) FAIL_CHECK(e.line());
    constexpr int n = 4;  // pixels that lie within a quarter of the sheet each
    auto at = [&](const std::string& output, int x, int y) {
        for (const std::string& o : exchange::outputs_of(*document)) {
            if (o.size() < output.size() || o.substr(o.size() - output.size()) != output) continue;
            const auto v = exchange::evaluate(*document, o, n, 0.f, file);
            REQUIRE(v);
            for (const Error& e : v->problems) FAIL_CHECK(e.line());
            const size_t lanes = v->grid.size() / (n * n);
            const auto first = v->grid.begin() + ptrdiff_t(size_t(y * n + x) * lanes);
            return std::vector<float>(first, first + ptrdiff_t(lanes));
        }
        FAIL("there is no output " + output);
        return std::vector<float>();
    };
    // v points up: the painted rows are the upper ones.
    CHECK_THAT(at("base_color", 0, 3), AllClose({.8f, .4f, .2f}, 2e-3f));
    CHECK_THAT(at("base_color", 3, 3), AllClose({.45f, .3f, .25f}, 2e-3f));
    CHECK_THAT(at("base_color", 1, 0), AllClose({.1f, .2f, .3f}, 2e-3f));
    CHECK(at("specular_roughness", 0, 3)[0] == Approx(.9f).margin(2e-3));
    CHECK(at("specular_roughness", 3, 3)[0] == Approx(.5f).margin(2e-3));
    CHECK(at("specular_roughness", 1, 0)[0] == Approx(.1f).margin(2e-3));
}

TEST_CASE("what is painted on the form itself, or could not be read, is told; what lies under it is handed over") {
    const Scratch scratch;
    scene::Scene s = painted_scene();
    s.paintings[0].texel = 2.f;  // on the form
    s.paintings[1].sheets[0].texels = nullptr;
    s.paintings[1].file = "p.paint/rough-1.<UDIM>.exr";
    const fs::path file = scratch.path / "m.mtlx";
    const auto problems = exchange::write_standard_file(s, scratch.path / "p.vemtra", file);
    REQUIRE(problems);
    REQUIRE(problems->size() == 2);
    CHECK((*problems)[0].why.find("on the form itself") != std::string::npos);
    CHECK((*problems)[1].why.find("could not be read") != std::string::npos);
    CHECK((*problems)[1].file.find("1001") != std::string::npos);
    REQUIRE(exchange::read_standard_document(file));
    CHECK_FALSE(fs::exists(scratch.path / "m_paint"));
}

TEST_CASE("a painting that nothing reads is not written, and one without strokes is what lies under it") {
    const Scratch scratch;
    scene::Scene s = painted_scene();
    s.paintings[0].sheets.clear();
    s.build_ups[0].layers[0].nodes.pop_back();
    s.build_ups[0].layers[0].surface.erase("specular_roughness");
    const fs::path file = scratch.path / "m.mtlx";
    const auto problems = exchange::write_standard_file(s, scratch.path / "p.vemtra", file);
    REQUIRE(problems);
    CHECK(problems->empty());
    CHECK_FALSE(fs::exists(scratch.path / "m_paint"));
    CHECK(read_file(file)->find("image") == std::string::npos);
}
