// What a picture is summed up in while it renders.
#pragma once
#include <cstdint>
#include <vector>

#include "base/vec.h"

namespace vemtra::render {

struct PixelRect {
    int x0, y0, x1, y1;
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
    std::vector<uint8_t> finished;             ///< per tile of the frame: below the noise that was asked for
    std::vector<std::vector<float>> coverage;  ///< per layer and pixel; only where asked for

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
    /// Sum over groups times gains, divided by the samples. Pixels without samples are black.
    void resolve(const std::vector<V3f>& gains, std::vector<V3f>& out) const;

private:
    float noise(const PixelRect& r, float below_two) const;
};

}  // namespace vemtra::render
