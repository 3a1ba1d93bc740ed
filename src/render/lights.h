// What shines: the environment, importance sampled over its image, and rectangle and sphere lights.
#pragma once
#include <memory>
#include <vector>

#include "base/vec.h"
#include "texture/texture.h"

namespace vemtra::render {

/// An equirectangular image as a light; +y up, the middle column faces +z turned by the rotation.
/// An environment image with the cumulative distributions for sampling it, which take longer to make than an edit may wait.
struct EnvironmentPicture {
    explicit EnvironmentPicture(texture::Picture pixels);
    texture::Picture picture;
    int width = 0, height = 0;           ///< of the sampling grid
    std::vector<float> marginal, rows;   ///< cumulative: of rows, and within each row
    float average = 0.f;                 ///< luminance over the sphere
};

class EnvironmentMap {
public:
    /// A plain colour where there is no picture.
    EnvironmentMap(std::shared_ptr<const EnvironmentPicture> picture, V3f scale, float rotation_degrees);
    V3f radiance(const V3f& direction) const;
    float pdf(const V3f& direction) const;  ///< per solid angle
    V3f sample(float u, float v, float& pdf) const;
    float average_luminance() const { return average_; }

private:
    V2f to_uv(const V3f& d) const;
    std::shared_ptr<const EnvironmentPicture> of_;
    V3f scale_;
    float cos_, sin_, average_ = 0.f;
};

struct AreaLight {
    enum class Shape : uint8_t { rectangle, sphere } shape;
    V3f center, u, v, normal;  ///< rectangle: half edges and the side that shines
    float radius = 0.f;
    V3f radiance;
    int group = 0;
    bool seen = false;
    float area() const { return shape == Shape::sphere ? 4.f * pi * radius * radius : 4.f * u.length() * v.length(); }
};

struct LightSample {
    V3f direction{0.f}, radiance{0.f};
    float distance = 0.f, pdf = 0.f;  ///< pdf per solid angle; 0: cannot be reached
};
LightSample sample_light(const AreaLight& light, const V3f& from, float u, float v);
float light_pdf(const AreaLight& light, const V3f& from, const V3f& direction);
/// Distance to the shining side, or infinity.
float intersect(const AreaLight& light, const V3f& origin, const V3f& direction);

}  // namespace vemtra::render
