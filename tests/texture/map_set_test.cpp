#include "texture/map_set.h"
#include "program/compile.h"

#include <sstream>

#include "scene/edits.h"
#include "support.h"
#include "texture/colour.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;
using namespace vemtra::texture;

TEST_CASE("file names of maps are read wherever their words stand") {
    std::ifstream in(root / "tests" / "texture" / "map_names.txt");
    struct Line {
        std::string file, set, kind, tile;
    };
    std::vector<std::vector<Line>> folders;
    auto trim = [](std::string s) {
        const size_t a = s.find_first_not_of(' '), b = s.find_last_not_of(' ');
        return a == std::string::npos ? std::string() : s.substr(a, b - a + 1);
    };
    for (std::string text; std::getline(in, text);) {
        if (text.empty() || text[0] == '#') continue;
        if (text[0] == '[' && text.find('|') == std::string::npos) {
            folders.emplace_back();
            continue;
        }
        std::istringstream parts(text);
        Line l;
        std::getline(parts, l.file, '|');
        std::getline(parts, l.set, '|');
        std::getline(parts, l.kind, '|');
        std::getline(parts, l.tile, '|');
        for (std::string* s : {&l.file, &l.set, &l.kind, &l.tile}) *s = trim(*s);
        folders.back().push_back(l);
    }
    size_t patterns = 0;
    for (const auto& folder : folders) {
        std::vector<std::string> names;
        for (const Line& l : folder) names.push_back(l.file);
        const auto read = read_map_names(names);
        for (size_t i = 0; i < folder.size(); ++i, ++patterns) {
            INFO(folder[i].file);
            std::string kind = info(read[i].kind).name;
            for (MapKind k : read[i].channels) kind += std::string(" ") + info(k).name;
            CHECK(read[i].set == folder[i].set);
            CHECK(kind == folder[i].kind);
            CHECK(read[i].tile == (folder[i].tile.empty() ? 0 : std::stoi(folder[i].tile)));
        }
    }
    CHECK(patterns >= 200);
}

TEST_CASE("green of a normal map: the name says it, and the pixels know") {
    CHECK(read_map_names({"door_normal_opengl.png"})[0].green == 1);
    CHECK(read_map_names({"door_normal_dx.png"})[0].green == -1);
    CHECK(read_map_names({"doorNormalDX.png"})[0].green == -1);
    // A word at the end of a longer one, and a short one behind it.
    const auto glued = read_map_names({"lanternnormal_gl.png"})[0];
    CHECK(glued.green == 1);
    CHECK(glued.kind == MapKind::normal);
    CHECK(glued.set == "lantern");
    CHECK(read_map_names({"hellcuinormal_dx_ep_l.png"})[0].green == -1);
    CHECK(read_map_names({"door_nor_gl_4k.exr"})[0].green == 1);
    CHECK(read_map_names({"door_normal.png"})[0].green == 0);
    Scratch s;
    for (const float hand : {1.f, -1.f}) {
        write_image(s.path / "n.png", 128, 128, 3, Kept::bytes, [&](int x, int y, int c) {
            // A height of bumps: h = .5 sin(ax) sin(by); v grows upwards.
            const float a = .15f, b = .11f, v = -float(y),
                        du = .5f * a * std::cos(a * float(x)) * std::sin(b * v) * 6.f,
                        dv = .5f * b * std::sin(a * float(x)) * std::cos(b * v) * 6.f;
            const V3f n = V3f(-du, -dv * hand, 1.f).normalized();
            return .5f + .5f * n[c];
        });
        const auto f = probe_map(s.path / "n.png");
        REQUIRE(f);
        CHECK(f->looks_normal());
        CHECK(f->normal_length == Approx(1.f).margin(.02));
        CHECK(f->green_up * hand > .8f);
    }
}

