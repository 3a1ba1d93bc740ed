#include "geometry/charts.h"

#include <algorithm>
#include <cmath>
#include <mutex>

#include "geometry/places.h"

namespace vemtra::geometry {
namespace {

constexpr float widest_turn = .64f;  // cosine of what a face may be turned away from its chart's first one: 50 degrees
constexpr float padding = 10.f;      // texels between charts: what is painted around each, twice, and two
constexpr int least_size = 64, largest_size = 8192;

struct Chart {
    std::vector<uint32_t> faces;
    V3f x, y;
    V2f low, high;  // metres
};

std::vector<Chart> cut(const Mesh& m) {
    const size_t count = m.triangles();
    std::vector<V3f> normal(count);
    for (size_t f = 0; f < count; ++f) {
        const uint32_t* c = &m.indices[3 * f];
        const V3f n = (m.positions[c[1]] - m.positions[c[0]]).cross(m.positions[c[2]] - m.positions[c[0]]);
        normal[f] = n.length() > 1e-20f ? n.normalized() : V3f(0.f);
    }
    const auto next = faces_beside(m, first_at_place(m));
    std::vector<Chart> charts;
    std::vector<char> taken(count, 0);
    std::vector<uint32_t> open;
    for (size_t f = 0; f < count; ++f) {
        if (taken[f] || normal[f].length2() < .5f) continue;
        Chart chart;
        taken[f] = 1;
        open.assign(1, uint32_t(f));
        while (!open.empty()) {
            const uint32_t at = open.back();
            open.pop_back();
            chart.faces.push_back(at);
            for (const int n : next[at]) {
                if (n < 0 || taken[size_t(n)] || normal[size_t(n)].dot(normal[f]) < widest_turn) continue;
                taken[size_t(n)] = 1;
                open.push_back(uint32_t(n));
            }
        }
        std::sort(chart.faces.begin(), chart.faces.end());
        const Frame frame(normal[f]);
        chart.x = frame.tangent;
        chart.y = frame.bitangent;
        chart.low = V2f(INFINITY);
        chart.high = V2f(-INFINITY);
        for (const uint32_t face : chart.faces)
            for (int k = 0; k < 3; ++k) {
                const V3f& p = m.positions[m.indices[3 * size_t(face) + size_t(k)]];
                const V2f q(p.dot(chart.x), p.dot(chart.y));
                chart.low = V2f(std::min(chart.low.x, q.x), std::min(chart.low.y, q.y));
                chart.high = V2f(std::max(chart.high.x, q.x), std::max(chart.high.y, q.y));
            }
        if (std::isfinite(chart.low.x + chart.low.y + chart.high.x + chart.high.y)) charts.push_back(std::move(chart));
    }
    return charts;
}

/// Rows of charts, the highest first. Where each begins, in texels; false where they do not fit.
bool pack(const std::vector<Chart>& charts, const std::vector<size_t>& order, float texel, int size,
          std::vector<V2f>& at) {
    at.assign(charts.size(), V2f(0.f));
    float x = padding * .5f;
    float y = padding * .5f;
    float row = 0.f;
    for (const size_t i : order) {
        const V2f extent = (charts[i].high - charts[i].low) / texel;
        if (!(extent.x + padding < float(size)) || !(extent.y + padding < float(size))) return false;
        if (x + extent.x + padding * .5f > float(size)) {
            y += row + padding;
            x = padding * .5f;
            row = 0.f;
        }
        if (y + extent.y + padding * .5f > float(size)) return false;
        at[i] = V2f(x, y);
        x += extent.x + padding;
        row = std::max(row, extent.y);
    }
    return true;
}

std::shared_ptr<const Charts> make(const Mesh& m, float texel) {
    auto out = std::make_shared<Charts>();
    out->corner.assign(3 * m.triangles(), V2f(0.f));
    const std::vector<Chart> charts = cut(m);
    out->count = charts.size();
    std::vector<size_t> order(charts.size());
    for (size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::sort(order.begin(), order.end(), [&](size_t a, size_t b) {
        const float ha = charts[a].high.y - charts[a].low.y;
        const float hb = charts[b].high.y - charts[b].low.y;
        return ha != hb ? ha > hb : a < b;
    });
    std::vector<V2f> at;
    out->texel = texel;
    out->size = least_size;
    for (int tries = 0; tries < 80 && !pack(charts, order, out->texel, out->size, at); ++tries) {
        if (out->size < largest_size)
            out->size *= 2;
        else
            out->texel *= 1.25f;
    }
    for (size_t i = 0; i < charts.size(); ++i)
        for (const uint32_t f : charts[i].faces)
            for (size_t k = 0; k < 3; ++k) {
                const V3f& p = m.positions[m.indices[3 * size_t(f) + k]];
                const V2f q = (V2f(p.dot(charts[i].x), p.dot(charts[i].y)) - charts[i].low) / out->texel + at[i];
                out->corner[3 * size_t(f) + k] = q / float(out->size);
            }
    return out;
}

}  // namespace

void Charts::gradients(const Mesh& m, uint32_t face, V3f& u, V3f& v) const {
    u = v = V3f(0.f);
    const uint32_t* i = &m.indices[3 * size_t(face)];
    V3f d1;
    V3f d2;
    if (!dual_basis(m.positions[i[1]] - m.positions[i[0]], m.positions[i[2]] - m.positions[i[0]], d1, d2)) return;
    const V2f* c = &corner[3 * size_t(face)];
    u = d1 * (c[1].x - c[0].x) + d2 * (c[2].x - c[0].x);
    v = d1 * (c[1].y - c[0].y) + d2 * (c[2].y - c[0].y);
    if (!finite(u) || !finite(v)) u = v = V3f(0.f);
}

std::shared_ptr<const Charts> charts_of(const std::shared_ptr<const Shape>& shape, float texel) {
    struct Kept {
        std::weak_ptr<const Shape> shape;
        float texel;
        std::weak_ptr<const Charts> charts;
    };
    static std::mutex mutex;
    static std::vector<Kept> kept;
    texel = std::isfinite(texel) && texel > 1e-9f ? texel : 1e-3f;
    {
        std::lock_guard lock(mutex);
        std::erase_if(kept, [](const Kept& k) { return k.shape.expired() || k.charts.expired(); });
        for (const Kept& k : kept)
            if (k.texel == texel && k.shape.lock() == shape)
                if (auto charts = k.charts.lock()) return charts;
    }
    auto made = make(shape->faces_as_triangles(), texel);
    std::lock_guard lock(mutex);
    kept.push_back({shape, texel, made});
    return made;
}

}  // namespace vemtra::geometry
