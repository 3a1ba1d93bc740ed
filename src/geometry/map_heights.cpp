#include "geometry/map_heights.h"

#include <cmath>
#include <unordered_map>

#include "base/hash.h"
#include "base/parallel.h"

namespace vemtra::geometry {

float HeightCurve::metres(float value) const {
    if (!std::isfinite(value)) return 0.f;
    float x = std::min(high, std::max(low, value));
    const float span = high - low;
    if (gamma != 1.f && span > 0.f) x = low + span * std::pow((x - low) / span, gamma);
    return scale * (x - neutral);
}

namespace {

using texture::HeightTile;

/// Where texels are read around a place: as the walk does it, operation by operation, so that both get the same bits.
struct Texels {
    int x0, y0, x1, y1;
    float a, b;
};
Texels texels_at(const HeightTile& t, V2f uv, bool repeat) {
    if (!(std::fabs(uv.x) < 1e6f)) uv.x = 0.f;
    if (!(std::fabs(uv.y) < 1e6f)) uv.y = 0.f;
    if (repeat)
        uv -= V2f(std::floor(uv.x), std::floor(uv.y));
    else
        uv = {clamp01(uv.x), clamp01(uv.y)};
    const int w = t.width();
    const int h = t.height();
    const float x = uv.x * float(w) - .5f;
    const float y = (1.f - uv.y) * float(h) - .5f;
    Texels r;
    r.x0 = int(x + 1.f) - 1;
    r.y0 = int(y + 1.f) - 1;
    r.a = x - float(r.x0);
    r.b = y - float(r.y0);
    r.x1 = r.x0 + 1;
    r.y1 = r.y0 + 1;
    if (repeat) {
        if (r.x0 < 0) r.x0 = w - 1;
        if (r.y0 < 0) r.y0 = h - 1;
        if (r.x1 > w - 1) r.x1 = 0;
        if (r.y1 > h - 1) r.y1 = 0;
    }
    r.x0 = std::clamp(r.x0, 0, w - 1);
    r.y0 = std::clamp(r.y0, 0, h - 1);
    r.x1 = std::clamp(r.x1, 0, w - 1);
    r.y1 = std::clamp(r.y1, 0, h - 1);
    return r;
}

/// The codes that texels_at() may find anywhere in a box.
void codes_in(const HeightTile& t, const Imath::Box2f& box, bool repeat, uint16_t& lo, uint16_t& hi) {
    int from[2];
    int to[2];
    const int size[2] = {t.width(), t.height()};
    for (int a = 0; a < 2; ++a) {
        const float low = a == 0 ? box.min.x : 1.f - box.max.y;
        const float high = a == 0 ? box.max.x : 1.f - box.min.y;
        const float s = float(size[a]);
        const float first = std::floor(low * s - .5f);
        const float last = std::floor(high * s - .5f) + 1.f;
        if (!(last - first < s - 1.f) || !(std::fabs(first) < 1e9f)) {
            from[a] = 0, to[a] = size[a] - 1;
        } else if (!repeat) {
            from[a] = std::clamp(int(first), 0, size[a] - 1);
            to[a] = std::clamp(int(last), 0, size[a] - 1);
        } else {
            const int turns = int(std::floor(first / s));
            from[a] = int(first) - turns * size[a];
            to[a] = int(last) - turns * size[a];
            if (from[a] < 0 || from[a] >= size[a]) from[a] = 0, to[a] = size[a] - 1;  // by rounding
        }
    }
    // What runs over the end begins again.
    for (int part_y = 0; part_y < 2; ++part_y) {
        if (part_y && to[1] < size[1]) break;
        const int y0 = part_y ? 0 : from[1];
        const int y1 = part_y ? to[1] - size[1] : std::min(to[1], size[1] - 1);
        for (int part_x = 0; part_x < 2; ++part_x) {
            if (part_x && to[0] < size[0]) break;
            const int x0 = part_x ? 0 : from[0];
            const int x1 = part_x ? to[0] - size[0] : std::min(to[0], size[0] - 1);
            uint16_t l;
            uint16_t h;
            t.range(x0, y0, x1, y1, l, h);
            lo = std::min(lo, l);
            hi = std::max(hi, h);
        }
    }
}

/// Which side a grid point lies on, and how far along it; -1: inside, or at the corner that is told.
int side_of(int i, int j, int n, int& along, int& corner) {
    corner = i == 0 && j == 0 ? 0 : i == n ? 1 : j == n ? 2 : -1;
    if (corner >= 0) return -1;
    if (j == 0) return along = i, 0;
    if (i + j == n) return along = j, 1;
    if (i == 0) return along = n - j, 2;
    return -1;
}

constexpr int by_place = -1;  // which tile: the one that the place lies on

struct Spot {
    V2f uv;  ///< on the map; of a tile's own, from its corner on
    int tile = 0;
    bool operator==(const Spot&) const = default;
};
struct Segment {
    Spot from, to;
};

}  // namespace

struct MapGrid {
    MapGrid(std::shared_ptr<const Mesh> mesh, std::shared_ptr<const Welds> welds, const MapPlacing& placing)
        : mesh_(std::move(mesh)), m(*mesh_), welds_(std::move(welds)), p(placing) {
        for (const auto& t : p.tiles) {
            pyramids.emplace_back();
            if (t)
                for (const auto& l : t->pyramid()) pyramids.back().push_back({l.lo, l.hi, l.width, l.height});
        }
        find_tiles();
        levels = relief_levels(m, *welds_, [&](uint32_t f) { return texels_along(f); });
        find_seams();
        bound_pieces();
    }

