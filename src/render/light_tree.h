// Choosing one light out of many by what it can bring to a point at most: a binary tree over boxes, cones of normals
// and powers (Conty Estevez and Kulla 2018, "Importance Sampling of Many Lights with Adaptive Tree Splitting"), gone
// down by chance. No light that reaches the point is ever left out.
#pragma once
#include <cstdint>
#include <vector>

#include "base/vec.h"

namespace vemtra::render {

/// What bounds one light, or what several together shine.
struct LightBounds {
    Box3f box;
    V3f axis{0.f, 0.f, 1.f};  ///< middle of the normals that it shines along, unit length
    float cos_spread = 1.f;   ///< of the angle around `axis` that holds them all; -1: every way
    float power = 0.f;        ///< luminance times area, >= 0
};
LightBounds joined(const LightBounds& a, const LightBounds& b);

class LightTree {
public:
    LightTree() = default;
    /// `leaf`: how many lights a leaf holds at most; within one they are chosen by their power.
    explicit LightTree(const std::vector<LightBounds>& lights, size_t leaf = 1);

    size_t size() const { return order_.size(); }
    struct Chosen {
        uint32_t light = ~0u;
        float chance = 0.f;  ///< 0: none can be seen
        float rest = 0.f;    ///< a number in [0, 1) that is left of the one that chose
    };
    Chosen choose(const V3f& from, float u) const;
    /// Of choose() to give this light.
    float chance(const V3f& from, uint32_t light) const;

    /// Calls `met(light)` for all lights whose boxes a ray may cross before `limit`; met returns a new limit.
    template <class Met> void crossed(const V3f& origin, const V3f& direction, float limit, Met&& met) const;

private:
    struct Node {
        LightBounds bounds;
        V3f middle{0.f};                 ///< of the box
        float radius2 = 0.f;             ///< squared, of the sphere around the box
        float sin_spread = 0.f;          ///< of the cone
        uint32_t parent = 0, right = 0;  ///< the left child follows its parent; right 0: a leaf
        uint32_t first = 0, count = 0;   ///< lights of a leaf, in `order_`
    };
    uint32_t build(const std::vector<LightBounds>& lights, uint32_t first, uint32_t last, uint32_t parent, size_t leaf);
    void finish(Node& node) const;
    static float importance(const Node& node, const V3f& p);
    static float left_chance(const Node& left, const Node& right, const V3f& from);

    std::vector<Node> nodes_;
    std::vector<uint32_t> order_;    ///< lights, leaf by leaf
    std::vector<uint32_t> leaf_of_;  ///< by light
    std::vector<float> power_;       ///< by light
};

template <class Met> void LightTree::crossed(const V3f& origin, const V3f& direction, float limit, Met&& met) const {
    if (nodes_.empty()) return;
    const V3f inverse(1.f / direction.x, 1.f / direction.y, 1.f / direction.z);
    uint32_t open[64];
    int count = 0;
    open[count++] = 0;
    while (count > 0) {
        const uint32_t at = open[--count];
        const Node& node = nodes_[at];
        float near = 0.f;
        float far = limit;
        for (int c = 0; c < 3; ++c) {
            const float a = (node.bounds.box.min[c] - origin[c]) * inverse[c];
            const float b = (node.bounds.box.max[c] - origin[c]) * inverse[c];
            // Comparisons that let numbers that are none pass: a flat box along a direction that lies in it.
            if (std::min(a, b) > near) near = std::min(a, b);
            if (std::max(a, b) < far) far = std::max(a, b);
        }
        if (near > far * 1.00002f) continue;
        if (node.right) {
            open[count++] = node.right;
            open[count++] = at + 1;
        } else {
            for (uint32_t k = 0; k < node.count; ++k) limit = met(order_[node.first + k], limit);
        }
    }
}

}  // namespace vemtra::render