TEST_CASE("a folder becomes sets: tiles, what is missing, and what is odd") {
    Scratch s;
    auto grey = [](float v) { return [v](int, int, int) { return v; }; };
    auto noise = [](int x, int y, int c) { return float((x * 37 + y * 101 + c * 17) % 97) / 97.f; };
    const fs::path folder = s.path / "maps of the lantern";
    fs::create_directories(folder);
    for (int t : {1001, 1002, 1003})
        write_image(folder / ("lantern_BaseColor." + std::to_string(t) + ".png"), 8, 8, 3, Kept::bytes, noise);
    for (int t : {1001, 1003})
        write_image(folder / ("lantern_Roughness." + std::to_string(t) + ".png"), 8, 8, 1, Kept::bytes, noise);
    for (int t : {1001, 1002, 1003})
        write_image(folder / ("lantern_Metalness." + std::to_string(t) + ".png"), 8, 8, 1, Kept::bytes, grey(0.f));
    for (int t : {1001, 1002, 1003})
        write_image(folder / ("lantern_Normal." + std::to_string(t) + ".png"), 8, 8, 3, Kept::bytes,
                    [](int, int, int c) { return c == 2 ? 1.f : .5f; });
    for (int t : {1001, 1002, 1003})
        write_image(folder / ("lantern_Height." + std::to_string(t) + ".png"), 16, 16, 1, Kept::bytes, noise);
    write_image(folder / "chain_Color.png", 4, 4, 4, Kept::bytes,
                [&](int x, int y, int c) { return c == 3 ? 1.f : noise(x, y, c); });
    fs::create_directories(folder / "trap_Color.png");
    s.write("maps of the lantern/broken_Color.png", "no picture");
    std::vector<Error> problems;
    auto sets = find_map_sets({folder}, problems);
    REQUIRE(sets.size() == 2);
    CHECK(problems.size() == 2);
    CHECK(sets[0].name == "chain");
    MapSet& lantern = sets[1];
    CHECK(lantern.name == "lantern");
    REQUIRE(lantern.maps.size() == 5);
    CHECK(probe_map_set(lantern, problems));
    CHECK(probe_map_set(sets[0], problems));
    auto map = [&](MapKind k) -> MapEntry& {
        return *std::find_if(lantern.maps.begin(), lantern.maps.end(), [&](const MapEntry& m) { return m.kind == k; });
    };
    auto notes = [](const MapEntry& m, const char* text) {
        return std::count_if(m.notes.begin(), m.notes.end(),
                             [&](const MapNote& n) { return n.what.find(text) != std::string::npos; });
    };
    CHECK(map(MapKind::base_color).tiles == std::vector<int>{1001, 1002, 1003});
    CHECK(map(MapKind::base_color).colour_space == "srgb_texture");
    CHECK(map(MapKind::roughness).missing == std::vector<int>{1002});
    CHECK(notes(map(MapKind::roughness), "missing") == 1);
    REQUIRE(map(MapKind::metalness).blank);
    CHECK((*map(MapKind::metalness).blank)[0] == 0.f);
    CHECK(map(MapKind::normal).blank);
    CHECK(notes(map(MapKind::height), "8 bits") == 1);
    CHECK(notes(sets[0].maps[0], "alpha is one") == 1);
    CHECK(std::any_of(lantern.notes.begin(), lantern.notes.end(),
                      [](const MapNote& n) { return n.what.find("differ in size") != std::string::npos; }));

    // One file is enough to find its set.
    auto by_file = find_map_sets({folder / "lantern_Roughness.1001.png"}, problems);
    REQUIRE(by_file.size() == 1);
    CHECK(by_file[0].maps.size() == 5);

    // A guess that was set right comes back.
    const MapGuesses none(s.path / "guesses.json");
    MapEntry& rough = map(MapKind::roughness);
    set_kind(rough, MapKind::glossiness);
    CHECK(rough.invert);
    REQUIRE(MapGuesses(s.path / "guesses.json").remember(lantern, rough));
    auto again = find_map_sets({folder}, problems);
    MapGuesses(s.path / "guesses.json").apply(again[1]);
    CHECK(std::count_if(again[1].maps.begin(), again[1].maps.end(),
                        [](const MapEntry& m) { return m.kind == MapKind::glossiness && m.corrected; }) == 1);

    // Onto a layer: one placement, blank maps as values.
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string layer = b.layers.front().id;
    const std::string placement = nodes::wire_maps(b, layer, lantern.name, wires_of(lantern, s.path));
    REQUIRE_FALSE(placement.empty());
    const scene::Inputs& surface = b.layers.front().surface;
    const scene::Node* colour = scene::find_node(b, surface.at("base_color").from).node;
    REQUIRE(colour);
    CHECK(std::get<std::string>(colour->inputs.at("file").value) == "maps of the lantern/lantern_BaseColor.<UDIM>.png");
    CHECK(colour->inputs.at("texcoord").from == placement);
    const scene::Node* rough_end = scene::find_node(b, surface.at("specular_roughness").from).node;
    REQUIRE(rough_end);
    CHECK(rough_end->kind == "invert");
    CHECK(surface.at("base_metalness").from.empty());
    CHECK(scene::as_number(surface.at("base_metalness").value) == 0.f);
    CHECK(scene::find_node(b, surface.at("geometry_normal").from).node ==
          nullptr);  // the flat normal map feeds it first
    std::vector<Error> compiled;
    program::Resources resources;
    program::compile(b,
                     {{"c", nodes::Type::color, surface.at("base_color")},
                      {"r", nodes::Type::number, surface.at("specular_roughness")}},
                     resources, compiled);
    CHECK(compiled.empty());
    CHECK(resources.images.size() == 2);
    // Applying once more replaces, and leaves no nodes behind.
    const size_t nodes_before = b.layers.front().nodes.size();
    nodes::wire_maps(b, layer, lantern.name, wires_of(lantern, s.path));
    CHECK(b.layers.front().nodes.size() <= nodes_before + 1);
}

