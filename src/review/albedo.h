// Measuring a build-up at one point: how much of the light that arrives from a direction comes back, by following paths
// through its layers.
#pragma once
#include "render/materials.h"

namespace vemtra::review {

struct MeasuredAlbedo {
    float cosine = 1.f;
    V3f mean{0.f}, deviation{0.f};  ///< deviation: one standard error of the mean
    V3f through{0.f};               ///< share that went into the body and did not come back at once (glass, subsurface)
    int paths = 0;
};

/// Directional albedo of the part's build-up at a surface point, over the azimuth of U. Light that enters a body counts
/// as gone through.
MeasuredAlbedo measure_albedo(const render::Prepared& prepared, const geometry::Place& at, float cosine, int paths);

}  // namespace vemtra::review
