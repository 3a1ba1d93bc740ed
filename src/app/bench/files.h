// The open project and its files: opening, saving, what is kept of unsaved work, assets that come in, pictures and
// documents that go out. Failures are told through Workbench::failed() and leave everything as it was.
#pragma once
#include <functional>
#include <optional>

#include "base/paths.h"
#include "render/workshop.h"
#include "scene/autosave.h"
#include "scene/document.h"

namespace vemtra::app {

class Workbench;

class Files {
public:
    /// The document is the bench's.
    Files(Workbench& bench, scene::Document& document) : bench_(bench), document_(document) {}

    const std::optional<fs::path>& file() const { return file_; }  ///< of the project; none: it is untitled
    fs::path folder() const;                                       ///< that the project's paths are relative to
    Paths paths() const;                                           ///< how they are meant
    const BlockedPaths& blocked() const { return blocked_; }
    void allow_outside();
    const std::vector<Error>& load_problems() const { return load_problems_; }

    void start_new();
    bool open(const fs::path& file);
    bool save(const fs::path& file);
    /// Saves where the project is; much paint is written in the background, and `then` told when it is done.
    void save_aside(std::function<void(bool)> then = [](bool) {});

    void keep_unsaved();  ///< the present state goes to the autosave, in the background
    void autosave_now();
    void discard_autosave();
    std::optional<Error> autosave_problem() { return autosaver_.problem(); }
    bool recover();  ///< opens the autosave of the present project

    /// Reads the asset in the background, then adds its parts to the document.
    void import_asset(const fs::path& file);
    /// Another file for an asset that is there: parts keep their build-ups and places by their names.
    void replace_asset(const std::string& asset, const fs::path& file);
    /// Looks for files that are not at their place, in this folder and below, and uses what is found.
    void find_missing_in(const fs::path& folder);
    /// Renders all samples in the background and writes the picture.
    void write_picture(const fs::path& file);
    /// Copies the project with all that it uses beside `project`; the open one stays as it is.
    void collect_into(const fs::path& project);
    /// The materials as a document of the open standard; what it cannot say is told.
    void hand_over(const fs::path& document);
    /// Build-ups and networks of such a document come into the project; the first is worn by the selected part.
    void take_in(const fs::path& document);

private:
    void reset(scene::Scene scene, std::optional<fs::path> file);
    void imported(const fs::path& path, const render::AssetState& state, bool was_stopped);
    fs::path project_path() const;  ///< where the project is, or would be

    Workbench& bench_;
    scene::Document& document_;
    std::optional<fs::path> file_;
    BlockedPaths blocked_;
    std::vector<Error> load_problems_;
    scene::Autosaver autosaver_;
};

}  // namespace vemtra::app
