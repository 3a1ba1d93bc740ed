#include "app/workbench.h"

#include <unistd.h>

#include <QSettings>
#include <fstream>

#include "exchange/collect.h"
#include "render/asset_into.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::app {

Workbench::Workbench(QObject* parent)
    : QObject(parent), workshop_(std::make_shared<render::Workshop>()), session_(workshop_), measuring_(session_, *workshop_) {
    session_.on_post([this] { QMetaObject::invokeMethod(this, [this] { posted(); }, Qt::QueuedConnection); });
    connect(&measuring_, &Measuring::changed, this, &Workbench::measured_changed);
    connect(&jobs_, &Jobs::changed, this, &Workbench::activity_changed);
    connect(&jobs_, &Jobs::refused, this, [this](const QString& text) { Q_EMIT said("Still busy: " + text); });
    {
        const QSettings settings("Vemtra", "Vemtra");
        if (const int mb = settings.value("texel-megabytes", 0).toInt(); mb >= 64) workshop_->textures()->texels().set_budget(size_t(mb) << 20);
        if (const int gb = settings.value("prepared-gigabytes", 0).toInt(); gb >= 1) workshop_->textures()->maps().set_limit(uint64_t(gb) << 30);
        if (const int mb = settings.value("undo-megabytes", 0).toInt(); mb >= 8) document_.set_budget(size_t(mb) << 20);
    }
    stock_ = scene::load_stock(shipped_assets() / "stock", scene::own_stock_file());
    start_new();
}

Workbench::~Workbench() { session_.on_post({}); }

void Workbench::edit(const std::string& label, const std::function<void(scene::Scene&)>& change, const std::string& merge_key) {
    const auto before = document_.now();
    document_.edit(label, change, merge_key);
    if (document_.now() != before) unsaved_changed();
}

/// The document is another one now: what stands on it follows.
void Workbench::unsaved_changed() {
    if (document_.unsaved()) autosaver_.keep(document_.now(), scene::autosave_path(file_));
    else discard_autosave();
    repair_selection();
    refresh();
    Q_EMIT changed();
}

void Workbench::edit_build_up(const std::string& label, const std::function<void(scene::BuildUp&)>& change, const std::string& merge_key) {
    const std::string id = selection_.build_up;
    edit(label, [&](scene::Scene& s) {
        if (auto* b = scene::find(s.build_ups, id)) change(*b);
    }, merge_key);
}

void Workbench::undo() {
    if (!document_.can_undo()) return;
    Q_EMIT said("Undone: " + QString::fromStdString(document_.undo_label()));
    document_.undo();
    unsaved_changed();
}
void Workbench::redo() {
    if (!document_.can_redo()) return;
    Q_EMIT said("Done again: " + QString::fromStdString(document_.redo_label()));
    document_.redo();
    unsaved_changed();
}

fs::path Workbench::folder() const { return file_ ? fs::absolute(*file_).parent_path() : fs::current_path(); }

void Workbench::reset(scene::Scene s, std::optional<fs::path> file) {
    const size_t budget = document_.budget();
    autosaver_.cancel();
    document_ = scene::Document(std::move(s));
    document_.set_budget(budget);
    file_ = std::move(file);
    arranging_ = false;
    kept.clear();
    compared = -1;
    selection_ = {};
    live.view = render::View::beauty;
    live.shown_node.clear();
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
    blocked_ = OwnProjects().holds(file) ? nullptr : exchange::paths_that_leave(loaded->scene, fs::absolute(file).parent_path());
    reset(std::move(loaded->scene), fs::absolute(file));
    document_.mark_saved();
    return true;
}

