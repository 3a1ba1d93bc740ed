// What a map's pixels tell: whether it carries anything, how a normal map's green points, whether lengths and tones are
// plausible.
#pragma once
#include <array>
#include <vector>

#include "base/progress.h"
#include "texture/map_cache.h"

namespace vemtra::texture {

struct ChannelFacts {
    float low = 0.f, high = 0.f, mean = 0.f, deviation = 0.f;  ///< in the file's own numbers, 0..1 for whole ones
    float at_zero = 0.f, at_one = 0.f;                         ///< shares of the texels that are 0 or less, 1 or more
};
struct MapFacts {
    std::vector<ChannelFacts> channels;  ///< up to four
    bool constant = false;               ///< every channel has one value (within one code)
    bool grey = false;                   ///< the colour channels agree
    bool alpha_all_one = false;          ///< there is an alpha, and it says nothing
    // Read as a normal map:
    float normal_length = 0.f;  ///< mean length of the directions; 1 where it is a normal map
    float normal_tilt = 0.f;    ///< mean slope; near 0 where it is flat
    /// Correlation of d(slope in u)/dv with d(slope in v)/du, which are equal for the slopes of any surface: near 1
    /// where green points up, near -1 where it points down.
    float green_up = 0.f;
    bool looks_normal() const {
        return channels.size() >= 3 && normal_length > .8f && normal_length < 1.15f && channels[2].mean > .55f &&
               channels[2].mean > channels[0].mean + .05f;
    }
};

/// Reads the whole file, in strips. An Error says what is wrong with it, or "stopped". `largest_edge` above 0: of a
/// prepared map the finest level that is not larger is looked at instead (lengths of normals are those of averages
/// then).
Result<MapFacts> probe_map(const fs::path& file, Progress* progress = nullptr, int largest_edge = 0);

}  // namespace vemtra::texture
