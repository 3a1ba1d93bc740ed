// Where a field is sampled, and how far that goes. Vertices of equal place and normal are one. Faces are cut into
// quarters where the middle of a side differs from the mean of its ends, and so are those ("red" refinement: Bank,
// Sherman, Weiser 1983); each middle is sampled once for all pieces that share the side. All of it is decided by the
// form and the values alone, so that any number of threads gives the same.
#include <algorithm>
#include <array>
#include <atomic>
#include <unordered_map>

#include "base/hash.h"
#include "base/parallel.h"
#include "geometry/field.h"

namespace vemtra::geometry {
namespace {

constexpr int most_levels = 14;                    // a face is cut so deep at most
constexpr int balancings = 4;                      // rounds for pieces that were left behind
constexpr size_t inside_budget = size_t(3) << 19;  // samples over all parts: 24 MB of shares
// A relief differs from its means everywhere, and rays that meet it cost several times as much: samples go where
// coarse faces leave large gaps, and no further.
constexpr int most_levels_of_relief = 4;
constexpr size_t inside_budget_of_relief = size_t(1) << 17;
// Pieces that are longer than the first are always cut, and those that are shorter than the second only where what is
// met changes at once, as where parts touch, down to the third; as parts of the range. What is met within a reach
// changes over about a reach; distances change over all that stands there.
struct Pieces {
    float longest, shortest, steepest;
};
// A first look at forms of many vertices: those of a cell that look the same way are taken for one. Over all parts, by
// their area, and of one part at least.
constexpr size_t most_first_samples = 100000, first_samples_of_part = 4000;
constexpr uint32_t look_every = 65536;  // vertices or faces, between two looks whether it is to stop
constexpr int quicker = 4;              // so many times fewer rays say on which side of a step a sample lies
constexpr float step = .09f;            // a middle that is so far off the mean of its ends: that is no bend any more
constexpr int halvings = 4;             // until a step's place on a side is known
constexpr float finest = 1e-4f;         // of all that stands there: below it places have no digits left to differ by
constexpr Pieces of_shares{.75f, .05f, .024f};
constexpr float even_enough = .24f;  // of the range: shorter pieces whose corners agree are taken as even
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
                 FieldAsked asked)
        : geometry_(geometry),
          index_(instance),
          instance_(geometry.instances()[instance]),
          m_(instance_.shape->faces_as_triangles()),
          kind_(kind),
          request_(request),
          rays_(asked.rays),
          size_(std::max(range_of(kind, geometry, request.parameters), finest * size_of_all(geometry))) {
        if (instance_.shape->stands_out()) pieces_.steepest = pieces_.shortest;
        if (!kind.samplers) return;
        samplers_ = kind.samplers(geometry, asked);
        if (!of_shares_ || rays_ < field_rays_final) return;
        asked.rays /= quicker;
        quick_samplers_ = kind.samplers(geometry, asked);
    }

