// Lookups in batches: bilinear, over mip levels, and along the longer axis of an elongated footprint.
//   box      the average of the square around the footprint: between two mip levels, bilinear in each (Williams 1983)
//   smooth   up to 8 such reads along the longer axis with Gaussian weights, each as wide as the shorter one (McCormack
// et al. 1999, "Feline")
//   off      the finest level, bilinear
#pragma once
#include "texture/texel_store.h"

namespace vemtra::texture {

enum class Wrap : uint8_t { periodic, clamp, mirror, constant };
enum class Filter : uint8_t { off, box, smooth };

/// Points of one file. Coordinates count from its lower left corner in widths and heights; axes span the footprint,
/// full width. Any of the axes' pointers null: points without extent.
struct Lookups {
    int count = 0;
    const float* u = nullptr;
    const float* v = nullptr;
    const float* axes[4] = {};
    Wrap wrap_u = Wrap::periodic, wrap_v = Wrap::periodic;
    Filter filter = Filter::smooth;
};

/// Linear colour (or raw numbers) and alpha per point; single-channel images give their number in [0], painted ones
/// what was painted times its coverage, and that behind it.
void read_filtered(TexelStore::Reading& reading, const TexelImage& image, const ColourDecode* decode,
                   const Lookups& points, float (*out)[4]);

}  // namespace vemtra::texture
