#include "geometry/relief.h"

#include <atomic>
#include <cmath>

#include "base/hash.h"
#include "base/parallel.h"
#include "geometry/face_sides.h"
#include "geometry/field_grid.h"
#include "geometry/places.h"

namespace vemtra::geometry {

ReliefFrame relief_frame(const ReliefFace& f) {
    auto of = [](const float* v) { return V3f(v[0], v[1], v[2]); };
    const V3f p0 = of(f.corner[0]);
    const V3f e1 = of(f.corner[1]) - p0;
    const V3f e2 = of(f.corner[2]) - p0;
    V3f x = e1;
    V3f z = e1.cross(e2);
    ReliefFrame out;
    out.flat = z.length2() > 1e-36f && x.length2() > 0.f;
    if (!out.flat) x = {1, 0, 0}, z = {0, 0, 1};
    const V3f axes[3] = {x, z.cross(x), z};
    auto turn = [&](const V3f& v) { return V3f(v.dot(axes[0]), v.dot(axes[1]), v.dot(axes[2])); };
    auto sum = [](const V3f& v) { return std::fabs(v.x) + std::fabs(v.y) + std::fabs(v.z); };
    const float per = 1.f / float(1 << f.levels);
    const V3f a = turn(e1);
    const V3f b = turn(e2);
    const V3f d[3] = {turn(of(f.along[0])), turn(of(f.along[1])), turn(of(f.along[2]))};
    const V3f middle = p0 + (e1 + e2) / 3.f;
    for (int c = 0; c < 3; ++c) {
        for (int k = 0; k < 3; ++k) out.axes[c][k] = axes[c][k];
        out.first[c] = p0[c];
        out.middle[c] = middle[c];
        out.d0[c] = d[0][c];
        out.d1[c] = (d[1][c] - d[0][c]) * per;
        out.d2[c] = (d[2][c] - d[0][c]) * per;
        out.reach[c] = sum(axes[c]);
    }
    out.e1x = a.x * per;
    out.e2x = b.x * per;
    out.e2y = b.y * per;
    out.size = sum(p0) + sum(e1) + sum(e2);
    const float slack = 2.4e-6f * out.size;
    if (std::fabs(a.y) > slack * out.reach[1] || std::fabs(a.z) + std::fabs(b.z) > 2.f * slack * out.reach[2])
        out.flat = false;
    return out;
}

FaceHeights::~FaceHeights() = default;
ReliefHeights::~ReliefHeights() = default;

namespace {

void find_places(const Mesh& m, Welds& w) {
    const std::vector<uint32_t> first = first_at_place(m);
    w.place_of.resize(first.size());
    for (size_t v = 0; v < first.size(); ++v)
        w.place_of[v] = first[v] == v ? uint32_t(w.places++) : w.place_of[first[v]];
}

void find_sides(const Mesh& m, Welds& w) {
    struct Side {
        uint64_t ends;
        uint32_t number;
    };
    std::vector<Side> sides(m.indices.size());
    for (uint32_t s = 0; s < m.indices.size(); ++s) {
        const uint32_t a = w.place_of[m.indices[s]];
        const uint32_t b = w.place_of[m.indices[s % 3 == 2 ? s - 2 : s + 1]];
        sides[s] = {uint64_t(std::min(a, b)) << 32 | std::max(a, b), s};
    }
    std::sort(sides.begin(), sides.end(),
              [](const Side& a, const Side& b) { return a.ends != b.ends ? a.ends < b.ends : a.number < b.number; });
    w.next_side.resize(sides.size());
    for (size_t first = 0; first < sides.size();) {
        size_t end = first + 1;
        while (end < sides.size() && sides[end].ends == sides[first].ends) ++end;
        for (size_t k = first; k < end; ++k) w.next_side[sides[k].number] = sides[k + 1 < end ? k + 1 : first].number;
        first = end;
    }
}

/// Of length 0 where the face has no area. On the side that the vertices' normals point to.
V3f outward(const Mesh& m, uint32_t face) {
    const uint32_t* i = &m.indices[3 * size_t(face)];
    const V3f& a = m.positions[i[0]];
    const V3f n = (m.positions[i[1]] - a).cross(m.positions[i[2]] - a);
    const float length = n.length();
    if (!(length > 0.f) || !std::isfinite(length)) return V3f(0.f);
    const bool turned_over = (m.normals[i[0]] + m.normals[i[1]] + m.normals[i[2]]).dot(n) < 0.f;
    return n / (turned_over ? -length : length);
}
float angle_at(const Mesh& m, uint32_t face, int c) {
    const uint32_t* i = &m.indices[3 * size_t(face)];
    const V3f a = m.positions[i[(c + 1) % 3]] - m.positions[i[c]];
    const V3f b = m.positions[i[(c + 2) % 3]] - m.positions[i[c]];
    const float angle = std::atan2(a.cross(b).length(), a.dot(b));
    return std::isfinite(angle) ? angle : 0.f;
}

void find_directions(const Mesh& m, Welds& w) {
    std::vector<V3f> sum(w.places, V3f(0.f));
    std::vector<V3f> own(w.places, V3f(0.f));  // of the file, where faces cancel
    for (size_t v = 0; v < m.positions.size(); ++v) own[w.place_of[v]] += m.normals[v];
    const uint32_t faces = uint32_t(m.triangles());
    for (uint32_t f = 0; f < faces; ++f) {
        const V3f n = outward(m, f);
        for (int c = 0; c < 3; ++c) sum[w.place_of[m.indices[3 * size_t(f) + size_t(c)]]] += n * angle_at(m, f, c);
    }
    for (size_t p = 0; p < w.places; ++p) {
        const V3f& d = sum[p].length2() > 1e-6f ? sum[p] : own[p];
        w.direction.push_back(d.length2() > 1e-12f ? d.normalized() : V3f(0, 1, 0));
    }
    std::vector<V2f> along(w.places, V2f(0.f));  // how far faces move, and the weight
    for (uint32_t f = 0; f < faces; ++f) {
        const V3f n = outward(m, f);
        if (n.length2() == 0.f) continue;
        for (int c = 0; c < 3; ++c) {
            const uint32_t p = w.place_of[m.indices[3 * size_t(f) + size_t(c)]];
            const float angle = angle_at(m, f, c);
            along[p] += V2f(n.dot(w.direction[p]) * angle, angle);
        }
    }
    for (size_t p = 0; p < w.places; ++p)
        if (along[p].y > 0.f) w.direction[p] *= 1.f / std::max(.5f, along[p].x / along[p].y);
}

/// One face's grid points, row by row, in the order of field_grid.h.
size_t point_of(int n, int i, int j) {
    return grid_row(n, j) + size_t(i);
}
class FrozenHeights final : public ReliefHeights {
public:
    FrozenHeights(ReliefLevels l, float least, float largest)
        : ReliefHeights(std::move(l)), least_(least), step_((largest - least) / 65535.f) {
        size_t points = 0;
        size_t pieces = 0;
        for (const uint8_t level : levels.level) {
            first_point_.push_back(points);
            first_piece_.push_back(pieces);
            points += grid_size(1 << level);
            pieces += relief_pieces(level);
        }
        first_point_.push_back(points);
        heights_.assign(points, 0);
        low_.assign(pieces, 0);
        high_.assign(pieces, 0);
        range_.resize(levels.level.size());
    }

