// A hash of every tile of a prepared map, behind the last byte of its file, where readers of images do not look: what a
// tile's own checksum does not cover (the file's lists of tiles, its header) is noticed as well.
#pragma once
#include <OpenImageIO/imageio.h>

#include <memory>
#include <string>
#include <vector>

#include "base/file.h"

namespace vemtra::texture {

/// In what numbers an image is: told apart where a file's header is damaged.
struct TileForm {
    int width = 0, height = 0;  ///< of the finest level
    int channels = 0;
    int bytes = 0;      ///< per number
    bool real = false;  ///< floating-point numbers
    int alpha = -1;     ///< channel; -1: none
    bool unassociated = false;
    /// Its numbers are no finer than half floats, and are kept as such in memory; nothing that the file's header knows.
    bool halves = false;
    bool operator==(const TileForm&) const = default;
};

TileForm form_of(const OIIO::ImageSpec& spec);

class TileSums {
public:
    /// The next tiles, in the order of the file: `rows` rows of texels, `width` of `texel` bytes each, in tiles of
    /// `edge`.
    void add_band(const uint8_t* rows_of, int width, int rows, size_t texel, int edge);
    Status append_to(const fs::path& file, const TileForm& form) const;
    /// Null where the file has none that hold together.
    static std::shared_ptr<const TileSums> read(const fs::path& file);

    const TileForm& form() const { return form_; }
    size_t count() const { return sums_.size(); }
    /// Whether these are the bytes of that tile: its rows without what is beyond the level's edge.
    bool is(size_t tile, const uint8_t* texels, size_t bytes) const;

private:
    TileForm form_;
    std::vector<uint64_t> sums_;
};

}  // namespace vemtra::texture
