// A sheet as this program writes it, read without decompressing what is not painted: most tiles of a sheet are blank,
// and all blank ones are the very same bytes in the file.
#pragma once
#include "base/file.h"
#include "scene/texels.h"

namespace vemtra::texture {

/// Puts the tiles of a tiled, mip-mapped OpenEXR file of halves into `edit`, whose sheet has its size, lanes and
/// levels; infinite and undefined numbers become finite ones. False where the file is another kind; an exception where
/// it is cut off or damaged.
bool read_own_sheet(const fs::path& file, scene::TexelsEdit& edit);

/// Halves that no painting holds, which would spread through every filter, become finite ones.
void tame(uint16_t* halves, size_t count);
bool blank(const uint16_t* halves, size_t count);

}  // namespace vemtra::texture
