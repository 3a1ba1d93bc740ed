// Surfaces of the asset that give off light, as lights: their faces are chosen by area times what they give off in the
// mean, textures and masks averaged over each.
#pragma once
#include "render/prepared.h"

namespace vemtra::render {

class MeshLights {
public:
    /// Null where nothing shines, or where it was stopped. Looks at every face of what may.
    static std::shared_ptr<const MeshLights> make(const Prepared& prepared, Progress* progress = nullptr);

    /// A place of a shining surface; `density` per square metre.
    geometry::Place sample(float u, float v, float& density) const;
    float density(const geometry::Place& place) const;       ///< of sample(), per square metre; 0 where nothing shines
    float power_at(const V3f& middle, float nearest) const;  ///< luminance times area over squared distance

private:
    static constexpr uint32_t dark = ~0u;
    struct Lit {
        uint32_t instance, face;
        float density;  ///< per square metre
    };
    std::vector<Lit> faces_;
    std::vector<float> keep_;  ///< chance of the face itself, in the even choice among all (Walker 1977)
    std::vector<uint32_t> otherwise_;
    std::vector<uint32_t> first_;                        ///< per instance: index of its first face; dark
    std::vector<std::pair<V3f, float>> seen_from_afar_;  ///< some of them: place, luminance times area
};

}  // namespace vemtra::render
