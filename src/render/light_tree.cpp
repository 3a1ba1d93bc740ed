#include "render/light_tree.h"

#include <algorithm>
#include <numeric>

namespace vemtra::render {
LightBounds joined(const LightBounds& a, const LightBounds& b) {
    if (a.power <= 0.f && a.box.isEmpty()) return b;
    LightBounds out = a;
    out.box.extendBy(b.box);
    out.power += b.power;
    if (a.cos_spread <= -1.f || b.cos_spread <= -1.f) {
        out.cos_spread = -1.f;
        return out;
    }
    // The smallest cone around two.
    const float own = std::acos(std::clamp(a.cos_spread, -1.f, 1.f));
    const float other = std::acos(std::clamp(b.cos_spread, -1.f, 1.f));
    const float between = std::acos(std::clamp(a.axis.dot(b.axis), -1.f, 1.f));
    if (between + other <= own) return out;
    if (between + own <= other) {
        out.axis = b.axis;
        out.cos_spread = b.cos_spread;
        return out;
    }
    const float half = .5f * (own + between + other);
    if (half >= pi) {
        out.cos_spread = -1.f;
        return out;
    }
    V3f side = b.axis - a.axis * a.axis.dot(b.axis);
    if (side.length2() < 1e-10f) {  // opposite axes
        out.cos_spread = -1.f;
        return out;
    }
    side.normalize();
    const float turn = half - own;
    out.axis = (a.axis * std::cos(turn) + side * std::sin(turn)).normalized();
    out.cos_spread = std::cos(std::min(pi, half + 1e-4f));
    return out;
}

struct LightTree::Branch {
    LightBounds bounds;
    uint32_t right = 0;  ///< the left one follows it; 0: a leaf
    uint32_t first = 0, last = 0;
};

LightTree::LightTree(const std::vector<LightBounds>& lights, size_t leaf) {
    if (lights.empty()) return;
    order_.resize(lights.size());
    std::iota(order_.begin(), order_.end(), 0u);
    leaf_of_.resize(lights.size());
    power_.resize(lights.size());
    std::vector<LightBounds> good = lights;
    for (size_t i = 0; i < good.size(); ++i) {
        LightBounds& b = good[i];
        if (!finite(b.box.min) || !finite(b.box.max) || !finite(b.axis) || !std::isfinite(b.power))
            b = LightBounds{Box3f(V3f(0.f), V3f(0.f)), {0.f, 0.f, 1.f}, -1.f, 0.f};  // it cannot be seen
        power_[i] = b.power;
    }
    std::vector<Branch> tree;
    tree.reserve(2 * (lights.size() / std::max<size_t>(1, leaf / 2) + 1));
    build(good, 0, uint32_t(good.size()), std::max<size_t>(1, leaf), tree);
    spread(tree);
}

void LightTree::build(const std::vector<LightBounds>& lights, uint32_t first, uint32_t last, size_t leaf,
                      std::vector<Branch>& out) {
    const uint32_t at = uint32_t(out.size());
    out.push_back({lights[order_[first]], 0, first, last});
    if (last - first <= leaf) {
        for (uint32_t k = first + 1; k < last; ++k) out[at].bounds = joined(out[at].bounds, lights[order_[k]]);
        return;
    }
    Box3f middles;
    for (uint32_t k = first; k < last; ++k) {
        const Box3f& b = lights[order_[k]].box;
        middles.extendBy((b.min + b.max) * .5f);
    }
    const int axis = int(middles.majorAxis());
    const uint32_t half = first + (last - first) / 2;
    std::nth_element(order_.begin() + first, order_.begin() + half, order_.begin() + last, [&](uint32_t a, uint32_t b) {
        const float x = lights[a].box.min[axis] + lights[a].box.max[axis];
        const float y = lights[b].box.min[axis] + lights[b].box.max[axis];
        return x < y || (x == y && a < b);
    });
    build(lights, first, half, leaf, out);
    const uint32_t right = uint32_t(out.size());
    build(lights, half, last, leaf, out);
    out[at].right = right;
    out[at].bounds = joined(out[at + 1].bounds, out[right].bounds);
}

/// Lays the binary tree out in fans: of what a fan holds, that with the most lights is parted until it is full.
void LightTree::spread(const std::vector<Branch>& tree) {
    fans_.push_back(Fan());
    std::vector<uint32_t> roots{0};  // of the fans, in `tree`
    for (uint32_t at = 0; at < fans_.size(); ++at) {
        std::vector<uint32_t> held{roots[at]};
        while (held.size() < size_t(width)) {
            const auto lights = [&](uint32_t i) { return tree[i].right ? tree[i].last - tree[i].first : 0; };
            const auto most = std::max_element(held.begin(), held.end(),
                                               [&](uint32_t a, uint32_t b) { return lights(a) < lights(b); });
            if (!lights(*most)) break;
            const uint32_t left = *most + 1;
            const uint32_t right = tree[*most].right;
            *most = left;
            held.insert(most + 1, right);
        }
        Fan fan;
        fan.parent = fans_[at].parent;
        fan.branch = fans_[at].branch;
        for (int k = 0; k < width; ++k) {
            const bool missing = size_t(k) >= held.size();
            const Branch b = missing ? Branch() : tree[held[size_t(k)]];
            const V3f middle = missing ? V3f(0.f) : (b.bounds.box.min + b.bounds.box.max) * .5f;
            for (int c = 0; c < 3; ++c) {
                fan.low[c][k] = missing ? INFINITY : b.bounds.box.min[c];
                fan.high[c][k] = missing ? -INFINITY : b.bounds.box.max[c];
                fan.middle[c][k] = middle[c];
                fan.axis[c][k] = b.bounds.axis[c];
            }
            fan.radius2[k] = missing ? 0.f : .25f * (b.bounds.box.max - b.bounds.box.min).length2();
            fan.radius[k] = std::sqrt(fan.radius2[k]);
            fan.cos_spread[k] = b.bounds.cos_spread <= -1.f ? -2.f : b.bounds.cos_spread;
            fan.sin_spread[k] = std::sqrt(std::max(0.f, 1.f - fan.cos_spread[k] * fan.cos_spread[k]));
            fan.power[k] = missing ? 0.f : b.bounds.power;
            fan.fan[k] = 0;
            fan.first[k] = b.first;
            fan.count[k] = missing || b.right ? 0 : b.last - b.first;
            if (!missing && b.right) {
                fan.fan[k] = uint32_t(fans_.size());
                roots.push_back(held[size_t(k)]);
                fans_.push_back(Fan());
                fans_.back().parent = at;
                fans_.back().branch = uint32_t(k);
            }
            for (uint32_t i = 0; i < fan.count[k]; ++i)
                leaf_of_[order_[fan.first[k] + i]] = at * uint32_t(width) + uint32_t(k);
        }
        fans_[at] = fan;
    }
}

/// About the most that the lights of a branch bring to a point, up to a factor that all share; 0 only where they cannot
/// be seen.
void LightTree::importance(const Fan& f, const V3f& p, float* __restrict out) {
    for (int k = 0; k < width; ++k) {
        const float x = p.x - f.middle[0][k];
        const float y = p.y - f.middle[1][k];
        const float z = p.z - f.middle[2][k];
        const float d2 = x * x + y * y + z * z;
        const float brings = f.power[k] / std::max(1e-12f, std::max(d2, f.radius2[k]));
        // The smallest angle between a normal and the way to the point: that to the axis, less the cone's own and less
        // what the box covers; cos(a - b) of angles by their cosines and sines.
        const float inverse = 1.f / std::sqrt(std::max(1e-30f, d2));
        const float along = (f.axis[0][k] * x + f.axis[1][k] * y + f.axis[2][k] * z) * inverse;
        const float cos_axis = std::min(1.f, std::max(-1.f, along));
        const float sin_axis = std::sqrt(1.f - cos_axis * cos_axis);
        const float cosine = cos_axis * f.cos_spread[k] + sin_axis * f.sin_spread[k];
        const float sine = sin_axis * f.cos_spread[k] - cos_axis * f.sin_spread[k];
        const float sin_box = f.radius[k] * inverse;
        const float cos_box = std::sqrt(std::max(0.f, 1.f - sin_box * sin_box));
        const float least = cosine * cos_box + sine * sin_box;
        // Rounding must not hide a light that grazes.
        const float leaning = least > -1e-3f ? std::max(1e-3f, least) : 0.f;
        const bool faces = (d2 <= f.radius2[k]) | (cos_axis >= f.cos_spread[k]) | (cosine >= cos_box);
        out[k] = brings * (faces ? 1.f : leaning);
    }
}

uint32_t LightTree::crossed(const Fan& f, const V3f& origin, const V3f& inverse, float limit) {
    typedef float Row __attribute__((vector_size(4 * width)));
    Row near = {};
    Row far = near + limit;
    for (int c = 0; c < 3; ++c) {
        const Row a = (*reinterpret_cast<const Row*>(f.low[c]) - origin[c]) * inverse[c];
        const Row b = (*reinterpret_cast<const Row*>(f.high[c]) - origin[c]) * inverse[c];
        // Comparisons that let numbers that are none pass: a flat box along a direction that lies in it.
        near = (a > near) & (b > near) ? (a < b ? a : b) : near;
        far = (a < far) & (b < far) ? (a < b ? b : a) : far;
    }
    const auto meets = near <= far * 1.00002f;
    uint32_t bits = 0;
    for (int k = 0; k < width; ++k) bits |= uint32_t(meets[k] & 1) << k;
    return bits;
}

float LightTree::share_in_leaf(const Fan& fan, int branch, uint32_t light) const {
    if (fan.count[branch] < 2) return 1.f;
    float all = 0.f;
    for (uint32_t k = 0; k < fan.count[branch]; ++k) all += power_[order_[fan.first[branch] + k]];
    return all > 0.f ? power_[light] / all : 0.f;
}

LightTree::Chosen LightTree::choose(const V3f& from, float u) const {
    Looks looks;
    return choose(from, u, looks);
}

LightTree::Chosen LightTree::choose(const V3f& from, float u, Looks& looks) const {
    constexpr float below_one = .99999994f;
    Chosen c;
    if (fans_.empty()) return c;
    float chance = 1.f;
    const Fan* fan = fans_.data();
    int branch = 0;
    for (size_t level = 0;; ++level) {
        Looks::Look& look = looks.levels_[std::min(level, std::size(looks.levels_) - 1)];
        if (look.fan != fan) {
            look.fan = fan;
            importance(*fan, from, look.each);
            look.up_to[0] = look.each[0];
            for (int k = 1; k < width; ++k) look.up_to[k] = look.up_to[k - 1] + look.each[k];
        }
        const float* each = look.each;
        const float all = look.up_to[width - 1];
        if (!(all > 0.f) || !std::isfinite(all)) return c;
        const float sought = u * all;
        branch = 0;
        for (int k = 0; k < width; ++k) branch += look.up_to[k] <= sought;
        if (branch == width)  // by rounding
            while (!(each[--branch] > 0.f)) {}
        const float left = branch ? sought - look.up_to[branch - 1] : sought;
        chance *= each[branch] / all;
        u = std::clamp(left / each[branch], 0.f, below_one);
        if (!fan->fan[branch]) break;
        fan = &fans_[fan->fan[branch]];
    }
    const uint32_t count = fan->count[branch];
    for (uint32_t k = 0; k < count; ++k) {
        const uint32_t light = order_[fan->first[branch] + k];
        const float share = share_in_leaf(*fan, branch, light);
        if (share > 0.f && (u < share || k + 1 == count)) {
            c.light = light;
            c.chance = chance * share;
            c.rest = std::clamp(u / share, 0.f, below_one);
            return c;
        }
        u -= share;
    }
    return c;
}

float LightTree::chance(const V3f& from, uint32_t light) const {
    if (light >= leaf_of_.size() || !(power_[light] > 0.f)) return 0.f;
    uint32_t at = leaf_of_[light] / uint32_t(width);
    uint32_t branch = leaf_of_[light] % uint32_t(width);
    float chance = share_in_leaf(fans_[at], int(branch), light);
    for (;;) {
        const Fan& fan = fans_[at];
        alignas(32) float each[width];
        importance(fan, from, each);
        float all = 0.f;
        for (const float one : each) all += one;
        if (!(all > 0.f) || !std::isfinite(all)) return 0.f;
        chance *= each[branch] / all;
        if (!at) return chance;
        branch = fan.branch;
        at = fan.parent;
    }
}

}  // namespace vemtra::render
