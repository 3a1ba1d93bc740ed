// Small images for tests of maps.
#pragma once
#include <OpenImageIO/oiioversion.h>

#include "support.h"

// The library's own header takes seconds to read: what changes more than the numbers includes it itself.
OIIO_NAMESPACE_BEGIN
class ImageSpec;
OIIO_NAMESPACE_END

namespace vemtra::test {

/// How a file keeps its numbers.
enum class Kept { bytes, words, halves, floats };

/// Writes value(x, y, channel), 0 to 1 for whole numbers; `change` is the last to touch what the file says of itself.
void write_image(const fs::path& file, int w, int h, int channels, Kept kept,
                 const std::function<float(int, int, int)>& value,
                 const std::function<void(OIIO::ImageSpec&)>& change = {});

}  // namespace vemtra::test
