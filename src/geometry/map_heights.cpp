#include "geometry/map_heights.h"

#include <cmath>
#include <unordered_map>

#include "base/hash.h"
#include "base/parallel.h"

namespace vemtra::geometry {

float MapRelief::height(float value) const {
    if (!std::isfinite(value)) return 0.f;
    float x = std::min(high, std::max(low, value));
    const float span = high - low;
    if (gamma != 1.f && span > 0.f) x = low + span * std::pow((x - low) / span, gamma);
    return scale * (x - neutral);
}

namespace {

struct Interval {
    float lo = INFINITY, hi = -INFINITY;
    void add(float h) { lo = std::min(lo, h), hi = std::max(hi, h); }
    void add(const Interval& o) { lo = std::min(lo, o.lo), hi = std::max(hi, o.hi); }
};

class MapHeights final : public ReliefHeights {
public:
    MapHeights(std::shared_ptr<const Mesh> mesh, std::shared_ptr<const Welds> welds, const MapRelief& relief)
        : ReliefHeights(relief_levels(*mesh, *welds, [&](uint32_t f) { return texels_along(*mesh, relief, f); })),
          mesh_(std::move(mesh)),
          m_(*mesh_),
          welds_(std::move(welds)),
          r_(relief) {
        for (const auto& tile : r_.tiles) {
            std::vector<float>& metres = metres_.emplace_back();
            if (!tile) continue;
            metres.resize(65536);
            parallel_ranges(65536, 8192, [&](size_t first, size_t last) {
                for (size_t q = first; q < last; ++q) metres[q] = r_.height(tile->value(uint16_t(q)));
            });
        }
        find_seams();
    }

    void at(uint32_t face, const int* i, const int* j, int count, float* out) const override {
        const int n = 1 << levels.level[face];
        const float per = 1.f / float(n);
        const V2f* c[3];
        corners(face, c);
        for (int k = 0; k < count; ++k) {
            const float w0 = float(n - i[k] - j[k]) * per;
            const float w1 = float(i[k]) * per;
            const float w2 = float(j[k]) * per;
            const V2f uv((w0 * c[0]->x + w1 * c[1]->x) + w2 * c[2]->x, (w0 * c[0]->y + w1 * c[1]->y) + w2 * c[2]->y);
            out[k] = sample(uv);
        }
        if (seam_[face])
            for (int k = 0; k < count; ++k) mend(face, i[k], j[k], n, out[k]);
    }

    void bounds(uint32_t face, const ReliefPiece& p, float* lo, float* hi) const override {
        const float per = 1.f / float(1 << levels.level[face]);
        const V2f* c[3];
        corners(face, c);
        const V2f du = (*c[1] - *c[0]) * per;
        const V2f dv = (*c[2] - *c[0]) * per;
        const int quarter = p.size / 4;
        for (int l = 0; l < relief_lanes; ++l) {
            const ReliefChild k = relief_children[l];
            const ReliefPiece child{p.i + p.sign * k.a * quarter, p.j + p.sign * k.b * quarter, p.sign * k.sign,
                                    quarter, 0};
            const V2f a = *c[0] + du * float(child.i) + dv * float(child.j);
            const float s = float(child.sign * quarter);
            Interval r = over_box(a, a + du * s, a + dv * s);
            if (seam_[face]) widen(face, child, r);
            lo[l] = r.lo;
            hi[l] = r.hi;
        }
    }
    void range(uint32_t face, float& lo, float& hi) const override {
        const V2f* c[3];
        corners(face, c);
        Interval r = over_box(*c[0], *c[1], *c[2]);
        if (seam_[face]) widen(face, {0, 0, 1, 1 << levels.level[face], 0}, r);
        lo = r.lo;
        hi = r.hi;
    }
    float slope_step(uint32_t face) const override {
        const float texels = texels_along(m_, r_, face);
        return texels > 0.f ? std::max(1.f, float(1 << levels.level[face]) / texels) : 1.f;
    }
    size_t bytes() const override {
        size_t n = levels.bytes() + seam_.capacity();
        for (const auto& [side, others] : others_) n += sizeof(side) + others.capacity() * sizeof(Segment);
        for (const auto& m : metres_) n += m.capacity() * sizeof(float);
        for (const auto& t : r_.tiles) n += t ? t->bytes() : 0;
        return n;
    }
    uint64_t content_hash() const override {
        const float numbers[] = {r_.scale, r_.neutral, r_.low, r_.high, r_.gamma, r_.tiled ? 1.f : 0.f,
                                 r_.repeat ? 1.f : 0.f};
        uint64_t h = hash_bytes(numbers, sizeof numbers, hash_bytes(r_.place, sizeof r_.place));
        for (const auto& t : r_.tiles)
            h = t ? hash_bytes(t->codes(), 2 * size_t(t->width()) * size_t(t->height()), h) : h + 1;
        return h;
    }

private:
    struct Segment {
        V2f from, to;  ///< along the side that it is noted for
    };

