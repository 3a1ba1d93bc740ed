// Where the texels of one tile lie on the form.
#include <immintrin.h>

#include <bit>
#include <optional>
#include <vector>

#include "paint/layout.h"
#include "paint/texel_scan.h"

namespace vemtra::paint {
namespace {

/// The square of the way from the middle of a texel to the nearest side.
template <class Corner> double away_from_sides(const Corner c[3], int x, int y) {
    double away = 1e30;
    for (int k = 0; k < 3; ++k) {
        const Corner& a = c[k];
        const Corner& b = c[(k + 1) % 3];
        const double ex = b.x - a.x;
        const double ey = b.y - a.y;
        const double px = x + .5 - a.x;
        const double py = y + .5 - a.y;
        const double s = std::clamp((px * ex + py * ey) / std::max(1e-30, ex * ex + ey * ey), 0., 1.);
        away = std::min(away, (px - s * ex) * (px - s * ex) + (py - s * ey) * (py - s * ey));
    }
    return away;
}

/// All of each number of eight whose bit is set.
__m256i lanes_of(uint64_t bits) {
    const __m256i each = _mm256_setr_epi32(1, 2, 4, 8, 16, 32, 64, 128);
    return _mm256_cmpeq_epi32(_mm256_and_si256(_mm256_set1_epi32(int(bits)), each), each);
}

}  // namespace

/// How a face goes from texel to texel: its points and normals in the world, which lie on planes over the sheet where
/// heights do not move them.
struct alignas(16) SheetLayout::Plane {
    __m128 place, place_x, place_y;
    __m128 normal, normal_x, normal_y;
    V3f outer;   // of the face, unit
    float area;  // of the face, in square metres
    int x, y;    // the texel of the tile at which they are as they stand

