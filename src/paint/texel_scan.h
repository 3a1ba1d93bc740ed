// Which texels of a sheet lie on a face, and where on it.
#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <utility>

namespace vemtra::paint {

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

/// Of a row of a tile: 0 <= from < to <= 64.
inline uint64_t bits(int from, int to) {
    return (to >= 64 ? ~uint64_t(0) : (uint64_t(1) << to) - 1) & ~((uint64_t(1) << from) - 1);
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

}  // namespace vemtra::paint