    void bounds(uint32_t face, const ReliefPiece& p, float* lo, float* hi) const override {
        const int level = levels.level[face];
        const size_t at =
            first_piece_[face] + relief_pieces_before(level, relief_depth(level, p.size) + 1) + p.index * relief_lanes;
        const uint16_t* low = &low_[at];
        const uint16_t* high = &high_[at];
        for (int l = 0; l < relief_lanes; ++l) lo[l] = value(low[l]), hi[l] = value(high[l]);
    }
    void at(uint32_t face, const int* i, const int* j, int count, float* out) const override {
        const int n = 1 << levels.level[face];
        const uint16_t* h = &heights_[first_point_[face]];
        for (int k = 0; k < count; ++k) out[k] = value(h[point_of(n, i[k], j[k])]);
    }
    void range(uint32_t face, float& lo, float& hi) const override {
        lo = value(range_[face][0]);
        hi = value(range_[face][1]);
    }
    bool codes(uint32_t face, ReliefCodes& c, uint8_t&) const override {
        c.least = least_;
        c.step = step_;
        c.grid = &heights_[first_point_[face]];
        c.lo = low_.data() + first_piece_[face];
        c.hi = high_.data() + first_piece_[face];
        return true;
    }
    float slope_step(uint32_t) const override { return 1.f; }
    size_t bytes() const override {
        return levels.bytes() + 2 * (heights_.capacity() + low_.capacity() + high_.capacity()) +
               sizeof(size_t) * (first_point_.capacity() + first_piece_.capacity()) + 4 * range_.capacity();
    }
    uint64_t content_hash() const override {
        const float ends[] = {least_, step_};
        return hash_bytes(heights_.data(), 2 * heights_.size()) ^ hash_bytes(ends, sizeof ends);
    }

