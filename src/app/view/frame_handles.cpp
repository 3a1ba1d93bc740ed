#include "app/view/frame_handles.h"

#include "app/theme/theme.h"
#include "app/view/projection.h"
#include "scene/edits.h"

namespace vemtra::app {

std::optional<FrameHandles::Shown> FrameHandles::frame() const {
    const scene::Node* n = bench_.node();
    const auto image = bench_.image();
    if (!n || !image || !image->prepared) return std::nullopt;
    const auto placed = nodes::frame_of(*n);
    if (!placed) return std::nullopt;
    Shown f{*placed, M44f()};
    if (f.shape == nodes::FrameShape::pin) f.size = V2f(.1f * image->prepared->scene_size);
    if (const int i = image->prepared->instance_of(bench_.selection().part); i >= 0)
        f.to_world = image->prepared->geometry->instances()[size_t(i)].to_world;
    return f;
}

bool FrameHandles::shown() const {
    return frame().has_value();
}

QPointF FrameHandles::position(Handle handle, const QSize& view) const {
    const auto f = frame();
    if (!f) return {-1000, -1000};
    const V3f offset = handle == side ? f->x * (.5f * f->size.x) : handle == top ? f->y * (.5f * f->size.y) : V3f(0.f);
    const auto p = to_screen(bench_.scene(), (f->centre + offset) * f->to_world, view);
    return p ? *p : QPointF(-1000, -1000);
}

FrameHandles::Handle FrameHandles::at(const QPointF& point, const QSize& view) const {
    if (!shown()) return none;
    for (Handle h : {middle, side, top})
        if ((position(h, view) - point).manhattanLength() < 12) return h;
    return none;
}

void FrameHandles::paint(QPainter& p, const QSize& view) const {
    const auto f = frame();
    if (!f) return;
    std::vector<std::vector<V3f>> lines;
    const float w = .5f * f->size.x;
    const float h = .5f * f->size.y;
    auto rectangle = [&](const V3f& c, const V3f& a, const V3f& b) {
        lines.push_back({c - a - b, c + a - b, c + a + b, c - a + b, c - a - b});
    };
    auto ring = [&](const V3f& c, const V3f& a, const V3f& b) {
        std::vector<V3f> l;
        for (int i = 0; i <= 48; ++i)
            l.push_back(c + a * std::cos(float(i) * pi / 24.f) + b * std::sin(float(i) * pi / 24.f));
        lines.push_back(l);
    };
    const V3f x = f->x * w;
    const V3f y = f->y * h;
    const V3f z = f->z * w;
    using Shape = nodes::FrameShape;
    switch (f->shape) {
        case Shape::box:
            rectangle(z, x, y);
            rectangle(-z, x, y);
            for (const V3f& corner : {x + y, x - y, -x + y, -x - y}) lines.push_back({corner + z, corner - z});
            break;
        case Shape::cylinder:
            ring(y, x, z);
            ring(-y, x, z);
            for (const V3f& edge : {x, -x, z, -z}) lines.push_back({edge + y, edge - y});
            break;
        case Shape::sphere:
            ring(V3f(0.f), x, z);
            ring(V3f(0.f), x, f->y * w);
            ring(V3f(0.f), z, f->y * w);
            break;
        case Shape::camera: {  // what the camera sees at one metre, drawn nearer where that is far
            const V3f far = -f->z;
            rectangle(far, x, y);
            for (const V3f& corner : {x + y, x - y, -x + y, -x - y}) lines.push_back({V3f(0.f), far + corner});
            break;
        }
        case Shape::pin:
            lines.push_back({V3f(0.f), f->z * w});
            ring(V3f(0.f), x * .5f, f->y * (.5f * w));
            break;
        default:
            rectangle(V3f(0.f), x, y);
            lines.push_back({V3f(0.f), f->z * (.5f * w)});
            break;
    }
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    for (const QPen& pen : {QPen(QColor(20, 20, 20, 180), 3), QPen(QColor(245, 245, 245), 1.2)}) {
        p.setPen(pen);
        for (const auto& line : lines)
            for (size_t i = 0; i + 1 < line.size(); ++i) {
                const auto a = to_screen(bench_.scene(), (f->centre + line[i]) * f->to_world, view);
                const auto b = to_screen(bench_.scene(), (f->centre + line[i + 1]) * f->to_world, view);
                if (a && b) p.drawLine(*a, *b);
            }
    }
    p.setPen(QPen(QColor(20, 20, 20), 1));
    p.setBrush(QColor(245, 245, 245));
    p.drawEllipse(position(middle, view), 6, 6);
    if (f->shape != nodes::FrameShape::pin) {
        p.drawRect(QRectF(position(side, view) - QPointF(4, 4), QSizeF(8, 8)));
        p.drawEllipse(position(top, view), 4, 4);
    }
    p.restore();
}

void FrameHandles::take_another() {
    const scene::Node* n = bench_.node();
    if (!n || !nodes::is_pinned_mask(*n)) return;
    std::string another;
    bench_.edit_build_up("Another pin", [&, id = n->id](scene::BuildUp& b) { another = nodes::another_pin(b, id); });
    if (!another.empty()) bench_.select_node(another);
}

void FrameHandles::drag(Handle handle, const QPointF& to, const QSize& view, const std::optional<SurfaceSpot>& spot) {
    const auto f = frame();
    const scene::Node* n = bench_.node();
    if (!f || !n) return;
    const std::string id = n->id;
    auto write = [&](const char* label, auto change) {
        bench_.edit_build_up(
            label,
            [&](scene::BuildUp& b) {
                if (scene::Node* node = scene::node(b, id)) change(*node);
            },
            std::string("frame ") + label + id);
    };
    if (handle == middle) {
        V3f centre;
        if (spot) {
            centre = spot->position;
        } else {  // beside the asset: parallel to the picture
            const V3f world = f->centre * f->to_world;
            const auto now = to_screen(bench_.scene(), world, view);
            if (!now) return;
            centre = (world + parallel_step(bench_.scene(), world, *now, to, view)) * f->to_world.inverse();
        }
        const bool pin = f->shape == nodes::FrameShape::pin;
        write("Move frame", [&](scene::Node& node) {
            nodes::place(node, centre, spot && pin ? std::optional(spot->normal) : std::nullopt, false);
        });
    } else if (f->shape != nodes::FrameShape::pin) {
        const QPointF c = position(middle, view);
        const QPointF was = position(handle, view) - c;
        const QPointF now = to - c;
        const double a = std::hypot(was.x(), was.y());
        const double b = std::hypot(now.x(), now.y());
        if (handle == side && a > 1 && b > 1)
            write("Size of frame", [&](scene::Node& node) {
                nodes::set(node, nodes::Role::frame_size, V2f(f->size * float(std::clamp(b / a, .2, 5.))));
            });
        if (handle == top && a > 1 && b > 1) {
            const double turn = std::atan2(now.x(), -now.y()) - std::atan2(was.x(), -was.y());
            write("Roll frame", [&](scene::Node& node) {
                nodes::set(
                    node, nodes::Role::frame_turn,
                    V3f(f->turned.x, f->turned.y, std::remainder(f->turned.z - float(turn) * 180.f / pi, 360.f)));
            });
        }
    }
}

}  // namespace vemtra::app
