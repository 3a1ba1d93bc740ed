// Documents of the open standard for materials, MaterialX 1.39 (https://materialx.org, specification and standard node
// library): read into networks and build-ups of ours, evaluated, and written.
#pragma once
#include "base/paths.h"
#include "base/progress.h"
#include "base/result.h"
#include "nodes/description.h"

namespace vemtra::exchange {

/// What a document says, in our terms. Every nodegraph is a network; nodes that stand outside of any are the network
/// `loose`, and each of them is one of its outputs, under its own name.
struct StandardDocument {
    static constexpr const char* loose = "loose nodes";
    std::vector<scene::Network> networks;
    /// What the inputs of nodegraphs are given, by the network's id; `from` and `output` name a network and its output.
    std::map<std::string, scene::Inputs> given;
    /// One per material, or per surface shader that no material takes; instances of the networks stand in its commons.
    std::vector<scene::BuildUp> build_ups;
    std::vector<Error> problems;  ///< what was left out or taken otherwise, with the element's name
};

/// Reads a document of at most 256 MB. What it cannot say in our terms is in `problems`, the rest is there; an Error
/// where it cannot be read at all. Colours become linear Rec.709; paths of files stay as they are, behind the
/// document's file prefix.
Result<StandardDocument> read_standard_document(const fs::path& file);
Result<StandardDocument> parse_standard_document(const std::string& text, const std::string& name);

/// A build-up whose commons hold an instance, called as the network, of each network that this one reads.
scene::BuildUp instances_of(const StandardDocument& document, const std::string& network);

/// Puts the document's networks and build-ups into the scene under ids that are free there; returns the ids of the
/// build-ups. Paths are made relative to `project`'s folder.
std::vector<std::string> take_in(StandardDocument document, scene::Scene& scene, const fs::path& document_file,
                                 const fs::path& project);

struct WrittenDocument {
    std::string text;
    std::vector<Error> problems;  ///< what the standard cannot say, each once, with its place
};
/// The build-ups that parts of the scene wear (all of them, where none does), and the networks that they use.
WrittenDocument write_standard_document(const scene::Scene& scene);
/// The same into a file, atomically, with the maps' paths relative to it; returns what could not be said. What is
/// painted over UVs goes into files of its own in a folder beside it, before the document names them.
Result<std::vector<Error>> write_standard_file(scene::Scene scene, const fs::path& project, const fs::path& file,
                                               Progress* progress = nullptr);

}  // namespace vemtra::exchange
