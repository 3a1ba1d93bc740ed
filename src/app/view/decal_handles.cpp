#include "app/view/decal_handles.h"

#include "app/view/projection.h"
#include "render/decals.h"

namespace vemtra::app {

bool DecalHandles::shown() const {
    return bench_.decals().shown() && !bench_.decals().placing() && bench_.node() == nullptr;
}

M44f DecalHandles::to_world(const scene::Pin& pin) const {
    const auto image = bench_.image();
    const int i = image && image->prepared
                      ? image->prepared->instance_of(pin.part.empty() ? bench_.selection().part : pin.part)
                      : -1;
    return i < 0 ? M44f() : image->prepared->geometry->instances()[size_t(i)].to_world;
}

QPointF DecalHandles::position(Handle handle, const QSize& view) const {
    const scene::Pin* pin = bench_.decals().shown();
    if (!pin) return {-1000, -1000};
    const render::PinFrame f(*pin);
    const V3f half = f.x * (.5f * pin->size.x) + f.y * (.5f * pin->size.y);
    const V3f offset = handle == corner ? half : handle == top ? f.y * (.5f * pin->size.y) : V3f(0.f);
    const auto p = to_screen(bench_.scene(), moved(pin->position + offset, to_world(*pin)), view);
    return p ? *p : QPointF(-1000, -1000);
}

DecalHandles::Handle DecalHandles::at(const QPointF& point, const QSize& view) const {
    if (!shown()) return none;
    for (const Handle h : {middle, corner, top})
        if ((position(h, view) - point).manhattanLength() < 12) return h;
    return none;
}

int DecalHandles::other_at(const QPointF& point, const QSize& view) const {
    if (!shown()) return -1;
    const scene::Decal& d = *bench_.decals().decal();
    for (size_t i = 0; i < d.pins.size(); ++i) {
        if (int(i) == bench_.decals().pin()) continue;
        const auto p = to_screen(bench_.scene(), moved(d.pins[i].position, to_world(d.pins[i])), view);
        if (p && (*p - point).manhattanLength() < 10) return int(i);
    }
    return -1;
}

void DecalHandles::paint(QPainter& p, const QSize& view) const {
    if (!shown()) return;
    const scene::Decal& d = *bench_.decals().decal();
    const scene::Pin& pin = *bench_.decals().shown();
    const render::PinFrame f(pin);
    const M44f m = to_world(pin);
    // Its border; round a pole it is bent as it lies, wrapped it follows the form as far as that goes.
    std::vector<V2f> flat;
    std::vector<std::optional<V3f>> border;
    auto place = [&](float u, float v) {
        const float x = (u - .5f) * pin.size.x;
        const float y = (v - .5f) * pin.size.y;
        flat.emplace_back(x, y);
        if (d.lies != scene::Lies::round) return pin.position + f.x * x + f.y * y;
        const float r = std::max(1e-9f, pin.size.z);
        return pin.position - f.z * r + f.x * (std::sin(x / r) * r) + f.z * (std::cos(x / r) * r) + f.y * y;
    };
    constexpr int steps = 16;
    for (int side = 0; side < 4; ++side)
        for (int i = 0; i < steps; ++i) {
            const float t = float(i) / steps;
            border.push_back(side == 0   ? place(t, 0.f)
                             : side == 1 ? place(1.f, t)
                             : side == 2 ? place(1.f - t, 1.f)
                                         : place(0.f, 1.f - t));
        }
    border.push_back(border.front());
    if (d.lies == scene::Lies::wrapped) {
        border = bench_.decals().on_wrap(pin, flat);
        border.push_back(border.front());
    }
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    for (const QPen& pen : {QPen(QColor(20, 20, 20, 180), 3), QPen(QColor(245, 245, 245), 1.2)}) {
        p.setPen(pen);
        for (size_t i = 0; i + 1 < border.size(); ++i) {
            if (!border[i] || !border[i + 1]) continue;
            const auto a = to_screen(bench_.scene(), moved(*border[i], m), view);
            const auto b = to_screen(bench_.scene(), moved(*border[i + 1], m), view);
            if (a && b) p.drawLine(*a, *b);
        }
    }
    p.setPen(QPen(QColor(20, 20, 20), 1));
    p.setBrush(QColor(245, 245, 245));
    for (size_t i = 0; i < d.pins.size(); ++i) {
        if (int(i) == bench_.decals().pin()) continue;
        if (const auto q = to_screen(bench_.scene(), moved(d.pins[i].position, to_world(d.pins[i])), view))
            p.drawEllipse(*q, 3, 3);
    }
    p.drawEllipse(position(middle, view), 6, 6);
    p.drawRect(QRectF(position(corner, view) - QPointF(4, 4), QSizeF(8, 8)));
    p.drawEllipse(position(top, view), 4, 4);
    p.restore();
}

void DecalHandles::drag(Handle handle, const QPointF& to, const QSize& view, const std::optional<SurfaceSpot>& spot) {
    const scene::Pin* pin = bench_.decals().shown();
    if (!pin) return;
    if (handle == middle) {
        if (spot) bench_.decals().move_to(*spot);
        return;
    }
    const QPointF c = position(middle, view);
    const QPointF was = position(handle, view) - c;
    const QPointF now = to - c;
    const double a = std::hypot(was.x(), was.y());
    const double b = std::hypot(now.x(), now.y());
    if (!(a > 1 && b > 1)) return;
    if (handle == corner) {
        const float scale = float(std::clamp(b / a, .2, 5.));
        bench_.decals().change(
            "Size of decal",
            [&](scene::Pin& x) {
                x.size.x *= scale;
                x.size.y *= scale;
            },
            "decal size");
    } else {
        const double turn = std::atan2(now.x(), -now.y()) - std::atan2(was.x(), -was.y());
        bench_.decals().change(
            "Turn decal",
            [&](scene::Pin& x) { x.turn = float(std::remainder(double(x.turn) - turn * 180. / M_PI, 360.)); },
            "decal turn");
    }
}

}  // namespace vemtra::app
