#include "render/visible_points.h"

#include "base/parallel.h"
#include "render/pinhole.h"

namespace vemtra::render {

using geometry::single_ray;

namespace {
VisiblePoint look(const Prepared& prepared, const Pinhole& camera, int width, int height, float x, float y) {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    const float sx = (2.f * x / float(width) - 1.f) * camera.tan_x;
    const float sy = (1.f - 2.f * y / float(height)) * camera.tan_y;
    const V3f d = (camera.forward + camera.right * sx + camera.up * sy).normalized();
    RTCRayHit ray = single_ray(camera.origin, d);
    rtcIntersect1(prepared.geometry->scene(), &context, &ray);
    const geometry::Place at = geometry::place_of(ray.hit);
    if (!hit_something(at)) return {};
    return {true, at, ray.ray.tfar * camera.pixel_angle};
}
}  // namespace

VisiblePoint visible_at(const Prepared& prepared, const scene::Camera& camera, int width, int height, float x,
                        float y) {
    return look(prepared, Pinhole(camera, width, height, framed_aspect(*prepared.scene)), width, height, x, y);
}

std::vector<VisiblePoint> visible_points(const Prepared& prepared, const scene::Camera& from, int width, int height) {
    std::vector<VisiblePoint> out(size_t(width) * size_t(height));
    const Pinhole camera(from, width, height, framed_aspect(*prepared.scene));
    parallel_ranges(out.size(), 512, [&](size_t first, size_t last) {
        for (size_t i = first; i < last; ++i)
            out[i] =
                look(prepared, camera, width, height, float(i % size_t(width)) + .5f, float(i / size_t(width)) + .5f);
    });
    return out;
}

}  // namespace vemtra::render
