// The rows of one input of a node or a surface: its value, both ends where it has two, and what it is connected to.
#pragma once
#include "app/detail/form.h"
#include "nodes/description.h"

namespace vemtra::app {

/// How a row reaches its input: by ids, because the document may have changed since the row was made. `make`: an input
/// that is not there yet is; else the result may be null.
using Reach = std::function<scene::Input*(scene::Scene&, bool make)>;
Reach reach_node(const std::string& build_up, const std::string& node, const nodes::Port& port);
/// A slot of the layer's surface, or its gate's mask.
Reach reach_slot(const std::string& build_up, const std::string& layer, const nodes::Port& port);

/// Whether its row has these words, in any case, in its name or in what is told of it.
bool is_mentioned(const nodes::Port& port, const QString& words);

/// `type`: the port's, in the node's present type.
void add_port(Workbench& bench, Form& form, const nodes::Port& port, nodes::Type type, const Reach& reach);

}  // namespace vemtra::app
