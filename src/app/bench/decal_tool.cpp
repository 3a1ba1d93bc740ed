#include "app/bench/decal_tool.h"

#include "app/view/projection.h"
#include "nodes/description.h"
#include "nodes/slot_names.h"
#include "render/decals.h"
#include "scene/edits.h"
#include "texture/lettering.h"

namespace vemtra::app {

DecalTool::DecalTool(Workbench& bench) : QObject(&bench), bench_(bench) {
    connect(&bench_, &Workbench::selection_changed, this, [this] {
        if (bench_.selection().layer != layer_) layer_ = bench_.selection().layer, pin_ = 0;
    });
}

const scene::Decal* DecalTool::decal() const {
    const scene::Layer* l = bench_.layer();
    return l && !l->decal.pins.empty() ? &l->decal : nullptr;
}
int DecalTool::pin() const {
    const scene::Decal* d = decal();
    return d ? std::clamp(pin_, 0, int(d->pins.size()) - 1) : -1;
}
const scene::Pin* DecalTool::shown() const {
    const scene::Decal* d = decal();
    return d ? &d->pins[size_t(pin())] : nullptr;
}
void DecalTool::select_pin(int index) {
    layer_ = bench_.selection().layer;
    pin_ = index;
    Q_EMIT tool_changed();
}

void DecalTool::begin(const fs::path& picture) {
    if (!bench_.part() || !bench_.layer()) {
        Q_EMIT bench_.said("Import an asset first: a decal sticks to a part");
        return;
    }
    aspect_ = 1.f;
    if (!picture.empty()) {
        const auto header = bench_.workshop().textures()->header(picture);
        if (!header) {
            Q_EMIT bench_.failed(header.error());
            return;
        }
        aspect_ = std::clamp(float(header->width) / float(std::max(1, header->height)), .01f, 100.f);
    }
    picture_ = picture;
    words_.clear();
    placing_ = true;
    Q_EMIT tool_changed();
}

namespace {

constexpr const char* ink_name = "Letters";

scene::Node node_of_words(const std::string& words) {
    scene::Node n;
    n.kind = nodes::description_for(nodes::Use::lettering).kind;
    nodes::set(n, nodes::Role::lettering, words);
    return n;
}

}  // namespace

void DecalTool::begin_lettering(const std::string& words) {
    begin();
    if (!placing_) return;
    const auto ratio = texture::lettering_ratio(nodes::lettering_of(node_of_words(words)));
    if (!ratio) {
        leave();
        Q_EMIT bench_.failed(ratio.error());
        return;
    }
    aspect_ = std::clamp(*ratio, .01f, 100.f);
    words_ = words;
}

void DecalTool::fit_to_words(scene::Scene& s, const std::string& build_up, const std::string& node) {
    scene::BuildUp* b = scene::find(s.build_ups, build_up);
    for (size_t k = 0; b && k < b->layers.size(); ++k) {
        scene::Layer& l = b->layers[k];
        const scene::Node* n = scene::find(l.nodes, node);
        if (!n || l.decal.pins.empty()) continue;
        const auto ratio = texture::lettering_ratio(nodes::lettering_of(*n));
        for (scene::Pin& p : l.decal.pins)
            if (ratio) p.size.x = p.size.y * std::clamp(*ratio, .01f, 100.f);
    }
}

void DecalTool::leave() {
    if (!placing_) return;
    placing_ = down_ = false;
    Q_EMIT tool_changed();
}

void DecalTool::press(const SurfaceSpot& spot, const QPointF& at, const QSize&) {
    const scene::Part* part = scene::find(bench_.scene().parts, spot.part);
    if (!part) return leave();
    const bool another = decal() && picture_.empty() && words_.empty() && part->build_up == bench_.selection().build_up;
    if (part->id != bench_.selection().part) {
        const std::string layer = bench_.selection().layer;
        bench_.select_part(part->id);
        if (another) bench_.select_layer(layer);
    }
    scene::Pin pin;
    pin.part = part->id;
    pin.position = spot.position;
    pin.axis = spot.normal;
    const float width = .12f * bench_.stockroom().size_of_asset();
    pin.size = V3f(width, width / aspect_, .5f * width);
    if (another) {
        pin.size = decal()->pins.back().size;
        bench_.edit_build_up("Another decal", [&](scene::BuildUp& b) {
            scene::find(b.layers, bench_.selection().layer)->decal.pins.push_back(pin);
        });
        select_pin(int(decal()->pins.size()) - 1);
    } else {
        const std::string name = !words_.empty()    ? words_.substr(0, 24)
                                 : picture_.empty() ? "Decal"
                                                    : picture_.stem().string();
        const std::string file = picture_.empty()        ? ""
                                 : bench_.files().file() ? path_from(bench_.files().folder(), picture_)
                                                         : picture_.string();
        const auto header =
            picture_.empty() ? Result<texture::ImageHeader>(Error{}) : bench_.workshop().textures()->header(picture_);
        const bool cut_out = header && header->alpha >= 0;
        const std::string above = bench_.selection().layer;
        std::string made;
        bench_.edit_build_up("Stick " + name + " on", [&](scene::BuildUp& b) {
            made = scene::add_layer(b, name, above);
            scene::find(b.layers, made)->decal.pins = {pin};
            if (!words_.empty()) {
                const std::string letters = nodes::add(b, made, nodes::Use::lettering, nodes::Type::number, ink_name);
                nodes::set(*scene::node(b, letters), nodes::Role::lettering, words_);
                nodes::connect_to_layer(b, letters, made, scene::gate_slot);
                scene::find(b.layers, made)->surface[nodes::slot::base_color].value = V3f(.02f);
            }
            if (file.empty()) return;
            const std::string color = nodes::add(b, made, nodes::Use::map, nodes::Type::color, name);
            nodes::set(*scene::node(b, color), nodes::Role::file, file);
            nodes::connect_to_layer(b, color, made, nodes::slot::base_color);
            if (!cut_out) return;
            const std::string cut = nodes::add(b, made, nodes::Use::map, nodes::Type::number, name + " cut-out");
            nodes::set(*scene::node(b, cut), nodes::Role::file, file);
            nodes::set(*scene::node(b, cut), nodes::Role::channel, std::string("a"));
            nodes::connect_to_layer(b, cut, made, scene::gate_slot);
        });
        bench_.select_layer(made);
        select_pin(0);
    }
    pressed_ = at;
    pressed_world_ = spot.position_world;
    down_ = true;
}

void DecalTool::drag(const QPointF& to, const QSize& view, bool turns) {
    if (!down_) return;
    const float away = parallel_step(bench_.scene(), pressed_world_, pressed_, to, view).length();
    const QPointF d = to - pressed_;
    if (std::hypot(d.x(), d.y()) < 4.) return;
    change(
        "Size of decal",
        [&](scene::Pin& p) {
            const float ratio = p.size.y / std::max(1e-9f, p.size.x);
            const float width = std::max(1e-5f, 2.f * away / std::sqrt(1.f + ratio * ratio));
            p.size = V3f(width, width * ratio, std::max(p.size.z, .5f * width));
            if (turns) p.turn = float(std::atan2(-d.y(), d.x())) * 180.f / pi;
        },
        "place decal");
}

void DecalTool::release() {
    if (!down_) return;
    down_ = placing_ = false;
    bench_.end_merge();
    Q_EMIT tool_changed();
}

void DecalTool::change(const std::string& label, const std::function<void(scene::Pin&)>& f,
                       const std::string& merge_key) {
    const int index = pin();
    if (index < 0) return;
    const std::string layer = bench_.selection().layer;
    bench_.edit_build_up(
        label,
        [&](scene::BuildUp& b) {
            scene::Layer* l = scene::find(b.layers, layer);
            if (l && size_t(index) < l->decal.pins.size()) f(l->decal.pins[size_t(index)]);
        },
        merge_key);
}
void DecalTool::change_decal(const std::string& label, const std::function<void(scene::Decal&)>& f) {
    const std::string layer = bench_.selection().layer;
    bench_.edit_build_up(label, [&](scene::BuildUp& b) {
        if (scene::Layer* l = scene::find(b.layers, layer)) f(l->decal);
    });
}
void DecalTool::move_to(const SurfaceSpot& spot) {
    change(
        "Move decal",
        [&](scene::Pin& p) {
            p.part = spot.part;
            p.position = spot.position;
            p.axis = spot.normal;
        },
        "move decal");
}

/// What lies along the pin's axis from `back` metres before it on, within `reach`.
std::optional<geometry::Place> DecalTool::below(const scene::Pin& p, float back, float reach, float* distance) const {
    const auto image = bench_.image();
    const int i = image && image->prepared ? image->prepared->instance_of(p.part) : -1;
    if (i < 0) return std::nullopt;
    const geometry::Instance& in = image->prepared->geometry->instances()[size_t(i)];
    const V3f axis = in.step_to_world(p.axis.normalized());
    const V3f from = in.point_to_world(p.position + p.axis.normalized() * back);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray = geometry::single_ray(from, -axis, reach);
    rtcIntersect1(image->prepared->geometry->scene(), &context, &ray);
    const geometry::Place at = geometry::place_of(ray.hit);
    if (!geometry::hit_something(at) || int(at.instance) != i) return std::nullopt;
    if (distance) *distance = ray.ray.tfar;
    return at;
}

scene::Pin DecalTool::stuck(scene::Pin p) const {
    const float reach = std::max(p.size.x, p.size.y);
    const auto at = below(p, reach, 3.f * reach, nullptr);
    if (!at) return p;
    const auto& g = *bench_.image()->prepared->geometry;
    const geometry::Instance& in = g.instances()[at->instance];
    const geometry::SurfacePoint s = g.at(*at);
    p.position = in.point_to_object(s.position - s.displaced_by);
    p.axis = in.normal_to_object(s.normal).normalized();
    return p;
}

std::vector<std::optional<V3f>> DecalTool::on_wrap(const scene::Pin& pin, const std::vector<V2f>& places) const {
    std::vector<std::optional<V3f>> out(places.size());
    const auto image = bench_.image();
    const int i = image && image->prepared ? image->prepared->instance_of(pin.part) : -1;
    if (i < 0) return out;
    const auto& shape = image->prepared->geometry->instances()[size_t(i)].shape;
    const render::PinFrame axes(pin);
    const auto wrap =
        geometry::wrap_around(shape, pin.position, axes.x, axes.y, .5f * std::hypot(pin.size.x, pin.size.y));
    if (wrap->faces.size() > 20000) return out;  // found while the hand drags
    for (const geometry::Wrap::Face& f : wrap->faces) {
        const V2f e1 = f.corner[1] - f.corner[0];
        const V2f e2 = f.corner[2] - f.corner[0];
        const float area = e1.x * e2.y - e1.y * e2.x;
        if (!(std::fabs(area) > 1e-20f)) continue;
        for (size_t k = 0; k < places.size(); ++k) {
            if (out[k]) continue;
            const V2f d = places[k] - f.corner[0];
            const float u = (d.x * e2.y - d.y * e2.x) / area;
            const float v = (e1.x * d.y - e1.y * d.x) / area;
            if (u >= -1e-4f && v >= -1e-4f && u + v <= 1.0002f) out[k] = shape->at(f.face, u, v).position;
        }
    }
    return out;
}

float DecalTool::radius_of_pole() const {
    const scene::Pin* p = shown();
    float distance = 0.f;
    if (!p ||
        !below(*p, -1e-4f * bench_.stockroom().size_of_asset(), 10.f * bench_.stockroom().size_of_asset(), &distance))
        return 0.f;
    return .5f * distance;
}

void DecalTool::lie(scene::Lies lies) {
    const float radius = lies == scene::Lies::round ? radius_of_pole() : 0.f;
    change_decal("How it lies", [&](scene::Decal& d) {
        d.lies = lies;
        if (radius > 0.f)
            for (scene::Pin& p : d.pins) p.size.z = radius;
    });
}

void DecalTool::add_row(int count) {
    const scene::Pin* first = shown();
    if (!first || count < 1 || count > 1000) return;
    const render::PinFrame frame(*first);
    std::vector<scene::Pin> made;
    for (int i = 1; i <= count; ++i) {
        scene::Pin p = *first;
        p.position += frame.x * (1.15f * p.size.x * float(i));
        made.push_back(stuck(p));
    }
    change_decal("A row of decals", [&](scene::Decal& d) { d.pins.insert(d.pins.end(), made.begin(), made.end()); });
}

void DecalTool::add_ring(int count) {
    const scene::Pin* first = shown();
    const auto image = bench_.image();
    const int i = first && image && image->prepared ? image->prepared->instance_of(first->part) : -1;
    if (i < 0 || count < 1 || count > 1000) return;
    const V3f middle = image->prepared->geometry->shape(uint32_t(i)).bounds().center();
    std::vector<scene::Pin> made;
    for (int k = 1; k <= count; ++k) {
        M44f turn;
        turn.setAxisAngle(V3f(0.f, 1.f, 0.f), 2.f * pi * float(k) / float(count + 1));
        scene::Pin p = *first;
        p.position = turned(first->position - V3f(middle.x, 0.f, middle.z), turn) + V3f(middle.x, 0.f, middle.z);
        p.axis = turned(first->axis, turn);
        made.push_back(stuck(p));
    }
    change_decal("A ring of decals", [&](scene::Decal& d) { d.pins.insert(d.pins.end(), made.begin(), made.end()); });
}

void DecalTool::remove_pin() {
    const int index = pin();
    const scene::Decal* d = decal();
    if (index < 0) return;
    if (d->pins.size() == 1) {
        const std::string layer = bench_.selection().layer;
        bench_.edit_build_up("Remove decal", [&](scene::BuildUp& b) { scene::remove_layer(b, layer); });
        return;
    }
    change_decal("Remove decal", [&](scene::Decal& x) { x.pins.erase(x.pins.begin() + index); });
    select_pin(std::max(0, index - 1));
}

}  // namespace vemtra::app
