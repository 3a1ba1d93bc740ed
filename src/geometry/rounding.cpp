#include "geometry/rounding.h"

#include <cmath>

#include "geometry/face_sides.h"

namespace vemtra::geometry {
namespace {

/// From the point at a third of a side to the patch's control point there, `d`: from the corner to the side's other
/// end. `own` and `beside`: the corner's normals on both faces.
V3f control(const V3f& d, const V3f& own, const V3f& beside) {
    V3f out = own * (-d.dot(own) / 3.f);
    if (own.dot(beside) < .9999f)
        if (V3f line = own.cross(beside); line.length2() > 1e-8f) {
            line.normalize();
            out = (line * line.dot(d) - d) / 3.f;
        }
    return finite(out) ? out : V3f(0.f);
}

}  // namespace

V3f bulge(const Mesh& m, const Welds& welds, uint32_t face, float u, float v) {
    const float weight[3] = {1.f - u - v, u, v};
    const uint32_t* i = &m.indices[3 * size_t(face)];
    V3f sides(0.f);
    V3f all(0.f);
    for (uint32_t c = 0; c < 3; ++c) {
        const uint32_t next = (c + 1) % 3;
        const V3f d = m.positions[i[next]] - m.positions[i[c]];
        V3f beside[2] = {m.normals[i[c]], m.normals[i[next]]};
        const uint32_t side = 3 * face + c;
        // Of two faces at a side; more have no line in common.
        if (const uint32_t o = welds.next_side[side]; o != side && welds.next_side[o] == side) {
            const uint32_t ends[2] = {m.indices[o], m.indices[o % 3 == 2 ? o - 2 : o + 1]};
            const bool same_way = welds.place_of[ends[0]] == welds.place_of[i[c]];
            beside[0] = m.normals[ends[same_way ? 0 : 1]];
            beside[1] = m.normals[ends[same_way ? 1 : 0]];
        }
        const V3f first = control(d, m.normals[i[c]], beside[0]);
        const V3f second = control(-d, m.normals[i[next]], beside[1]);
        sides += (first * weight[c] + second * weight[next]) * (weight[c] * weight[next]);
        all += first + second;
    }
    return sides * 3.f + all * (1.5f * weight[0] * weight[1] * weight[2]);
}

float largest_bulge(const Mesh& m) {
    float longest = 0.f;
    for (uint32_t f = 0; f < m.triangles(); ++f) longest = std::max(longest, longest_side(m, f));
    return .35f * longest;
}

}  // namespace vemtra::geometry
