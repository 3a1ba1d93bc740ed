// Where a field is sampled, and how far that goes. Vertices of equal place and normal are one; edges are halved where
// the middle of a piece differs from the mean of its ends, and each is sampled once for all faces that share it; a
// face's grid takes its border from them. All of it is decided by the form and the values alone, so that any number of
// threads gives the same.
#include <algorithm>
#include <array>
#include <atomic>
#include <unordered_map>

#include "base/hash.h"
#include "base/parallel.h"
#include "geometry/field.h"
#include "geometry/field_grid.h"

namespace vemtra::geometry {
namespace {

constexpr int most_levels = 6;                     // an edge is halved so often at most
constexpr size_t inside_budget = size_t(4) << 20;  // samples over all parts: 64 MB of shares
// A relief differs from its means everywhere, and rays that meet it cost several times as much: samples go where
// coarse faces leave large gaps, and no further.
constexpr int most_levels_of_relief = 4;
constexpr size_t inside_budget_of_relief = size_t(1) << 17;
// Pieces that are longer than the first are always halved, and those that are shorter than the second only where what
// is met changes at once, as where parts touch, down to the third; as parts of the range. What is met within a reach
// changes over about a reach; distances change over all that stands there.
struct Pieces {
    float longest, shortest, steepest;
};
constexpr float steep_difference = .2f;  // of shares: that is no slope any more, but a step
constexpr float finest = 1e-4f;          // of all that stands there: below it places have no digits left to differ by
constexpr Pieces of_shares{.75f, .18f, .09f};
constexpr Pieces of_numbers{1.f / 24.f, 1.f / 200.f, 1.f / 200.f};

// A stopped loop leaves early; nobody reads the half-done result.
template <class Body>
bool for_all(size_t count, size_t grain, float from, float to, Progress* progress, const Body& body) {
    std::atomic<size_t> done{0};
    parallel_ranges(count, grain, [&](size_t first, size_t last) {
        if (stopped(progress)) return;
        body(first, last);
        report(progress, from + (to - from) * float(done += last - first) / float(count));
    });
    return !stopped(progress);
}

struct Value {
    float v[reach_knots] = {};
};

/// The samples of one instance.
class PartSampling {
public:
    PartSampling(const Geometry& geometry, uint32_t instance, const FieldKind& kind, const nodes::FieldRequest& request,
                 int rays, const PartBorders& mask)
        : geometry_(geometry),
          index_(instance),
          instance_(geometry.instances()[instance]),
          m_(instance_.shape->faces_as_triangles()),
          kind_(kind),
          request_(request),
          rays_(rays),
          size_(std::max(range_of(kind, geometry, request.parameters), finest * size_of_all(geometry))) {
        if (kind.samplers_of_mask && request.mask)
            samplers_ = kind.samplers_of_mask(geometry, request.parameters, mask);
        else if (kind.samplers)
            samplers_ = kind.samplers(geometry, request.parameters, rays);
    }

    /// `total`: samples inside of faces over the whole field so far; the budget is shared.
    bool run(FormField::PartField& f, size_t& total, bool& cut, float from, float to, Progress* progress) {
        if (kind_.at_vertices) {
            f.at_vertex.numbers = kind_.at_vertices(geometry_, index_, request_.parameters);
            for (float& v : f.at_vertex.numbers)
                if (!std::isfinite(v)) v = 0.f;
            return !stopped(progress);
        }
        weld();
        const float half = lerp(from, to, kind_.adaptive ? .4f : 1.f);
        if (!sample_vertices(f, from, half, progress)) return false;
        if (!kind_.adaptive || rays_ < field_rays_first) return true;
        find_edges();
        if (edges_.empty()) return true;
        cut |= widen();
        if (!sample_edges(half, lerp(half, to, .5f), progress)) return false;
        return sample_faces(f, total, cut, lerp(half, to, .5f), to, progress);
    }

private:
    struct Edge {
        uint32_t a, b;             ///< unique vertices, a < b
        V3f inward{0.f};           ///< the middle of one of its faces
        int level = 0;             ///< halved so often
        std::vector<Value> inner;  ///< 2^level - 1
        uint32_t side = 0;         ///< one of its faces' sides: 3 face + corner
    };

