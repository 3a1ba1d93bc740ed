// Words set in the faces that ship, as a picture that they fill from edge to edge: for text decals.
#pragma once
#include "base/result.h"
#include "nodes/resources.h"
#include "scene/texels.h"

namespace vemtra::texture {

inline constexpr size_t most_letters = 2000;  ///< of one lettering; what is beyond is left out

/// Coverage by the letters, 0..1, in the first lane, row 0 on top; the block of lines is stretched to fill the square.
/// Equal requests share one sheet while it is in use. Errors: an unknown face, a face file that cannot be read, nothing
/// but spaces.
Result<std::shared_ptr<const scene::Texels>> lettering_sheet(const nodes::Lettering& lettering);

/// Width over height of the block of lines: a frame of this shape shows the letters undistorted. Errors as above.
Result<float> lettering_ratio(const nodes::Lettering& lettering);

}  // namespace vemtra::texture
