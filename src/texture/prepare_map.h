// One map, made ready: tiled, with all its mip levels and its TileSums, in a file of its own.
#pragma once
#include <string>

#include "base/file.h"
#include "base/progress.h"
#include "nodes/resources.h"

namespace vemtra::texture {

/// Of the prepared form: part of every name.
inline constexpr const char* prepared_version = "3";

/// What a map is prepared as: a colour space's name, whose curve its colour numbers have; or how its directions or
/// heights vary (nodes::Spread), of heights that channel, -1: the luminance, in that space.
std::string spread_form(nodes::Spread spread, int channel, const std::string& space);
/// Whether it is one of spread_form().
bool is_spread(const std::string& form);

/// Makes the prepared form of one file. An Error says "stopped" where it was.
///
/// How a map varies is kept as four numbers, halves in memory: the means of xx, yy and xy of what lies under a texel,
/// of directions (-1 to 1) or of the slopes of heights from texel to texel of the finest level, to the right and up,
/// and 1; in the finest level 0 (Olano and Baker 2010). Of directions they are so that the square of the mean that the
/// map itself keeps, with its digits, can be taken off.
Status prepare_map(const fs::path& from, const fs::path& to, const std::string& form, Progress* progress = nullptr,
                   int threads = 1);

}  // namespace vemtra::texture
