#include "geometry/field_vertices.h"

#include <algorithm>
#include <unordered_map>

#include "base/hash.h"

namespace vemtra::geometry {

FieldVertices::FieldVertices(const Geometry& geometry, uint32_t instance, bool few, size_t most, Progress* progress)
    : geometry_(geometry),
      index_(instance),
      instance_(geometry.instances()[instance]),
      m_(instance_.shape->faces_as_triangles()),
      progress_(progress),
      gathered_(few && m_.positions.size() > most) {
    for (const V3f& p : m_.positions) world_.push_back(instance_.point_to_world(p));
    if (instance_.shape->stands_out()) stand_out();
    if (gathered_)
        gather(most);
    else
        weld();
    lean();
}

V3f FieldVertices::middle(uint32_t t) const {
    const uint32_t* i = &m_.indices[3 * size_t(t)];
    return (world_[i[0]] + world_[i[1]] + world_[i[2]]) / 3.f;
}

V3f FieldVertices::normal(uint32_t vertex) const {
    if (!normals_.empty()) return normals_[vertex];
    const V3f n = instance_.normal_to_world(m_.normals[vertex]);
    return instance_.identity ? n : n.normalized();
}

/// Vertices of a displaced form, and the normals there.
void FieldVertices::stand_out() {
    normals_.assign(m_.positions.size(), V3f(0.f));
    std::vector<char> done(m_.positions.size(), 0);
    for (uint32_t k = 0; k < m_.indices.size(); ++k) {
        const uint32_t v = m_.indices[k];
        if (done[v]) continue;
        done[v] = 1;
        const SurfacePoint s = geometry_.at({index_, k / 3, k % 3 == 1 ? 1.f : 0.f, k % 3 == 2 ? 1.f : 0.f});
        world_[v] = s.position;
        normals_[v] = s.normal;
    }
}

void FieldVertices::weld() {
    struct Key {
        float v[6];
        bool operator==(const Key& o) const { return std::equal(v, v + 6, o.v); }
    };
    struct HashKey {
        size_t operator()(const Key& k) const { return size_t(hash_bytes(k.v, sizeof k.v)); }
    };
    std::unordered_map<Key, uint32_t, HashKey> seen;
    seen.reserve(m_.positions.size());
    unique_of_.resize(m_.positions.size());
    for (uint32_t v = 0; v < m_.positions.size(); ++v) {
        if (v % look_every == 0 && stopped(progress_)) return;
        const V3f& p = m_.positions[v];
        const V3f& n = m_.normals[v];
        const Key key{{p.x + 0.f, p.y + 0.f, p.z + 0.f, n.x + 0.f, n.y + 0.f, n.z + 0.f}};
        const auto [at, fresh] = seen.try_emplace(key, uint32_t(unique_.size()));
        if (fresh) unique_.push_back(v);
        unique_of_[v] = at->second;
    }
}

/// As weld(), for a first look: vertices that lie in one cell and look the same way are one, the first of them, in
/// cells that grow until there are few enough.
void FieldVertices::gather(size_t most) {
    Box3f box;
    for (const V3f& p : world_) box.extendBy(p);
    unique_of_.resize(world_.size());
    const float size = std::max(max_component(box.size()), 1e-20f);
    for (float cells = 256.f; cells > 1.f; cells *= .5f) {
        unique_.clear();
        std::unordered_map<uint64_t, uint32_t> seen;
        for (uint32_t v = 0; v < world_.size() && unique_.size() <= most; ++v) {
            const V3f at = (world_[v] - box.min) * (cells / size);
            const V3f n = normal(v);
            uint64_t key = 0;
            for (int c = 0; c < 3; ++c) {  // what is no number goes into the first cell
                key = key << 12 | uint64_t(std::min(std::max(0.f, at[c]), 4095.f));
                key = key << 3 | uint64_t(std::min(std::max(0.f, (n[c] + 1.f) * 2.5f), 5.f));
            }
            const auto [known, fresh] = seen.try_emplace(key, uint32_t(unique_.size()));
            if (fresh) unique_.push_back(v);
            unique_of_[v] = known->second;
        }
        if (unique_.size() <= most) break;
    }
}

/// Each leans to one of its faces: on that face it stays on the surface, which the mean of several would leave.
void FieldVertices::lean() {
    toward_.assign(unique_.size(), V3f(0.f));
    face_.assign(unique_.size(), 0);
    used_.assign(unique_.size(), 0);
    for (uint32_t t = 0; t < m_.triangles(); ++t) {
        if (t % look_every == 0 && stopped(progress_)) return;
        for (int c = 0; c < 3; ++c) {
            const uint32_t v = m_.indices[3 * size_t(t) + size_t(c)];
            const uint32_t u = unique_of_[v];
            if (used_[u] || (gathered_ && unique_[u] != v)) continue;
            toward_[u] = middle(t) - world_[unique_[u]];
            face_[u] = t;
            used_[u] = 1;
        }
    }
}

}  // namespace vemtra::geometry
