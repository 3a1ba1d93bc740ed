// A frame to draw directions in, that stands beside itself from one normal to the next.
#pragma once
#include "base/vec.h"

namespace vemtra {

/// An orthonormal frame about the unit vector `n`. On what is steep its tangent is level and its bitangent goes up, so
/// that numbers which are spread evenly part sky and ground evenly; on what lies flat, where "level" would turn with
/// every bump, it is what the shortest turn from straight up (or down) takes along (Frisvad 2012, "Building an
/// Orthonormal Basis from a 3D Unit Vector Without Normalization"). Between the two it turns from one to the other; it
/// does so either way round, so that a seam is left there on the side that faces -z. With Frame, which changes its
/// sense where z changes its sign, noise shows that line on every round form.
inline Frame even_frame(const V3f& n) {
    constexpr float steep = .8f;
    constexpr float lying = .95f;
    Frame f(n);
    const float up = std::fabs(n.y);
    V3f level(n.z, 0.f, -n.x);
    if (up < lying) level /= std::sqrt(n.x * n.x + n.z * n.z);
    if (up <= steep) {
        f.tangent = level;
    } else {
        const float h = 1.f + up;
        const V3f along(1.f - n.x * n.x / h, n.y < 0.f ? n.x : -n.x, -n.x * n.z / h);
        f.tangent = along;
        if (up < lying) {
            const V3f across = n.cross(along);
            const float s = (lying - up) / (lying - steep);
            const float angle = s * s * (3.f - 2.f * s) * std::atan2(level.dot(across), level.dot(along));
            f.tangent = along * std::cos(angle) + across * std::sin(angle);
        }
    }
    f.bitangent = n.cross(f.tangent);
    return f;
}

}  // namespace vemtra
