// Heights and offsets that are computed once, at every grid point of every face.
#include <array>
#include <atomic>
#include <cmath>
#include <numeric>

#include "base/hash.h"
#include "base/parallel.h"
#include "geometry/field_grid.h"
#include "geometry/relief.h"

namespace vemtra::geometry {
namespace {

/// One face's grid points, row by row, in the order of field_grid.h.
size_t point_of(int n, int i, int j) {
    return grid_row(n, j) + size_t(i);
}
/// Numbers that stand for metres.
struct Codes {
    float least = 0.f, step = 0.f;
    Codes(float from, float to) : least(from), step((to - from) / 65535.f) {}
    float value(uint16_t q) const { return least + step * float(q); }
    /// `over`: .5 for the nearest, 0 for the one below, just under 1 for the one above. What is no number becomes the
    /// least.
    uint16_t of(float x, float over = .5f) const {
        if (!(step > 0.f)) return 0;
        const float q = (x - least) / step + over;
        return uint16_t(std::min(65535.f, std::max(0.f, q)));
    }
};

/// Where faces have their grid points and the bounds of their pieces.
struct Layout {
    explicit Layout(const ReliefLevels& levels) {
        first_point.reserve(levels.level.size());
        first_piece.reserve(levels.level.size());
        for (const uint8_t level : levels.level) {
            first_point.push_back(points);
            first_piece.push_back(pieces);
            points += grid_size(1 << level);
            pieces += relief_pieces(level);
        }
    }
    /// Of a piece's first child.
    size_t children(uint32_t face, int level, const ReliefPiece& p) const {
        return first_piece[face] + relief_pieces_before(level, relief_depth(level, p.size) + 1) +
               p.index * relief_lanes;
    }
    size_t bytes() const { return sizeof(size_t) * (first_point.capacity() + first_piece.capacity()); }
    size_t points = 0, pieces = 0;
    std::vector<size_t> first_point, first_piece;  ///< per face
};

/// Goes through all pieces of a face from the smallest up. `of_point(index)` gives the range of one grid point,
/// `put(at, range)` notes that of a child.
template <class Range, class OfPoint, class Put> class Gathering {
public:
    Gathering(const ReliefLevels& levels, const Layout& layout, uint32_t face, const OfPoint& of_point, const Put& put)
        : levels_(levels), layout_(layout), face_(face), level_(levels.level[face]), of_point_(of_point), put_(put) {}
    Range whole() const {
        const int n = 1 << level_;
        return n <= relief_block ? of_block({0, 0, 1, n, 0}) : gather({0, 0, 1, n, 0}, 0);
    }

private:
    Range of_block(const ReliefPiece& p) const {
        const int n = 1 << level_;
        Range r;
        for (int b = 0; b <= p.size; ++b)
            for (int a = 0; a + b <= p.size; ++a) {
                int i = p.i + p.sign * a;
                int j = p.j + p.sign * b;
                draw_to_coarser(levels_, face_, i, j);
                r.extend(of_point_(layout_.first_point[face_] + point_of(n, i, j)));
            }
        return r;
    }
    Range gather(const ReliefPiece& p, int depth) const {
        if (p.size == relief_block) return of_block(p);
        const size_t at = layout_.children(face_, level_, p);
        const bool whole_odd = depth == 0 && level_ % 2;
        Range all;
        for (int l = 0; l < (whole_odd ? relief_halves : relief_lanes); ++l) {
            const Range r = gather(relief_child(p, l, whole_odd), depth + 1);
            put_(at + size_t(l), r);
            all.extend(r);
        }
        return all;
    }

    const ReliefLevels& levels_;
    const Layout& layout_;
    uint32_t face_;
    int level_;
    const OfPoint& of_point_;
    const Put& put_;
};

class FrozenHeights final : public ReliefHeights {
public:
    static constexpr int components = 1;
    FrozenHeights(ReliefLevels l, float least, float largest)
        : ReliefHeights(std::move(l)), layout_(levels), codes_(least, largest) {
        heights_.assign(layout_.points, 0);
        low_.assign(layout_.pieces, 0);
        high_.assign(layout_.pieces, 0);
        range_.resize(levels.level.size());
    }

