// From scene light to what a monitor shows, by OpenColorIO and the configuration that ships
// (assets/colour/vemtra.ocio). Window and command line use this same function, so that they show the same pixels.
#pragma once
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "base/result.h"
#include "base/vec.h"

namespace vemtra::texture {

class DisplayTransform {
public:
    /// `view`: "filmic", "srgb" or "raw".
    static Result<std::shared_ptr<const DisplayTransform>> make(const std::string& view);
    /// Linear Rec.709 times 2^exposure to 8-bit RGBA with alpha 255, in parallel.
    void apply(const V3f* linear, size_t pixels, float exposure, uint8_t* rgba) const;
    /// One colour to what the monitor shows, 0..1.
    V3f operator()(const V3f& linear, float exposure = 0.f) const;
    const std::string& view() const { return view_; }

private:
    std::string view_;
    // Curves and gamut work of the filmic view cost hundreds of nanoseconds a pixel. They are sampled once into a
    // lattice over log2 light, [-12, +10] stops around 0.18 and an exact black, and read by tetrahedral interpolation.
    static constexpr int size = 57;
    std::vector<V3f> lattice_;
    static float shape(float linear);
    static float unshape(float t);
    V3f look_up(const V3f& linear) const;
};

const std::vector<std::string>& display_views();

}  // namespace vemtra::texture
