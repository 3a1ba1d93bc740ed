// Pictures onto the disk, whole or not at all.
#pragma once
#include <OpenImageIO/imageio.h>

#include <functional>

#include "base/file.h"
#include "base/progress.h"

namespace vemtra::texture {

/// Writes all pixels of an image by its extension, atomically. What the disk refuses is told also where the image
/// library does not notice: it writes through a file that remembers.
Status write_image(const fs::path& file, const OIIO::ImageSpec& spec, OIIO::TypeDesc type, const void* pixels);

/// Writes a tiled image of halves with its mip levels, atomically. `spec`: of the finest level, with tiles. `rows`
/// fills one row of tiles of a level: its texels row by row, as wide as the level.
Status write_levels(const fs::path& file, const OIIO::ImageSpec& spec, int levels,
                    const std::function<void(int level, int row_of_tiles, uint16_t* texels)>& rows,
                    Progress* progress = nullptr);

}  // namespace vemtra::texture
