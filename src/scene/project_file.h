// Reading and writing the project file (docs/project-format.md): versioned JSON that a person can write and a diff can
// show.
#pragma once
#include <optional>

#include "base/file.h"
#include "scene/scene.h"

namespace vemtra::scene {

inline constexpr int format_version = 1;

struct Loaded {
    Scene scene;
    std::vector<Error> problems;  ///< what could not be read as written; the defaults stand in its place
};

/// Parses a project. Fails only where nothing useful can be had: no JSON, not a project, a newer version.
Result<Loaded> parse(const std::string& text, const std::string& file_name);
std::string to_text(const Scene& scene);

/// One layer alone, as the stock keeps it.
Layer parse_layer(const Json& json, const std::string& place, const std::string& file_name,
                  std::vector<Error>& problems);
Json layer_json(const Layer& layer);
/// Networks alone, as they travel with a stock entry or over the clipboard; what is no list gives none.
std::vector<Network> parse_networks(const Json& json, const std::string& place, const std::string& file_name,
                                    std::vector<Error>& problems);
Json networks_json(const std::vector<Network>& networks);

Result<Loaded> load(const fs::path& file);
Status save(const Scene& scene, const fs::path& file);

class PaintJournal;
/// Writes an autosave: what was painted since the last saving goes to a journal beside it first.
Status save_in_progress(const Scene& scene, const fs::path& file, PaintJournal& journal);
fs::path journal_path(const fs::path& autosave);
/// The state of the journal that an autosave belongs to, taken out of what it kept; 0: none.
int take_paint_state(Scene& scene);

/// The autosave stands beside the project; an untitled one goes to the cache folder.
fs::path autosave_path(const std::optional<fs::path>& project);
/// True if an autosave is there that is newer than the project: the last session did not end in good order.
bool recovery_offered(const std::optional<fs::path>& project);

}  // namespace vemtra::scene
