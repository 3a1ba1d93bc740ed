#include "geometry/uv_report.h"

#include <algorithm>
#include <map>

namespace vemtra::geometry {
namespace {

constexpr int grid = 512;

/// Share of the texels, of those used at all, whose centre lies well inside of two triangles or more.
float overlap(const Mesh& m) {
    std::map<int, std::vector<uint8_t>> tiles;
    size_t used = 0;
    size_t twice = 0;
    for (size_t t = 0; t < m.triangles(); ++t) {
        const V2f a = m.uvs[m.indices[3 * t]];
        const V2f b = m.uvs[m.indices[3 * t + 1]];
        const V2f c = m.uvs[m.indices[3 * t + 2]];
        const V2f middle = (a + b + c) / 3.f;
        if (!(middle.x >= 0.f && middle.x < 10.f && middle.y >= 0.f && middle.y < 100.f)) continue;
        const int u = int(middle.x);
        const int v = int(middle.y);
        auto& counts = tiles[u + 10 * v];
        if (counts.empty()) counts.assign(size_t(grid) * grid, 0);
        const V2f o{float(u), float(v)};
        const V2f p = (a - o) * float(grid);
        const V2f q = (b - o) * float(grid);
        const V2f r = (c - o) * float(grid);
        const float area = (q - p).cross(r - p);
        if (!(std::fabs(area) > 1e-9f)) continue;
        auto low = [&](float x) { return int(std::clamp(std::floor(x - .5f), 0.f, float(grid - 1))); };
        auto high = [&](float x) { return int(std::clamp(std::ceil(x), 0.f, float(grid - 1))); };
        for (int y = low(std::min({p.y, q.y, r.y})); y <= high(std::max({p.y, q.y, r.y})); ++y)
            for (int x = low(std::min({p.x, q.x, r.x})); x <= high(std::max({p.x, q.x, r.x})); ++x) {
                const V2f s(float(x) + .5f, float(y) + .5f);
                const float wa = (q - s).cross(r - s) / area;
                const float wb = (r - s).cross(p - s) / area;
                const float wc = 1.f - wa - wb;
                // An edge that two triangles share belongs to neither: strictly inside counts.
                if (wa <= 1e-4f || wb <= 1e-4f || wc <= 1e-4f) continue;
                uint8_t& n = counts[size_t(y) * grid + size_t(x)];
                used += n == 0;
                twice += n == 1;
                n = uint8_t(std::min(2, n + 1));
            }
    }
    return used ? float(twice) / float(used) : 0.f;
}

}  // namespace

UvReport check_uvs(const Shape& shape) {
    const Mesh& m = shape.faces_as_triangles();
    UvReport r;
    r.triangles = m.triangles();
    if (m.uvs.empty()) {
        r.missing = true;
        return r;
    }
    double total = 0;
    double flipped = 0;
    double outside = 0;
    double uv_total = 0;
    size_t flat = 0;
    struct Piece {
        float value, area;
    };
    std::vector<Piece> stretch;
    std::vector<Piece> density;
    std::map<int, bool> tiles;
    for (size_t t = 0; t < m.triangles(); ++t) {
        const uint32_t* i = &m.indices[3 * t];
        const V3f e1 = m.positions[i[1]] - m.positions[i[0]];
        const V3f e2 = m.positions[i[2]] - m.positions[i[0]];
        const V2f a = m.uvs[i[0]];
        const V2f t1 = m.uvs[i[1]] - a;
        const V2f t2 = m.uvs[i[2]] - a;
        const float area = .5f * e1.cross(e2).length();
        const float uv_area = .5f * t1.cross(t2);
        if (!(area > 0.f)) continue;
        total += double(area);
        if (!(std::fabs(uv_area) > 1e-14f)) {
            ++flat;
            continue;
        }
        uv_total += double(std::fabs(uv_area));
        if (uv_area < 0.f) flipped += double(area);
        const V2f middle = a + (t1 + t2) / 3.f;
        if (!(middle.x >= 0.f && middle.x < 10.f && middle.y >= 0.f && middle.y < 100.f))
            outside += double(area);
        else
            tiles[1001 + int(middle.x) + 10 * int(middle.y)] = true;
        // Singular values of the map from the surface to the UVs: from the metric of the dual basis.
        V3f d1;
        V3f d2;
        if (!dual_basis(e1, e2, d1, d2)) continue;
        const V3f gu = d1 * t1.x + d2 * t2.x;
        const V3f gv = d1 * t1.y + d2 * t2.y;
        const float p = gu.dot(gu);
        const float q = gv.dot(gv);
        const float s = gu.dot(gv);
        const float mean = .5f * (p + q);
        const float spread = std::sqrt(std::max(0.f, .25f * (p - q) * (p - q) + s * s));
        stretch.push_back({std::sqrt((mean + spread) / std::max(1e-12f, mean - spread)), area});
        density.push_back({std::sqrt(std::fabs(uv_area) / area), area});
    }
    auto at = [](std::vector<Piece>& pieces, float share) {
        std::sort(pieces.begin(), pieces.end(), [](const Piece& x, const Piece& y) { return x.value < y.value; });
        double sum = 0;
        double all = 0;
        for (const Piece& p : pieces) all += double(p.area);
        for (const Piece& p : pieces)
            if ((sum += double(p.area)) >= double(share) * all) return p.value;
        return 1.f;
    };
    if (total > 0) {
        r.flipped = float(flipped / total);
        r.outside = float(outside / total);
        r.density = float(std::sqrt(uv_total / total));
    }
    r.no_area = float(flat) / float(std::max<size_t>(1, m.triangles()));
    r.stretch = at(stretch, .9f);
    r.density_spread = density.empty() ? 1.f : at(density, .9f) / std::max(1e-12f, at(density, .1f));
    for (const auto& [tile, used] : tiles) r.tiles.push_back(tile);
    r.overlapping = overlap(m);
    return r;
}

}  // namespace vemtra::geometry
