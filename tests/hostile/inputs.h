// The hostile inputs: each makes its files in an empty folder and says which calls must be answered.
#pragma once
#include <functional>

#include "hostile/run_cli.h"
#include "scene/scene.h"

namespace vemtra::hostile {

struct Call {
    std::vector<std::string> arguments;
    std::vector<std::string> environment{};
};

struct HostileInput {
    std::string name;
    std::function<std::vector<Call>(const fs::path& folder)> make;
};

/// One list per kind of file; each stands in a file of its own.
std::vector<HostileInput> hostile_projects();
std::vector<HostileInput> hostile_assets();
std::vector<HostileInput> hostile_pictures();
std::vector<HostileInput> hostile_paths();
std::vector<HostileInput> hostile_documents();
std::vector<HostileInput> hostile_forms();

/// `check`, `info` and `render` on a project.
std::vector<Call> project_calls(const fs::path& project);
/// `info` and `new` on an asset, and all of project_calls on a project that names it.
std::vector<Call> asset_calls(const fs::path& asset);
/// A square with UVs in the folder, and a project with it.
scene::Scene square_project(const fs::path& folder);
fs::path save_in(const fs::path& folder, const scene::Scene& scene);
fs::path save_in(const fs::path& folder, const scene::Json& project);
scene::Json as_json(const scene::Scene& scene);
void write_bytes(const fs::path& file, const std::string& bytes);

}  // namespace vemtra::hostile
