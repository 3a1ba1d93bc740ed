// Painted texels: a square sheet as 64 x 64 tiles of half floats with all mip levels. Immutable; a changed sheet shares
// with the one before all tiles that did not change, so that a step of undo costs what it changed and no more. Tiles
// where nothing was painted are not there.
#pragma once
#include <array>
#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <unordered_map>
#include <vector>

namespace vemtra::scene {

inline constexpr int texel_tile = 64;  ///< texels a side of a tile
inline constexpr int least_sheet = 64, largest_sheet = 8192;

/// Halves: 64 x 64 texels, row 0 on top, each of as many numbers as the sheet has lanes.
using TexelTile = std::shared_ptr<const uint16_t[]>;

/// Which texels of a sheet stand for a place on the form: one bit each, a row of a tile per number, the lowest bit to
/// the left.
class TexelCover {
public:
    virtual ~TexelCover() = default;
    using Rows = std::array<uint64_t, texel_tile>;
    /// Of a tile of a level; null: all of it does.
    virtual const Rows* rows(int level, int x, int y) const = 0;
};

class Texels {
public:
    /// Nothing is painted yet. `size`: texels a side, a power of two, least_sheet..largest_sheet (taken to the nearest
    /// below). `lanes`: 2 (a number and its coverage) or 4 (a colour and its coverage); values are multiplied by the
    /// coverage.
    static std::shared_ptr<const Texels> blank(int size, int lanes);

    int size() const { return size_; }
    int lanes() const { return lanes_; }
    int levels() const { return int(levels_.size()); }
    int size(int level) const { return size_ >> level; }
    int across(int level) const { return (size(level) + texel_tile - 1) / texel_tile; }  ///< tiles a side
    size_t halves() const { return size_t(texel_tile) * texel_tile * size_t(lanes_); }   ///< of a tile
    /// Null where nothing is painted.
    const TexelTile& tile(int level, int x, int y) const;
    bool empty() const { return tiles_ == 0; }
    size_t tiles() const { return tiles_; }      ///< of all levels
    uint64_t number() const { return number_; }  ///< no two sheets of one run have the same
    uint64_t content_hash() const;               ///< equal sheets of any run have the same
    size_t bytes() const;                        ///< of tiles and page tables, those shared with others among them

    /// Calls f(level, x, y, tile) for every tile that is there.
    void for_each(const std::function<void(int, int, int, const TexelTile&)>& f) const;
    /// Calls f(level, x, y) for every place where the tiles are not the very same. Both of one size and lanes.
    void for_each_apart(const Texels& other, const std::function<void(int, int, int)>& f) const;
    /// Bytes of the tiles that `other` does not hold.
    size_t bytes_not_in(const Texels& other) const;

private:
    friend class TexelsEdit;
    static constexpr int block_edge = 8;  // tiles a side: page tables are shared in blocks
    using Block = std::array<TexelTile, block_edge * block_edge>;
    struct Level {
        int across = 1;  // blocks a side
        std::vector<std::shared_ptr<const Block>> blocks;
    };
    int size_ = least_sheet, lanes_ = 2;
    size_t tiles_ = 0;
    uint64_t number_ = 0;
    /// What content_hash() said; 0: it was not asked yet, as in a copy, which is about to change.
    struct Content {
        std::atomic<uint64_t> hash{0};
        Content() = default;
        Content(const Content&) {}
    };
    mutable Content content_;
    std::vector<Level> levels_;
};

/// Makes the next sheet of one: tiles are copied when they are first written.
class TexelsEdit {
public:
    explicit TexelsEdit(std::shared_ptr<const Texels> from);
    const Texels& before() const { return *from_; }
    /// The finest level's tile, to be written. Good until done(). `blocks`: which of its 8 x 8 blocks of 8 x 8 texels
    /// will be, the lowest bit for the upper left one, row by row; what lies above others is not made anew.
    uint16_t* tile(int x, int y, uint64_t blocks = ~uint64_t(0));
    struct Part {
        int x, y;
        uint64_t blocks;
        bool whole = false;  ///< all texels of those blocks will be written: they are not copied
    };
    /// The same of many different ones, on all cores: write(number of the part, its tile).
    using Write = std::function<void(size_t, uint16_t*)>;
    void tiles(const std::vector<Part>& parts, const Write& write) { written(0, parts, write); }
    /// Whether tile() was called for it.
    bool touched(int x, int y) const { return written_.contains(key(0, x, y)); }
    /// Puts a tile as it is, of any level, null for none: reading files. Levels above are not made of it.
    void put(int level, int x, int y, TexelTile tile);
    /// The new sheet. Mip levels over tiles that were written are the means of the texels that `cover` has (null: of
    /// all); around what it has, the nearest texels are filled with the mean of their neighbours, so that no lookup
    /// meets an unpainted one. Tiles in which nothing is left are taken out.
    std::shared_ptr<const Texels> done(const TexelCover* cover = nullptr);

private:
    static uint64_t key(int level, int x, int y) {
        return uint64_t(level) << 48 | uint64_t(uint32_t(y)) << 24 | uint32_t(x);
    }
    struct Written {
        std::shared_ptr<uint16_t[]> texels;
        uint64_t blocks = 0;
    };
    using Marks = std::unordered_map<uint64_t, uint64_t>;  // blocks of tiles
    Written& written(int level, int x, int y);
    void written(int level, const std::vector<Part>& parts, const Write& write);
    Marks above(const Marks& below) const;
    Marks around(int level, const Marks& marks) const;
    void average(int level, const Part& part, const TexelCover* cover, uint16_t* out) const;
    void fill_around(int level, int x, int y, uint64_t blocks, const TexelCover& cover);
    void set(int level, int x, int y, TexelTile tile);

    std::shared_ptr<const Texels> from_;
    std::shared_ptr<Texels> next_;
    std::unordered_map<uint64_t, Written> written_;
    std::unordered_map<uint64_t, std::shared_ptr<Texels::Block>> own_blocks_;
};

/// The same sheet at another size, a power of two: finer by interpolation, coarser by the mip levels it has.
std::shared_ptr<const Texels> resampled(const Texels& from, int size, const TexelCover* cover = nullptr);

float half_to_float(uint16_t h);
uint16_t float_to_half(float f);  ///< to the nearest; what is no number gives 0

}  // namespace vemtra::scene
