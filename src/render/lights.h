// Lights with an area: one row per kind in light_kinds(), each in a file of its own under lights/. environment.h has
// the light from all around.
#pragma once
#include <string>
#include <vector>

#include "base/vec.h"
#include "render/light_tree.h"
#include "scene/scene.h"

namespace vemtra::render {

struct LightKind;

/// A light ready to be sampled; what the members mean is its kind's.
struct AreaLight {
    const LightKind* kind = nullptr;
    V3f center{0.f}, u{0.f}, v{0.f}, normal{0.f};  ///< rectangle: half edges and the side that shines
    float radius = 0.f;                            ///< sphere, metres
    V3f radiance{0.f};
    int group = 0;
    bool seen = false;
};

struct LightSample {
    V3f direction{0.f}, radiance{0.f};
    float distance = 0.f, pdf = 0.f;  ///< pdf per solid angle; 0: cannot be reached
};

/// What the editor shows for a kind, beyond what all lights have.
struct LightRow {
    enum class What : uint8_t { width_and_height, diameter, target } what;
    const char* label;
    const char* help;
};

struct LightKind {
    const char* name;  ///< scene::Light::shape
    const char* title;
    void (*prepare)(const scene::Light& from, AreaLight& to);
    LightSample (*sample)(const AreaLight& light, const V3f& from, float u, float v);
    float (*pdf)(const AreaLight& light, const V3f& from, const V3f& direction);  ///< per solid angle
    float (*intersect)(const AreaLight& light, const V3f& origin,
                       const V3f& direction);       ///< distance to the shining side, or infinity
    float (*area)(const AreaLight& light);          ///< that shines, square metres
    LightBounds (*bounds)(const AreaLight& light);  ///< all but the power
    std::vector<LightRow> rows;
};
const std::vector<LightKind>& light_kinds();
/// The first kind stands in for a name that is not known.
const LightKind& light_kind(const std::string& name);
LightKind rectangle_light();
LightKind sphere_light();

/// With its power.
LightBounds bounds_of(const AreaLight& light);

/// `group`: index of its light group.
AreaLight prepare_light(const scene::Light& light, int group);

inline LightSample sample_light(const AreaLight& light, const V3f& from, float u, float v) {
    return light.kind->sample(light, from, u, v);
}
inline float light_pdf(const AreaLight& light, const V3f& from, const V3f& direction) {
    return light.kind->pdf(light, from, direction);
}
inline float intersect(const AreaLight& light, const V3f& origin, const V3f& direction) {
    return light.kind->intersect(light, origin, direction);
}

}  // namespace vemtra::render
