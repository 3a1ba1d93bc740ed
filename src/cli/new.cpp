#include <cstdio>

#include "cli/support.h"
#include "geometry/import.h"
#include "render/asset_into.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

int run(const std::vector<std::string>& assets, const std::string& output, bool json) {
    scene::Scene scene;
    const fs::path folder = absolute_path(output).parent_path();
    scene.name = fs::path(output).stem().string();
    scene.build_ups.push_back(scene::default_build_up("material", "Material"));
    scene.rigs.push_back(scene::default_rig());
    scene.rig = "bench";
    Box3f box;
    std::vector<Error> problems;
    for (const std::string& file : assets) {
        scene::Asset asset;
        asset.file = path_from(folder, absolute_path(file));
        Progress progress;
        Bar bar(progress, "importing");
        auto imported = geometry::import(file, {}, &progress);
        if (!imported) return stopped(&progress) ? int(was_stopped) : fail(imported.error());
        problems.insert(problems.end(), imported->warnings.begin(), imported->warnings.end());
        render::asset_into(scene, asset, *imported, "material");
        for (const auto& part : imported->parts) box.extendBy(part.bounds());
    }
    scene::fit_to(scene, box);
    if (Status s = scene::save(scene, output); !s) return fail(s.error());
    if (Status s = OwnProjects().add(output); !s) warn({s.error()});
    warn(problems);
    if (json) say(ordered_json{{"project", output}, {"parts", scene.parts.size()}});
    return problems.empty() ? done : incomplete;
}

struct NewCall {
    std::vector<std::string> assets;
    std::string output;
    bool json = false;
};

}  // namespace

void add_new(CLI::App& app, Options& all) {
    auto n = std::make_shared<NewCall>();
    auto* c = app.add_subcommand("new", "Make a project from assets");
    c->add_option("assets", n->assets, geometry::format_names())->required();
    c->add_option("-o,--output", n->output, "Project to write")->required();
    c->add_flag("--json", n->json, "Report as JSON on standard output");
    c->final_callback([n, &all] { all.exit = run(n->assets, n->output, n->json); });
}

}  // namespace vemtra::cli
