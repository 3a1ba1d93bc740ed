// Pictures onto the disk, whole or not at all.
#pragma once
#include <OpenImageIO/imageio.h>

#include "base/file.h"

namespace vemtra::texture {

/// Writes all pixels of an image by its extension, atomically. What the disk refuses is told also where the image
/// library does not notice: it writes through a file that remembers.
Status write_image(const fs::path& file, const OIIO::ImageSpec& spec, OIIO::TypeDesc type, const void* pixels);

}  // namespace vemtra::texture
