// How far the nearest crease is, metres: edges where two faces meet at more than an angle, open edges among the convex
// ones. The width of what shows along it is said when it is read.
#include <algorithm>
#include <array>
#include <tuple>
#include <unordered_map>

#include "base/hash.h"
#include "geometry/fields/kinds.h"

namespace vemtra::geometry {
namespace {

struct CreaseSegment {
    V3f a, b;
};
float distance2(const V3f& p, const CreaseSegment& s) {
    const V3f d = s.b - s.a;
    const float square = d.length2();
    const float t = square > 0.f ? clamp01((p - s.a).dot(d) / square) : 0.f;
    return (s.a + d * t - p).length2();
}

/// Sharp edges of an instance in the world; `which`: 1 convex, 2 concave, 3 both.
void add_creases(const Geometry& geometry, uint32_t instance, float least_angle, int which,
                 std::vector<CreaseSegment>& out) {
    const Instance& i = geometry.instances()[instance];
    const Mesh& m = i.shape->faces_as_triangles();
    struct Hash {
        size_t operator()(const std::array<float, 3>& p) const { return size_t(hash_bytes(p.data(), sizeof p)); }
    };
    std::unordered_map<std::array<float, 3>, uint32_t, Hash> at;
    std::vector<uint32_t> of(m.positions.size());
    std::vector<V3f> world;
    for (size_t v = 0; v < of.size(); ++v) {
        const V3f& p = m.positions[v];
        const auto [it, fresh] = at.try_emplace({p.x + 0.f, p.y + 0.f, p.z + 0.f}, uint32_t(world.size()));
        if (fresh) world.push_back(i.point_to_world(p));
        of[v] = it->second;
    }
    struct Side {
        V3f normal, middle;
        int faces = 0;
        bool convex = false, sharp = false;
    };
    std::unordered_map<uint64_t, Side> edges;
    const float least = std::cos(radians(least_angle));
    for (size_t t = 0; t < m.triangles(); ++t) {
        uint32_t v[3];
        for (int c = 0; c < 3; ++c) v[c] = of[m.indices[3 * t + size_t(c)]];
        const V3f across = (world[v[1]] - world[v[0]]).cross(world[v[2]] - world[v[0]]);
        if (!(across.length() > 1e-30f)) continue;
        const V3f n = across.normalized();
        const V3f middle = (world[v[0]] + world[v[1]] + world[v[2]]) / 3.f;
        for (int c = 0; c < 3; ++c) {
            const uint32_t a = v[c];
            const uint32_t b = v[(c + 1) % 3];
            if (a == b) continue;
            Side& s = edges[uint64_t(std::min(a, b)) << 32 | std::max(a, b)];
            if (++s.faces == 1) {
                s.normal = n;
                s.middle = middle;
            } else if (n.dot(s.normal) < least) {
                s.sharp = true;
                s.convex = (middle - s.middle).dot(s.normal) < 0.f;
            }
        }
    }
    for (const auto& [key, s] : edges) {
        const bool open = s.faces == 1;
        if (!open && !s.sharp) continue;
        if (!(which & (open || s.convex ? 1 : 2))) continue;
        out.push_back({world[key >> 32], world[uint32_t(key)]});
    }
}

/// Segments in cells, to find the nearest one.
class Near {
public:
    Near(std::vector<CreaseSegment> segments, float cell, float furthest)
        : segments_(std::move(segments)), cell_(cell), furthest_(furthest) {
        for (uint32_t s = 0; s < segments_.size(); ++s) {
            const V3f d = segments_[s].b - segments_[s].a;
            const int steps = std::clamp(int(std::ceil(d.length() / (.5f * cell_))), 1, 4096);
            uint64_t last = ~0ull;
            for (int k = 0; k <= steps; ++k) {
                const uint64_t key = key_of(cell_of(segments_[s].a + d * (float(k) / float(steps))));
                if (key == last) continue;
                last = key;
                auto& list = cells_[key];
                if (list.empty() || list.back() != s) list.push_back(s);
            }
        }
    }
    float distance(const V3f& p) const {
        const auto [x, y, z] = cell_of(p);
        float best = furthest_;
        const int most = int(furthest_ / cell_) + 1;
        for (int ring = 0; ring <= most; ++ring) {
            // What lies in this ring is no nearer than this; half a cell is what a segment's steps may leave out.
            if ((float(ring) - 1.5f) * cell_ > best) break;
            for (int dx = -ring; dx <= ring; ++dx)
                for (int dy = -ring; dy <= ring; ++dy) {
                    const bool side = std::abs(dx) == ring || std::abs(dy) == ring;
                    for (int dz = -ring; dz <= ring; dz += side || ring == 0 ? 1 : 2 * ring) {
                        const auto it = cells_.find(key_of({x + dx, y + dy, z + dz}));
                        if (it == cells_.end()) continue;
                        for (const uint32_t s : it->second)
                            best = std::min(best, std::sqrt(distance2(p, segments_[s])));
                    }
                }
        }
        return best;
    }

private:
    std::array<int, 3> cell_of(const V3f& p) const {
        auto at = [&](float v) { return int(std::floor(std::clamp(v / cell_, -1e6f, 1e6f))); };
        return {at(p.x), at(p.y), at(p.z)};
    }
    static uint64_t key_of(const std::array<int, 3>& c) {
        auto part = [](int v) { return uint64_t(uint32_t(v + (1 << 20)) & 0x1fffffu); };
        return part(c[0]) << 42 | part(c[1]) << 21 | part(c[2]);
    }
    std::vector<CreaseSegment> segments_;
    float cell_, furthest_;
    std::unordered_map<uint64_t, std::vector<uint32_t>> cells_;
};

}  // namespace

FieldKind crease_field() {
    return {.name = "crease",
            .version = 2,
            .parameters = {"least angle between two faces, degrees", "1 convex, 2 concave, 3 both"},
            .adaptive = true,
            .tolerance = .001f,
            .reads = FieldReads::own_part,
            .samplers = [](const Geometry& geometry, const FieldAsked& asked) -> FieldSamplers {
                const std::vector<float>& p = asked.parameters;
                const float furthest = size_of_all(geometry) / 8.f;
                auto near = std::make_shared<std::vector<Near>>();
                for (uint32_t i = 0; i < geometry.instances().size(); ++i) {
                    std::vector<CreaseSegment> segments;
                    add_creases(geometry, i, p[0], int(p[1]), segments);
                    std::sort(segments.begin(), segments.end(), [](const CreaseSegment& a, const CreaseSegment& b) {
                        return std::tie(a.a.x, a.a.y, a.a.z, a.b.x, a.b.y, a.b.z) <
                               std::tie(b.a.x, b.a.y, b.a.z, b.b.x, b.b.y, b.b.z);
                    });
                    near->emplace_back(std::move(segments), furthest / 12.f, furthest);
                }
                return [near]() -> FieldSampler {
                    return [near](const FieldPoint& at, float* out) {
                        out[0] = (*near)[at.instance].distance(at.position);
                    };
                };
            }};
}

}  // namespace vemtra::geometry
