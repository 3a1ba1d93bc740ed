// The picture before an edit, brought along by what the edit did: a coarse picture is rendered of what stood and of
// what stands now, of the same pixels and by the same random numbers, so that what both have in common, noise with it,
// falls out. Each pixel of the picture before changes as those coarse ones around it did that looked like it (joint
// upsampling: Kopf, Cohen, Lischinski, Uyttendaele 2007; differences of correlated paths: Rousselle, Jarosz, Novák
// 2016, "Image-Space Control Variates for Rendering"). It only bridges the time until there are samples enough.
#pragma once
#include "render/denoise.h"

namespace vemtra::render {

/// Coarse pictures of the same frame, before an edit and after it.
struct Compared {
    int width = 0, height = 0;
    std::vector<V3f> before, now;  ///< width * height
    std::vector<uint8_t> known;    ///< of each pixel, a Known; empty: all are rendered
};
/// Of a pixel: nothing changes there or is known; it may change; it shows itself what was edited.
enum Known : uint8_t { not_known, known, shows_edit };
/// A pixel that nothing coarse is known around stays as it stood. `marks`: of the standing picture's pixels, a Known;
/// null: all may change.
std::vector<V3f> brought_along(const Standing& standing, const Compared& coarse,
                               const std::vector<uint8_t>* marks = nullptr);

}  // namespace vemtra::render
