// What a map of heights holds: how its values are spread, how many levels are left of them at 8 and at 16 bits, and the
// range that it uses, to be taken over in one step.
#pragma once
#include <map>

#include "review/visible.h"
#include "texture/height_map.h"

namespace vemtra::review {

struct HeightSource {
    std::string file;  ///< its name, without folders
    int bits = 16;     ///< of the file
    bool floating = false;
    Histogram values;                 ///< of all texels
    V2f ends{0.f, 1.f};               ///< between which 998 in a thousand texels lie
    float commonest = .5f;            ///< the value that most texels are near: as a rule where nothing should move
    V2f range{0.f, 1.f};              ///< that its numbers can say; of floats, what they say
    size_t levels_8 = 0, levels = 0;  ///< different values between the ends, at 8 bits and as they are, 16 at most
    /// Values of texels that follow each other, where 8 bits step most visibly: on the gentlest slope that still
    /// crosses some of their levels; on the steepest where there is none.
    std::vector<float> stretch;

    float at_8_bits(float value) const;
    float step(int at_bits) const { return (range.y - range.x) / float((1 << at_bits) - 1); }
};
HeightSource height_source(const texture::HeightTile& tile);

/// Limits and neutral value of the layer become those of the map: its ends, and its commonest value.
void take_range(scene::Layer& layer, const HeightSource& source);

}  // namespace vemtra::review
