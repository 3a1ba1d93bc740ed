// Hints about surfaces that no real thing has: they render, but a reference will never match them.
#pragma once
#include "base/result.h"
#include "scene/scene.h"

namespace vemtra::review {

/// Looks at the literal values of every layer that is on. A slot that a network feeds is not judged.
std::vector<Error> plausibility(const scene::Scene& scene);

}  // namespace vemtra::review
