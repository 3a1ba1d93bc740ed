// Nodes carried from one place to another: within a build-up, to another one, to another project.
#pragma once
#include "base/result.h"
#include "scene/scene.h"

namespace vemtra::scene {

/// These nodes as text (JSON), in the order in which they stand, with the networks that they are instances of.
std::string clip_of(const Scene& scene, const BuildUp& build_up, const std::vector<std::string>& nodes);
/// Puts the clip's nodes into the layer's lane (commons where empty) under free names; returns their ids. Wires among
/// them follow; wires from elsewhere stay where that node is in this build-up, and give way to the literal where not.
/// An Error where the text is no clip, or the build-up is not there.
Result<std::vector<std::string>> paste_clip(Scene& scene, const std::string& build_up, const std::string& layer,
                                            const std::string& clip);
/// Copies beside the originals. With `sources`, what they read is copied as well; else they share it.
std::vector<std::string> duplicate_nodes(BuildUp& build_up, const std::vector<std::string>& nodes, bool sources);

}  // namespace vemtra::scene
