// Light from all around: an equirectangular image, importance sampled.
#pragma once
#include <memory>
#include <vector>

#include "base/vec.h"
#include "render/ordered_draw.h"
#include "texture/texture.h"

namespace vemtra::render {

/// An environment image with the cumulative distributions for sampling it, which take longer to make than an edit may
/// wait.
struct EnvironmentImage {
    explicit EnvironmentImage(texture::LinearImage pixels);
    texture::LinearImage image;
    /// Chances of the texels, by their luminance and solid angle, all of them; each is widened by its neighbours, so
    /// that the density is never low where bilinear reading still gives light.
    OrderedDraw texels;
    ZCurve curve;              ///< where each of them lies in it
    std::vector<float> edges;  ///< between rows, from above: cosines of their angles
    float average = 0.f;       ///< luminance over the sphere
    float chance(size_t x, size_t y) const { return texels.chance(curve.index(uint32_t(x), uint32_t(y))); }
    /// Height of a row of texels in the cosine of its angle from above.
    float band(size_t row) const { return std::max(1e-12f, edges[row] - edges[row + 1]); }
};

/// That image as a light; +y up, the middle column faces +z turned by the rotation.
class EnvironmentMap {
public:
    /// A plain colour where there is no image.
    EnvironmentMap(std::shared_ptr<const EnvironmentImage> image, V3f scale, float rotation_degrees);
    /// Where a direction lies in the image, 0..1; what the image holds there is on its way to the processor then.
    V2f place(const V3f& direction) const;
    V3f radiance(const V2f& place) const;
    float pdf(const V2f& place) const;  ///< per solid angle
    V3f radiance(const V3f& direction) const { return radiance(place(direction)); }
    float pdf(const V3f& direction) const { return pdf(place(direction)); }
    /// A direction that is asked for by numbers in [0, 1), and what it is. Growing `u` draw along the image's curve.
    struct Draw {
        double u = 0;
        float v = 0.f;
        float pdf = 0.f;     ///< per solid angle
        float across = 0.f;  ///< where in the image, 0..1
        V3f direction{0.f};
        float luminance = 0.f;  ///< exact where it is bright, else about: most of the image is far from the processor
    };
    /// Some at once: what each needs of the image comes while others are looked at.
    void sample(Draw* draws, size_t count) const;
    V3f radiance(float across, const V3f& direction) const {
        return radiance(V2f(across, std::acos(std::clamp(direction.y, -1.f, 1.f)) * inverse_pi));
    }
    V3f sample(double u, float v, float& pdf, V3f& radiance) const;
    float average_luminance() const { return average_; }

private:
    V3f at(float x, float y) const;  ///< in texels, bilinear
    void texel(const V2f& place, uint32_t& x, uint32_t& y) const;
    void fetch(size_t x, size_t y) const;
    void look(Draw& draw, const Drawn& drawn) const;
    std::shared_ptr<const EnvironmentImage> of_;
    V3f scale_;
    float cos_, sin_, average_ = 0.f;
};

}  // namespace vemtra::render