    float value(uint16_t q) const { return least_ + step_ * float(q); }
    uint16_t quantized(float h) const {
        if (!(step_ > 0.f)) return 0;
        const float q = (h - least_) / step_ + .5f;
        return uint16_t(std::min(65535.f, std::max(0.f, q)));  // what is no number becomes the least
    }
    uint16_t& height(uint32_t face, int i, int j) {
        return heights_[first_point_[face] + point_of(1 << levels.level[face], i, j)];
    }
    /// The bounds of all pieces of a face, from its heights.
    void bound(uint32_t face) {
        const int level = levels.level[face];
        const int n = 1 << level;
        if (n <= relief_block) {
            range_[face] = of_block(face, {0, 0, 1, n, 0});
            return;
        }
        gather(face, {0, 0, 1, n, 0}, 0);
    }

private:
    using Range = std::array<uint16_t, 2>;
    Range of_block(uint32_t face, const ReliefPiece& p) const {
        const int n = 1 << levels.level[face];
        const uint16_t* h = &heights_[first_point_[face]];
        Range r{65535, 0};
        for (int b = 0; b <= p.size; ++b)
            for (int a = 0; a + b <= p.size; ++a) {
                int i = p.i + p.sign * a;
                int j = p.j + p.sign * b;
                draw_to_coarser(levels, face, i, j);
                const uint16_t q = h[point_of(n, i, j)];
                r = {std::min(r[0], q), std::max(r[1], q)};
            }
        return r;
    }
    Range gather(uint32_t face, const ReliefPiece& p, int depth) {
        if (p.size == relief_block) return of_block(face, p);
        const int level = levels.level[face];
        const size_t at = first_piece_[face] + relief_pieces_before(level, depth + 1) + p.index * relief_lanes;
        const bool whole_odd = depth == 0 && level % 2;
        Range all{65535, 0};
        for (int l = 0; l < (whole_odd ? relief_halves : relief_lanes); ++l) {
            const Range r = gather(face, relief_child(p, l, whole_odd), depth + 1);
            low_[at + size_t(l)] = r[0];
            high_[at + size_t(l)] = r[1];
            all = {std::min(all[0], r[0]), std::max(all[1], r[1])};
        }
        if (depth == 0) range_[face] = all;
        return all;
    }

    float least_, step_;
    std::vector<size_t> first_point_, first_piece_;  ///< per face
    std::vector<uint16_t> heights_, low_, high_;
    std::vector<Range> range_;
};

/// Collects places and hands them on in batches; `take(k, height)` gets the heights in the order of the places.
class Batches {
public:
    explicit Batches(const HeightsAt& evaluate) : evaluate_(evaluate) {}
    template <class Take> void add(uint32_t face, float u, float v, Take&& take) {
        face_[size_t(n_)] = face;
        u_[size_t(n_)] = u;
        v_[size_t(n_)] = v;
        if (++n_ == relief_batch) flush(take);
    }
    template <class Take> void flush(Take&& take) {
        if (n_ == 0) return;
        float out[relief_batch];
        evaluate_(n_, face_.data(), u_.data(), v_.data(), out);
        for (int k = 0; k < n_; ++k) take(std::isfinite(out[k]) ? out[k] : 0.f);
        n_ = 0;
    }

private:
    const HeightsAt& evaluate_;
    int n_ = 0;
    std::array<uint32_t, relief_batch> face_;
    std::array<float, relief_batch> u_, v_;
};

constexpr float corner_u[3] = {0.f, 1.f, 0.f};
constexpr float corner_v[3] = {0.f, 0.f, 1.f};

class Freezing {
public:
    Freezing(const Mesh& mesh, const Welds& welds, FrozenHeights& out, const std::function<HeightsAt()>& make,
             Progress* progress)
        : m_(mesh), w_(welds), out_(out), make_(make), progress_(progress) {}

    bool run() {
        corners();
        sides();
        if (stopped(progress_)) return false;
        insides();
        return !stopped(progress_);
    }

private:
    int level(uint32_t face) const { return out_.levels.level[face]; }

