// Further lobes beside the substrate of OpenPBR: each takes a share of the surface and scatters it in its own way. One
// row per lobe in extra_lobes(), one file each under lobes/. All directions are local, normal = +z on the side of wo.
#pragma once
#include <vector>

#include "surface/slots.h"

namespace vemtra::surface {

struct LobeKind {
    const char* name;
    float (*weight)(const Slots& s);               ///< share of the surface that it takes, 0..1
    V3f (*albedo)(const Slots& s, const V3f& wo);  ///< about the share of that light which comes back; at most 1
    V3f (*evaluate)(const Slots& s, const V3f& wo, const V3f& wi);               ///< f(wo, wi) * |mu_i|, reciprocal
    float (*pdf)(const Slots& s, const V3f& wo, const V3f& wi);                  ///< per solid angle, of sample()
    bool (*sample)(const Slots& s, const V3f& wo, float u1, float u2, V3f& wi);  ///< false: nothing was scattered
};
const std::vector<LobeKind>& extra_lobes();
LobeKind retroreflection();

/// The lobes that a surface has, with the share that is left to its substrate.
class ExtraLobes {
public:
    explicit ExtraLobes(const Slots& s);
    bool any() const { return count_ > 0; }
    float rest() const { return rest_; }
    V3f albedo(const Slots& s, const V3f& wo) const;  ///< weighed by the shares
    V3f evaluate(const Slots& s, const V3f& wo, const V3f& wi) const;
    float pdf(const Slots& s, const V3f& wo, const V3f& wi) const;
    /// `u`: below 1 - rest(), chooses the lobe.
    bool sample(const Slots& s, const V3f& wo, float u, float u1, float u2, V3f& wi) const;

private:
    static constexpr int most = 4;
    const LobeKind* lobe_[most] = {};
    float share_[most] = {};
    int count_ = 0;
    float rest_ = 1.f;
};

}  // namespace vemtra::surface
