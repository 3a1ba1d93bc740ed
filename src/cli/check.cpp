#include <cstdio>

#include "cli/support.h"
#include "review/finding.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

int run(const Options& all, const std::string& project, bool json) {
    auto loaded = scene::load(project);
    if (!loaded) {
        if (json) say(ordered_json{{"project", project}, {"problems", {as_json(loaded.error())}}});
        return fail(loaded.error());
    }
    read_paintings(all, *loaded, project);
    render::Workshop workshop;
    render::PrepareOptions options;
    place(options, all, loaded->scene, project);
    options.field_rays = 1;  // whether a field can be computed, not its value
    auto prepared = render::prepare(std::make_shared<const scene::Scene>(loaded->scene), workshop, options);
    std::vector<Error> problems = loaded->problems;
    std::vector<Error> hints;
    review::Remembered remembered;
    const Paths paths(options.folder, loaded->scene.search_folders, options.blocked);
    for (const review::Finding& f : review::findings(*prepared, *workshop.textures(), paths, remembered))
        (f.grade == review::Grade::problem ? problems : hints).push_back(f.error);
    if (json) {
        say(ordered_json{{"project", project}, {"problems", as_json(problems)}, {"hints", as_json(hints)}});
    } else {
        warn(problems);
        for (const Error& e : hints) std::fprintf(stderr, "hint: %s\n", e.line().c_str());
        std::printf("%s: %zu %s\n", project.c_str(), problems.size(), problems.size() == 1 ? "problem" : "problems");
    }
    return problems.empty() ? done : incomplete;
}

}  // namespace

void add_check(CLI::App& app, Options& all) {
    auto project = std::make_shared<std::string>();
    auto json = std::make_shared<bool>(false);
    auto* c =
        app.add_subcommand("check", "List everything of a project that does not resolve, and what is odd about it");
    c->add_option("project", *project, "Project file")->required();
    c->add_flag("--json", *json, "As JSON");
    c->final_callback([project, json, &all] { all.exit = run(all, *project, *json); });
}

}  // namespace vemtra::cli
