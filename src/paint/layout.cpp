#include "paint/layout.h"

#include <immintrin.h>

#include <bit>
#include <list>
#include <optional>

#include "base/parallel.h"

namespace vemtra::paint {
namespace {

constexpr size_t most_kept_tiles = 1024;  // about 190 MB

/// The texels of a row whose centres lie in a triangle: [from, to). Sides are cut where both faces beside them cut them
/// alike, so that no texel is in two of them or in none.
template <class Corner, class Put> void scan(const Corner c[3], int x0, int y0, int x1, int y1, Put&& put) {
    const double low = std::min({c[0].y, c[1].y, c[2].y});
    const double high = std::max({c[0].y, c[1].y, c[2].y});
    const int first = std::max(y0, int(std::ceil(std::clamp(low, y0 - 1., y1 + 1.) - .5)));
    const int last = std::min(y1, int(std::ceil(std::clamp(high, y0 - 1., y1 + 1.) - .5)));
    if (first >= last) return;
    struct Side {
        double x, y, end, slope;
    } sides[3];
    for (int k = 0; k < 3; ++k) {
        const Corner* a = &c[k];
        const Corner* b = &c[(k + 1) % 3];
        if (a->y > b->y || (a->y == b->y && a->x > b->x)) std::swap(a, b);
        sides[k] = {a->x, a->y, b->y, (b->x - a->x) / (b->y - a->y)};
    }
    for (int y = first; y < last; ++y) {
        const double at = y + .5;
        double cut[2];
        int cuts = 0;
        for (int k = 0; k < 3 && cuts < 2; ++k)
            if (sides[k].y <= at && at < sides[k].end) cut[cuts++] = sides[k].x + (at - sides[k].y) * sides[k].slope;
        if (cuts < 2) continue;
        const int from = std::max(x0, int(std::ceil(std::clamp(std::min(cut[0], cut[1]), x0 - 1., x1 + 1.) - .5)));
        const int to = std::min(x1, int(std::ceil(std::clamp(std::max(cut[0], cut[1]), x0 - 1., x1 + 1.) - .5)));
        if (from < to) put(y, from, to);
    }
}

uint64_t bits(int from, int to) {  // 0 <= from < to <= 64
    return (to >= 64 ? ~uint64_t(0) : (uint64_t(1) << to) - 1) & ~((uint64_t(1) << from) - 1);
}

/// All of each number of eight whose bit is set.
__m256i lanes_of(uint64_t bits) {
    const __m256i each = _mm256_setr_epi32(1, 2, 4, 8, 16, 32, 64, 128);
    return _mm256_cmpeq_epi32(_mm256_and_si256(_mm256_set1_epi32(int(bits)), each), each);
}

/// Every second bit of each of the lowest pairs, drawn together.
uint64_t halved(uint64_t pairs) {
    pairs = (pairs | pairs >> 1) & 0x5555555555555555ull;
    pairs = (pairs | pairs >> 1) & 0x3333333333333333ull;
    pairs = (pairs | pairs >> 2) & 0x0f0f0f0f0f0f0f0full;
    pairs = (pairs | pairs >> 4) & 0x00ff00ff00ff00ffull;
    pairs = (pairs | pairs >> 8) & 0x0000ffff0000ffffull;
    return (pairs | pairs >> 16) & 0x00000000ffffffffull;
}

/// The weights of the second and third corner over the texels; false where the face has no area.
struct Weighing {
    double x, y, ux, uy, vx, vy;
    template <class Corner> bool set(const Corner c[3]) {
        const double ax = c[1].x - c[0].x;
        const double ay = c[1].y - c[0].y;
        const double bx = c[2].x - c[0].x;
        const double by = c[2].y - c[0].y;
        const double d = ax * by - ay * bx;
        if (!(std::fabs(d) > 1e-12)) return false;
        x = c[0].x - .5;
        y = c[0].y - .5;
        ux = by / d;
        uy = -bx / d;
        vx = -ay / d;
        vy = ax / d;
        return std::isfinite(x) && std::isfinite(y) && std::isfinite(ux + uy + vx + vy);
    }
    /// At the middle of a texel.
    void at(int tx, int ty, float& u, float& v) const {
        const double px = tx - x;
        const double py = ty - y;
        u = float(px * ux + py * uy);
        v = float(px * vx + py * vy);
    }
};

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

/// A face as a polygon of its corners' weights, cut off at a rectangle of texels (Sutherland and Hodgman 1974).
struct Weights {
    double w[3];
};
template <class Corner> int cut_off(const Corner c[3], double x0, double y0, double x1, double y1, Weights* poly) {
    poly[0] = {{1, 0, 0}};
    poly[1] = {{0, 1, 0}};
    poly[2] = {{0, 0, 1}};
    int n = 3;
    for (int side = 0; side < 4 && n; ++side) {
        Weights out[12];
        int m = 0;
        auto away = [&](const Weights& p) {
            const double x = p.w[0] * c[0].x + p.w[1] * c[1].x + p.w[2] * c[2].x;
            const double y = p.w[0] * c[0].y + p.w[1] * c[1].y + p.w[2] * c[2].y;
            return side == 0 ? x - x0 : side == 1 ? x1 - x : side == 2 ? y - y0 : y1 - y;
        };
        for (int k = 0; k < n; ++k) {
            const Weights& a = poly[k];
            const Weights& b = poly[(k + 1) % n];
            const double da = away(a);
            const double db = away(b);
            if (da >= 0) out[m++] = a;
            if ((da >= 0) == (db >= 0)) continue;
            const double s = da / (da - db);
            for (int w = 0; w < 3; ++w) out[m].w[w] = a.w[w] + s * (b.w[w] - a.w[w]);
            ++m;
        }
        std::copy_n(out, n = m, poly);
    }
    return n;
}

}  // namespace

struct SheetLayout::Kept {
    std::mutex mutex;
    struct Entry {
        std::shared_ptr<const LaidTile> tile;
        std::list<int>::iterator used;
    };
    std::unordered_map<int, Entry> tiles;
    std::list<int> order;  // lately used first
};

SheetLayout::SheetLayout(std::shared_ptr<const render::Prepared> prepared, std::vector<FaceUvs> uvs, int tile, int size,
                         Progress* progress)
    : prepared_(std::move(prepared)),
      uvs_(std::move(uvs)),
      u0_((tile - 1001) % 10),
      v0_((tile - 1001) / 10),
      size_(size),
      across_((size + edge - 1) / edge),
      bounds_(size_t(across_) * size_t(across_)),
      kept_(std::make_unique<Kept>()) {
    sort_faces(progress);
    if (stopped(progress)) faces_.clear(), first_.assign(bounds_.size() + 1, 0);
    cover_texels();
    bound_tiles();
}
SheetLayout::~SheetLayout() = default;

void SheetLayout::corners(const Face& f, Corner out[3]) const {
    for (int k = 0; k < 3; ++k) {
        const V2f uv = uvs_[f.uvs].corner(f.face, k);
        out[k] = {(double(uv.x) - u0_) * size_, (1. - (double(uv.y) - v0_)) * size_};
    }
}

/// The tiles that a face, or what is laid out around it, may have texels of.
template <class F> void SheetLayout::each_tile_of(const Corner c[3], F&& f) const {
    const double x0 = std::min({c[0].x, c[1].x, c[2].x}) - gutter;
    const double y0 = std::min({c[0].y, c[1].y, c[2].y}) - gutter;
    const double x1 = std::max({c[0].x, c[1].x, c[2].x}) + gutter;
    const double y1 = std::max({c[0].y, c[1].y, c[2].y}) + gutter;
    if (!(x1 > 0 && y1 > 0 && x0 < size_ && y0 < size_)) return;  // or no numbers
    const int tx0 = std::max(0, int(x0) / edge);
    const int ty0 = std::max(0, int(y0) / edge);
    const int tx1 = int(std::min(double(across_ - 1), x1 / edge));
    const int ty1 = int(std::min(double(across_ - 1), y1 / edge));
    const bool many = tx1 - tx0 > 1 && ty1 - ty0 > 1;
    for (int ty = ty0; ty <= ty1; ++ty)
        for (int tx = tx0; tx <= tx1; ++tx) {
            bool beyond = false;  // all of the tile, widened, beyond one side
            for (int k = 0; many && k < 3 && !beyond; ++k) {
                const Corner& a = c[k];
                const Corner& b = c[(k + 1) % 3];
                const Corner& o = c[(k + 2) % 3];
                const double nx = b.y - a.y;
                const double ny = a.x - b.x;
                const double side = (o.x - a.x) * nx + (o.y - a.y) * ny > 0 ? 1 : -1;
                const double mx = (tx + .5) * edge - a.x;
                const double my = (ty + .5) * edge - a.y;
                const double reach = (.5 * edge + gutter) * (std::fabs(nx) + std::fabs(ny));
                beyond = side * (mx * nx + my * ny) + reach < 0;
            }
            if (!beyond) f(size_t(ty) * size_t(across_) + size_t(tx));
        }
}

void SheetLayout::sort_faces(Progress* progress) {
    first_.assign(bounds_.size() + 1, 0);
    Corner c[3];
    for (int pass = 0; pass < 2; ++pass) {
        for (uint32_t k = 0; k < uvs_.size(); ++k) {
            const uint32_t count = uint32_t(uvs_[k].mesh->triangles());
            for (uint32_t f = 0; f < count; ++f) {
                if (f % 65536 == 0 && stopped(progress)) return;
                corners({k, f}, c);
                each_tile_of(c, [&](size_t t) {
                    if (pass == 0)
                        ++first_[t + 1];
                    else
                        faces_[first_[t]++] = {k, f};
                });
            }
        }
        if (pass == 0) {
            for (size_t t = 0; t + 1 < first_.size(); ++t) first_[t + 1] += first_[t];
            faces_.resize(first_.back());
        } else {
            for (size_t t = first_.size() - 1; t > 0; --t) first_[t] = first_[t - 1];
            first_[0] = 0;
        }
    }
}

/// Which texels stand for something, the gutter among them, on all levels.
void SheetLayout::cover_texels() {
    const size_t count = bounds_.size();
    std::vector<Rows> inside(count);
    parallel_ranges(count, 8, [&](size_t first, size_t last) {
        Corner c[3];
        for (size_t t = first; t < last; ++t) {
            inside[t].fill(0);
            const int x0 = int(t) % across_ * edge;
            const int y0 = int(t) / across_ * edge;
            for (uint32_t f = first_[t]; f < first_[t + 1]; ++f) {
                corners(faces_[f], c);
                scan(c, x0, y0, std::min(x0 + edge, size_), std::min(y0 + edge, size_),
                     [&](int y, int from, int to) { inside[t][size_t(y - y0)] |= bits(from - x0, to - x0); });
            }
        }
    });
    // Widened by the gutter: along the rows, then across them.
    auto neighbour = [&](int tx, int ty) -> const Rows* {
        return tx < 0 || tx >= across_ ? nullptr : &inside[size_t(ty) * size_t(across_) + size_t(tx)];
    };
    std::vector<Rows> wide(count);
    parallel_ranges(count, 8, [&](size_t first, size_t last) {
        for (size_t t = first; t < last; ++t) {
            const int tx = int(t) % across_;
            const int ty = int(t) / across_;
            const Rows* left = neighbour(tx - 1, ty);
            const Rows* right = neighbour(tx + 1, ty);
            for (size_t y = 0; y < edge; ++y) {
                uint64_t row = inside[t][y];
                for (int k = 1; k <= gutter; ++k) {
                    row |= inside[t][y] << k | inside[t][y] >> k;
                    if (left) row |= (*left)[y] >> (edge - k);
                    if (right) row |= (*right)[y] << (edge - k);
                }
                wide[t][y] = row;
            }
        }
    });
    cover_.assign(1, std::vector<Rows>(count));
    const uint64_t there = size_ >= edge ? ~uint64_t(0) : bits(0, size_);
    parallel_ranges(count, 8, [&](size_t first, size_t last) {
        for (size_t t = first; t < last; ++t) {
            const int tx = int(t) % across_;
            const int ty = int(t) / across_;
            for (int y = 0; y < edge; ++y) {
                uint64_t row = 0;
                for (int dy = -gutter; dy <= gutter; ++dy) {
                    const int gy = ty * edge + y + dy;
                    if (gy < 0 || gy >= size_) continue;
                    row |= wide[size_t(gy / edge) * size_t(across_) + size_t(tx)][size_t(gy % edge)];
                }
                cover_[0][t][size_t(y)] = ty * edge + y < size_ ? row & there : 0;
            }
        }
    });
    for (int size = size_ / 2; size >= 1; size /= 2) {
        const std::vector<Rows>& below = cover_.back();
        const int below_across = (2 * size + edge - 1) / edge;
        const int across = (size + edge - 1) / edge;
        std::vector<Rows> level(size_t(across) * size_t(across));
        for (size_t t = 0; t < level.size(); ++t) {
            level[t].fill(0);
            for (int q = 0; q < 4; ++q) {
                const int cx = int(t) % across * 2 + (q & 1);
                const int cy = int(t) / across * 2 + (q >> 1);
                if (cx >= below_across || cy >= below_across) continue;
                const Rows& from = below[size_t(cy) * size_t(below_across) + size_t(cx)];
                for (size_t y = 0; y < edge / 2; ++y)
                    level[t][y + size_t(q >> 1) * (edge / 2)] |= halved(from[2 * y] | from[2 * y + 1])
                                                                 << ((q & 1) * (edge / 2));
            }
        }
        cover_.push_back(std::move(level));
    }
}

const scene::TexelCover::Rows* SheetLayout::rows(int level, int x, int y) const {
    const int across = (std::max(1, size_ >> level) + edge - 1) / edge;
    if (size_t(level) >= cover_.size() || x >= across || y >= across) return nullptr;
    return &cover_[size_t(level)][size_t(y) * size_t(across) + size_t(x)];
}

/// Where in the world the faces of each tile lie, cut off at its border.
void SheetLayout::bound_tiles() {
    const geometry::Geometry& g = *prepared_->geometry;
    parallel_ranges(bounds_.size(), 8, [&](size_t first, size_t last) {
        Corner c[3];
        Weights poly[12];
        for (size_t t = first; t < last; ++t) {
            const double x0 = double(int(t) % across_ * edge) - gutter;
            const double y0 = double(int(t) / across_ * edge) - gutter;
            Box3f& box = bounds_[t];
            float moved_most = 0.f;
            for (uint32_t f = first_[t]; f < first_[t + 1]; ++f) {
                corners(faces_[f], c);
                const int n = cut_off(c, x0, y0, x0 + edge + 2 * gutter, y0 + edge + 2 * gutter, poly);
                const FaceUvs& uvs = uvs_[faces_[f].uvs];
                const geometry::Instance& in = g.instances()[uvs.instance];
                const uint32_t* corner = &uvs.mesh->indices[3 * size_t(faces_[f].face)];
                for (int k = 0; k < n; ++k) {
                    V3f p(0.f);
                    for (int w = 0; w < 3; ++w) p += uvs.mesh->positions[corner[w]] * float(poly[k].w[w]);
                    box.extendBy(in.point_to_world(p));
                }
                if (n && in.shape->stands_out())
                    moved_most = std::max(
                        moved_most, g.at({uvs.instance, faces_[f].face, 1.f / 3.f, 1.f / 3.f}).displaced_by.length());
            }
            if (box.isEmpty()) continue;
            const V3f margin(2.f * moved_most + 1e-5f * box.size().length());
            box.min -= margin;
            box.max += margin;
        }
    });
    const int groups = (across_ + 7) / 8;
    group_bounds_.resize(size_t(groups) * size_t(groups));
    for (int y = 0; y < across_; ++y)
        for (int x = 0; x < across_; ++x)
            if (!bounds(x, y).isEmpty()) group_bounds_[size_t(y / 8 * groups + x / 8)].extendBy(bounds(x, y));
    for (const Box3f& b : group_bounds_)
        if (!b.isEmpty()) all_.extendBy(b);
}

std::vector<int> SheetLayout::tiles_in(const Box3f& box) const {
    std::vector<int> out;
    const int groups = (across_ + 7) / 8;
    for (int g = 0; g < groups * groups; ++g) {
        if (group_bounds_[size_t(g)].isEmpty() || !group_bounds_[size_t(g)].intersects(box)) continue;
        const int x0 = g % groups * 8;
        const int y0 = g / groups * 8;
        for (int y = y0; y < std::min(across_, y0 + 8); ++y)
            for (int x = x0; x < std::min(across_, x0 + 8); ++x)
                if (!bounds(x, y).isEmpty() && bounds(x, y).intersects(box)) out.push_back(y * across_ + x);
    }
    std::sort(out.begin(), out.end());
    return out;
}

std::shared_ptr<const LaidTile> SheetLayout::tile(int x, int y) const {
    const int key = y * across_ + x;
    {
        std::lock_guard lock(kept_->mutex);
        if (const auto it = kept_->tiles.find(key); it != kept_->tiles.end()) {
            kept_->order.splice(kept_->order.begin(), kept_->order, it->second.used);
            return it->second.tile;
        }
    }
    auto made = std::make_shared<LaidTile>();
    lay(*made, x, y);
    std::lock_guard lock(kept_->mutex);
    if (const auto it = kept_->tiles.find(key); it != kept_->tiles.end()) return it->second.tile;
    kept_->order.push_front(key);
    kept_->tiles.emplace(key, Kept::Entry{made, kept_->order.begin()});
    while (kept_->tiles.size() > most_kept_tiles) {
        kept_->tiles.erase(kept_->order.back());
        kept_->order.pop_back();
    }
    return made;
}

/// A face that stays where its corners are, in the world.
struct Flat {
    V3f a, to_b, to_c;
    V3f na, to_nb, to_nc;
    V3f outer;  // of the face, unit

