// What a hand may get wrong in a project file and the rest of the program relies on.
#pragma once
#include "base/result.h"
#include "scene/scene.h"

namespace vemtra::scene {

/// Brings ids to be unique, numbers into the ranges that computing needs, and build-ups to hold no circle. Each change
/// is told in `problems`, with its place; `file` is the name that they give.
void repair(Scene& scene, const std::string& file, std::vector<Error>& problems);

}  // namespace vemtra::scene
