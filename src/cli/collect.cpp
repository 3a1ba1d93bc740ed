#include <cstdio>

#include "cli/support.h"
#include "exchange/collect.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

int run_collect(const Options& all, const std::string& project, const std::string& output, bool json) {
    auto loaded = scene::load(project);
    if (!loaded) return fail(loaded.error());
    read_paintings(all, *loaded, project);
    if (fs::path(output).extension() != ".vemtra") return wrong_call("-o takes a file that ends in .vemtra");
    std::error_code ec;
    if (fs::equivalent(project, output, ec)) return wrong_call("the project cannot be collected onto itself");
    fs::create_directories(absolute_path(output).parent_path(), ec);
    const auto c = exchange::collect(loaded->scene,
                                     Paths(absolute_path(project).parent_path(), loaded->scene.search_folders,
                                           blocked_paths(all, loaded->scene, project)),
                                     output);
    if (!c) return fail(c.error());
    OwnProjects().add(output);
    warn(c->problems);
    if (json) {
        ordered_json j{
            {"project", output}, {"files", c->files}, {"bytes", c->bytes}, {"problems", as_json(c->problems)}};
        say(j);
    } else {
        std::printf("%s: %zu files, %.1f MB\n", output.c_str(), c->files, double(c->bytes) / (1 << 20));
    }
    return c->problems.empty() ? done : incomplete;
}

int run_find(const Options& all, const std::string& project, const std::vector<std::string>& folders, bool write,
             bool json) {
    auto loaded = scene::load(project);
    if (!loaded) return fail(loaded.error());
    const texture::MapCache cache(cache_folder("maps"));
    const fs::path folder = absolute_path(project).parent_path();
    const auto found = exchange::find_missing(loaded->scene, Paths(folder, loaded->scene.search_folders, nullptr),
                                              {folders.begin(), folders.end()}, cache);
    ordered_json j{{"found", ordered_json::array()}};
    for (const auto& f : found) {
        if (!json)
            std::printf("%s: %s -> %s%s\n", f.place.c_str(), f.from.c_str(), f.to.c_str(),
                        f.by_content ? " (by content)" : "");
        j["found"].push_back({{"place", f.place}, {"from", f.from}, {"to", f.to}, {"by_content", f.by_content}});
    }
    if (json)
        say(j);
    else if (found.empty())
        std::printf("nothing was found\n");
    if (write && !found.empty()) {
        const bool was_inside = !blocked_paths(
            all, loaded->scene, project);  // nothing but what the user just chose leads out of the folder then
        exchange::use_found(loaded->scene, found);
        if (was_inside) OwnProjects().add(project);
        if (Status s = scene::save(loaded->scene, project); !s) return fail(s.error());
    }
    return done;
}

struct FilesCall {
    std::string project, output;
    std::vector<std::string> folders;
    bool write = false, json = false;
};

}  // namespace

void add_collect(CLI::App& app, Options& all) {
    auto f = std::make_shared<FilesCall>();
    auto* c = app.add_subcommand("collect", "Copy a project with all that it uses into one folder");
    c->add_option("project", f->project, "Project file")->required();
    c->add_option("-o,--output", f->output, "Project to write; its folder gets the files")->required();
    c->add_flag("--json", f->json, "Report as JSON on standard output");
    c->final_callback([f, &all] { all.exit = run_collect(all, f->project, f->output, f->json); });
}

void add_find(CLI::App& app, Options& all) {
    auto f = std::make_shared<FilesCall>();
    auto* c = app.add_subcommand("find", "Find files of a project that went missing, by name and content");
    c->add_option("project", f->project, "Project file")->required();
    c->add_option("folders", f->folders, "Folders to look in")->required();
    c->add_flag("--write", f->write, "Change the project to the files that were found");
    c->add_flag("--json", f->json, "Report as JSON on standard output");
    c->final_callback([f, &all] { all.exit = run_find(all, f->project, f->folders, f->write, f->json); });
}

}  // namespace vemtra::cli
