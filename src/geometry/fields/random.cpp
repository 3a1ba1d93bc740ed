// A random number for each part, each instance of a form, or each island: faces that hang together by their places.
#include <array>
#include <numeric>
#include <unordered_map>

#include "base/hash.h"
#include "geometry/fields/kinds.h"

namespace vemtra::geometry {
namespace {

/// Per vertex the smallest vertex of its island; places that are equal hang together, whatever their normals and UVs.
std::vector<uint32_t> islands(const Mesh& m) {
    std::vector<uint32_t> parent(m.positions.size());
    std::iota(parent.begin(), parent.end(), 0u);
    auto root = [&](uint32_t v) {
        while (parent[v] != v) v = parent[v] = parent[parent[v]];
        return v;
    };
    auto join = [&](uint32_t a, uint32_t b) {
        a = root(a);
        b = root(b);
        parent[std::max(a, b)] = std::min(a, b);
    };
    struct Hash {
        size_t operator()(const std::array<float, 3>& p) const { return size_t(hash_bytes(p.data(), sizeof p)); }
    };
    std::unordered_map<std::array<float, 3>, uint32_t, Hash> at;
    at.reserve(m.positions.size());
    for (uint32_t v = 0; v < m.positions.size(); ++v) {
        const V3f& p = m.positions[v];
        const auto [it, fresh] = at.try_emplace({p.x + 0.f, p.y + 0.f, p.z + 0.f}, v);
        if (!fresh) join(v, it->second);
    }
    for (size_t t = 0; t < m.triangles(); ++t) {
        join(m.indices[3 * t], m.indices[3 * t + 1]);
        join(m.indices[3 * t], m.indices[3 * t + 2]);
    }
    for (uint32_t v = 0; v < parent.size(); ++v) parent[v] = root(v);
    return parent;
}

float number_of(uint64_t h) {
    return float(mix32(uint32_t(h ^ (h >> 32))) >> 8) * 0x1p-24f;
}

}  // namespace

FieldKind random_field() {
    return {.name = "random",
            .version = 1,
            .parameters = {"0 per part, 1 per instance, 2 per island", "seed"},
            .at_vertices = [](const Geometry& geometry, uint32_t instance, const std::vector<float>& p) {
                const int of = int(p[0]);
                const uint64_t seed = uint64_t(int64_t(p[1])) * 0x9e3779b97f4a7c15ull;
                const Shape& shape = geometry.shape(instance);
                const Mesh& m = shape.faces_as_triangles();
                uint64_t key = shape.content_hash() + seed;
                uint64_t before = 0;  // instances of the same form that come first
                for (uint32_t i = 0; i < instance; ++i) before += geometry.instances()[i].shape.get() == &shape;
                if (of > 0) key = hash_bytes(&before, sizeof before, key);
                std::vector<float> out(m.positions.size(), number_of(key));
                if (of != 2) return out;
                const std::vector<uint32_t> roots = islands(m);
                for (size_t v = 0; v < out.size(); ++v) {
                    const uint64_t island = roots[v];
                    out[v] = number_of(hash_bytes(&island, sizeof island, key));
                }
                return out;
            }};
}

}  // namespace vemtra::geometry
