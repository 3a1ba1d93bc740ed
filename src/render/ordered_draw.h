// Drawing one of many by their chances, in order: growing numbers draw along the row, so that numbers which are spread
// evenly draw evenly spread ones (a table of aliases, Walker 1977, would shuffle them). The inverse of the cumulative
// distribution by a guide table (Chen and Asau 1974) and bisection, over blocks and then within one. And the order in
// which the texels of a picture lie along such a row: a Z-curve (Morton 1966), on which neighbours mostly are
// neighbours in the picture.
#pragma once
#include <algorithm>
#include <cstdint>
#include <vector>

#include "base/vec.h"

namespace vemtra::render {

struct Drawn {
    size_t index;
    float chance;  ///< of that one
    float rest;    ///< a number in [0, 1) that is left of `u`
};

class OrderedDraw {
public:
    OrderedDraw() = default;
    /// Chances in any unit, at least one above 0; at most 2^31 of them. One of 0 is drawn all the same, as seldom as
    /// can be (2^-32 of the whole); one below 0 never.
    explicit OrderedDraw(const std::vector<float>& chance) {
        size_t n = chance.size();
        while (n > 1 && chance[n - 1] < 0.f) --n;
        double sum = 0;
        size_t possible = 0;
        for (const float c : chance)
            if (c >= 0.f) sum += double(c), ++possible;
        const double scale = (0x1p32 - double(possible)) / sum;
        size_ = n;
        const size_t blocks = (n + per_block - 1) / per_block;
        begins_.resize(blocks * per_block + 1, UINT32_MAX);
        double before = 0;
        size_t least = 0;
        for (size_t i = 0; i < n; ++i) {
            begins_[i] = uint32_t(uint64_t(before * scale) + least);
            if (chance[i] >= 0.f) before += double(chance[i]), ++least;
        }
        for (size_t b = 0; b < blocks; ++b) block_begins_.push_back(begins_[b * per_block]);
        while (blocks >> bits_ > per_guide) ++bits_;
        guide_.resize((size_t(1) << bits_) + 1, uint32_t(blocks - 1));
        size_t i = 0;
        for (size_t g = 0; g + 1 < guide_.size(); ++g) {
            const uint64_t at = uint64_t(g) << (32 - bits_);
            while (i + 1 < blocks && block_begins_[i + 1] <= at) ++i;
            guide_[g] = uint32_t(i);
        }
    }

    float chance(size_t index) const { return index < size_ ? float(width(index)) * 0x1p-32f : 0.f; }
    /// What chance() of it reads comes soon.
    void prefetch(size_t index) const { __builtin_prefetch(&begins_[std::min(index, size_)]); }

    /// Draws by `u` in [0, 1): of millions a float has too few digits to tell one from another.
    Drawn draw(double u) const { return draw_in(block(u), u); }
    /// The first half of it: in which block the one lies. What the second half reads is on its way then.
    size_t block(double u) const {
        const uint32_t at = uint32_t(place(u));
        const size_t g = bits_ ? at >> (32 - bits_) : 0;
        size_t low = guide_[g];
        for (size_t count = guide_[g + 1] - low + 1; count > 1;) {  // the last one that does not begin behind it
            const size_t half = count / 2;
            low += block_begins_[low + half] <= at ? half : 0;
            count -= half;
        }
        for (size_t k = 0; k <= per_block; k += per_block / 2) __builtin_prefetch(&begins_[low * per_block + k]);
        return low;
    }
    Drawn draw_in(size_t block, double u) const {
        const double where = place(u);
        const uint32_t at = uint32_t(where);
        const uint32_t* begins = &begins_[block * per_block];
        uint32_t before = 0;
        for (size_t k = 0; k < per_block; ++k) before += begins[k] <= at;
        const size_t index = std::min(block * per_block + before, size_) - 1;
        const double rest = (where - double(begins_[index])) / double(width(index));
        return {index, chance(index), std::min(.99999994f, float(rest))};
    }

private:
    static constexpr size_t per_block = 32;  // two lines of a cache: all that a draw reads far from the processor
    static constexpr size_t per_guide = 2;   // blocks
    static double place(double u) { return std::min(u * 0x1p32, 0x1.fffffffffp31); }
    uint64_t width(size_t index) const {
        return (index + 1 < size_ ? begins_[index + 1] : uint64_t(1) << 32) - begins_[index];
    }
    size_t size_ = 0;
    std::vector<uint32_t> begins_;        ///< of each, in 2^-32 of the whole; whole blocks, and one more
    std::vector<uint32_t> block_begins_;  ///< of every 32nd
    std::vector<uint32_t> guide_;         ///< by the first bits of a place: which block it lies in
    int bits_ = 0;
};

/// A picture as squares in a row, or in a column where it is taller than wide, each along a Z-curve; what the squares
/// have beyond the picture is no texel of it. They are as large as the shorter side asks for, so that a thin picture
/// takes no more than a few times its texels.
class ZCurve {
public:
    ZCurve() = default;
    ZCurve(int width, int height) {
        while (1 << bits_ < std::min(width, height)) ++bits_;
        upright_ = height > width;
        squares_ = (size_t(std::max(width, height)) + side() - 1) >> bits_;
    }
    size_t size() const { return squares_ << 2 * bits_; }
    size_t index(uint32_t x, uint32_t y) const {
        const uint32_t inside = uint32_t(side()) - 1;
        const size_t square = (upright_ ? y : x) >> bits_;
        return square << 2 * bits_ | spread(x & inside) | size_t(spread(y & inside)) << 1;
    }
    void place(size_t index, uint32_t& x, uint32_t& y) const {
        const uint32_t within = uint32_t(index & ((size_t(1) << 2 * bits_) - 1));
        x = gathered(within);
        y = gathered(within >> 1);
        (upright_ ? y : x) |= uint32_t(index >> 2 * bits_) << bits_;
    }

private:
    size_t side() const { return size_t(1) << bits_; }
    /// Sixteen bits to every other place.
    static uint32_t spread(uint32_t v) {
        v = (v | v << 8) & 0x00ff00ffu;
        v = (v | v << 4) & 0x0f0f0f0fu;
        v = (v | v << 2) & 0x33333333u;
        return (v | v << 1) & 0x55555555u;
    }
    static uint32_t gathered(uint32_t v) {
        v &= 0x55555555u;
        v = (v | v >> 1) & 0x33333333u;
        v = (v | v >> 2) & 0x0f0f0f0fu;
        v = (v | v >> 4) & 0x00ff00ffu;
        return (v | v >> 8) & 0x0000ffffu;
    }
    int bits_ = 0;
    size_t squares_ = 0;
    bool upright_ = false;
};

}  // namespace vemtra::render