    Flat(const geometry::Instance& in, const geometry::Mesh& mesh, uint32_t face) {
        const uint32_t* i = &mesh.indices[3 * size_t(face)];
        a = in.point_to_world(mesh.positions[i[0]]);
        to_b = in.point_to_world(mesh.positions[i[1]]) - a;
        to_c = in.point_to_world(mesh.positions[i[2]]) - a;
        na = in.normal_to_world(mesh.normals[i[0]]);
        to_nb = in.normal_to_world(mesh.normals[i[1]]) - na;
        to_nc = in.normal_to_world(mesh.normals[i[2]]) - na;
        outer = to_b.cross(to_c).normalized();
        if ((3.f * na + to_nb + to_nc).dot(outer) < 0.f) outer = -outer;
    }
};

/// Eight of them side by side.
void store_row(const Flat& flat, const Weighing& weighing, int x, int y, __m256i mask, size_t i, Leaf& l) {
    float u0;
    float v0;
    weighing.at(x, y, u0, v0);
    const __m256 steps = _mm256_setr_ps(0, 1, 2, 3, 4, 5, 6, 7);
    auto ramp = [&](float from, double step) {
        return _mm256_add_ps(_mm256_set1_ps(from), _mm256_mul_ps(steps, _mm256_set1_ps(float(step))));
    };
    const __m256 u = ramp(u0, weighing.ux);
    const __m256 v = ramp(v0, weighing.vx);
    _mm256_maskstore_ps(l.u + i, mask, u);
    _mm256_maskstore_ps(l.v + i, mask, v);
    auto between = [&](float a, float b, float c) {
        return _mm256_add_ps(_mm256_set1_ps(a),
                             _mm256_add_ps(_mm256_mul_ps(u, _mm256_set1_ps(b)), _mm256_mul_ps(v, _mm256_set1_ps(c))));
    };
    __m256 n[3];
    __m256 length2 = _mm256_setzero_ps();
    for (int d = 0; d < 3; ++d) {
        _mm256_maskstore_ps(l.position[d] + i, mask, between(flat.a[d], flat.to_b[d], flat.to_c[d]));
        n[d] = between(flat.na[d], flat.to_nb[d], flat.to_nc[d]);
        length2 = _mm256_add_ps(length2, _mm256_mul_ps(n[d], n[d]));
    }
    const __m256 long_enough = _mm256_cmp_ps(length2, _mm256_set1_ps(1e-24f), _CMP_GT_OQ);
    const __m256 scale = _mm256_div_ps(_mm256_set1_ps(1.f), _mm256_sqrt_ps(length2));
    for (int d = 0; d < 3; ++d)
        _mm256_maskstore_ps(l.normal[d] + i, mask,
                            _mm256_blendv_ps(_mm256_set1_ps(flat.outer[d]), _mm256_mul_ps(n[d], scale), long_enough));
}

/// The texels of a tile whose middles lie on a face; of flat ones their positions and normals, too.
void SheetLayout::lay_face(LaidTile& out, const Face& face, const Corner c[3], int x0, int y0) const {
    Weighing weighing;
    if (!weighing.set(c)) return;
    const FaceUvs& uvs = uvs_[face.uvs];
    const geometry::Instance& in = prepared_->geometry->instances()[uvs.instance];
    const bool stands_out = in.shape->stands_out();
    std::optional<Flat> flat;
    scan(c, x0, y0, std::min(x0 + edge, size_), std::min(y0 + edge, size_), [&](int y, int from, int to) {
        if (!flat && !stands_out) flat.emplace(in, *uvs.mesh, face.face);
        uint64_t left = bits(from - x0, to - x0);
        for (size_t k = 0; left && k < size_t(most_leaves); ++k) {
            if (k == out.leaves.size()) out.leaves.push_back(std::make_unique_for_overwrite<Leaf>());
            Leaf& l = *out.leaves[k];
            uint64_t& inside = l.inside[size_t(y - y0)];
            const uint64_t here = left & ~inside;
            inside |= here;
            left &= ~here;
            for (uint64_t some = here; some; some &= some - 1) {
                const int x = std::countr_zero(some);
                const size_t i = size_t(y - y0) * edge + size_t(x);
                l.instance[i] = uvs.instance;
                l.face[i] = face.face;
                if (!flat) weighing.at(x0 + x, y, l.u[i], l.v[i]);
            }
            for (int x = 0; flat && x < edge; x += 8) {
                const uint64_t row = here >> x & 0xff;
                if (!row) continue;
                store_row(*flat, weighing, x0 + x, y, lanes_of(row), size_t(y - y0) * edge + size_t(x), l);
            }
        }
    });
}

void SheetLayout::lay(LaidTile& out, int tx, int ty) const {
    const size_t t = size_t(ty) * size_t(across_) + size_t(tx);
    const int x0 = tx * edge;
    const int y0 = ty * edge;
    const geometry::Geometry& g = *prepared_->geometry;
    Corner c[3];
    Weighing weighing;
    double world = 0;
    double sheet = 0;
    std::vector<uint32_t> own;  // faces whose UVs have an area
    for (uint32_t f = first_[t]; f < first_[t + 1]; ++f) {
        corners(faces_[f], c);
        if (!weighing.set(c)) continue;
        own.push_back(f);
        sheet += .5 * std::fabs((c[1].x - c[0].x) * (c[2].y - c[0].y) - (c[1].y - c[0].y) * (c[2].x - c[0].x));
        world += double(g.area(uvs_[faces_[f].uvs].instance, faces_[f].face));
        lay_face(out, faces_[f], c, x0, y0);
    }
    if (own.empty()) return;
    if (out.leaves.empty()) out.leaves.push_back(std::make_unique_for_overwrite<Leaf>());
    for (auto& l : out.leaves) {
        l->rows = l->inside;
        l->texel = float(std::sqrt(world / std::max(1e-30, sheet)));
    }
    lay_gutter(*out.leaves[0], own, tx, ty);
    for (auto& l : out.leaves) complete(*l);
}

/// The texels around the islands: on the plane of the nearest face.
void SheetLayout::lay_gutter(Leaf& ground, const std::vector<uint32_t>& faces, int tx, int ty) const {
    const Rows& wanted = cover_[0][size_t(ty) * size_t(across_) + size_t(tx)];
    bool any = false;
    for (size_t y = 0; y < edge; ++y) any |= (wanted[y] & ~ground.inside[y]) != 0;
    if (!any) return;
    const int x0 = tx * edge;
    const int y0 = ty * edge;
    std::vector<float> nearest(texels_of_tile, float(gutter * gutter) * 2.f + 1.f);
    Corner c[3];
    Weighing weighing;
    auto within = [](double x, int low, int high) { return int(std::clamp(x, double(low), double(high))); };
    for (const uint32_t f : faces) {
        corners(faces_[f], c);
        if (!weighing.set(c)) continue;
        const double reach = gutter + 1;
        const int left = within(std::floor(std::min({c[0].x, c[1].x, c[2].x}) - reach), x0, x0 + edge - 1);
        const int right = within(std::ceil(std::max({c[0].x, c[1].x, c[2].x}) + reach), x0, x0 + edge - 1);
        const int top = within(std::floor(std::min({c[0].y, c[1].y, c[2].y}) - reach), y0, y0 + edge - 1);
        const int low = within(std::ceil(std::max({c[0].y, c[1].y, c[2].y}) + reach), y0, y0 + edge - 1);
        for (int y = top; y <= low; ++y) {
            uint64_t row = wanted[size_t(y - y0)] & ~ground.inside[size_t(y - y0)] & bits(left - x0, right - x0 + 1);
            for (; row; row &= row - 1) {
                const int x = x0 + std::countr_zero(row);
                const size_t i = size_t(y - y0) * edge + size_t(x - x0);
                const auto away = float(away_from_sides(c, x, y));
                if (away >= nearest[i]) continue;
                nearest[i] = away;
                weighing.at(x, y, ground.u[i], ground.v[i]);
                ground.instance[i] = uvs_[faces_[f].uvs].instance;
                ground.face[i] = faces_[f].face;
                ground.rows[size_t(y - y0)] |= uint64_t(1) << (x - x0);
            }
        }
    }
}

/// Positions and normals of the texels that it has but for those on flat faces, which have them already; its bounds.
void SheetLayout::complete(Leaf& l) const {
    const geometry::Geometry& g = *prepared_->geometry;
    for (size_t y = 0; y < edge; ++y)
        for (uint64_t row = l.rows[y]; row; row &= row - 1) {
            const size_t i = y * edge + size_t(std::countr_zero(row));
            const bool inside = (l.inside[y] >> (i % edge) & 1) != 0;
            geometry::Place at{l.instance[i], l.face[i], l.u[i], l.v[i]};
            const bool stands_out = g.shape(at.instance).stands_out();
            if (inside && !stands_out) continue;
            if (stands_out) {  // such a face ends at its sides
                at.u = clamp01(at.u);
                at.v = std::clamp(at.v, 0.f, 1.f - at.u);
            }
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

size_t SheetLayout::bytes() const {
    size_t n = faces_.size() * sizeof(Face) + first_.size() * sizeof(uint32_t) + bounds_.size() * sizeof(Box3f);
    for (const auto& level : cover_) n += level.size() * sizeof(Rows);
    std::lock_guard lock(kept_->mutex);
    for (const auto& [key, e] : kept_->tiles) n += e.tile->leaves.size() * sizeof(Leaf);
    return n;
}

}  // namespace vemtra::paint
