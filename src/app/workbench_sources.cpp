// What the workbench takes in from outside of the project: ready surfaces of the stock, and sets of texture maps.
#include "app/workbench.h"
#include "nodes/wiring.h"
#include "scene/edits.h"
#include "scene/networks.h"

namespace vemtra::app {

void Workbench::look_for_maps(const std::vector<fs::path>& paths) {
    jobs_.start("Looking at texture maps", [this, paths](Progress& progress) -> std::function<void()> {
        auto problems = std::make_shared<std::vector<Error>>();
        auto sets = std::make_shared<std::vector<texture::MapSet>>(texture::find_map_sets(paths, *problems));
        const texture::MapGuesses guesses(texture::guesses_file());
        bool whole = true;
        for (texture::MapSet& s : *sets) {
            whole = whole && texture::probe_map_set(s, *problems, &progress);
            guesses.apply(s);
        }
        return [this, sets, problems, whole] {
            map_sets_ = std::move(*sets);
            map_problems_ = *problems;
            Q_EMIT maps_changed();
            size_t maps = 0;
            for (const texture::MapSet& s : map_sets_) maps += s.maps.size();
            if (map_sets_.empty())
                Q_EMIT failed({"No texture maps were found", "", "",
                               problems->empty() ? "there are no image files" : problems->front().line(),
                               "Choose a folder with maps, or one of the maps"});
            else
                Q_EMIT said(QString("%1 maps in %2 %3%4")
                                .arg(maps)
                                .arg(map_sets_.size())
                                .arg(map_sets_.size() == 1 ? "set" : "sets")
                                .arg(whole ? "" : "; the look at their pixels was stopped"));
        };
    });
}
void Workbench::correct_map(size_t set, size_t map, const std::function<void(texture::MapEntry&)>& change) {
    if (set >= map_sets_.size() || map >= map_sets_[set].maps.size()) return;
    texture::MapEntry& m = map_sets_[set].maps[map];
    change(m);
    m.corrected = true;
    texture::check_map_set(map_sets_[set]);
    if (Status s = texture::MapGuesses(texture::guesses_file()).remember(map_sets_[set], m); !s)
        Q_EMIT failed(s.error());
    Q_EMIT maps_changed();
}
void Workbench::apply_map_set(size_t set) {
    if (set >= map_sets_.size()) return;
    if (selection_.layer.empty() || !layer()) {
        Q_EMIT said("Select a layer on the board first");
        return;
    }
    const texture::MapSet& s = map_sets_[set];
    const auto wires = texture::wires_of(s, file_ ? folder() : fs::path());
    std::string placement;
    edit_build_up("Maps: " + s.name,
                  [&](scene::BuildUp& b) { placement = nodes::wire_maps(b, selection_.layer, s.name, wires); });
    if (!placement.empty()) select_node(placement);
    Q_EMIT said(QString("%1: %2 maps on %3")
                    .arg(QString::fromStdString(s.name))
                    .arg(wires.size())
                    .arg(QString::fromStdString(layer() ? layer()->name : "")));
}

void Workbench::apply_stock(const std::string& id) {
    if (selection_.layer.empty()) {
        Q_EMIT said("Select a layer on the board first");
        return;
    }
    apply_stock_to(id, selection_.layer);
}
void Workbench::apply_stock_to(const std::string& id, const std::string& layer) {
    const scene::StockItem* item = stock_.find(id);
    const scene::BuildUp* b = build_up();
    if (!item || !b) return;
    const bool base = !b->layers.empty() && b->layers.front().id == layer;
    if (item->mask && base) {
        Q_EMIT said("The base has no mask: select a layer above it");
        return;
    }
    if (!scene::traits(item->layer.kind).may_be_base && base) {
        Q_EMIT said("A coat needs something below it: add it as a new layer");
        return;
    }
    const scene::StockItem fitted = fitted_stock(*item);
    edit((item->mask ? "Mask: " : "Surface: ") + item->layer.name, [&, id = b->id](scene::Scene& x) {
        scene::apply_stock(x, id, layer, fitted);
        scene::Layer* l = scene::find(scene::find(x.build_ups, id)->layers, layer);
        const bool unnamed = l && (l->name == "Base" || l->name == "New cover" || l->name == "New coat");
        if (unnamed && !item->mask) l->name = item->layer.name;
    });
    select_layer(layer);
}
void Workbench::add_stock_layer(const std::string& id) {
    const scene::StockItem* item = stock_.find(id);
    if (!item || !build_up()) return;
    std::string made;
    edit("Add " + item->layer.name, [&, id = build_up()->id](scene::Scene& s) {
        made = scene::add_layer(*scene::find(s.build_ups, id), item->layer.name, selection_.layer, item->layer.kind);
        scene::apply_stock(s, id, made, fitted_stock(*item));
    });
    select_layer(made);
}
/// Masks are meant for an asset of one metre: their lengths follow the selected part's build-up.
scene::StockItem Workbench::fitted_stock(const scene::StockItem& item) const {
    scene::StockItem fitted = item;
    if (item.mask) nodes::scale_lengths(fitted.layer.nodes, size_of_asset());
    return fitted;
}
float Workbench::size_of_asset() const {
    const auto live = image();
    const scene::BuildUp* b = build_up();
    if (!live || !live->prepared || !b) return 1.f;
    const auto& all = live->prepared->scene->build_ups;
    for (size_t i = 0; i < all.size(); ++i)
        if (all[i].id == b->id) {
            const Box3f box = live->prepared->bounds_of(int(i));
            return box.isEmpty() ? 1.f : std::max(1e-4f, box.size().length() * .7f);
        }
    return 1.f;
}

void Workbench::wear_stock(const std::string& id, const std::string& part) {
    const scene::StockItem* item = stock_.find(id);
    if (!item || !scene::find(scene().parts, part)) return;
    if (!scene::traits(item->layer.kind).may_be_base || item->mask) {  // over what the part wears already
        select_part(part);
        if (const auto* b = build_up()) select_layer(b->layers.back().id);
        add_stock_layer(id);
        return;
    }
    edit("Wear " + item->layer.name, [&](scene::Scene& s) {
        scene::BuildUp b =
            scene::default_build_up(scene::FreshIds(scene::ids_of(s.build_ups)).take(item->layer.id), item->layer.name);
        b.layers.front().name = item->layer.name;
        const std::string id = b.id;
        const std::string base = b.layers.front().id;
        scene::find(s.parts, part)->build_up = id;
        s.build_ups.push_back(std::move(b));
        scene::apply_stock(s, id, base, *item);
    });
    select({});
    select_part(part);
}
void Workbench::write_own_stock() {
    if (Status s = scene::save_own_stock(stock_, scene::own_stock_file()); !s) Q_EMIT failed(s.error());
    Q_EMIT stock_changed();
}
void Workbench::keep_own_stock(const std::string& name) {
    const auto* b = build_up();
    const auto* l = layer();
    if (!b || !l) return;
    scene::StockItem item = scene::stock_item(*b, *l, name, "My own");
    item.networks = scene::networks_of(scene().networks, item.layer.nodes);
    std::vector<std::string> taken;
    for (const auto& i : stock_.items) taken.push_back(i.layer.id);
    item.layer.id = scene::fresh_id(taken, "own-" + item.layer.id);
    stock_.items.push_back(std::move(item));
    write_own_stock();
}
void Workbench::keep_own_mask(const std::string& name) {
    const auto* b = build_up();
    const auto* l = layer();
    if (!b || !l || l->gate.mask.from.empty()) {
        Q_EMIT said("The layer has no mask to keep: wire a node to its gate first");
        return;
    }
    scene::StockItem item = scene::mask_item(*b, *l, name, "My own masks");
    item.networks = scene::networks_of(scene().networks, item.layer.nodes);
    nodes::scale_lengths(item.layer.nodes, 1.f / size_of_asset());
    std::vector<std::string> taken;
    for (const auto& i : stock_.items) taken.push_back(i.layer.id);
    item.layer.id = scene::fresh_id(taken, "own-mask-" + item.layer.id);
    stock_.items.push_back(std::move(item));
    write_own_stock();
}
void Workbench::rename_own_stock(const std::string& id, const std::string& group, const std::string& name) {
    for (auto& i : stock_.items)
        if (i.own && i.layer.id == id) i.group = group, i.layer.name = name;
    write_own_stock();
}
void Workbench::remove_own_stock(const std::string& id) {
    std::erase_if(stock_.items, [&](const scene::StockItem& i) { return i.own && i.layer.id == id; });
    write_own_stock();
}

}  // namespace vemtra::app
