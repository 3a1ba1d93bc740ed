#include "geometry/border.h"

#include <algorithm>
#include <array>

#include "base/parallel.h"
#include "geometry/field_grid.h"

namespace vemtra::geometry {
namespace {

constexpr int halvings = 5;
constexpr int block_size = 32;      // points
constexpr int most_rounds = 10000;  // over meshes of faces far smaller than the width
constexpr uint32_t none = UINT32_MAX;

struct Piece {
    V3f p, q;
};
float distance(const V3f& x, const Piece& s) {
    const V3f d = s.q - s.p;
    const float length2 = d.length2();
    const float t = length2 > 0.f ? clamp01((x - s.p).dot(d) / length2) : 0.f;
    return (x - (s.p + d * t)).length();
}

/// A point of a face's grid.
struct Point {
    int i, j;
};
/// Side c of a face, from its corner c to the next, has n + 1 points.
Point on_side(int side, int n, int k) {
    switch (side) {
        case 0: return {k, 0};
        case 1: return {n - k, k};
        default: return {0, n - k};
    }
}

class Spreading {
public:
    Spreading(const Mesh& mesh, const Welds& welds, const ReliefLevels& levels, float width, BorderSides sides,
              const std::function<HeightsAt()>& make, Progress* progress)
        : m_(mesh), w_(welds), width_(width), both_(sides == BorderSides::both), make_(make), progress_(progress) {
        grid_.width = width;
        grid_.level = levels.level;
        size_t points = 0;
        for (const uint8_t level : levels.level) {
            grid_.first.push_back(points);
            points += grid_size(1 << level);
        }
        inside_.assign(points, 0);
    }

    std::optional<BorderGrid> run() {
        classify();
        if (stopped(progress_)) return std::nullopt;
        grid_.codes.resize(inside_.size());
        for (size_t k = 0; k < inside_.size(); ++k) grid_.codes[k] = code(k, 1.f);
        find_pieces();
        if (stopped(progress_)) return std::nullopt;
        if (pieces_.empty()) return std::move(grid_);
        spread();
        if (stopped(progress_)) return std::nullopt;
        for (size_t k = 0; k < inside_.size(); ++k)
            if (nearest_[k] != none) grid_.codes[k] = code(k, std::min(1.f, away_[k] / width_));
        return std::move(grid_);
    }

private:
    /// `share`: how many widths away the border is, up to 1.
    uint16_t code(size_t point, float share) const {
        return uint16_t(32767.5f + 32767.f * (inside_[point] ? share : both_ ? -share : 0.f));
    }
    /// Whether pieces are told to that point.
    bool wanted(size_t point) const { return both_ || inside_[point]; }
    uint32_t faces() const { return uint32_t(grid_.level.size()); }
    int segments(uint32_t f) const { return 1 << grid_.level[f]; }
    size_t index(uint32_t f, Point p) const { return grid_.first[f] + grid_row(segments(f), p.j) + size_t(p.i); }
    V3f place(uint32_t f, float u, float v) const {
        const uint32_t* c = &m_.indices[3 * size_t(f)];
        return m_.positions[c[0]] * (1.f - u - v) + m_.positions[c[1]] * u + m_.positions[c[2]] * v;
    }
    V3f place(uint32_t f, Point p) const {
        const float one = 1.f / float(segments(f));
        return place(f, float(p.i) * one, float(p.j) * one);
    }

    /// Which points are inside. Of faces that have none but their corners, each vertex is asked once.
    void classify() {
        classify_vertices();
        struct Rows {
            uint32_t face;
            int first, last;
        };
        std::vector<Rows> work;
        for (uint32_t f = 0; f < faces(); ++f) {
            const int n = segments(f);
            if (n == 1) continue;
            const int rows = std::max(1, 65536 / (n + 1));
            for (int j = 0; j <= n; j += rows) work.push_back({f, j, std::min(n + 1, j + rows)});
        }
        parallel_ranges(work.size(), 16, [&](size_t from, size_t to) {
            if (stopped(progress_)) return;
            const HeightsAt evaluate = make_();
            std::array<uint32_t, relief_batch> face;
            std::array<float, relief_batch> u;
            std::array<float, relief_batch> v;
            std::array<float, relief_batch> mask;
            std::array<size_t, relief_batch> whose;
            int count = 0;
            auto flush = [&] {
                if (count > 0) evaluate(count, face.data(), u.data(), v.data(), mask.data());
                for (size_t k = 0; k < size_t(count); ++k) inside_[whose[k]] = mask[k] >= .5f;
                count = 0;
            };
            for (size_t k = from; k < to && !stopped(progress_); ++k) {
                const auto [f, first, last] = work[k];
                const int n = segments(f);
                for (int j = first; j < last; ++j)
                    for (int i = 0; i + j <= n; ++i) {
                        const size_t at = size_t(count++);
                        face[at] = f;
                        u[at] = float(i) / float(n);
                        v[at] = float(j) / float(n);
                        whose[at] = index(f, {i, j});
                        if (count == relief_batch) flush();
                    }
            }
            flush();
        });
    }