    static V2f placed(const MapRelief& r, const V2f& uv) {
        return {r.place[0][0] * uv.x + r.place[0][1] * uv.y + r.place[0][2],
                r.place[1][0] * uv.x + r.place[1][1] * uv.y + r.place[1][2]};
    }
    static float texels_along(const Mesh& m, const MapRelief& r, uint32_t face) {
        if (m.uvs.empty()) return 0.f;
        const uint32_t* i = &m.indices[3 * size_t(face)];
        V2f c[3];
        for (int k = 0; k < 3; ++k) c[k] = placed(r, m.uvs[i[k]]);
        int w = 0;
        int h = 0;
        for (const auto& t : r.tiles)
            if (t) w = std::max(w, t->width()), h = std::max(h, t->height());
        if (r.tiled) {  // the tile of its middle says it, where there is one
            const V2f middle = (c[0] + c[1] + c[2]) / 3.f;
            const auto* t = tile_at(r, std::floor(middle.x), std::floor(middle.y));
            if (!t) return 0.f;
            w = t->width(), h = t->height();
        }
        float longest = 0.f;
        for (int k = 0; k < 3; ++k) {
            const V2f d = c[(k + 1) % 3] - c[k];
            longest = std::max(longest, std::hypot(d.x * float(w), d.y * float(h)));
        }
        return std::isfinite(longest) ? longest : 0.f;
    }
    static const texture::HeightTile* tile_at(const MapRelief& r, float u, float v) {
        if (!r.tiled) return r.tiles.empty() ? nullptr : r.tiles[0].get();
        if (!(u >= 0.f && u < 10.f && v >= 0.f && v < 100.f)) return nullptr;
        const size_t k = size_t(u) + 10 * size_t(v);
        return k < r.tiles.size() ? r.tiles[k].get() : nullptr;
    }

    void corners(uint32_t face, const V2f** c) const {
        const uint32_t* i = &m_.indices[3 * size_t(face)];
        for (int k = 0; k < 3; ++k) c[k] = &m_.uvs[i[k]];
    }

    float sample(const V2f& at) const {
        V2f uv = placed(r_, at);
        if (!(std::fabs(uv.x) < 1e6f) || !(std::fabs(uv.y) < 1e6f)) return 0.f;
        const float fu = std::floor(uv.x);
        const float fv = std::floor(uv.y);
        const texture::HeightTile* t = tile_at(r_, fu, fv);
        if (!t) return 0.f;
        const std::vector<float>& metres = metres_[r_.tiled ? size_t(fu) + 10 * size_t(fv) : 0];
        if (r_.tiled || r_.repeat)
            uv -= V2f(fu, fv);
        else
            uv = {clamp01(uv.x), clamp01(uv.y)};
        const int w = t->width();
        const int h = t->height();
        const float x = uv.x * float(w) - .5f;
        const float y = (1.f - uv.y) * float(h) - .5f;
        int x0 = int(std::floor(x));
        int y0 = int(std::floor(y));
        const float a = x - float(x0);
        const float b = y - float(y0);
        int x1 = x0 + 1;
        int y1 = y0 + 1;
        if (r_.repeat && !r_.tiled) {
            x0 = x0 < 0 ? w - 1 : x0, y0 = y0 < 0 ? h - 1 : y0;
            x1 = x1 >= w ? 0 : x1, y1 = y1 >= h ? 0 : y1;
        } else {
            x0 = std::max(0, x0), y0 = std::max(0, y0);
            x1 = std::min(w - 1, x1), y1 = std::min(h - 1, y1);
        }
        x0 = std::min(x0, w - 1), y0 = std::min(y0, h - 1);
        const float top = lerp(metres[t->code(x0, y0)], metres[t->code(x1, y0)], a);
        const float low = lerp(metres[t->code(x0, y1)], metres[t->code(x1, y1)], a);
        return lerp(top, low, b);
    }

