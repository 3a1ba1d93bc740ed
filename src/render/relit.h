// While heights are dragged: the picture before, lit anew by how what it shows has turned. Rays find what a pixel sees
// and which way that faces, before and now; a coarse picture made anew brings the light up to date, as for a camera
// that moves (carried.h). It only bridges the time until there is a finer picture.
#pragma once
#include <array>

#include "render/carried.h"
#include "render/denoise.h"

namespace vemtra::render {

/// About how much light falls on a surface in the middle of the asset, by the way it faces: luminance, nothing in its
/// way. By spherical harmonics to the second order (Ramamoorthi and Hanrahan 2001, "An Efficient Representation for
/// Irradiance Environment Maps").
class FallingLight {
public:
    /// `gains`: of the rig's groups, see group_gains().
    FallingLight(const PreparedRig& rig, const std::vector<V3f>& gains, const V3f& middle);
    /// Never less than a part of the mean; `normal` of unit length.
    float on(const V3f& normal) const;

private:
    void add(const V3f& direction, float light);
    std::array<float, 9> part_{};  ///< of the harmonics, weighed by the cosine's own
    float least_ = 0.f;
};

/// What stands, and what its pixels faced.
struct Faced {
    std::shared_ptr<const Prepared> of;
    SeenPlaces seen;  ///< of fewer pixels
    Pixels small;     ///< the picture in those
};
/// `standing`, where some instances (a mark for each) have moved within about their outlines, lit anew as they face
/// `now`: of the same camera, in as many pixels. All else stays as it is. `fresh`: coarse, of the whole frame; where it
/// has no samples it holds what stands.
std::vector<V3f> relit(const Standing& standing, const Faced& before, const SeenPlaces& now,
                       const std::vector<uint8_t>& moved, const FallingLight& light, const Pixels& fresh);

}  // namespace vemtra::render
