// Which texels of a sheet lie on a face, and where on it.
#pragma once
#include <immintrin.h>

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
    } s[3];
    for (int k = 0; k < 3; ++k) {
        const Corner* a = &c[k];
        const Corner* b = &c[(k + 1) % 3];
        if (a->y > b->y || (a->y == b->y && a->x > b->x)) std::swap(a, b);
        s[k] = {a->x, a->y, b->y, (b->x - a->x) / (b->y - a->y)};
    }
    // The three sides beside one another; the fourth is none.
    const __m256d x = _mm256_setr_pd(s[0].x, s[1].x, s[2].x, 0.);
    const __m256d top = _mm256_setr_pd(s[0].y, s[1].y, s[2].y, low - 1.);
    const __m256d end = _mm256_setr_pd(s[0].end, s[1].end, s[2].end, low - 1.);
    const __m256d slope = _mm256_setr_pd(s[0].slope, s[1].slope, s[2].slope, 0.);
    auto texel = [&](double cut) { return int(std::ceil(std::min(x1 + 1., std::max(x0 - 1., cut)) - .5)); };
    for (int y = first; y < last; ++y) {
        const __m256d at = _mm256_set1_pd(y + .5);
        const __m256d cut = _mm256_add_pd(x, _mm256_mul_pd(_mm256_sub_pd(at, top), slope));
        const __m256d cuts = _mm256_and_pd(_mm256_cmp_pd(top, at, _CMP_LE_OQ), _mm256_cmp_pd(at, end, _CMP_LT_OQ));
        if (!_mm256_movemask_pd(cuts)) continue;
        const __m256d inf = _mm256_set1_pd(__builtin_inf());
        const __m256d left = _mm256_blendv_pd(inf, cut, cuts);
        const __m256d right = _mm256_blendv_pd(_mm256_sub_pd(_mm256_setzero_pd(), inf), cut, cuts);
        const __m128d l = _mm_min_pd(_mm256_castpd256_pd128(left), _mm256_extractf128_pd(left, 1));
        const __m128d r = _mm_max_pd(_mm256_castpd256_pd128(right), _mm256_extractf128_pd(right, 1));
        const int from = std::max(x0, texel(_mm_cvtsd_f64(_mm_min_sd(l, _mm_unpackhi_pd(l, l)))));
        const int to = std::min(x1, texel(_mm_cvtsd_f64(_mm_max_sd(r, _mm_unpackhi_pd(r, r)))));
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
    double area;  ///< of the face, in texels
    template <class Corner> bool set(const Corner c[3]) {
        const double ax = c[1].x - c[0].x;
        const double ay = c[1].y - c[0].y;
        const double bx = c[2].x - c[0].x;
        const double by = c[2].y - c[0].y;
        const double d = ax * by - ay * bx;
        if (!(std::fabs(d) > 1e-12)) return false;
        area = .5 * std::fabs(d);
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
