#include "app/bench/files.h"

#include "app/workbench.h"
#include "exchange/collect.h"
#include "exchange/standard/document.h"
#include "render/asset_into.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "texture/paint_files.h"

namespace vemtra::app {

fs::path Files::folder() const {
    std::error_code gone;  // the folder that Vemtra was started in may be no more
    return file_ ? absolute_path(*file_).parent_path() : fs::current_path(gone);
}

void Files::reset(scene::Scene s, std::optional<fs::path> file) {
    bench_.painter().put_down();  // what the hand still holds belongs to the old one
    autosaver_.begin(s);
    file_ = std::move(file);
    bench_.workshop().turn_to(s, Paths(folder(), s.search_folders, blocked_));
    bench_.begin(std::move(s));
}

fs::path Files::project_path() const {
    return file_ ? *file_ : folder() / "untitled.vemtra";
}

void Files::start_new() {
    scene::Scene s;
    s.rigs.push_back(scene::default_rig());
    s.rig = s.rigs[0].id;
    load_problems_.clear();
    blocked_.reset();
    reset(std::move(s), std::nullopt);
}

bool Files::open(const fs::path& file) {
    auto loaded = scene::load(file);
    if (!loaded) return Q_EMIT bench_.failed(loaded.error()), false;
    load_problems_ = loaded->problems;
    blocked_ = OwnProjects().holds(file) ? nullptr
                                         : exchange::paths_that_leave(loaded->scene, absolute_path(file).parent_path());
    const fs::path own_folder = absolute_path(file).parent_path();
    texture::load_paintings(loaded->scene, Paths(own_folder, loaded->scene.search_folders, blocked_), load_problems_);
    reset(std::move(loaded->scene), absolute_path(file));
    document_.mark_saved();
    return true;
}

bool Files::save(const fs::path& file) {
    bench_.painter().finish();
    const fs::path target = absolute_path(file);
    const fs::path old_folder = folder();
    scene::Scene moved = bench_.scene();
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
    if (!gone) return Q_EMIT bench_.failed(gone.error()), false;
    if (Status s = scene::save(moved, target); !s) return Q_EMIT bench_.failed(s.error()), false;
    if (!same_place)
        bench_.edit("Paths follow the project",
                    [&](scene::Scene& s) { s = std::move(moved); });  // no step where none moved
    else
        document_.amend(std::move(moved));  // the names of paintings' files alone
    discard_autosave();
    file_ = target;
    discard_autosave();
    autosaver_.begin(bench_.scene());
    for (const fs::path& old : *gone) {
        std::error_code ec;
        fs::remove(old, ec);
    }
    if (!blocked_)
        if (Status s = OwnProjects().add(target); !s) Q_EMIT bench_.failed(s.error());
    document_.mark_saved();
    bench_.showing().refresh();
    Q_EMIT bench_.changed();
    Q_EMIT bench_.said("Saved " + QString::fromStdString(target.filename().string()));
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
void Files::save_aside(std::function<void(bool)> then) {
    bench_.painter().finish();
    constexpr size_t at_once = 400;  // tiles: some hundredths of a second
    if (!file_) return then(false);
    if (unsaved_tiles(bench_.scene(), document_.saved().get()) < at_once) return then(save(*file_));
    if (bench_.jobs().busy()) {
        Q_EMIT bench_.said("Not saved: " + bench_.jobs().text() + " goes on; stop it, or save again when it is done");
        return then(false);
    }
    const fs::path target = absolute_path(*file_);
    bench_.jobs().start("Saving what is painted",
                        [this, target, now = bench_.snapshot(), saved = document_.saved(), paths = paths(),
                         then](Progress& progress) -> Jobs::Finish {
                            auto moved = std::make_shared<scene::Scene>(*now);
                            auto gone = std::make_shared<Result<std::vector<fs::path>>>(
                                texture::save_paintings(*moved, target, paths, saved.get(), &progress));
                            return [this, moved, gone, now, target, then] {
                                if (!*gone) return Q_EMIT bench_.failed(gone->error()), then(false);
                                if (!file_ || absolute_path(*file_) != target)
                                    return then(false);  // another project is open
                                if (Status s = scene::save(*moved, target); !s)
                                    return Q_EMIT bench_.failed(s.error()), then(false);
                                const bool went_on = bench_.snapshot() != now;
                                const auto as_saved = std::make_shared<const scene::Scene>(std::move(*moved));
                                scene::Scene next = went_on ? bench_.scene() : *as_saved;
                                for (scene::Painting& p : next.paintings)
                                    if (const scene::Painting* s = scene::find(as_saved->paintings, p.id))
                                        p.file = s->file;
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
                                    if (Status s = OwnProjects().add(target); !s) Q_EMIT bench_.failed(s.error());
                                bench_.showing().refresh();
                                Q_EMIT bench_.changed();
                                Q_EMIT bench_.said("Saved " + QString::fromStdString(target.filename().string()));
                                then(true);
                            };
                        });
}

void Files::keep_unsaved() {
    autosaver_.keep(document_.now(), scene::autosave_path(file_));
}
void Files::autosave_now() {
    if (!document_.unsaved()) return;
    keep_unsaved();
    autosaver_.finish();
    if (const auto problem = autosaver_.problem()) Q_EMIT bench_.failed(*problem);
}
void Files::discard_autosave() {
    autosaver_.discard();
    std::error_code ec;
    fs::remove(scene::autosave_path(file_), ec);
    fs::remove(scene::journal_path(scene::autosave_path(file_)), ec);
}
bool Files::recover() {
    auto loaded = scene::load(scene::autosave_path(file_));
    if (!loaded) return Q_EMIT bench_.failed(loaded.error()), false;
    const int painted = scene::take_paint_state(loaded->scene);
    texture::load_paintings(loaded->scene, paths(), load_problems_, &bench_.scene());
    if (!scene::PaintJournal::replay(scene::journal_path(scene::autosave_path(file_)), painted, loaded->scene))
        Q_EMIT bench_.failed({"Not all that was painted could be recovered", scene::autosave_path(file_).string(), "",
                              "its journal is missing or damaged", "Look at the last strokes, and paint them again"});
    bench_.edit("Recover unsaved work", [&](scene::Scene& s) { s = loaded->scene; });
    if (!bench_.scene().parts.empty()) bench_.select_part(bench_.scene().parts.front().id);
    return true;
}

void Files::import_asset(const fs::path& file) {
    const fs::path path = absolute_path(file);
    bench_.jobs().start("Reading " + QString::fromStdString(path.filename().string()),
                        [this, path](Progress& progress) -> Jobs::Finish {
                            scene::Asset asset;
                            asset.file = path.string();
                            const auto state = bench_.workshop().asset(asset, Paths(), &progress);
                            const bool was_stopped = stopped(&progress);
                            return [this, path, state, was_stopped] { imported(path, *state, was_stopped); };
                        });
}

void Files::imported(const fs::path& path, const render::AssetState& state, bool was_stopped) {
    if (was_stopped) {
        Q_EMIT bench_.said("Import stopped");
        return;
    }
    if (!state.imported) {
        Q_EMIT bench_.failed(state.problem);
        return;
    }
    bench_.edit("Import " + path.filename().string(), [&](scene::Scene& s) {
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
    if (!bench_.scene().parts.empty()) bench_.select_part(bench_.scene().parts.back().id);
    Q_EMIT bench_.said(QString("%1: %2 parts, %3 triangles%4")
                           .arg(QString::fromStdString(path.filename().string()))
                           .arg(state.imported->parts.size())
                           .arg(state.imported->triangles())
                           .arg(state.imported->warnings.empty() ? "" : "; some were left out, see the findings"));
}

void Files::replace_asset(const std::string& id, const fs::path& file) {
    const scene::Asset* now = scene::find(bench_.scene().assets, id);
    if (!now) return;
    const fs::path path = absolute_path(file);
    bench_.jobs().start(
        "Reading " + QString::fromStdString(path.filename().string()),
        [this, path, asset = *now](Progress& progress) mutable -> Jobs::Finish {
            asset.file = path.string();
            const auto state = bench_.workshop().asset(asset, Paths(), &progress);
            const bool was_stopped = stopped(&progress);
            return [this, path, state, was_stopped, id = asset.id] {
                if (was_stopped) {
                    Q_EMIT bench_.said("Import stopped");
                    return;
                }
                if (!state->imported) {
                    Q_EMIT bench_.failed(state->problem);
                    return;
                }
                bench_.painter().keep_form();
                render::Replaced done;
                const std::string name = file_ ? path_from(folder(), path) : path.string();
                bench_.edit("Replace the file of " + id,
                            [&](scene::Scene& s) { done = render::replace_asset(s, id, name, *state->imported); });
                Q_EMIT bench_.said(QString("%1 parts stay, %2 are new, %3 are gone%4")
                                       .arg(done.kept)
                                       .arg(done.added)
                                       .arg(done.gone)
                                       .arg(bench_.scene().paintings.empty()
                                                ? ""
                                                : "; paint stays at its UVs, the brush's detail lays it on by place"));
            };
        });
}

void Files::collect_into(const fs::path& project) {
    bench_.jobs().start(
        "Collecting into " + QString::fromStdString(project.parent_path().filename().string()),
        [this, project, scene = bench_.scene(), from = paths()](Progress& progress) -> std::function<void()> {
            auto done =
                std::make_shared<Result<exchange::Collected>>(exchange::collect(scene, from, project, &progress));
            return [this, done, project] {
                if (!*done) {
                    Q_EMIT bench_.failed(done->error());
                    return;
                }
                for (const Error& e : (*done)->problems) Q_EMIT bench_.failed(e);
                OwnProjects().add(project);
                Q_EMIT bench_.said(QString("Collected %1 files, %2 MB, in %3")
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

void Files::hand_over(const fs::path& document) {
    bench_.painter().finish();
    bench_.jobs().start(
        "Handing over",
        [this, document, now = bench_.snapshot(), project = project_path()](Progress& progress) -> Jobs::Finish {
            const auto problems = std::make_shared<Result<std::vector<Error>>>(
                exchange::write_standard_file(*now, project, document, &progress));
            return [this, document, problems] {
                if (!*problems) return Q_EMIT bench_.failed(problems->error());
                if (!(*problems)->empty()) Q_EMIT bench_.failed(together(**problems, document.string()));
                Q_EMIT bench_.said("Handed over in " + QString::fromStdString(document.string()));
            };
        });
}

void Files::take_in(const fs::path& document) {
    auto read = exchange::read_standard_document(document);
    if (!read) {
        Q_EMIT bench_.failed(read.error());
        return;
    }
    const std::vector<Error> problems = read->problems;
    const size_t networks = read->networks.size();
    std::vector<std::string> ids;
    bench_.edit("Take materials in", [&](scene::Scene& s) {
        ids = exchange::take_in(std::move(*read), s, absolute_path(document), project_path());
        if (scene::Part* p = scene::find(s.parts, bench_.selection().part); p && !ids.empty())
            p->build_up = ids.front();
    });
    if (!problems.empty()) Q_EMIT bench_.failed(together(problems, document.string()));
    Q_EMIT bench_.said(QString("Took in %1 materials and %2 networks").arg(ids.size()).arg(networks));
}

void Files::find_missing_in(const fs::path& folder) {
    bench_.jobs().start(
        "Looking for missing files",
        [this, folder, scene = bench_.scene(), from = paths()](Progress&) -> std::function<void()> {
            auto found = std::make_shared<std::vector<exchange::Found>>(
                exchange::find_missing(scene, from, {folder}, bench_.workshop().textures()->maps()));
            return [this, found, folder] {
                if (found->empty()) {
                    Q_EMIT bench_.failed({"No missing file was found", folder.string(), "",
                                          "neither by name nor by content",
                                          "Choose another folder; what is missing is listed on the page Files"});
                    return;
                }
                bench_.edit("Find missing files", [&](scene::Scene& s) { exchange::use_found(s, *found); });
                Q_EMIT bench_.said(QString("%1 of the missing files were found").arg(found->size()));
            };
        });
}

Paths Files::paths() const {
    return Paths(folder(), bench_.scene().search_folders, blocked_);
}

void Files::allow_outside() {
    if (!blocked_) return;
    blocked_.reset();
    if (file_)
        if (Status s = OwnProjects().add(*file_); !s) Q_EMIT bench_.failed(s.error());
    bench_.showing().refresh();
    Q_EMIT bench_.changed();
}

void Files::write_picture(const fs::path& file) {
    const scene::Snapshot scene = bench_.snapshot();
    render::PrepareOptions options;
    options.folder = folder();
    options.blocked = blocked_;
    options.shown_build_up = bench_.showing().live().shown_build_up;
    options.shown_node = bench_.showing().live().shown_node;
    options.maps_now = true;
    render::PictureSettings settings = render::picture_settings(*scene);
    settings.view = bench_.showing().live().view;
    const std::string project = file_ ? file_->filename().string() : "untitled";
    bench_.jobs().start(
        "Rendering " + QString::fromStdString(file.filename().string()),
        [this, scene, options, settings, file, project](Progress& progress) mutable -> std::function<void()> {
            options.progress = &progress;
            const auto begin = std::chrono::steady_clock::now();
            const auto prepared = render::prepare(scene, bench_.workshop(), options);
            if (!prepared) return [this] { Q_EMIT bench_.said("Rendering stopped"); };
            auto film = render::render_picture(*prepared, settings, &progress);
            if (!film) return [this] { Q_EMIT bench_.said("Rendering stopped"); };
            const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
            const Status status = render::write_picture(*prepared, *film, settings, {project, seconds}, file);
            std::optional<float> noise;
            if (film->smoothing) noise = film->smoothing->error_after;
            return [this, status, file, seconds, noise] {
                if (!status)
                    Q_EMIT bench_.failed(status.error());
                else
                    Q_EMIT bench_.said(
                        QString("Wrote %1 in %2 s").arg(QString::fromStdString(file.string())).arg(seconds, 0, 'f', 1) +
                        (noise ? QString(", smoothed to an error of about %1 %").arg(double(*noise) * 100, 0, 'f', 2)
                               : QString()));
            };
        });
}

}  // namespace vemtra::app