    /// `allowed`: samples between vertices that there may be; `used` grows by those that there are.
    /// `first_samples`: vertices that a first look is taken at.
    bool run(FormField::PartField& f, size_t first_samples, size_t allowed, size_t& used, bool& cut, float from,
             float to, Progress* progress) {
        allowed_ = allowed;
        progress_ = progress;
        if (kind_.at_vertices) {
            f.at_vertex.numbers = kind_.at_vertices(geometry_, index_, request_.parameters);
            for (float& v : f.at_vertex.numbers)
                if (!std::isfinite(v)) v = 0.f;
            return !stopped(progress);
        }
        gathered_ = is_coarse() && m_.positions.size() > first_samples;
        if (gathered_)
            gather(first_samples);
        else
            weld();
        if (stopped(progress)) return false;
        const float half = lerp(from, to, kind_.adaptive ? .4f : 1.f);
        if (!sample_vertices(f, from, half, progress)) return false;
        if (!kind_.adaptive || rays_ < field_rays_first || gathered_) return true;
        find_faces();
        if (stopped(progress)) return false;
        if (cuts_.empty()) return true;
        cut |= widen();
        if (!cut_pieces(cut, half, to, progress)) return false;
        close_seams();
        if (of_shares_ && !is_coarse() && !instance_.shape->stands_out() && !find_steps()) return false;
        write(f);
        used += values_.size() - unique_.size();
        return true;
    }

private:
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
            if (v % look_every == 0 && stopped(progress_)) return;
            const V3f& p = m_.positions[v];
            const V3f& n = m_.normals[v];
            const Key key{{p.x + 0.f, p.y + 0.f, p.z + 0.f, n.x + 0.f, n.y + 0.f, n.z + 0.f}};
            const auto [at, fresh] = seen.try_emplace(key, uint32_t(unique_.size()));
            if (fresh) unique_.push_back(v);
            unique_of_[v] = at->second;
        }
        lean();
    }
    /// Each leans to one of its faces: on that face it stays on the surface, which the mean of several would leave.
    void lean() {
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

    /// As weld(), for a first look: vertices that lie in one cell and look the same way are one, the first of them, in
    /// cells that grow until there are few enough.
    void gather(size_t most) {
        for (const V3f& p : m_.positions) world_.push_back(instance_.point_to_world(p));
        if (instance_.shape->stands_out()) stand_out();
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
        lean();
    }

    bool sample_vertices(FormField::PartField& f, float from, float to, Progress* progress) {
        values_.resize(unique_.size());
        const bool good = for_all(unique_.size(), 256, from, to, progress, [&](size_t first, size_t last) {
            const FieldSampler sample = samplers_();
            for (size_t u = first; u < last; ++u) {
                if (!used_[u]) continue;  // of no face
                const uint32_t v = unique_[u];
                sample({world_[v], normal(v), toward_[u], index_, face_[u]}, values_[u].v);
            }
        });
        if (!good) return false;
        make_room(f.at_vertex, m_.positions.size());
        parallel_ranges(m_.positions.size(), 4096, [&](size_t first, size_t last) {
            for (size_t v = first; v < last; ++v) put(f.at_vertex, v, values_[unique_of_[v]]);
        });
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
            // From the range down to an eighth of it: it is the next power of two above the reach.
            std::array<std::array<float, reach_knots>, 3> w{};
            for (size_t i = 0; i < w.size(); ++i) reach_weights(knot_at(9 + int(i) * 3), 1.f, w[i].data());
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

    // Cutting into pieces. Samples are known by numbers: first the unique vertices, then those that are made here.

    struct Cut {
        uint32_t corner[3];
        V2f uv[3];  ///< in the face
        uint32_t face;
        uint32_t first = FormField::uncut;  ///< of the four that it is cut into
        uint8_t level = 0;
        uint8_t calm = 0;        ///< it and so many of those that it is a part of were cut in vain
        bool open = true;        ///< its parts are looked at
        bool overtaken = false;  ///< it is cut since those beside it are
    };
    struct Job {
        uint32_t sample, face;
        V2f uv;
        bool quick;  ///< on which side of a step it lies is all that matters
    };

    /// Faces that are larger than the smallest pieces.
    void find_faces() {
        for (uint32_t t = 0; t < m_.triangles(); ++t) {
            if (t % look_every == 0 && stopped(progress_)) return;
            const uint32_t* i = &m_.indices[3 * size_t(t)];
            float longest = 0.f;
            for (int c = 0; c < 3; ++c) longest = std::max(longest, (world_[i[c]] - world_[i[(c + 1) % 3]]).length());
            if (!(longest > pieces_.steepest * size_) || !std::isfinite(longest)) continue;
            cuts_.push_back(
                {{unique_of_[i[0]], unique_of_[i[1]], unique_of_[i[2]]}, {V2f(0, 0), V2f(1, 0), V2f(0, 1)}, t});
        }
    }
    /// Where a field looks so little far that pieces would have to be smaller than there is memory and time for, longer
    /// ones will do. Whether that is so.
    bool widen() {
        auto forced = [&] {
            double samples = 0;
            for (const Cut& c : cuts_) {
                const float longest = longest_side(c);
                int level = 0;
                while (level < levels_ && longest / float(1 << level) > pieces_.longest * size_) ++level;
                samples += .5 * (std::pow(4., level) - 1.);
            }
            return samples;
        };
        bool widened = false;
        for (; forced() > double(budget_ / 8); pieces_.longest *= 2.f) widened = true;
        return widened;
    }

    V3f place(const Cut& c, int corner) const {
        const uint32_t* i = &m_.indices[3 * size_t(c.face)];
        const V2f& uv = c.uv[corner];
        return world_[i[0]] * (1.f - uv.x - uv.y) + world_[i[1]] * uv.x + world_[i[2]] * uv.y;
    }
    float side(const Cut& c, int s) const { return (place(c, s) - place(c, (s + 1) % 3)).length(); }
    static uint64_t edge(uint32_t a, uint32_t b) { return uint64_t(std::min(a, b)) << 32 | std::max(a, b); }
    static uint64_t edge(const Cut& c, int s) { return edge(c.corner[s], c.corner[(s + 1) % 3]); }
    static V2f middle_of(const Cut& c, int s) { return (c.uv[s] + c.uv[(s + 1) % 3]) * .5f; }
    /// The sample in the middle of a side; made where there is none, and computed with the next jobs.
    uint32_t ask(const Cut& c, int s) {
        const auto [at, fresh] = middles_.try_emplace(edge(c, s), uint32_t(values_.size()));
        if (fresh) {
            values_.emplace_back();
            jobs_.push_back({at->second, c.face, middle_of(c, s), side(c, s) < pieces_.shortest * size_});
        }
        return at->second;
    }
    bool run_jobs(float from, float to, Progress* progress) {
        const bool good = for_all(jobs_.size(), 64, from, to, progress, [&](size_t first, size_t last) {
            const FieldSampler exact = samplers_();
            const FieldSampler quick = quick_samplers_ ? quick_samplers_() : exact;
            for (size_t k = first; k < last; ++k) {
                const Job& j = jobs_[k];
                const FieldSampler& sample = j.quick ? quick : exact;
                const SurfacePoint s = geometry_.at({index_, j.face, j.uv.x, j.uv.y});
                sample({s.position, s.normal, middle(j.face) - s.position, index_, j.face}, values_[j.sample].v);
            }
        });
        jobs_.clear();
        return good;
    }
    /// How far the middle of a side is from the mean of its ends; below 0 where it is not known.
    float bend(const Cut& c, int s) const {
        const auto at = middles_.find(edge(c, s));
        if (at == middles_.end()) return -1.f;
        return apart(values_[at->second], mean(values_[c.corner[s]], values_[c.corner[(s + 1) % 3]], .5f));
    }
    bool forced(const Cut& c) const { return longest_side(c) > pieces_.longest * size_; }
    bool is_coarse() const { return rays_ < field_rays_final; }

    float longest_side(const Cut& c) const { return std::max({side(c, 0), side(c, 1), side(c, 2)}); }
    /// How far apart its corners' values are.
    float spread(const Cut& c) const {
        float most = 0.f;
        for (int s = 0; s < 3; ++s) most = std::max(most, apart(values_[c.corner[s]], values_[c.corner[(s + 1) % 3]]));
        return most;
    }
    bool small(const Cut& c) const { return longest_side(c) < 2.f * pieces_.shortest * size_; }

    /// Asks for the middles of a piece's sides where they can lead to a cut.
    void look_at(const Cut& c) {
        if (is_coarse() || forced(c) || small(c)) return;  // it is not cut, or whatever they are
        const bool even = spread(c) < .25f * kind_.tolerance;
        if (of_shares_ && even && longest_side(c) < even_enough * size_) return;
        for (int s = 0; s < 3; ++s) ask(c, s);
    }
    /// Whether a piece that was looked at is to be cut; `goes_on`: its parts are to be looked at, too.
    bool is_rough(const Cut& c, bool& goes_on) const {
        goes_on = true;
        if (forced(c)) return !is_coarse() || c.level < 2;
        if (is_coarse() || longest_side(c) < 2.f * pieces_.steepest * size_) return false;
        if (c.overtaken) return true;
        float most = -1.f;
        if (small(c)) {  // between its corners lies a step, or nothing
            return spread(c) > 2.f * step;
        }
        for (int s = 0; s < 3; ++s) most = std::max(most, bend(c, s));
        goes_on = most >= 2.f * kind_.tolerance ||
                  4.f * pieces_.shortest * size_ > longest_side(c);  // else it would be within when cut again
        return most >= kind_.tolerance;
    }

    /// Cuts pieces as deep as what they hold asks for.
    bool cut_pieces(bool& cut, float from, float to, Progress* progress) {
        const size_t budget = std::min(allowed_, budget_);
        bool full = false;
        std::vector<uint32_t> open(cuts_.size());
        for (uint32_t k = 0; k < open.size(); ++k) open[k] = k;
        for (int round = 0; !open.empty() && round < levels_ + balancings; ++round) {
            const float a = lerp(from, to, 1.f - std::exp2(-.5f * float(round)));
            const float b = lerp(from, to, 1.f - std::exp2(-.5f * float(round + 1)));
            for (const uint32_t k : open) look_at(cuts_[k]);
            if (!run_jobs(a, lerp(a, b, .7f), progress)) return false;
            std::vector<uint32_t> parted;
            for (const uint32_t k : open) {
                bool goes_on = true;
                if (int(cuts_[k].level) >= levels_ || !is_rough(cuts_[k], goes_on)) continue;
                if (values_.size() > budget + unique_.size()) {
                    // All have been cut alike so far: what only the finest steps lack is not told.
                    cut |= longest_side(cuts_[k]) > 8.f * pieces_.steepest * size_;
                    full = true;
                    break;
                }
                for (int s = 0; s < 3; ++s) ask(cuts_[k], s);
                cuts_[k].open = goes_on;
                parted.push_back(k);
            }
            if (!run_jobs(lerp(a, b, .7f), b, progress)) return false;
            open.clear();
            for (const uint32_t k : parted) {
                Cut& c = cuts_[k];
                if (small(c) && !forced(c)) {  // a slope is cut in vain; twice, as a middle may lie on a step
                    c.calm = std::max({bend(c, 0), bend(c, 1), bend(c, 2)}) > step ? 0 : uint8_t(c.calm + 1);
                    c.open = c.calm < 2;
                }
                part(k, open);
            }
            if (open.empty() && !is_coarse() && !full) {
                open = overtaken();
                for (const uint32_t k : open) cuts_[k].overtaken = true;
            }
        }
        return true;
    }
    void part(uint32_t k, std::vector<uint32_t>& open) {
        const Cut c = cuts_[k];
        uint32_t m[3];
        V2f uv[3];
        for (int s = 0; s < 3; ++s) {
            m[s] = middles_.at(edge(c, s));
            uv[s] = middle_of(c, s);
        }
        cuts_[k].first = uint32_t(cuts_.size());
        const uint8_t level = uint8_t(c.level + 1);
        const Cut parts[] = {
            {{c.corner[0], m[0], m[2]}, {c.uv[0], uv[0], uv[2]}, c.face, FormField::uncut, level, c.calm},
            {{m[0], c.corner[1], m[1]}, {uv[0], c.uv[1], uv[1]}, c.face, FormField::uncut, level, c.calm},
            {{m[2], m[1], c.corner[2]}, {uv[2], uv[1], c.uv[2]}, c.face, FormField::uncut, level, c.calm},
            {{m[1], m[2], m[0]}, {uv[1], uv[2], uv[0]}, c.face, FormField::uncut, level, c.calm},
        };
        for (const Cut& p : parts) {
            if (c.open) open.push_back(uint32_t(cuts_.size()));
            cuts_.push_back(p);
        }
    }
    /// Pieces that are left whole though what was found on their sides since, as those beyond were cut finer, is not
    /// between their corners.
    std::vector<uint32_t> overtaken() const {
        std::vector<uint32_t> out;
        for (uint32_t k = 0; k < cuts_.size(); ++k) {
            const Cut& c = cuts_[k];
            if (c.first != FormField::uncut) continue;
            bool off = false;
            for (int s = 0; s < 3 && !off; ++s) {
                const uint32_t a = c.corner[s];
                const uint32_t b = c.corner[(s + 1) % 3];
                off = leaves_side(a, b, values_[a], values_[b], 0);
            }
            if (off) out.push_back(k);
        }
        return out;
    }
    /// Whether samples between a and b are off the straight from one value to the other.
    bool leaves_side(uint32_t a, uint32_t b, const Value& at_a, const Value& at_b, int depth) const {
        const auto at = middles_.find(edge(a, b));
        if (at == middles_.end() || depth >= levels_) return false;
        const Value straight = mean(at_a, at_b, .5f);
        if (depth > 0 && apart(values_[at->second], straight) > step) return true;
        return leaves_side(a, at->second, at_a, straight, depth + 1) ||
               leaves_side(at->second, b, straight, at_b, depth + 1);
    }

    /// What lies on the side of a piece that is not cut there is drawn to the side's ends: coarse ones first, as theirs
    /// are ends of finer ones.
    void close_seams() {
        std::vector<uint32_t> leaves;
        for (uint32_t k = 0; k < cuts_.size(); ++k)
            if (cuts_[k].first == FormField::uncut) leaves.push_back(k);
        std::stable_sort(leaves.begin(), leaves.end(),
                         [&](uint32_t a, uint32_t b) { return cuts_[a].level < cuts_[b].level; });
        for (const uint32_t k : leaves)
            for (int s = 0; s < 3; ++s) draw_to_ends(cuts_[k].corner[s], cuts_[k].corner[(s + 1) % 3]);
    }
    void draw_to_ends(uint32_t a, uint32_t b) {
        const auto at = middles_.find(edge(a, b));
        if (at == middles_.end()) return;
        values_[at->second] = mean(values_[a], values_[b], .5f);
        draw_to_ends(a, at->second);
        draw_to_ends(at->second, b);
    }

    /// A side of the finest pieces between whose ends values change at once.
    struct Stepping {
        uint32_t a, b, face;
        V2f at_a, at_b;
        float from = 0.f, to = 1.f;  ///< it lies between, from a
        bool slope = false;          ///< it is none
        uint32_t before = 0;         ///< the sample on the side of a; that on the side of b follows it
    };
    /// Finds where, by halving; sides with samples of their own are as fine as they are.
    bool find_steps() {
        for (const Cut& c : cuts_) {
            if (c.first != FormField::uncut || c.level == 0) continue;
            if (longest_side(c) > 4.f * pieces_.steepest * size_) continue;
            for (int s = 0; s < 3; ++s) {
                const uint32_t a = c.corner[s];
                const uint32_t b = c.corner[(s + 1) % 3];
                if (middles_.contains(edge(c, s)) || !(apart(values_[a], values_[b]) > 2.f * step)) continue;
                const bool turned = b < a;
                if (!steps_.try_emplace(edge(c, s), uint32_t(stepping_.size())).second) continue;
                stepping_.push_back({std::min(a, b), std::max(a, b), c.face, c.uv[turned ? (s + 1) % 3 : s],
                                     c.uv[turned ? s : (s + 1) % 3]});
            }
        }
        for (Stepping& s : stepping_) {
            s.before = uint32_t(values_.size());
            values_.resize(values_.size() + 2);
        }
        return for_all(stepping_.size(), 64, 1.f, 1.f, progress_, [&](size_t first, size_t last) {
            const FieldSampler quick = quick_samplers_ ? quick_samplers_() : samplers_();
            for (size_t k = first; k < last; ++k) halve(stepping_[k], quick);
        });
    }
    Value at_side(const Stepping& s, float t, const FieldSampler& sample) const {
        const V2f uv = s.at_a + (s.at_b - s.at_a) * t;
        const SurfacePoint p = geometry_.at({index_, s.face, uv.x, uv.y});
        Value v;
        sample({p.position, p.normal, middle(s.face) - p.position, index_, s.face}, v.v);
        return v;
    }
    void halve(Stepping& s, const FieldSampler& quick) {
        Value& a = values_[s.before] = values_[s.a];
        Value& b = values_[s.before + 1] = values_[s.b];
        for (int k = 0; k < halvings; ++k) {
            const float t = .5f * (s.from + s.to);
            const Value v = at_side(s, t, quick);
            const float from_a = apart(a, v);
            const float from_b = apart(b, v);
            s.slope = std::min(from_a, from_b) > .35f * apart(a, b);
            if (s.slope) return;
            (from_a < from_b ? s.from : s.to) = t;
            (from_a < from_b ? a : b) = v;
        }
    }
    /// Of a piece; none of its sides steps: false. Samples are numbered by `numbered`.
    bool steps_of(const Cut& c, FormField::Step& step, const std::function<uint32_t(uint32_t)>& numbered) const {
        bool any = false;
        step = {};
        for (int s = 0; s < 3; ++s) {
            const auto at = steps_.find(edge(c, s));
            if (at == steps_.end() || stepping_[at->second].slope) continue;
            const Stepping& found = stepping_[at->second];
            const bool turned = c.corner[(s + 1) % 3] < c.corner[s];
            const int share = std::clamp(int(128.f * (found.from + found.to) + .5f), 1, 255);
            step.at[s] = uint8_t(turned ? 256 - share : share);
            step.before[s] = numbered(found.before + (turned ? 1 : 0));
            step.after[s] = numbered(found.before + (turned ? 0 : 1));
            any = true;
        }
        return any;
    }

    void write(FormField::PartField& f) const {
        std::vector<uint32_t> number(values_.size(), UINT32_MAX);
        std::vector<uint32_t> used;
        // Faces come first among the cuts, and are no pieces.
        size_t faces = 0;
        while (faces < cuts_.size() && cuts_[faces].level == 0) ++faces;
        if (faces == cuts_.size()) return;
        const auto numbered = [&](uint32_t sample) {
            uint32_t& n = number[sample];
            if (n == UINT32_MAX) {
                n = uint32_t(used.size());
                used.push_back(sample);
            }
            return n;
        };
        auto piece_at = [&](uint32_t first) { return first == FormField::uncut ? first : uint32_t(first - faces); };
        f.first.assign(m_.triangles(), FormField::uncut);
        for (size_t k = 0; k < faces; ++k) f.first[cuts_[k].face] = piece_at(cuts_[k].first);
        f.pieces.reserve(cuts_.size() - faces);
        for (size_t k = faces; k < cuts_.size(); ++k) {
            FormField::Piece p{{}, piece_at(cuts_[k].first)};
            for (int c = 0; c < 3; ++c) p.corner[c] = numbered(cuts_[k].corner[c]);
            FormField::Step step;
            if (p.first == FormField::uncut && !steps_.empty() && steps_of(cuts_[k], step, numbered)) {
                p.first = FormField::stepped | uint32_t(f.steps.size());
                f.steps.push_back(step);
            }
            f.pieces.push_back(p);
        }
        make_room(f.inside, used.size());
        for (size_t k = 0; k < used.size(); ++k) put(f.inside, k, values_[used[k]]);
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
    size_t allowed_ = 0;
    Progress* progress_ = nullptr;
    FieldSamplers samplers_, quick_samplers_;
    std::vector<V3f> world_, toward_;
    std::vector<V3f> normals_;                  ///< per vertex, of a displaced form; empty: the mesh's
    std::vector<uint32_t> unique_, unique_of_;  ///< vertices that stand for their like; which one a vertex is
    std::vector<uint32_t> face_;                ///< one that each belongs to
    std::vector<char> used_;                    ///< by a face
    bool gathered_ = false;                     ///< see gather()
    std::vector<Value> values_;
    std::vector<Cut> cuts_;                           ///< faces first, then pieces as they are made
    std::unordered_map<uint64_t, uint32_t> middles_;  ///< by edge: the sample in its middle
    std::unordered_map<uint64_t, uint32_t> steps_;    ///< by edge: which of the next
    std::vector<Stepping> stepping_;
    std::vector<Job> jobs_;
};

/// Summed in pieces of even length, so that any number of threads gives the same.
double area_of(const Geometry& geometry, uint32_t part) {
    constexpr size_t piece = 65536;
    const size_t faces = geometry.shape(part).faces_as_triangles().triangles();
    std::vector<double> sums((faces + piece - 1) / piece, 0.);
    parallel_ranges(sums.size(), 1, [&](size_t first, size_t last) {
        for (size_t k = first; k < last; ++k)
            for (size_t f = k * piece; f < std::min(faces, (k + 1) * piece); ++f) {
                const double area = double(geometry.area(part, uint32_t(f)));
                if (std::isfinite(area)) sums[k] += area;
            }
    });
    double all = 0.;
    for (const double s : sums) all += s;
    return all;
}

}  // namespace

std::shared_ptr<const FormField> compute_field(const Geometry& geometry, const FieldParts& on,
                                               const nodes::FieldRequest& request, int rays, Progress* progress,
                                               const PartBorders& mask) {
    auto field = std::make_shared<FormField>();
    field->rays = rays;
    field->content = field_content(geometry, on, request, rays, mask);
    const size_t parts = geometry.instances().size();
    field->parts.resize(parts);
    const FieldKind* kind = field_kind(request.field);
    if (kind) {
        field->channels = kind->channels;
        field->furthest = range_of(*kind, geometry, request.parameters);
    }
    // The budget is shared by area; what a part leaves, the later ones have.
    std::vector<double> areas(parts, 0.);
    double left = 0.;
    for (size_t p = 0; kind && p < parts; ++p) {
        if (on.wanted[p]) areas[p] = area_of(geometry, uint32_t(p));
        left += areas[p];
    }
    const double whole = left;
    size_t used = 0;
    for (size_t p = 0; kind && p < parts; ++p) {
        if (!on.wanted[p]) continue;
        const size_t first = size_t(double(most_first_samples) * (whole > 0. ? areas[p] / whole : 1.));
        const size_t free = inside_budget - std::min(inside_budget, used);
        const size_t allowed = left > 0. ? size_t(double(free) * std::min(1., areas[p] / left)) : free;
        left -= areas[p];
        PartSampling sampling(geometry, uint32_t(p), *kind, request,
                              {request.parameters, rays, request.mask != 0, mask, on.named});
        if (!sampling.run(field->parts[p], std::max(first, first_samples_of_part), allowed, used, field->cut,
                          float(p) / float(parts), float(p + 1) / float(parts), progress))
            return nullptr;
    }
    return field;
}

}  // namespace vemtra::geometry
