// One map, made ready: tiled, with all its mip levels and its TileSums, in a file of its own.
#pragma once
#include <string>

#include "base/file.h"
#include "base/progress.h"

namespace vemtra::texture {

/// Of the prepared form: part of every name.
inline constexpr const char* prepared_version = "2";

/// Makes the prepared form of one file. `space`: whose curve its colour numbers have. An Error says "stopped" where it
/// was.
Status prepare_map(const fs::path& from, const fs::path& to, const std::string& space, Progress* progress = nullptr,
                   int threads = 1);

}  // namespace vemtra::texture
