#include "geometry/places.h"

#include <algorithm>
#include <unordered_map>

namespace vemtra::geometry {
namespace {

struct HashPlace {
    size_t operator()(const V3f& p) const {
        auto part = [](float x) { return size_t(__builtin_bit_cast(uint32_t, x == 0.f ? 0.f : x)); };
        return part(p.x) * 0x9e3779b97f4a7c15ull ^ part(p.y) * 0xbf58476d1ce4e5b9ull ^
               part(p.z) * 0x94d049bb133111ebull;
    }
};

}  // namespace

std::vector<uint32_t> first_at_place(const Mesh& mesh) {
    std::unordered_map<V3f, uint32_t, HashPlace> first;
    first.reserve(mesh.positions.size());
    std::vector<uint32_t> out;
    out.reserve(mesh.positions.size());
    for (uint32_t i = 0; i < mesh.positions.size(); ++i)
        out.push_back(first.try_emplace(mesh.positions[i], i).first->second);
    return out;
}

std::vector<std::array<int, 3>> faces_beside(const Mesh& mesh, const std::vector<uint32_t>& id) {
    const size_t count = mesh.triangles();
    std::vector<std::array<int, 3>> out(count, {-1, -1, -1});
    std::unordered_map<uint64_t, uint64_t> open;  // side -> face and which of its sides
    open.reserve(count * 2);
    for (size_t f = 0; f < count; ++f)
        for (size_t k = 0; k < 3; ++k) {
            const uint64_t a = id[mesh.indices[3 * f + k]];
            const uint64_t b = id[mesh.indices[3 * f + (k + 1) % 3]];
            const auto [it, fresh] = open.try_emplace(std::min(a, b) << 32 | std::max(a, b), 3 * f + k);
            if (fresh) continue;
            out[f][k] = int(it->second / 3);
            out[it->second / 3][it->second % 3] = int(f);
            open.erase(it);
        }
    return out;
}

}  // namespace vemtra::geometry
