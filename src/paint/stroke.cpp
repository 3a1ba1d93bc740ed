#include "paint/stroke.h"

#include <immintrin.h>

#include <algorithm>
#include <atomic>
#include <bit>
#include <cstring>

#include "base/parallel.h"
#include "render/materials.h"

namespace vemtra::paint {
namespace {

constexpr float least = 1.f / 4096.f;  // of a dab's shape, that counts

bool meets(const Box3f& a, const Box3f& b) {
    return a.intersects(b);
}
/// How far a dab reaches: a tip is square and as deep as wide.
float reach_of(const Dab& d) {
    return d.radius * (d.tip ? 1.75f : 1.f);
}
Box3f around(const Dab& d) {
    Box3f box(d.centre, d.centre);
    const V3f r(reach_of(d));
    box.min -= r;
    box.max += r;
    return box;
}

/// Calls f(first texel) for each row of eight texels of those blocks.
template <class F> void each_row(uint64_t blocks, F&& f) {
    for (; blocks; blocks &= blocks - 1) {
        const int first = first_of_block(std::countr_zero(blocks));
        for (int r = 0; r < 8; ++r) f(first + r * edge);
    }
}

/// The blocks of a leaf that lie within reach of a dab.
uint64_t blocks_met(const Leaf& leaf, const Dab& d) {
    const float reach = reach_of(d);
    uint64_t met = 0;
    for (size_t b = 0; b < leaf.blocks.size(); ++b) {
        const Box3f& box = leaf.blocks[b];
        if (box.isEmpty()) continue;
        float away = 0.f;
        for (int c = 0; c < 3; ++c) {
            const float beyond = std::max({0.f, box.min[c] - d.centre[c], d.centre[c] - box.max[c]});
            away += beyond * beyond;
        }
        met |= uint64_t(away <= reach * reach) << b;
    }
    return met;
}

/// How much of a dab each texel of those blocks of a leaf gets, 0..1: its shape, times how the surface faces it.
/// Others are not written.
void shape_of(const Leaf& leaf, uint64_t blocks, const Dab& d, float* out) {
    const V3f y_axis = d.axis.cross(d.across) * (d.mirrored ? -1.f : 1.f);
    const float to_unit = 1.f / d.radius;
    const float round = 1.f / d.roundness;
    const float soft = std::max({1e-3f, 1.f - d.hardness, std::min(1.f, leaf.texel * to_unit)});
    const float inverse_soft = 1.f / soft;
    const float limit = std::cos(radians(std::clamp(d.steep, 1.f, 180.f)));
    const float whole = std::cos(radians(std::max(0.f, d.steep - 20.f)));
    const bool all_ways = d.steep >= 180.f;
    const float inverse_fade = all_ways ? 0.f : 1.f / std::max(1e-4f, whole - limit);
    const float least_facing = all_ways ? 1.f : 0.f;
    const float side = d.behind ? -1.f : 1.f;
    const float* const px = leaf.position[0];
    const float* const py = leaf.position[1];
    const float* const pz = leaf.position[2];
    const float* const nx = leaf.normal[0];
    const float* const ny = leaf.normal[1];
    const float* const nz = leaf.normal[2];
    const float width = 2.f * leaf.texel * to_unit;
    const V3f c = d.centre;
    auto along = [](__m256 x, __m256 y, __m256 z, const V3f& to) {
        return _mm256_fmadd_ps(x, _mm256_set1_ps(to.x),
                               _mm256_fmadd_ps(y, _mm256_set1_ps(to.y), z * _mm256_set1_ps(to.z)));
    };
    auto within = [](__m256 x, float low) {
        return _mm256_min_ps(_mm256_max_ps(x, _mm256_set1_ps(low)), _mm256_set1_ps(1.f));
    };
    each_row(blocks, [&](int first) {
        const uint64_t row = leaf.rows[size_t(first) / edge] >> (first % edge) & 0xff;
        const __m256 dx = _mm256_load_ps(px + first) - c.x;
        const __m256 dy = _mm256_load_ps(py + first) - c.y;
        const __m256 dz = _mm256_load_ps(pz + first) - c.z;
        const __m256 x = along(dx, dy, dz, d.across) * to_unit;
        const __m256 y = along(dx, dy, dz, y_axis) * (to_unit * round);
        const __m256 z = along(dx, dy, dz, d.axis) * to_unit;
        const __m256 t =
            within((1.f - _mm256_sqrt_ps(_mm256_fmadd_ps(x, x, _mm256_fmadd_ps(y, y, z * z)))) * inverse_soft, 0.f);
        if (!d.tip && _mm256_testz_si256(_mm256_castps_si256(t), _mm256_castps_si256(t))) {
            _mm256_store_ps(out + first, t);
            return;
        }
        const __m256 facing =
            along(_mm256_load_ps(nx + first), _mm256_load_ps(ny + first), _mm256_load_ps(nz + first), d.axis) * side;
        _mm256_store_ps(out + first, t * t * (3.f - 2.f * t) * within((facing - limit) * inverse_fade, least_facing));
        if (row != 0xff)
            for (int i = 0; i < 8; ++i)
                if (!(row >> i & 1)) out[first + i] = 0.f;
        if (!d.tip) return;
        for (uint64_t left = row; left; left &= left - 1) {
            const int i = first + std::countr_zero(left);
            const V3f p(px[i] - c.x, py[i] - c.y, pz[i] - c.z);
            const float deep = clamp01((1.f - std::fabs(p.dot(d.axis)) * to_unit) * 4.f);
            const float facing = side * (nx[i] * d.axis.x + ny[i] * d.axis.y + nz[i] * d.axis.z);
            const float f = std::clamp((facing - limit) * inverse_fade, least_facing, 1.f);
            out[i] = f * deep > 0.f
                         ? d.tip->at(p.dot(d.across) * to_unit, p.dot(y_axis) * to_unit * round, width) * deep * f
                         : 0.f;
        }
    });
}

}  // namespace

bool inside(const std::vector<V2f>& outline, V2f p) {
    bool in = false;
    for (size_t i = 0, j = outline.size() - 1; i < outline.size(); j = i++) {
        const V2f& a = outline[i];
        const V2f& b = outline[j];
        if ((a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x) in = !in;
    }
    return in;
}

struct Stroke::Tile {
    size_t sheet = 0;
    int x = 0, y = 0;
    std::shared_ptr<const LaidTile> laid;
    std::vector<float> added;  ///< by the stroke so far, 0..1
    std::vector<V3f> ink;      ///< of each texel, times `added`: where a photo gives it
    struct Allowed {
        std::vector<float> much;  ///< how much the stroke may do to a texel
        uint64_t blocks = 0;      ///< for which that was asked
    };
    std::vector<Allowed> allowed[2];  ///< per leaf; of dabs as they are, and of mirrored ones, which need not be seen
    std::vector<std::vector<V3f>> photo;  ///< per leaf: the photo's colour
    std::vector<const Dab*> dabs;         ///< that wait
    std::vector<float> work;              ///< of brushes that rub: all lanes as they are now
    uint64_t dirty = 0;                   ///< blocks that have changed since they were shown
};

/// The form around a dab as a grid in its frame: what rubbing brushes see of the painting.
struct Stroke::Carried {
    static constexpr int across = 48;
    std::array<V4f, size_t(across) * across> texels;
    bool filled = false;
};

Stroke::Stroke(std::shared_ptr<const Canvas> canvas, scene::Painting before, const Brush& brush, V3f ink, View view,
               Limits limits, std::shared_ptr<const Photo> photo)
    : canvas_(std::move(canvas)),
      before_(std::move(before)),
      now_(before_),
      brush_(brush),
      ink_(ink),
      view_(std::move(view)),
      limits_(std::move(limits)),
      photo_(std::move(photo)),
      sight_(canvas_->prepared(), view_),
      layouts_(canvas_->sheets().size()) {
    if (!finite(ink_)) ink_ = V3f(0.f);
    if (photo_ && (photo_->width < 1 || photo_->height < 1 ||
                   photo_->pixels.size() < size_t(photo_->width) * size_t(photo_->height)))
        photo_ = nullptr;
}
Stroke::~Stroke() = default;

Stroke::Tile& Stroke::tile_at(size_t sheet, int x, int y) {
    auto& t = tiles_[{int(sheet), x, y}];
    if (!t) {
        t = std::make_unique<Tile>();
        t->sheet = sheet;
        t->x = x;
        t->y = y;
    }
    return *t;
}

/// What the photo, or what the camera sees, or a mask lets through: asked once for each block of texels.
void Stroke::allow(Tile& t, size_t k, uint64_t blocks, const float* shape, const Dab& dab) {
    const Leaf& leaf = *t.laid->leaves[k];
    if (t.allowed[dab.mirrored].size() <= k) t.allowed[dab.mirrored].resize(t.laid->leaves.size());
    Tile::Allowed& allowed = t.allowed[dab.mirrored][k];
    if (allowed.much.empty()) allowed.much.assign(texels_of_tile, 0.f);
    const bool looks = !limits_.outline.empty() || photo_ || limits_.mask;
    std::vector<int> open;
    for (uint64_t left = blocks & ~allowed.blocks; left; left &= left - 1) {
        const uint64_t one = left & -left;
        bool counts = false;
        each_row(one, [&](int first) {
            for (int i = first; i < first + 8; ++i) counts |= shape[i] > least;
        });
        if (!counts) continue;
        allowed.blocks |= one;
        const int block = std::countr_zero(left);
        const uint64_t seen = limits_.through || dab.mirrored ? ~uint64_t(0) : sight_.of_block(leaf, block);
        for (int b = 0; b < 64; ++b) {
            const int i = first_of_block(block) + b / 8 * edge + b % 8;
            const bool sees = (seen >> b & 1) != 0;
            allowed.much[size_t(i)] = sees ? 1.f : 0.f;
            if (looks && sees && (leaf.rows[size_t(i) / edge] >> (i % edge) & 1)) open.push_back(i);
        }
    }
    if (!open.empty()) limit(t, k, open, allowed.much);
}

/// What lies in the outline, in the photo and under the mask, of texels that may be painted.
void Stroke::limit(Tile& t, size_t k, const std::vector<int>& texels, std::vector<float>& allowed) {
    const Leaf& leaf = *t.laid->leaves[k];
    const render::Prepared& p = *canvas_->prepared();
    const render::Pinhole& eye = sight_.eye();
    std::vector<int> masked;
    for (const int i : texels) {
        float& a = allowed[size_t(i)];
        const V3f to_eye = eye.origin - sight_.place(leaf, i);
        const float distance = to_eye.length();
        const V3f n(leaf.normal[0][i], leaf.normal[1][i], leaf.normal[2][i]);
        const float depth = -to_eye.dot(eye.forward);
        const V2f view((-to_eye.dot(eye.right) / std::max(1e-9f, depth) / eye.tan_x * .5f + .5f) * float(view_.width),
                       (.5f + .5f * to_eye.dot(eye.up) / std::max(1e-9f, depth) / eye.tan_y) * float(view_.height));
        if (a > 0.f && !limits_.outline.empty()) a *= depth > 0.f && inside(limits_.outline, view) ? 1.f : 0.f;
        if (a > 0.f && photo_) {
            if (t.photo.size() <= k) t.photo.resize(t.laid->leaves.size());
            if (t.photo[k].empty()) t.photo[k].resize(texels_of_tile);
            V2f place;
            if (depth > 0.f && photo_->place(view, place)) {
                float amount = 0.f;
                t.photo[k][size_t(i)] = photo_->read(place, amount);
                // What is seen edge on would be drawn out to streaks.
                const float facing = std::fabs(n.dot(to_eye)) / distance;
                a *= amount * clamp01((facing - .1f) / .15f);
            } else {
                a = 0.f;
            }
        }
        if (a > 0.f && limits_.mask) masked.push_back(i);
    }
    if (masked.empty()) return;
    auto arrays = std::make_unique<render::PointArrays>();
    program::Workspace workspace;
    for (size_t first = 0; first < masked.size(); first += size_t(nodes::max_batch)) {
        const size_t n = std::min(masked.size() - first, size_t(nodes::max_batch));
        for (size_t j = 0; j < n; ++j) {
            const int i = masked[first + j];
            const geometry::Place at = leaf.place_on_face(i);
            const geometry::SurfacePoint s = p.geometry->at(at);
            arrays->set(int(j), p, at, s, s.normal, leaf.texel);
        }
        const float* value = nullptr;
        limits_.mask->run(arrays->batch(int(n), p), workspace, &value);
        for (size_t j = 0; j < n; ++j) allowed[size_t(masked[first + j])] *= clamp01(value[j]);
    }
}

/// One dab onto one tile.
void Stroke::lay_on(Tile& t, const Dab& dab) {
    if (t.added.empty()) t.added.assign(texels_of_tile, 0.f);
    const bool colors = photo_ && !photo_->as_mask;
    if (colors && t.ink.empty()) t.ink.assign(texels_of_tile, V3f(0.f));
    alignas(64) float most[texels_of_tile];  // in the blocks that are met
    alignas(64) float shape[texels_of_tile];
    std::vector<V3f> color(colors ? texels_of_tile : 0);
    uint64_t met = 0;
    for (size_t k = 0; k < t.laid->leaves.size(); ++k) {
        const Leaf& leaf = *t.laid->leaves[k];
        if (!meets(leaf.bounds, around(dab))) continue;
        const uint64_t blocks = blocks_met(leaf, dab);
        each_row(blocks & ~met, [&](int first) { _mm256_store_ps(most + first, _mm256_setzero_ps()); });
        met |= blocks;
        shape_of(leaf, blocks, dab, shape);
        allow(t, k, blocks, shape, dab);
        const float* allowed = t.allowed[dab.mirrored][k].much.data();
        each_row(blocks, [&](int first) {
            const __m256 s = _mm256_load_ps(shape + first);
            const __m256 counts = _mm256_cmp_ps(s, _mm256_set1_ps(least), _CMP_GT_OQ);
            const __m256 much = _mm256_and_ps(counts, _mm256_mul_ps(s, _mm256_loadu_ps(allowed + first)));
            const __m256 before = _mm256_load_ps(most + first);
            const auto more = unsigned(_mm256_movemask_ps(_mm256_cmp_ps(much, before, _CMP_GT_OQ)));
            for (unsigned left = colors ? more : 0; left; left &= left - 1) {
                const size_t i = size_t(first + std::countr_zero(left));
                color[i] = t.photo[k][i];
            }
            _mm256_store_ps(most + first, _mm256_max_ps(much, before));
        });
    }
    float* const added = t.added.data();
    const __m256 flow = _mm256_set1_ps(dab.flow);
    for (uint64_t left = met; left; left &= left - 1) {
        __m256 any = _mm256_setzero_ps();
        each_row(left & -left, [&](int first) {
            const __m256 m = _mm256_load_ps(most + first);
            const __m256 a = _mm256_loadu_ps(added + first);
            const __m256 more = _mm256_mul_ps(_mm256_mul_ps(_mm256_sub_ps(_mm256_set1_ps(1.f), a), m), flow);
            any = _mm256_or_ps(any, m);
            _mm256_storeu_ps(added + first, _mm256_add_ps(a, more));
            if (!colors) return;
            alignas(32) float by[8];
            _mm256_store_ps(by, more);
            for (size_t i = 0; i < 8; ++i) t.ink[size_t(first) + i] += color[size_t(first) + i] * by[i];
        });
        if (!_mm256_testz_si256(_mm256_castps_si256(any), _mm256_castps_si256(any))) t.dirty |= left & -left;
    }
}

namespace {

/// Box means of three over a square grid, along the rows and across them; of what is there.
void spread_means(std::vector<V4f>& grid, std::vector<float>& count, int n, bool only_missing, int rounds) {
    for (int r = 0; r < rounds; ++r)
        for (int pass = 0; pass < 2; ++pass) {
            const std::vector<V4f> from = grid;
            const std::vector<float> there = count;
            for (int y = 0; y < n; ++y)
                for (int x = 0; x < n; ++x) {
                    const size_t at = size_t(y) * size_t(n) + size_t(x);
                    if (only_missing && there[at] > 0.f) continue;
                    V4f sum(0.f);
                    float c = 0.f;
                    for (int d = -1; d <= 1; ++d) {
                        const int px = pass ? x : x + d;
                        const int py = pass ? y + d : y;
                        if (px < 0 || py < 0 || px >= n || py >= n) continue;
                        const size_t q = size_t(py) * size_t(n) + size_t(px);
                        if (there[q] > 0.f) sum += from[q], c += 1.f;
                    }
                    if (c > 0.f) grid[at] = sum / c, count[at] = 1.f;
                }
        }
}
/// A square grid's value between its cells.
template <class Grid> V4f between_cells(const Grid& from, int n, float x, float y) {
    const float fx = std::clamp(x - .5f, 0.f, float(n) - 1.001f);
    const float fy = std::clamp(y - .5f, 0.f, float(n) - 1.001f);
    const size_t i = size_t(fy) * size_t(n) + size_t(fx);
    const float a = fx - std::floor(fx);
    const float b = fy - std::floor(fy);
    const V4f top = from[i] * (1.f - a) + from[i + 1] * a;
    const V4f low = from[i + size_t(n)] * (1.f - a) + from[i + size_t(n) + 1] * a;
    return top * (1.f - b) + low * b;
}

}  // namespace

/// Smudging and blurring: the painting around the dab is laid into a grid of its frame, across all seams; each texel
/// then goes towards what the grid has at its place, blurred, or carried along from the dab before.
void Stroke::rub(const std::vector<Tile*>& hits, const Dab& dab) {
    constexpr int n = Carried::across;
    const int lanes = before_.lanes();
    std::vector<V4f> grid(size_t(n) * n, V4f(0.f));
    std::vector<float> count(size_t(n) * n, 0.f);
    const V3f y_axis = dab.axis.cross(dab.across) * (dab.mirrored ? -1.f : 1.f);
    struct Met {
        Tile* tile;
        int texel;
        float share, x, y;
    };
    std::vector<Met> met;
    alignas(64) float shape[texels_of_tile];
    for (Tile* t : hits) {
        if (t->work.empty()) {
            t->work.assign(size_t(texels_of_tile) * size_t(lanes), 0.f);
            const scene::Sheet* sheet = now_.sheet(canvas_->sheets()[t->sheet].tile);
            if (sheet && sheet->texels)
                if (const scene::TexelTile& tile = sheet->texels->tile(0, t->x, t->y))
                    for (size_t i = 0; i < t->work.size(); ++i) t->work[i] = scene::half_to_float(tile[i]);
        }
        for (size_t k = 0; k < t->laid->leaves.size(); ++k) {
            const Leaf& leaf = *t->laid->leaves[k];
            if (!meets(leaf.bounds, around(dab))) continue;
            std::memset(shape, 0, sizeof shape);
            const uint64_t blocks = blocks_met(leaf, dab);
            shape_of(leaf, blocks, dab, shape);
            allow(*t, k, blocks, shape, dab);
            for (int i = 0; i < texels_of_tile; ++i) {
                const V3f p = V3f(leaf.position[0][i], leaf.position[1][i], leaf.position[2][i]) - dab.centre;
                if (!(leaf.rows[size_t(i) / edge] >> (i % edge) & 1) || p.length2() > dab.radius * dab.radius * 2.f)
                    continue;
                const float x = (p.dot(dab.across) / dab.radius * .5f + .5f) * n;
                const float y = (p.dot(y_axis) / dab.radius * .5f + .5f) * n;
                if (!(x >= 0.f && y >= 0.f && x < n && y < n)) continue;
                const size_t at = size_t(y) * n + size_t(x);
                const float* w = &t->work[size_t(i) * size_t(lanes)];
                grid[at] += V4f(w[0], w[1], lanes > 2 ? w[2] : 0.f, lanes > 3 ? w[3] : 0.f);
                count[at] += 1.f;
                const float share = shape[i] > least ? shape[i] * t->allowed[dab.mirrored][k].much[size_t(i)] : 0.f;
                if (share > 0.f) met.push_back({t, i, share, x, y});
            }
        }
    }
    for (size_t i = 0; i < grid.size(); ++i)
        if (count[i] > 0.f) grid[i] /= count[i];
    spread_means(grid, count, n, true, n / 6);
    if (brush_.mode == Mode::blur) spread_means(grid, count, n, false, 3);
    if (!carried_) carried_ = std::make_unique<Carried>();
    const bool smudges = brush_.mode == Mode::smudge;
    if (smudges && !carried_->filled) {
        std::copy(grid.begin(), grid.end(), carried_->texels.begin());
        carried_->filled = true;
        return;
    }
    for (const Met& m : met) {
        const V4f to = smudges ? between_cells(carried_->texels, n, m.x, m.y) : between_cells(grid, n, m.x, m.y);
        float* w = &m.tile->work[size_t(m.texel) * size_t(lanes)];
        const float a = clamp01(m.share * dab.flow * brush_.opacity);
        for (int c = 0; c < lanes; ++c) w[c] += a * (to[c] - w[c]);
        m.tile->dirty |= uint64_t(1) << block_of(m.texel);
    }
    if (!smudges) return;
    for (size_t i = 0; i < grid.size(); ++i)
        carried_->texels[i] = carried_->texels[i] * .8f + grid[i] * .2f;  // a brush takes up some of what it meets
}

void Stroke::dab(const Dab& one) {
    if (!(one.radius > 0.f) || !finite(one.centre) || !finite(one.axis) || !finite(one.across)) return;
    for (const Dab& d : mirrored(one, brush_.mirrored)) waiting_.push_back(d);
    constexpr size_t most_waiting = 256;
    if (brush_.mode == Mode::smudge || brush_.mode == Mode::blur || waiting_.size() > most_waiting) make_dabs();
}

/// The tiles that a dab may reach.
std::vector<Stroke::Tile*> Stroke::met_by(const Dab& dab) {
    const Box3f box = around(dab);
    std::vector<Tile*> hits;
    for (size_t s = 0; s < canvas_->sheets().size(); ++s) {
        const Canvas::SheetPlace& place = canvas_->sheets()[s];
        if (!meets(place.bounds, box)) continue;
        if (!layouts_[s]) layouts_[s] = canvas_->layout(place, Canvas::size_of(place, before_));
        const SheetLayout& layout = *layouts_[s];
        for (const int i : layout.tiles_in(box)) hits.push_back(&tile_at(s, i % layout.across(), i / layout.across()));
    }
    return hits;
}

void Stroke::make_dabs() {
    const bool rubs = brush_.mode == Mode::smudge || brush_.mode == Mode::blur;
    const std::vector<Dab> dabs = std::exchange(waiting_, {});
    std::vector<std::vector<Tile*>> met;
    std::vector<Tile*> tiles;
    for (const Dab& d : dabs) {
        met.push_back(met_by(d));
        for (Tile* t : met.back()) {
            if (t->dabs.empty()) tiles.push_back(t);
            t->dabs.push_back(&d);
        }
    }
    // Those that are to be laid out take longest: they go first, and whoever is free takes the next.
    std::stable_partition(tiles.begin(), tiles.end(), [](const Tile* t) { return !t->laid; });
    std::atomic<size_t> next{0};
    parallel_ranges(tiles.size(), 1, [&](size_t first, size_t last) {
        for (; first < last; ++first) {
            Tile& t = *tiles[next++];
            if (!t.laid) t.laid = layouts_[t.sheet]->tile(t.x, t.y);
            for (const Dab* d : t.dabs)
                if (!rubs) lay_on(t, *d);
            t.dabs.clear();
        }
    });
    for (size_t i = 0; i < dabs.size(); ++i) {
        if (rubs) rub(met[i], dabs[i]);
        const Box3f box = around(dabs[i]);
        float finest = __builtin_inff();
        for (const Tile* t : met[i])
            for (const auto& leaf : t->laid->leaves)
                if (leaf->texel > 0.f && meets(leaf->bounds, box))
                    finest = std::min(finest, dabs[i].radius / leaf->texel);
        if (std::isfinite(finest)) texels_across_ = finest;
        if (!met[i].empty()) changed_.extendBy(box);
    }
}

namespace {

/// One ink over eight texels, by what was added to each. `base`: what was there before; null: nothing.
template <int lanes>
void blend(const V4f& ink, const float* added, float opacity, const uint16_t* base, uint16_t* out) {
    const __m256 full = lanes == 2 ? _mm256_setr_ps(ink.x, ink.y, ink.x, ink.y, ink.x, ink.y, ink.x, ink.y)
                                   : _mm256_setr_ps(ink.x, ink.y, ink.z, ink.w, ink.x, ink.y, ink.z, ink.w);
    const __m256 much = _mm256_mul_ps(_mm256_loadu_ps(added), _mm256_set1_ps(opacity));
    const __m256 amount = _mm256_min_ps(_mm256_max_ps(much, _mm256_setzero_ps()), _mm256_set1_ps(1.f));
    // Which texel each number is of.
    __m256i of = lanes == 2 ? _mm256_setr_epi32(0, 0, 1, 1, 2, 2, 3, 3) : _mm256_setr_epi32(0, 0, 0, 0, 1, 1, 1, 1);
    for (int i = 0; i < 8 * lanes; i += 8, of = _mm256_add_epi32(of, _mm256_set1_epi32(8 / lanes))) {
        const __m256 row =
            base ? _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(base + i))) : _mm256_setzero_ps();
        const __m256 a = _mm256_permutevar8x32_ps(amount, of);
        const __m256 mixed = _mm256_add_ps(row, _mm256_mul_ps(_mm256_sub_ps(full, row), a));
        _mm_storeu_si128(reinterpret_cast<__m128i*>(out + i), _mm256_cvtps_ph(mixed, _MM_FROUND_TO_NEAREST_INT));
    }
}

}  // namespace

