#include "nodes/frame.h"

#include <cmath>

#include "scene/edits.h"

namespace vemtra::nodes {

std::optional<PlacedFrame> frame_of(const scene::Node& n) {
    const NodeDescription* d = describe(n.kind);
    const Port* centre = d ? d->port(Role::frame_centre) : nullptr;
    if (!centre) return std::nullopt;
    auto vector = [&](Role role) { return scene::as_vector(literal_of(n, *d->port(role))); };
    PlacedFrame f;
    f.centre = vector(Role::frame_centre);
    if (const Port* projection = d->port(Role::projection)) {
        f.shape = FrameShape(std::clamp(int(number_of(n, *projection)), 0, int(FrameShape::camera)));
        if (f.shape == FrameShape::uv) return std::nullopt;
        const V3f size = vector(Role::frame_size);
        f.size = V2f(std::max(1e-4f, size.x), std::max(1e-4f, size.y));
        f.turned = vector(Role::frame_turn);
        const float cx = std::cos(radians(f.turned.x));
        const float sx = std::sin(radians(f.turned.x));
        const float cy = std::cos(radians(f.turned.y));
        const float sy = std::sin(radians(f.turned.y));
        const float cz = std::cos(radians(f.turned.z));
        const float sz = std::sin(radians(f.turned.z));
        f.x = V3f(cy * cz + sy * sx * sz, cx * sz, -sy * cz + cy * sx * sz);
        f.y = V3f(-cy * sz + sy * sx * cz, cx * cz, sy * sz + cy * sx * cz);
        f.z = V3f(sy * cx, -sx, cy * cx);
        return f;
    }
    const Port* placed = d->port(Role::placed);
    if (placed && int(number_of(n, *placed)) + 1 != int(placed->choices.size())) return std::nullopt;  // not by its pin
    f.shape = FrameShape::pin;
    const V3f axis = vector(Role::frame_axis);
    f.z = axis.length() > 1e-6f ? axis.normalized() : V3f(0, 1, 0);
    const Frame around(f.z);
    f.x = around.tangent;
    f.y = around.bitangent;
    return f;
}

bool has_pin(const NodeDescription& d) {
    return d.port(Role::frame_centre) && d.port(Role::frame_axis);
}

void place(scene::Node& n, const V3f& centre, const std::optional<V3f>& normal, bool by_pin) {
    set(n, Role::frame_centre, centre);
    if (normal) set(n, Role::frame_axis, *normal);
    const NodeDescription* d = describe(n.kind);
    if (const Port* placed = d ? d->port(Role::placed) : nullptr; placed && by_pin)
        n.inputs[placed->name].value = float(placed->choices.size() - 1);
}

bool is_pinned_mask(const scene::Node& n) {
    const NodeDescription* d = describe(n.kind);
    return d && has_pin(*d) && !d->port(Role::placed) && d->output_type(n) == Type::number;
}

std::string another_pin(scene::BuildUp& b, const std::string& id) {
    const scene::NodePlace at = scene::Graph(b).find(id);
    if (!at.node || !is_pinned_mask(*at.node)) return {};
    scene::Node copy = *at.node;
    const std::string lane = at.layer ? at.layer->id : std::string();
    const std::string type = copy.type;
    copy.id = scene::add_node(b, lane, copy.kind, type, copy.name);
    *scene::node(b, copy.id) = copy;
    put_together(b, lane, id, copy.id, copy.name + ", all");
    return copy.id;
}

}  // namespace vemtra::nodes
