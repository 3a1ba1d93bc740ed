#include "scene/stock.h"

#include <algorithm>
#include <cstdlib>
#include <set>

#include "base/json_text.h"
#include "scene/edits.h"
#include "scene/project_file.h"

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
        item.group = word(entry, "group", group);
        item.note = word(entry, "note", "");
        item.layer.extra = {};
        if (item.layer.id.empty() || stock.find(item.layer.id)) {
            stock.problems.push_back({"A stock entry is left out", file.string(), "items[" + std::to_string(i) + "].id",
                                      "the id '" + item.layer.id + "' is empty or used twice", "Give it another id"});
            continue;
        }
        stock.items.push_back(std::move(item));
    }
}

}  // namespace

std::vector<std::string> Stock::groups() const {
    std::vector<std::string> all;
    for (const StockItem& i : items)
        if (std::find(all.begin(), all.end(), i.group) == all.end()) all.push_back(i.group);
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
        for (const char* key : {"on", "amount", "gate", "build_up"}) entry.erase(key);
        entry["group"] = i.group;
        entry["note"] = i.note;
        json["items"].push_back(std::move(entry));
    }
    std::error_code ec;
    fs::create_directories(own_file.parent_path(), ec);
    return write_file_atomically(own_file, json_text(json) + "\n");
}

StockItem stock_item(const BuildUp& b, const Layer& layer, const std::string& name, const std::string& group) {
    StockItem item;
    item.own = true;
    item.group = group;
    item.layer.name = name;
    item.layer.id = stem_of(name);
    item.layer.kind = layer.kind;
    item.layer.surface = layer.surface;
    // The nodes that the slots read, and those that these read, in the order in which they stand.
    const Ids wanted = Graph(b).upstream(sources(layer.surface));
    for_each_node(b, [&](const Node& n, const Layer*) {
        if (wanted.contains(n.id)) item.layer.nodes.push_back(n);
    });
    return item;
}

void apply_stock(BuildUp& b, const std::string& layer_id, const StockItem& item) {
    Layer* layer = find(b.layers, layer_id);
    if (!layer) return;
    const bool base = layer == &b.layers.front();
    layer->kind = base ? LayerKind::cover : item.layer.kind;
    exchange_surface(b, layer_id, item.layer.surface, item.layer.nodes);
}

}  // namespace vemtra::scene
