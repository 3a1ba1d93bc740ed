// The camera: a pinhole in the middle of a 36 mm wide picture.
#pragma once
#include <cmath>

#include "scene/scene.h"

namespace vemtra::render {

struct Pinhole {
    V3f origin, forward, right, up;
    float tan_x, tan_y, pixel_angle;
    Pinhole(const scene::Camera& c, int width, int height) : origin(c.position) {
        forward = (c.target - c.position).normalized();
        if (!finite(forward) || forward.length() < .5f) forward = V3f(0, 0, -1);
        const V3f world_up = std::fabs(forward.y) > .9999f ? V3f(0, 0, -1) : V3f(0, 1, 0);
        right = forward.cross(world_up).normalized();
        up = right.cross(forward);
        tan_x = 18.f / c.focal_length;
        tan_y = tan_x * float(height) / float(width);
        pixel_angle = 2.f * tan_x / float(width);
    }
};

}  // namespace vemtra::render
