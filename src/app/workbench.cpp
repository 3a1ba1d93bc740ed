#include "app/workbench.h"

#include <unistd.h>

#include <QSettings>
#include <fstream>

#include "app/bench/decal_tool.h"
#include "scene/edits.h"

/// Read by the window's allocator: threads of many pictures come and go, and each arena has holes of its own.
extern "C" {
extern const char* const malloc_conf;
const char* const malloc_conf = "narenas:4,background_thread:true,dirty_decay_ms:3000,muzzy_decay_ms:0";
}

namespace vemtra::app {

Workbench::Workbench(QObject* parent)
    : QObject(parent),
      workshop_(std::make_shared<render::Workshop>()),
      session_(workshop_),
      measuring_(session_, *workshop_),
      files_(*this, document_),
      arranging_(*this),
      node_work_(*this),
      stockroom_(*this),
      map_intake_(*this),
      showing_(*this, session_),
      kept_pictures_(*this),
      picking_(*this),
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
    files_.start_new();
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

/// The document is another one now: what stands on it follows. `painted`: where, if only paint differs.
void Workbench::unsaved_changed(const Box3f& painted) {
    if (document_.unsaved())
        files_.keep_unsaved();
    else
        files_.discard_autosave();
    repair_selection();
    showing_.refresh_painted(painted);
    Q_EMIT changed();
}

void Workbench::begin(scene::Scene s) {
    const size_t budget = document_.budget();
    document_ = scene::Document(std::move(s));
    document_.set_budget(budget);
    selection_ = {};
    arranging_.arrange(false);
    showing_.show_beauty();
    showing_.no_loud();
    if (!scene().parts.empty()) select_part(scene().parts.front().id);
    repair_selection();
    showing_.refresh();
    Q_EMIT changed();
    Q_EMIT selection_changed();
    kept_pictures_.clear();
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
    if (!last) {
        showing_.refresh_painted(where);
        return files_.keep_unsaved();
    }
    document_.end_merge();
    unsaved_changed(where);
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
    unsaved_changed(painter_->between(*before, *document_.now()));
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
    showing_.leave_missing_node();
    if (s == selection_) return;
    selection_ = s;
    Q_EMIT selection_changed();
}

void Workbench::posted() {
    Q_EMIT picture_changed();
    Q_EMIT activity_changed();
    measuring_.want(selection_.build_up);
    if (const auto problem = files_.autosave_problem()) Q_EMIT failed(*problem);
}

const review::HeightSource* Workbench::height_source(const std::string& layer) const {
    if (measured().build_up != selection_.build_up) return nullptr;
    const auto it = measuring_.heights().find(layer);
    return it == measuring_.heights().end() ? nullptr : &it->second;
}

std::vector<Finding> Workbench::findings() {
    std::vector<Finding> all;
    auto take = [&](const std::vector<Error>& errors) { all.insert(all.end(), errors.begin(), errors.end()); };
    take(files_.load_problems());
    take(stockroom_.stock().problems);
    take(map_intake_.problems());
    for (const review::Finding& f : measuring_.findings()) {
        if (files_.blocked() && f.error.what == not_read_outside)
            all.push_back(Finding(f.error, "Allow it", [this] { files_.allow_outside(); }));
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

}  // namespace vemtra::app
