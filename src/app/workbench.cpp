#include "app/workbench.h"

#include <unistd.h>

#include <QSettings>
#include <fstream>

#include "app/bench/decal_tool.h"
#include "exchange/collect.h"
#include "render/asset_into.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::app {

Workbench::Workbench(QObject* parent)
    : QObject(parent),
      workshop_(std::make_shared<render::Workshop>()),
      session_(workshop_),
      measuring_(session_, *workshop_),
      painter_(new Painter(*this)),
      decals_(new DecalTool(*this)) {
    session_.on_post([this] {
        QMetaObject::invokeMethod(
            this, [this] { posted(); }, Qt::QueuedConnection);
    });
    connect(&measuring_, &Measuring::changed, this, &Workbench::measured_changed);
    connect(&jobs_, &Jobs::changed, this, &Workbench::activity_changed);
    connect(&jobs_, &Jobs::failed, this, [this](const QString& why) { Q_EMIT said(why); });
    connect(&jobs_, &Jobs::refused, this, [this](const QString& text) { Q_EMIT said("Still busy: " + text); });
    {
        const QSettings settings("Vemtra", "Vemtra");
        if (const int mb = settings.value("texel-megabytes", 0).toInt(); mb >= 64)
            workshop_->textures()->texels().set_budget(size_t(mb) << 20);
        if (const int gb = settings.value("prepared-gigabytes", 0).toInt(); gb >= 1)
            workshop_->textures()->maps().set_limit(uint64_t(gb) << 30);
        if (const int mb = settings.value("undo-megabytes", 0).toInt(); mb >= 8) document_.set_budget(size_t(mb) << 20);
    }
    stock_ = scene::load_stock(shipped_assets() / "stock", scene::own_stock_file());
    start_new();
}

Workbench::~Workbench() {
    delete painter_;  // its thread looks at what follows
    session_.on_post({});
}

void Workbench::edit(const std::string& label, const std::function<void(scene::Scene&)>& change,
                     const std::string& merge_key) {
    const auto before = document_.now();
    document_.edit(label, change, merge_key);
    if (document_.now() != before) unsaved_changed();
}

/// The document is another one now: what stands on it follows.
void Workbench::unsaved_changed() {
    if (document_.unsaved())
        autosaver_.keep(document_.now(), scene::autosave_path(file_));
    else
        discard_autosave();
    repair_selection();
    refresh();
    Q_EMIT changed();
}

void Workbench::edit_build_up(const std::string& label, const std::function<void(scene::BuildUp&)>& change,
                              const std::string& merge_key) {
    const std::string id = selection_.build_up;
    edit(
        label,
        [&](scene::Scene& s) {
            if (auto* b = scene::find(s.build_ups, id)) change(*b);
        },
        merge_key);
}

void Workbench::painted(const std::string& label, const scene::Painting& painting, const Box3f& where,
                        const std::string& merge_key, bool last) {
    document_.edit(
        label,
        [&](scene::Scene& s) {
            if (scene::Painting* p = scene::find(s.paintings, painting.id)) {
                p->sheets = painting.sheets;
                p->size = painting.size;
            }
        },
        merge_key);
    live_.painted = where;
    if (!last) {
        refresh();
        live_.painted = Box3f();
        return autosaver_.keep(document_.now(), scene::autosave_path(file_));
    }
    document_.end_merge();
    unsaved_changed();
    live_.painted = Box3f();
}

void Workbench::show_brush(bool on) {
    live_.brush = on;
    refresh();
}

