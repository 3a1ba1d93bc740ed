#include "geometry/surface_walk.h"

#include <algorithm>

namespace vemtra::geometry {
namespace {

constexpr int most_edges = 128;

/// A face as its first corner and the two sides from there, with what turns a direction in its plane into coordinates.
struct Plane {
    V3f one, two;
    float a = 0.f, b = 0.f, c = 0.f, area = 0.f;  ///< products of the sides, and their determinant
    Plane(const Mesh& m, uint32_t face) {
        const uint32_t* i = &m.indices[3 * size_t(face)];
        one = m.positions[i[1]] - m.positions[i[0]];
        two = m.positions[i[2]] - m.positions[i[0]];
        a = one.dot(one);
        b = one.dot(two);
        c = two.dot(two);
        area = a * c - b * b;
    }
    bool flat() const { return !(area > 1e-12f * a * c) || !(a > 0.f) || !(c > 0.f); }
    V3f normal() const { return one.cross(two).normalized(); }
    V2f coordinates(const V3f& d) const {
        const float x = d.dot(one);
        const float y = d.dot(two);
        return {(c * x - b * y) / area, (a * y - b * x) / area};
    }
};

/// A place on side `side` of a face, `t` of the way from its first end.
V2f on_side(int side, float t) {
    switch (side) {
        case 0: return {t, 0.f};
        case 1: return {1.f - t, t};
        default: return {0.f, 1.f - t};
    }
}

}  // namespace

FacePlace walk(const Mesh& m, const Welds& welds, FacePlace at, const V3f& step) {
    const float length = step.length();
    if (!(length > 0.f)) return at;
    auto corner = [&](uint32_t side) { return m.positions[m.indices[side]]; };
    auto end_of = [](uint32_t side) { return side % 3 == 2 ? side - 2 : side + 1; };
    V3f rest;
    for (int edges = 0; edges < most_edges; ++edges) {
        const Plane plane(m, at.face);
        if (plane.flat()) return at;
        if (edges == 0) {
            const V3f n = plane.normal();
            rest = step - n * step.dot(n);
            const float kept = rest.length();
            if (!(kept > 1e-6f * length)) return at;
            rest *= length / kept;
        }
        const V2f d = plane.coordinates(rest);
        // The side through which the way leaves; side 0 is v = 0, side 1 is u + v = 1, side 2 is u = 0.
        const float distance[] = {at.v, 1.f - at.u - at.v, at.u};
        const float speed[] = {-d.y, d.x + d.y, -d.x};
        float t = 1.f;
        int through = -1;
        for (int s = 0; s < 3; ++s)
            if (speed[s] > 0.f)
                if (const float meets = std::max(0.f, distance[s]) / speed[s]; meets < t) t = meets, through = s;
        at.u = std::clamp(at.u + d.x * t, 0.f, 1.f);
        at.v = std::clamp(at.v + d.y * t, 0.f, 1.f - at.u);
        if (through < 0) return at;
        const uint32_t side = 3 * at.face + uint32_t(through);
        const uint32_t beyond = welds.next_side[side];
        if (beyond == side) return at;
        const float along = through == 0 ? at.u : through == 1 ? at.v : 1.f - at.v;
        // Turned about the edge into the plane of the face beyond.
        const V3f edge = (corner(end_of(side)) - corner(side)).normalized();
        const float forward = rest.dot(edge) * (1.f - t);
        const V3f across = rest - edge * rest.dot(edge);
        const float outward = across.length() * (1.f - t);
        const uint32_t third = end_of(end_of(beyond));
        V3f inward = corner(third) - corner(beyond);
        inward -= edge * inward.dot(edge);
        if (!(inward.length2() > 0.f)) return at;
        rest = edge * forward + inward.normalized() * outward;
        const bool turned = welds.place_of[m.indices[beyond]] != welds.place_of[m.indices[side]];
        const V2f entered = on_side(int(beyond % 3), turned ? 1.f - along : along);
        at = {beyond / 3, entered.x, entered.y};
    }
    return at;
}

MeshPoint mesh_point(const Mesh& m, const FacePlace& at) {
    const uint32_t* corner = &m.indices[3 * size_t(at.face)];
    const float weight[] = {1.f - at.u - at.v, at.u, at.v};
    auto mean = [&](const auto& of) {
        return of[corner[0]] * weight[0] + of[corner[1]] * weight[1] + of[corner[2]] * weight[2];
    };
    MeshPoint out{mean(m.positions), mean(m.normals)};
    out.normal = out.normal.length2() > 1e-12f ? out.normal.normalized() : V3f(0.f);
    if (!m.uvs.empty()) out.uv = mean(m.uvs);
    if (!m.colors.empty()) out.color = mean(m.colors);
    return out;
}

}  // namespace vemtra::geometry
