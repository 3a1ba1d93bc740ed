// The camera: a pinhole in the middle of a picture that is 36 mm wide. A picture that is wider for its height than the
// one that the camera was framed for shows more at both sides: what was framed stays in sight whole, in a window of any
// form.
#pragma once
#include <cmath>

#include "scene/scene.h"

namespace vemtra::render {

struct Pinhole {
    V3f origin, forward, right, up;
    float tan_x, tan_y, pixel_angle;
    /// `framed`: width over height of the picture that the camera was framed for; 0: of this one.
    Pinhole(const scene::Camera& c, int width, int height, float framed = 0.f) : origin(c.position) {
        forward = (c.target - c.position).normalized();
        if (!finite(forward) || forward.length() < .5f) forward = V3f(0, 0, -1);
        const V3f world_up = std::fabs(forward.y) > .9999f ? V3f(0, 0, -1) : V3f(0, 1, 0);
        right = forward.cross(world_up).normalized();
        up = right.cross(forward);
        tan_x = 18.f / c.focal_length;
        tan_y = tan_x * float(height) / float(width);
        if (framed > 0.f && float(width) > framed * float(height)) {
            tan_y = tan_x / framed;
            tan_x = tan_y * float(width) / float(height);
        }
        pixel_angle = 2.f * tan_x / float(width);
    }
};

/// Of the picture that the project renders.
inline float framed_aspect(const scene::Scene& scene) {
    return float(std::max(1, scene.render.width)) / float(std::max(1, scene.render.height));
}

}  // namespace vemtra::render