    void bounds(uint32_t face, const ReliefPiece& p, float* lo, float* hi) const override {
        const size_t at = layout_.children(face, levels.level[face], p);
        for (size_t l = 0; l < relief_lanes; ++l)
            lo[l] = codes_.value(low_[at + l]), hi[l] = codes_.value(high_[at + l]);
    }
    void at(uint32_t face, const int* i, const int* j, int count, float* out) const override {
        const int n = 1 << levels.level[face];
        const uint16_t* h = &heights_[layout_.first_point[face]];
        for (int k = 0; k < count; ++k) out[k] = codes_.value(h[point_of(n, i[k], j[k])]);
    }
    void range(uint32_t face, float& lo, float& hi) const override {
        lo = codes_.value(range_[face].lo);
        hi = codes_.value(range_[face].hi);
    }
    bool codes(uint32_t face, ReliefCodes& c, uint8_t&) const override {
        c.least = codes_.least;
        c.step = codes_.step;
        c.grid = &heights_[layout_.first_point[face]];
        c.lo = low_.data() + layout_.first_piece[face];
        c.hi = high_.data() + layout_.first_piece[face];
        return true;
    }
    float slope_step(uint32_t) const override { return 1.f; }
    size_t bytes() const override {
        return levels.bytes() + layout_.bytes() + 2 * (heights_.capacity() + low_.capacity() + high_.capacity()) +
               sizeof(Range) * range_.capacity();
    }
    uint64_t content_hash() const override {
        const float ends[] = {codes_.least, codes_.step};
        return hash_bytes(heights_.data(), 2 * heights_.size()) ^ hash_bytes(ends, sizeof ends);
    }

    size_t index(uint32_t face, int i, int j) const {
        return layout_.first_point[face] + point_of(1 << levels.level[face], i, j);
    }
    void put(size_t index, const std::array<float, 1>& h) { heights_[index] = codes_.of(h[0]); }
    /// The bounds of all pieces of a face, from its heights.
    void bound(const Mesh&, uint32_t face) {
        auto of_point = [this](size_t k) { return Range{heights_[k], heights_[k]}; };
        auto put = [this](size_t at, const Range& r) { low_[at] = r.lo, high_[at] = r.hi; };
        range_[face] =
            Gathering<Range, decltype(of_point), decltype(put)>(levels, layout_, face, of_point, put).whole();
    }

private:
    struct Range {
        uint16_t lo = 65535, hi = 0;
        void extend(const Range& r) { lo = std::min(lo, r.lo), hi = std::max(hi, r.hi); }
    };
    Layout layout_;
    Codes codes_;
    std::vector<uint16_t> heights_, low_, high_;
    std::vector<Range> range_;
};

/// Offsets along x, y and z. Bounds of pieces are along the axes of each face's frame, where what is thin is thin.
class FrozenOffsets final : public ReliefHeights {
public:
    static constexpr int components = 3;
    FrozenOffsets(ReliefLevels l, float reach)
        : ReliefHeights(std::move(l)), layout_(levels), codes_(-reach, reach), turned_(-2.f * reach, 2.f * reach) {
        offsets_.assign(3 * layout_.points, codes_.of(0.f));
        low_.assign(3 * layout_.pieces, 0);
        high_.assign(3 * layout_.pieces, 0);
        range_.resize(levels.level.size());
    }

    void bounds(uint32_t, const ReliefPiece&, float*, float*) const override {}
    void at(uint32_t, const int*, const int*, int, float*) const override {}
    void range(uint32_t, float&, float&) const override {}
    bool any_way() const override { return true; }
    void offsets(uint32_t face, const int* i, const int* j, int count, V3f* out) const override {
        for (int k = 0; k < count; ++k) out[k] = value(index(face, i[k], j[k]));
    }
    Box3f offset_range(uint32_t face) const override { return range_[face]; }
    bool codes(uint32_t face, ReliefCodes& c, uint8_t&) const override {
        c.least = codes_.least;
        c.step = codes_.step;
        c.grid = offsets_.data() + layout_.first_point[face];
        c.offsets = layout_.points;
        c.lo = low_.data() + 3 * layout_.first_piece[face];
        c.hi = high_.data() + 3 * layout_.first_piece[face];
        c.offset_least = turned_.least;
        c.offset_step = turned_.step;
        return true;
    }
    float slope_step(uint32_t) const override { return 1.f; }
    size_t bytes() const override {
        return levels.bytes() + layout_.bytes() + 2 * (offsets_.capacity() + low_.capacity() + high_.capacity()) +
               sizeof(Box3f) * range_.capacity();
    }
    uint64_t content_hash() const override {
        return hash_bytes(offsets_.data(), 2 * offsets_.size()) ^ hash_bytes(&codes_, sizeof codes_);
    }

