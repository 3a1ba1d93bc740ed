#include "scene/scene.h"

namespace vemtra::scene {

const std::vector<LayerTraits>& layer_kinds() {
    static const std::vector<LayerTraits> all = {
        {LayerKind::cover, "cover", "Cover", true, true, true},
        {LayerKind::coat, "coat", "Coat", false, false, false},
    };
    return all;
}
const LayerTraits& traits(LayerKind kind) {
    return layer_kinds()[size_t(kind)];
}

const std::vector<WordFor<Lies>>& words_for(Lies) {
    static const std::vector<WordFor<Lies>> all = {
        {Lies::flat, "flat", "Flat", "Laid on straight along its axis."},
        {Lies::round, "round", "Round a pole",
         "Bent round the upright axis of its frame, as wide as it is on the way round."},
        {Lies::wrapped, "wrapped", "Wrapped",
         "Follows the form from its middle outwards, without stretching round corners."},
    };
    return all;
}

const std::vector<WordFor<Print>>& words_for(Print) {
    static const std::vector<WordFor<Print>> all = {
        {Print::covers, "covers", "Covers", "It has a surface of its own and hides what is below."},
        {Print::multiply, "multiply", "Multiply", "Its colour tints the colour below, as a stain or a thin ink does."},
        {Print::screen, "screen", "Screen", "It lightens the colour below, and never darkens it."},
        {Print::overlay, "overlay", "Overlay", "It darkens what is dark below and lightens what is light."},
        {Print::plus, "plus", "Plus", "Its colour is added to the colour below."},
    };
    return all;
}

const Sheet* Painting::sheet(int tile) const {
    for (const Sheet& s : sheets)
        if (s.tile == tile) return &s;
    return nullptr;
}

size_t texel_bytes_apart(const Scene& a, const Scene& b) {
    size_t bytes = 0;
    for (const Painting& p : a.paintings) {
        const Painting* q = find(b.paintings, p.id);
        for (const Sheet& s : p.sheets) {
            const Sheet* t = q ? q->sheet(s.tile) : nullptr;
            if (s.texels) bytes += t && t->texels ? s.texels->bytes_not_in(*t->texels) : s.texels->bytes();
        }
    }
    return bytes;
}

M44f matrix_of(const Placement& p) {
    const float cx = std::cos(radians(p.rotation.x));
    const float sx = std::sin(radians(p.rotation.x));
    const float cy = std::cos(radians(p.rotation.y));
    const float sy = std::sin(radians(p.rotation.y));
    const float cz = std::cos(radians(p.rotation.z));
    const float sz = std::sin(radians(p.rotation.z));
    const M44f about_x(1, 0, 0, 0, 0, cx, sx, 0, 0, -sx, cx, 0, 0, 0, 0, 1);
    const M44f about_y(cy, 0, -sy, 0, 0, 1, 0, 0, sy, 0, cy, 0, 0, 0, 0, 1);
    const M44f about_z(cz, sz, 0, 0, -sz, cz, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1);
    M44f m = M44f().setScale(p.scale) * about_x * about_y * about_z;
    for (int c = 0; c < 3; ++c) m[3][c] = p.position[c];
    return m;
}

Placement placement_of(const M44f& m) {
    Placement p;
    V3f axis[3];
    for (int r = 0; r < 3; ++r) {
        axis[r] = V3f(m[r][0], m[r][1], m[r][2]);
        p.scale[r] = std::max(1e-6f, axis[r].length());
        p.position[r] = m[3][r];
        axis[r] /= p.scale[r];
    }
    if (axis[0].cross(axis[1]).dot(axis[2]) < 0.f) {  // mirrored: along x
        p.scale.x = -p.scale.x;
        axis[0] = -axis[0];
    }
    // Of R = Rx Ry Rz in row vectors: row 0 is (cy cz, cy sz, -sy).
    const float sy = -axis[0].z;
    const float cy = std::hypot(axis[0].x, axis[0].y);
    constexpr float degrees = 180.f / pi;
    p.rotation.y = std::atan2(sy, cy) * degrees;
    if (cy > 1e-5f) {
        p.rotation.z = std::atan2(axis[0].y, axis[0].x) * degrees;
        p.rotation.x = std::atan2(axis[1].z, axis[2].z) * degrees;
    } else {  // looking along the pole: all of the turn is given to x
        p.rotation.x = std::atan2(sy > 0.f ? axis[1].x : -axis[1].x, axis[1].y) * degrees;
    }
    return p;
}

const Rig* active_rig(const Scene& scene) {
    if (const Rig* rig = find(scene.rigs, scene.rig)) return rig;
    return scene.rigs.empty() ? nullptr : &scene.rigs.front();
}

const Camera* active_camera(const Scene& scene) {
    if (const Camera* camera = find(scene.cameras, scene.camera)) return camera;
    return scene.cameras.empty() ? nullptr : &scene.cameras.front();
}

const LightGroup* group(const Rig& rig, const std::string& name) {
    for (const LightGroup& g : rig.groups)
        if (g.name == name) return &g;
    return nullptr;
}

NodePlace find_node(const BuildUp& build_up, const std::string& node_id) {
    if (const Node* node = find(build_up.commons, node_id)) return {node, nullptr};
    for (const Layer& layer : build_up.layers)
        if (const Node* node = find(layer.nodes, node_id)) return {node, &layer};
    return {};
}

float as_number(const Value& value, float fallback) {
    if (auto* f = std::get_if<float>(&value)) return *f;
    if (auto* b = std::get_if<bool>(&value)) return *b ? 1.f : 0.f;
    if (auto* v = std::get_if<V2f>(&value)) return v->x;
    if (auto* v = std::get_if<V3f>(&value)) return v->x;
    if (auto* v = std::get_if<V4f>(&value)) return v->x;
    return fallback;
}

V3f as_vector(const Value& value, V3f fallback) {
    if (auto* v = std::get_if<V3f>(&value)) return *v;
    if (auto* v = std::get_if<V2f>(&value)) return {v->x, v->y, 0.f};
    if (auto* v = std::get_if<V4f>(&value)) return {v->x, v->y, v->z};
    if (std::holds_alternative<std::string>(value)) return fallback;
    return V3f(as_number(value));
}

namespace {
// A node of a map or a small allocation costs about this much beside what it holds.
constexpr size_t allocation = 48;

size_t bytes_of(const std::string& s) {
    return s.capacity() > 15 ? s.capacity() + allocation : 0;
}
size_t bytes_of(const Inputs& inputs) {
    size_t n = 0;
    for (const auto& [name, input] : inputs)
        n += sizeof(Input) + sizeof(std::string) + allocation + bytes_of(name) + bytes_of(input.from);
    return n;
}
size_t bytes_of(const std::vector<Node>& nodes) {
    size_t n = nodes.capacity() * sizeof(Node);
    for (const Node& x : nodes)
        n += bytes_of(x.id) + bytes_of(x.name) + bytes_of(x.inputs) + bytes_of(x.held) + bytes_of(x.note);
    return n;
}
}  // namespace

size_t bytes_of(const Scene& s) {
    size_t n = sizeof(Scene) + s.assets.capacity() * sizeof(Asset) + s.parts.capacity() * sizeof(Part) +
               s.build_ups.capacity() * sizeof(BuildUp) + s.networks.capacity() * sizeof(Network) +
               s.rigs.capacity() * sizeof(Rig) + s.cameras.capacity() * sizeof(Camera) +
               s.kept_values.capacity() * sizeof(KeptValue);
    for (const Part& p : s.parts)
        n += bytes_of(p.id) + bytes_of(p.asset) + bytes_of(p.source) + bytes_of(p.name) + bytes_of(p.build_up);
    for (const BuildUp& b : s.build_ups) {
        n += bytes_of(b.commons) + b.layers.capacity() * sizeof(Layer);
        for (const Layer& l : b.layers)
            n += bytes_of(l.id) + bytes_of(l.name) + bytes_of(l.surface) + bytes_of(l.nodes) +
                 l.decal.pins.capacity() * sizeof(Pin);
    }
    for (const Network& w : s.networks) n += bytes_of(w.nodes);
    for (const Painting& p : s.paintings) n += sizeof(Painting) + p.sheets.capacity() * sizeof(Sheet);
    for (const Rig& r : s.rigs) n += r.lights.capacity() * sizeof(Light) + r.groups.capacity() * sizeof(LightGroup);
    return n;
}

V3f as_triple(const Value& value) {
    return std::holds_alternative<float>(value) ? V3f(as_number(value)) : as_vector(value);
}

}  // namespace vemtra::scene
