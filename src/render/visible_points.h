// What the camera sees of the surfaces, for measuring.
#pragma once
#include "render/prepared.h"

namespace vemtra::render {

/// A surface point as the first hit of a camera ray sees it, for measuring what is visible.
struct VisiblePoint {
    bool hit = false;
    uint32_t mesh = 0, triangle = 0;
    float u = 0.f, v = 0.f, width = 0.f;  ///< width: of the ray there, metres
};
/// What lies under the point (x, y) of a picture of this size, pixel centres at .5.
VisiblePoint visible_at(const Prepared& prepared, int width, int height, float x, float y);
std::vector<VisiblePoint> visible_points(const Prepared& prepared, int width, int height);

}  // namespace vemtra::render
