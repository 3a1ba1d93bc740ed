#include "scene/stock.h"

#include "nodes/wiring.h"
#include "program/compile.h"
#include "review/findings/plausible.h"
#include "scene/edits.h"
#include "scene/relief_slots.h"
#include "support.h"
#include "surface/slots.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
scene::Stock shipped() {
    return scene::load_stock(root / "assets" / "stock", "/nowhere/stock.json");
}
}  // namespace

TEST_CASE("the stock that ships has over seventy entries, each with a reason, known slots and values in range") {
    const scene::Stock stock = shipped();
    CHECK(stock.problems.empty());
    CHECK(stock.items.size() >= 70);
    CHECK(stock.families().size() >= 10);
    for (const scene::StockItem& item : stock.items) {
        INFO(item.layer.id);
        CHECK(item.note.size() > 3);
        const auto& d = nodes::slots_of(item.layer);
        for (const auto& [slot, input] : item.layer.surface) {
            INFO(slot);
            const nodes::Port* port = d.port(slot);
            REQUIRE(port);
            if (item.mask) {  // how thick what it cuts lies
                CHECK(std::count(std::begin(scene::edge_slots), std::end(scene::edge_slots), slot) == 1);
                const float edge = scene::as_number(input.value);
                CHECK((edge >= port->low && edge <= port->high));
                continue;
            }
            const surface::SlotField* f = surface::slot_field(slot.c_str());
            REQUIRE(f);
            const V3f v = std::holds_alternative<float>(input.value) ? V3f(scene::as_number(input.value))
                                                                     : scene::as_vector(input.value);
            for (int c = 0; c < f->components; ++c) CHECK((v[c] >= f->low && v[c] <= f->high));
        }
    }
}

TEST_CASE("slots are described as they are computed: the same names, components, and defaults") {
    surface::Slots defaults;
    for (const auto* d : {&nodes::surface_description(), &nodes::coat_description()})
        for (const nodes::Port& port : d->ports) {
            INFO(port.name);
            if (port.section == "relief") continue;
            const surface::SlotField* f = surface::slot_field(port.name.c_str());
            REQUIRE(f);
            CHECK(f->components == nodes::components(port.type));
            CHECK(port.help.size() > 15);
            CHECK_FALSE(port.section.empty());
            if (d == &nodes::coat_description()) continue;
            const V3f v = std::holds_alternative<float>(port.value) ? V3f(scene::as_number(port.value))
                                                                    : scene::as_vector(port.value);
            for (int c = 0; c < f->components; ++c) CHECK(surface::at(defaults, *f)[c] == v[c]);
        }
}

TEST_CASE("a surface is exchanged and the mask is not touched") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const auto id = scene::add_layer(b, "Cover");
    const auto mask = scene::add_node(b, id, "fractal3d", "float", "Mask"),
               tone = scene::add_node(b, id, "noise3d", "color3", "Tone");
    scene::Layer& layer = *scene::find(b.layers, id);
    layer.gate = {{scene::Value{1.f}, mask}, .7f, {}};
    layer.amount = .4f;
    layer.surface["base_color"] = {scene::Value{V3f(1.f)}, tone};
    const scene::Stock stock = shipped();
    scene::apply_stock(b, id, *stock.find("rust-old"));
    const scene::Layer& after = *scene::find(b.layers, id);
    CHECK(after.gate.mask.from == mask);
    CHECK(after.gate.amount == .7f);
    CHECK(after.amount == .4f);
    CHECK(scene::find_node(b, mask).node);
    CHECK_FALSE(scene::find_node(b, tone).node);  // it served the old surface alone
    scene::apply_stock(b, id, *stock.find("varnish-honey"));
    CHECK(scene::find(b.layers, id)->kind == scene::LayerKind::coat);
    scene::apply_stock(b, "base", *stock.find("varnish-honey"));
    CHECK(b.layers.front().kind == scene::LayerKind::cover);
    scene::move_layer(b, id, 0);
    CHECK(b.layers.front().kind == scene::LayerKind::cover);
}