const scene::Painting& Stroke::now() {
    make_dabs();
    const int lanes = before_.lanes();
    std::map<size_t, std::vector<Tile*>> dirty;
    for (auto& [key, t] : tiles_)
        if (t->dirty) dirty[t->sheet].push_back(t.get());
    for (auto& of_sheet : dirty) {
        const auto& s = of_sheet.first;
        auto& tiles = of_sheet.second;
        const Canvas::SheetPlace& place = canvas_->sheets()[s];
        const auto sheet_of = [&](scene::Painting& p) -> scene::Sheet* {
            for (scene::Sheet& sheet : p.sheets)
                if (sheet.tile == place.tile) return &sheet;
            return nullptr;
        };
        scene::Sheet* sheet = sheet_of(now_);
        if (!sheet) {
            now_.sheets.push_back({place.tile, Canvas::size_of(place, before_), place.part, nullptr, {}});
            sheet = &now_.sheets.back();
        }
        const scene::Sheet* old = before_.sheet(place.tile);
        scene::TexelsEdit edit(sheet->texels ? sheet->texels : scene::Texels::blank(sheet->size, lanes));
        std::vector<scene::TexelsEdit::Part> parts;
        for (const Tile* t : tiles) parts.push_back({t->x, t->y, t->dirty, true});
        edit.tiles(parts, [&](size_t k, uint16_t* to) {
            Tile& t = *tiles[k];
            const scene::TexelTile* base = old && old->texels ? &old->texels->tile(0, t.x, t.y) : nullptr;
            show(t, base ? base->get() : nullptr, lanes, to);
            t.dirty = 0;
        });
        sheet->texels = edit.done(layouts_[s].get());
    }
    return now_;
}

