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
    nodes_.reserve(2 * (lights.size() / std::max<size_t>(1, leaf / 2) + 1));
    build(good, 0, uint32_t(good.size()), 0, std::max<size_t>(1, leaf));
}

uint32_t LightTree::build(const std::vector<LightBounds>& lights, uint32_t first, uint32_t last, uint32_t parent,
                          size_t leaf) {
    const uint32_t at = uint32_t(nodes_.size());
    nodes_.push_back(Node());
    nodes_[at].parent = parent;
    if (last - first <= leaf) {
        LightBounds all = lights[order_[first]];
        for (uint32_t k = first + 1; k < last; ++k) all = joined(all, lights[order_[k]]);
        nodes_[at].bounds = all;
        finish(nodes_[at]);
        nodes_[at].first = first;
        nodes_[at].count = last - first;
        for (uint32_t k = first; k < last; ++k) leaf_of_[order_[k]] = at;
        return at;
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
    build(lights, first, half, at, leaf);
    const uint32_t right = build(lights, half, last, at, leaf);
    nodes_[at].right = right;
    nodes_[at].bounds = joined(nodes_[at + 1].bounds, nodes_[right].bounds);
    finish(nodes_[at]);
    return at;
}

void LightTree::finish(Node& node) const {
    node.middle = (node.bounds.box.min + node.bounds.box.max) * .5f;
    node.radius2 = .25f * (node.bounds.box.max - node.bounds.box.min).length2();
    node.sin_spread = std::sqrt(std::max(0.f, 1.f - node.bounds.cos_spread * node.bounds.cos_spread));
}

/// About the most that the lights of a node bring to a point, up to a factor that all share; 0 only where they cannot
/// be seen.
float LightTree::importance(const Node& node, const V3f& p) {
    const V3f to = p - node.middle;
    const float d2 = to.length2();
    const float brings = node.bounds.power / std::max(1e-12f, std::max(d2, node.radius2));
    if (node.bounds.cos_spread <= -1.f || d2 <= node.radius2) return brings;
    // The smallest angle between a normal and the way to the point: that to the axis, less the cone's own and less what
    // the box covers; cos(a - b) of angles by their cosines and sines.
    const float inverse = 1.f / std::sqrt(d2);
    const float cos_axis = std::min(1.f, node.bounds.axis.dot(to) * inverse);
    if (cos_axis >= node.bounds.cos_spread) return brings;
    const float sin_axis = std::sqrt(std::max(0.f, 1.f - cos_axis * cos_axis));
    const float cosine = cos_axis * node.bounds.cos_spread + sin_axis * node.sin_spread;
    const float sine = sin_axis * node.bounds.cos_spread - cos_axis * node.sin_spread;
    const float cos_box = std::sqrt(std::max(0.f, 1.f - node.radius2 * inverse * inverse));
    if (cosine >= cos_box) return brings;
    const float least = cosine * cos_box + sine * std::sqrt(node.radius2) * inverse;
    // Rounding must not hide a light that grazes.
    return least > -1e-3f ? brings * std::max(1e-3f, least) : 0.f;
}

float LightTree::left_chance(const Node& left, const Node& right, const V3f& from) {
    const float a = importance(left, from);
    const float b = importance(right, from);
    return a + b > 0.f ? a / (a + b) : -1.f;
}

LightTree::Chosen LightTree::choose(const V3f& from, float u) const {
    Chosen c;
    if (nodes_.empty()) return c;
    float chance = 1.f;
    uint32_t at = 0;
    while (nodes_[at].right) {
        const float left = left_chance(nodes_[at + 1], nodes_[nodes_[at].right], from);
        if (left < 0.f) return c;
        if (u < left) {
            u = std::min(.99999994f, u / left);
            chance *= left;
            ++at;
        } else {
            u = std::min(.99999994f, (u - left) / (1.f - left));
            chance *= 1.f - left;
            at = nodes_[at].right;
        }
    }
    const Node& leaf = nodes_[at];
    float all = 0.f;
    for (uint32_t k = 0; k < leaf.count; ++k) all += power_[order_[leaf.first + k]];
    if (!(all > 0.f)) return c;
    float below = 0.f;
    for (uint32_t k = 0; k < leaf.count; ++k) {
        const uint32_t light = order_[leaf.first + k];
        const float share = power_[light] / all;
        if (share > 0.f && (u < below + share || k + 1 == leaf.count)) {
            c.light = light;
            c.chance = chance * share;
            c.rest = std::clamp((u - below) / share, 0.f, .99999994f);
            return c;
        }
        below += share;
    }
    return c;
}

float LightTree::chance(const V3f& from, uint32_t light) const {
    if (light >= leaf_of_.size() || !(power_[light] > 0.f)) return 0.f;
    uint32_t at = leaf_of_[light];
    const Node& leaf = nodes_[at];
    float chance = 1.f;
    if (leaf.count > 1) {
        float all = 0.f;
        for (uint32_t k = 0; k < leaf.count; ++k) all += power_[order_[leaf.first + k]];
        chance = power_[light] / all;
    }
    while (at) {
        const uint32_t parent = nodes_[at].parent;
        const float left = left_chance(nodes_[parent + 1], nodes_[nodes_[parent].right], from);
        if (left < 0.f) return 0.f;
        chance *= at == parent + 1 ? left : 1.f - left;
        at = parent;
    }
    return chance;
}

}  // namespace vemtra::render