    void classify_vertices() {
        std::vector<uint32_t> corner_of(m_.positions.size(), none);
        std::vector<uint32_t> asked;
        for (uint32_t k = 0; k < m_.indices.size(); ++k)
            if (segments(k / 3) == 1 && corner_of[m_.indices[k]] == none) {
                corner_of[m_.indices[k]] = k;
                asked.push_back(m_.indices[k]);
            }
        std::vector<char> inside(m_.positions.size(), 0);
        parallel_ranges(asked.size(), 4 * relief_batch, [&](size_t from, size_t to) {
            const HeightsAt evaluate = make_();
            std::array<uint32_t, relief_batch> face;
            std::array<float, relief_batch> u;
            std::array<float, relief_batch> v;
            std::array<float, relief_batch> mask;
            for (size_t first = from; first < to && !stopped(progress_); first += relief_batch) {
                const size_t count = std::min<size_t>(relief_batch, to - first);
                for (size_t k = 0; k < count; ++k) {
                    const uint32_t corner = corner_of[asked[first + k]];
                    face[k] = corner / 3;
                    u[k] = corner % 3 == 1 ? 1.f : 0.f;
                    v[k] = corner % 3 == 2 ? 1.f : 0.f;
                }
                evaluate(int(count), face.data(), u.data(), v.data(), mask.data());
                for (size_t k = 0; k < count; ++k) inside[asked[first + k]] = mask[k] >= .5f;
            }
        });
        for (uint32_t f = 0; f < faces(); ++f)
            if (segments(f) == 1)  // its points are its corners in their order
                for (size_t c = 0; c < 3; ++c) inside_[grid_.first[f] + c] = inside[m_.indices[3 * size_t(f) + c]];
    }

    /// A square of a face's grid, cut where the grid ends: what is swept at once.
    struct Block {
        uint32_t face;
        int i, j;
    };
    struct Span {
        Point low, high;  ///< high: beyond the last
        bool holds(Point p) const { return p.i >= low.i && p.j >= low.j && p.i < high.i && p.j < high.j; }
    };
    static int blocks_across(int n) { return n / block_size + 1; }
    Span span_of(const Block& b) const {
        const int end = segments(b.face) + 1;
        const Point low{b.i * block_size, b.j * block_size};
        return {low, {std::min(end, low.i + block_size), std::min(end, low.j + block_size)}};
    }
    uint32_t block_of(uint32_t f, Point p) const {
        return first_block_[f] + uint32_t(p.j / block_size * blocks_across(segments(f)) + p.i / block_size);
    }
    void make_blocks() {
        for (uint32_t f = 0; f < faces(); ++f) {
            first_block_.push_back(uint32_t(blocks_.size()));
            const int across = blocks_across(segments(f));
            for (int j = 0; j < across; ++j)
                for (int i = 0; i < across; ++i) blocks_.push_back({f, i, j});
        }
    }

    /// A piece for a point that stands there.
    struct Offer {
        size_t point;
        V3f at;
        uint32_t piece, block;
    };

    /// Where the border crosses the sides of one face's small triangles.
    class Crossings {
    public:
        Crossings(const Spreading& all, uint32_t face, const HeightsAt& evaluate)
            : all_(all), face_(face), n_(all.segments(face)), evaluate_(evaluate) {}
        void pieces(std::vector<Piece>& out, std::vector<Offer>& seeds) {
            for (int j = 0; j < n_; ++j)
                for (int i = 0; i + j < n_; ++i) {
                    triangle({i, j}, {i + 1, j}, {i, j + 1});
                    if (i + j + 1 < n_) triangle({i + 1, j}, {i + 1, j + 1}, {i, j + 1});
                }
            close_in();
            for (const Mixed& t : mixed_) {
                const uint32_t piece = uint32_t(out.size());
                out.push_back({at(t.side[0]), at(t.side[1])});
                offer(piece, t.corner[0], seeds);
            }
            for (int side = 0; side < 3; ++side) along(side, out, seeds);
        }

