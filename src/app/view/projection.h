// Between the picture and the world, by the scene's camera.
#pragma once
#include <QPointF>
#include <QSize>
#include <optional>

#include "scene/scene.h"

namespace vemtra::app {

/// Nothing where it lies behind the camera.
std::optional<QPointF> to_screen(const scene::Scene& scene, const V3f& world, const QSize& view);
/// Half of the width, in metres, that the framed picture shows at the depth of a point; never 0.
float half_width_at(const scene::Scene& scene, const V3f& at);
/// Where the sight line through a point of the picture meets a plane; nothing where it does not, or beyond a thousand
/// times the way to the target.
std::optional<V3f> on_plane(const scene::Scene& scene, const QPointF& at, const QSize& view, const V3f& origin,
                            const V3f& normal);
/// The step in the world, parallel to the picture, that a hand makes at the depth of `at`.
V3f parallel_step(const scene::Scene& scene, const V3f& at, const QPointF& from, const QPointF& to, const QSize& view);

}  // namespace vemtra::app
