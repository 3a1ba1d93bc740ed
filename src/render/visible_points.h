// What the camera sees of the surfaces, for measuring.
#pragma once
#include "render/prepared.h"

namespace vemtra::render {

/// A surface point as the first hit of a camera ray sees it.
struct VisiblePoint {
    bool hit = false;
    geometry::Place at;
    float width = 0.f;  ///< of the ray there, metres
};
/// What lies under the point (x, y) of a picture of this size, pixel centres at .5.
VisiblePoint visible_at(const Prepared& prepared, const scene::Camera& camera, int width, int height, float x, float y);
std::vector<VisiblePoint> visible_points(const Prepared& prepared, const scene::Camera& camera, int width, int height);

}  // namespace vemtra::render