bool Workbench::save(const fs::path& file) {
    const fs::path target = fs::absolute(file), old_folder = folder();
    scene::Scene moved = scene();
    if (target.parent_path() != old_folder || !file_) {
        // Paths are relative to the project: where it moves, they follow; what an untitled project named in full becomes relative now.
        auto follow = [&](std::string& f) {
            if (!f.empty()) f = fs::proximate(old_folder / f, target.parent_path()).generic_string();  // an absolute f stays itself under /
        };
        exchange::for_each_file(moved, [&](const std::string&, std::string& path, const char*) { follow(path); });
        for (std::string& f : moved.search_folders) follow(f);
        if (blocked_) {  // they are not to be read under their new names either
            auto both = *blocked_;
            for (std::string path : *blocked_) follow(path), both.insert(path);
            blocked_ = std::make_shared<const std::set<std::string>>(std::move(both));
        }
    }
    if (Status s = scene::save(moved, target); !s) return Q_EMIT failed(s.error()), false;
    edit("Paths follow the project", [&](scene::Scene& s) { s = std::move(moved); });  // no step where none had to move
    discard_autosave();
    file_ = target;
    discard_autosave();
    if (!blocked_)
        if (Status s = OwnProjects().add(target); !s) Q_EMIT failed(s.error());
    document_.mark_saved();
    refresh();
    Q_EMIT changed();
    Q_EMIT said("Saved " + QString::fromStdString(target.filename().string()));
    return true;
}

void Workbench::autosave_now() {
    if (!document_.unsaved()) return;
    autosaver_.keep(document_.now(), scene::autosave_path(file_));
    autosaver_.finish();
    if (const auto problem = autosaver_.problem()) Q_EMIT failed(*problem);
}
void Workbench::discard_autosave() {
    autosaver_.cancel();
    std::error_code ec;
    fs::remove(scene::autosave_path(file_), ec);
}
bool Workbench::recover() {
    auto loaded = scene::load(scene::autosave_path(file_));
    if (!loaded) return Q_EMIT failed(loaded.error()), false;
    edit("Recover unsaved work", [&](scene::Scene& s) { s = loaded->scene; });
    if (!scene().parts.empty()) select_part(scene().parts.front().id);
    return true;
}

void Workbench::import_asset(const fs::path& file) {
    const fs::path path = fs::absolute(file);
    jobs_.start("Reading " + QString::fromStdString(path.filename().string()), [this, path](Progress& progress) -> Jobs::Finish {
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
        asset.file = file_ ? fs::proximate(path, folder()).generic_string() : path.string();
        const std::string build_up = scene::FreshIds(scene::ids_of(s.build_ups)).take(scene::stem_of(path.stem().string()));
        s.build_ups.push_back(scene::default_build_up(build_up, path.stem().string()));
        render::asset_into(s, asset, *state.imported, build_up);
        if (!first) return;
        Box3f box;
        for (const auto& part : state.imported->parts) box.extendBy(part.bounds());
        s.cameras.clear();
        scene::fit_to(s, box);
    });
    if (!scene().parts.empty()) select_part(scene().parts.back().id);
    Q_EMIT said(QString("%1: %2 parts, %3 triangles%4").arg(QString::fromStdString(path.filename().string())).arg(state.imported->parts.size()).arg(state.imported->triangles())
                  .arg(state.imported->warnings.empty() ? "" : "; some were left out, see the findings"));
}

void Workbench::replace_asset(const std::string& id, const fs::path& file) {
    const scene::Asset* now = scene::find(scene().assets, id);
    if (!now) return;
    const fs::path path = fs::absolute(file);
    jobs_.start("Reading " + QString::fromStdString(path.filename().string()), [this, path, asset = *now](Progress& progress) mutable -> Jobs::Finish {
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
            render::Replaced done;
            const std::string name = file_ ? fs::proximate(path, folder()).generic_string() : path.string();
            edit("Replace the file of " + id, [&](scene::Scene& s) { done = render::replace_asset(s, id, name, *state->imported); });
            Q_EMIT said(QString("%1 parts stay, %2 are new, %3 are gone").arg(done.kept).arg(done.added).arg(done.gone));
        };
    });
}

void Workbench::collect_into(const fs::path& project) {
    jobs_.start("Collecting into " + QString::fromStdString(project.parent_path().filename().string()), [this, project, scene = scene(), from = paths()](Progress& progress) -> std::function<void()> {
        auto done = std::make_shared<Result<exchange::Collected>>(exchange::collect(scene, from, project, &progress));
        return [this, done, project] {
            if (!*done) {
                Q_EMIT failed(done->error());
                return;
            }
            for (const Error& e : (*done)->problems) Q_EMIT failed(e);
            OwnProjects().add(project);
            Q_EMIT said(QString("Collected %1 files, %2 MB, in %3").arg((*done)->files).arg(double((*done)->bytes) / 1048576., 0, 'f', 1).arg(QString::fromStdString(project.parent_path().string())));
        };
    });
}

