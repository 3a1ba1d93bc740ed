// How different two pictures look when they are shown in turn: FLIP (Andersson, Nilsson, Akenine-Moeller, Oskarsson,
// Astroem, Fairchild 2020, "FLIP: A Difference Evaluator for Alternating Images").
#pragma once
#include <cstdint>
#include <vector>

namespace vemtra::test {

/// Per pixel 0 (the same) to 1. Both: RGBA, 8 bit, as displayed (sRGB), `width` x `height`. `pixels_per_degree`: of
/// sight; 67 is a 4K screen of .7 m seen from .7 m.
std::vector<float> flip(const std::vector<uint8_t>& reference, const std::vector<uint8_t>& test, int width, int height,
                        float pixels_per_degree = 67.f);

}  // namespace vemtra::test
