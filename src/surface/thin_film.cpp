#include "surface/thin_film.h"

#include <array>

namespace vemtra::surface {
namespace {

constexpr int bands = 10;
constexpr float first_band = .415f, band_step = .03f;  // micrometres

struct Spectrum {
    std::array<V3f, bands> weight;  // of each band in linear Rec.709; they sum to white
    Spectrum() {
        auto lobe = [](float x, float mean, float left, float right) {
            const float t = (x - mean) * (x < mean ? left : right);
            return std::exp(-.5f * t * t);
        };
        V3f sum(0.f);
        for (int i = 0; i < bands; ++i) {
            const float nm = 1000.f * (first_band + band_step * float(i));
            const float x = 1.056f * lobe(nm, 599.8f, .0264f, .0323f) + .362f * lobe(nm, 442.f, .0624f, .0374f) -
                            .065f * lobe(nm, 501.1f, .049f, .0382f);
            const float y = .821f * lobe(nm, 568.8f, .0213f, .0247f) + .286f * lobe(nm, 530.9f, .0613f, .0322f);
            const float z = 1.217f * lobe(nm, 437.f, .0845f, .0278f) + .681f * lobe(nm, 459.f, .0385f, .0725f);
            weight[size_t(i)] = {3.2406f * x - 1.5372f * y - .4986f * z, -.9689f * x + 1.8758f * y + .0415f * z,
                                 .0557f * x - .204f * y + 1.057f * z};  // XYZ to Rec.709
            sum += weight[size_t(i)];
        }
        for (V3f& w : weight) w /= sum;
    }
};

float airy(float r12, float r23, float cos_phase) {
    const float a = r12 * r12 + r23 * r23 + 2.f * r12 * r23 * cos_phase;
    const float b = 1.f + r12 * r12 * r23 * r23 + 2.f * r12 * r23 * cos_phase;
    return b > 1e-9f ? a / b : 1.f;
}

template <class Reflect> V3f integrate(float mu, float thickness, float film_ior, Reflect&& reflect) {
    static const Spectrum spectrum;
    const float sin2 = (1.f - mu * mu) / (film_ior * film_ior);
    if (sin2 >= 1.f) return V3f(1.f);
    const float cos2 = std::sqrt(1.f - sin2);
    V3f sum(0.f);
    for (int i = 0; i < bands; ++i) {
        const float lambda = first_band + band_step * float(i);
        sum += spectrum.weight[size_t(i)] * reflect(std::cos(4.f * pi * film_ior * thickness * cos2 / lambda), cos2, i);
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

V3f thin_film_on_dielectric(float mu, float thickness, float n2, float eta) {
    const float sin3 = (1.f - mu * mu) / (eta * eta);
    if (sin3 >= 1.f) return V3f(1.f);
    const float c3 = std::sqrt(1.f - sin3);
    return integrate(mu, thickness, n2, [&](float cos_phase, float c2, int) {
        const Amplitudes a = amplitudes(mu, c2, 1.f, n2);
        const Amplitudes b = amplitudes(c2, c3, n2, eta);
        return .5f * (airy(a.s, b.s, cos_phase) + airy(a.p, b.p, cos_phase));
    });
}

V3f thin_film_on_metal(float mu, float thickness, float n2, const V3f& reflectance) {
    const V3f r(std::sqrt(reflectance.x), std::sqrt(reflectance.y), std::sqrt(reflectance.z));
    return integrate(mu, thickness, n2, [&](float cos_phase, float c2, int band) {
        const float b = -(band < 3 ? r.z : band < 6 ? r.y : r.x);
        const Amplitudes a = amplitudes(mu, c2, 1.f, n2);
        return .5f * (airy(a.s, b, cos_phase) + airy(a.p, b, cos_phase));
    });
}

}  // namespace vemtra::surface
