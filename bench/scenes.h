// The pictures that noise is measured on, written as projects that any build can render.
#pragma once
#include <string>
#include <vector>

#include "base/file.h"

namespace vemtra::bench {

struct NoiseScene {
    std::string name;
    fs::path project;
    int reference_samples;  ///< of each of the two halves of its reference
};
/// Writes all of them below `folder`.
std::vector<NoiseScene> write_noise_scenes(const fs::path& folder);

}  // namespace vemtra::bench
