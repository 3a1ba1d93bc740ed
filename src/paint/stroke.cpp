#include "paint/stroke.h"

#include <immintrin.h>

#include <bit>
#include <cstring>

#include "base/parallel.h"
#include "render/materials.h"
#include "render/pinhole.h"

namespace vemtra::paint {
namespace {

constexpr float least = 1.f / 4096.f;  // of a dab's shape, that counts
constexpr float unknown = -1.f;        // of what is allowed

bool meets(const Box3f& a, const Box3f& b) {
    return a.intersects(b);
}
Box3f around(const Dab& d) {
    Box3f box(d.centre, d.centre);
    const V3f r(d.radius * (d.tip ? 1.75f : 1.f));
    box.min -= r;
    box.max += r;
    return box;
}

/// How much of a dab each texel of a leaf gets, 0..1: its shape, times how the surface faces it.
void shape_of(const Leaf& leaf, const Dab& d, float* out) {
    const V3f y_axis = d.axis.cross(d.across) * (d.mirrored ? -1.f : 1.f);
    const float to_unit = 1.f / d.radius;
    const float round = 1.f / d.roundness;
    const float soft = std::max({1e-3f, 1.f - d.hardness, std::min(1.f, leaf.texel * to_unit)});
    const float inverse_soft = 1.f / soft;
    const float limit = std::cos(radians(std::clamp(d.steep, 1.f, 180.f)));
    const float whole = std::cos(radians(std::max(0.f, d.steep - 20.f)));
    const float inverse_fade = 1.f / std::max(1e-4f, whole - limit);
    const bool all_ways = d.steep >= 180.f;
    const float side = d.behind ? -1.f : 1.f;
    const float* const px = leaf.position[0];
    const float* const py = leaf.position[1];
    const float* const pz = leaf.position[2];
    const float* const nx = leaf.normal[0];
    const float* const ny = leaf.normal[1];
    const float* const nz = leaf.normal[2];
    const Box3f reached = around(d);
    for (int b = 0; b < 64; ++b) {
        const int first = b / 8 * 8 * edge + b % 8 * 8;
        const bool met = !leaf.blocks[size_t(b)].isEmpty() && meets(leaf.blocks[size_t(b)], reached);
        for (int r = 0; r < 8; ++r) {
            const int from = first + r * edge;
            if (!met) {
                std::memset(out + from, 0, 8 * sizeof(float));
                continue;
            }
            for (int i = from; i < from + 8; ++i) {
                const float dx = px[i] - d.centre.x;
                const float dy = py[i] - d.centre.y;
                const float dz = pz[i] - d.centre.z;
                const float x = (dx * d.across.x + dy * d.across.y + dz * d.across.z) * to_unit;
                const float y = (dx * y_axis.x + dy * y_axis.y + dz * y_axis.z) * to_unit * round;
                const float z = (dx * d.axis.x + dy * d.axis.y + dz * d.axis.z) * to_unit;
                const float rho = std::sqrt(x * x + y * y + z * z);
                float t = (1.f - rho) * inverse_soft;
                t = t < 0.f ? 0.f : t > 1.f ? 1.f : t;
                const float facing = side * (nx[i] * d.axis.x + ny[i] * d.axis.y + nz[i] * d.axis.z);
                float f = (facing - limit) * inverse_fade;
                f = f < 0.f ? 0.f : f > 1.f ? 1.f : f;
                out[i] = t * t * (3.f - 2.f * t) * (all_ways ? 1.f : f);
            }
        }
    }
    if (d.tip) {
        const float width = 2.f * leaf.texel * to_unit;
        for (size_t r = 0; r < edge; ++r)
            for (uint64_t row = leaf.rows[r]; row; row &= row - 1) {
                const size_t i = r * edge + size_t(std::countr_zero(row));
                if (!meets(leaf.blocks[size_t(block_of(int(i)))], reached)) continue;
                const V3f p(px[i] - d.centre.x, py[i] - d.centre.y, pz[i] - d.centre.z);
                const float z = std::fabs(p.dot(d.axis)) * to_unit;
                const float facing = side * (nx[i] * d.axis.x + ny[i] * d.axis.y + nz[i] * d.axis.z);
                const float deep = clamp01((1.f - z) * 4.f);
                out[i] = d.tip->at(p.dot(d.across) * to_unit, p.dot(y_axis) * to_unit * round, width) * deep *
                         (all_ways ? 1.f : clamp01((facing - limit) * inverse_fade));
            }
    }
    for (size_t r = 0; r < edge; ++r) {  // those that it does not have
        const uint64_t row = leaf.rows[r];
        if (row == ~uint64_t(0)) continue;
        for (size_t x = 0; x < edge; ++x)
            if (!(row >> x & 1)) out[r * edge + x] = 0.f;
    }
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

// The map of a unit square to a quadrilateral, turned round (Heckbert 1989, "Fundamentals of Texture Mapping and Image
// Warping", 2.2.3).
bool Photo::place(V2f p, V2f& at) const {
    const V2f& a = corners[0];
    const V2f& b = corners[1];
    const V2f& c = corners[2];
    const V2f& d = corners[3];
    const double sx = double(a.x) - b.x + c.x - d.x;
    const double sy = double(a.y) - b.y + c.y - d.y;
    const double dx1 = double(b.x) - c.x;
    const double dx2 = double(d.x) - c.x;
    const double dy1 = double(b.y) - c.y;
    const double dy2 = double(d.y) - c.y;
    const double det = dx1 * dy2 - dx2 * dy1;
    if (!(std::fabs(det) > 1e-9)) return false;
    const double g = (sx * dy2 - dx2 * sy) / det;
    const double h = (dx1 * sy - sx * dy1) / det;
    const double m[3][3] = {
        {b.x - a.x + g * b.x, d.x - a.x + h * d.x, a.x}, {b.y - a.y + g * b.y, d.y - a.y + h * d.y, a.y}, {g, h, 1.}};
    // The inverse by cofactors, at (p, 1).
    const double u = (m[1][1] * m[2][2] - m[1][2] * m[2][1]) * p.x + (m[0][2] * m[2][1] - m[0][1] * m[2][2]) * p.y +
                     (m[0][1] * m[1][2] - m[0][2] * m[1][1]);
    const double v = (m[1][2] * m[2][0] - m[1][0] * m[2][2]) * p.x + (m[0][0] * m[2][2] - m[0][2] * m[2][0]) * p.y +
                     (m[0][2] * m[1][0] - m[0][0] * m[1][2]);
    const double w = (m[1][0] * m[2][1] - m[1][1] * m[2][0]) * p.x + (m[0][1] * m[2][0] - m[0][0] * m[2][1]) * p.y +
                     (m[0][0] * m[1][1] - m[0][1] * m[1][0]);
    if (!(std::fabs(w) > 1e-12)) return false;
    at = V2f(float(u / w), float(v / w));
    return at.x >= 0.f && at.x <= 1.f && at.y >= 0.f && at.y <= 1.f;
}

V3f Photo::read(V2f at, float& amount) const {
    const float x = at.x * float(width) - .5f;
    const float y = at.y * float(height) - .5f;
    const int ix = int(std::floor(x));
    const int iy = int(std::floor(y));
    auto index = [&](int i, int j) {
        return size_t(std::clamp(j, 0, height - 1)) * size_t(width) + size_t(std::clamp(i, 0, width - 1));
    };
    V3f color(0.f);
    float there = 0.f;
    for (int k = 0; k < 4; ++k) {
        const float w = (k & 1 ? x - float(ix) : 1.f - x + float(ix)) * (k & 2 ? y - float(iy) : 1.f - y + float(iy));
        const size_t i = index(ix + (k & 1), iy + (k >> 1));
        const float a = alpha.empty() ? 1.f : alpha[i];
        color += pixels[i] * (w * a);
        there += w * a;
    }
    amount = there;
    if (there > 1e-6f) color /= there;
    if (!as_mask) return color;
    const float light = linear_to_srgb(clamp01(luminance(color)));
    const float level = clamp01((light - black) / std::max(1e-4f, white - black));
    amount *= inverse ? 1.f - level : level;
    return color;
}

struct Stroke::Tile {
    size_t sheet = 0;
    int x = 0, y = 0;
    std::shared_ptr<const LaidTile> laid;
    std::vector<float> added;                 ///< by the stroke so far, 0..1
    std::vector<V3f> ink;                     ///< of each texel, times `added`: where a photo gives it
    std::vector<std::vector<float>> allowed;  ///< per leaf: how much the stroke may do, `unknown` until it is asked
    std::vector<std::vector<V3f>> photo;      ///< per leaf: the photo's colour
    std::vector<float> work;                  ///< of brushes that rub: all lanes as they are now
    bool dirty = false;
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

/// What the photo, or what the camera sees, or a mask lets through: asked once for each texel.
void Stroke::allow(Tile& t, size_t k, const float* shape, const Dab& dab) {
    const Leaf& leaf = *t.laid->leaves[k];
    if (t.allowed.size() <= k) t.allowed.resize(t.laid->leaves.size());
    std::vector<float>& allowed = t.allowed[k];
    if (allowed.empty()) allowed.assign(texels_of_tile, unknown);
    const render::Prepared& p = *canvas_->prepared();
    const render::Pinhole eye(view_.camera, view_.width, view_.height, view_.framed);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCScene scene = p.geometry->scene();
    std::vector<int> fresh;
    for (int i = 0; i < texels_of_tile; ++i)
        if (shape[i] > least && allowed[size_t(i)] == unknown) fresh.push_back(i);
    std::vector<V3f> places(fresh.size());
    for (size_t j = 0; j < fresh.size(); ++j) {
        const int i = fresh[j];
        places[j] = V3f(leaf.position[0][i], leaf.position[1][i], leaf.position[2][i]);
        allowed[size_t(i)] = 1.f;
        if (leaf.inside[size_t(i) / edge] >> (i % edge) & 1) continue;
        const float u = clamp01(leaf.u[i]);  // a texel of the gutter stands for the nearest point of its face
        places[j] = p.geometry->at({leaf.instance[i], leaf.face[i], u, std::clamp(leaf.v[i], 0.f, 1.f - u)}).position;
    }
    if (!limits_.through && !dab.mirrored)
        for (size_t first = 0; first < fresh.size(); first += 16) {
            const int n = int(std::min<size_t>(16, fresh.size() - first));
            alignas(64) RTCRay16 rays;
            alignas(64) int valid[16];
            for (int k = 0; k < 16; ++k) {
                const size_t j = first + size_t(std::min(k, n - 1));
                const int i = fresh[j];
                V3f normal(leaf.normal[0][i], leaf.normal[1][i], leaf.normal[2][i]);
                const V3f to_eye = eye.origin - places[j];
                const float distance = to_eye.length();
                if (normal.dot(to_eye) < 0.f) normal = -normal;
                geometry::set_ray(rays, k, places[j] + normal * (.75f * leaf.texel), to_eye / distance,
                                  distance * .999f);
                valid[k] = k < n ? -1 : 0;
            }
            rtcOccluded16(valid, scene, &context, &rays);
            for (int k = 0; k < n; ++k)
                if (rays.tfar[k] < 0.f) allowed[size_t(fresh[first + size_t(k)])] = 0.f;
        }
    std::vector<int> masked;
    const bool looks = !limits_.outline.empty() || photo_ || limits_.mask;
    for (size_t j = 0; looks && j < fresh.size(); ++j) {
        const int i = fresh[j];
        float& a = allowed[size_t(i)];
        const V3f to_eye = eye.origin - places[j];
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
            const float u = clamp01(leaf.u[i]);
            const geometry::Place at{leaf.instance[i], leaf.face[i], u, std::clamp(leaf.v[i], 0.f, 1.f - u)};
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
    if (photo_ && !photo_->as_mask && t.ink.empty()) t.ink.assign(texels_of_tile, V3f(0.f));
    alignas(64) float most[texels_of_tile];
    alignas(64) float shape[texels_of_tile];
    std::memset(most, 0, sizeof most);
    std::vector<V3f> color(t.ink.empty() ? 0 : texels_of_tile);
    bool any = false;
    for (size_t k = 0; k < t.laid->leaves.size(); ++k) {
        const Leaf& leaf = *t.laid->leaves[k];
        if (!meets(leaf.bounds, around(dab))) continue;
        shape_of(leaf, dab, shape);
        allow(t, k, shape, dab);
        const float* allowed = t.allowed[k].data();
        for (int i = 0; i < texels_of_tile; ++i) {
            const float f = shape[i] > least ? shape[i] * std::max(0.f, allowed[i]) : 0.f;
            if (!color.empty() && f > most[i]) color[size_t(i)] = t.photo[k][size_t(i)];
            most[i] = std::max(most[i], f);
        }
        any = true;
    }
    if (!any) return;
    float* added = t.added.data();
    const float flow = dab.flow;
    if (!color.empty())
        for (size_t i = 0; i < texels_of_tile; ++i) {
            const float more = (1.f - added[i]) * most[i] * flow;
            t.ink[i] += color[i] * more;
        }
    float sum = 0.f;
    for (int i = 0; i < texels_of_tile; ++i) {
        sum += most[i];
        added[i] += (1.f - added[i]) * most[i] * flow;
    }
    t.dirty |= sum > 0.f;
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
            shape_of(leaf, dab, shape);
            allow(*t, k, shape, dab);
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
                const float share = shape[i] > least ? shape[i] * std::max(0.f, t->allowed[k][size_t(i)]) : 0.f;
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
        m.tile->dirty = true;
    }
    if (!smudges) return;
    for (size_t i = 0; i < grid.size(); ++i)
        carried_->texels[i] = carried_->texels[i] * .8f + grid[i] * .2f;  // a brush takes up some of what it meets
}

void Stroke::dab(const Dab& one) {
    if (!(one.radius > 0.f) || !finite(one.centre) || !finite(one.axis) || !finite(one.across)) return;
    for (const Dab& d : mirrored(one, brush_.mirrored)) {
        const Box3f box = around(d);
        std::vector<Tile*> hits;
        for (size_t s = 0; s < canvas_->sheets().size(); ++s) {
            const Canvas::SheetPlace& place = canvas_->sheets()[s];
            if (!meets(place.bounds, box)) continue;
            if (!layouts_[s]) layouts_[s] = canvas_->layout(place, Canvas::size_of(place, before_));
            const SheetLayout& layout = *layouts_[s];
            for (int y = 0; y < layout.across(); ++y)
                for (int x = 0; x < layout.across(); ++x)
                    if (!layout.bounds(x, y).isEmpty() && meets(layout.bounds(x, y), box))
                        hits.push_back(&tile_at(s, x, y));
        }
        parallel_ranges(hits.size(), 1, [&](size_t first, size_t last) {
            for (size_t i = first; i < last; ++i) {
                Tile& t = *hits[i];
                if (!t.laid) t.laid = layouts_[t.sheet]->tile(t.x, t.y);
                if (brush_.mode != Mode::smudge && brush_.mode != Mode::blur) lay_on(t, d);
            }
        });
        if (brush_.mode == Mode::smudge || brush_.mode == Mode::blur) rub(hits, d);
        float finest = __builtin_inff();
        for (const Tile* t : hits)
            for (const auto& leaf : t->laid->leaves)
                if (leaf->texel > 0.f && meets(leaf->bounds, box)) finest = std::min(finest, d.radius / leaf->texel);
        if (std::isfinite(finest)) texels_across_ = finest;
        if (!hits.empty()) changed_.extendBy(box);
    }
}

const scene::Painting& Stroke::now() {
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
        std::vector<uint16_t*> to;
        for (Tile* t : tiles) to.push_back(edit.tile(t->x, t->y));
        parallel_ranges(tiles.size(), 1, [&](size_t first, size_t last) {
            for (size_t j = first; j < last; ++j) {
                Tile& t = *tiles[j];
                t.dirty = false;
                uint16_t* out = to[j];
                if (!t.work.empty()) {
                    for (size_t i = 0; i < t.work.size(); ++i) out[i] = scene::float_to_half(t.work[i]);
                    continue;
                }
                const size_t halves = size_t(texels_of_tile) * size_t(lanes);
                const scene::TexelTile* base = old && old->texels ? &old->texels->tile(0, t.x, t.y) : nullptr;
                if (base && *base)
                    std::memcpy(out, base->get(), halves * sizeof(uint16_t));
                else
                    std::memset(out, 0, halves * sizeof(uint16_t));
                composite(t, out, lanes);
            }
        });
        sheet->texels = edit.done(layouts_[s].get());
    }
    return now_;
}

/// What the stroke has added, over what was there: halves in and out.
void Stroke::composite(const Tile& t, uint16_t* texels, int lanes) const {
    alignas(64) float work[texels_of_tile * 4];
    const size_t halves = size_t(texels_of_tile) * size_t(lanes);
    for (size_t i = 0; i < halves; i += 8)
        _mm256_store_ps(work + i, _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(texels + i))));
    const bool erases = brush_.mode == Mode::erase;
    V3f ink = erases ? V3f(0.f) : ink_;
    const float opacity = brush_.opacity;
    const float* added = t.added.data();
    if (t.ink.empty()) {
        const float full[4] = {ink.x, lanes == 2 ? (erases ? 0.f : 1.f) : ink.y, ink.z, erases ? 0.f : 1.f};
        for (int i = 0; i < texels_of_tile; ++i) {
            const float a = std::min(1.f, std::max(0.f, added[i] * opacity));
            float* w = work + i * lanes;
            for (int c = 0; c < lanes; ++c) w[c] += (full[c] - w[c]) * a;
        }
    } else {
        for (int i = 0; i < texels_of_tile; ++i) {
            const float a = clamp01(added[i] * opacity);
            if (a <= 0.f) continue;
            ink = erases ? V3f(0.f) : t.ink[size_t(i)] / std::max(1e-9f, added[i]);
            if (lanes == 2) ink.x = luminance(ink);
            float* w = work + i * lanes;
            for (int c = 0; c < lanes - 1; ++c) w[c] += (ink[c] - w[c]) * a;
            w[lanes - 1] += ((erases ? 0.f : 1.f) - w[lanes - 1]) * a;
        }
    }
    for (size_t i = 0; i < halves; i += 8)
        _mm_storeu_si128(reinterpret_cast<__m128i*>(texels + i),
                         _mm256_cvtps_ph(_mm256_load_ps(work + i), _MM_FROUND_TO_NEAREST_INT));
}

Box3f Stroke::changed() {
    return std::exchange(changed_, Box3f());
}

void Stroke::again() {
    for (auto& [key, t] : tiles_) {
        std::fill(t->added.begin(), t->added.end(), 0.f);
        std::fill(t->ink.begin(), t->ink.end(), V3f(0.f));
        t->work.clear();
        t->dirty |= !t->added.empty();
        if (t->laid)
            for (const auto& leaf : t->laid->leaves) changed_.extendBy(leaf->bounds);
    }
    if (carried_) carried_->filled = false;
}

}  // namespace vemtra::paint
