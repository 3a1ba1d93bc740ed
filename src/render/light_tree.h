// Choosing one light out of many by what it can bring to a point at most: a tree over boxes, cones of normals and
// powers (Conty Estevez and Kulla 2018, "Importance Sampling of Many Lights with Adaptive Tree Splitting"), gone down
// by chance, eight branches side by side. No light that reaches the point is ever left out.
#pragma once
#include <bit>
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
    class Looks;
    /// `looks`: what was seen from this very place before.
    Chosen choose(const V3f& from, float u, Looks& looks) const;
    Chosen choose(const V3f& from, float u) const;
    /// Of choose() to give this light.
    float chance(const V3f& from, uint32_t light) const;

    /// Calls `met(light)` for all lights whose boxes a ray may cross before `limit`; met returns a new limit.
    template <class Met> void crossed(const V3f& origin, const V3f& direction, float limit, Met&& met) const;

private:
    static constexpr int width = 8;
    /// Branches side by side, a row per number. Those that are missing have no power and an empty box.
    struct alignas(32) Fan {
        float low[3][width], high[3][width];  ///< of the boxes
        float middle[3][width];
        float radius[width], radius2[width];                         ///< of the spheres around the boxes
        float axis[3][width], cos_spread[width], sin_spread[width];  ///< of the cones; cosine -2: every way
        float power[width];
        uint32_t fan[width];                  ///< 0: the branch is a leaf
        uint32_t first[width], count[width];  ///< lights of a leaf, in `order_`
        uint32_t parent = 0, branch = 0;      ///< it hangs on that branch of that fan
    };
    /// Bits of the branches whose boxes a ray may cross before `limit`.
    static uint32_t crossed(const Fan& fan, const V3f& origin, const V3f& inverse, float limit);
    struct Branch;  ///< of a binary tree, while it is built
    void build(const std::vector<LightBounds>& lights, uint32_t first, uint32_t last, size_t leaf,
               std::vector<Branch>& out);
    void spread(const std::vector<Branch>& tree);
    /// Of each branch.
    static void importance(const Fan& fan, const V3f& from, float* __restrict out);
    float share_in_leaf(const Fan& fan, int branch, uint32_t light) const;

    std::vector<Fan> fans_;
    std::vector<uint32_t> order_;    ///< lights, leaf by leaf
    std::vector<uint32_t> leaf_of_;  ///< by light: its fan times `width`, and the branch
    std::vector<float> power_;       ///< by light
};

/// What the branches of some fans bring to one place: several lights are chosen for it, mostly by the same fans.
class LightTree::Looks {
    friend class LightTree;
    struct Look {
        const Fan* fan = nullptr;
        alignas(32) float each[width];
        alignas(32) float up_to[width];  ///< sums, each with its own; the last one is that of all
    };
    Look levels_[4];  ///< from the root on; the last serves all below it
};

template <class Met> void LightTree::crossed(const V3f& origin, const V3f& direction, float limit, Met&& met) const {
    if (fans_.empty()) return;
    const V3f inverse(1.f / direction.x, 1.f / direction.y, 1.f / direction.z);
    uint32_t open[8 * width * 4];  // no tree over 2^32 lights is deeper
    int count = 0;
    open[count++] = 0;
    while (count > 0) {
        const Fan& f = fans_[open[--count]];
        for (uint32_t bits = crossed(f, origin, inverse, limit); bits; bits &= bits - 1) {
            const int k = std::countr_zero(bits);
            if (f.fan[k])
                open[count++] = f.fan[k];
            else
                for (uint32_t i = 0; i < f.count[k]; ++i) limit = met(order_[f.first[k] + i], limit);
        }
    }
}

}  // namespace vemtra::render