    size_t index(uint32_t face, int i, int j) const {
        return layout_.first_point[face] + point_of(1 << levels.level[face], i, j);
    }
    void put(size_t index, const std::array<float, 3>& offset) {
        for (size_t c = 0; c < 3; ++c) offsets_[index + c * layout_.points] = codes_.of(offset[c]);
    }
    void bound(const Mesh& m, uint32_t face) {
        V3f axes[3];
        ReliefFace f;
        for (size_t c = 0; c < 3; ++c) {
            const V3f& p = m.positions[m.indices[3 * size_t(face) + c]];
            for (int k = 0; k < 3; ++k) f.corner[c][k] = p[k], f.along[c][k] = 0.f;
        }
        const ReliefFrame frame = relief_frame(f);
        for (int a = 0; a < 3; ++a) {
            axes[a] = V3f(frame.axes[a][0], frame.axes[a][1], frame.axes[a][2]);
            if (frame.length[a] > 0.f) axes[a] /= frame.length[a];
        }
        Box3f all;
        auto of_point = [&](size_t k) {
            const V3f v = value(k);
            all.extendBy(v);
            const V3f turned(v.dot(axes[0]), v.dot(axes[1]), v.dot(axes[2]));
            return Range{{turned, turned}};
        };
        auto put = [this](size_t at, const Range& r) {
            const size_t first = 3 * (at - at % relief_lanes) + at % relief_lanes;
            for (int a = 0; a < 3; ++a) {
                low_[first + size_t(a) * relief_lanes] = turned_.of(r.box.min[a], -.01f);
                high_[first + size_t(a) * relief_lanes] = turned_.of(r.box.max[a], 1.01f);
            }
        };
        Gathering<Range, decltype(of_point), decltype(put)>(levels, layout_, face, of_point, put).whole();
        range_[face] = all;
    }

private:
    struct Range {
        Box3f box;
        void extend(const Range& r) { box.extendBy(r.box); }
    };
    V3f value(size_t k) const {
        const size_t n = layout_.points;
        return {codes_.value(offsets_[k]), codes_.value(offsets_[k + n]), codes_.value(offsets_[k + 2 * n])};
    }

