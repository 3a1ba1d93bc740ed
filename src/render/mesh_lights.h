// Surfaces of the asset that give off light, as lights: their faces are chosen by area times what they give off in the
// mean, textures and masks averaged over each.
#pragma once
#include "render/light_tree.h"
#include "render/prepared.h"

namespace vemtra::render {

class MeshLights {
public:
    /// Null where nothing shines, or where it was stopped. Looks at every face of what may.
    static std::shared_ptr<const MeshLights> make(const Prepared& prepared, Progress* progress = nullptr);

    /// A place of a shining surface as seen from a point: the face is chosen for the point by a tree; a face that is
    /// seen large is sampled evenly over its solid angle, else over its area.
    struct Sample {
        geometry::Place place;
        /// Per square metre of the face, or per solid angle; 0: nothing is seen. Heights make more of it (spread).
        float density = 0.f;
        float luminance = 0.f;  ///< of the face in the mean
        bool per_angle = false;
    };
    Sample sample(const V3f& from, float choice, float u, float v, LightTree::Looks& looks) const;
    Sample sample(const V3f& from, float choice, float u, float v) const {
        LightTree::Looks looks;
        return sample(from, choice, u, v, looks);
    }
    /// Of sample() to give a place, per solid angle; 0 where nothing shines. `per_area`: squared distance over cosine
    /// and spread, which makes a density per solid angle of one per area of the face.
    float density(const geometry::Place& place, const V3f& from, float per_area) const;
    /// Which part of the light that reaches the asset's surfaces, unhindered by what stands before them, comes from
    /// these: the mean over some of their points. `others`: irradiance by the other lights.
    float share(const Prepared& prepared, float others) const;

private:
    static constexpr uint32_t dark = ~0u;
    struct Lit {
        uint32_t instance, face;
        float luminance, area;
        V3f corner[3];
        bool flat;  ///< its corners are all of it
    };
    std::vector<Lit> faces_;
    LightTree tree_;
    std::vector<uint32_t> first_;  ///< per instance: index of its first face; dark
};

}  // namespace vemtra::render