    /// A place has the mean of its vertices' heights.
    void corners() {
        std::vector<uint32_t> seen_at(m_.positions.size(), UINT32_MAX);
        for (uint32_t s = 0; s < m_.indices.size(); ++s)
            if (seen_at[m_.indices[s]] == UINT32_MAX) seen_at[m_.indices[s]] = s;
        std::vector<float> height(m_.positions.size(), 0.f);
        parallel_ranges(height.size(), relief_batch, [&](size_t first, size_t last) {
            if (stopped(progress_)) return;
            const HeightsAt evaluate = make_();
            Batches batches(evaluate);
            std::vector<size_t> whose;
            size_t taken = 0;
            auto take = [&](float h) { height[whose[taken++]] = h; };
            for (size_t v = first; v < last; ++v)
                if (const uint32_t s = seen_at[v]; s != UINT32_MAX) {
                    whose.push_back(v);
                    batches.add(s / 3, corner_u[s % 3], corner_v[s % 3], take);
                }
            batches.flush(take);
        });
        std::vector<double> sum(w_.places, 0.0);
        std::vector<uint32_t> count(w_.places, 0);
        for (size_t v = 0; v < height.size(); ++v)
            if (seen_at[v] != UINT32_MAX) sum[w_.place_of[v]] += double(height[v]), ++count[w_.place_of[v]];
        for (uint32_t f = 0; f < m_.triangles(); ++f) {
            const int n = 1 << level(f);
            for (int c = 0; c < 3; ++c) {
                const uint32_t p = w_.place_of[m_.indices[3 * size_t(f) + size_t(c)]];
                const float h = float(sum[p] / std::max(1u, count[p]));
                out_.height(f, c == 1 ? n : 0, c == 2 ? n : 0) = out_.quantized(h);
            }
        }
    }

    uint32_t end(uint32_t side, int which) const {
        return m_.indices[which ? (side % 3 == 2 ? side - 2 : side + 1) : side];
    }
    /// Grid point k of n along a side, as the coordinates of its face in n segments.
    static void along(int side, int k, int n, int& i, int& j) {
        i = side == 0 ? k : side == 1 ? n - k : 0;
        j = side == 0 ? 0 : side == 1 ? k : n - k;
    }

    /// Sides that lie together share the points of the coarsest of them; each has the mean of what their UVs say.
    void sides() {
        std::vector<uint32_t> leaders;
        for (uint32_t s = 0; s < m_.indices.size(); ++s) {
            bool leads = true;
            int least = level(s / 3);
            for (uint32_t o = w_.next_side[s]; o != s; o = w_.next_side[o])
                leads &= o > s, least = std::min(least, level(o / 3));
            if (leads && least > 0) leaders.push_back(s);
        }
        parallel_ranges(leaders.size(), 64, [&](size_t first, size_t last) {
            if (stopped(progress_)) return;
            const HeightsAt evaluate = make_();
            for (size_t k = first; k < last; ++k) side(leaders[k], evaluate);
        });
    }
    void side(uint32_t leader, const HeightsAt& evaluate) {
        int least = level(leader / 3);
        std::vector<uint32_t> distinct{leader};
        for (uint32_t o = w_.next_side[leader]; o != leader; o = w_.next_side[o]) {
            least = std::min(least, level(o / 3));
            bool known = false;
            for (const uint32_t d : distinct)
                known |= (end(d, 0) == end(o, 0) && end(d, 1) == end(o, 1)) ||
                         (end(d, 0) == end(o, 1) && end(d, 1) == end(o, 0));
            if (!known) distinct.push_back(o);
        }
        const int n = 1 << least;
        const uint32_t start = w_.place_of[end(leader, 0)];
        auto from_start = [&](uint32_t s, int k) { return w_.place_of[end(s, 0)] == start ? k : n - k; };
        std::vector<double> sum(size_t(n) + 1, 0.0);
        for (const uint32_t s : distinct) {
            Batches batches(evaluate);
            int taken = 1;
            auto take = [&](float h) { sum[size_t(taken++)] += double(h); };
            for (int k = 1; k < n; ++k) {
                int i;
                int j;
                along(int(s % 3), from_start(s, k), n, i, j);
                batches.add(s / 3, float(i) / float(n), float(j) / float(n), take);
            }
            batches.flush(take);
        }
        uint32_t s = leader;
        do {
            const int ratio = (1 << level(s / 3)) / n;
            for (int k = 1; k < n; ++k) {
                int i;
                int j;
                along(int(s % 3), from_start(s, k), n, i, j);
                out_.height(s / 3, i * ratio, j * ratio) =
                    out_.quantized(float(sum[size_t(k)] / double(distinct.size())));
            }
            s = w_.next_side[s];
        } while (s != leader);
    }