    Layout layout_;
    Codes codes_, turned_;
    std::vector<uint16_t> offsets_, low_, high_;
    std::vector<Box3f> range_;
};

/// Collects places and hands them on in batches; `take(value)` gets the values in the order of the places.
template <size_t N> class Batches {
public:
    explicit Batches(const HeightsAt& evaluate) : evaluate_(evaluate), out_(N * relief_batch) {}
    template <class Take> void add(uint32_t face, float u, float v, Take&& take) {
        face_[size_t(n_)] = face;
        u_[size_t(n_)] = u;
        v_[size_t(n_)] = v;
        if (++n_ == relief_batch) flush(take);
    }
    template <class Take> void flush(Take&& take) {
        if (n_ == 0) return;
        evaluate_(n_, face_.data(), u_.data(), v_.data(), out_.data());
        for (size_t k = 0; k < size_t(n_); ++k) {
            std::array<float, N> value;
            for (size_t c = 0; c < N; ++c) {
                const float x = out_[c * size_t(n_) + k];
                value[c] = std::isfinite(x) ? x : 0.f;
            }
            take(value);
        }
        n_ = 0;
    }

private:
    const HeightsAt& evaluate_;
    int n_ = 0;
    std::array<uint32_t, relief_batch> face_;
    std::array<float, relief_batch> u_, v_;
    std::vector<float> out_;
};

constexpr float corner_u[3] = {0.f, 1.f, 0.f};
constexpr float corner_v[3] = {0.f, 0.f, 1.f};

template <size_t N> struct Mean {
    std::array<double, N> sum{};
    double weight = 0.0;
    void add(const std::array<float, N>& value, double w = 1.0) {
        for (size_t c = 0; c < N; ++c) sum[c] += w * double(value[c]);
        weight += w;
    }
    std::array<float, N> value() const {
        std::array<float, N> out{};
        if (weight > 0.0)
            for (size_t c = 0; c < N; ++c) out[c] = float(sum[c] / weight);
        return out;
    }
};

template <class Frozen> class Freezing {
public:
    Freezing(const Mesh& mesh, const Welds& welds, Frozen& out, const std::function<HeightsAt()>& make,
             Progress* progress)
        : m_(mesh), w_(welds), out_(out), make_(make), progress_(progress) {}

    bool run() {
        corners();
        if (stopped(progress_)) return false;
        sides();
        if (stopped(progress_)) return false;
        insides();
        return !stopped(progress_);
    }

private:
    static constexpr size_t components = Frozen::components;
    static constexpr size_t faces_at_once = 4096, sides_at_once = 512;
    using Value = std::array<float, components>;
    int level(uint32_t face) const { return out_.levels.level[face]; }

    /// A place has the mean of what its corners say. Heights are the same for all corners that share a vertex; offsets
    /// may follow from the face.
    void corners() {
        std::vector<uint32_t> speaking;
        if constexpr (components == 1) {
            std::vector<uint8_t> seen(m_.positions.size(), 0);
            for (uint32_t s = 0; s < m_.indices.size(); ++s)
                if (!std::exchange(seen[m_.indices[s]], uint8_t(1))) speaking.push_back(s);
        } else {
            speaking.resize(m_.indices.size());
            std::iota(speaking.begin(), speaking.end(), 0u);
        }
        std::vector<Value> said(speaking.size());
        parallel_ranges(said.size(), relief_batch, [&](size_t first, size_t last) {
            if (stopped(progress_)) return;
            const HeightsAt evaluate = make_();
            Batches<components> batches(evaluate);
            size_t taken = first;
            auto take = [&](const Value& value) { said[taken++] = value; };
            for (size_t k = first; k < last; ++k)
                batches.add(speaking[k] / 3, corner_u[speaking[k] % 3], corner_v[speaking[k] % 3], take);
            batches.flush(take);
        });
        std::vector<Mean<components>> mean(w_.places);
        for (size_t k = 0; k < said.size(); ++k) {
            const uint32_t s = speaking[k];
            const double weight = components == 1 ? 1.0 : 1e-6 + double(angle_at_corner(m_, s / 3, int(s % 3)));
            mean[w_.place_of[m_.indices[s]]].add(said[k], weight);
        }
        parallel_ranges(m_.triangles(), faces_at_once, [&](size_t first, size_t last) {
            for (size_t f = first; f < last; ++f) {
                const int n = 1 << level(uint32_t(f));
                for (size_t c = 0; c < 3; ++c)
                    out_.put(out_.index(uint32_t(f), c == 1 ? n : 0, c == 2 ? n : 0),
                             mean[w_.place_of[m_.indices[3 * f + c]]].value());
            }
        });
    }

    uint32_t end(uint32_t side, int which) const {
        return m_.indices[which ? (side % 3 == 2 ? side - 2 : side + 1) : side];
    }
    /// One of several sides that lie together, in n segments; the first of its points among those asked for.
    struct Asked {
        uint32_t leader;
        int n;
        size_t first;
    };
    /// Grid point k along the leader, as the coordinates of the face of a side that lies with it in n segments.
    std::pair<int, int> along(const Asked& of, uint32_t s, int k) const {
        if (w_.place_of[end(s, 0)] != w_.place_of[end(of.leader, 0)]) k = of.n - k;
        const int side = int(s % 3);
        return {side == 0 ? k : side == 1 ? of.n - k : 0, side == 0 ? 0 : side == 1 ? k : of.n - k};
    }

    /// Sides that lie together share the points of the coarsest of them; each has the mean of what they say, those
    /// between the same vertices once where that must be the same.
    void sides() {
        parallel_ranges(m_.indices.size(), sides_at_once, [&](size_t first, size_t last) {
            const HeightsAt evaluate = make_();
            Sides some(*this, evaluate);
            for (size_t s = first; s < last && !stopped(progress_); ++s)
                if (leads(uint32_t(s))) some.ask(uint32_t(s));
            some.put();
        });
    }
    /// The first of the sides that lie together, where these have points between their ends.
    bool leads(uint32_t s) const {
        int least = level(s / 3);
        for (uint32_t o = w_.next_side[s]; o != s; o = w_.next_side[o]) {
            if (o < s) return false;
            least = std::min(least, level(o / 3));
        }
        return least > 0;
    }
    /// Points on sides are asked for in batches over many of them: most sides have few.
    class Sides {
    public:
        Sides(Freezing& of, const HeightsAt& evaluate) : of_(of), batches_(evaluate) {}
        void ask(uint32_t leader) {
            if (mean_.size() > at_once) put();
            const Welds& w = of_.w_;
            int least = of_.level(leader / 3);
            std::vector<uint32_t>& speaking = speaking_;
            speaking.assign(1, leader);
            for (uint32_t o = w.next_side[leader]; o != leader; o = w.next_side[o]) {
                least = std::min(least, of_.level(o / 3));
                bool known = false;
                if constexpr (components == 1)
                    for (const uint32_t d : speaking)
                        known |= (of_.end(d, 0) == of_.end(o, 0) && of_.end(d, 1) == of_.end(o, 1)) ||
                                 (of_.end(d, 0) == of_.end(o, 1) && of_.end(d, 1) == of_.end(o, 0));
                if (!known) speaking.push_back(o);
            }
            const Asked side{leader, 1 << least, mean_.size()};
            asked_.push_back(side);
            mean_.resize(mean_.size() + size_t(side.n));
            for (const uint32_t s : speaking)
                for (int k = 1; k < side.n; ++k) {
                    const auto [i, j] = of_.along(side, s, k);
                    whose_.push_back(side.first + size_t(k));
                    batches_.add(s / 3, float(i) / float(side.n), float(j) / float(side.n), take());
                }
        }
        void put() {
            batches_.flush(take());
            for (const Asked& side : asked_) {
                uint32_t s = side.leader;
                do {
                    const int ratio = (1 << of_.level(s / 3)) / side.n;
                    for (int k = 1; k < side.n; ++k) {
                        const auto [i, j] = of_.along(side, s, k);
                        of_.out_.put(of_.out_.index(s / 3, i * ratio, j * ratio),
                                     mean_[side.first + size_t(k)].value());
                    }
                    s = of_.w_.next_side[s];
                } while (s != side.leader);
            }
            asked_.clear();
            mean_.clear();
            whose_.clear();
            taken_ = 0;
        }

    private:
        static constexpr size_t at_once = 16384;  // points
        auto take() {
            return [this](const Value& value) { mean_[whose_[taken_++]].add(value); };
        }
        Freezing& of_;
        Batches<components> batches_;
        std::vector<Asked> asked_;
        std::vector<Mean<components>> mean_;
        std::vector<size_t> whose_;  ///< of the means, that each point asked for adds to
        size_t taken_ = 0;
        std::vector<uint32_t> speaking_;
    };

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
            Batches<components> batches(evaluate);
            std::vector<size_t> whose;
            whose.reserve(relief_batch);
            size_t taken = 0;
            auto take = [&](const Value& value) {
                out_.put(whose[taken++], value);
                if (taken == whose.size()) whose.clear(), taken = 0;
            };
            for (size_t k = first; k < last && !stopped(progress_); ++k) {
                const auto [f, from, to] = work[k];
                const int n = 1 << level(f);
                for (int j = from; j < to; ++j)
                    for (int i = 1; i + j < n; ++i) {
                        whose.push_back(out_.index(f, i, j));
                        batches.add(f, float(i) / float(n), float(j) / float(n), take);
                    }
            }
            batches.flush(take);
            report(progress_, float(done += last - first) / float(work.size()));
        });
        if (stopped(progress_)) return;
        parallel_ranges(faces, 64, [&](size_t first, size_t last) {
            for (size_t f = first; f < last; ++f) out_.bound(m_, uint32_t(f));
        });
    }

    const Mesh& m_;
    const Welds& w_;
    Frozen& out_;
    const std::function<HeightsAt()>& make_;
    Progress* progress_;
};

}  // namespace

std::shared_ptr<const ReliefHeights> freeze_heights(const Mesh& mesh, const Welds& welds, ReliefLevels levels,
                                                    float least, float largest, const std::function<HeightsAt()>& make,
                                                    Progress* progress) {
    auto out = std::make_shared<FrozenHeights>(std::move(levels), least, largest);
    if (!Freezing(mesh, welds, *out, make, progress).run()) return nullptr;
    return out;
}

std::shared_ptr<const ReliefHeights> freeze_offsets(const Mesh& mesh, const Welds& welds, ReliefLevels levels,
                                                    float reach, const std::function<HeightsAt()>& make,
                                                    Progress* progress) {
    auto out = std::make_shared<FrozenOffsets>(std::move(levels), reach);
    if (!Freezing(mesh, welds, *out, make, progress).run()) return nullptr;
    return out;
}

}  // namespace vemtra::geometry
