// What all commands share: exit codes, how they speak, where a project's paths start, a bar for long work.
#pragma once
#include <CLI/CLI.hpp>
#include <atomic>
#include <nlohmann/json.hpp>
#include <string>
#include <thread>
#include <vector>

#include "base/paths.h"
#include "base/progress.h"
#include "render/prepared.h"
#include "scene/project_file.h"
#include "scene/scene.h"

namespace vemtra::cli {

using nlohmann::ordered_json;

enum Exit : int {
    done = 0,    ///< what was asked for is there
    failed = 1,  ///< it could not be done
    usage = 2,   ///< the call was wrong
    was_stopped = 3,
    incomplete = 4  ///< done, but something did not resolve
};

/// What the command line says to all commands.
struct Options {
    bool outside = false;  ///< projects from elsewhere may read files outside of their folder
    int exit = done;       ///< what the command that ran returns
};

int fail(const Error& e);
int wrong_call(const std::string& why);
void warn(const std::vector<Error>& problems);
/// To standard output, as the answer of a command that was asked for JSON.
void say(const ordered_json& answer);
ordered_json as_json(const Error& e);
ordered_json as_json(const std::vector<Error>& errors);
/// Where the project's paths start, and which of them are not read.
void place(render::PrepareOptions& options, const Options& all, const scene::Scene& scene, const fs::path& project);
/// Reads what was painted by hand; what cannot be read is told with the project's problems.
void read_paintings(const Options& all, scene::Loaded& loaded, const fs::path& project);
BlockedPaths blocked_paths(const Options& all, const scene::Scene& scene, const fs::path& project);

/// Draws a bar on a terminal while the work goes on; silent where standard error is not one. Ctrl+C asks the work to
/// stop.
class Bar {
public:
    Bar(Progress& progress, const char* what);
    ~Bar();

private:
    Progress& progress_;
    std::atomic<bool> over_{false};
    std::thread thread_;
};

// One per command, in a file of its own; commands() in main.cpp is their register. Each adds its words to the
// application, with what runs when they are said.
void add_render(CLI::App& app, Options& all);
void add_new(CLI::App& app, Options& all);
void add_info(CLI::App& app, Options& all);
void add_values(CLI::App& app, Options& all);
void add_check(CLI::App& app, Options& all);
void add_measure(CLI::App& app, Options& all);
void add_stock(CLI::App& app, Options& all);
void add_maps(CLI::App& app, Options& all);
void add_collect(CLI::App& app, Options& all);
void add_find(CLI::App& app, Options& all);
void add_nodes(CLI::App& app, Options& all);
void add_export(CLI::App& app, Options& all);
void add_import(CLI::App& app, Options& all);

}  // namespace vemtra::cli