/// The blocks of a tile that have changed: what the stroke has added, over what was there (null: nothing).
void Stroke::show(const Tile& t, const uint16_t* base, int lanes, uint16_t* out) const {
    const bool erases = brush_.mode == Mode::erase;
    const V3f ink = erases ? V3f(0.f) : ink_;
    const float there = erases ? 0.f : 1.f;
    const V4f full(ink.x, lanes == 2 ? there : ink.y, ink.z, there);
    each_row(t.dirty, [&](int first) {
        const int numbers = 8 * lanes;
        const size_t at = size_t(first) * size_t(lanes);
        if (!t.work.empty()) {
            for (size_t i = at; i < at + size_t(numbers); ++i) out[i] = scene::float_to_half(t.work[i]);
            return;
        }
        if (t.ink.empty()) {
            (lanes == 2 ? blend<2> : blend<4>)(full, t.added.data() + first, brush_.opacity, base ? base + at : nullptr,
                                               out + at);
            return;
        }
        float row[8 * 4];
        for (int i = 0; i < numbers; ++i) row[i] = base ? scene::half_to_float(base[at + size_t(i)]) : 0.f;
        blend_photo(t, size_t(first), lanes, row);
        for (int i = 0; i < numbers; ++i) out[at + size_t(i)] = scene::float_to_half(row[i]);
    });
}