    private:
        /// To all points around one: the nearest piece may be that of a triangle a step aside.
        void offer(uint32_t piece, Point about, std::vector<Offer>& seeds) const {
            for (int j = std::max(0, about.j - 1); j <= std::min(n_, about.j + 2); ++j)
                for (int i = std::max(0, about.i - 2); i <= std::min(n_ - j, about.i + 2); ++i)
                    if (all_.wanted(all_.index(face_, {i, j})))
                        seeds.push_back({all_.index(face_, {i, j}), all_.place(face_, Point{i, j}), piece,
                                         all_.block_of(face_, {i, j})});
        }
        /// Where the faces beyond a side say otherwise, the border runs along it: as at hard edges.
        void along(int side, std::vector<Piece>& out, std::vector<Offer>& seeds) const {
            const uint32_t own = 3 * face_ + uint32_t(side);
            for (uint32_t o = all_.w_.next_side[own]; o != own; o = all_.w_.next_side[o]) {
                const int steps = std::min(n_, all_.segments(o / 3));
                bool before = all_.differs(own, o, steps, 0);
                for (int t = 0; t < steps; ++t) {
                    const bool after = all_.differs(own, o, steps, t + 1);
                    if (before || after) {
                        const Point points[] = {on_side(side, n_, t * (n_ / steps)),
                                                on_side(side, n_, (t + 1) * (n_ / steps))};
                        V3f ends[] = {all_.place(face_, points[0]), all_.place(face_, points[1])};
                        if (!before) ends[0] = (ends[0] + ends[1]) * .5f;
                        if (!after) ends[1] = (ends[0] + ends[1]) * .5f;
                        const uint32_t piece = uint32_t(out.size());
                        out.push_back({ends[0], ends[1]});
                        for (int k = t * (n_ / steps); k <= (t + 1) * (n_ / steps); ++k)
                            offer(piece, on_side(side, n_, k), seeds);
                    }
                    before = after;
                }
            }
        }
        struct Side {
            V2f in, out;  ///< (u, v) of its two ends, closing in on the border
            float mask_in = 1.f, mask_out = 0.f;
        };
        struct Mixed {
            Point corner[3];
            size_t side[2];
        };
        bool inside(Point p) const { return all_.inside_[all_.index(face_, p)]; }
        V2f uv(Point p) const { return {float(p.i) / float(n_), float(p.j) / float(n_)}; }
        V3f at(size_t side) const {
            const Side& s = sides_[side];
            const float fall = s.mask_in - s.mask_out;
            const float share = fall > 0.f ? clamp01((s.mask_in - .5f) / fall) : .5f;
            const V2f there = s.in + (s.out - s.in) * share;
            return all_.place(face_, there.x, there.y);
        }
        void triangle(Point a, Point b, Point c) {
            const Point corner[] = {a, b, c};
            const bool in[] = {inside(a), inside(b), inside(c)};
            if (in[0] == in[1] && in[1] == in[2]) return;
            Mixed t{{a, b, c}, {}};
            int found = 0;
            for (int k = 0; k < 3 && found < 2; ++k) {
                const int next = (k + 1) % 3;
                if (in[k] == in[next]) continue;
                t.side[found++] = sides_.size();
                sides_.push_back({uv(corner[in[k] ? k : next]), uv(corner[in[k] ? next : k])});
            }
            mixed_.push_back(t);
        }
        void close_in() {
            for (size_t first = 0; first < sides_.size(); first += relief_batch) {
                const size_t count = std::min<size_t>(relief_batch, sides_.size() - first);
                std::array<uint32_t, relief_batch> face;
                std::fill_n(face.begin(), count, face_);
                std::array<float, relief_batch> u;
                std::array<float, relief_batch> v;
                std::array<float, relief_batch> mask;
                for (int h = 0; h < halvings; ++h) {
                    for (size_t k = 0; k < count; ++k) {
                        const V2f middle = (sides_[first + k].in + sides_[first + k].out) * .5f;
                        u[k] = middle.x;
                        v[k] = middle.y;
                    }
                    evaluate_(int(count), face.data(), u.data(), v.data(), mask.data());
                    for (size_t k = 0; k < count; ++k) {
                        Side& s = sides_[first + k];
                        const bool in = mask[k] >= .5f;
                        (in ? s.in : s.out) = V2f(u[k], v[k]);
                        (in ? s.mask_in : s.mask_out) = mask[k];
                    }
                }
            }
        }
        const Spreading& all_;
        uint32_t face_;
        int n_;
        const HeightsAt& evaluate_;
        std::vector<Side> sides_;
        std::vector<Mixed> mixed_;
    };

