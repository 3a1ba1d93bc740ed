// The stock: ready surfaces, coats and masks that ship (assets/stock) or that the artist keeps. Each entry is a layer
// without a place: its slots, and the nodes that feed them; of a mask, its gate, the nodes that open it and how thick
// what it cuts lies, where that counts. Lengths in masks are meant for an asset of one metre.
#pragma once
#include "base/file.h"
#include "scene/scene.h"

namespace vemtra::scene {

struct StockItem {
    std::string family, note;       ///< note: where the numbers come from, or why they are what they are
    bool own = false;               ///< the artist's: may be renamed and removed
    bool mask = false;              ///< it opens a gate, and has no surface
    Layer layer;                    ///< id, name, kind, surface and nodes count; of a mask, gate, nodes and edge_slots
    std::vector<Network> networks;  ///< that its nodes are instances of
};

struct Stock {
    std::vector<StockItem> items;
    std::vector<Error> problems;
    std::vector<std::string> families() const;  ///< in the order of first appearance
    const StockItem* find(const std::string& id) const;
};

/// Where the artist's own entries are kept: $XDG_DATA_HOME/vemtra/stock.json, else below ~/.local/share.
fs::path own_stock_file();

/// Reads every .json of the folder, in order of their names, then the artist's file where it exists. What cannot be
/// read is a problem.
Stock load_stock(const fs::path& shipped_folder, const fs::path& own_file);
/// Writes the artist's entries alone.
Status save_own_stock(const Stock& stock, const fs::path& own_file);

/// An entry made of a layer as it stands: the nodes that its slots read come along, from its lane and from the commons.
StockItem stock_item(const BuildUp& build_up, const Layer& layer, const std::string& name, const std::string& family);

/// An entry of what opens the layer's gate.
StockItem mask_item(const BuildUp& build_up, const Layer& layer, const std::string& name, const std::string& family);

/// Lays the entry onto a layer: surface and kind change, gate and amounts stay. The base stays a cover. Of a mask the
/// gate changes, the surface stays; the base has no gate.
void apply_stock(BuildUp& build_up, const std::string& layer_id, const StockItem& item);
/// The same onto a layer of the scene, with the networks that the entry brings.
void apply_stock(Scene& scene, const std::string& build_up, const std::string& layer_id, StockItem item);

}  // namespace vemtra::scene