    Plane(const Patch& w, const geometry::Instance& in, const geometry::Mesh& mesh) : x(w.x), y(w.y) {
        const uint32_t* i = &mesh.indices[3 * size_t(w.face)];
        const V3f a = in.point_to_world(mesh.positions[i[0]]);
        const V3f to_b = in.point_to_world(mesh.positions[i[1]]) - a;
        const V3f to_c = in.point_to_world(mesh.positions[i[2]]) - a;
        const V3f na = in.normal_to_world(mesh.normals[i[0]]);
        const V3f to_nb = in.normal_to_world(mesh.normals[i[1]]) - na;
        const V3f to_nc = in.normal_to_world(mesh.normals[i[2]]) - na;
        outer = to_b.cross(to_c);
        area = .5f * outer.length();
        outer.normalize();
        if ((3.f * na + to_nb + to_nc).dot(outer) < 0.f) outer = -outer;
        auto four = [](const V3f& p) { return _mm_setr_ps(p.x, p.y, p.z, 0.f); };
        place = four(a + to_b * w.u + to_c * w.v);
        place_x = four(to_b * w.ux + to_c * w.vx);
        place_y = four(to_b * w.uy + to_c * w.vy);
        normal = four(na + to_nb * w.u + to_nc * w.v);
        normal_x = four(to_nb * w.ux + to_nc * w.vx);
        normal_y = four(to_nb * w.uy + to_nc * w.vy);
    }
    void at(int tx, int ty, __m128& p, __m128& n) const {
        const __m128 dx = _mm_set1_ps(float(tx - x));
        const __m128 dy = _mm_set1_ps(float(ty - y));
        p = _mm_add_ps(place, _mm_add_ps(_mm_mul_ps(place_x, dx), _mm_mul_ps(place_y, dy)));
        n = _mm_add_ps(normal, _mm_add_ps(_mm_mul_ps(normal_x, dx), _mm_mul_ps(normal_y, dy)));
    }
};

/// What a tile is laid out on.
struct SheetLayout::Ground {
    int x0, y0;                   // its first texel in the sheet
    std::vector<uint32_t> faces;  // whose UVs have an area
    std::vector<Patch> patches;
    std::vector<Plane> planes;  // of the first patches
    uint32_t add(const Weighing& w, uint32_t instance, uint32_t face, int x, int y) {
        float u;
        float v;
        w.at(x, y, u, v);
        patches.push_back({instance, face, x - x0, y - y0, u, v, float(w.ux), float(w.uy), float(w.vx), float(w.vy)});
        return uint32_t(patches.size() - 1);
    }
};

/// The texels of a tile whose middles lie on a face; whether there are some.
bool SheetLayout::lay_face(LaidTile& out, Ground& ground, const Face& face, const Corner c[3],
                           const Weighing& weighing) const {
    const FaceUvs& uvs = uvs_[face.uvs];
    const int x0 = ground.x0;
    const int y0 = ground.y0;
    bool any = false;
    uint32_t own = 0;
    scan(c, x0, y0, std::min(x0 + edge, size_), std::min(y0 + edge, size_), [&](int y, int from, int to) {
        if (!any) {
            own = ground.add(weighing, uvs.instance, face.face, from, y);
            ground.planes.emplace_back(ground.patches[own], prepared_->geometry->instances()[uvs.instance], *uvs.mesh);
        }
        any = true;
        uint64_t left = bits(from - x0, to - x0);
        for (size_t k = 0; left && k < size_t(most_leaves); ++k) {
            if (k == out.leaves.size()) out.leaves.push_back(std::make_unique_for_overwrite<Leaf>());
            Leaf& l = *out.leaves[k];
            uint64_t& inside = l.inside[size_t(y - y0)];
            const uint64_t here = left & ~inside;
            inside |= here;
            left &= ~here;
            uint32_t* const row = l.patch + size_t(y - y0) * edge;
            if (k == 0 && !left) {
                std::fill(row + (from - x0), row + (to - x0), own);
                return;
            }
            for (uint64_t some = here; some; some &= some - 1) row[std::countr_zero(some)] = own;
        }
    });
    return any;
}

/// What the planes say of the texels of a leaf, four at a time.
void SheetLayout::spread(Leaf& l, const std::vector<Plane>& planes) {
    for (int y = 0; y < edge; ++y)
        for (int x = 0; x < edge; x += 4) {
            const unsigned some = unsigned(l.inside[size_t(y)] >> x & 15);
            if (!some) continue;
            const size_t i = size_t(y) * edge + size_t(x);
            __m128 p[4];
            __m128 n[4];
            for (int k = 0; k < 4; ++k) {
                if (!(some >> k & 1)) {
                    p[k] = n[k] = _mm_setzero_ps();
                    continue;
                }
                const Plane& of = planes[l.patch[i + size_t(k)]];
                of.at(x + k, y, p[k], n[k]);
                const float* m = reinterpret_cast<const float*>(&n[k]);
                if (!(m[0] * m[0] + m[1] * m[1] + m[2] * m[2] > 1e-24f))
                    n[k] = _mm_setr_ps(of.outer.x, of.outer.y, of.outer.z, 0.f);
            }
            _MM_TRANSPOSE4_PS(p[0], p[1], p[2], p[3]);
            _MM_TRANSPOSE4_PS(n[0], n[1], n[2], n[3]);
            const __m128 length2 = n[0] * n[0] + n[1] * n[1] + n[2] * n[2];
            const __m128 scale = _mm_set1_ps(1.f) / _mm_sqrt_ps(_mm_max_ps(length2, _mm_set1_ps(1e-30f)));
            for (int d = 0; d < 3; ++d) {
                _mm_store_ps(l.position[d] + i, p[d]);
                _mm_store_ps(l.normal[d] + i, n[d] * scale);
            }
        }
}

void SheetLayout::lay(LaidTile& out, int tx, int ty) const {
    const size_t t = size_t(ty) * size_t(across_) + size_t(tx);
    const geometry::Geometry& g = *prepared_->geometry;
    Corner c[3];
    Weighing weighing;
    double world = 0;
    double sheet = 0;
    Ground ground{tx * edge, ty * edge, {}, {}, {}};
    ground.patches.reserve(first_[t + 1] - first_[t]);
    ground.planes.reserve(first_[t + 1] - first_[t]);
    for (uint32_t f = first_[t]; f < first_[t + 1]; ++f) {
        corners(faces_[f], c);
        if (!weighing.set(c)) continue;
        ground.faces.push_back(f);
        if (!lay_face(out, ground, faces_[f], c, weighing)) continue;
        sheet += weighing.area;
        world += double(ground.planes.back().area);
    }
    if (ground.faces.empty()) return;
    if (!(sheet > 0))  // no face is wide enough to have a texel
        for (const uint32_t f : ground.faces) {
            corners(faces_[f], c);
            if (!weighing.set(c)) continue;
            sheet += weighing.area;
            world += double(g.area(uvs_[faces_[f].uvs].instance, faces_[f].face));
        }
    if (out.leaves.empty()) out.leaves.push_back(std::make_unique_for_overwrite<Leaf>());
    for (auto& l : out.leaves) {
        spread(*l, ground.planes);
        l->rows = l->inside;
        l->texel = float(std::sqrt(world / std::max(1e-30, sheet)));
    }
    lay_gutter(*out.leaves[0], ground, tx, ty);
    const auto patches = std::make_shared<const std::vector<Patch>>(std::move(ground.patches));
    for (auto& l : out.leaves) {
        l->patches = patches;
        complete(*l);
    }
}

/// The texels around the islands: on the plane of the nearest face.
void SheetLayout::lay_gutter(Leaf& leaf, Ground& ground, int tx, int ty) const {
    const Rows& wanted = cover_[0][size_t(ty) * size_t(across_) + size_t(tx)];
    bool any = false;
    for (size_t y = 0; y < edge; ++y) any |= (wanted[y] & ~leaf.inside[y]) != 0;
    if (!any) return;
    const int x0 = tx * edge;
    const int y0 = ty * edge;
    std::vector<float> nearest(texels_of_tile, float(gutter * gutter) * 2.f + 1.f);
    Corner c[3];
    Weighing weighing;
    auto within = [](double x, int low, int high) { return int(std::clamp(x, double(low), double(high))); };
    for (const uint32_t f : ground.faces) {
        corners(faces_[f], c);
        if (!weighing.set(c)) continue;
        std::optional<uint32_t> own;
        const double reach = gutter + 1;
        const int left = within(std::floor(std::min({c[0].x, c[1].x, c[2].x}) - reach), x0, x0 + edge - 1);
        const int right = within(std::ceil(std::max({c[0].x, c[1].x, c[2].x}) + reach), x0, x0 + edge - 1);
        const int top = within(std::floor(std::min({c[0].y, c[1].y, c[2].y}) - reach), y0, y0 + edge - 1);
        const int low = within(std::ceil(std::max({c[0].y, c[1].y, c[2].y}) + reach), y0, y0 + edge - 1);
        for (int y = top; y <= low; ++y) {
            uint64_t row = wanted[size_t(y - y0)] & ~leaf.inside[size_t(y - y0)] & bits(left - x0, right - x0 + 1);
            for (; row; row &= row - 1) {
                const int x = x0 + std::countr_zero(row);
                const size_t i = size_t(y - y0) * edge + size_t(x - x0);
                const auto away = float(away_from_sides(c, x, y));
                if (away >= nearest[i]) continue;
                nearest[i] = away;
                if (!own) own = ground.add(weighing, uvs_[faces_[f].uvs].instance, faces_[f].face, x, y);
                leaf.patch[i] = *own;
                leaf.rows[size_t(y - y0)] |= uint64_t(1) << (x - x0);
            }
        }
    }
}

/// Positions and normals of the texels that it has but for those on flat faces, which have them already; its bounds.
void SheetLayout::complete(Leaf& l) const {
    const geometry::Geometry& g = *prepared_->geometry;
    const bool flat =
        std::none_of(uvs_.begin(), uvs_.end(), [&](const FaceUvs& u) { return g.shape(u.instance).stands_out(); });
    for (size_t y = 0; y < edge; ++y)
        for (uint64_t row = flat ? l.rows[y] & ~l.inside[y] : l.rows[y]; row; row &= row - 1) {
            const size_t i = y * edge + size_t(std::countr_zero(row));
            const bool inside = (l.inside[y] >> (i % edge) & 1) != 0;
            geometry::Place at = l.place(int(i));
            const bool stands_out = g.shape(at.instance).stands_out();
            if (inside && !stands_out) continue;
            if (stands_out) at = l.place_on_face(int(i));  // such a face ends at its sides
            const geometry::SurfacePoint s = g.at(at);
            const V3f n = inside ? s.normal : s.normal_geometric;
            for (int c = 0; c < 3; ++c) l.position[c][i] = s.position[c], l.normal[c][i] = finite(n) ? n[c] : 0.f;
        }
    __m256 odd = _mm256_setzero_ps();  // where a position is no number
    for (size_t b = 0; b < l.blocks.size(); ++b) {
        const float inf = __builtin_inff();
        __m256 low[3];
        __m256 high[3];
        std::fill_n(low, 3, _mm256_set1_ps(inf));
        std::fill_n(high, 3, _mm256_set1_ps(-inf));
        bool any = false;
        for (size_t r = b / 8 * 8; r < b / 8 * 8 + 8; ++r) {
            const uint64_t row = l.rows[r] >> (b % 8 * 8) & 0xff;
            if (!row) continue;
            any = true;
            const __m256 has = _mm256_castsi256_ps(lanes_of(row));
            for (int c = 0; c < 3; ++c) {
                const __m256 p = _mm256_load_ps(&l.position[c][r * edge + b % 8 * 8]);
                low[c] = _mm256_min_ps(low[c], _mm256_blendv_ps(low[c], p, has));
                high[c] = _mm256_max_ps(high[c], _mm256_blendv_ps(high[c], p, has));
                odd = _mm256_or_ps(odd, _mm256_and_ps(has, _mm256_sub_ps(p, p)));
            }
        }
        if (!any) continue;
        for (int c = 0; c < 3; ++c) {
            alignas(32) float least[8];
            alignas(32) float most[8];
            _mm256_store_ps(least, low[c]);
            _mm256_store_ps(most, high[c]);
            l.blocks[b].min[c] = *std::min_element(least, least + 8);
            l.blocks[b].max[c] = *std::max_element(most, most + 8);
        }
        l.bounds.extendBy(l.blocks[b]);
    }
    if (_mm256_movemask_ps(_mm256_cmp_ps(odd, odd, _CMP_UNORD_Q))) l.rows.fill(0), l.inside.fill(0);
}

}  // namespace vemtra::paint
