#include "render/film.h"

#include <cmath>

#include "base/parallel.h"

namespace vemtra::render {

Film::Film(int w, int h, size_t groups, size_t coverage_layers) : width(w), height(h) {
    const size_t n = size_t(w) * size_t(h);
    samples.assign(n, 0);
    light.assign(groups, std::vector<V3f>(n, V3f(0.f)));
    albedo.assign(n, V3f(0.f));
    normal.assign(n, V3f(0.f));
    depth.assign(n, 0.f);
    alpha.assign(n, 0.f);
    odd_luminance.assign(n, 0.f);
    coverage.assign(coverage_layers, std::vector<float>(n, 0.f));
}

size_t Film::bytes() const {
    return size_t(width) * size_t(height) *
           (4 + 12 * (light.size() + odd_light.size()) + 24 + 12 + 4 * coverage.size() +
            (tiers.empty() ? 0 : sizeof tiers[0]) + (touched.empty() ? 0 : 4));
}

void Film::keep_only(const PixelRect& r) {
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            if (x >= r.x0 && x < r.x1 && y >= r.y0 && y < r.y1) continue;
            forget(size_t(y) * size_t(width) + size_t(x));
        }
}

void Film::clear(const std::vector<uint8_t>& pixels) {
    for (size_t p = 0; p < pixels.size(); ++p)
        if (pixels[p]) forget(p);
}

void Film::forget(size_t p) {
    samples[p] = 0;
    for (auto* half : {&light, &odd_light})
        for (auto& group : *half) group[p] = V3f(0.f);
    albedo[p] = normal[p] = V3f(0.f);
    depth[p] = alpha[p] = odd_luminance[p] = 0.f;
    if (!tiers.empty()) tiers[p] = {};
    if (!touched.empty()) touched[p] = 0.f;
    for (auto& layer : coverage) layer[p] = 0.f;
}

Film Film::part(const PixelRect& r) const {
    Film f(r.x1 - r.x0, r.y1 - r.y0, light.size(), coverage.size());
    f.unit = unit;
    auto take = [&](const auto& from, auto& to) {
        if (from.empty()) return;
        to.resize(f.samples.size());
        for (int y = r.y0; y < r.y1; ++y)
            std::copy_n(from.begin() + long(size_t(y) * size_t(width) + size_t(r.x0)), r.x1 - r.x0,
                        to.begin() + long(size_t(y - r.y0) * size_t(f.width)));
    };
    take(samples, f.samples);
    for (size_t g = 0; g < light.size(); ++g) take(light[g], f.light[g]);
    f.odd_light.resize(odd_light.size());
    for (size_t g = 0; g < odd_light.size(); ++g) take(odd_light[g], f.odd_light[g]);
    take(albedo, f.albedo);
    take(normal, f.normal);
    take(depth, f.depth);
    take(alpha, f.alpha);
    take(odd_luminance, f.odd_luminance);
    take(tiers, f.tiers);
    take(touched, f.touched);
    for (size_t k = 0; k < coverage.size(); ++k) take(coverage[k], f.coverage[k]);
    return f;
}

void Film::keep_tiers(float about) {
    unit = about;
    if (tiers.empty()) tiers.assign(samples.size(), {});
}

void Film::keep_halves() {
    odd_light.assign(light.size(), std::vector<V3f>(samples.size(), V3f(0.f)));
}

float Film::trust(int x, int y) const {
    const size_t p = size_t(y) * size_t(width) + size_t(x);
    if (tiers.empty() || !samples[p]) return 1.f;
    float bright = 0.f;
    for (const float t : tiers[p].light) bright += t;
    if (!(bright > 0.f)) return 1.f;
    Bright around;
    std::array<int, tier_count> alike{};
    float plain = 0.f;  // of all nine
    float count = 0.f;
    for (int v = std::max(0, y - 1); v <= std::min(height - 1, y + 1); ++v)
        for (int u = std::max(0, x - 1); u <= std::min(width - 1, x + 1); ++u) {
            const size_t q = size_t(v) * size_t(width) + size_t(u);
            for (const auto& group : light) plain += max_component(group[q]);
            for (size_t k = 0; k < tier_count; ++k) {
                around.light[k] += tiers[q].light[k];
                alike[k] += tiers[q].count[k];
                plain -= tiers[q].light[k];
            }
            count += float(samples[q]);
        }
    float mean = std::max(0.f, plain) / count;
    float believed = 0.f;
    float size = 8.f * unit;
    for (size_t k = 0; k < tier_count; ++k, size *= 8.f) {
        const int brighter = k + 1 < tier_count ? alike[k + 1] : 0;
        const float enough = .25f * (float(alike[k] + brighter) - 3.f);  // some alone are no evidence
        const float small = .5f * mean * float(samples[p]) / size;
        const float weight = clamp01(std::max(enough, small));
        believed += weight * tiers[p].light[k];
        mean += weight * around.light[k] / count;
    }
    float all = 0.f;
    for (const auto& group : light) all += max_component(group[p]);
    return all > 0.f ? clamp01((all - bright + believed) / all) : 1.f;
}

void Film::settle() {
    if (tiers.empty()) return;
    std::vector<float> believed(samples.size());
    parallel_ranges(samples.size(), 8192, [&](size_t first, size_t last) {
        for (size_t p = first; p < last; ++p) believed[p] = trust(int(p) % width, int(p) / width);
    });
    for (auto* half : {&light, &odd_light})
        for (auto& group : *half)
            for (size_t p = 0; p < group.size(); ++p) group[p] = group[p] * believed[p];
    tiers = {};
}

void Film::resolve(const std::vector<V3f>& gains, std::vector<V3f>& out) const {
    out.resize(samples.size());
    parallel_ranges(samples.size(), 8192, [&](size_t first, size_t last) {
        for (size_t p = first; p < last; ++p) {
            const float believed = trust(int(p) % width, int(p) / width);
            V3f sum(0.f);
            for (size_t g = 0; g < light.size(); ++g) sum += light[g][p] * believed * gains[g];
            out[p] = samples[p] ? sum / float(samples[p]) : V3f(0.f);
        }
    });
}

float Film::noise() const {
    return noise({0, 0, width, height}, 0.f);
}
float Film::noise(const PixelRect& r) const {
    return noise(r, INFINITY);
}

float Film::worst_noise(const PixelRect& r) const {
    constexpr int block = 8;
    float worst = 0.f;
    for (int y = r.y0; y < r.y1; y += block)
        for (int x = r.x0; x < r.x1; x += block)
            worst = std::max(worst, noise({x, y, std::min(x + block, r.x1), std::min(y + block, r.y1)}));
    return worst;
}

float Film::noise(const PixelRect& r, float below_two) const {
    double difference = 0;
    double total = 0;
    for (int y = r.y0; y < r.y1; ++y)
        for (int x = r.x0; x < r.x1; ++x) {
            const size_t p = size_t(y) * size_t(width) + size_t(x);
            if (samples[p] < 2) {
                if (below_two > 0.f) return below_two;
                continue;
            }
            float sum = 0.f;
            for (const auto& group : light) sum += luminance(group[p]);
            const float odd = odd_luminance[p] / float(samples[p] / 2);
            const float even = (sum - odd_luminance[p]) / float(samples[p] - samples[p] / 2);
            difference += double(.5f * std::fabs(odd - even) / (.05f + sum / float(samples[p])));
            total += 1;
        }
    return total > 0 ? float(difference / total) * 1.2533f
                     : 0.f;  // mean of |x| of a normal distribution to its deviation
}

}  // namespace vemtra::render
