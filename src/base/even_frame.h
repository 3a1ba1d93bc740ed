// A frame about directions that stands beside itself from one direction to the next.
#pragma once
#include "base/vec.h"

namespace vemtra {

/// The frame that the shortest turn from straight up to the unit vector `n` takes along: it changes evenly everywhere
/// but straight down. Points of a pixel that draw the same numbers then draw directions beside each other; with Frame,
/// which changes its sense where z changes its sign, noise shows such a line on every round form. (Frisvad 2012,
/// "Building an Orthonormal Basis from a 3D Unit Vector Without Normalization"; 1 + y comes from x and z below, where
/// it would lose its digits.)
inline Frame even_frame(const V3f& n) {
    Frame f(n);
    const float aside = n.x * n.x + n.z * n.z;
    const float h = n.y >= 0.f ? 1.f + n.y : aside / (1.f - n.y);
    if (!(h > 1e-30f)) {
        f.tangent = {1.f, 0.f, 0.f};
        f.bitangent = {0.f, 0.f, 1.f};
        return f;
    }
    const float both = n.x * n.z / h;
    f.tangent = {1.f - n.x * n.x / h, -n.x, -both};
    f.bitangent = {both, n.z, n.z * n.z / h - 1.f};
    return f;
}

}  // namespace vemtra