TEST_CASE("what the artist keeps comes back with its network, and broken stock files are told") {
    Scratch s;
    scene::BuildUp b = scene::default_build_up("b", "B");
    const auto place = scene::add_node(b, {}, "position", "vector3", "Place"),
               noise = scene::add_node(b, "base", "noise3d", "float", "Noise");
    scene::node(b, noise)->inputs["position"].from = place;
    b.layers[0].surface["specular_roughness"] = {scene::Value{.3f}, noise};
    scene::Stock stock = shipped();
    const size_t shipped_count = stock.items.size();
    stock.items.push_back(scene::stock_item(b, b.layers[0], "Deck paint", "Skerrin Sound"));
    const fs::path file = s.path / "data" / "stock.json";
    REQUIRE(scene::save_own_stock(stock, file));
    const scene::Stock again = scene::load_stock(root / "assets" / "stock", file);
    REQUIRE(again.items.size() == shipped_count + 1);
    const scene::StockItem& own = again.items.back();
    CHECK(own.own);
    CHECK(own.family == "Skerrin Sound");
    REQUIRE(own.layer.nodes.size() == 2);
    scene::BuildUp other = scene::default_build_up("o", "O");
    scene::add_node(other, "base", "noise3d", "float", "Noise");  // the same id is taken
    other.layers[0].gate.mask.from = "noise";
    scene::apply_stock(other, "base", own);
    const std::string from = other.layers[0].surface.at("specular_roughness").from;
    CHECK(from != "noise");
    CHECK(scene::find_node(other, scene::node(other, from)->inputs.at("position").from).node);

    s.write("data/stock.json", "{\"vemtra_stock\": 1, \"items\": [");
    CHECK(scene::load_stock(root / "assets" / "stock", file).problems.size() == 1);
    s.write("data/stock.json", "{\"vemtra_stock\": 1, \"items\": [{\"id\": \"gold\"}, {\"name\": 3}]}");
    CHECK(scene::load_stock(root / "assets" / "stock", file).problems.size() >= 2);
    CHECK_FALSE(scene::load_stock(s.path / "none", file).problems.empty());
}

TEST_CASE("surfaces that nothing real has are hinted at, real ones are not") {
    scene::Scene s;
    s.build_ups.push_back(scene::default_build_up("b", "B"));
    auto& surface = s.build_ups[0].layers[0].surface;
    CHECK(review::plausibility(s).empty());
    auto hint = [&](std::map<std::string, scene::Value> values) {
        surface.clear();
        for (auto& [slot, v] : values) surface[slot].value = v;
        const auto all = review::plausibility(s);
        return all.empty() ? std::string() : all[0].what;
    };
    CHECK(hint({{"base_metalness", 1.f}, {"base_color", V3f(.1f)}}).find("darker") != std::string::npos);
    CHECK(hint({{"base_color", V3f(.95f)}}).find("white") != std::string::npos);
    CHECK(hint({{"specular_ior", 1.05f}}).find("refraction") != std::string::npos);
    CHECK(hint({{"base_metalness", .5f}}).find("half") != std::string::npos);
    CHECK(hint({{"base_metalness", 1.f}, {"base_color", V3f(.9f, .6f, .3f)}}).empty());
    surface["base_metalness"] = {scene::Value{.5f}, "a-node"};  // a network is not judged
    CHECK(review::plausibility(s).empty());
    const scene::Stock stock = shipped();
    for (const auto& item : stock.items) {
        if (item.layer.kind == scene::LayerKind::coat) continue;
        s.build_ups[0].layers[0].surface = item.layer.surface;
        INFO(item.layer.id);
        const bool alloyed = item.layer.id == "tarnish-silver" ||
                             item.layer.id == "hammered";  // powders in a binder: said to be half metal
        CHECK(review::plausibility(s).empty() != alloyed);
    }
}

