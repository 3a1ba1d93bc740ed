// From the paths that a project names to files on this machine.
#pragma once
#include <memory>
#include <set>

#include "base/file.h"

namespace vemtra {

/// The files that a name with <UDIM> or <UVTILE> stands for, by tile number (1001 + u + 10 v), in order; a name without
/// them stands for itself (tile 0), whether it exists or not.
std::vector<std::pair<int, fs::path>> tile_files(const fs::path& pattern);

/// True where something stands at the path: a file, or for a name with <UDIM> at least one tile.
bool something_at(const fs::path& pattern);

/// Whether a path stays in a folder, also by way of links and "..". Neither needs to exist.
bool lies_in(const fs::path& folder, const fs::path& path);

/// Paths of a project that came from elsewhere which lead out of its folder: they are not read (docs/decisions/0016).
/// Null: all are.
using BlockedPaths = std::shared_ptr<const std::set<std::string>>;

/// What the Error of such a path says.
inline constexpr const char* not_read_outside = "A file outside of the project's folder was not read";

/// How a project's paths are meant: relative to its folder; what is not there is looked for by its name in the search
/// folders.
struct Paths {
    fs::path folder;
    std::vector<fs::path> search;
    BlockedPaths blocked;

    Paths() = default;
    Paths(fs::path project_folder) : folder(std::move(project_folder)) {}
    Paths(fs::path project_folder, const std::vector<std::string>& search_folders, BlockedPaths blocked_paths);

    /// The file that is meant, which may not exist; an Error where the project may not read it.
    Result<fs::path> find(const std::string& file) const;
    /// Whether the path, or some tile that it stands for, leads out of the folder.
    bool leaves(const std::string& file) const;
};

/// The projects that the artist saved or allowed: only they may name files outside of their folder.
class OwnProjects {
public:
    explicit OwnProjects(fs::path file = data_folder() / "own-projects.json");
    bool holds(const fs::path& project) const;
    Status add(const fs::path& project);

private:
    fs::path file_;
};

}  // namespace vemtra
