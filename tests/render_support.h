// What tests of pictures share: a scene prepared, and its pixels.
#pragma once
#include "program/compile.h"
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
/// All components of a value of the build-up's network at a place of the first shape's first UVs, seen along the normal
/// with a footprint of .01 m.
std::vector<float> values_at(const render::Prepared& p, const scene::BuildUp& build_up, const program::Wanted& wanted,
                             const V2f& uv);
V3f mean(const std::vector<V3f>& pixels);

}  // namespace vemtra::test
