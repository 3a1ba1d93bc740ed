// What the artist does with the nodes of the shown build-up, beyond wiring them.
#pragma once
#include <string>
#include <vector>

#include "base/paths.h"

namespace vemtra::app {

class Workbench;

class NodeWork {
public:
    explicit NodeWork(Workbench& bench) : bench_(bench) {}

    void bypass(const std::vector<std::string>& nodes);  ///< all of them, or none where all are
    void hold_version();                                 ///< of the selected node's settings
    void flip_version();
    void group_nodes(const std::vector<std::string>& nodes, const std::string& name);
    void open_group(const std::string& instance);  ///< its nodes are laid open in its place
    void close_group(const std::string& network);  ///< what lies open of it becomes the network, for all instances
    void dissolve_group(const std::string& instance);
    void make_group_unique(const std::string& instance);
    /// An instance of a network of the project, in the selected layer's lane.
    void add_instance(const std::string& network);
    /// A map node for the file: for a slot or an input where one is named, else for nothing yet.
    void add_map(const fs::path& file, const std::string& layer, const std::string& node, const std::string& port);

private:
    Workbench& bench_;
};

}  // namespace vemtra::app