    /// Of the sides, across or down the map: with so many segments, every small triangle lies within one texel's width.
    float texels_along(uint32_t face) const {
        V2f c[3];
        corners(face, c);
        int w = 0;
        int h = 0;
        if (const HeightTile* t = tile(tile_of[face]))
            w = t->width(), h = t->height();
        else  // where a tile is missing, what comes over from its neighbours ends within one of their texels
            for (const auto& any : p.tiles)
                if (any) w = std::max(w, any->width()), h = std::max(h, any->height());
        float longest = 0.f;
        for (int k = 0; k < 3; ++k) {
            const V2f d = c[(k + 1) % 3] - c[k];
            longest = std::max(longest, std::max(std::fabs(d.x) * float(w), std::fabs(d.y) * float(h)));
        }
        return std::isfinite(longest) ? longest : 0.f;
    }
    const HeightTile* tile(int k) const {
        return k >= 0 && size_t(k) < p.tiles.size() ? p.tiles[size_t(k)].get() : nullptr;
    }
    int tile_at(const V2f& uv) const {
        if (!p.tiled) return 0;
        const float u = std::floor(uv.x);
        const float v = std::floor(uv.y);
        return u >= 0.f && u < 10.f && v >= 0.f && v < 100.f ? int(u) + 10 * int(v) : 1000;
    }
    /// On the map, from the corner of the face's tile on.
    void corners(uint32_t face, V2f* c) const {
        const uint32_t* i = &m.indices[3 * size_t(face)];
        for (int k = 0; k < 3; ++k) c[k] = spot(face, i[k]).uv;
    }
    Spot spot(uint32_t face, uint32_t vertex) const {
        const V2f& uv = m.uvs[vertex];
        Spot s{{p.place[0][0] * uv.x + p.place[0][1] * uv.y + p.place[0][2],
                p.place[1][0] * uv.x + p.place[1][1] * uv.y + p.place[1][2]},
               tile_of[face]};
        if (p.tiled && s.tile >= 0) s.uv -= V2f(float(s.tile % 10), float(s.tile / 10));
        return s;
    }
    bool repeats() const { return p.repeat && !p.tiled; }
    static V2f mix(const V2f& a, const V2f& b, const V2f& c, float w0, float w1, float w2) {
        return {(w0 * a.x + w1 * b.x) + w2 * c.x, (w0 * a.y + w1 * b.y) + w2 * c.y};
    }
    size_t bytes() const {
        size_t n = levels.bytes() + seam.capacity() + 2 * tile_of.capacity() + 8 * first_piece.capacity() +
                   2 * (lo.capacity() + hi.capacity());
        for (const auto& [side, of] : others) n += sizeof(side) + of.capacity() * sizeof(Segment);
        for (const auto& [place, of] : torn) n += sizeof(place) + of.capacity() * sizeof(Spot);
        for (const auto& t : p.tiles) n += t ? t->bytes() : 0;
        return n;
    }

    std::shared_ptr<const Mesh> mesh_;
    enum : uint8_t { side_bit = 1, corner_bit = 8 };  // shifted by the side or the corner
    static constexpr size_t no_pieces = SIZE_MAX;
    const Mesh& m;