/// The same for eight texels that a photo has inked.
void Stroke::blend_photo(const Tile& t, size_t first, int lanes, float* row) const {
    const bool erases = brush_.mode == Mode::erase;
    for (size_t i = first; i < first + 8; ++i, row += lanes) {
        const float a = clamp01(t.added[i] * brush_.opacity);
        if (a <= 0.f) continue;
        V3f ink = erases ? V3f(0.f) : t.ink[i] / std::max(1e-9f, t.added[i]);
        if (lanes == 2) ink.x = luminance(ink);
        for (int c = 0; c < lanes - 1; ++c) row[c] += (ink[c] - row[c]) * a;
        row[lanes - 1] += ((erases ? 0.f : 1.f) - row[lanes - 1]) * a;
    }
}

Box3f Stroke::changed() {
    make_dabs();
    return std::exchange(changed_, Box3f());
}

void Stroke::again() {
    waiting_.clear();
    for (auto& [key, t] : tiles_) {
        std::fill(t->added.begin(), t->added.end(), 0.f);
        std::fill(t->ink.begin(), t->ink.end(), V3f(0.f));
        t->work.clear();
        if (!t->added.empty()) t->dirty = ~uint64_t(0);
        if (t->laid)
            for (const auto& leaf : t->laid->leaves) changed_.extendBy(leaf->bounds);
    }
    if (carried_) carried_->filled = false;
}

}  // namespace vemtra::paint
