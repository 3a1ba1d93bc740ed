// A surface whose normal leans away from the form's own, as facets of that normal with upright walls between them, so
// that together they lie flat again (Schuessler, Heitz, Hanika, Dachsbacher 2017, "Microfacet-based Normal Mapping for
// Robust Monte Carlo Path Tracing"). The walls are mirrors. Of a facet with normal p and the wall's normal t:
//   a(w) = max(0, w.p) / p.z    b(w) = max(0, w.t) tan(p)    areas that w sees, for each unit of the form's
//   a / (a + b)                 the share of the facets in what w sees
//   G(w) = w.z / (a + b)        the share of light leaving along w that no wall or facet holds up
// What is held up is mirrored in a wall and leaves. What a facet throws below the horizon is turned up again, so that
// nothing is lost (the paper follows it on).
#pragma once
#include "base/vec.h"

namespace vemtra::surface {

/// For coats and clear bodies, whose facets are not between walls: the normal nearest to that one, on the way to the
/// form's own, of which `wo` (wo.z > 0) is mirrored to over the horizon, at least as high as itself or .1. What an
/// interface throws below the horizon is folded up to it, where nobody who asks for a value finds it again: this way
/// there is little.
inline V3f mirroring_upwards(const V3f& normal, const V3f& wo) {
    const float facing = wo.dot(normal);
    if (facing <= 0.f) return {0.f, 0.f, 1.f};
    const V3f mirrored = normal * (2.f * facing) - wo;
    const float least = std::min(wo.z, .1f);
    const float across = std::sqrt(mirrored.x * mirrored.x + mirrored.y * mirrored.y);
    if (mirrored.z >= least || across < 1e-6f) return normal;
    const float scale = std::sqrt(1.f - least * least) / across;
    return (wo + V3f(mirrored.x * scale, mirrored.y * scale, least)).normalized();
}

class Leaning {
public:
    Leaning() = default;
    /// `p`: the facets' normal, p.z > 0.
    explicit Leaning(const V3f& p) {
        const float across = std::sqrt(p.x * p.x + p.y * p.y);
        leans_ = across > least_sine;
        if (!leans_) return;
        normal_ = p;
        wall_ = V3f(-p.x / across, -p.y / across, 0.f);
        cosine_ = p.z;
        tangent_ = across / p.z;
    }
    /// Else the facets are all that there is.
    bool leans() const { return leans_; }
    V3f mirrored(const V3f& w) const { return w - wall_ * (2.f * w.dot(wall_)); }
    static V3f turned_up(const V3f& w) { return {w.x, w.y, -w.z}; }
    /// The share of the facets in what `w` sees; the rest are walls, in which they are seen as from mirrored(w).
    float facets_seen(const V3f& w) const {
        const float a = facets(w);
        const float b = walls(w);
        return a > 0.f ? a / (a + b) : 0.f;
    }
    /// The share of light leaving along `w`, w.z > 0, that is not held up.
    float leaves(const V3f& w) const { return std::min(1.f, w.z / std::max(1e-8f, facets(w) + walls(w))); }
    bool sees_walls(const V3f& w) const { return w.dot(wall_) > 0.f; }

private:
    static constexpr float least_sine = .01f;
    float facets(const V3f& w) const { return std::max(0.f, w.dot(normal_)) / cosine_; }
    float walls(const V3f& w) const { return std::max(0.f, w.dot(wall_)) * tangent_; }
    bool leans_ = false;
    V3f normal_{0.f, 0.f, 1.f}, wall_{1.f, 0.f, 0.f};
    float cosine_ = 1.f, tangent_ = 0.f;
};

}  // namespace vemtra::surface
