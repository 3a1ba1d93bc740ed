// Folders that results are written into.
#pragma once
#include "base/file.h"

namespace vemtra {

/// Makes a folder and those above it; done where it is there.
Status make_folder(const fs::path& folder);

}  // namespace vemtra