    /// Whether two faces say otherwise at a point of the side that they share: `t` of `steps` along it, from the
    /// first's corner.
    bool differs(uint32_t side, uint32_t other, int steps, int t) const {
        const uint32_t f = side / 3;
        const uint32_t g = other / 3;
        const bool turned = w_.place_of[m_.indices[other]] != w_.place_of[m_.indices[side]];
        const Point here = on_side(int(side % 3), segments(f), t * (segments(f) / steps));
        const Point there = on_side(int(other % 3), segments(g), (turned ? steps - t : t) * (segments(g) / steps));
        return inside_[index(f, here)] != inside_[index(g, there)];
    }
    /// Whether the border runs over a face or along one of its sides.
    bool is_crossed(uint32_t f) const {
        const auto begin = inside_.begin() + long(grid_.first[f]);
        const auto end = begin + long(grid_size(segments(f)));
        if (std::find(begin + 1, end, char(!*begin)) != end) return true;
        for (uint32_t side = 3 * f; side < 3 * f + 3; ++side)
            for (uint32_t o = w_.next_side[side]; o != side; o = w_.next_side[o]) {
                const int steps = std::min(segments(f), segments(o / 3));
                for (int t = 0; t <= steps; ++t)
                    if (differs(side, o, steps, t)) return true;
            }
        return false;
    }

    /// The border's pieces, and the points beside them.
    void find_pieces() {
        struct OfFace {
            std::vector<Piece> pieces;
            std::vector<Offer> seeds;
        };
        std::vector<char> crossed(faces(), 0);
        parallel_ranges(faces(), 4096, [&](size_t from, size_t to) {
            for (size_t f = from; f < to; ++f) crossed[f] = is_crossed(uint32_t(f));
        });
        std::vector<uint32_t> mixed;
        for (uint32_t f = 0; f < faces(); ++f)
            if (crossed[f]) mixed.push_back(f);
        make_blocks();
        std::vector<OfFace> found(mixed.size());
        parallel_ranges(mixed.size(), 16, [&](size_t from, size_t to) {
            if (stopped(progress_)) return;
            const HeightsAt evaluate = make_();
            for (size_t k = from; k < to && !stopped(progress_); ++k)
                Crossings(*this, mixed[k], evaluate).pieces(found[k].pieces, found[k].seeds);
        });
        if (std::all_of(found.begin(), found.end(), [](const OfFace& f) { return f.pieces.empty(); })) return;
        nearest_.assign(inside_.size(), none);
        away_.assign(inside_.size(), width_);
        for (size_t k = 0; k < mixed.size(); ++k) {
            const uint32_t before = uint32_t(pieces_.size());
            pieces_.insert(pieces_.end(), found[k].pieces.begin(), found[k].pieces.end());
            for (const Offer& o : found[k].seeds)
                if (take(o.point, o.at, before + o.piece)) active_.push_back(o.block);
        }
        std::sort(active_.begin(), active_.end());
        active_.erase(std::unique(active_.begin(), active_.end()), active_.end());
    }

    /// Whether that piece is nearer than what the point knows.
    bool take(size_t point, const V3f& at, uint32_t piece) {
        const float d = distance(at, pieces_[piece]);
        if (!(d < away_[point])) return false;
        away_[point] = d;
        nearest_[point] = piece;
        return true;
    }

