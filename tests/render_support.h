// What tests of pictures share: a scene prepared, and its pixels.
#pragma once
#include "render/picture.h"
#include "support.h"

namespace vemtra::test {

std::shared_ptr<const render::Prepared> prepared(const scene::Scene& s, const fs::path& folder,
                                                 render::Workshop& workshop);
std::vector<V3f> rendered(const render::Prepared& p, const render::PictureSettings& settings);
std::vector<V3f> rendered(const render::Prepared& p, int width, int height, int samples,
                          render::View view = render::View::beauty);
/// Without what helps against noise and is exact in the limit only.
std::vector<V3f> rendered_exactly(const render::Prepared& p, int width, int height, int samples);
V3f mean(const std::vector<V3f>& pixels);

}  // namespace vemtra::test
