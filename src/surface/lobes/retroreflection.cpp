// Light sent back to where it came from, as by beads and prisms in tape and signs: the microfacet lobe of a mirror with
// the outgoing direction turned around the normal (the back-vector model: Neumann and Neumann 1989; Guo et al. 2018).
//   wi' = (-x, -y, z) of wi      f(wo, wi) = D(h) G2(wo, wi') F / (4 mu_o mu_i),  h half between wo and wi'
#include "surface/lobes.h"
#include "surface/microfacet.h"

namespace vemtra::surface {
namespace {

V3f turned_around(const V3f& w) {
    return {-w.x, -w.y, w.z};
}
Ggx facets(const Slots& s) {
    return Ggx::from(s.retro_roughness);
}

float weight(const Slots& s) {
    return s.retro_weight;
}
V3f albedo(const Slots& s, const V3f&) {
    return s.retro_color;
}

V3f evaluate(const Slots& s, const V3f& wo, const V3f& wi) {
    if (wi.z <= 0.f || wo.z <= 0.f) return V3f(0.f);
    const V3f back = turned_around(wi);
    const V3f h = (wo + back).normalized();
    const Ggx ggx = facets(s);
    return s.retro_color * (ggx.d(h) * ggx.g2(wo, back) / (4.f * wo.z));
}

float pdf(const Slots& s, const V3f& wo, const V3f& wi) {
    if (wi.z <= 0.f || wo.z <= 0.f) return 0.f;
    return facets(s).reflected_pdf(wo, (wo + turned_around(wi)).normalized());
}

bool sample(const Slots& s, const V3f& wo, float u1, float u2, V3f& wi) {
    const V3f h = facets(s).visible_normal(wo, u1, u2);
    wi = turned_around(h * (2.f * wo.dot(h)) - wo);
    return wi.z > 1e-6f;
}

}  // namespace

LobeKind retroreflection() {
    return {"retroreflection", weight, albedo, evaluate, pdf, sample};
}

}  // namespace vemtra::surface