    std::shared_ptr<const Welds> welds_;
    const MapPlacing p;
    std::vector<int16_t> tile_of;  ///< per face
    ReliefLevels levels;
    std::vector<uint8_t> seam;                                  ///< per face
    std::unordered_map<uint32_t, std::vector<Segment>> others;  ///< per side that is a seam: what lies beside it
    std::unordered_map<uint32_t, std::vector<Spot>> torn;       ///< per place where UVs disagree: what they say
    std::vector<size_t> first_piece;                            ///< per face, in lo and hi
    std::vector<uint16_t> lo, hi;
    std::vector<std::vector<ReliefMapLevel>> pyramids;  ///< per tile
    const Welds& welds() const { return *welds_; }

    void find_tiles() {
        const size_t faces = m.triangles();
        tile_of.assign(faces, 0);
        if (!p.tiled) return;
        for (size_t f = 0; f < faces; ++f) {
            tile_of[f] = by_place;
            V2f c[3];
            corners(uint32_t(f), c);
            const V2f middle = (c[0] + c[1] + c[2]) / 3.f;
            const V2f corner(std::floor(middle.x), std::floor(middle.y));
            bool within = true;
            for (const V2f& uv : c)
                within &= uv.x >= corner.x - 1e-5f && uv.x <= corner.x + 1.00001f && uv.y >= corner.y - 1e-5f &&
                          uv.y <= corner.y + 1.00001f;
            if (within) tile_of[f] = int16_t(tile_at(middle));
        }
    }

    // Seams: places and sides where UVs, or tiles, disagree have the mean of what each of them says.
    void find_seams() {
        const uint32_t faces = uint32_t(m.triangles());
        seam.assign(faces, 0);
        std::unordered_map<uint32_t, std::vector<Spot>> spots;
        std::vector<uint32_t> first(welds_->places, UINT32_MAX);
        for (uint32_t s = 0; s < 3 * faces; ++s) {
            const uint32_t place = welds_->place_of[m.indices[s]];
            if (first[place] == UINT32_MAX) first[place] = s;
            const Spot here = spot(s / 3, m.indices[s]);
            const Spot there = spot(first[place] / 3, m.indices[first[place]]);
            if (here == there) continue;
            std::vector<Spot>& of = torn[place];
            if (of.empty()) of.push_back(there);
            if (std::find(of.begin(), of.end(), here) == of.end()) of.push_back(here);
        }
        for (uint32_t s = 0; s < 3 * faces; ++s) {
            if (torn.contains(welds_->place_of[m.indices[s]])) seam[s / 3] |= uint8_t(corner_bit << (s % 3));
            const Segment own = segment(s, false);
            std::vector<Segment> of;
            for (uint32_t o = welds_->next_side[s]; o != s; o = welds_->next_side[o]) {
                const bool turned = welds_->place_of[m.indices[o]] != welds_->place_of[m.indices[s]];
                const Segment other = segment(o, turned);
                if (!(other.from == own.from) || !(other.to == own.to)) of.push_back(other);
            }
            if (of.empty()) continue;
            seam[s / 3] |= uint8_t(side_bit << (s % 3));
            others.emplace(s, std::move(of));
        }
    }
    Segment segment(uint32_t side, bool turned) const {
        const Spot a = spot(side / 3, m.indices[side]);
        const Spot b = spot(side / 3, m.indices[side % 3 == 2 ? side - 2 : side + 1]);
        return turned ? Segment{b, a} : Segment{a, b};
    }

