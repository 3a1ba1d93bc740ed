#include "geometry/uv_points.h"

namespace vemtra::geometry {

std::vector<UvPoint> uv_grid_points(const Shape& shape, int n, int tile) {
    const Mesh& mesh = shape.faces_as_triangles();
    std::vector<UvPoint> out(size_t(n) * size_t(n));
    if (mesh.uvs.empty()) return out;
    const V2f origin(float((tile - 1001) % 10), float((tile - 1001) / 10));
    for (uint32_t t = 0; t < mesh.triangles(); ++t) {
        const uint32_t* i = &mesh.indices[3 * size_t(t)];
        const V2f a = (mesh.uvs[i[0]] - origin) * float(n);
        const V2f b = (mesh.uvs[i[1]] - origin) * float(n);
        const V2f c = (mesh.uvs[i[2]] - origin) * float(n);
        const float area = (b - a).cross(c - a);
        if (area == 0.f || !std::isfinite(area)) continue;
        auto first = [&](float x) { return int(std::clamp(std::floor(x - .5f), 0.f, float(n))); };
        auto last = [&](float x) { return int(std::clamp(std::ceil(x), -1.f, float(n - 1))); };
        for (int y = first(std::min({a.y, b.y, c.y})); y <= last(std::max({a.y, b.y, c.y})); ++y)
            for (int x = first(std::min({a.x, b.x, c.x})); x <= last(std::max({a.x, b.x, c.x})); ++x) {
                const V2f p(float(x) + .5f, float(y) + .5f);
                const float u = (p - a).cross(c - a) / area;
                const float v = (b - a).cross(p - a) / area;
                UvPoint& point = out[size_t(y) * size_t(n) + size_t(x)];
                constexpr float eps = -1e-5f;
                if (!point.covered && u >= eps && v >= eps && u + v <= 1.f - eps) point = {true, t, u, v};
            }
    }
    return out;
}

UvPoint uv_point(const Shape& shape, const V2f& uv) {
    const Mesh& mesh = shape.faces_as_triangles();
    for (uint32_t t = 0; !mesh.uvs.empty() && t < mesh.triangles(); ++t) {
        const uint32_t* i = &mesh.indices[3 * size_t(t)];
        const V2f& a = mesh.uvs[i[0]];
        const V2f& b = mesh.uvs[i[1]];
        const V2f& c = mesh.uvs[i[2]];
        const float area = (b - a).cross(c - a);
        if (area == 0.f || !std::isfinite(area)) continue;
        const float u = (uv - a).cross(c - a) / area;
        const float v = (b - a).cross(uv - a) / area;
        if (u >= 0.f && v >= 0.f && u + v <= 1.f) return {true, t, u, v};
    }
    return {};
}

}  // namespace vemtra::geometry
