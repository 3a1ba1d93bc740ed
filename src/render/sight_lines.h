// Which pixels of the live picture show something, before it is rendered: sight lines through the pixels' middles go on
// through what is clear or open.
#pragma once
#include "render/film.h"
#include "render/prepared.h"

namespace vemtra::render {

/// How many of every `step`-th pixel there are.
inline int in_steps(int pixels, int step) {
    return (pixels + step - 1) / step;
}

struct SeenPixels {
    std::vector<uint8_t> pixels;  ///< of the whole frame; 1: it is seen there, or right beside
    double count = 0;             ///< of those
};
/// Where in a frame of this size parts that wear one of these build-ups (a mark per prepared build-up) are seen, at
/// places within the box. Only pixels of the rectangle.
SeenPixels pixels_that_see(const Prepared& prepared, int width, int height, const PixelRect& rect,
                           const std::vector<uint8_t>& build_ups, const Box3f& within);

/// What each pixel of a frame sees, as long as nothing moves.
class Sights {
public:
    /// Looks anew only where parts, their build-ups, the camera or the frame are others than before. `step`: one sight
    /// line for so many pixels, both ways. Whether it did.
    bool look(const Prepared& prepared, int width, int height, int step = 1);
    /// The pixels that see one of these build-ups, and those of the sight lines right beside.
    SeenPixels that_see(const std::vector<uint8_t>& build_ups) const;
    std::vector<uint8_t> lines_that_see(const std::vector<uint8_t>& build_ups) const;  ///< a mark for each line

private:
    int width_ = 0, height_ = 0, step_ = 1;
    std::shared_ptr<const geometry::Geometry> geometry_;
    std::vector<int> build_up_of_;
    std::vector<uint8_t> clear_;
    scene::Camera camera_;
    std::vector<uint64_t> seen_;  ///< per sight line: a bit for each build-up, those beyond share the last one
};

/// The pixels of a frame, by a mark for each `step`-th one, both ways: those of the marks, and of those beside them.
SeenPixels in_full(const std::vector<uint8_t>& marks, int width, int height, int step);
/// Of a frame that is coarser by a whole factor: the pixels that hold one of these.
SeenPixels coarser(const SeenPixels& seen, int width, int height, int factor);

}  // namespace vemtra::render