    /// Bounds of pieces as codes, where that takes no more than four bytes per texel.
    void bound_pieces() {
        size_t texels = 0;
        const HeightTile* some = nullptr;
        for (const auto& t : p.tiles)
            if (t) {
                texels += size_t(t->width()) * size_t(t->height());
                if (some && (some->least() != t->least() || some->step() != t->step())) return;
                some = t.get();
            }
        size_t pieces = 0;
        first_piece.assign(m.triangles(), no_pieces);
        for (size_t f = 0; f < m.triangles(); ++f)
            if (levels.level[f] >= 3 && tile(tile_of[f]) && !odd_neighbours(uint32_t(f))) {
                first_piece[f] = pieces;
                pieces += relief_pieces(levels.level[f]);
            }
        if (pieces > texels + 65536) {
            first_piece.clear();
            return;
        }
        lo.assign(pieces, 65535);
        hi.assign(pieces, 0);
        parallel_ranges(m.triangles(), 1, [&](size_t first, size_t last) {
            for (size_t f = first; f < last; ++f)
                if (first_piece[f] != no_pieces) gather(uint32_t(f), {0, 0, 1, 1 << levels.level[f], 0}, 0);
        });
    }
    /// Whether what lies beside it is no code of a tile.
    bool odd_neighbours(uint32_t face) const {
        for (uint32_t c = 0; c < 3; ++c) {
            if (seam[face] & side_bit << c)
                for (const Segment& s : others.at(3 * face + c))
                    if (!tile(s.from.tile)) return true;
            if (seam[face] & corner_bit << c)
                for (const Spot& s : torn.at(welds_->place_of[m.indices[3 * face + c]]))
                    if (!tile(s.tile)) return true;
        }
        return false;
    }
    struct Codes {
        uint16_t lo = 65535, hi = 0;
    };
    Codes gather(uint32_t face, const ReliefPiece& piece, int depth) {
        Codes all;
        if (piece.size == relief_block) {
            over_piece(face, piece, [&](const Spot& a, const Spot& b, const Spot& c) {
                codes_in(*tile(a.tile), box_of(a.uv, b.uv, c.uv), repeats(), all.lo, all.hi);
            });
            return all;
        }
        const int level = levels.level[face];
        const size_t at = first_piece[face] + relief_pieces_before(level, depth + 1) + piece.index * relief_lanes;
        const bool whole_odd = depth == 0 && level % 2;
        for (int l = 0; l < (whole_odd ? relief_halves : relief_lanes); ++l) {
            const Codes r = gather(face, relief_child(piece, l, whole_odd), depth + 1);
            lo[at + size_t(l)] = r.lo;
            hi[at + size_t(l)] = r.hi;
            all = {std::min(all.lo, r.lo), std::max(all.hi, r.hi)};
        }
        return all;
    }

    static Imath::Box2f box_of(const V2f& a, const V2f& b, const V2f& c) {
        Imath::Box2f box(a);
        box.extendBy(b);
        box.extendBy(c);
        const float size = std::max(std::max(std::fabs(box.min.x), std::fabs(box.max.x)),
                                    std::max(std::fabs(box.min.y), std::fabs(box.max.y)));
        const V2f slack(4e-7f * size);
        return {box.min - slack, box.max + slack};
    }
    /// Calls `f` with three spots each: the piece's corners, then what lies beside seams that it touches.
    template <class F> void over_piece(uint32_t face, const ReliefPiece& piece, F&& f) const {
        const int n = 1 << levels.level[face];
        const float per = 1.f / float(n);
        V2f c[3];
        corners(face, c);
        const int ci[3] = {piece.i, piece.i + piece.sign * piece.size, piece.i};
        const int cj[3] = {piece.j, piece.j, piece.j + piece.sign * piece.size};
        Spot s[3];
        for (int k = 0; k < 3; ++k)
            s[k] = {mix(c[0], c[1], c[2], float(n - ci[k] - cj[k]) * per, float(ci[k]) * per, float(cj[k]) * per),
                    tile_of[face]};
        f(s[0], s[1], s[2]);
        if (!seam[face]) return;
        for (int k = 0; k < 3; ++k) {
            int along;
            int corner;
            side_of(ci[k], cj[k], n, along, corner);
            if (corner >= 0 && seam[face] & corner_bit << corner)
                for (const Spot& t : torn.at(welds_->place_of[m.indices[3 * face + uint32_t(corner)]])) f(t, t, t);
        }
        for (int side = 0; side < 3; ++side) {
            if (!(seam[face] & side_bit << side)) continue;
            int first = n + 1;
            int last = -1;
            for (int k = 0; k < 3; ++k) {
                const bool on = side == 0 ? cj[k] == 0 : side == 1 ? ci[k] + cj[k] == n : ci[k] == 0;
                if (!on) continue;
                const int along = side == 0 ? ci[k] : side == 1 ? cj[k] : n - cj[k];
                first = std::min(first, along);
                last = std::max(last, along);
            }
            if (last < 0) continue;
            for (const Segment& g : others.at(3 * face + uint32_t(side))) {
                const V2f step = (g.to.uv - g.from.uv) * per;
                const Spot a{g.from.uv + step * float(first), g.from.tile};
                const Spot b{g.from.uv + step * float(last), g.from.tile};
                f(a, b, b);
            }
        }
    }
};

std::shared_ptr<const MapGrid> map_grid(std::shared_ptr<const Mesh> mesh, std::shared_ptr<const Welds> welds,
                                        const MapPlacing& placing) {
    return std::make_shared<MapGrid>(std::move(mesh), std::move(welds), placing);
}
size_t bytes_of(const MapGrid& grid) {
    return grid.bytes();
}

namespace {

class MapHeights final : public ReliefHeights {
public:
    MapHeights(std::shared_ptr<const MapGrid> grid, const HeightCurve& curve)
        : ReliefHeights(grid->levels), grid_(std::move(grid)), g_(*grid_), curve_(curve) {
        for (const auto& t : g_.p.tiles) {
            Worth& w = worth_.emplace_back();
            if (!t) continue;
            w.least = curve.scale * (t->least() - curve.neutral);
            w.step = curve.scale * t->step();
            if (curve.straight(t->value(t->lowest()), t->value(t->highest()))) continue;
            w.table.resize(65536);
            parallel_ranges(65536, 8192, [&](size_t first, size_t last) {
                for (size_t q = first; q < last; ++q) w.table[q] = curve.metres(t->value(uint16_t(q)));
            });
        }
        for (const auto& [place, spots] : g_.torn) {
            float sum = 0.f;
            for (const Spot& s : spots) sum += sample(s);
            fixed_.emplace(place, sum / float(spots.size()));
        }
    }