void Workbench::find_missing_in(const fs::path& folder) {
    jobs_.start("Looking for missing files", [this, folder, scene = scene(), from = paths()](Progress&) -> std::function<void()> {
        auto found = std::make_shared<std::vector<exchange::Found>>(exchange::find_missing(scene, from, {folder}, workshop_->textures()->maps()));
        return [this, found, folder] {
            if (found->empty()) {
                Q_EMIT failed({"No missing file was found", folder.string(), "", "neither by name nor by content", "Choose another folder; what is missing is listed on the page Files"});
                return;
            }
            edit("Find missing files", [&](scene::Scene& s) { exchange::use_found(s, *found); });
            Q_EMIT said(QString("%1 of the missing files were found").arg(found->size()));
        };
    });
}

Paths Workbench::paths() const { return Paths(folder(), scene().search_folders, blocked_); }

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
    options.shown_build_up = live.shown_build_up;
    options.shown_node = live.shown_node;
    options.maps_now = true;
    render::PictureSettings settings = render::picture_settings(*scene);
    settings.view = live.view;
    const std::string project = file_ ? file_->filename().string() : "untitled";
    jobs_.start("Rendering " + QString::fromStdString(file.filename().string()), [this, scene, options, settings, file, project](Progress& progress) mutable -> std::function<void()> {
        options.progress = &progress;
        const auto begin = std::chrono::steady_clock::now();
        const auto prepared = render::prepare(scene, *workshop_, options);
        if (!prepared) return [this] { Q_EMIT said("Rendering stopped"); };
        auto film = render::render_picture(*prepared, settings, &progress);
        if (!film) return [this] { Q_EMIT said("Rendering stopped"); };
        const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
        const Status status = render::write_picture(*prepared, *film, settings, {project, seconds}, file);
        return [this, status, file, seconds] {
            if (!status) Q_EMIT failed(status.error());
            else Q_EMIT said(QString("Wrote %1 in %2 s").arg(QString::fromStdString(file.string())).arg(seconds, 0, 'f', 1));
        };
    });
}

void Workbench::select(const Selection& s) {
    if (s == selection_) return;
    const bool other = s.build_up != selection_.build_up;
    selection_ = s;
    repair_selection();
    if (other) measuring_.want(selection_.build_up);
    Q_EMIT selection_changed();
}
void Workbench::select_part(const std::string& id) {
    const scene::Part* part = scene::find(scene().parts, id);
    if (!part) return;
    Selection s = selection_;
    s.part = id;
    if (s.build_up != part->build_up) {
        s.build_up = part->build_up;
        s.node.clear();
        const auto* b = scene::find(scene().build_ups, s.build_up);
        s.layer = b && !b->layers.empty() ? b->layers.back().id : "";
    }
    select(s);
}
void Workbench::select_layer(const std::string& id) {
    Selection s = selection_;
    s.layer = id;
    s.node.clear();
    select(s);
}
void Workbench::select_node(const std::string& id) {
    Selection s = selection_;
    s.node = id;
    if (const auto* b = build_up())
        if (const auto place = scene::find_node(*b, id); place.layer) s.layer = place.layer->id;
    select(s);
}
const scene::Part* Workbench::part() const { return scene::find(scene().parts, selection_.part); }
const scene::BuildUp* Workbench::build_up() const { return scene::find(scene().build_ups, selection_.build_up); }
const scene::Layer* Workbench::layer() const {
    const auto* b = build_up();
    return b ? scene::find(b->layers, selection_.layer) : nullptr;
}
const scene::Node* Workbench::node() const {
    const auto* b = build_up();
    return b && !selection_.node.empty() ? scene::find_node(*b, selection_.node).node : nullptr;
}

