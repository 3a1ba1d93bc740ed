#include "geometry/places.h"

#include <algorithm>
#include <array>
#include <unordered_map>

#include "base/parallel_sort.h"

namespace vemtra::geometry {
namespace {

/// Coordinates as bits, so that what is no number has an order as well; no zero has a sign.
struct Placed {
    std::array<uint32_t, 3> at;
    uint32_t vertex;
    bool operator<(const Placed& o) const { return at != o.at ? at < o.at : vertex < o.vertex; }
};

}  // namespace

std::vector<uint32_t> first_at_place(const Mesh& mesh) {
    std::vector<Placed> placed(mesh.positions.size());
    parallel_ranges(placed.size(), 16384, [&](size_t begin, size_t end) {
        for (size_t v = begin; v < end; ++v) {
            for (int c = 0; c < 3; ++c) {
                const float x = mesh.positions[v][c];
                placed[v].at[size_t(c)] = __builtin_bit_cast(uint32_t, x == 0.f ? 0.f : x);
            }
            placed[v].vertex = uint32_t(v);
        }
    });
    sort_in_parallel(placed);
    std::vector<uint32_t> out(placed.size());
    for (size_t k = 0; k < placed.size(); ++k) {
        const bool same = k > 0 && placed[k].at == placed[k - 1].at;
        out[placed[k].vertex] = same ? out[placed[k - 1].vertex] : placed[k].vertex;
    }
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
