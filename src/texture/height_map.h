// Height maps as rays meet them: every texel of the file in 16 bits, and the least and largest of ever larger squares
// of them (a min-max pyramid), 3.33 bytes per texel together.
#pragma once
#include <memory>
#include <vector>

#include "base/progress.h"
#include "texture/image_header.h"

namespace vemtra::texture {

/// One file. Texels are codes: value = least + step * code. Files of 8 and 16 bits keep their codes (0 to 255 become 0
/// to 65535), those of floating point are spread over what they hold. Row 0 is on top.
class HeightTile {
public:
    /// `texels`: width * height of them, values that are no number or beyond 1e9 count as 0.
    HeightTile(int width, int height, const std::vector<float>& texels);
    HeightTile(int width, int height, std::vector<uint16_t> codes, float least, float step);

    int width() const { return width_; }
    int height() const { return height_; }
    float least() const { return least_; }
    float step() const { return step_; }
    float value(uint16_t code) const { return least_ + step_ * float(code); }
    /// 0 <= x < width, 0 <= y < height.
    uint16_t code(int x, int y) const { return codes_[size_t(y) * size_t(width_) + size_t(x)]; }
    const uint16_t* codes() const { return codes_.data(); }
    /// The least and largest code of a rectangle of texels, ends included; or of a little more around it.
    void range(int x0, int y0, int x1, int y1, uint16_t& lo, uint16_t& hi) const;
    uint16_t lowest() const { return levels_.empty() ? codes_[0] : levels_.back().lo[0]; }
    uint16_t highest() const { return levels_.empty() ? codes_[0] : levels_.back().hi[0]; }
    /// The pyramid from the texels on; each array may be read two bytes beyond its end.
    struct View {
        const uint16_t *lo, *hi;
        int width, height;
    };
    std::vector<View> pyramid() const;
    size_t bytes() const;
    size_t pyramid_bytes() const { return size_t(width_) * size_t(height_) * 16 / 3; }  ///< of min and max per texel on

private:
    struct Level {
        int width, height;
        std::vector<uint16_t> lo, hi;
    };
    void build();
    int width_, height_;
    float least_, step_;
    std::vector<uint16_t> codes_;  ///< and one more, so that four bytes may be read at each
    std::vector<Level> levels_;    ///< [0] has squares of two texels
};

/// Reads one channel ("r", "g", "b", "a", a name, or "luminance") of a file as it is, without a colour space.
Result<std::shared_ptr<const HeightTile>> read_heights(const fs::path& file, const std::string& channel,
                                                       Progress* progress = nullptr);

}  // namespace vemtra::texture
