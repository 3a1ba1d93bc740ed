#include "app/bench/painter.h"

#include "app/workbench.h"
#include "base/parallel.h"
#include "nodes/description.h"
#include "nodes/slot_names.h"
#include "render/pinhole.h"
#include "scene/edits.h"
#include "texture/paint_files.h"

namespace vemtra::app {
namespace {

constexpr double publish_seconds = .025;  // between two states of a stroke that the window gets
constexpr float texels_to_be_fine = 2.f;  // across a dab's radius, below which a stroke is finer than they are

}  // namespace

Painter::Painter(Workbench& bench) : QObject(&bench), bench_(bench), brush_(paint::shipped_brushes().front()) {
    load_own_brushes();
    thread_ = std::thread([this] { work(); });
    connect(&bench_, &Workbench::picture_changed, this, &Painter::warm);
    connect(&bench_, &Workbench::changed, this, [this] {
        if (!armed() || down_) return;
        const auto* b = scene::find(bench_.scene().build_ups, build_up_);
        if (!b || !scene::find_node(*b, node_).node) put_down();  // it was undone, or deleted
    });
}

Painter::~Painter() {
    {
        std::lock_guard lock(mutex_);
        quit_ = true;
    }
    wake_.notify_all();
    thread_.join();
}

const scene::Painting* Painter::painting() const {
    const auto* b = scene::find(bench_.scene().build_ups, build_up_);
    const scene::Node* n = b && armed() ? scene::find_node(*b, node_).node : nullptr;
    return n ? scene::find(bench_.scene().paintings, nodes::word_of(*n, nodes::Role::painting)) : nullptr;
}

namespace {

/// Millimetres to a texel for a painting on the selected part where it has no UVs; else 0.
float texel_without_uvs(const Workbench& bench) {
    const auto image = bench.image();
    const int i = image && image->prepared ? image->prepared->instance_of(bench.selection().part) : -1;
    if (i < 0) return 0.f;
    const geometry::Instance& in = image->prepared->geometry->instances()[size_t(i)];
    return in.shape->has_uvs() ? 0.f : 1e3f * in.bounds().size().length() / 1500.f;
}

/// A painting of that type, which nothing reads yet.
std::string begin_painting(scene::Scene& s, const std::string& name, nodes::Type type, float texel) {
    scene::Painting p;
    p.texel = texel;
    p.id = scene::FreshIds(scene::ids_of(s.paintings)).take(scene::stem_of(name));
    p.name = name;
    p.type = nodes::type_name(type);
    s.paintings.push_back(p);
    return p.id;
}

}  // namespace

void Painter::arm(const std::string& node) {
    const scene::BuildUp* b = bench_.build_up();
    const scene::Node* n = b ? scene::find_node(*b, node).node : nullptr;
    if (!n || !nodes::has_use(*n, nodes::Use::painting)) {
        Q_EMIT bench_.said("Choose a tile of the kind Paint, or a layer, to paint on it");
        return;
    }
    if (!scene::find(bench_.scene().paintings, nodes::word_of(*n, nodes::Role::painting))) {
        const nodes::Type type = nodes::describe(n->kind)->output_type(*n);
        const std::string name = n->name.empty() ? "Paint" : n->name;
        bench_.edit("Begin a painting", [&](scene::Scene& s) {
            const std::string id = begin_painting(s, name, type, texel_without_uvs(bench_));
            nodes::set(*scene::node(*scene::find(s.build_ups, b->id), node), nodes::Role::painting, id);
        });
    }
    build_up_ = b->id;
    node_ = node;
    bench_.showing().show_brush(true);
    warm_ = false;
    warm();
    Q_EMIT tool_changed();
}

/// Lays the sheets out before the first stroke, once the picture knows of the painting.
void Painter::warm() {
    if (!armed() || warm_ || down_) return;
    Order o;
    o.kind = Order::warm;
    o.start = beginning(QSize(16, 16), false);
    if (!o.start) return;
    warm_ = true;
    order(std::move(o));
}

void Painter::arm_selected() {
    if (armed()) return put_down();
    if (const scene::Node* n = bench_.node(); n && nodes::has_use(*n, nodes::Use::painting)) return arm(n->id);
    const scene::BuildUp* b = bench_.build_up();
    const scene::Layer* l = bench_.layer();
    if (!b || !l) {
        Q_EMIT bench_.said("Select a layer first: its mask is what is painted");
        return;
    }
    const bool base = l == &b->layers.front();
    const scene::Input* end = &l->gate.mask;
    if (base) {
        const auto it = l->surface.find(nodes::slot::base_color);
        end = it == l->surface.end() ? nullptr : &it->second;
    }
    if (end && !end->from.empty())
        if (const scene::Node* n = scene::find_node(*b, end->from).node; n && nodes::has_use(*n, nodes::Use::painting))
            return arm(n->id);
    std::string made;
    const std::string layer = l->id;
    const std::string name = base ? "Painted colour" : "Painted " + l->name;
    bench_.edit("Paint on " + l->name, [&](scene::Scene& s) {
        const nodes::Type type = base ? nodes::Type::color : nodes::Type::number;
        const std::string painting = begin_painting(s, name, type, texel_without_uvs(bench_));
        scene::BuildUp& x = *scene::find(s.build_ups, b->id);
        made = nodes::add(x, layer, nodes::Use::painting, type, name);
        scene::Node& n = *scene::node(x, made);
        nodes::set(n, nodes::Role::painting, painting);
        // What was there shows where nothing is painted; an open gate begins black, or nothing could be seen of it.
        scene::Layer& to = *scene::find(x.layers, layer);
        scene::Input under = base ? scene::Input() : to.gate.mask;
        if (base) {
            under.value = nodes::literal_of(to.surface, *nodes::slots_of(to).port(nodes::slot::base_color));
            if (const auto it = to.surface.find(nodes::slot::base_color); it != to.surface.end()) under = it->second;
        } else if (under.from.empty()) {
            under.value = 0.f;
        }
        const nodes::Port& port = *nodes::describe(n.kind)->port(nodes::Role::subject);
        n.inputs[port.name] = under;
        nodes::connect_to_layer(x, made, layer, base ? nodes::slot::base_color : scene::gate_slot);
    });
    bench_.select_node(made);
    arm(made);
}

void Painter::put_down() {
    if (down_) release();
    finish();
    node_.clear();
    build_up_.clear();
    outline_.clear();
    drawing_outline_ = false;
    bench_.showing().show_brush(false);
    Q_EMIT tool_changed();
}

std::shared_ptr<Painter::Begin> Painter::beginning(const QSize& view, bool tell) {
    const scene::Painting* p = painting();
    const auto image = bench_.image();
    const scene::Camera* camera = scene::active_camera(bench_.scene());
    if (!p || !image || !image->prepared || !camera) return nullptr;
    if (!scene::find(image->prepared->scene->paintings, p->id)) {
        if (tell) Q_EMIT bench_.said("The painting is being made ready: once more in a moment");
        return nullptr;
    }
    auto b = std::make_shared<Begin>();
    b->prepared = image->prepared;
    b->painting = *p;
    b->brush = brush_.ready();
    b->ink = p->colored() ? ink_ : V3f(ink_.x);
    b->view = {*camera, view.width(), view.height(), render::framed_aspect(bench_.scene())};
    b->limits.through = brush_.brush.through;
    b->limits.outline = outline_;
    if (!mask_.empty())
        if (const auto* own = scene::find(bench_.scene().build_ups, build_up_);
            own && scene::find_node(*own, mask_).node) {
            std::vector<Error> told;
            nodes::Resources resources = b->prepared->resources;
            auto program = std::make_shared<program::Program>(
                program::compile(*own, {{"mask", nodes::Type::number, {scene::Value{0.f}, mask_}}}, resources, told,
                                 &bench_.scene().networks));
            if (resources.within(b->prepared->resources))
                b->limits.mask = program;
            else
                Q_EMIT bench_.said("The mask that limits the brush shows nowhere yet: wire it to a layer first");
        }
    if (photo_) b->photo = std::make_shared<const paint::Photo>(photo_->photo);
    b->stamps = stamps_;
    b->stroke = ++strokes_;
    b->seed = uint32_t(strokes_) * 2654435761u + 1;
    b->goes_on = applied_ + 1 < strokes_;
    return b;
}

void Painter::press(const paint::HandSample& sample, const QSize& view) {
    if (down_ || !armed()) return;
    Order o;
    o.kind = Order::begin;
    o.start = beginning(view);
    if (!o.start) return;
    o.sample = sample;
    last_sample_ = sample;
    down_ = true;
    order(std::move(o));
}
void Painter::move(const paint::HandSample& sample) {
    if (!down_) return;
    last_sample_ = sample;
    order({Order::move, nullptr, sample, {}});
}
void Painter::release() {
    if (!down_) return;
    down_ = false;
    order({Order::end, nullptr, {}, {}});
}
void Painter::line_to(const paint::HandSample& sample, const QSize& view) {
    const auto from = last_sample_;
    press(from.value_or(sample), view);
    if (!down_) return;
    move(sample);
    release();
}

void Painter::fill(const geometry::Place& at, paint::FillWhat what, float degrees) {
    if (down_ || !armed()) return;
    Order o;
    o.kind = Order::fill;
    o.start = beginning(QSize(16, 16));
    if (!o.start) return;
    o.filling = {at, what, degrees};
    order(std::move(o));
}

void Painter::order(Order o) {
    {
        std::lock_guard lock(mutex_);
        orders_.push_back(std::move(o));
    }
    wake_.notify_all();
}

void Painter::finish() {
    for (;;) {
        {
            std::unique_lock lock(mutex_);
            idle_.wait(lock, [this] { return orders_.empty() && !busy_; });
            if (results_.empty()) return;
        }
        take_results();
    }
}

std::shared_ptr<const paint::Canvas> Painter::canvas_for(const std::shared_ptr<const render::Prepared>& prepared,
                                                         const std::string& painting) {
    {
        std::lock_guard lock(canvas_mutex_);
        if (canvas_ && canvas_->painting() == painting && canvas_->fits(*prepared)) return canvas_;
    }
    auto made = std::make_shared<const paint::Canvas>(prepared, painting);
    std::lock_guard lock(canvas_mutex_);
    return canvas_ = made;
}

void Painter::work() {
    // A stroke is little work that a hand waits for: it is not put behind the rendering threads, nor waits for their
    // help where they have no processor to give.
    own_share_ = std::make_unique<tbb::task_arena>(std::max(1, int(std::thread::hardware_concurrency()) / 2));
    for (;;) {
        std::vector<Order> taken;
        {
            std::unique_lock lock(mutex_);
            busy_ = false;
            if (orders_.empty()) idle_.notify_all();
            wake_.wait(lock, [this] { return quit_ || !orders_.empty(); });
            if (quit_) return;
            busy_ = true;
            while (!orders_.empty()) {
                taken.push_back(std::move(orders_.front()));
                orders_.pop_front();
                if (taken.back().kind != Order::move) break;
            }
        }
        for (Order& o : taken)
            if (o.kind == Order::fill || o.kind == Order::warm)
                run(o);
            else
                own_share_->execute([&] { run(o); });
        const double since = std::chrono::duration<double>(std::chrono::steady_clock::now() - published_).count();
        bool more = false;
        {
            std::lock_guard lock(mutex_);
            more = !orders_.empty();
        }
        if (stroke_ && (!more || since > publish_seconds)) own_share_->execute([&] { publish(false); });
    }
}

bool Painter::run(Order& o) {
    switch (o.kind) {
        case Order::warm:
            for (const auto& s : canvas_for(o.start->prepared, o.start->painting.id)->sheets()) {
                canvas_->layout(s, paint::Canvas::size_of(s, o.start->painting));
            }
            {
                std::lock_guard lock(mutex_);
                results_.push_back({{}, {}, o.start->stroke, true, false, 0.f, 0.f});
            }
            QMetaObject::invokeMethod(
                this, [this] { take_results(); }, Qt::QueuedConnection);
            return true;
        case Order::begin: {
            now_ = o.start;
            scene::Painting before = now_->goes_on && last_ && last_->id == now_->painting.id ? *last_ : now_->painting;
            hand_ = std::make_unique<paint::Hand>(now_->prepared, now_->view, now_->brush, now_->seed);
            stroke_ = std::make_unique<paint::Stroke>(canvas_for(now_->prepared, now_->painting.id), std::move(before),
                                                      now_->brush, now_->ink, now_->view, now_->limits, now_->photo);
            stamp_.reset();
            if (now_->stamps) {
                stamp_ = hand_->dab_at(o.sample, {});
                now_->from = o.sample;
                if (stamp_) stamp_->flow = 1.f, stroke_->dab(*stamp_);
            } else {
                stroke_->dabs(hand_->move(o.sample));
            }
            return true;
        }
        case Order::move:
            if (!stroke_) return false;
            if (!now_->stamps) {
                stroke_->dabs(hand_->move(o.sample));
            } else if (stamp_) {  // as large as the hand is away, turned to where it is
                const float dx = o.sample.x - now_->from->x;
                const float dy = o.sample.y - now_->from->y;
                const float away = std::hypot(dx, dy);
                if (!(away > 3.f)) return true;
                paint::Dab d = *stamp_;
                const float pixel = stamp_->radius / std::max(.5f, .5f * now_->brush.size);
                d.radius = away * (now_->brush.in_scene ? (now_->view.camera.position - d.centre).length() *
                                                              render::Pinhole(now_->view.camera, now_->view.width,
                                                                              now_->view.height, now_->view.framed)
                                                                  .pixel_angle
                                                        : pixel);
                const float turn = std::atan2(-dy, dx);
                const V3f side = d.axis.cross(stamp_->across);
                d.across = (stamp_->across * std::cos(turn) + side * std::sin(turn)).normalized();
                stroke_->again();
                stroke_->dab(d);
            }
            return true;
        case Order::end:
            if (!stroke_) return false;
            if (!now_->stamps) stroke_->dabs(hand_->end());
            publish(true);
            stroke_.reset();
            hand_.reset();
            return true;
        case Order::fill: {
            const scene::Painting& before =
                o.start->goes_on && last_ && last_->id == o.start->painting.id ? *last_ : o.start->painting;
            const auto canvas = canvas_for(o.start->prepared, o.start->painting.id);
            Result r;
            r.painting = paint::filled(
                *canvas, before, paint::faces_at(*o.start->prepared, o.filling.at, o.filling.what, o.filling.degrees),
                o.start->brush, o.start->ink);
            for (const auto& s : canvas->sheets()) r.box.extendBy(s.bounds);
            r.stroke = o.start->stroke;
            r.last = r.fills = true;
            last_ = r.painting;
            {
                std::lock_guard lock(mutex_);
                results_.push_back(std::move(r));
            }
            QMetaObject::invokeMethod(
                this, [this] { take_results(); }, Qt::QueuedConnection);
            return true;
        }
    }
    return false;
}

void Painter::publish(bool last) {
    const Box3f box = stroke_->changed();
    if (box.isEmpty() && !last) return;
    published_ = std::chrono::steady_clock::now();
    Result r;
    r.painting = stroke_->now();
    r.box = box;
    r.stroke = now_->stroke;
    r.last = last;
    r.texels_across = stroke_->texels_across();
    r.texel = hand_->radius() / r.texels_across;
    last_ = r.painting;
    {
        std::lock_guard lock(mutex_);
        results_.push_back(std::move(r));
    }
    QMetaObject::invokeMethod(
        this, [this] { take_results(); }, Qt::QueuedConnection);
}

/// The newest state of each stroke becomes the document's.
void Painter::take_results() {
    std::vector<Result> all;
    {
        std::lock_guard lock(mutex_);
        all.swap(results_);
    }
    for (size_t i = 0; i < all.size(); ++i) {
        Result& r = all[i];
        const bool newer_comes = i + 1 < all.size() && all[i + 1].stroke == r.stroke;
        if (newer_comes) {
            all[i + 1].box.extendBy(r.box);
            continue;
        }
        if (r.last) applied_ = std::max(applied_, r.stroke);
        if (r.painting.id.empty()) continue;
        if (std::isfinite(r.texels_across) && r.texels_across > 0.f) {
            const bool was_fine = texels_across_ == 0.f || texels_across_ >= texels_to_be_fine;
            texels_across_ = r.texels_across;
            texel_ = r.texel;
            if (was_fine && texels_across_ < texels_to_be_fine)
                Q_EMIT bench_.said(
                    "The stroke is finer than the texels under it: make the painting larger, or the brush");
        }
        bench_.painted(r.fills ? "Fill" : "Stroke", r.painting, r.box, "stroke " + std::to_string(r.stroke), r.last);
    }
}

Box3f Painter::between(const scene::Scene& before, const scene::Scene& after) const {
    Box3f box;
    std::shared_ptr<const paint::Canvas> canvas;
    {
        std::lock_guard lock(canvas_mutex_);
        canvas = canvas_;
    }
    if (!canvas) return box;
    for (const scene::Painting& p : after.paintings) {
        const scene::Painting* old = scene::find(before.paintings, p.id);
        if (!old || *old == p) continue;
        if (p.id != canvas->painting()) return {};
        for (const paint::Canvas::SheetPlace& place : canvas->sheets()) {
            const scene::Sheet* a = old->sheet(place.tile);
            const scene::Sheet* b = p.sheet(place.tile);
            const auto* ta = a ? a->texels.get() : nullptr;
            const auto* tb = b ? b->texels.get() : nullptr;
            if (ta == tb) continue;
            if ((a && b && a->size != b->size) || (!ta && !tb)) {
                box.extendBy(place.bounds);
                continue;
            }
            const scene::Texels* some = ta ? ta : tb;
            const auto blank = scene::Texels::blank(some->size(), some->lanes());
            const auto layout = canvas->layout(place, some->size());
            (ta ? *ta : *blank).for_each_apart(tb ? *tb : *blank, [&](int level, int x, int y) {
                if (level == 0 && !layout->bounds(x, y).isEmpty()) box.extendBy(layout->bounds(x, y));
            });
        }
    }
    return box;
}

QString Painter::resolution() const {
    const scene::Painting* p = painting();
    if (!p) return {};
    size_t bytes = 0;
    for (const scene::Sheet& s : p->sheets) bytes += s.texels ? s.texels->bytes() : 0;
    QString text = QString("%1 sheets, %2 MB; undo holds %3 MB of at most %4")
                       .arg(p->sheets.size())
                       .arg(double(bytes) / 1048576., 0, 'f', 1)
                       .arg(double(bench_.document().held()) / 1048576., 0, 'f', 1)
                       .arg(bench_.document().budget() >> 20);
    if (texel_ > 0.f)
        text =
            QString("%1 texels to a millimetre where you painted last\n").arg(double(.001f / texel_), 0, 'g', 2) + text;
    return text;
}

QString Painter::photo_sharpness() const {
    const scene::Camera* camera = scene::active_camera(bench_.scene());
    if (!photo_ || !(texel_ > 0.f) || !camera) return {};
    const auto& c = photo_->photo.corners;
    const float width = .5f * ((c[1] - c[0]).length() + (c[2] - c[3]).length());
    const render::Pinhole eye(*camera, std::max(1, bench_.showing().live().width),
                              std::max(1, bench_.showing().live().height), render::framed_aspect(bench_.scene()));
    const float pixel = eye.pixel_angle * (camera->target - camera->position).length();
    const float ratio = float(photo_->photo.width) / std::max(1.f, width) * texel_ / std::max(1e-9f, pixel);
    return QString("%1 of its texels to one of the painting%2")
        .arg(double(ratio), 0, 'g', 2)
        .arg(ratio < .7f   ? ": it will look soft"
             : ratio > 3.f ? ": finer than the painting can hold"
                           : "");
}

std::vector<Error> Painter::problems() const {
    std::lock_guard lock(canvas_mutex_);
    return canvas_ && painting() && canvas_->painting() == painting()->id ? canvas_->problems() : std::vector<Error>();
}

}  // namespace vemtra::app