    /// Of what sample() gives within the box around three points.
    Interval over_box(const V2f& a, const V2f& b, const V2f& c) const {
        const V2f p[3] = {placed(r_, a), placed(r_, b), placed(r_, c)};
        Imath::Box2f box(p[0]);
        box.extendBy(p[1]);
        box.extendBy(p[2]);
        Interval out;
        const float size = std::max(std::max(std::fabs(box.min.x), std::fabs(box.max.x)),
                                    std::max(std::fabs(box.min.y), std::fabs(box.max.y)));
        if (!(size < 1e6f)) {  // no place: sample() gives 0 there
            out.add(0.f);
            for (size_t k = 0; k < r_.tiles.size(); ++k) all_of(k, out);
            return out;
        }
        const V2f slack(4e-7f * size);
        box.min -= slack;
        box.max += slack;
        if (!r_.tiled) {
            if (!r_.tiles.empty() && r_.tiles[0])
                over_tile(0, box, out);
            else
                out.add(0.f);
            return out;
        }
        const int u0 = int(std::floor(std::max(-1.f, box.min.x)));
        const int u1 = int(std::floor(std::min(10.f, box.max.x)));
        const int v0 = int(std::floor(std::max(-1.f, box.min.y)));
        const int v1 = int(std::floor(std::min(100.f, box.max.y)));
        for (int v = v0; v <= v1; ++v)
            for (int u = u0; u <= u1; ++u) {
                if (!tile_at(r_, float(u), float(v))) {
                    out.add(0.f);
                    continue;
                }
                const V2f corner{float(u), float(v)};
                over_tile(size_t(u) + 10 * size_t(v), {box.min - corner, box.max - corner}, out);
            }
        if (!(out.lo <= out.hi)) out.add(0.f);
        return out;
    }
    void all_of(size_t tile, Interval& out) const {
        if (const auto& t = r_.tiles[tile]) {
            out.add(metres_[tile][t->lowest()]);
            out.add(metres_[tile][t->highest()]);
        }
    }
    void over_tile(size_t index, const Imath::Box2f& box, Interval& out) const {
        const texture::HeightTile& t = *r_.tiles[index];
        const std::vector<float>& metres = metres_[index];
        int from[2];
        int to[2];
        const int size[2] = {t.width(), t.height()};
        const bool wraps = r_.repeat && !r_.tiled;
        for (int a = 0; a < 2; ++a) {
            const float low = a == 0 ? box.min.x : 1.f - box.max.y;
            const float high = a == 0 ? box.max.x : 1.f - box.min.y;
            const float s = float(size[a]);
            from[a] = int(std::floor(low * s - .5f));
            to[a] = int(std::floor(high * s - .5f)) + 1;
            if (!wraps) {
                from[a] = std::clamp(from[a], 0, size[a] - 1);
                to[a] = std::clamp(to[a], 0, size[a] - 1);
            } else if (to[a] - from[a] >= size[a] - 1) {
                from[a] = 0, to[a] = size[a] - 1;
            } else {
                const int turns = from[a] >= 0 ? from[a] / size[a] : -((size[a] - 1 - from[a]) / size[a]);
                from[a] -= turns * size[a];
                to[a] -= turns * size[a];
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
                uint16_t lo;
                uint16_t hi;
                t.range(x0, y0, x1, y1, lo, hi);
                out.add(metres[lo]);
                out.add(metres[hi]);
            }
        }
    }

    // -- seams: places and sides where UVs disagree have the mean of what each of them says --

    enum : uint8_t { side_bit = 1, corner_bit = 8 };  // shifted by the side or the corner

