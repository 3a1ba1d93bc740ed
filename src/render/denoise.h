// The preview's filter: the edge-avoiding a-trous wavelet (Dammertz, Sewtz, Hanika, Lensch 2010) over light divided by
// albedo, so that textures stay sharp, steered by normals, depth, albedo and how far the light itself is known (Schied
// et al. 2017, "Spatiotemporal Variance-Guided Filtering"): from a pixel's neighbours at first, then from how far its
// odd and even samples are apart, so that it fades out by itself and leaves what is certain alone: highlights, their
// edges. Single pixels that neither their neighbours nor their own halves bear out are brought to their neighbours
// first. It never touches final pictures, nor data passes.
#pragma once
#include "render/integrator.h"

namespace vemtra::render {

/// Filters `linear` (the resolved film) in place. `strength` >= 0. False if `stop` was set meanwhile: then it is worth
/// nothing.
bool denoise(const Film& film, std::vector<V3f>& linear, float strength = 1.f, const std::atomic<bool>* stop = nullptr);

/// A picture that stood before an edit.
struct Standing {
    int width = 0, height = 0;
    uint32_t samples = 0;
    std::vector<V3f> linear;
    bool empty() const { return linear.empty(); }
};
/// Where a film lies that is of a part of the picture.
struct StandingPart {
    PixelRect rect;                    ///< of the film, in its own pixels
    const std::vector<uint8_t>& only;  ///< pixels of the standing picture that it shows; all others stand
};
/// The new picture, whose film may be coarser by a whole factor, with the standing one wherever no path of its pixels
/// has met what was edited (Film::touched), each by its samples. `linear`: of the film, then of the standing picture's
/// size.
/// `part`: where the film is not of all of it.
void keep_standing(const Standing& standing, const Film& film, int coarse, std::vector<V3f>& linear,
                   const StandingPart* part = nullptr);

}  // namespace vemtra::render
