#include "surface/microsurface.h"

namespace vemtra::surface {
namespace {

float signed_lambda(const Ggx& ggx, const V3f& w) {
    return w.z > 0.f ? ggx.lambda(w) : -1.f - ggx.lambda(w);
}

/// Moves along w from the height u to the next meeting with the surface; false where the ray leaves it upwards.
bool next_height(const Ggx& ggx, const V3f& w, float x, float& u) {
    if (w.z > .99999f) return false;
    if (w.z < -.99999f) return u *= x, true;
    if (std::fabs(w.z) < 1e-5f) return true;
    const float lambda = signed_lambda(ggx, w);
    const float escapes = w.z > 0.f ? std::pow(u, lambda) : 0.f;
    if (x > 1.f - escapes) return false;
    u = std::min(1.f, u * std::pow(1.f - x, -1.f / lambda));
    return true;
}

}  // namespace

Walked walk_microsurface(const V3f& wo, const Ggx& ggx, float eta, std::mt19937& random) {
    std::uniform_real_distribution<float> uniform(0.f, .9999999f);
    Walked walked;
    V3f w = -wo;
    float u = 1.f;
    bool outside = true;
    for (int bounce = 0; bounce < 256; ++bounce) {
        // Under the surface the same walk runs upside down.
        float depth = outside ? u : 1.f - u;
        const V3f turned = outside ? w : V3f(-w.x, -w.y, -w.z);
        if (!next_height(ggx, turned, uniform(random), depth)) {
            walked.left = true;
            walked.reflected = outside;
            walked.direction = w;
            return walked;
        }
        u = outside ? depth : 1.f - depth;
        ++walked.bounces;
        const V3f in = -turned;
        const float x = uniform(random);
        const float y = uniform(random);
        const V3f h = ggx.visible_normal(in, x, y);
        const float mu = std::max(0.f, in.dot(h));
        const float m = 1.f - mu;
        const float m5 = m * m * m * m * m;
        walked.sum_m5 += m5;
        walked.sum_m6 += mu * m5 * m;
        add_to_nodes(mu, 1.f, walked.nodes);
        const float relative = outside ? eta : 1.f / eta;
        V3f out = h * (2.f * mu) - in;
        bool through = false;
        if (eta > 0.f && uniform(random) >= fresnel_dielectric(mu, relative)) through = refract(in, h, relative, out);
        w = outside ? out : -out;
        if (through) outside = !outside;
    }
    return walked;
}

ScatteredOnce scatter_once(const V3f& wo, const Ggx& ggx, float eta, int side) {
    ScatteredOnce s;
    for (int a = 0; a < side; ++a)
        for (int b = 0; b < side; ++b) {
            // The tail of steep facets lies at u2 = 1: cells shrink towards it.
            const float x = 1.f - (float(b) + .5f) / float(side);
            const double cell = 3. * double(x * x) / (side * side);
            const V3f h = ggx.visible_normal(wo, (float(a) + .5f) / float(side), 1.f - x * x * x);
            const float d = wo.dot(h);
            const float f = eta > 0.f ? fresnel_dielectric(d, eta) : 1.f;
            const V3f r = h * (2.f * d) - wo;
            if (r.z > 0.f) {
                const double part = double(f * ggx.g2(wo, r) / ggx.g1(wo)) * cell;
                s.reflected += part;
                add_to_nodes(d, part, s.nodes);
            }
            V3f t;
            if (f < 1.f && refract(wo, h, eta, t) && t.z < 0.f)
                s.through += double((1.f - f) * ggx.g2_through(wo, t) / ggx.g1(wo)) * cell;
        }
    return s;
}

}  // namespace vemtra::surface