TEST_CASE("every shipped mask opens a gate with numbers that are there on any asset") {
    const scene::Stock stock = scene::load_stock(root / "assets" / "stock", root / "none.json");
    CHECK(stock.problems.empty());
    size_t masks = 0;
    for (const scene::StockItem& i : stock.items) {
        if (!i.mask) continue;
        INFO(i.layer.id);
        ++masks;
        scene::BuildUp b = scene::default_build_up("b", "B");
        const std::string cover = scene::add_layer(b, "Cover");
        const auto before = scene::find(b.layers, cover)->surface;
        scene::apply_stock(b, cover, i);
        const scene::Layer& layer = *scene::find(b.layers, cover);
        // Nothing of the surface but, of a thick layer's mask, its edge.
        scene::Inputs apart = layer.surface;
        for (const char* slot : scene::edge_slots) {
            CHECK(apart.contains(slot) == i.layer.surface.contains(slot));
            apart.erase(slot);
        }
        CHECK(apart == before);
        REQUIRE_FALSE(layer.gate.mask.from.empty());
        REQUIRE(scene::find_node(b, layer.gate.mask.from).node);
        program::Resources resources;
        std::vector<Error> problems;
        const auto p = program::compile(b, {{"gate", nodes::Type::number, layer.gate.mask}}, resources, problems);
        for (const Error& e : problems) FAIL_CHECK(e.line());
        CHECK(p.steps() > 0);
        scene::apply_stock(b, "base", i);
        CHECK(b.layers[0].gate.mask.from.empty());
        // Another one takes its place whole: nothing of the first stays behind.
        const size_t nodes_then = layer.nodes.size();
        scene::apply_stock(b, cover, i);
        CHECK(scene::find(b.layers, cover)->nodes.size() == nodes_then);
    }
    CHECK(masks >= 30);
}

TEST_CASE("a thick layer's mask brings its edge, as large as the asset asks, and is kept with it") {
    const scene::Stock stock = scene::load_stock(root / "assets" / "stock", root / "none.json");
    const scene::StockItem* chipped = stock.find("mask-chipped-paint");
    REQUIRE(chipped);
    scene::StockItem fitted = *chipped;
    nodes::scale_lengths(fitted.layer, .5f);
    auto thickness = [](const scene::Inputs& surface) {
        return scene::as_number(surface.at(scene::slot::height_thickness).value);
    };
    CHECK(thickness(fitted.layer.surface) == .5f * thickness(chipped->layer.surface));
    CHECK(fitted.layer.surface.at(scene::slot::height_lip) == chipped->layer.surface.at(scene::slot::height_lip));
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string cover = scene::add_layer(b, "Paint");
    scene::apply_stock(b, cover, fitted);
    const scene::Layer& paint = *scene::find(b.layers, cover);
    CHECK(thickness(paint.surface) == thickness(fitted.layer.surface));
    CHECK(scene::mask_item(b, paint, "Mine", "My own masks").layer.surface == fitted.layer.surface);
    // What is no thicker than light has no edge to keep, and a coat has none at all.
    const std::string thin = scene::add_layer(b, "Thin");
    scene::apply_stock(b, thin, *stock.find("mask-clouds"));
    CHECK(scene::mask_item(b, *scene::find(b.layers, thin), "Thin", "My own masks").layer.surface.empty());
    const std::string coat = scene::add_layer(b, "Coat", {}, scene::LayerKind::coat);
    const auto before = scene::find(b.layers, coat)->surface;
    scene::apply_stock(b, coat, fitted);
    CHECK(scene::find(b.layers, coat)->surface == before);
    CHECK_FALSE(scene::find(b.layers, coat)->gate.mask.from.empty());
}

TEST_CASE("every entry that ships has a picture that ships") {
    const scene::Stock stock = scene::load_stock(root / "assets" / "stock", root / "no-such-file");
    CHECK(stock.items.size() > 100);
    for (const scene::StockItem& i : stock.items) {
        INFO(i.layer.id);
        CHECK(fs::exists(root / "assets" / "stock" / "pictures" / (i.layer.id + ".png")));
    }
}

TEST_CASE("a mask of one's own is kept and found again") {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string cover = scene::add_layer(b, "Cover");
    const std::string noise = scene::add_node(b, cover, "fractal3d", "float", "Clouds");
    scene::find(b.layers, cover)->gate.mask.from = noise;
    scene::Stock stock;
    stock.items.push_back(scene::mask_item(b, *scene::find(b.layers, cover), "My clouds", "My own masks"));
    const Scratch scratch;
    REQUIRE(scene::save_own_stock(stock, scratch.path / "stock.json"));
    const scene::Stock back = scene::load_stock(root / "assets" / "stock", scratch.path / "stock.json");
    const scene::StockItem* item = back.find("my-clouds");
    REQUIRE(item);
    CHECK(item->mask);
    CHECK(item->own);
    CHECK(item->layer.gate.mask.from == noise);
    CHECK(item->layer.nodes.size() == 1);
}
