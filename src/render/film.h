// What a picture is summed up in while it renders.
#pragma once
#include <algorithm>
#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "base/vec.h"

namespace vemtra::render {

struct PixelRect {
    int x0, y0, x1, y1;
};

/// What came of smoothing a picture. Errors are relative, and means over the picture as of Film::noise().
struct Smoothing {
    float noise_before = 0.f, error_after = 0.f;
    std::vector<float> error;  ///< per pixel: estimated standard error, relative
};

/// What accumulates: sums over samples; divide by `samples` (features by it, too).
struct Film {
    int width = 0, height = 0;
    std::vector<uint32_t> samples;        ///< per pixel
    std::vector<std::vector<V3f>> light;  ///< per group and pixel
    std::vector<V3f> albedo, normal;      ///< first hit
    std::vector<float> depth, alpha;
    std::vector<float>
        odd_luminance;  ///< of the samples with odd numbers alone: its distance from the rest tells the noise
    /// `light` of the samples with odd numbers alone; empty: not kept. See smooth_by_regression().
    std::vector<std::vector<V3f>> odd_light;
    /// What came in single bright contributions, by how bright: about unit * 8^(k + 1). Per pixel; empty: not kept. See
    /// trust().
    static constexpr int tier_count = 5;
    struct Bright {
        std::array<float, tier_count> light{};  ///< of the brightest channel
        std::array<uint8_t, 8> count{};         ///< up to 255
        void add(int tier, float l) {
            light[size_t(tier)] += l;
            count[size_t(tier)] = uint8_t(std::min(255, count[size_t(tier)] + 1));
        }
    };
    std::vector<Bright> tiers;
    float unit = 0.f;  ///< about the radiance of a white surface in the scene
    /// How many of a pixel's samples met what was edited, each by the share of the camera's sight that it had there;
    /// empty: not kept.
    std::vector<float> touched;
    std::vector<uint8_t> finished;             ///< per tile of the frame: below the noise that was asked for
    std::vector<std::vector<float>> coverage;  ///< per layer and pixel; only where asked for

    std::optional<Smoothing> smoothing;  ///< of its light

    Film() = default;
    Film(int width, int height, size_t groups, size_t coverage_layers = 0);
    size_t bytes() const;
    /// Mean difference between odd and even samples, against the light: the relative standard error of the picture. 0
    /// below two samples.
    float noise() const;
    float noise(const PixelRect& r) const;  ///< the same of a part; infinite where a pixel has less than two samples
    /// The same of the noisiest block of 8 x 8 pixels of the part: a spark in a calm tile is not averaged away.
    float worst_noise(const PixelRect& r) const;
    /// Forgets what was rendered outside of the part.
    void keep_only(const PixelRect& r);
    /// Forgets what was rendered of these pixels.
    void clear(const std::vector<uint8_t>& pixels);
    /// The part alone, as a film of its size.
    Film part(const PixelRect& r) const;
    /// Keeps tiers from now on.
    void keep_tiers(float unit);
    /// Keeps the light of odd samples by itself from now on, before the first one.
    void keep_halves();
    /// Which part of a pixel's light is believed: single bright contributions count by how many of their kind there are
    /// in the pixel and around it, and whole as soon as they no longer outshine the mean of what is believed (Zirr,
    /// Hanika, Dachsbacher 2018, "Re-weighting Firefly Samples for Improved Finite-Sample Monte Carlo Estimates"). 1
    /// everywhere with enough samples, and where no tiers are kept.
    float trust(int x, int y) const;
    /// Keeps only what is believed; no more is rendered into the film.
    void settle();
    /// Sum over groups times gains, divided by the samples and times trust. Pixels without samples are black.
    void resolve(const std::vector<V3f>& gains, std::vector<V3f>& out) const;

private:
    void forget(size_t pixel);
    float noise(const PixelRect& r, float below_two) const;
};

}  // namespace vemtra::render