    void at(uint32_t face, const int* i, const int* j, int count, float* out) const override {
        const int n = 1 << levels.level[face];
        const float per = 1.f / float(n);
        V2f c[3];
        g_.corners(face, c);
        for (int k = 0; k < count; ++k) {
            const float w0 = float(n - i[k] - j[k]) * per;
            const V2f uv = MapGrid::mix(c[0], c[1], c[2], w0, float(i[k]) * per, float(j[k]) * per);
            out[k] = sample({uv, g_.tile_of[face]});
            if (g_.seam[face]) mend(face, i[k], j[k], n, out[k]);
        }
    }
    void bounds(uint32_t face, const ReliefPiece& piece, float* lo, float* hi) const override {
        const bool whole_odd = piece.size == 1 << levels.level[face] && levels.level[face] % 2;
        for (int l = 0; l < (whole_odd ? relief_halves : relief_lanes); ++l)
            over(face, relief_child(piece, l, whole_odd), lo[l], hi[l]);
    }
    void range(uint32_t face, float& lo, float& hi) const override {
        over(face, {0, 0, 1, 1 << levels.level[face], 0}, lo, hi);
    }
    bool codes(uint32_t face, ReliefCodes& c, uint8_t& seams) const override {
        const int k = g_.tile_of[face];
        const HeightTile* t = g_.tile(k);
        if (!t) return false;
        const Worth& w = worth_[size_t(k)];
        c.least = w.least;
        c.step = w.step;
        c.metres = w.table.empty() ? nullptr : w.table.data();
        if (!g_.first_piece.empty() && g_.first_piece[face] != MapGrid::no_pieces) {
            c.lo = g_.lo.data() + g_.first_piece[face];
            c.hi = g_.hi.data() + g_.first_piece[face];
        }
        c.texels = t->codes();
        c.width = t->width();
        c.height = t->height();
        c.repeat = g_.repeats();
        c.pyramid = g_.pyramids[size_t(k)].data();
        c.pyramid_levels = int(g_.pyramids[size_t(k)].size());
        V2f uv[3];
        g_.corners(face, uv);
        for (int n = 0; n < 3; ++n) c.u[n] = uv[n].x, c.v[n] = uv[n].y;
        seams = g_.seam[face];
        return true;
    }
    float slope_step(uint32_t face) const override {
        const float texels = g_.texels_along(face);
        return texels > 0.f ? std::max(1.f, float(1 << levels.level[face]) / texels) : 1.f;
    }
    size_t bytes() const override {
        size_t n = g_.bytes();
        for (const Worth& w : worth_) n += sizeof(Worth) + w.table.capacity() * sizeof(float);
        return n;
    }
    uint64_t content_hash() const override {
        const float numbers[] = {curve_.scale,           curve_.neutral,         curve_.low, curve_.high, curve_.gamma,
                                 g_.p.tiled ? 1.f : 0.f, g_.p.repeat ? 1.f : 0.f};
        uint64_t h = hash_bytes(numbers, sizeof numbers, hash_bytes(g_.p.place, sizeof g_.p.place));
        for (const auto& t : g_.p.tiles)
            h = t ? hash_bytes(t->codes(), 2 * size_t(t->width()) * size_t(t->height()), h) : h + 1;
        return h;
    }

private:
    struct Worth {
        float least = 0.f, step = 0.f;
        std::vector<float> table;
        float operator()(uint16_t code) const { return table.empty() ? float(code) * step + least : table[code]; }
    };

