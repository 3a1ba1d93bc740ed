// OpenEXR headers, walked before the library is given the file: it asks for the memory that a header claims.
#pragma once
#include <string>

#include "base/file.h"

namespace vemtra::texture {

/// Why a file that begins as OpenEXR files do cannot be what its header claims: an attribute, a text in one, a preview
/// or a table of chunks that is longer than the file; empty: it may be, or is no OpenEXR file. Source: "OpenEXR File
/// Layout", openexr.com.
std::string exr_claims_too_much(const fs::path& file);

}  // namespace vemtra::texture
