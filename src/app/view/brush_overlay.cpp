#include "app/view/brush_overlay.h"

#include <QPainterPath>
#include <QPolygonF>
#include <QTransform>

#include "app/theme/theme.h"
#include "app/view/projection.h"
#include "render/visible_points.h"

namespace vemtra::app {
namespace {

constexpr double knob_reach = 11.;  // pixels
constexpr int photo_shown = 1024;   // texels of a held photo as it is drawn

QPointF point(const V2f& v) {
    return {double(v.x), double(v.y)};
}
V2f vector(const QPointF& p) {
    return {float(p.x()), float(p.y())};
}

}  // namespace

paint::HandSample BrushOverlay::sample(const QPointF& at, const QTabletEvent* pen) {
    paint::HandSample s{float(at.x()), float(at.y())};
    if (!pen) return s;
    s.pressure = float(pen->pressure());
    s.tilt_x = float(pen->xTilt());
    s.tilt_y = float(pen->yTilt());
    return s;
}

QString BrushOverlay::hint() const {
    const Painter& painter = bench_.painter();
    const scene::Painting* p = painter.painting();
    if (painter.drawing_outline()) return "Draw around what may be painted";
    if (painter.stamps()) return "Press where it goes, drag it to its size and turn";
    const QString name = p ? QString::fromStdString(p->name) : QString("Paint");
    return name + ": drag to paint, Alt drags the camera, Ctrl and wheel the size, Q puts the brush down";
}

void BrushOverlay::paint(QPainter& p, const QSize& view) const {
    Painter& painter = bench_.painter();
    if (!painter.armed()) return;
    if (painter.photo()) paint_photo(p);
    const std::vector<V2f>& outline = drawn_.empty() ? painter.outline() : drawn_;
    if (outline.size() > 1) {
        QPolygonF shape;
        for (const V2f& v : outline) shape << point(v);
        p.setBrush(Qt::NoBrush);
        for (const QPen& pen : {QPen(QColor(20, 20, 20), 2), QPen(QColor(240, 240, 240), 1, Qt::DashLine)}) {
            p.setPen(pen);
            p.drawPolygon(shape);
        }
    }
    paint_ring(p, view);
}

/// The brush as it lies on the form: a circle in the plane that touches it under the hand.
void BrushOverlay::paint_ring(QPainter& p, const QSize& view) const {
    const Painter& painter = bench_.painter();
    if (painter.drawing_outline() || at_.x() < 0) return;
    const auto image = bench_.image();
    const scene::Camera* camera = scene::active_camera(bench_.scene());
    if (!image || !image->prepared || !camera) return;
    const auto hit =
        render::visible_at(*image->prepared, *camera, view.width(), view.height(), float(at_.x()), float(at_.y()));
    const paint::Brush& b = painter.brush();
    QPolygonF ring;
    if (hit.hit) {
        const geometry::SurfacePoint s = image->prepared->geometry->at(hit.at);
        const float radius = .5f * (b.in_scene ? b.size : b.size * hit.width);
        const Frame frame(s.normal);
        for (int k = 0; k < 48; ++k) {
            float sine;
            float cosine;
            sincos_turn(float(k) / 48.f, sine, cosine);
            const auto at = to_screen(bench_.scene(),
                                      s.position + (frame.tangent * cosine + frame.bitangent * sine) * radius, view);
            if (at) ring << *at;
        }
    } else {
        const double r = b.in_scene ? 6. : .5 * double(b.size);
        for (int k = 0; k < 48; ++k)
            ring << at_ + QPointF(r * std::cos(k * 2 * M_PI / 48), r * std::sin(k * 2 * M_PI / 48));
    }
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    for (const QPen& pen : {QPen(QColor(20, 20, 20, 200), 2.4), QPen(QColor(240, 240, 240), 1.1)}) {
        p.setPen(pen);
        p.drawPolygon(ring);
        p.drawLine(at_ - QPointF(2, 0), at_ + QPointF(2, 0));
        p.drawLine(at_ - QPointF(0, 2), at_ + QPointF(0, 2));
    }
}

QPointF BrushOverlay::knob(Knob k) const {
    const auto& c = bench_.painter().photo()->photo.corners;
    if (k != middle) return point(c[size_t(k)]);
    return point((c[0] + c[1] + c[2] + c[3]) * .25f);
}

BrushOverlay::Knob BrushOverlay::over_photo(const QPointF& at) const {
    if (!bench_.painter().photo()) return none;
    for (const Knob k : {upper_left, upper_right, lower_right, lower_left, middle})
        if ((knob(k) - at).manhattanLength() < knob_reach * 1.4) return k;
    return none;
}

void BrushOverlay::paint_photo(QPainter& p) const {
    const HeldPhoto& held = *bench_.painter().photo();
    const QString name = QString::fromStdString(held.name) + QString::number(quintptr(held.photo.pixels.data()));
    if (photo_of_ != name) {
        photo_of_ = name;
        const int step = std::max(1, std::max(held.photo.width, held.photo.height) / photo_shown);
        photo_ =
            QImage(std::max(1, held.photo.width / step), std::max(1, held.photo.height / step), QImage::Format_RGB32);
        for (int y = 0; y < photo_.height(); ++y)
            for (int x = 0; x < photo_.width(); ++x)
                photo_.setPixelColor(
                    x, y, swatch(held.photo.pixels[size_t(y * step) * size_t(held.photo.width) + size_t(x * step)]));
    }
    QPolygonF to;
    for (const V2f& c : held.photo.corners) to << point(c);
    const QPolygonF from({QPointF(0, 0), QPointF(photo_.width(), 0), QPointF(photo_.width(), photo_.height()),
                          QPointF(0, photo_.height())});
    QTransform warp;
    p.save();
    if (QTransform::quadToQuad(from, to, warp)) {
        p.setOpacity(double(held.strength));
        p.setTransform(warp, true);
        p.drawImage(0, 0, photo_);
    }
    p.restore();
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(QColor(240, 240, 240), 1));
    p.drawPolygon(to);
    for (const Knob k : {upper_left, upper_right, lower_right, lower_left, middle}) {
        p.setPen(QPen(QColor(20, 20, 20), 1.4));
        p.setBrush(QColor(240, 240, 240));
        p.drawEllipse(knob(k), k == middle ? 7. : 5., k == middle ? 7. : 5.);
    }
}