    /// Within a block, there and back until nothing changes.
    void sweep(const Block& b) {
        const int n = segments(b.face);
        const Span span = span_of(b);
        auto offer = [&](Point to, Point from) {
            if (!span.holds(from) || from.i + from.j > n) return false;
            const size_t a = index(b.face, from);
            const size_t at = index(b.face, to);
            if (nearest_[a] == none || nearest_[a] == nearest_[at] || !wanted(at)) return false;
            return take(at, place(b.face, to), nearest_[a]);
        };
        for (bool changed = true; changed;) {
            changed = false;
            for (int j = span.low.j; j < span.high.j; ++j) {
                const int end = std::min(span.high.i, n - j + 1);
                for (int i = span.low.i; i < end; ++i) {
                    changed |= offer({i, j}, {i - 1, j});
                    changed |= offer({i, j}, {i, j - 1});
                    changed |= offer({i, j}, {i + 1, j - 1});
                }
                for (int i = end - 1; i >= span.low.i; --i) changed |= offer({i, j}, {i + 1, j});
            }
            for (int j = span.high.j - 1; j >= span.low.j; --j) {
                const int end = std::min(span.high.i, n - j + 1);
                for (int i = end - 1; i >= span.low.i; --i) {
                    changed |= offer({i, j}, {i + 1, j});
                    changed |= offer({i, j}, {i, j + 1});
                    changed |= offer({i, j}, {i - 1, j + 1});
                }
                for (int i = span.low.i; i < end; ++i) changed |= offer({i, j}, {i - 1, j});
            }
        }
    }

    void consider(size_t point, const V3f& at, size_t there, uint32_t block, std::vector<Offer>& offers) const {
        const uint32_t piece = nearest_[there];
        if (piece == none || piece == nearest_[point]) return;
        if (distance(at, pieces_[piece]) < away_[point]) offers.push_back({point, at, piece, block});
    }
    /// What the blocks around one in its face know.
    void ask_around(uint32_t block, std::vector<Offer>& offers) const {
        const Block& b = blocks_[block];
        const int n = segments(b.face);
        const Span span = span_of(b);
        auto ask = [&](int i, int j) {
            const size_t point = index(b.face, {i, j});
            if (!wanted(point)) return;
            constexpr Point beside[] = {{-1, 0}, {1, 0}, {0, -1}, {0, 1}, {1, -1}, {-1, 1}};
            for (const Point& d : beside) {
                const Point from{i + d.i, j + d.j};
                if (span.holds(from) || from.i < 0 || from.j < 0 || from.i + from.j > n) continue;
                consider(point, place(b.face, Point{i, j}), index(b.face, from), block, offers);
            }
        };
        for (int j = span.low.j; j < span.high.j; ++j) {
            const int end = std::min(span.high.i, n - j + 1);
            const bool rim = j == span.low.j || j == span.high.j - 1;
            if (rim)
                for (int i = span.low.i; i < end; ++i) ask(i, j);
            else if (span.low.i < end) {
                ask(span.low.i, j);
                if (end - 1 > span.low.i) ask(end - 1, j);
            }
        }
    }
    /// What the faces beyond its face's sides know.
    void ask_beyond(uint32_t block, std::vector<Offer>& offers) const {
        const Block& b = blocks_[block];
        const int n = segments(b.face);
        const Span span = span_of(b);
        // Of each side the points in the block: from its first to its last.
        const std::pair<int, int> ranges[] = {
            {span.low.j == 0 ? span.low.i : 1, span.low.j == 0 ? span.high.i - 1 : 0},
            {std::max(span.low.j, n - span.high.i + 1), std::min(span.high.j - 1, n - span.low.i)},
            {span.low.i == 0 ? n - span.high.j + 1 : 1, span.low.i == 0 ? n - span.low.j : 0}};
        for (int c = 0; c < 3; ++c) {
            const auto [first, last] = ranges[c];
            if (first > last) continue;
            const uint32_t side = 3 * b.face + uint32_t(c);
            for (uint32_t o = w_.next_side[side]; o != side; o = w_.next_side[o]) {
                const uint32_t g = o / 3;
                const int other = segments(g);
                const bool turned = w_.place_of[m_.indices[o]] != w_.place_of[m_.indices[side]];
                for (int k = first; k <= last; ++k) {
                    const Point here = on_side(c, n, k);
                    const size_t point = index(b.face, here);
                    if (!wanted(point)) continue;
                    const int along = int((int64_t(k) * other + n / 2) / n);
                    const size_t there = index(g, on_side(int(o % 3), other, turned ? other - along : along));
                    consider(point, place(b.face, here), there, block, offers);
                }
            }
        }
    }

