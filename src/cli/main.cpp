// vemtra-cli: the core without a window.
#include <CLI/CLI.hpp>

#include "cli/commands.h"

using namespace vemtra::cli;

int main(int argc, char** argv) {
    if (!__builtin_cpu_supports("avx2")) {
        std::fprintf(stderr, "error: this processor has no AVX2, which Vemtra needs\n");
        return failed;
    }
    CLI::App app{"Vemtra without a window. Exit codes: 0 done, 1 failed, 2 wrong call, 3 stopped, 4 done with problems."};
    app.require_subcommand(1);
    app.set_version_flag("--version", VEMTRA_VERSION);

    app.add_flag("--outside", allow_outside, "Let projects that come from elsewhere read files outside of their folder");
    app.fallthrough();

    RenderCall r;
    auto* render_command = app.add_subcommand("render", "Render a project to a picture");
    render_command->add_option("project", r.project, "Project file")->required();
    render_command->add_option("-o,--output", r.output, "Picture to write, .exr or .png")->required();
    render_command->add_option("--size", r.size, "WIDTHxHEIGHT in pixels");
    render_command->add_option("--samples", r.samples, "Samples per pixel")->check(CLI::Range(1, 1 << 20));
    render_command->add_option("--view", r.view, "beauty, clay, coverage, normal, depth, uv or node");
    render_command->add_option("--node", r.node, "BUILD-UP/NODE for --view node");
    render_command->add_option("--camera", r.camera, "Camera of the project");
    render_command->add_option("--rig", r.rig, "Rig of the project");
    render_command->add_option("--region", r.region, "x0,y0,x1,y1 in pixels; the rest stays black");
    render_command->add_option("--seed", r.seed, "Seed of the noise")->check(CLI::NonNegativeNumber);
    render_command->add_option("--threads", r.threads, "Most threads to use")->check(CLI::Range(1, 1024));
    render_command->add_flag("--preview", r.preview, "Clamp bright single samples as the window does");
    render_command->add_flag("--json", r.json, "Report as JSON on standard output");

    std::vector<std::string> assets;
    std::string output, file;
    bool json = false;
    auto* new_command = app.add_subcommand("new", "Make a project from assets");
    new_command->add_option("assets", assets, "OBJ, PLY, glTF or GLB")->required();
    new_command->add_option("-o,--output", output, "Project to write")->required();
    new_command->add_flag("--json", json, "Report as JSON on standard output");

    auto* info_command = app.add_subcommand("info", "Say what is in a project, an asset or an image");
    info_command->add_option("file", file, "File")->required();
    info_command->add_flag("--json", json, "As JSON");

    ValuesCall v;
    auto* values_command = app.add_subcommand("values", "Evaluate a network over a grid of UVs");
    values_command->add_option("project", v.project, "Project file")->required();
    values_command->add_option("--node", v.node, "Node id");
    values_command->add_option("--slot", v.slot, "PART/LAYER/SLOT; the slot 'gate' is the mask");
    values_command->add_option("--part", v.part, "Part to evaluate on; else the first that has the node");
    values_command->add_option("--uv-grid", v.uv_grid, "N: points at the centres of N x N pixels of the tile");
    values_command->add_option("--tile", v.tile, "UDIM tile")->check(CLI::Range(1001, 1999));
    values_command->add_flag("--json", v.json, "As JSON");

    auto* check_command = app.add_subcommand("check", "List everything of a project that does not resolve");
    check_command->add_option("project", file, "Project file")->required();
    check_command->add_flag("--json", json, "As JSON");

    auto* measure_command = app.add_subcommand("measure", "Measure a build-up");
    measure_command->require_subcommand(1);
    AlbedoCall a;
    auto* albedo_command = measure_command->add_subcommand("albedo", "Directional albedo at a point, with its standard error");
    albedo_command->add_option("project", a.project, "Project file")->required();
    albedo_command->add_option("--part", a.part, "Part: id or name")->required();
    albedo_command->add_option("--uv", a.uv, "u,v of the point; else the middle of the part's first triangle");
    albedo_command->add_option("--cos", a.cosines, "Cosines of incidence, separated by commas");
    albedo_command->add_option("--paths", a.paths, "Paths per cosine")->check(CLI::Range(100, 100000000));
    albedo_command->add_flag("--json", a.json, "As JSON");

    auto* stock_command = app.add_subcommand("stock", "The ready surfaces");
    stock_command->require_subcommand(1);
    auto* list_command = stock_command->add_subcommand("list", "Every entry: id, kind, group, name");
    list_command->add_flag("--json", json, "As JSON");
    std::string item;
    auto* show_command = stock_command->add_subcommand("show", "One entry as JSON");
    show_command->add_option("id", item, "Entry")->required();
    StockCall k;
    bool every = false;
    auto* swatch_command = stock_command->add_subcommand("render", "Swatches as PNG");
    swatch_command->add_option("id", k.id, "Entry; with --all: every one");
    swatch_command->add_flag("--all", every, "Every entry, one file each");
    swatch_command->add_option("-o,--output", k.output, "File, or with --all a folder")->required();
    swatch_command->add_option("--rig-of", k.project, "Project whose rig lights them");
    swatch_command->add_option("--rig", k.rig, "Rig of that project");
    swatch_command->add_option("--size", k.size, "Pixels, square")->check(CLI::Range(16, 4096));
    swatch_command->add_option("--samples", k.samples, "Samples per pixel")->check(CLI::Range(1, 1 << 20));

    MapsCall m;
    auto* maps_command = app.add_subcommand("maps", "Find the texture map sets of a folder, say what they are, and write them anew");
    maps_command->add_option("paths", m.paths, "Folders, or single maps whose siblings are found");
    maps_command->add_option("--pack", m.recipe, "Recipe: a file, or the name of one that ships; without paths: lists those");
    maps_command->add_option("-o,--output", m.output, "Folder for --pack");
    maps_command->add_flag("--quick", m.quick, "By names and headers alone, without a look at the pixels");
    maps_command->add_flag("--json", m.json, "As JSON");

    auto* collect_command = app.add_subcommand("collect", "Copy a project with all that it uses into one folder");
    collect_command->add_option("project", file, "Project file")->required();
    collect_command->add_option("-o,--output", output, "Project to write; its folder gets the files")->required();
    collect_command->add_flag("--json", json, "Report as JSON on standard output");

    std::vector<std::string> folders;
    bool write = false;
    auto* find_command = app.add_subcommand("find", "Find files of a project that went missing, by name and content");
    find_command->add_option("project", file, "Project file")->required();
    find_command->add_option("folders", folders, "Folders to look in")->required();
    find_command->add_flag("--write", write, "Change the project to the files that were found");
    find_command->add_flag("--json", json, "Report as JSON on standard output");

    auto* nodes_command = app.add_subcommand("nodes", "Describe every node and slot (docs/nodes.md)");

    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        const int code = app.exit(e);
        return code == 0 ? done : usage;
    }
    if (*render_command) return render(r);
    if (*new_command) return make_new(assets, output, json);
    if (*info_command) return info(file, json);
    if (*values_command) return values(v);
    if (*albedo_command) return measure_albedo(a);
    if (*list_command) return stock_list(json);
    if (*show_command) return stock_show(item);
    if (*swatch_command) {
        if (every == !k.id.empty()) return std::fprintf(stderr, "usage: stock render takes an id, or --all\n"), usage;
        return stock_render(k);
    }
    if (*maps_command) return maps(m);
    if (*collect_command) return collect(file, output, json);
    if (*find_command) return find_files(file, folders, write, json);
    if (*nodes_command) return list_nodes();
    return check(file, json);
}
