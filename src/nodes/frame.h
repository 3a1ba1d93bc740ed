// A frame that a node places on the asset: that of a projecting placement, or the pin of a pattern. Read from the node
// and written back to it; what it looks like in the picture is the view's.
#pragma once
#include <optional>

#include "nodes/description.h"

namespace vemtra::nodes {

/// In the order of the placement's choices; `uv` has no frame.
enum class FrameShape : uint8_t { uv, plane, box, cylinder, sphere, camera, pin };

struct PlacedFrame {
    FrameShape shape = FrameShape::plane;
    V3f centre{0.f}, x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1};  ///< in the asset's own space, axes of unit length
    V2f size{.1f};                                        ///< metres; of a pin it says nothing
    V3f turned{0.f};                                      ///< degrees: nod, swing, roll
};
/// The frame that counts for the node as it stands; none where it has none or does not use it.
std::optional<PlacedFrame> frame_of(const scene::Node& node);
/// Whether the node can be placed by a click on the asset.
bool has_pin(const NodeDescription& description);
/// Places the node there: centre, and where it has an axis, along the normal (unit length, the asset's own space). With
/// `by_pin` it uses its pin from now on.
void place(scene::Node& node, const V3f& centre, const std::optional<V3f>& normal, bool by_pin);

/// Whether the node is a mask of its own around its pin.
bool is_pinned_mask(const scene::Node& node);
/// Another pin in the same mask: a copy of a node that is_pinned_mask(), beside it, and a node that puts both
/// together in its place for all that read it. The copy's id; empty where the node is no such mask.
std::string another_pin(scene::BuildUp& build_up, const std::string& node);

}  // namespace vemtra::nodes