    /// Those that may learn from a block that has changed.
    void add_neighbours(uint32_t block, std::vector<uint32_t>& out) const {
        const Block& b = blocks_[block];
        const int across = blocks_across(segments(b.face));
        for (int j = std::max(0, b.j - 1); j <= std::min(across - 1, b.j + 1); ++j)
            for (int i = std::max(0, b.i - 1); i <= std::min(across - 1, b.i + 1); ++i)
                if (i != b.i || j != b.j) out.push_back(first_block_[b.face] + uint32_t(j * across + i));
        const bool at_side[] = {b.j == 0, b.i + b.j >= across - 2, b.i == 0};
        for (uint32_t c = 0; c < 3; ++c) {
            const uint32_t side = 3 * b.face + c;
            if (!at_side[c]) continue;
            for (uint32_t o = w_.next_side[side]; o != side; o = w_.next_side[o]) {
                const int other = blocks_across(segments(o / 3));
                for (int j = 0; j < other; ++j)
                    for (int i = 0; i < other; ++i) {
                        const bool there[] = {j == 0, i + j >= other - 2, i == 0};
                        if (there[o % 3]) out.push_back(first_block_[o / 3] + uint32_t(j * other + i));
                    }
            }
        }
    }

    /// In rounds, each reading what the one before has left: nothing hangs on who comes first.
    void spread() {
        for (int round = 0; round < most_rounds && !active_.empty() && !stopped(progress_); ++round) {
            parallel_ranges(active_.size(), 4, [&](size_t from, size_t to) {
                for (size_t k = from; k < to; ++k) sweep(blocks_[active_[k]]);
            });
            std::vector<uint32_t> beside;
            for (const uint32_t b : active_) add_neighbours(b, beside);
            std::sort(beside.begin(), beside.end());
            beside.erase(std::unique(beside.begin(), beside.end()), beside.end());
            std::vector<std::vector<Offer>> offers(beside.size());
            parallel_ranges(beside.size(), 16, [&](size_t from, size_t to) {
                for (size_t k = from; k < to; ++k) {
                    ask_around(beside[k], offers[k]);
                    ask_beyond(beside[k], offers[k]);
                }
            });
            active_.clear();
            for (size_t k = 0; k < beside.size(); ++k) {
                bool any = false;
                for (const Offer& o : offers[k]) any |= take(o.point, o.at, o.piece);
                if (any) active_.push_back(beside[k]);
            }
        }
    }

    const Mesh& m_;
    const Welds& w_;
    float width_;
    bool both_;
    const std::function<HeightsAt()>& make_;
    Progress* progress_;
    BorderGrid grid_;
    std::vector<char> inside_;
    std::vector<Piece> pieces_;
    std::vector<uint32_t> nearest_;  ///< per point: a piece
    std::vector<float> away_;        ///< how far that is; the width where there is none
    std::vector<Block> blocks_;
    std::vector<uint32_t> first_block_;  ///< per face
    std::vector<uint32_t> active_;       ///< blocks that have learnt something
};

}  // namespace

float BorderGrid::at(uint32_t face, float u, float v) const {
    const int n = 1 << level[face];
    const int i = std::clamp(int(u * float(n) + .5f), 0, n);
    const int j = std::clamp(int(v * float(n) + .5f), 0, n - i);
    return share(first[face] + grid_row(n, j) + size_t(i));
}

float BorderGrid::between(uint32_t face, float u, float v) const {
    const int n = 1 << level[face];
    const float x = clamp01(u) * float(n);
    const float y = clamp01(v) * float(n);
    const int j = std::min(int(y), n - 1);
    const int i = std::min(int(x), n - 1 - j);
    const float a = clamp01(x - float(i));
    const float b = clamp01(y - float(j));
    auto at = [&](int p, int q) { return share(first[face] + grid_row(n, q) + size_t(p)); };
    if (a + b <= 1.f || i + j + 2 > n) {
        const float rest = std::max(0.f, 1.f - a - b);
        return (rest * at(i, j) + a * at(i + 1, j) + b * at(i, j + 1)) / (rest + a + b);
    }
    return (a + b - 1.f) * at(i + 1, j + 1) + (1.f - b) * at(i + 1, j) + (1.f - a) * at(i, j + 1);
}

std::optional<BorderGrid> border_grid(const Mesh& mesh, const Welds& welds, const ReliefLevels& levels, float width,
                                      BorderSides sides, const std::function<HeightsAt()>& mask, Progress* progress) {
    return Spreading(mesh, welds, levels, width, sides, mask, progress).run();
}

}  // namespace vemtra::geometry
