#include "app/view/placement_handles.h"

#include "app/theme/theme.h"
#include "app/view/projection.h"
#include "scene/edits.h"

namespace vemtra::app {
namespace {

const V3f axes[] = {V3f(1, 0, 0), V3f(0, 1, 0), V3f(0, 0, 1)};
constexpr double grip = 12;          // pixels around a handle that hold it
constexpr float screen_share = .3f;  // length of an axis, of half the picture's width
constexpr float turn_step = 15.f;    // degrees, with the grid

/// A step of 1, 2 or 5 times a power of ten, about a fortieth of the length.
float grid_step(float length) {
    const float raw = std::max(1e-6f, length / 40.f);
    const float power = std::pow(10.f, std::floor(std::log10(raw)));
    const float part = raw / power;
    return power * (part < 1.5f ? 1.f : part < 3.5f ? 2.f : part < 7.5f ? 5.f : 10.f);
}

}  // namespace

Turn turn_between(const V3f& from, const V3f& to) {
    const V3f across = from.cross(to);
    const float sine = across.length();
    const float cosine = from.dot(to);
    if (sine > 1e-4f) return {across / sine, std::atan2(sine, cosine) * 180.f / pi};
    if (cosine > 0.f) return {V3f(0, 1, 0), 0.f};
    const V3f other = std::fabs(from.x) < .7f ? V3f(1, 0, 0) : V3f(0, 0, 1);
    return {from.cross(other).normalized(), 180.f};
}

bool PlacementHandles::shown() const {
    return frame().has_value();
}

std::optional<PlacementHandles::Frame> PlacementHandles::frame() const {
    if (!bench_.arranging().on()) return std::nullopt;
    const Box3f box = bench_.arranging().standing_bounds();
    if (box.isEmpty()) return std::nullopt;
    // As large in the picture whatever is placed: a small bolt can be held, and a ship leaves no handle outside.
    const V3f middle = bench_.arranging().standing_pivot();
    return Frame{middle, screen_share * half_width_at(bench_.scene(), middle)};
}

V3f PlacementHandles::tip(Handle h, const Frame& f) const {
    if (h >= along_x && h <= along_z) return f.middle + axes[h - along_x] * f.reach;
    if (h >= about_x && h <= about_z) {  // in the middle of the quarter circle between the other two axes
        const int a = h - about_x;
        return f.middle + (axes[(a + 1) % 3] + axes[(a + 2) % 3]) * (f.reach * .53f);
    }
    return h == scale ? f.middle - (axes[0] + axes[2]) * (f.reach * .45f) + axes[1] * (f.reach * .45f) : f.middle;
}

QPointF PlacementHandles::position(Handle handle, const QSize& view) const {
    const auto f = frame();
    const auto at = f ? to_screen(bench_.scene(), tip(handle, *f), view) : std::nullopt;
    return at ? *at : QPointF(-1000, -1000);
}

PlacementHandles::Handle PlacementHandles::at(const QPointF& point, const QSize& view) const {
    if (!shown()) return none;
    for (Handle h : {carry, along_x, along_y, along_z, about_x, about_y, about_z, scale})
        if (const QPointF d = position(h, view) - point; std::hypot(d.x(), d.y()) < grip) return h;
    return none;
}

void PlacementHandles::paint(QPainter& p, const QSize& view) const {
    const auto f = frame();
    if (!f) return;
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    auto line = [&](const V3f& a, const V3f& b) {
        const auto x = to_screen(bench_.scene(), a, view);
        const auto y = to_screen(bench_.scene(), b, view);
        if (x && y) p.drawLine(*x, *y);
    };
    for (const QPen& pen : {QPen(QColor(20, 20, 20, 170), 3.4), QPen(QColor(245, 245, 245), 1.3)}) {
        p.setPen(pen);
        for (int a = 0; a < 3; ++a) {
            line(f->middle, f->middle + axes[a] * f->reach);
            const V3f u = axes[(a + 1) % 3] * (f->reach * .75f);
            const V3f v = axes[(a + 2) % 3] * (f->reach * .75f);
            for (int k = 0; k < 12; ++k) {
                const float s = float(k) * pi / 24.f;
                const float e = float(k + 1) * pi / 24.f;
                line(f->middle + u * std::cos(s) + v * std::sin(s), f->middle + u * std::cos(e) + v * std::sin(e));
            }
        }
        line(f->middle, tip(scale, *f));
    }
    p.setPen(QPen(QColor(20, 20, 20), 1));
    p.setBrush(QColor(245, 245, 245));
    p.setFont(strong_font());
    for (int a = 0; a < 3; ++a) {
        const QPointF at = position(Handle(along_x + a), view);
        p.drawRoundedRect(QRectF(at - QPointF(9, 9), QSizeF(18, 18)), 4, 4);
        p.drawText(QRectF(at - QPointF(9, 10), QSizeF(18, 18)), Qt::AlignCenter, QString("xyz"[a]));
        p.drawEllipse(position(Handle(about_x + a), view), 5.5, 5.5);
    }
    p.drawEllipse(position(carry, view), 8, 8);
    p.drawRect(QRectF(position(scale, view) - QPointF(6, 6), QSizeF(12, 12)));
    p.restore();
}

QString PlacementHandles::hint() const {
    static const char* carries[] = {"the knob carries it freely", "the knob carries it on a grid",
                                    "the knob carries it over the stage",
                                    "the knob carries it over what lies under the hand"};
    return QString("Placing %1: %2; letters move, dots turn, the square scales; Esc leaves")
        .arg(bench_.arranging().whole_asset() ? "the asset"
                                              : QString::fromStdString(bench_.part() ? bench_.part()->name : ""),
             carries[size_t(bench_.arranging().snap())]);
}

void PlacementHandles::begin(Handle handle, const QPointF& at, const QSize&) {
    held_ = handle;
    last_ = at;
    const auto f = frame();
    carried_ = f ? f->middle : V3f(0.f);
    turned_ = given_ = 0.f;
}

void PlacementHandles::drag(const QPointF& to, const QSize& view, const std::optional<SurfaceSpot>& spot) {
    const auto f = frame();
    if (!f) return;
    if (held_ == carry)
        carry_to(to, view, spot);
    else if (held_ >= along_x && held_ <= along_z)
        move_along(held_ - along_x, to, view);
    else if (held_ >= about_x && held_ <= about_z)
        turn_about(held_ - about_x, to, view);
    else if (held_ == scale) {
        const QPointF c = position(carry, view);
        const QPointF was = last_ - c;
        const QPointF now = to - c;
        const double a = std::hypot(was.x(), was.y());
        const double b = std::hypot(now.x(), now.y());
        if (a > 2 && b > 2)
            bench_.arranging().place(
                "Scale", [&](scene::Placement& q) { q.scale *= float(std::clamp(b / a, .5, 2.)); },
                "scale " + bench_.selection().part);
    }
    last_ = to;
}

void PlacementHandles::carry_to(const QPointF& to, const QSize& view, const std::optional<SurfaceSpot>& spot) {
    const auto f = frame();
    const std::string key = "carry " + bench_.selection().part;
    const Box3f box = bench_.arranging().standing_bounds();
    if (bench_.arranging().snap() == Arranging::Snap::surface && spot) {
        // Its foot comes to lie where the hand points, its up along the surface's normal.
        const V3f up = V3f(0, 1, 0);
        const M44f now = scene::matrix_of(bench_.arranging().placement());
        V3f own_up = turned(up, now);
        own_up = own_up.length2() > 0.f ? own_up.normalized() : up;
        const Turn turn = turn_between(own_up, spot->normal_world);
        if (turn.degrees > 1e-3f) bench_.arranging().turn_by(turn.axis, turn.degrees, key);
        const float foot = std::max(0.f, f->middle.y - box.min.y);
        bench_.arranging().move_by(spot->position_world + spot->normal_world * foot - f->middle, "Carry", key);
        return;
    }
    if (bench_.arranging().snap() == Arranging::Snap::stage) {
        const scene::Rig* rig = scene::active_rig(bench_.scene());
        const float height = rig ? rig->stage.height : 0.f;
        const auto on = on_plane(bench_.scene(), to, view, V3f(0, height, 0), V3f(0, 1, 0));
        if (on)
            bench_.arranging().move_by(V3f(on->x - f->middle.x, height - box.min.y, on->z - f->middle.z), "Carry", key);
        return;
    }
    carried_ += parallel_step(bench_.scene(), carried_, last_, to, view);
    V3f goal = carried_;
    if (bench_.arranging().snap() == Arranging::Snap::grid) {
        const float step = grid_step(box.size().length());
        for (int c = 0; c < 3; ++c) goal[c] = std::round(goal[c] / step) * step;
    }
    bench_.arranging().move_by(goal - f->middle, "Carry", key);
}

void PlacementHandles::move_along(int axis, const QPointF& to, const QSize& view) {
    const auto f = frame();
    const auto a = to_screen(bench_.scene(), f->middle, view);
    const auto b = to_screen(bench_.scene(), f->middle + axes[axis] * f->reach, view);
    if (!a || !b) return;
    const QPointF d = *b - *a;
    const QPointF hand = to - last_;
    const double length2 = QPointF::dotProduct(d, d);
    if (length2 < 16) return;  // it points at the eye
    carried_ += axes[axis] * (f->reach * float(QPointF::dotProduct(hand, d) / length2));
    V3f goal = carried_;
    if (bench_.arranging().snap() == Arranging::Snap::grid) {
        const float step = grid_step(bench_.arranging().standing_bounds().size().length());
        goal[axis] = std::round(goal[axis] / step) * step;
    }
    bench_.arranging().move_by(axes[axis] * (goal[axis] - f->middle[axis]), "Move", "move " + bench_.selection().part);
}

void PlacementHandles::turn_about(int axis, const QPointF& to, const QSize& view) {
    const QPointF c = position(carry, view);
    const QPointF was = last_ - c;
    const QPointF now = to - c;
    if (std::hypot(was.x(), was.y()) < 3 || std::hypot(now.x(), now.y()) < 3) return;
    float degrees = float(std::atan2(now.y(), now.x()) - std::atan2(was.y(), was.x())) * 180.f / pi;
    degrees = std::remainder(degrees, 360.f);
    // On the screen y runs down: seen with the axis towards the eye, a turn to the right of the hand is one backwards.
    const auto f = frame();
    if (const scene::Camera* camera = scene::active_camera(bench_.scene());
        camera && (camera->position - f->middle).dot(axes[axis]) > 0.f)
        degrees = -degrees;
    turned_ += degrees;
    const float wanted =
        bench_.arranging().snap() == Arranging::Snap::grid ? std::round(turned_ / turn_step) * turn_step : turned_;
    if (wanted != given_) bench_.arranging().turn_by(axes[axis], wanted - given_, "turn " + bench_.selection().part);
    given_ = wanted;
}

}  // namespace vemtra::app