/// Undoes or does again; where only paint differs, the live picture is told where.
void Workbench::step_in_time(bool back) {
    painter_->finish();
    if (back ? !document_.can_undo() : !document_.can_redo()) return;
    Q_EMIT said((back ? "Undone: " : "Done again: ") +
                QString::fromStdString(back ? document_.undo_label() : document_.redo_label()));
    const scene::Snapshot before = document_.now();
    if (back)
        document_.undo();
    else
        document_.redo();
    live_.painted = painter_->between(*before, *document_.now());
    unsaved_changed();
    live_.painted = Box3f();
}
void Workbench::undo() {
    step_in_time(true);
}
void Workbench::redo() {
    step_in_time(false);
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
    s.form.clear();
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
    s.form.clear();
    select(s);
}
void Workbench::show_form(const std::string& form) {
    Selection s = selection_;
    s.form = form;
    select(s);
}
void Workbench::select_node(const std::string& id) {
    Selection s = selection_;
    s.node = id;
    s.form.clear();
    if (const auto* b = build_up())
        if (const auto place = scene::find_node(*b, id); place.layer) s.layer = place.layer->id;
    select(s);
}
void Workbench::show_place(const std::string& build_up, const std::string& layer, const std::string& node) {
    Selection s = selection_;
    const scene::Part* now = part();
    if (!now || now->build_up != build_up)
        for (const scene::Part& p : scene().parts)
            if (p.build_up == build_up) {
                s.part = p.id;
                break;
            }
    s.build_up = build_up;
    s.layer = layer;
    s.node = node;
    select(s);
}
const scene::Part* Workbench::part() const {
    return scene::find(scene().parts, selection_.part);
}
const scene::BuildUp* Workbench::build_up() const {
    return scene::find(scene().build_ups, selection_.build_up);
}
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
    if (const auto* part = scene::find(now.parts, s.part); part && !scene::find(now.build_ups, s.build_up))
        s.build_up = part->build_up;
    const auto* b = scene::find(now.build_ups, s.build_up);
    if (!b)
        s.build_up.clear(), s.layer.clear(), s.node.clear();
    else {
        if (!scene::find(b->layers, s.layer)) s.layer = b->layers.empty() ? "" : b->layers.back().id;
        if (!s.node.empty() && !scene::find_node(*b, s.node).node) s.node.clear();
    }
    if (live_.view == render::View::node) {
        const auto* shown = scene::find(now.build_ups, live_.shown_build_up);
        if (!shown || !scene::find_node(*shown, live_.shown_node).node)
            live_.view = render::View::beauty, live_.shown_node.clear(), live_.shown_build_up.clear();
    }
    if (s == selection_) return;
    selection_ = s;
    Q_EMIT selection_changed();
}

void Workbench::refresh() {
    live_.scene = snapshot();
    live_.folder = folder();
    live_.blocked = blocked_;
    if (live_.width > 0 && live_.height > 0) session_.request(live_);
}

void Workbench::set_view_size(int width, int height) {
    live_.width = width;
    live_.height = height;
    set_region({});
}
void Workbench::set_region(const render::PixelRect& region) {
    live_.region = region;
    refresh();
}
void Workbench::set_scale(int percent) {
    live_.scale_percent = percent;
    set_region({});
}
void Workbench::set_hold(bool on) {
    live_.hold = on;
    refresh();
}
void Workbench::set_denoise(bool on) {
    live_.denoise = on;
    refresh();
}
void Workbench::set_relief(render::Relief relief) {
    live_.relief = relief;
    refresh();
    Q_EMIT changed();
}
void Workbench::show_view(render::View view) {
    live_.view = view;
    if (view != render::View::node) live_.shown_node.clear(), live_.shown_build_up.clear();
    refresh();
    Q_EMIT changed();
}
void Workbench::show_node(const std::string& node) {
    if (node.empty()) return show_view(render::View::beauty);
    live_.view = render::View::node;
    live_.shown_build_up = selection_.build_up;
    live_.shown_node = node;
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
        if (blocked_ && f.error.what == not_read_outside)
            all.push_back(Finding(f.error, "Allow it", [this] { allow_outside(); }));
        else if (f.change)
            all.push_back(Finding(f.error, QString::fromStdString(f.action), [this, f] { edit(f.action, f.change); }));
        else
            all.push_back(f.error);
    }
    return all;
}

size_t Workbench::memory() const {
    std::ifstream statm("/proc/self/statm");
    size_t total = 0;
    size_t resident = 0;
    statm >> total >> resident;
    return resident * size_t(sysconf(_SC_PAGESIZE));
}

void Workbench::keep_picture() {
    const auto image = session_.latest();
    if (!image || image->bgra.empty()) return;
    KeptPicture k;
    k.name = QString("Snapshot %1").arg(kept_.size() + 1);
    k.image = QImage(image->bgra.data(), image->shown_width, image->shown_height, image->shown_width * 4,
                     QImage::Format_RGB32)
                  .copy();
    k.scene = image->request.scene;
    k.samples = image->samples;
    kept_.push_back(std::move(k));
    Q_EMIT kept_changed();
    Q_EMIT said("Kept as " + kept_.back().name);
}
void Workbench::forget_picture(int index) {
    if (index < 0 || index >= int(kept_.size())) return;
    kept_.erase(kept_.begin() + index);
    compare_with(-1);
}
void Workbench::compare_with(int index) {
    compared_ = index >= 0 && index < int(kept_.size()) ? index : -1;
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
