#include "app/view/projection.h"

#include "render/pinhole.h"

namespace vemtra::app {

std::optional<QPointF> to_screen(const scene::Scene& scene, const V3f& world, const QSize& view) {
    const scene::Camera* camera = scene::active_camera(scene);
    if (!camera) return std::nullopt;
    const render::Pinhole eye(*camera, view.width(), view.height(), render::framed_aspect(scene));
    const V3f d = world - eye.origin;
    const float depth = d.dot(eye.forward);
    if (depth < 1e-5f) return std::nullopt;
    return QPointF((d.dot(eye.right) / depth / eye.tan_x + 1.f) * .5f * float(view.width()),
                   (1.f - d.dot(eye.up) / depth / eye.tan_y) * .5f * float(view.height()));
}

float half_width_at(const scene::Scene& scene, const V3f& at) {
    const scene::Camera* camera = scene::active_camera(scene);
    if (!camera) return 1.f;
    const render::Pinhole eye(*camera, 2, 1);  // the height does not matter across
    return eye.tan_x * std::max(1e-4f, (at - eye.origin).dot(eye.forward));
}

std::optional<V3f> on_plane(const scene::Scene& scene, const QPointF& at, const QSize& view, const V3f& origin,
                            const V3f& normal) {
    const scene::Camera* camera = scene::active_camera(scene);
    if (!camera) return std::nullopt;
    const render::Pinhole eye(*camera, view.width(), view.height(), render::framed_aspect(scene));
    const float x = (2.f * float(at.x()) / float(view.width()) - 1.f) * eye.tan_x;
    const float y = (1.f - 2.f * float(at.y()) / float(view.height())) * eye.tan_y;
    const V3f d = (eye.forward + eye.right * x + eye.up * y).normalized();
    const float slope = d.dot(normal);
    if (std::fabs(slope) < 1e-6f) return std::nullopt;
    const float t = (origin - eye.origin).dot(normal) / slope;
    if (!(t > 0.f) || t > 1000.f * (camera->target - camera->position).length()) return std::nullopt;
    return eye.origin + d * t;
}

V3f parallel_step(const scene::Scene& scene, const V3f& at, const QPointF& from, const QPointF& to, const QSize& view) {
    const scene::Camera* camera = scene::active_camera(scene);
    if (!camera) return V3f(0.f);
    const render::Pinhole eye(*camera, view.width(), view.height(), render::framed_aspect(scene));
    const float depth = std::max(1e-4f, (at - eye.origin).dot(eye.forward));
    const float per_pixel = 2.f * eye.tan_x * depth / float(view.width());
    return eye.right * (float(to.x() - from.x()) * per_pixel) - eye.up * (float(to.y() - from.y()) * per_pixel);
}

}  // namespace vemtra::app
