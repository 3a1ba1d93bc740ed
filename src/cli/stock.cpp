#include <cstdio>

#include "cli/support.h"
#include "review/swatch.h"
#include "scene/project_file.h"
#include "scene/stock.h"

namespace vemtra::cli {
namespace {

struct StockCall {
    std::string id, output, project, rig;  ///< id empty: all, one file each into the folder `output`
    int size = 256, samples = 128;
    bool every = false, json = false;
};

scene::Stock whole_stock() {
    scene::Stock stock = scene::load_stock(shipped_assets() / "stock", scene::own_stock_file());
    warn(stock.problems);
    return stock;
}

int stock_list(bool json) {
    const scene::Stock stock = whole_stock();
    ordered_json j = ordered_json::array();
    for (const auto& i : stock.items) {
        if (json)
            j.push_back({{"id", i.layer.id},
                         {"kind", scene::traits(i.layer.kind).name},
                         {"group", i.family},
                         {"name", i.layer.name},
                         {"note", i.note},
                         {"own", i.own}});
        else
            std::printf("%-22s %-6s %-30s %s\n", i.layer.id.c_str(), scene::traits(i.layer.kind).name, i.family.c_str(),
                        i.layer.name.c_str());
    }
    if (json) say(j);
    return stock.problems.empty() ? done : incomplete;
}

int stock_show(const std::string& id) {
    const scene::Stock stock = whole_stock();
    const scene::StockItem* i = stock.find(id);
    if (!i)
        return fail(
            {"No such stock entry", "", id, "the stock has no entry with that id", "See 'vemtra-cli stock list'"});
    scene::Json j = scene::layer_json(i->layer);
    for (const char* key : {"on", "amount", "gate", "build_up"}) j.erase(key);
    j["group"] = i->family;
    j["note"] = i->note;
    say(j);
    return done;
}

int stock_render(const StockCall& call) {
    const scene::Stock stock = whole_stock();
    if (!call.id.empty() && !stock.find(call.id))
        return fail(
            {"No such stock entry", "", call.id, "the stock has no entry with that id", "See 'vemtra-cli stock list'"});
    scene::Scene lit;
    const scene::Rig* rig = nullptr;
    std::error_code gone;
    fs::path folder = fs::current_path(gone);
    if (!call.project.empty()) {
        auto loaded = scene::load(call.project);
        if (!loaded) return fail(loaded.error());
        lit = std::move(loaded->scene);
        folder = absolute_path(call.project).parent_path();
        rig = call.rig.empty() ? scene::active_rig(lit) : scene::find(lit.rigs, call.rig);
        if (!rig)
            return fail({"No such rig", call.project, call.rig, "the project has no rig with that id",
                         "See 'vemtra-cli info'"});
    }
    std::error_code ec;
    if (call.id.empty()) fs::create_directories(call.output, ec);
    render::Workshop workshop(64);
    for (const scene::StockItem& item : stock.items) {
        if (!call.id.empty() && item.layer.id != call.id) continue;
        auto made = review::swatch_picture(item, rig, folder, {call.size, call.samples}, workshop);
        if (!made) return fail(made.error());
        auto bytes = read_file(*made);
        if (!bytes) return fail(bytes.error());
        const fs::path to = call.id.empty() ? fs::path(call.output) / (item.layer.id + ".png") : fs::path(call.output);
        if (Status s = write_file_atomically(to, *bytes); !s) return fail(s.error());
    }
    return done;
}

}  // namespace

void add_stock(CLI::App& app, Options& all) {
    auto* stock = app.add_subcommand("stock", "The ready surfaces");
    stock->require_subcommand(1);
    auto k = std::make_shared<StockCall>();
    auto* list = stock->add_subcommand("list", "Every entry: id, kind, group, name");
    list->add_flag("--json", k->json, "As JSON");
    list->final_callback([k, &all] { all.exit = stock_list(k->json); });
    auto* show = stock->add_subcommand("show", "One entry as JSON");
    show->add_option("id", k->id, "Entry")->required();
    show->final_callback([k, &all] { all.exit = stock_show(k->id); });
    auto* swatch = stock->add_subcommand("render", "Swatches as PNG");
    swatch->add_option("id", k->id, "Entry; with --all: every one");
    swatch->add_flag("--all", k->every, "Every entry, one file each");
    swatch->add_option("-o,--output", k->output, "File, or with --all a folder")->required();
    swatch->add_option("--rig-of", k->project, "Project whose rig lights them");
    swatch->add_option("--rig", k->rig, "Rig of that project");
    swatch->add_option("--size", k->size, "Pixels, square")->check(CLI::Range(16, 4096));
    swatch->add_option("--samples", k->samples, "Samples per pixel")->check(CLI::Range(1, 1 << 20));
    swatch->final_callback([k, &all] {
        all.exit = k->every == !k->id.empty() ? wrong_call("stock render takes an id, or --all") : stock_render(*k);
    });
}

}  // namespace vemtra::cli