    void insides() {
        const size_t faces = m_.triangles();
        std::atomic<size_t> done{0};
        // Large faces are shared out by rows: one of them may be all there is.
        struct Rows {
            uint32_t face;
            int first, last;
        };
        std::vector<Rows> work;
        for (uint32_t f = 0; f < faces; ++f) {
            const int n = 1 << level(f);
            const int rows = std::max(1, 65536 / n);
            for (int j = 1; j < n - 1; j += rows) work.push_back({f, j, std::min(n - 1, j + rows)});
        }
        parallel_ranges(work.size(), 16, [&](size_t first, size_t last) {
            if (stopped(progress_)) return;
            const HeightsAt evaluate = make_();
            Batches batches(evaluate);
            std::vector<uint16_t*> whose;
            whose.reserve(relief_batch);
            size_t taken = 0;
            auto take = [&](float h) {
                *whose[taken++] = out_.quantized(h);
                if (taken == whose.size()) whose.clear(), taken = 0;
            };
            for (size_t k = first; k < last && !stopped(progress_); ++k) {
                const auto [f, from, to] = work[k];
                const int n = 1 << level(f);
                for (int j = from; j < to; ++j)
                    for (int i = 1; i + j < n; ++i) {
                        whose.push_back(&out_.height(f, i, j));
                        batches.add(f, float(i) / float(n), float(j) / float(n), take);
                    }
            }
            batches.flush(take);
            report(progress_, float(done += last - first) / float(work.size()));
        });
        if (stopped(progress_)) return;
        parallel_ranges(faces, 64, [&](size_t first, size_t last) {
            for (size_t f = first; f < last; ++f) out_.bound(uint32_t(f));
        });
    }

    const Mesh& m_;
    const Welds& w_;
    FrozenHeights& out_;
    const std::function<HeightsAt()>& make_;
    Progress* progress_;
};

}  // namespace

size_t Welds::bytes() const {
    return 4 * (place_of.capacity() + next_side.capacity()) + sizeof(V3f) * direction.capacity();
}

std::shared_ptr<const Welds> weld(const Mesh& mesh) {
    auto w = std::make_shared<Welds>();
    find_places(mesh, *w);
    find_sides(mesh, *w);
    find_directions(mesh, *w);
    return w;
}

size_t ReliefLevels::points() const {
    size_t n = 0;
    for (const uint8_t l : level) n += grid_size(1 << l);
    return n;
}

ReliefLevels relief_levels(const Mesh& mesh, const Welds& welds, const std::function<float(uint32_t)>& segments) {
    ReliefLevels out;
    const uint32_t faces = uint32_t(mesh.triangles());
    out.level.resize(faces);
    out.coarse.assign(faces, 0);
    for (uint32_t f = 0; f < faces; ++f) {
        int level = 0;
        const float want = segments(f);
        while (level < relief_deepest && want > float(1 << level) * 1.0001f) ++level;
        out.reached &= !(want > float(1 << level) * 1.0001f);
        out.level[f] = uint8_t(level);
    }
    // Neighbours of the finest become at most four times as coarse, then theirs.
    for (int level = relief_deepest; level > 2; --level)
        for (uint32_t s = 0; s < 3 * faces; ++s)
            if (out.level[s / 3] == level)
                for (uint32_t o = welds.next_side[s]; o != s; o = welds.next_side[o])
                    out.level[o / 3] = std::max(out.level[o / 3], uint8_t(level - 2));
    for (uint32_t s = 0; s < 3 * faces; ++s) {
        int least = out.level[s / 3];
        for (uint32_t o = welds.next_side[s]; o != s; o = welds.next_side[o])
            least = std::min(least, int(out.level[o / 3]));
        out.coarse[s / 3] |= uint8_t((out.level[s / 3] - least) << 2 * (s % 3));
    }
    return out;
}

ReliefLevels levels_by_spacing(const Mesh& mesh, const Welds& welds, float spacing) {
    return relief_levels(mesh, welds, [&](uint32_t f) { return longest_side(mesh, f) / spacing; });
}

std::shared_ptr<const ReliefHeights> freeze_heights(const Mesh& mesh, const Welds& welds, ReliefLevels levels,
                                                    float least, float largest, const std::function<HeightsAt()>& make,
                                                    Progress* progress) {
    auto out = std::make_shared<FrozenHeights>(std::move(levels), least, largest);
    if (!Freezing(mesh, welds, *out, make, progress).run()) return nullptr;
    return out;
}

}  // namespace vemtra::geometry
