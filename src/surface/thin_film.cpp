#include "surface/thin_film.h"

#include <array>
#include <complex>

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
    float cosine, sine, kept, kept4;
    Phase(float phase, float of_first)
        : cosine(std::cos(phase)), sine(std::sin(phase)), kept(of_first), kept4(of_first * of_first) {
        kept4 *= kept4;
    }
    /// Further by the phase of a unit number.
    Phase turned(const std::complex<float>& by) const {
        Phase p = *this;
        p.cosine = cosine * by.real() - sine * by.imag();
        p.sine = sine * by.real() + cosine * by.imag();
        return p;
    }
};
float airy(float r12, float r23, const Phase& phase) {
    const float x = r12 * r23;
    const float a = r12 * r12 + r23 * r23 + 2.f * x * phase.cosine;
    const float b = 1.f + x * x + 2.f * x * phase.cosine;
    if (b <= 1e-9f) return 1.f;
    if (phase.kept > .999f) return a / b;
    // R = mean + (1 - r12^2)(1 - r23^2) / (1 - x^2) * -2 sum of (-x)^n cos(n phase): the first two terms are damped.
    const float t = (1.f - r12 * r12) * (1.f - r23 * r23) / std::max(1e-6f, 1.f - x * x);
    const float cosine2 = 2.f * phase.cosine * phase.cosine - 1.f;
    return std::clamp(1.f - t + 2.f * t * (x * phase.cosine * phase.kept - x * x * cosine2 * phase.kept4), 0.f, 1.f);
}

const Spectrum& spectrum_of_bands() {
    static const Spectrum all;
    return all;
}
int channel_of_band(int band) {
    return band < 3 ? 2 : band < 6 ? 1 : 0;
}

template <class Reflect> V3f integrate(float mu, float thickness, float film_ior, float near_ior, Reflect&& reflect) {
    const Spectrum& spectrum = spectrum_of_bands();
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
        sum += spectrum.weight[size_t(i)] * reflect(Phase(phase, kept), cos2, i);
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

namespace {
/// What the metal under the film reflects of one channel: amplitudes from within the film, each as a size and a phase;
/// and by what the whole is scaled so that the bare metal is the one that was asked for.
struct UnderFilm {
    float s, p, scale;
    std::complex<float> s_turn, p_turn;
};
UnderFilm under_film(float mu, float c2, float film_ior, float n, float k, float bare) {
    const std::complex<float> n3(n, k);
    const std::complex<float> q = std::sqrt(n3 * n3 - (1.f - mu * mu));  // n3 times the cosine in the metal
    const std::complex<float> s = (film_ior * c2 - q) / (film_ior * c2 + q);
    const std::complex<float> p = (n3 * n3 * c2 - film_ior * q) / (n3 * n3 * c2 + film_ior * q);
    auto turn = [](const std::complex<float>& r) { return std::abs(r) > 1e-6f ? r / std::abs(r) : 1.f; };
    return {std::abs(s), std::abs(p), bare / std::max(1e-4f, fresnel_conductor(mu, n, k)), turn(s), turn(p)};
}
}  // namespace

V3f thin_film_on_metal(float mu, float thickness, float n2, const MetalFresnel& metal, float near_ior) {
    constexpr float tint = .65f;
    const float c2 = std::sqrt(std::max(0.f, 1.f - (1.f - mu * mu) / (n2 * n2)));
    const V3f bare = metal(mu);
    UnderFilm under[3];
    for (int c = 0; c < 3; ++c) {
        float n = metal.n[c];
        float k = metal.k[c];
        if (!metal.exact) {
            const float r = std::clamp(metal.colors.f0[c], 1e-4f, .9999f);
            const float root = std::sqrt(r);
            n = tint * (1.f - r) / (1.f + r) + (1.f - tint) * (1.f + root) / (1.f - root);
            k = std::sqrt(std::max(0.f, (r * (n + 1.f) * (n + 1.f) - (n - 1.f) * (n - 1.f)) / (1.f - r)));
        }
        under[c] = under_film(mu, c2, n2, n, k, bare[c]);
    }
    const Amplitudes over = amplitudes(mu, c2, 1.f, n2);
    // A band's light is seen in more than one channel: without the film the same sum is not quite the bare colour.
    V3f without(0.f);
    for (int i = 0; i < bands; ++i) without += spectrum_of_bands().weight[size_t(i)] * bare[channel_of_band(i)];
    const V3f with = integrate(mu, thickness, n2, near_ior, [&](const Phase& phase, float, int band) {
        const UnderFilm& u = under[channel_of_band(band)];
        return .5f * u.scale * (airy(over.s, u.s, phase.turned(u.s_turn)) + airy(over.p, u.p, phase.turned(u.p_turn)));
    });
    V3f out;
    for (int c = 0; c < 3; ++c) out[c] = clamp01(without[c] > 1e-4f ? with[c] * bare[c] / without[c] : with[c]);
    return out;
}

}  // namespace vemtra::surface