void Workbench::repair_selection() {
    Selection s = selection_;
    const scene::Scene& now = scene();
    if (!scene::find(now.parts, s.part)) s.part = now.parts.empty() ? "" : now.parts.front().id;
    if (const auto* part = scene::find(now.parts, s.part); part && !scene::find(now.build_ups, s.build_up)) s.build_up = part->build_up;
    const auto* b = scene::find(now.build_ups, s.build_up);
    if (!b) s.build_up.clear(), s.layer.clear(), s.node.clear();
    else {
        if (!scene::find(b->layers, s.layer)) s.layer = b->layers.empty() ? "" : b->layers.back().id;
        if (!s.node.empty() && !scene::find_node(*b, s.node).node) s.node.clear();
    }
    if (live.view == render::View::node) {
        const auto* shown = scene::find(now.build_ups, live.shown_build_up);
        if (!shown || !scene::find_node(*shown, live.shown_node).node) live.view = render::View::beauty, live.shown_node.clear(), live.shown_build_up.clear();
    }
    if (s == selection_) return;
    selection_ = s;
    Q_EMIT selection_changed();
}

void Workbench::refresh() {
    live.scene = snapshot();
    live.folder = folder();
    live.blocked = blocked_;
    if (live.width > 0 && live.height > 0) session_.request(live);
}

void Workbench::show_view(render::View view) {
    live.view = view;
    if (view != render::View::node) live.shown_node.clear(), live.shown_build_up.clear();
    refresh();
    Q_EMIT changed();
}
void Workbench::show_node(const std::string& node) {
    if (node.empty()) return show_view(render::View::beauty);
    live.view = render::View::node;
    live.shown_build_up = selection_.build_up;
    live.shown_node = node;
    refresh();
    Q_EMIT changed();
}

void Workbench::posted() {
    Q_EMIT picture_changed();
    Q_EMIT activity_changed();
    measuring_.want(selection_.build_up);
    if (const auto problem = autosaver_.problem()) Q_EMIT failed(*problem);
}

std::vector<Finding> Workbench::findings() {
    std::vector<Finding> all;
    auto take = [&](const std::vector<Error>& errors) { all.insert(all.end(), errors.begin(), errors.end()); };
    take(load_problems_);
    take(stock_.problems);
    take(map_problems_);
    for (const review::Finding& f : measuring_.findings()) {
        if (blocked_ && f.error.what == not_read_outside) all.push_back(Finding(f.error, "Allow it", [this] { allow_outside(); }));
        else if (f.change) all.push_back(Finding(f.error, QString::fromStdString(f.action), [this, f] { edit(f.action, f.change); }));
        else all.push_back(f.error);
    }
    return all;
}

size_t Workbench::memory() const {
    std::ifstream statm("/proc/self/statm");
    size_t total = 0, resident = 0;
    statm >> total >> resident;
    return resident * size_t(sysconf(_SC_PAGESIZE));
}

void Workbench::keep_picture() {
    const auto image = session_.latest();
    if (!image || image->bgra.empty()) return;
    KeptPicture k;
    k.name = QString("Snapshot %1").arg(kept.size() + 1);
    k.image = QImage(image->bgra.data(), image->shown_width, image->shown_height, image->shown_width * 4, QImage::Format_RGB32).copy();
    k.scene = image->request.scene;
    k.samples = image->samples;
    kept.push_back(std::move(k));
    Q_EMIT kept_changed();
    Q_EMIT said("Kept as " + kept.back().name);
}
void Workbench::compare_with(int index) {
    compared = index >= 0 && index < int(kept.size()) ? index : -1;
    Q_EMIT kept_changed();
}

void Workbench::pick_color(std::function<void(V3f)> use) {
    place_ = {};
    pick_ = std::move(use);
    Q_EMIT picking_changed();
}
void Workbench::pick_place(std::function<void(const SurfaceSpot&)> use) {
    pick_ = {};
    place_ = std::move(use);
    Q_EMIT picking_changed();
}
void Workbench::placed(const SurfaceSpot& spot) {
    if (auto use = std::exchange(place_, {})) use(spot);
    Q_EMIT picking_changed();
}
void Workbench::picked(V3f linear) {
    if (auto use = std::exchange(pick_, {})) use(linear);
    Q_EMIT picking_changed();
}

}  // namespace vemtra::app
