#include "paint/layout.h"

#include <list>

#include "base/parallel.h"
#include "paint/texel_scan.h"

namespace vemtra::paint {
namespace {

constexpr size_t most_kept_tiles = 1024;  // about 130 MB

/// Every second bit of each of the lowest pairs, drawn together.
uint64_t halved(uint64_t pairs) {
    pairs = (pairs | pairs >> 1) & 0x5555555555555555ull;
    pairs = (pairs | pairs >> 1) & 0x3333333333333333ull;
    pairs = (pairs | pairs >> 2) & 0x0f0f0f0f0f0f0f0full;
    pairs = (pairs | pairs >> 4) & 0x00ff00ff00ff00ffull;
    pairs = (pairs | pairs >> 8) & 0x0000ffff0000ffffull;
    return (pairs | pairs >> 16) & 0x00000000ffffffffull;
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
            float far = 0.f;
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
                if (n) far = std::max(far, uvs.moved);
            }
            if (box.isEmpty()) continue;
            const V3f margin(1.5f * far + 1e-5f * box.size().length());
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

size_t SheetLayout::bytes() const {
    size_t n = faces_.size() * sizeof(Face) + first_.size() * sizeof(uint32_t) + bounds_.size() * sizeof(Box3f);
    for (const auto& level : cover_) n += level.size() * sizeof(Rows);
    std::lock_guard lock(kept_->mutex);
    for (const auto& [key, e] : kept_->tiles) n += e.tile->leaves.size() * sizeof(Leaf);
    return n;
}

}  // namespace vemtra::paint