void BrushOverlay::drag_photo(const QPointF& by, bool even) {
    HeldPhoto* held = bench_.painter().photo();
    if (!held || held_ == none) return;
    auto& c = held->photo.corners;
    const V2f step = vector(by);
    if (held_ == middle) {
        for (V2f& v : c) v += step;
    } else {
        c[size_t(held_)] += step;
        if (even) {  // it stays a parallelogram: the two beside share the way
            const size_t k = size_t(held_);
            c[(k + 1) % 4] += step * .5f;
            c[(k + 3) % 4] += step * .5f;
        }
    }
    bench_.painter().photo_changed();
}

void BrushOverlay::turn_photo(float degrees, float scale) {
    HeldPhoto* held = bench_.painter().photo();
    if (!held) return;
    const V2f m = vector(knob(middle));
    const float c = std::cos(radians(degrees)) * scale;
    const float s = std::sin(radians(degrees)) * scale;
    for (V2f& v : held->photo.corners) {
        const V2f d = v - m;
        v = m + V2f(d.x * c - d.y * s, d.x * s + d.y * c);
    }
    bench_.painter().photo_changed();
}

void BrushOverlay::add_to_outline(const QPointF& at) {
    const V2f v = vector(at);
    if (drawn_.empty() || (drawn_.back() - v).length() > 2.f) drawn_.push_back(v);
}
void BrushOverlay::close_outline() {
    if (drawn_.size() > 2)
        bench_.painter().set_outline(drawn_);
    else
        bench_.painter().draw_outline(false);
    drawn_.clear();
}

}  // namespace vemtra::app
