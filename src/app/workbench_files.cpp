// The bench and its files: projects, autosave, assets, collecting, pictures.
#include <unistd.h>

#include <QSettings>
#include <fstream>

#include "app/workbench.h"
#include "exchange/collect.h"
#include "exchange/standard/document.h"
#include "render/asset_into.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "texture/paint_files.h"

namespace vemtra::app {

fs::path Workbench::folder() const {
    return file_ ? absolute_path(*file_).parent_path() : fs::current_path();
}

void Workbench::reset(scene::Scene s, std::optional<fs::path> file) {
    const size_t budget = document_.budget();
    if (painter_) painter_->put_down();
    autosaver_.begin(s);
    document_ = scene::Document(std::move(s));
    document_.set_budget(budget);
    file_ = std::move(file);
    arranging_ = false;
    kept_.clear();
    compared_ = -1;
    selection_ = {};
    live_.view = render::View::beauty;
    live_.shown_node.clear();
    if (!scene().parts.empty()) select_part(scene().parts.front().id);
    repair_selection();
    refresh();
    Q_EMIT changed();
    Q_EMIT selection_changed();
    Q_EMIT kept_changed();
}

void Workbench::start_new() {
    scene::Scene s;
    s.rigs.push_back(scene::default_rig());
    s.rig = s.rigs[0].id;
    load_problems_.clear();
    blocked_.reset();
    reset(std::move(s), std::nullopt);
}

bool Workbench::open(const fs::path& file) {
    auto loaded = scene::load(file);
    if (!loaded) return Q_EMIT failed(loaded.error()), false;
    load_problems_ = loaded->problems;
    blocked_ = OwnProjects().holds(file) ? nullptr
                                         : exchange::paths_that_leave(loaded->scene, absolute_path(file).parent_path());
    const fs::path own_folder = absolute_path(file).parent_path();
    texture::load_paintings(loaded->scene, Paths(own_folder, loaded->scene.search_folders, blocked_), load_problems_);
    reset(std::move(loaded->scene), absolute_path(file));
    document_.mark_saved();
    return true;
}

bool Workbench::save(const fs::path& file) {
    painter_->finish();
    const fs::path target = absolute_path(file);
    const fs::path old_folder = folder();
    scene::Scene moved = scene();
    if (target.parent_path() != old_folder || !file_) {
        // Paths are relative to the project: where it moves, they follow; what an untitled project named in full
        // becomes relative now.
        auto follow = [&](std::string& f) {
            if (!f.empty()) f = path_from(target.parent_path(), old_folder / f);  // an absolute f stays itself under /
        };
        exchange::for_each_file(moved, [&](const std::string&, std::string& path, const char*) { follow(path); });
        for (std::string& f : moved.search_folders) follow(f);
        if (blocked_) {  // they are not to be read under their new names either
            auto both = *blocked_;
            for (std::string path : *blocked_) follow(path), both.insert(path);
            blocked_ = std::make_shared<const std::set<std::string>>(std::move(both));
        }
    }
    const bool same_place = file_ && target == absolute_path(*file_);
    const auto gone =
        texture::save_paintings(moved, target, Paths(target.parent_path(), moved.search_folders, blocked_),
                                same_place ? document_.saved().get() : nullptr);
    if (!gone) return Q_EMIT failed(gone.error()), false;
    if (Status s = scene::save(moved, target); !s) return Q_EMIT failed(s.error()), false;
    if (!same_place)
        edit("Paths follow the project", [&](scene::Scene& s) { s = std::move(moved); });  // no step where none moved
    else
        document_.amend(std::move(moved));  // the names of paintings' files alone
    discard_autosave();
    file_ = target;
    discard_autosave();
    autosaver_.begin(scene());
    for (const fs::path& old : *gone) {
        std::error_code ec;
        fs::remove(old, ec);
    }
    if (!blocked_)
        if (Status s = OwnProjects().add(target); !s) Q_EMIT failed(s.error());
    document_.mark_saved();
    refresh();
    Q_EMIT changed();
    Q_EMIT said("Saved " + QString::fromStdString(target.filename().string()));
    return true;
}

namespace {
/// Tiles of paint that the disk does not have.
size_t unsaved_tiles(const scene::Scene& now, const scene::Scene* saved) {
    size_t tiles = 0;
    for (const scene::Painting& p : now.paintings) {
        const scene::Painting* old = saved ? scene::find(saved->paintings, p.id) : nullptr;
        for (const scene::Sheet& s : p.sheets) {
            const scene::Sheet* there = old ? old->sheet(s.tile) : nullptr;
            if (s.texels && !(there && *there == s)) tiles += s.texels->tiles();
        }
    }
    return tiles;
}
}  // namespace

/// Large paintings are written while the hand goes on; the project file follows when they are there. It names the state
/// that was there when saving began.
void Workbench::save_aside(std::function<void(bool)> then) {
    painter_->finish();
    constexpr size_t at_once = 400;  // tiles: some hundredths of a second
    if (!file_) return then(false);
    if (unsaved_tiles(scene(), document_.saved().get()) < at_once) return then(save(*file_));
    if (jobs_.busy()) {
        Q_EMIT said("Not saved: " + jobs_.text() + " goes on; stop it, or save again when it is done");
        return then(false);
    }
    const fs::path target = absolute_path(*file_);
    jobs_.start("Saving what is painted",
                [this, target, now = snapshot(), saved = document_.saved(), paths = paths(),
                 then](Progress& progress) -> Jobs::Finish {
                    auto moved = std::make_shared<scene::Scene>(*now);
                    auto gone = std::make_shared<Result<std::vector<fs::path>>>(
                        texture::save_paintings(*moved, target, paths, saved.get(), &progress));
                    return [this, moved, gone, now, target, then] {
                        if (!*gone) return Q_EMIT failed(gone->error()), then(false);
                        if (!file_ || absolute_path(*file_) != target) return then(false);  // another project is open
                        if (Status s = scene::save(*moved, target); !s) return Q_EMIT failed(s.error()), then(false);
                        const bool went_on = snapshot() != now;
                        const auto as_saved = std::make_shared<const scene::Scene>(std::move(*moved));
                        scene::Scene next = went_on ? scene() : *as_saved;
                        for (scene::Painting& p : next.paintings)
                            if (const scene::Painting* s = scene::find(as_saved->paintings, p.id)) p.file = s->file;
                        document_.amend(std::move(next));
                        if (went_on)
                            document_.mark_saved(as_saved);
                        else
                            document_.mark_saved();
                        if (!went_on) discard_autosave();
                        autosaver_.begin(*as_saved);
                        if (went_on) autosave_now();  // before what an older one names is gone
                        std::error_code ec;
                        for (const fs::path& old : **gone) fs::remove(old, ec);
                        if (!blocked_)
                            if (Status s = OwnProjects().add(target); !s) Q_EMIT failed(s.error());
                        refresh();
                        Q_EMIT changed();
                        Q_EMIT said("Saved " + QString::fromStdString(target.filename().string()));
                        then(true);
                    };
                });
}

void Workbench::autosave_now() {
    if (!document_.unsaved()) return;
    autosaver_.keep(document_.now(), scene::autosave_path(file_));
    autosaver_.finish();
    if (const auto problem = autosaver_.problem()) Q_EMIT failed(*problem);
}
void Workbench::discard_autosave() {
    autosaver_.discard();
    std::error_code ec;
    fs::remove(scene::autosave_path(file_), ec);
    fs::remove(scene::journal_path(scene::autosave_path(file_)), ec);
}
bool Workbench::recover() {
    auto loaded = scene::load(scene::autosave_path(file_));
    if (!loaded) return Q_EMIT failed(loaded.error()), false;
    const int painted = scene::take_paint_state(loaded->scene);
    texture::load_paintings(loaded->scene, paths(), load_problems_, &scene());
    if (!scene::PaintJournal::replay(scene::journal_path(scene::autosave_path(file_)), painted, loaded->scene))
        Q_EMIT failed({"Not all that was painted could be recovered", scene::autosave_path(file_).string(), "",
                       "its journal is missing or damaged", "Look at the last strokes, and paint them again"});
    edit("Recover unsaved work", [&](scene::Scene& s) { s = loaded->scene; });
    if (!scene().parts.empty()) select_part(scene().parts.front().id);
    return true;
}

void Workbench::import_asset(const fs::path& file) {
    const fs::path path = absolute_path(file);
    jobs_.start("Reading " + QString::fromStdString(path.filename().string()),
                [this, path](Progress& progress) -> Jobs::Finish {
                    scene::Asset asset;
                    asset.file = path.string();
                    const auto state = workshop_->asset(asset, Paths(), &progress);
                    const bool was_stopped = stopped(&progress);
                    return [this, path, state, was_stopped] { imported(path, *state, was_stopped); };
                });
}

void Workbench::imported(const fs::path& path, const render::AssetState& state, bool was_stopped) {
    if (was_stopped) {
        Q_EMIT said("Import stopped");
        return;
    }
    if (!state.imported) {
        Q_EMIT failed(state.problem);
        return;
    }
    edit("Import " + path.filename().string(), [&](scene::Scene& s) {
        const bool first = s.assets.empty();
        scene::Asset asset;
        asset.file = file_ ? path_from(folder(), path) : path.string();
        const std::string build_up =
            scene::FreshIds(scene::ids_of(s.build_ups)).take(scene::stem_of(path.stem().string()));
        s.build_ups.push_back(scene::default_build_up(build_up, path.stem().string()));
        render::asset_into(s, asset, *state.imported, build_up);
        if (!first) return;
        Box3f box;
        for (const auto& part : state.imported->parts) box.extendBy(part.bounds());
        s.cameras.clear();
        scene::fit_to(s, box);
    });
    if (!scene().parts.empty()) select_part(scene().parts.back().id);
    Q_EMIT said(QString("%1: %2 parts, %3 triangles%4")
                    .arg(QString::fromStdString(path.filename().string()))
                    .arg(state.imported->parts.size())
                    .arg(state.imported->triangles())
                    .arg(state.imported->warnings.empty() ? "" : "; some were left out, see the findings"));
}

void Workbench::replace_asset(const std::string& id, const fs::path& file) {
    const scene::Asset* now = scene::find(scene().assets, id);
    if (!now) return;
    const fs::path path = absolute_path(file);
    jobs_.start("Reading " + QString::fromStdString(path.filename().string()),
                [this, path, asset = *now](Progress& progress) mutable -> Jobs::Finish {
                    asset.file = path.string();
                    const auto state = workshop_->asset(asset, Paths(), &progress);
                    const bool was_stopped = stopped(&progress);
                    return [this, path, state, was_stopped, id = asset.id] {
                        if (was_stopped) {
                            Q_EMIT said("Import stopped");
                            return;
                        }
                        if (!state->imported) {
                            Q_EMIT failed(state->problem);
                            return;
                        }
                        painter_->keep_form();
                        render::Replaced done;
                        const std::string name = file_ ? path_from(folder(), path) : path.string();
                        edit("Replace the file of " + id,
                             [&](scene::Scene& s) { done = render::replace_asset(s, id, name, *state->imported); });
                        Q_EMIT said(QString("%1 parts stay, %2 are new, %3 are gone%4")
                                        .arg(done.kept)
                                        .arg(done.added)
                                        .arg(done.gone)
                                        .arg(scene().paintings.empty()
                                                 ? ""
                                                 : "; paint stays at its UVs, the brush's detail lays it on by place"));
                    };
                });
}

void Workbench::collect_into(const fs::path& project) {
    jobs_.start("Collecting into " + QString::fromStdString(project.parent_path().filename().string()),
                [this, project, scene = scene(), from = paths()](Progress& progress) -> std::function<void()> {
                    auto done = std::make_shared<Result<exchange::Collected>>(
                        exchange::collect(scene, from, project, &progress));
                    return [this, done, project] {
                        if (!*done) {
                            Q_EMIT failed(done->error());
                            return;
                        }
                        for (const Error& e : (*done)->problems) Q_EMIT failed(e);
                        OwnProjects().add(project);
                        Q_EMIT said(QString("Collected %1 files, %2 MB, in %3")
                                        .arg((*done)->files)
                                        .arg(double((*done)->bytes) / 1048576., 0, 'f', 1)
                                        .arg(QString::fromStdString(project.parent_path().string())));
                    };
                });
}

namespace {
/// Many small troubles as one: the first in full, and how many more.
Error together(const std::vector<Error>& problems, const std::string& file) {
    Error e = problems.front();
    if (e.file.empty()) e.file = file;
    if (problems.size() > 1) e.remedy += ". " + std::to_string(problems.size() - 1) + " more like this";
    return e;
}
}  // namespace

void Workbench::hand_over(const fs::path& document) {
    const auto problems =
        exchange::write_standard_file(scene(), file_ ? *file_ : folder() / "untitled.vemtra", document);
    if (!problems) {
        Q_EMIT failed(problems.error());
        return;
    }
    if (!problems->empty()) Q_EMIT failed(together(*problems, document.string()));
    Q_EMIT said("Handed over in " + QString::fromStdString(document.string()));
}

void Workbench::take_in(const fs::path& document) {
    auto read = exchange::read_standard_document(document);
    if (!read) {
        Q_EMIT failed(read.error());
        return;
    }
    const std::vector<Error> problems = read->problems;
    const size_t networks = read->networks.size();
    std::vector<std::string> ids;
    edit("Take materials in", [&](scene::Scene& s) {
        ids = exchange::take_in(std::move(*read), s, absolute_path(document),
                                file_ ? *file_ : folder() / "untitled.vemtra");
        if (scene::Part* p = scene::find(s.parts, selection_.part); p && !ids.empty()) p->build_up = ids.front();
    });
    if (!problems.empty()) Q_EMIT failed(together(problems, document.string()));
    Q_EMIT said(QString("Took in %1 materials and %2 networks").arg(ids.size()).arg(networks));
}

void Workbench::find_missing_in(const fs::path& folder) {
    jobs_.start(
        "Looking for missing files",
        [this, folder, scene = scene(), from = paths()](Progress&) -> std::function<void()> {
            auto found = std::make_shared<std::vector<exchange::Found>>(
                exchange::find_missing(scene, from, {folder}, workshop_->textures()->maps()));
            return [this, found, folder] {
                if (found->empty()) {
                    Q_EMIT failed({"No missing file was found", folder.string(), "", "neither by name nor by content",
                                   "Choose another folder; what is missing is listed on the page Files"});
                    return;
                }
                edit("Find missing files", [&](scene::Scene& s) { exchange::use_found(s, *found); });
                Q_EMIT said(QString("%1 of the missing files were found").arg(found->size()));
            };
        });
}

Paths Workbench::paths() const {
    return Paths(folder(), scene().search_folders, blocked_);
}

void Workbench::allow_outside() {
    if (!blocked_) return;
    blocked_.reset();
    if (file_)
        if (Status s = OwnProjects().add(*file_); !s) Q_EMIT failed(s.error());
    refresh();
    Q_EMIT changed();
}

void Workbench::write_picture(const fs::path& file) {
    const scene::Snapshot scene = snapshot();
    render::PrepareOptions options;
    options.folder = folder();
    options.blocked = blocked_;
    options.shown_build_up = live_.shown_build_up;
    options.shown_node = live_.shown_node;
    options.maps_now = true;
    render::PictureSettings settings = render::picture_settings(*scene);
    settings.view = live_.view;
    const std::string project = file_ ? file_->filename().string() : "untitled";
    jobs_.start(
        "Rendering " + QString::fromStdString(file.filename().string()),
        [this, scene, options, settings, file, project](Progress& progress) mutable -> std::function<void()> {
            options.progress = &progress;
            const auto begin = std::chrono::steady_clock::now();
            const auto prepared = render::prepare(scene, *workshop_, options);
            if (!prepared) return [this] { Q_EMIT said("Rendering stopped"); };
            auto film = render::render_picture(*prepared, settings, &progress);
            if (!film) return [this] { Q_EMIT said("Rendering stopped"); };
            const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
            const Status status = render::write_picture(*prepared, *film, settings, {project, seconds}, file);
            return [this, status, file, seconds] {
                if (!status)
                    Q_EMIT failed(status.error());
                else
                    Q_EMIT said(
                        QString("Wrote %1 in %2 s").arg(QString::fromStdString(file.string())).arg(seconds, 0, 'f', 1));
            };
        });
}

}  // namespace vemtra::app
