// A first-hit feature-guided filter for the preview: the edge-avoiding a-trous wavelet (Dammertz, Sewtz, Hanika, Lensch
// 2010) over light divided by albedo, so that textures stay sharp, steered by normals, depth, albedo and the estimated
// noise of the light itself (Schied et al. 2017). It never touches final pictures.
#pragma once
#include "render/integrator.h"

namespace vemtra::render {

/// Filters `linear` (the resolved film) in place. `strength` >= 0; fades out by itself as samples accumulate.
void denoise(const Film& film, std::vector<V3f>& linear, float strength = 1.f);

}  // namespace vemtra::render
