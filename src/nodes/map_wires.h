// Texture maps onto a layer as ordinary nodes: one placement, one image each, and what a kind of map needs between the
// image and its slot.
#pragma once
#include <optional>

#include "nodes/description.h"

namespace vemtra::nodes {

struct MapWire {
    enum class Use : uint8_t { color, number, normal, height } use = Use::number;
    std::string name;  ///< of the tile on the board
    std::string slot;  ///< of the layer's surface, or "gate"; empty: the image stands by in the lane
    std::string file;  ///< as the project names it, with <UDIM>
    std::string colorspace = "raw", channel = "r";
    bool invert = false;       ///< one minus the map
    bool green_down = false;   ///< of a normal map
    std::optional<V3f> value;  ///< the map carries nothing: this goes into the slot instead
};

/// Adds the nodes to the layer's lane and wires them. Networks that only fed the slots before go. `set`: the name for
/// the placement. Returns the placement's id; empty where no map was read or the layer does not exist.
std::string wire_maps(scene::BuildUp& build_up, const std::string& layer, const std::string& set,
                      const std::vector<MapWire>& wires);

}  // namespace vemtra::nodes