TEST_CASE("packed maps go channel by channel") {
    Scratch s;
    write_image(s.path / "crate_ORM.png", 4, 4, 3, Kept::bytes,
                [](int x, int y, int c) { return float((x + y * 4 + c * 5) % 16) / 16.f; });
    std::vector<Error> problems;
    auto sets = find_map_sets({s.path}, problems);
    REQUIRE(sets.size() == 1);
    const auto wires = wires_of(sets[0], s.path);
    REQUIRE(wires.size() == 3);
    CHECK((wires[0].slot.empty() && wires[0].channel == "r"));
    CHECK((wires[1].slot == "specular_roughness" && wires[1].channel == "g"));
    CHECK((wires[2].slot == "base_metalness" && wires[2].channel == "b"));
}

TEST_CASE("a displacement map moves the form, a height map tilts normals, unless it is sent to the height") {
    Scratch s;
    const auto grey = [](int x, int y, int) { return float((x * 7 + y * 13) % 16) / 16.f; };
    write_image(s.path / "hull_displacement.png", 8, 8, 1, Kept::words, grey);
    write_image(s.path / "hull_height.png", 8, 8, 1, Kept::words, grey);
    std::vector<Error> problems;
    auto sets = find_map_sets({s.path}, problems);
    REQUIRE(sets.size() == 1);
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string layer = b.layers[0].id;
    nodes::wire_maps(b, layer, "hull", wires_of(sets[0], s.path));
    auto feeds = [&](const char* slot) { return *scene::node(b, b.layers[0].surface.at(slot).from); };
    CHECK(feeds("height").kind == "image");
    CHECK(feeds("height").type == "float");
    CHECK(feeds("geometry_normal").kind == "heightrelief");
    for (texture::MapEntry& m : sets[0].maps) {
        m.use = m.kind == texture::MapKind::height;
        m.slot = "height";
    }
    scene::BuildUp sent = scene::default_build_up("b", "B");
    nodes::wire_maps(sent, layer, "hull", wires_of(sets[0], s.path));
    CHECK(scene::node(sent, sent.layers[0].surface.at("height").from)->kind == "image");
    CHECK_FALSE(sent.layers[0].surface.contains("geometry_normal"));
}