    float sample(const Spot& spot) const {
        V2f uv = spot.uv;
        int k = spot.tile;
        if (k == by_place) {
            k = g_.tile_at(uv);
            if (k < 1000) uv -= V2f(float(k % 10), float(k / 10));
        }
        const HeightTile* t = g_.tile(k);
        if (!t) return 0.f;
        const Worth& w = worth_[size_t(k)];
        const Texels x = texels_at(*t, uv, g_.repeats());
        const float top = lerp(w(t->code(x.x0, x.y0)), w(t->code(x.x1, x.y0)), x.a);
        const float low = lerp(w(t->code(x.x0, x.y1)), w(t->code(x.x1, x.y1)), x.a);
        return lerp(top, low, x.b);
    }

    void over(uint32_t face, const ReliefPiece& piece, float& lo, float& hi) const {
        lo = INFINITY;
        hi = -INFINITY;
        auto add = [&](float h) { lo = std::min(lo, h), hi = std::max(hi, h); };
        auto add_tile = [&](int k, const Imath::Box2f& box) {
            const HeightTile* t = g_.tile(k);
            if (!t) return add(0.f);
            uint16_t low = 65535;
            uint16_t high = 0;
            codes_in(*t, box, g_.repeats(), low, high);
            add(worth_[size_t(k)](low));
            add(worth_[size_t(k)](high));
        };
        g_.over_piece(face, piece, [&](const Spot& a, const Spot& b, const Spot& c) {
            const Imath::Box2f box = MapGrid::box_of(a.uv, b.uv, c.uv);
            if (a.tile != by_place) return add_tile(a.tile, box);
            if (!(box.max.x - box.min.x < 12.f) || !(box.max.y - box.min.y < 102.f)) {
                for (size_t k = 0; k < g_.p.tiles.size(); ++k) add_tile(int(k), {V2f(0.f), V2f(1.f)});
                return add(0.f);
            }
            for (float v = std::floor(box.min.y); v <= box.max.y; ++v)
                for (float u = std::floor(box.min.x); u <= box.max.x; ++u)
                    add_tile(g_.tile_at({u, v}), {box.min - V2f(u, v), box.max - V2f(u, v)});
        });
    }

    void mend(uint32_t face, int i, int j, int n, float& h) const {
        int along;
        int corner;
        const int side = side_of(i, j, n, along, corner);
        if (corner >= 0) {
            if (g_.seam[face] & MapGrid::corner_bit << corner)
                h = fixed_.at(g_.welds().place_of[g_.m.indices[3 * face + uint32_t(corner)]]);
            return;
        }
        if (side < 0 || !(g_.seam[face] & MapGrid::side_bit << side)) return;
        // Summed up in an order that every face of the ring finds the same: by size.
        float values[8] = {h};
        size_t count = 1;
        const float w1 = float(along) * (1.f / float(n));
        const float w0 = float(n - along) * (1.f / float(n));
        for (const Segment& s : g_.others.at(3 * face + uint32_t(side))) {
            if (count == 8) break;
            values[count++] =
                sample({V2f(w0 * s.from.uv.x + w1 * s.to.uv.x, w0 * s.from.uv.y + w1 * s.to.uv.y), s.from.tile});
        }
        std::sort(values, values + count);
        float sum = 0.f;
        for (size_t k = 0; k < count; ++k) sum += values[k];
        h = sum / float(count);
    }

    std::shared_ptr<const MapGrid> grid_;
    const MapGrid& g_;
    HeightCurve curve_;
    std::vector<Worth> worth_;                   ///< per tile
    std::unordered_map<uint32_t, float> fixed_;  ///< per place where UVs disagree
};

}  // namespace

std::shared_ptr<const ReliefHeights> map_heights(std::shared_ptr<const MapGrid> grid, const HeightCurve& curve) {
    return std::make_shared<MapHeights>(std::move(grid), curve);
}

}  // namespace vemtra::geometry
