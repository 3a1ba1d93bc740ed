#include "scene/stock.h"

#include <algorithm>
#include <cstdlib>
#include <set>

#include "base/json_text.h"
#include "scene/edits.h"
#include "scene/networks.h"
#include "scene/project_file.h"
#include "scene/relief_slots.h"

namespace vemtra::scene {
namespace {

void read_file_into(Stock& stock, const fs::path& file, bool own) {
    auto text = read_file(file, most_text_bytes);
    if (!text) {
        stock.problems.push_back(text.error());
        return;
    }
    const auto parsed = parse_json<Json>(*text);
    if (!parsed) {
        stock.problems.push_back({"Stock not readable", file.string(), parsed.error().place, parsed.error().why,
                                  "Correct it, or take the file away"});
        return;
    }
    const Json& json = *parsed;
    if (!json.is_object() || !json.contains("vemtra_stock") || !json.contains("items") || !json["items"].is_array()) {
        stock.problems.push_back(
            {"Not a stock file", file.string(), "", "\"vemtra_stock\" or \"items\" is missing", "See docs/stock.md"});
        return;
    }
    auto word = [](const Json& j, const char* key, const std::string& fallback) {
        return j.contains(key) && j[key].is_string() ? j[key].get<std::string>() : fallback;
    };
    const std::string group = word(json, "group", own ? "My own" : "Other");
    for (size_t i = 0; i < json["items"].size(); ++i) {
        const Json& entry = json["items"][i];
        StockItem item;
        item.own = own;
        item.layer = parse_layer(entry, "items[" + std::to_string(i) + "]", file.string(), stock.problems);
        item.family = word(entry, "group", group);
        item.note = word(entry, "note", "");
        item.layer.extra = {};
        if (entry.is_object() && entry.contains("networks"))
            item.networks = parse_networks(entry["networks"], "items[" + std::to_string(i) + "].networks",
                                           file.string(), stock.problems);
        item.mask = entry.is_object() && entry.contains("mask") && entry["mask"] == true;
        if (item.layer.id.empty() || stock.find(item.layer.id)) {
            stock.problems.push_back({"A stock entry is left out", file.string(), "items[" + std::to_string(i) + "].id",
                                      "the id '" + item.layer.id + "' is empty or used twice", "Give it another id"});
            continue;
        }
        stock.items.push_back(std::move(item));
    }
}

}  // namespace

std::vector<std::string> Stock::families() const {
    std::vector<std::string> all;
    for (const StockItem& i : items)
        if (std::find(all.begin(), all.end(), i.family) == all.end()) all.push_back(i.family);
    return all;
}
const StockItem* Stock::find(const std::string& id) const {
    for (const StockItem& i : items)
        if (i.layer.id == id) return &i;
    return nullptr;
}

fs::path own_stock_file() {
    return data_folder() / "stock.json";
}

Stock load_stock(const fs::path& folder, const fs::path& own_file) {
    Stock stock;
    std::vector<fs::path> files;
    for (const auto& entry : entries_of(folder))
        if (entry.path().extension() == ".json") files.push_back(entry.path());
    std::sort(files.begin(), files.end());
    if (files.empty())
        stock.problems.push_back({"No stock", folder.string(), "", "there is no .json file in it",
                                  "Install Vemtra again, or set VEMTRA_ASSETS"});
    for (const fs::path& f : files) read_file_into(stock, f, false);
    if (std::error_code ec; fs::exists(own_file, ec)) read_file_into(stock, own_file, true);
    return stock;
}

Status save_own_stock(const Stock& stock, const fs::path& own_file) {
    Json json{{"vemtra_stock", 1}, {"group", "My own"}, {"items", Json::array()}};
    for (const StockItem& i : stock.items) {
        if (!i.own) continue;
        Json entry = layer_json(i.layer);
        for (const char* key : {"on", "amount", "build_up"}) entry.erase(key);
        if (i.mask)
            entry["mask"] = true;
        else
            entry.erase("gate");
        entry["group"] = i.family;
        entry["note"] = i.note;
        if (!i.networks.empty()) entry["networks"] = networks_json(i.networks);
        json["items"].push_back(std::move(entry));
    }
    std::error_code ec;
    fs::create_directories(own_file.parent_path(), ec);
    return write_file_atomically(own_file, json_text(json) + "\n");
}

namespace {
/// The nodes that these read, and those that they read, in the order in which they stand.
std::vector<Node> nodes_behind(const BuildUp& b, const std::vector<std::string>& read) {
    std::vector<Node> nodes;
    const Ids wanted = Graph(b).upstream(read);
    for_each_node(b, [&](const Node& n, const Layer*) {
        if (wanted.contains(n.id)) nodes.push_back(n);
    });
    return nodes;
}
void take_edge(const Inputs& from, Inputs& to) {
    for (const char* slot : edge_slots)
        if (const auto in = from.find(slot); in != from.end()) to[slot] = {in->second.value, {}};
}
}  // namespace

StockItem mask_item(const BuildUp& b, const Layer& layer, const std::string& name, const std::string& family) {
    StockItem item;
    item.own = item.mask = true;
    item.family = family;
    item.layer.name = name;
    item.layer.id = stem_of(name);
    item.layer.gate = layer.gate;
    item.layer.nodes = nodes_behind(b, {layer.gate.mask.from});
    if (const auto thick = layer.surface.find(slot::height_thickness);
        thick != layer.surface.end() && as_number(thick->second.value) > 0.f)
        take_edge(layer.surface, item.layer.surface);
    return item;
}

StockItem stock_item(const BuildUp& b, const Layer& layer, const std::string& name, const std::string& family) {
    StockItem item;
    item.own = true;
    item.family = family;
    item.layer.name = name;
    item.layer.id = stem_of(name);
    item.layer.kind = layer.kind;
    item.layer.surface = layer.surface;
    item.layer.nodes = nodes_behind(b, sources(layer.surface));
    return item;
}

namespace {
/// Nodes of the lane that served the old gate alone go.
void exchange_gate(BuildUp& b, const std::string& layer_id, const Gate& gate, const std::vector<Node>& nodes) {
    Layer* layer = find(b.layers, layer_id);
    if (!layer) return;
    layer->gate.mask = {};
    remove_unread(b, layer_id, ids_of(layer->nodes));
    std::unordered_map<std::string, std::string> renamed;
    for (Node& n : copies(b, nodes, renamed)) layer->nodes.push_back(std::move(n));
    layer->gate.mask = gate.mask;
    Inputs one{{gate_slot, layer->gate.mask}};
    follow(one, renamed);
    layer->gate.mask = one.begin()->second;
}
}  // namespace

void apply_stock(BuildUp& b, const std::string& layer_id, const StockItem& item) {
    Layer* layer = find(b.layers, layer_id);
    if (!layer) return;
    const bool base = layer == &b.layers.front();
    if (item.mask) {
        if (base) return;
        exchange_gate(b, layer_id, item.layer.gate, item.layer.nodes);
        if (traits(layer->kind).may_be_base) take_edge(item.layer.surface, layer->surface);
        return;
    }
    layer->kind = base ? LayerKind::cover : item.layer.kind;
    exchange_surface(b, layer_id, item.layer.surface, item.layer.nodes);
}

void apply_stock(Scene& scene, const std::string& build_up, const std::string& layer_id, StockItem item) {
    BuildUp* b = find(scene.build_ups, build_up);
    if (!b || !find(b->layers, layer_id)) return;
    bring_networks(scene, std::move(item.networks), item.layer.nodes);
    apply_stock(*b, layer_id, item);
}

}  // namespace vemtra::scene