    V3f middle(uint32_t t) const {
        const uint32_t* i = &m_.indices[3 * size_t(t)];
        return (world_[i[0]] + world_[i[1]] + world_[i[2]]) / 3.f;
    }
    V3f normal(uint32_t vertex) const {
        if (!normals_.empty()) return normals_[vertex];
        const V3f n = instance_.normal_to_world(m_.normals[vertex]);
        return instance_.identity ? n : n.normalized();
    }

    /// Vertices of a displaced form, and the normals there.
    void stand_out() {
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
    void weld() {
        for (const V3f& p : m_.positions) world_.push_back(instance_.point_to_world(p));
        if (instance_.shape->stands_out()) stand_out();
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
            const V3f& p = m_.positions[v];
            const V3f& n = m_.normals[v];
            const Key key{{p.x + 0.f, p.y + 0.f, p.z + 0.f, n.x + 0.f, n.y + 0.f, n.z + 0.f}};
            const auto [at, fresh] = seen.try_emplace(key, uint32_t(unique_.size()));
            if (fresh) unique_.push_back(v);
            unique_of_[v] = at->second;
        }
        // Each leans to one of its faces: on that face it stays on the surface, which the mean of several would leave.
        toward_.assign(unique_.size(), V3f(0.f));
        face_.assign(unique_.size(), 0);
        used_.assign(unique_.size(), 0);
        for (uint32_t t = 0; t < m_.triangles(); ++t) {
            const V3f centre = middle(t);
            for (int c = 0; c < 3; ++c) {
                const uint32_t u = unique_of_[m_.indices[3 * size_t(t) + size_t(c)]];
                if (used_[u]) continue;
                toward_[u] = centre - world_[unique_[u]];
                face_[u] = t;
                used_[u] = 1;
            }
        }
    }

    bool sample_vertices(FormField::PartField& f, float from, float to, Progress* progress) {
        at_unique_.resize(unique_.size());
        const bool good = for_all(unique_.size(), 256, from, to, progress, [&](size_t first, size_t last) {
            const FieldSampler sample = samplers_();
            for (size_t u = first; u < last; ++u) {
                if (!used_[u]) continue;  // of no face
                const uint32_t v = unique_[u];
                sample({world_[v], normal(v), toward_[u], index_, face_[u]}, at_unique_[u].v);
            }
        });
        if (!good) return false;
        make_room(f.at_vertex, m_.positions.size());
        for (size_t v = 0; v < m_.positions.size(); ++v) put(f.at_vertex, v, at_unique_[unique_of_[v]]);
        return true;
    }

    void make_room(FormField::Samples& s, size_t n) const {
        if (of_shares_)
            s.shares.assign(n * reach_knots, 0);
        else
            s.numbers.assign(n * size_t(kind_.channels), 0.f);
    }
    void put(FormField::Samples& s, size_t at, const Value& v) const {
        if (!of_shares_) {
            for (int c = 0; c < kind_.channels; ++c)
                s.numbers[at * size_t(kind_.channels) + size_t(c)] = std::isfinite(v.v[c]) ? v.v[c] : 0.f;
            return;
        }
        for (int k = 0; k < reach_knots; ++k)
            s.shares[at * reach_knots + size_t(k)] = uint8_t(clamp01(v.v[k]) * 255.f + .5f);
    }
    /// How far two values are apart, of what masks make of them.
    float apart(const Value& a, const Value& b) const {
        if (!of_shares_) {
            float most = 0.f;
            for (int c = 0; c < kind_.channels; ++c) most = std::max(most, std::fabs(a.v[c] - b.v[c]));
            return most / (kind_.spread > 0.f ? kind_.spread : size_);
        }
        static const auto readings = [] {
            std::array<std::array<float, reach_knots>, 4> w{};
            for (size_t i = 0; i < w.size(); ++i) reach_weights(knot_at(2 + int(i) * 3), 1.f, w[i].data());
            return w;
        }();
        float most = 0.f;
        for (const auto& w : readings) {
            float d = 0.f;
            for (int k = 0; k < reach_knots; ++k) d += w[size_t(k)] * (a.v[k] - b.v[k]);
            most = std::max(most, std::fabs(d));
        }
        return most;
    }
    static Value mean(const Value& a, const Value& b, float t) {
        Value m;
        for (int k = 0; k < reach_knots; ++k) m.v[k] = a.v[k] + (b.v[k] - a.v[k]) * t;
        return m;
    }

