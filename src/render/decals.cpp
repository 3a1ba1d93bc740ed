#include "render/decals.h"

#include <algorithm>

namespace vemtra::render {

PinFrame::PinFrame(const scene::Pin& pin) {
    z = pin.axis.length() > 1e-6f ? pin.axis.normalized() : V3f(0.f, 1.f, 0.f);
    const vemtra::Frame around(z);
    const float c = std::cos(radians(pin.turn));
    const float s = std::sin(radians(pin.turn));
    // Up is as near to the world's as it can be, so that letters stand on their feet.
    V3f up = V3f(0.f, 1.f, 0.f) - z * z.y;
    up = up.length() > .05f ? up.normalized() : around.bitangent;
    const V3f right = up.cross(z);
    x = right * c + up * s;
    y = up * c - right * s;
}

Decals::Decals(const scene::BuildUp& b, const geometry::Geometry& geometry,
               const std::vector<const scene::Part*>& parts) {
    for (size_t k = 1; k < b.layers.size(); ++k) {
        const scene::Layer& layer = b.layers[k];
        const scene::Decal& d = layer.decal;
        if (!layer.on) continue;
        for (size_t i = 0; i < d.pins.size(); ++i) {
            const scene::Pin& pin = d.pins[i];
            const PinFrame axes(pin);
            Frame f{};
            f.layer = int(k);
            f.order = int(i);
            f.instance = RTC_INVALID_GEOMETRY_ID;
            f.lies = d.lies;
            f.centre = pin.position;
            f.x = axes.x;
            f.y = axes.y;
            f.z = axes.z;
            f.width = std::max(1e-9f, pin.size.x);
            f.height = std::max(1e-9f, pin.size.y);
            f.deep = std::max(1e-9f, pin.size.z);
            f.steep = std::cos(radians(std::clamp(d.steep, 1.f, 90.f)));
            f.through = d.through;
            f.repeats = d.repeats;
            f.mirrored = pin.mirrored;
            const int cells = std::max(1, d.columns) * std::max(1, d.rows);
            const int cell = ((pin.cell % cells) + cells) % cells;
            f.cell_w = 1.f / float(std::max(1, d.columns));
            f.cell_h = 1.f / float(std::max(1, d.rows));
            f.cell_u = float(cell % std::max(1, d.columns)) * f.cell_w;
            f.cell_v = 1.f - float(cell / std::max(1, d.columns) + 1) * f.cell_h;
            const float reach = .5f * std::hypot(f.width, f.height);
            auto add = [&](uint32_t instance) {
                f.instance = instance;
                if (f.lies == scene::Lies::wrapped) {
                    f.wrap = geometry::wrap_around(geometry.instances()[instance].shape, f.centre, f.x, f.y, reach);
                    f.box = f.wrap->bounds;
                    if (f.wrap->faces.empty()) return;
                } else {
                    const V3f half = f.lies == scene::Lies::round ? V3f(f.width + f.deep, f.height, 2.2f * f.deep)
                                                                  : V3f(.5f * f.width, .5f * f.height, f.deep);
                    f.box = Box3f();
                    for (int c = 0; c < 8; ++c)
                        f.box.extendBy(f.centre + f.x * (c & 1 ? half.x : -half.x) + f.y * (c & 2 ? half.y : -half.y) +
                                       f.z * (c & 4 ? half.z : -half.z));
                    if (f.repeats) f.box = Box3f(V3f(-1e12f), V3f(1e12f));
                }
                frames_.push_back(f);
            };
            if (pin.part.empty() && f.lies != scene::Lies::wrapped) {
                add(RTC_INVALID_GEOMETRY_ID);
                continue;
            }
            for (uint32_t n = 0; n < parts.size(); ++n)
                if (pin.part.empty() ? parts[n]->build_up == b.id : parts[n]->id == pin.part) add(n);
        }
    }
    if (frames_.empty()) return;
    nodes_.push_back({});
    build(0, 0, int(frames_.size()));
    note_cells();
}

void Decals::note_cells() {
    const Box3f& all = nodes_[0].box;
    origin_ = all.min;
    for (int c = 0; c < 3; ++c) to_cell_[c] = float(cells) / std::max(1e-20f, all.max[c] - all.min[c]);
    taken_.assign(size_t(cells) * cells, 0);
    for (const Frame& f : frames_) {
        int low[3];
        int high[3];
        for (int c = 0; c < 3; ++c) {
            low[c] = std::clamp(int((f.box.min[c] - origin_[c]) * to_cell_[c]) - 1, 0, cells - 1);
            high[c] = std::clamp(int((f.box.max[c] - origin_[c]) * to_cell_[c]) + 1, 0, cells - 1);
        }
        const uint32_t row = uint32_t(((uint64_t(1) << (high[0] + 1)) - 1) & ~((uint64_t(1) << low[0]) - 1));
        for (int z = low[2]; z <= high[2]; ++z)
            for (int y = low[1]; y <= high[1]; ++y) taken_[size_t(z) * cells + size_t(y)] |= row;
    }
}

bool Decals::maybe(const V3f& p) const {
    int at[3];
    for (int c = 0; c < 3; ++c) {
        const float x = (p[c] - origin_[c]) * to_cell_[c];
        if (!(x >= 0.f && x <= float(cells))) return false;
        at[c] = std::min(cells - 1, int(x));
    }
    return (taken_[size_t(at[2]) * cells + size_t(at[1])] >> at[0] & 1) != 0;
}

void Decals::build(int node, int first, int count) {
    Box3f box;
    Box3f middles;
    for (int i = first; i < first + count; ++i) {
        box.extendBy(frames_[size_t(i)].box);
        middles.extendBy(frames_[size_t(i)].box.center());
    }
    nodes_[size_t(node)] = {box, first, count};
    if (count <= 2) return;
    const V3f size = middles.size();
    const int axis = size.x > size.y ? (size.x > size.z ? 0 : 2) : (size.y > size.z ? 1 : 2);
    const int half = count / 2;
    std::nth_element(frames_.begin() + first, frames_.begin() + first + half, frames_.begin() + first + count,
                     [axis](const Frame& a, const Frame& b) {
                         const float pa = a.box.center()[axis];
                         const float pb = b.box.center()[axis];
                         return pa != pb ? pa < pb : std::pair(a.layer, a.order) < std::pair(b.layer, b.order);
                     });
    const int child = int(nodes_.size());
    nodes_.resize(nodes_.size() + 2);
    nodes_[size_t(node)].first = child;
    nodes_[size_t(node)].count = 0;
    build(child, first, half);
    build(child + 1, first + half, count - half);
}

bool Decals::hit(const Frame& f, const nodes::PointBatch& b, int i, DecalHit& out) const {
    using namespace nodes;
    if (f.instance != RTC_INVALID_GEOMETRY_ID && b.instance[i] != f.instance) return false;
    auto row = [&](int r) { return V3f(b.rows[r][i], b.rows[r + 1][i], b.rows[r + 2][i]); };
    const V3f p = row(row_position) - f.centre;
    const V3f n = row(row_normal);
    const bool footprint = b.rows[row_position_axes] != nullptr;
    const V3f steps[] = {footprint ? row(row_position_axes) : V3f(0.f),
                         footprint ? row(row_position_axes + 3) : V3f(0.f)};
    float u = 0.f;
    float v = 0.f;
    V3f grow_u;
    V3f grow_v;
    float facing = n.dot(f.z);
    switch (f.lies) {
        case scene::Lies::flat:
            if (std::fabs(p.dot(f.z)) > f.deep) return false;
            u = p.dot(f.x);
            v = p.dot(f.y);
            grow_u = f.x;
            grow_v = f.y;
            break;
        case scene::Lies::round: {
            // The pole's axis lies as deep under the pin as it reaches.
            const float side = p.dot(f.x);
            const float out_of = p.dot(f.z) + f.deep;
            const float around = std::hypot(side, out_of);
            if (!(around > .05f * f.deep) || around > 2.f * f.deep) return false;
            u = std::atan2(side, out_of) * f.deep;
            v = p.dot(f.y);
            const V3f outwards = (f.x * side + f.z * out_of) / around;
            grow_u = (f.x * out_of - f.z * side) / around * (f.deep / around);
            grow_v = f.y;
            facing = n.dot(outwards);
            break;
        }
        case scene::Lies::wrapped: {
            const geometry::Wrap::Face* face = f.wrap->find(b.face[i]);
            if (!face) return false;
            const float s = b.rows[row_bary][i];
            const float t = b.rows[row_bary + 1][i];
            const V2f at = face->corner[0] * (1.f - s - t) + face->corner[1] * s + face->corner[2] * t;
            u = at.x;
            v = at.y;
            grow_u = face->grow_x;
            grow_v = face->grow_y;
            facing = 1.f;
            break;
        }
    }
    u = u / f.width + .5f;
    v = v / f.height + .5f;
    if (!f.repeats && !(u >= 0.f && u <= 1.f && v >= 0.f && v <= 1.f)) return false;
    if (f.through) facing = std::fabs(facing);
    out.fade = clamp01((facing - f.steep) / std::max(.02f, .25f * (1.f - f.steep)));
    if (!(out.fade > 0.f)) return false;
    if (f.repeats) {
        u -= std::floor(u);
        v -= std::floor(v);
    }
    const float sign = f.mirrored ? -1.f : 1.f;
    if (f.mirrored) u = 1.f - u;
    out.layer = f.layer;
    out.order = f.order;
    out.point = i;
    out.uv[0] = f.cell_u + u * f.cell_w;
    out.uv[1] = f.cell_v + v * f.cell_h;
    out.grow[0] = grow_u * (sign / f.width);
    out.grow[1] = grow_v / f.height;
    for (int a = 0; a < 2; ++a) {
        out.axes[2 * a] = steps[a].dot(out.grow[0]) * f.cell_w;
        out.axes[2 * a + 1] = steps[a].dot(out.grow[1]) * f.cell_h;
    }
    return true;
}

void Decals::at(const nodes::PointBatch& batch, int i, std::vector<DecalHit>& hits) const {
    if (nodes_.empty()) return;
    const V3f p(batch.rows[nodes::row_position][i], batch.rows[nodes::row_position + 1][i],
                batch.rows[nodes::row_position + 2][i]);
    if (!maybe(p)) return;
    int stack[64];
    int top = 0;
    stack[top++] = 0;
    DecalHit found;
    while (top) {
        const Node& n = nodes_[size_t(stack[--top])];
        if (!n.box.intersects(p)) continue;
        if (!n.count) {
            if (top > 61) continue;
            stack[top++] = n.first;
            stack[top++] = n.first + 1;
            continue;
        }
        for (int k = n.first; k < n.first + n.count; ++k)
            if (frames_[size_t(k)].box.intersects(p) && hit(frames_[size_t(k)], batch, i, found)) hits.push_back(found);
    }
}

const nodes::PointBatch& DecalBatch::over(const nodes::PointBatch& of, const DecalHit* hits) {
    using namespace nodes;
    batch_ = of;
    batch_.surface = nullptr;
    for (int i = 0; i < of.n; ++i) {
        const DecalHit& h = hits[i];
        for (int c = 0; c < 2; ++c) rows_[c][i] = h.uv[c];
        for (int c = 0; c < 4; ++c) rows_[2 + c][i] = h.axes[c];
        const V3f t = h.grow[0].length2() > 0.f ? h.grow[0].normalized() : V3f(0.f);
        for (int c = 0; c < 3; ++c) rows_[6 + c][i] = t[c];
    }
    for (int c = 0; c < 2; ++c) batch_.rows[row_uv + c] = rows_[c];
    if (of.rows[row_uv_axes])
        for (int c = 0; c < 4; ++c) batch_.rows[row_uv_axes + c] = rows_[2 + c];
    if (of.rows[row_tangent])
        for (int c = 0; c < 3; ++c) batch_.rows[row_tangent + c] = rows_[6 + c];
    return batch_;
}

}  // namespace vemtra::render
