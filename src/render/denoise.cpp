#include "render/denoise.h"

#include "base/parallel.h"

namespace vemtra::render {

void denoise(const Film& film, std::vector<V3f>& linear, float strength) {
    const int w = film.width;
    const int h = film.height;
    const size_t n = size_t(w) * size_t(h);
    if (n == 0 || linear.size() != n) return;
    // Light without the surface's own colour: irradiance-like, smooth where the form is smooth.
    std::vector<V3f> light(n);
    std::vector<V3f> next(n);
    std::vector<V3f> normal(n);
    std::vector<V3f> albedo(n);
    std::vector<float> depth(n);
    std::vector<float> sigma(n);
    parallel_ranges(n, 8192, [&](size_t first, size_t last) {
        for (size_t p = first; p < last; ++p) {
            const float count = float(std::max(1u, film.samples[p]));
            const float hits = film.alpha[p];
            const V3f a = film.albedo[p] / count + V3f((count - hits) / count);
            for (int c = 0; c < 3; ++c) albedo[p][c] = std::max(.02f, a[c]);
            light[p] = linear[p] / albedo[p];
            normal[p] = hits > 0.f ? film.normal[p] / hits : V3f(0.f);
            depth[p] = hits > 0.f ? film.depth[p] / hits : 1e6f;
            sigma[p] = 1.4f / std::sqrt(count);
        }
    });
    // A lone bright pixel would spread as a star: bring it to the brightest of its neighbours first.
    parallel_ranges(size_t(h), 16, [&](size_t first, size_t last) {
        for (int y = int(first); y < int(last); ++y)
            for (int x = 0; x < w; ++x) {
                float brightest = 0.f;
                for (int dy = -1; dy <= 1; ++dy)
                    for (int dx = -1; dx <= 1; ++dx)
                        if ((dx || dy) && x + dx >= 0 && x + dx < w && y + dy >= 0 && y + dy < h)
                            brightest =
                                std::max(brightest, luminance(light[size_t(y + dy) * size_t(w) + size_t(x + dx)]));
                const size_t p = size_t(y) * size_t(w) + size_t(x);
                const float mine = luminance(light[p]);
                next[p] = mine > brightest && mine > 0.f ? light[p] * (brightest / mine) : light[p];
            }
    });
    light.swap(next);
    static constexpr float kernel[] = {1.f, 2.f / 3.f, 1.f / 6.f};
    for (int pass = 0, step = 1; pass < 4; ++pass, step *= 2) {
        parallel_ranges(size_t(h), 8, [&](size_t first, size_t last) {
            for (int y = int(first); y < int(last); ++y)
                for (int x = 0; x < w; ++x) {
                    const size_t p = size_t(y) * size_t(w) + size_t(x);
                    const float lp = luminance(light[p]);
                    const float tolerance = 1.f / (strength * sigma[p] * (lp + .05f) + 1e-4f);
                    const float depth_tolerance = 1.f / (.01f * depth[p] * float(step) + 1e-6f);
                    V3f sum(0.f);
                    float weight = 0.f;
                    for (int j = -2; j <= 2; ++j) {
                        const int v = y + j * step;
                        if (v < 0 || v >= h) continue;
                        for (int i = -2; i <= 2; ++i) {
                            const int u = x + i * step;
                            if (u < 0 || u >= w) continue;
                            const size_t q = size_t(v) * size_t(w) + size_t(u);
                            const float dn = (normal[p] - normal[q]).length2();
                            const float da = (albedo[p] - albedo[q]).length2();
                            const float dd = std::fabs(depth[p] - depth[q]) * depth_tolerance;
                            const float dl = std::fabs(lp - luminance(light[q])) * tolerance;
                            const float x2 = dn * 24.f + da * 12.f + dd * dd + dl * dl;
                            // exp(-x) by its rational bound: monotone, and enough for a weight
                            const float e = 1.f + x2 * (.5f + x2 * .125f);
                            const float k = kernel[std::abs(i)] * kernel[std::abs(j)] / (e * e);
                            sum += light[q] * k;
                            weight += k;
                        }
                    }
                    next[p] = sum / weight;
                }
        });
        light.swap(next);
        for (float& s : sigma) s *= .5f;
    }
    parallel_ranges(n, 8192, [&](size_t first, size_t last) {
        for (size_t p = first; p < last; ++p) linear[p] = light[p] * albedo[p];
    });
}

}  // namespace vemtra::render