    void find_edges() {
        std::unordered_map<uint64_t, uint32_t> known;
        edge_of_.assign(m_.triangles() * 3, UINT32_MAX);
        for (uint32_t t = 0; t < m_.triangles(); ++t) {
            const uint32_t* i = &m_.indices[3 * size_t(t)];
            float longest = 0.f;
            for (int c = 0; c < 3; ++c) longest = std::max(longest, (world_[i[c]] - world_[i[(c + 1) % 3]]).length());
            if (!(longest > pieces_.steepest * size_) || !std::isfinite(longest)) continue;
            for (int c = 0; c < 3; ++c) {
                const uint32_t a = unique_of_[i[c]];
                const uint32_t b = unique_of_[i[(c + 1) % 3]];
                const uint64_t key = uint64_t(std::min(a, b)) << 32 | std::max(a, b);
                const auto [at, fresh] = known.try_emplace(key, uint32_t(edges_.size()));
                if (fresh) edges_.push_back({std::min(a, b), std::max(a, b), middle(t), 0, {}, 3 * t + uint32_t(c)});
                edge_of_[3 * size_t(t) + size_t(c)] = at->second;
            }
        }
    }

    /// Where a field looks so little far that edges would have to be halved more often than there is memory and time
    /// for, longer pieces will do. Whether that is so.
    bool widen() {
        auto forced = [&] {
            size_t samples = 0;
            for (const Edge& e : edges_) {
                const float length = (world_[unique_[e.a]] - world_[unique_[e.b]]).length();
                int level = 0;
                while (level < levels_ && length / float(1 << level) > pieces_.longest * size_) ++level;
                samples += (size_t(1) << level) - 1;
            }
            return samples;
        };
        bool widened = false;
        for (; forced() > budget_ / 8; pieces_.longest *= 2.f) widened = true;
        return widened;
    }
    bool sample_edges(float from, float to, Progress* progress) {
        return for_all(edges_.size(), 16, from, to, progress, [&](size_t first, size_t last) {
            const FieldSampler sample = samplers_();
            for (size_t e = first; e < last; ++e) halve(edges_[e], sample);
        });
    }
    void halve(Edge& e, const FieldSampler& sample) {
        const V3f p = world_[unique_[e.a]];
        const V3f q = world_[unique_[e.b]];
        const V3f n = normal(unique_[e.a]);
        const V3f m = normal(unique_[e.b]);
        const float length = (q - p).length();
        std::vector<Value> at{at_unique_[e.a], at_unique_[e.b]};
        const bool coarse = rays_ < field_rays_final;
        bool steep = apart(at_unique_[e.a], at_unique_[e.b]) > steep_difference;
        for (int level = 0; level < (coarse ? 2 : levels_); ++level) {
            const float piece = length / float(1 << level);
            const bool forced = piece > pieces_.longest * size_;
            if (coarse ? !forced : piece < (steep ? pieces_.steepest : pieces_.shortest) * size_) break;
            std::vector<Value> finer;
            float most = 0.f;
            for (size_t k = 0; k + 1 < at.size(); ++k) {
                const float t = (float(k) + .5f) / float(at.size() - 1);
                FieldPoint at_edge{p + (q - p) * t, (n + (m - n) * t).normalized(), {}, index_, e.side / 3};
                if (!normals_.empty()) {  // between vertices a displaced form is where it is
                    const SurfacePoint s = along_side(e, t);
                    at_edge.position = s.position;
                    at_edge.normal = s.normal;
                }
                at_edge.toward_middle = e.inward - at_edge.position;
                Value v;
                sample(at_edge, v.v);
                most = std::max(most, apart(v, mean(at[k], at[k + 1], .5f)));
                finer.push_back(at[k]);
                finer.push_back(v);
            }
            finer.push_back(at.back());
            // What has been sampled is kept only where it says something.
            if (!forced && most < kind_.tolerance) break;
            steep = most > steep_difference;
            at = std::move(finer);
            e.level = level + 1;
            if (!forced && most < 2.f * kind_.tolerance) break;  // halved once more it would be within
        }
        e.inner.assign(at.begin() + 1, at.end() - 1);
    }

