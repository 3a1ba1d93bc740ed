// Light that was photographed into a colour map.
#pragma once
#include <vector>

#include "base/vec.h"

namespace vemtra::review {

/// A least-squares fit of values against normals: value = level of its group * (1 + amount * normal . direction). Light
/// leaves the hue alone: values of one hue make a group, so that paint of several colours does not hide it. `groups`
/// may be empty: all are one.
struct LightFit {
    V3f direction{0.f};
    float amount = 0.f;
    float explained = 0.f;  ///< share of the values' variance within their groups, 0..1
};
LightFit fit_light(const std::vector<float>& values, const std::vector<V3f>& normals,
                   const std::vector<int>& groups = {});

}  // namespace vemtra::review
