// What a map's numbers mean: OpenColorIO, with the configuration that ships, decides. Spaces are taken apart once into
// a curve per channel and a matrix, so that lookups cost a table read for 8 and 16 bits and nothing for linear ones.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "base/result.h"
#include "base/vec.h"

namespace vemtra::texture {

/// From a map's numbers to linear Rec.709: out = matrix * curve(in), curve per channel.
class ColourDecode {
public:
    std::string space;
    bool has_curve = false, has_matrix = false;
    std::vector<float> curve8, curve16;             ///< of all codes / 255 and / 65535; filled where has_curve
    float matrix[9] = {1, 0, 0, 0, 1, 0, 0, 0, 1};  ///< rows

    bool plain() const { return !has_curve && !has_matrix; }
    V3f transform(const V3f& c) const {
        const float* m = matrix;
        return {m[0] * c.x + m[1] * c.y + m[2] * c.z, m[3] * c.x + m[4] * c.y + m[5] * c.z,
                m[6] * c.x + m[7] * c.y + m[8] * c.z};
    }
    /// The curve for numbers of any size (floating-point maps), on n packed RGB triples.
    void apply_curve(float* rgb, size_t n) const;
    /// The curve's inverse for 0..1, to the nearest of 65535 codes; what prepared maps are written by.
    const std::vector<uint16_t>& encode16() const { return encode16_; }

private:
    friend std::shared_ptr<const ColourDecode> make_decode(const std::string&);
    std::vector<uint16_t> encode16_;  ///< of linear codes / 65535
};

/// The decode of a space by its name in the configuration; "raw" leaves numbers alone. Made once and shared. An unknown
/// name is an Error.
Result<std::shared_ptr<const ColourDecode>> colour_decode(const std::string& space);

/// Spaces that a texture map may be in, in the order in which they are offered.
const std::vector<std::string>& colour_spaces();

/// The configuration's name for what a file says of itself (oiio:ColorSpace and the like), or for a word in its name;
/// empty: it says nothing.
std::string colour_space_named(const std::string& word);

}  // namespace vemtra::texture