    SurfacePoint along_side(const Edge& e, float t) const {
        const uint32_t c = e.side % 3;
        if (unique_of_[m_.indices[e.side]] != e.a) t = 1.f - t;
        const float u = c == 0 ? t : c == 1 ? 1.f - t : 0.f;
        const float v = c == 0 ? 0.f : c == 1 ? t : 1.f - t;
        return geometry_.at({index_, e.side / 3, u, v});
    }
    /// Along the edge, from its a at 0 to its b at 1.
    Value on_edge(const Edge& e, float t) const {
        const int pieces = 1 << e.level;
        const float x = t * float(pieces);
        const int k = std::min(int(x), pieces - 1);
        auto at = [&](int i) -> const Value& {
            return i == 0 ? at_unique_[e.a] : i == pieces ? at_unique_[e.b] : e.inner[size_t(i - 1)];
        };
        const float f = x - float(k);
        return f == 0.f ? at(k) : mean(at(k), at(k + 1), f);
    }
    Value on_side(uint32_t t, int side, float along) const {
        const uint32_t* i = &m_.indices[3 * size_t(t)];
        const Edge& e = edges_[edge_of_[3 * size_t(t) + size_t(side)]];
        return on_edge(e, unique_of_[i[side]] == e.a ? along : 1.f - along);
    }

    bool sample_faces(FormField::PartField& f, size_t& total, bool& cut, float from, float to, Progress* progress) {
        struct Face {
            uint32_t t;
            int r;
            std::vector<Value> grid;
        };
        std::vector<Face> faces;
        for (uint32_t t = 0; t < m_.triangles(); ++t) {
            int level = 0;
            for (int c = 0; c < 3; ++c)
                if (const uint32_t e = edge_of_[3 * size_t(t) + size_t(c)]; e != UINT32_MAX)
                    level = std::max(level, edges_[e].level);
            if (level == 0) continue;
            const int r = 1 << level;
            if (total + grid_size(r) > budget_) {
                cut = true;
                continue;
            }
            total += grid_size(r);
            faces.push_back({t, r, {}});
        }
        std::vector<size_t> open(faces.size());
        for (size_t k = 0; k < faces.size(); ++k) open[k] = k;
        for (int round = 0; !open.empty() && round < levels_; ++round) {
            const float a = lerp(from, to, float(round) / float(levels_));
            const float b = lerp(from, to, float(round + 1) / float(levels_));
            const bool good = for_all(open.size(), 4, a, b, progress, [&](size_t first, size_t last) {
                const FieldSampler sample = samplers_();
                for (size_t k = first; k < last; ++k) {
                    Face& face = faces[open[k]];
                    face.grid = grid_of(face.t, face.r, sample);
                }
            });
            if (!good) return false;
            std::vector<size_t> finer;
            for (const size_t k : open) {
                Face& face = faces[k];
                if (rays_ < field_rays_final || !is_rough(face.t, face.r, face.grid)) continue;
                const size_t more = grid_size(2 * face.r) - grid_size(face.r);
                if (total + more > budget_) {
                    cut = true;
                    continue;
                }
                total += more;
                face.r *= 2;
                finer.push_back(k);
            }
            open = std::move(finer);
        }
        if (faces.empty()) return true;
        f.first.assign(m_.triangles(), 0);
        f.resolution.assign(m_.triangles(), 1);
        size_t count = 0;
        for (const Face& face : faces) count += face.grid.size();
        make_room(f.inside, count);
        size_t at = 0;
        for (const Face& face : faces) {
            f.first[face.t] = uint32_t(at);
            f.resolution[face.t] = uint8_t(face.r);
            for (const Value& v : face.grid) put(f.inside, at++, v);
        }
        return true;
    }
    std::vector<Value> grid_of(uint32_t t, int r, const FieldSampler& sample) const {
        std::vector<Value> grid(grid_size(r));
        const V3f centre = middle(t);
        for (int j = 0; j <= r; ++j)
            for (int i = 0; i + j <= r; ++i) {
                Value& v = grid[grid_row(r, j) + size_t(i)];
                // Corners in the order of the face: u runs to the second, v to the third.
                if (j == 0)
                    v = on_side(t, 0, float(i) / float(r));
                else if (i + j == r)
                    v = on_side(t, 1, float(j) / float(r));
                else if (i == 0)
                    v = on_side(t, 2, 1.f - float(j) / float(r));
                else {
                    const SurfacePoint s = geometry_.at({index_, t, float(i) / float(r), float(j) / float(r)});
                    sample({s.position, s.normal, centre - s.position, index_, t}, v.v);
                }
            }
        return grid;
    }

