#include "surface/thin_film.h"

#include <array>

#include "surface/spectrum.h"

namespace vemtra::surface {
namespace {

constexpr int bands = 10;
constexpr float first_band = .415f, band_step = .03f;  // micrometres

struct Spectrum {
    std::array<V3f, bands> weight;  // of each band in linear Rec.709; they sum to white
    Spectrum() {
        V3f sum(0.f);
        for (int i = 0; i < bands; ++i) {
            const float nm = 1000.f * (first_band + band_step * float(i));
            weight[size_t(i)] = rec709_of(nm);
            sum += weight[size_t(i)];
        }
        for (V3f& w : weight) w /= sum;
    }
};

/// `kept`: how much of the first fringe a band's width leaves; of the n-th, kept^(n^2).
struct Phase {
    float cosine, cosine2, kept, kept4;
};
float airy(float r12, float r23, const Phase& phase) {
    const float x = r12 * r23;
    const float a = r12 * r12 + r23 * r23 + 2.f * x * phase.cosine;
    const float b = 1.f + x * x + 2.f * x * phase.cosine;
    if (b <= 1e-9f) return 1.f;
    if (phase.kept > .999f) return a / b;
    // R = mean + (1 - r12^2)(1 - r23^2) / (1 - x^2) * -2 sum of (-x)^n cos(n phase): the first two terms are damped.
    const float t = (1.f - r12 * r12) * (1.f - r23 * r23) / std::max(1e-6f, 1.f - x * x);
    return std::clamp(1.f - t + 2.f * t * (x * phase.cosine * phase.kept - x * x * phase.cosine2 * phase.kept4), 0.f,
                      1.f);
}

template <class Reflect> V3f integrate(float mu, float thickness, float film_ior, float near_ior, Reflect&& reflect) {
    static const Spectrum spectrum;
    const float sin2 = (1.f - mu * mu) / (film_ior * film_ior);
    if (sin2 >= 1.f) return V3f(1.f);
    const float cos2 = std::sqrt(1.f - sin2);
    V3f sum(0.f);
    for (int i = 0; i < bands; ++i) {
        const float lambda = first_band + band_step * float(i);
        const float phase = 4.f * pi * film_ior * near_ior * thickness * cos2 / lambda;
        // The phase goes over +-half of what a band makes of it; a Gauss of that variance damps by exp(-var / 2).
        const float width = phase * band_step / lambda;
        const float kept = width > .6f ? std::exp(-width * width / 24.f) : 1.f;
        const float c = std::cos(phase);
        const float k2 = kept * kept;
        sum += spectrum.weight[size_t(i)] * reflect(Phase{c, 2.f * c * c - 1.f, kept, k2 * k2}, cos2, i);
    }
    return {clamp01(sum.x), clamp01(sum.y), clamp01(sum.z)};
}

struct Amplitudes {
    float s, p;
};
Amplitudes amplitudes(float c1, float c2, float n1, float n2) {
    return {(n1 * c1 - n2 * c2) / (n1 * c1 + n2 * c2), (n2 * c1 - n1 * c2) / (n2 * c1 + n1 * c2)};
}

}  // namespace

V3f thin_film_on_dielectric(float mu, float thickness, float n2, float eta, float near_ior) {
    const float sin3 = (1.f - mu * mu) / (eta * eta);
    if (sin3 >= 1.f) return V3f(1.f);
    const float c3 = std::sqrt(1.f - sin3);
    return integrate(mu, thickness, n2, near_ior, [&](const Phase& phase, float c2, int) {
        const Amplitudes a = amplitudes(mu, c2, 1.f, n2);
        const Amplitudes b = amplitudes(c2, c3, n2, eta);
        return .5f * (airy(a.s, b.s, phase) + airy(a.p, b.p, phase));
    });
}

V3f thin_film_on_metal(float mu, float thickness, float n2, const V3f& reflectance, float near_ior) {
    const V3f r(std::sqrt(reflectance.x), std::sqrt(reflectance.y), std::sqrt(reflectance.z));
    return integrate(mu, thickness, n2, near_ior, [&](const Phase& phase, float c2, int band) {
        const float b = -(band < 3 ? r.z : band < 6 ? r.y : r.x);
        const Amplitudes a = amplitudes(mu, c2, 1.f, n2);
        return .5f * (airy(a.s, b, phase) + airy(a.p, b, phase));
    });
}

}  // namespace vemtra::surface
