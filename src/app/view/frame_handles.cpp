#include "app/view/frame_handles.h"

#include "app/theme/theme.h"
#include "nodes/description.h"
#include "render/pinhole.h"
#include "scene/edits.h"

namespace vemtra::app {

std::optional<FrameHandles::Frame> FrameHandles::frame() const {
    const scene::Node* n = bench_.node();
    const auto image = bench_.image();
    if (!n || !image || !image->prepared) return std::nullopt;
    const nodes::NodeDescription* d = nodes::describe(n->kind);
    if (!d || !d->port("centre")) return std::nullopt;
    Frame f;
    f.centre = scene::as_vector(nodes::literal_of(*n, *d->port("centre")));
    if (d->port("projection")) {
        f.projection = int(std::lround(scene::as_number(nodes::literal_of(*n, *d->port("projection")))));
        if (f.projection == 0) return std::nullopt;
        const V3f size = scene::as_vector(nodes::literal_of(*n, *d->port("size")));
        f.size = V2f(std::max(1e-4f, size.x), std::max(1e-4f, size.y));
        f.turned = scene::as_vector(nodes::literal_of(*n, *d->port("turned")));
        const float cx = std::cos(radians(f.turned.x)), sx = std::sin(radians(f.turned.x)), cy = std::cos(radians(f.turned.y)), sy = std::sin(radians(f.turned.y)), cz = std::cos(radians(f.turned.z)),
                    sz = std::sin(radians(f.turned.z));
        f.x = V3f(cy * cz + sy * sx * sz, cx * sz, -sy * cz + cy * sx * sz);
        f.y = V3f(-cy * sz + sy * sx * cz, cx * cz, sy * sz + cy * sx * cz);
        f.z = V3f(sy * cx, -sx, cy * cx);
    } else {
        if (std::lround(scene::as_number(nodes::literal_of(*n, *d->port("placed")))) != 4) return std::nullopt;  // not by its pin
        f.projection = -1;
        const V3f axis = scene::as_vector(nodes::literal_of(*n, *d->port("axis")));
        f.z = axis.length() > 1e-6f ? axis.normalized() : V3f(0, 1, 0);
        const vemtra::Frame around(f.z);
        f.x = around.tangent;
        f.y = around.bitangent;
        f.size = V2f(.1f * image->prepared->scene_size);
    }
    for (size_t m = 0; m < image->prepared->parts.size(); ++m)
        if (image->prepared->parts[m]->id == bench_.selection().part)
            if (const auto& mesh = *image->prepared->geometry->meshes()[m]; !mesh.identity) f.to_world = mesh.world_to_object.inverse();
    return f;
}

bool FrameHandles::shown() const { return frame().has_value(); }

std::optional<QPointF> FrameHandles::screen(const V3f& world, const QSize& view) const {
    const scene::Camera* camera = scene::active_camera(bench_.scene());
    if (!camera) return std::nullopt;
    const render::Pinhole eye(*camera, view.width(), view.height());
    const V3f d = world - eye.origin;
    const float depth = d.dot(eye.forward);
    if (depth < 1e-5f) return std::nullopt;
    return QPointF((d.dot(eye.right) / depth / eye.tan_x + 1.f) * .5f * float(view.width()), (1.f - d.dot(eye.up) / depth / eye.tan_y) * .5f * float(view.height()));
}

QPointF FrameHandles::position(Handle handle, const QSize& view) const {
    const auto f = frame();
    if (!f) return {-1000, -1000};
    const V3f offset = handle == side ? f->x * (.5f * f->size.x) : handle == top ? f->y * (.5f * f->size.y) : V3f(0.f);
    const auto p = screen((f->centre + offset) * f->to_world, view);
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
    const float w = .5f * f->size.x, h = .5f * f->size.y;
    auto rectangle = [&](const V3f& c, const V3f& a, const V3f& b) { lines.push_back({c - a - b, c + a - b, c + a + b, c - a + b, c - a - b}); };
    auto ring = [&](const V3f& c, const V3f& a, const V3f& b) {
        std::vector<V3f> l;
        for (int i = 0; i <= 48; ++i) l.push_back(c + a * std::cos(float(i) * pi / 24.f) + b * std::sin(float(i) * pi / 24.f));
        lines.push_back(l);
    };
    const V3f x = f->x * w, y = f->y * h, z = f->z * w;
    switch (f->projection) {
        case 2:
            rectangle(z, x, y);
            rectangle(-z, x, y);
            for (const V3f& corner : {x + y, x - y, -x + y, -x - y}) lines.push_back({corner + z, corner - z});
            break;
        case 3:
            ring(y, x, z);
            ring(-y, x, z);
            for (const V3f& edge : {x, -x, z, -z}) lines.push_back({edge + y, edge - y});
            break;
        case 4:
            ring(V3f(0.f), x, z);
            ring(V3f(0.f), x, f->y * w);
            ring(V3f(0.f), z, f->y * w);
            break;
        case 5: {  // what the camera sees at one metre, drawn nearer where that is far
            const V3f far = -f->z;
            rectangle(far, x, y);
            for (const V3f& corner : {x + y, x - y, -x + y, -x - y}) lines.push_back({V3f(0.f), far + corner});
            break;
        }
        case -1: lines.push_back({V3f(0.f), f->z * w}); ring(V3f(0.f), x * .5f, f->y * (.5f * w)); break;
        default: rectangle(V3f(0.f), x, y); lines.push_back({V3f(0.f), f->z * (.5f * w)}); break;
    }
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    for (const QPen& pen : {QPen(QColor(20, 20, 20, 180), 3), QPen(QColor(245, 245, 245), 1.2)}) {
        p.setPen(pen);
        for (const auto& line : lines)
            for (size_t i = 0; i + 1 < line.size(); ++i) {
                const auto a = screen((f->centre + line[i]) * f->to_world, view), b = screen((f->centre + line[i + 1]) * f->to_world, view);
                if (a && b) p.drawLine(*a, *b);
            }
    }
    p.setPen(QPen(QColor(20, 20, 20), 1));
    p.setBrush(QColor(245, 245, 245));
    p.drawEllipse(position(middle, view), 6, 6);
    if (f->projection >= 0) {
        p.drawRect(QRectF(position(side, view) - QPointF(4, 4), QSizeF(8, 8)));
        p.drawEllipse(position(top, view), 4, 4);
    }
    p.restore();
}

void FrameHandles::drag(Handle handle, const QPointF& to, const QSize& view, const std::optional<Workbench::SurfaceSpot>& spot) {
    const auto f = frame();
    const scene::Node* n = bench_.node();
    if (!f || !n) return;
    const std::string id = n->id;
    auto write = [&](const char* label, auto change) {
        bench_.edit_build_up(label, [&](scene::BuildUp& b) {
            if (scene::Node* node = scene::node(b, id)) change(*node);
        }, std::string("frame ") + label + id);
    };
    if (handle == middle) {
        V3f centre;
        if (spot) {
            centre = spot->position;
        } else {  // beside the asset: parallel to the picture
            const scene::Camera* camera = scene::active_camera(bench_.scene());
            const auto now = screen(f->centre * f->to_world, view);
            if (!camera || !now) return;
            const render::Pinhole eye(*camera, view.width(), view.height());
            const float depth = (f->centre * f->to_world - eye.origin).dot(eye.forward), per_pixel = 2.f * eye.tan_x * depth / float(view.width());
            centre = (f->centre * f->to_world + eye.right * (float(to.x() - now->x()) * per_pixel) - eye.up * (float(to.y() - now->y()) * per_pixel)) * f->to_world.inverse();
        }
        write("Move frame", [&](scene::Node& node) {
            node.inputs["centre"].value = centre;
            if (spot && f->projection == -1) node.inputs["axis"].value = spot->normal;
        });
    } else if (f->projection >= 0) {
        const QPointF c = position(middle, view), was = position(handle, view) - c, now = to - c;
        const double a = std::hypot(was.x(), was.y()), b = std::hypot(now.x(), now.y());
        if (handle == side && a > 1 && b > 1)
            write("Size of frame", [&](scene::Node& node) { node.inputs["size"].value = V2f(f->size * float(std::clamp(b / a, .2, 5.))); });
        if (handle == top && a > 1 && b > 1) {
            const double turn = std::atan2(now.x(), -now.y()) - std::atan2(was.x(), -was.y());
            write("Roll frame", [&](scene::Node& node) { node.inputs["turned"].value = V3f(f->turned.x, f->turned.y, std::remainder(f->turned.z - float(turn) * 180.f / pi, 360.f)); });
        }
    }
}

}  // namespace vemtra::app
