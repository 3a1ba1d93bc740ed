// Angles at which facets are met, as shares of a few nodes: what depends on the angle alone is summed over facets by
// its values there. Between two nodes it is taken as straight in the cosine.
#pragma once
#include <algorithm>
#include <cmath>

namespace vemtra::surface {

inline constexpr int facet_nodes = 20;
/// Cosine of the node; dense where light grazes.
inline float facet_node(int k) {
    const float t = float(k) / float(facet_nodes - 1);
    return t * t;
}
/// Gives `of` share to the two nodes around the cosine.
template <class Sum> void add_to_nodes(float mu, Sum of, Sum* nodes) {
    const int k = std::min(int(std::sqrt(std::max(0.f, mu)) * float(facet_nodes - 1)), facet_nodes - 2);
    const float low = facet_node(k);
    const float f = std::clamp((mu - low) / (facet_node(k + 1) - low), 0.f, 1.f);
    nodes[k] += of * Sum(1.f - f);
    nodes[k + 1] += of * Sum(f);
}

}  // namespace vemtra::surface
