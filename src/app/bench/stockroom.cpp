#include "app/bench/stockroom.h"

#include "app/workbench.h"
#include "nodes/wiring.h"
#include "review/visible.h"
#include "scene/edits.h"
#include "scene/networks.h"

namespace vemtra::app {

Stockroom::Stockroom(Workbench& bench)
    : bench_(bench), stock_(scene::load_stock(shipped_assets() / "stock", scene::own_stock_file())) {
}

void Stockroom::apply_stock(const std::string& id) {
    if (bench_.selection().layer.empty()) {
        Q_EMIT bench_.said("Select a layer on the board first");
        return;
    }
    apply_stock_to(id, bench_.selection().layer);
}
void Stockroom::apply_stock_to(const std::string& id, const std::string& layer) {
    const scene::StockItem* item = stock_.find(id);
    const scene::BuildUp* b = bench_.build_up();
    if (!item || !b) return;
    const bool base = !b->layers.empty() && b->layers.front().id == layer;
    if (item->mask && base) {
        Q_EMIT bench_.said("The base has no mask: select a layer above it");
        return;
    }
    if (!scene::traits(item->layer.kind).may_be_base && base) {
        Q_EMIT bench_.said("A coat needs something below it: add it as a new layer");
        return;
    }
    const scene::StockItem fitted = fitted_stock(*item);
    bench_.edit((item->mask ? "Mask: " : "Surface: ") + item->layer.name, [&, id = b->id](scene::Scene& x) {
        scene::apply_stock(x, id, layer, fitted);
        scene::Layer* l = scene::find(scene::find(x.build_ups, id)->layers, layer);
        const bool unnamed = l && (l->name == "Base" || l->name == "New cover" || l->name == "New coat");
        if (unnamed && !item->mask) l->name = item->layer.name;
    });
    bench_.select_layer(layer);
}
void Stockroom::add_stock_layer(const std::string& id) {
    const scene::StockItem* item = stock_.find(id);
    if (!item || !bench_.build_up()) return;
    std::string made;
    bench_.edit("Add " + item->layer.name, [&, id = bench_.build_up()->id](scene::Scene& s) {
        made = scene::add_layer(*scene::find(s.build_ups, id), item->layer.name, bench_.selection().layer,
                                item->layer.kind);
        scene::apply_stock(s, id, made, fitted_stock(*item));
    });
    bench_.select_layer(made);
}
/// Masks are meant for an asset of one metre: their lengths follow the selected part's build-up.
scene::StockItem Stockroom::fitted_stock(const scene::StockItem& item) const {
    scene::StockItem fitted = item;
    if (item.mask) nodes::scale_lengths(fitted.layer, size_for_masks());
    return fitted;
}
float Stockroom::measured(float (*size)(const render::Prepared&, int build_up)) const {
    const auto live = bench_.image();
    const scene::BuildUp* b = bench_.build_up();
    if (!live || !live->prepared || !b) return 1.f;
    const auto& all = live->prepared->scene->build_ups;
    for (size_t i = 0; i < all.size(); ++i)
        if (all[i].id == b->id) return size(*live->prepared, int(i));
    return 1.f;
}
float Stockroom::size_of_asset() const {
    return measured([](const render::Prepared& p, int build_up) {
        const Box3f box = p.bounds_of(build_up);
        return box.isEmpty() ? 1.f : std::max(1e-4f, box.size().length() * .7f);
    });
}
float Stockroom::size_for_masks() const {
    return measured(review::mask_size);
}

void Stockroom::wear_stock(const std::string& id, const std::string& part) {
    const scene::StockItem* item = stock_.find(id);
    if (!item || !scene::find(bench_.scene().parts, part)) return;
    if (!scene::traits(item->layer.kind).may_be_base || item->mask) {  // over what the part wears already
        bench_.select_part(part);
        if (const auto* b = bench_.build_up()) bench_.select_layer(b->layers.back().id);
        add_stock_layer(id);
        return;
    }
    bench_.edit("Wear " + item->layer.name, [&](scene::Scene& s) {
        scene::BuildUp b =
            scene::default_build_up(scene::FreshIds(scene::ids_of(s.build_ups)).take(item->layer.id), item->layer.name);
        b.layers.front().name = item->layer.name;
        const std::string id = b.id;
        const std::string base = b.layers.front().id;
        scene::find(s.parts, part)->build_up = id;
        s.build_ups.push_back(std::move(b));
        scene::apply_stock(s, id, base, *item);
    });
    bench_.select({});
    bench_.select_part(part);
}
void Stockroom::write_own_stock() {
    if (Status s = scene::save_own_stock(stock_, scene::own_stock_file()); !s) Q_EMIT bench_.failed(s.error());
    Q_EMIT bench_.stock_changed();
}
/// Among the artist's own, under an id that is free.
void Stockroom::keep(scene::StockItem item, const std::string& stem) {
    std::vector<std::string> taken;
    for (const auto& i : stock_.items) taken.push_back(i.layer.id);
    item.layer.id = scene::fresh_id(taken, stem + item.layer.id);
    stock_.items.push_back(std::move(item));
    write_own_stock();
}
void Stockroom::keep_own_stock(const std::string& name) {
    const auto* b = bench_.build_up();
    const auto* l = bench_.layer();
    if (!b || !l) return;
    scene::StockItem item = scene::stock_item(*b, *l, name, "My own");
    item.networks = scene::networks_of(bench_.scene().networks, item.layer.nodes);
    keep(std::move(item), "own-");
}
void Stockroom::keep_own_mask(const std::string& name) {
    const auto* b = bench_.build_up();
    const auto* l = bench_.layer();
    if (!b || !l || l->gate.mask.from.empty()) {
        Q_EMIT bench_.said("The layer has no mask to keep: wire a node to its gate first");
        return;
    }
    scene::StockItem item = scene::mask_item(*b, *l, name, "My own masks");
    item.networks = scene::networks_of(bench_.scene().networks, item.layer.nodes);
    nodes::scale_lengths(item.layer, 1.f / size_for_masks());
    keep(std::move(item), "own-mask-");
}
void Stockroom::rename_own_stock(const std::string& id, const std::string& family, const std::string& name) {
    for (auto& i : stock_.items)
        if (i.own && i.layer.id == id) i.family = family, i.layer.name = name;
    write_own_stock();
}
void Stockroom::remove_own_stock(const std::string& id) {
    std::erase_if(stock_.items, [&](const scene::StockItem& i) { return i.own && i.layer.id == id; });
    write_own_stock();
}

}  // namespace vemtra::app