    void find_seams() {
        const uint32_t faces = uint32_t(m_.triangles());
        seam_.assign(faces, 0);
        std::vector<uint32_t> first_at(welds_->places, UINT32_MAX);
        std::vector<char> torn(welds_->places, 0);
        std::vector<char> used(m_.positions.size(), 0);
        for (const uint32_t v : m_.indices) used[v] = 1;
        for (uint32_t v = 0; v < m_.positions.size(); ++v) {
            if (!used[v]) continue;
            uint32_t& first = first_at[welds_->place_of[v]];
            if (first == UINT32_MAX) first = v;
            torn[welds_->place_of[v]] |= m_.uvs[v] != m_.uvs[first];
        }
        std::vector<std::pair<double, uint32_t>> sum(welds_->places, {0.0, 0});
        for (uint32_t v = 0; v < m_.positions.size(); ++v)
            if (used[v] && torn[welds_->place_of[v]]) {
                sum[welds_->place_of[v]].first += double(sample(m_.uvs[v]));
                ++sum[welds_->place_of[v]].second;
            }
        for (uint32_t p = 0; p < welds_->places; ++p)
            if (torn[p]) fixed_.emplace(p, float(sum[p].first / double(sum[p].second)));
        for (uint32_t s = 0; s < 3 * faces; ++s) {
            const Segment own = segment(s, false);
            if (torn[welds_->place_of[m_.indices[s]]]) seam_[s / 3] |= uint8_t(corner_bit << (s % 3));
            std::vector<Segment> others;
            for (uint32_t o = welds_->next_side[s]; o != s; o = welds_->next_side[o]) {
                const bool turned = welds_->place_of[m_.indices[o]] != welds_->place_of[m_.indices[s]];
                const Segment other = segment(o, turned);
                if (other.from != own.from || other.to != own.to) others.push_back(other);
            }
            if (others.empty()) continue;
            seam_[s / 3] |= uint8_t(side_bit << (s % 3));
            others_.emplace(s, std::move(others));
        }
    }
    Segment segment(uint32_t side, bool turned) const {
        const V2f& a = m_.uvs[m_.indices[side]];
        const V2f& b = m_.uvs[m_.indices[side % 3 == 2 ? side - 2 : side + 1]];
        return turned ? Segment{b, a} : Segment{a, b};
    }
    /// Which side a grid point lies on, and where along it; -1: inside. Corners are told by `corner`.
    static int side_of(int i, int j, int n, int& along, int& corner) {
        corner = i == 0 && j == 0 ? 0 : i == n ? 1 : j == n ? 2 : -1;
        if (corner >= 0) return -1;
        if (j == 0) return along = i, 0;
        if (i + j == n) return along = j, 1;
        if (i == 0) return along = n - j, 2;
        return -1;
    }
    void mend(uint32_t face, int i, int j, int n, float& h) const {
        int k;
        int corner;
        const int side = side_of(i, j, n, k, corner);
        if (corner >= 0) {
            if (seam_[face] & corner_bit << corner)
                h = fixed_.at(welds_->place_of[m_.indices[3 * face + uint32_t(corner)]]);
            return;
        }
        if (side < 0 || !(seam_[face] & side_bit << side)) return;
        // The sum in an order that every face of the ring finds the same: by size.
        const auto& others = others_.at(3 * face + uint32_t(side));
        float values[8] = {h};
        size_t count = 1;
        const float w1 = float(k) / float(n);
        const float w0 = float(n - k) / float(n);
        for (const Segment& s : others) {
            if (count == 8) break;
            values[count++] = sample({w0 * s.from.x + w1 * s.to.x, w0 * s.from.y + w1 * s.to.y});
        }
        std::sort(values, values + count);
        float sum = 0.f;
        for (size_t c = 0; c < count; ++c) sum += values[c];
        h = sum / float(count);
    }
    /// Bounds of a piece that touches seams.
    void widen(uint32_t face, const ReliefPiece& p, Interval& r) const {
        const int n = 1 << levels.level[face];
        const int ci[3] = {p.i, p.i + p.sign * p.size, p.i};
        const int cj[3] = {p.j, p.j, p.j + p.sign * p.size};
        for (int c = 0; c < 3; ++c) {
            int k;
            int corner;
            side_of(ci[c], cj[c], n, k, corner);
            if (corner >= 0 && seam_[face] & corner_bit << corner)
                r.add(fixed_.at(welds_->place_of[m_.indices[3 * face + uint32_t(corner)]]));
        }
        for (int side = 0; side < 3; ++side) {
            if (!(seam_[face] & side_bit << side)) continue;
            int first = n + 1;
            int last = -1;
            for (int c = 0; c < 3; ++c) {
                const bool on = side == 0 ? cj[c] == 0 : side == 1 ? ci[c] + cj[c] == n : ci[c] == 0;
                if (!on) continue;
                const int k = side == 0 ? ci[c] : side == 1 ? cj[c] : n - cj[c];
                first = std::min(first, k);
                last = std::max(last, k);
            }
            if (last < 0) continue;
            for (const Segment& s : others_.at(3 * face + uint32_t(side))) {
                const V2f a = s.from + (s.to - s.from) * (float(first) / float(n));
                const V2f b = s.from + (s.to - s.from) * (float(last) / float(n));
                r.add(over_box(a, b, b));
            }
        }
    }

    std::shared_ptr<const Mesh> mesh_;
    const Mesh& m_;
    std::shared_ptr<const Welds> welds_;
    MapRelief r_;
    std::vector<std::vector<float>> metres_;  ///< per tile and code
    std::vector<uint8_t> seam_;               ///< per face
    std::unordered_map<uint32_t, std::vector<Segment>> others_;
    std::unordered_map<uint32_t, float> fixed_;
};

}  // namespace

std::shared_ptr<const ReliefHeights> map_heights(std::shared_ptr<const Mesh> mesh, std::shared_ptr<const Welds> welds,
                                                 const MapRelief& relief) {
    return std::make_shared<MapHeights>(std::move(mesh), std::move(welds), relief);
}

}  // namespace vemtra::geometry
