#include "surface/lobes.h"

namespace vemtra::surface {

// The register: one line per lobe.
const std::vector<LobeKind>& extra_lobes() {
    static const std::vector<LobeKind> all = {retroreflection()};
    return all;
}

ExtraLobes::ExtraLobes(const Slots& s) {
    for (const LobeKind& lobe : extra_lobes()) {
        const float share = std::min(rest_, clamp01(lobe.weight(s)));
        if (share <= 0.f || count_ == most) continue;
        lobe_[count_] = &lobe;
        share_[count_++] = share;
        rest_ -= share;
    }
}

V3f ExtraLobes::albedo(const Slots& s, const V3f& wo) const {
    V3f sum(0.f);
    for (int k = 0; k < count_; ++k) sum += lobe_[k]->albedo(s, wo) * share_[k];
    return sum;
}
V3f ExtraLobes::evaluate(const Slots& s, const V3f& wo, const V3f& wi) const {
    V3f sum(0.f);
    for (int k = 0; k < count_; ++k) sum += lobe_[k]->evaluate(s, wo, wi) * share_[k];
    return sum;
}
float ExtraLobes::pdf(const Slots& s, const V3f& wo, const V3f& wi) const {
    float sum = 0.f;
    for (int k = 0; k < count_; ++k) sum += lobe_[k]->pdf(s, wo, wi) * share_[k];
    return sum;
}
bool ExtraLobes::sample(const Slots& s, const V3f& wo, float u, float u1, float u2, V3f& wi) const {
    for (int k = 0; k < count_; ++k) {
        if (u < share_[k] || k + 1 == count_) return lobe_[k]->sample(s, wo, u1, u2, wi);
        u -= share_[k];
    }
    return false;
}

}  // namespace vemtra::surface
