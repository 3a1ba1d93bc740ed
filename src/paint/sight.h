// Which texels the eye that is painted with sees: a ray from each to the eye.
#pragma once
#include "paint/brush.h"
#include "paint/layout.h"
#include "render/pinhole.h"

namespace vemtra::paint {

class Sight {
public:
    Sight(std::shared_ptr<const render::Prepared> prepared, const View& view);

    /// Of a block's texels (x % 8 + y % 8 * 8, a bit each) those that nothing hides. Where texels lie closer than
    /// pixels, a block of which sixteen evenly spread texels agree is not asked further: what hides less of it than
    /// about a pixel of the view is not minded.
    uint64_t of_block(const Leaf& leaf, int block) const;
    /// Where a texel stands in the world: one of the gutter for the nearest point of its face.
    V3f place(const Leaf& leaf, int texel) const;
    const render::Pinhole& eye() const { return eye_; }

private:
    uint64_t ask(const Leaf& leaf, int block, uint64_t texels) const;
    std::shared_ptr<const render::Prepared> prepared_;
    render::Pinhole eye_;
};

}  // namespace vemtra::paint
