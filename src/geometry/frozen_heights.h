// What frozen heights and offsets are kept in: 16 bits for each number, and the bounds of all pieces. For the files
// beside it alone; relief.h is what others see.
#pragma once
#include <array>
#include <cmath>

#include "base/hash.h"
#include "geometry/field_grid.h"
#include "geometry/relief.h"

namespace vemtra::geometry::frozen {

/// One face's grid points, row by row, in the order of field_grid.h.
inline size_t point_of(int n, int i, int j) {
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

class Heights final : public ReliefHeights {
public:
    static constexpr int components = 1;
    Heights(ReliefLevels l, float least, float largest)
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

    /// A number for each component of each point, by which all else can be found again.
    std::vector<uint16_t>& numbers() { return heights_; }
    const std::vector<uint16_t>& numbers() const { return heights_; }
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
class Offsets final : public ReliefHeights {
public:
    static constexpr int components = 3;
    Offsets(ReliefLevels l, float reach)
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

    std::vector<uint16_t>& numbers() { return offsets_; }
    const std::vector<uint16_t>& numbers() const { return offsets_; }
    size_t index(uint32_t face, int i, int j) const {
        return layout_.first_point[face] + point_of(1 << levels.level[face], i, j);
    }
    void put(size_t index, const std::array<float, 3>& offset) {
        for (size_t c = 0; c < 3; ++c) offsets_[index + c * layout_.points] = codes_.of(offset[c]);
    }
    /// The bounds of all pieces of a face, from its offsets.
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

}  // namespace vemtra::geometry::frozen