    /// Whether neighbours inside of the grid are so far apart that it should be finer.
    bool is_rough(uint32_t t, int r, const std::vector<Value>& grid) const {
        const uint32_t* i = &m_.indices[3 * size_t(t)];
        float longest = 0.f;
        for (int c = 0; c < 3; ++c) longest = std::max(longest, (world_[i[c]] - world_[i[(c + 1) % 3]]).length());
        if (2 * r > 1 << levels_) return false;
        const float piece = longest / float(r);
        if (piece < 2.f * pieces_.steepest * size_) return false;
        const float least = piece < 2.f * pieces_.shortest * size_ ? steep_difference : 4.f * kind_.tolerance;
        for (int j = 0; j <= r; ++j)
            for (int k = 0; k + j + 1 <= r; ++k) {
                const Value& v = grid[grid_row(r, j) + size_t(k)];
                if (apart(v, grid[grid_row(r, j) + size_t(k) + 1]) > least) return true;
                if (apart(v, grid[grid_row(r, j + 1) + size_t(k)]) > least) return true;
            }
        return false;
    }

    const Geometry& geometry_;
    uint32_t index_;
    const Instance& instance_;
    const Mesh& m_;
    const FieldKind& kind_;
    const nodes::FieldRequest& request_;
    int rays_;
    float size_;
    const int levels_ = instance_.shape->stands_out() ? most_levels_of_relief : most_levels;
    const size_t budget_ = instance_.shape->stands_out() ? inside_budget_of_relief : inside_budget;
    const bool of_shares_ = kind_.channels == reach_knots;
    Pieces pieces_ = of_shares_ ? of_shares : of_numbers;
    FieldSamplers samplers_;
    std::vector<V3f> world_, toward_;
    std::vector<V3f> normals_;                  ///< per vertex, of a displaced form; empty: the mesh's
    std::vector<uint32_t> unique_, unique_of_;  ///< vertices that stand for their like; which one a vertex is
    std::vector<uint32_t> face_;                ///< one that each belongs to
    std::vector<char> used_;                    ///< by a face
    std::vector<Value> at_unique_;
    std::vector<Edge> edges_;
    std::vector<uint32_t> edge_of_;  ///< per face and side: from its corner of that number to the next
};

}  // namespace

std::shared_ptr<const FormField> compute_field(const Geometry& geometry, const std::vector<char>& wanted,
                                               const nodes::FieldRequest& request, int rays, Progress* progress,
                                               const PartBorders& mask) {
    auto field = std::make_shared<FormField>();
    field->rays = rays;
    const size_t parts = geometry.instances().size();
    field->parts.resize(parts);
    const FieldKind* kind = field_kind(request.field);
    if (kind) {
        field->channels = kind->channels;
        field->furthest = range_of(*kind, geometry, request.parameters);
    }
    size_t total = 0;
    for (size_t p = 0; kind && p < parts; ++p) {
        if (!wanted[p]) continue;
        PartSampling sampling(geometry, uint32_t(p), *kind, request, rays, mask);
        if (!sampling.run(field->parts[p], total, field->cut, float(p) / float(parts), float(p + 1) / float(parts),
                          progress))
            return nullptr;
    }
    return field;
}

}  // namespace vemtra::geometry
