#include "render/denoise.h"

#include "base/parallel.h"

namespace vemtra::render {
namespace {

constexpr float least_albedo = .02f;
constexpr int passes = 5;
constexpr uint32_t steady_albedo = 8;  // samples from which on a pixel's own albedo is taken
constexpr uint32_t steady_edges = 16;
constexpr uint32_t few_paths = 16;  // samples up to which what was touched is known from further around
constexpr int few_reach = 5;        // pixels
constexpr float deviations = 2.5f;  // from its neighbours' mean that a pixel may have without evidence
constexpr float steadiness = .25f;  // of that distance: halves that agree so well are evidence
constexpr float lone = 2.f;         // factor beyond the extremes of its neighbours that a filtered pixel may have
constexpr float rows_at_once = 8;

/// What is known of the surface that a pixel shows.
struct Guide {
    V3f normal{0.f}, albedo{1.f};
    float depth = 1e6f;
    float slope = 0.f;  // of the depth, per pixel
};

class Filter {
public:
    Filter(const Film& film, float strength)
        : f_(film), w_(film.width), h_(film.height), n_(size_t(w_) * size_t(h_)), strength_(strength) {}

    void run(std::vector<V3f>& linear) {
        take(linear);
        calm_albedo(linear);
        calm_outliers();
        for (int k = 0, step = 1; k < passes; ++k, step *= 2) pass(step);
        calm_lone();
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) linear[p] = light_[p] * guide_[p].albedo;
        });
        if (*std::max_element(f_.samples.begin(), f_.samples.end()) >= steady_edges) return;
        calm_edges(linear);
        calm_edges(linear);
    }

private:
    template <class Row> void rows(Row&& row) const {
        parallel_ranges(size_t(h_), size_t(rows_at_once), [&](size_t first, size_t last) {
            for (int y = int(first); y < int(last); ++y) row(y);
        });
    }
    size_t at(int x, int y) const { return size_t(y) * size_t(w_) + size_t(x); }

    void take(const std::vector<V3f>& linear) {
        guide_.resize(n_);
        light_.resize(n_);
        next_.resize(n_);
        level_.resize(n_);
        variance_.resize(n_);
        spread_.resize(n_);
        apart_.resize(n_);
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) {
                const float count = float(std::max(1u, f_.samples[p]));
                const float hits = f_.alpha[p];
                Guide& g = guide_[p];
                const V3f a = f_.albedo[p] / count + V3f((count - hits) / count);
                for (int c = 0; c < 3; ++c) g.albedo[c] = std::max(least_albedo, a[c]);
                if (hits > 0.f) {
                    g.normal = f_.normal[p] / hits;
                    g.depth = f_.depth[p] / hits;
                }
                light_[p] = linear[p] / g.albedo;
                level_[p] = luminance(light_[p]);
                apart_[p] = halves_apart(p);
            }
        });
        rows([&](int y) {
            for (int x = 0; x < w_; ++x) {
                Guide& g = guide_[at(x, y)];
                auto rise = [&](int u, int v) {
                    return u < 0 || u >= w_ || v < 0 || v >= h_ ? 1e6f : std::fabs(guide_[at(u, v)].depth - g.depth);
                };
                g.slope = std::max(std::min(rise(x - 1, y), rise(x + 1, y)), std::min(rise(x, y - 1), rise(x, y + 1)));
            }
        });
    }

    /// Which layer stands in a pixel, and what its edge shows, is chance as well with few samples: what is divided by
    /// is the mean over neighbours on the same form then.
    void calm_albedo(const std::vector<V3f>& linear) {
        const uint32_t most = *std::max_element(f_.samples.begin(), f_.samples.end());
        if (most >= steady_albedo) return;
        const float others = 1.f - float(most) / float(steady_albedo);
        rows([&](int y) {
            for (int x = 0; x < w_; ++x) {
                const Guide& g = guide_[at(x, y)];
                V3f sum = g.albedo;
                float weight = 1.f;
                for (int v = std::max(0, y - 1); v <= std::min(h_ - 1, y + 1); ++v)
                    for (int u = std::max(0, x - 1); u <= std::min(w_ - 1, x + 1); ++u) {
                        if (u == x && v == y) continue;
                        const Guide& other = guide_[at(u, v)];
                        const float k = others * fading(apart_in_form(g, other, 1.f));
                        sum += other.albedo * k;
                        weight += k;
                    }
                next_[at(x, y)] = sum / weight;
            }
        });
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) {
                guide_[p].albedo = next_[p];
                light_[p] = linear[p] / guide_[p].albedo;
                level_[p] = luminance(light_[p]);
            }
        });
    }

    /// The deviation of the mean of a pixel's samples, as a part of it; negative where there are no halves.
    float halves_apart(size_t p) const {
        if (f_.samples[p] < 2) return -1.f;
        float sum = 0.f;
        for (const auto& group : f_.light) sum += luminance(group[p]);
        const float odd = f_.odd_luminance[p] / float(f_.samples[p] / 2);
        const float even = (sum - f_.odd_luminance[p]) / float(f_.samples[p] - f_.samples[p] / 2);
        return odd + even > 0.f ? std::fabs(odd - even) / (odd + even) : 0.f;
    }

    /// Squared distance of what two pixels show.
    float apart(const Guide& a, const Guide& b, float pixels) const {
        return apart_in_form(a, b, pixels) + (a.albedo - b.albedo).length2() * 12.f;
    }
    float apart_in_form(const Guide& a, const Guide& b, float pixels) const {
        const float dn = (a.normal - b.normal).length2();
        const float allowed = .004f * a.depth + 1.5f * std::max(a.slope, b.slope) * pixels + 1e-6f;
        const float dd = std::fabs(a.depth - b.depth) / allowed;
        return dn * 24.f + dd * dd;
    }
    /// exp(-x) by a rational bound: monotone, and enough for a weight.
    static float fading(float x) {
        const float e = 1.f + x * (.5f + x * .125f);
        return 1.f / (e * e);
    }

    /// Mean and variance of the light around a pixel, without it; then what stands out of them without evidence is
    /// brought near.
    void bring_near() {
        rows([&](int y) {
            for (int x = 0; x < w_; ++x) {
                const size_t p = at(x, y);
                float sum = 0.f;
                float squares = 0.f;
                float weight = 0.f;
                for (int v = std::max(0, y - 2); v <= std::min(h_ - 1, y + 2); ++v)
                    for (int u = std::max(0, x - 2); u <= std::min(w_ - 1, x + 2); ++u) {
                        if (u == x && v == y) continue;
                        const size_t q = at(u, v);
                        const float reach = float(std::max(std::abs(u - x), std::abs(v - y)));
                        const float k = .01f + fading(apart(guide_[p], guide_[q], reach));
                        sum += k * level_[q];
                        squares += k * level_[q] * level_[q];
                        weight += k;
                    }
                if (!(weight > 0.f)) {
                    next_[p] = light_[p];
                    spread_[p] = variance_[p] = 0.f;
                    continue;
                }
                const float mean = sum / weight;
                const float deviation = std::sqrt(std::max(0.f, squares / weight - mean * mean));
                const float off = level_[p] - mean;
                const bool certain = apart_[p] >= 0.f && apart_[p] * level_[p] < steadiness * std::fabs(off);
                const float most = deviations * deviation + .05f * mean;
                next_[p] = light_[p];
                if (!certain && std::fabs(off) > most) {
                    const float wanted = std::max(0.f, mean + std::copysign(most, off));
                    next_[p] = level_[p] > 1e-8f ? light_[p] * (wanted / level_[p]) : V3f(wanted);
                }
                spread_[p] = deviation * deviation;
            }
        });
        light_.swap(next_);
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) level_[p] = luminance(light_[p]);
        });
    }

    void calm_outliers() {
        bring_near();
        bring_near();  // the first time outliers hid each other
        // The halves of one pixel alone say little: those of its neighbours are asked as well.
        rows([&](int y) {
            for (int x = 0; x < w_; ++x) {
                const size_t p = at(x, y);
                float sum = 0.f;
                float weight = 0.f;
                for (int v = std::max(0, y - 2); v <= std::min(h_ - 1, y + 2); ++v)
                    for (int u = std::max(0, x - 2); u <= std::min(w_ - 1, x + 2); ++u) {
                        const size_t q = at(u, v);
                        if (apart_[q] < 0.f) continue;
                        const float d = apart_[q] * level_[q];
                        sum += d * d;
                        weight += 1.f;
                    }
                const float known = clamp01((float(f_.samples[p]) - 1.f) / 6.f);
                const float own = weight > 0.f ? sum / weight : spread_[p];
                variance_[p] = own * known + spread_[p] * (1.f - known);
            }
        });
    }

    void pass(int step) {
        static constexpr float kernel[] = {3.f / 8.f, 1.f / 4.f, 1.f / 16.f};
        rows([&](int y) {
            for (int x = 0; x < w_; ++x) {
                const size_t p = at(x, y);
                const float deviation = std::sqrt(near_variance(x, y));
                const float tolerance = 1.f / (3.f * strength_ * deviation + .004f * level_[p] + 1e-6f);
                V3f sum(0.f);
                float weight = 0.f;
                float squares = 0.f;
                for (int j = -2; j <= 2; ++j) {
                    const int v = y + j * step;
                    if (v < 0 || v >= h_) continue;
                    for (int i = -2; i <= 2; ++i) {
                        const int u = x + i * step;
                        if (u < 0 || u >= w_) continue;
                        const size_t q = at(u, v);
                        const float dl = (level_[p] - level_[q]) * tolerance;
                        const float reach = float(std::max(std::abs(i), std::abs(j)) * step);
                        const float k = kernel[std::abs(i)] * kernel[std::abs(j)] *
                                        fading(apart(guide_[p], guide_[q], reach) + dl * dl);
                        sum += light_[q] * k;
                        squares += variance_[q] * k * k;
                        weight += k;
                    }
                }
                next_[p] = sum / weight;
                spread_[p] = squares / (weight * weight);
            }
        });
        light_.swap(next_);
        variance_.swap(spread_);
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) level_[p] = luminance(light_[p]);
        });
    }

    float near_variance(int x, int y) const {
        float sum = 0.f;
        float weight = 0.f;
        for (int v = std::max(0, y - 1); v <= std::min(h_ - 1, y + 1); ++v)
            for (int u = std::max(0, x - 1); u <= std::min(w_ - 1, x + 1); ++u) {
                const float k = (u == x ? 2.f : 1.f) * (v == y ? 2.f : 1.f);
                sum += k * variance_[at(u, v)];
                weight += k;
            }
        return sum / weight;
    }

    /// Pixels on edges are like none of their neighbours, so that nothing was mixed into them: what has no evidence is
    /// kept between the second darkest and the second brightest around it, which leaves lines and corners.
    void calm_edges(std::vector<V3f>& linear) {
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) level_[p] = luminance(linear[p]);
        });
        rows([&](int y) {
            for (int x = 0; x < w_; ++x) {
                const size_t p = at(x, y);
                next_[p] = linear[p];
                if (x == 0 || y == 0 || x == w_ - 1 || y == h_ - 1 || (apart_[p] >= 0.f && apart_[p] < .05f)) continue;
                size_t around[8];
                int count = 0;
                for (int v = y - 1; v <= y + 1; ++v)
                    for (int u = x - 1; u <= x + 1; ++u)
                        if (u != x || v != y) around[count++] = at(u, v);
                std::sort(around, around + 8, [&](size_t a, size_t b) { return level_[a] < level_[b]; });
                if (level_[p] < level_[around[1]])
                    next_[p] = linear[around[1]];
                else if (level_[p] > level_[around[6]])
                    next_[p] = linear[around[6]];
            }
        });
        linear = next_;
    }

    /// No pixel stands alone among its neighbours without evidence.
    void calm_lone() {
        rows([&](int y) {
            for (int x = 0; x < w_; ++x) {
                const size_t p = at(x, y);
                next_[p] = light_[p];
                if (apart_[p] >= 0.f && apart_[p] < .1f) continue;
                float least = INFINITY;
                float most = 0.f;
                for (int v = std::max(0, y - 2); v <= std::min(h_ - 1, y + 2); ++v)
                    for (int u = std::max(0, x - 2); u <= std::min(w_ - 1, x + 2); ++u) {
                        if (u == x && v == y) continue;
                        least = std::min(least, level_[at(u, v)]);
                        most = std::max(most, level_[at(u, v)]);
                    }
                if (!(most > 0.f)) continue;
                const float wanted = std::clamp(level_[p], least / lone, most * lone);
                if (wanted != level_[p]) next_[p] = level_[p] > 1e-8f ? light_[p] * (wanted / level_[p]) : V3f(wanted);
            }
        });
        light_.swap(next_);
    }

    const Film& f_;
    const int w_, h_;
    const size_t n_;
    const float strength_;
    std::vector<Guide> guide_;
    std::vector<V3f> light_, next_;                         // divided by albedo
    std::vector<float> level_, variance_, spread_, apart_;  // luminance of it; of its mean; around it; see halves_apart
};

}  // namespace

void denoise(const Film& film, std::vector<V3f>& linear, float strength) {
    if (linear.empty() || linear.size() != film.samples.size()) return;
    Filter(film, strength).run(linear);
}

void keep_standing(const Standing& old, const Film& film, int coarse, std::vector<V3f>& linear) {
    if (old.empty() || film.touched.empty() || linear.size() != film.samples.size()) return;
    if (film.width != (old.width + coarse - 1) / coarse || film.height != (old.height + coarse - 1) / coarse) return;
    const int w = film.width;
    const int h = film.height;
    // How much of a pixel's light is due to what was edited: few samples know it from their neighbours, too.
    std::vector<float> touched(film.samples.size());
    parallel_ranges(size_t(h), 8, [&](size_t first, size_t last) {
        for (int y = int(first); y < int(last); ++y)
            for (int x = 0; x < w; ++x) {
                float sum = 0.f;
                float count = 0.f;
                for (int v = std::max(0, y - 1); v <= std::min(h - 1, y + 1); ++v)
                    for (int u = std::max(0, x - 1); u <= std::min(w - 1, x + 1); ++u) {
                        const size_t q = size_t(v) * size_t(w) + size_t(u);
                        sum += film.touched[q];
                        count += float(film.samples[q]);
                    }
                touched[size_t(y) * size_t(w) + size_t(x)] = count > 0.f ? sum / count : 0.f;
            }
    });
    // What few paths met by way of other surfaces is known from further around: else it would be patches.
    const uint32_t most = *std::max_element(film.samples.begin(), film.samples.end());
    if (most < few_paths) {
        const std::vector<float> near = touched;
        parallel_ranges(size_t(h), 8, [&](size_t first, size_t last) {
            for (int y = int(first); y < int(last); ++y)
                for (int x = 0; x < w; ++x) {
                    const size_t p = size_t(y) * size_t(w) + size_t(x);
                    if (near[p] >= .5f) continue;  // seen itself
                    float sum = 0.f;
                    float weight = 0.f;
                    for (int v = std::max(0, y - few_reach); v <= std::min(h - 1, y + few_reach); v += 2)
                        for (int u = std::max(0, x - few_reach); u <= std::min(w - 1, x + few_reach); u += 2) {
                            sum += near[size_t(v) * size_t(w) + size_t(u)];
                            weight += 1.f;
                        }
                    touched[p] = sum / weight;
                }
        });
    }
    std::vector<V3f> out(old.linear.size());
    parallel_ranges(size_t(old.height), 8, [&](size_t first, size_t last) {
        for (int y = int(first); y < int(last); ++y)
            for (int x = 0; x < old.width; ++x) {
                const float fx = std::clamp((float(x) + .5f) / float(coarse) - .5f, 0.f, float(w - 1));
                const float fy = std::clamp((float(y) + .5f) / float(coarse) - .5f, 0.f, float(h - 1));
                const int x0 = int(fx);
                const int y0 = int(fy);
                V3f fresh(0.f);
                float part = 0.f;
                float samples = 0.f;
                for (int v = 0; v < 2; ++v)
                    for (int u = 0; u < 2; ++u) {
                        const size_t q = size_t(std::min(y0 + v, h - 1)) * size_t(w) + size_t(std::min(x0 + u, w - 1));
                        const float k =
                            (u ? fx - float(x0) : 1.f - fx + float(x0)) * (v ? fy - float(y0) : 1.f - fy + float(y0));
                        fresh += linear[q] * k;
                        part += k * touched[q];
                        samples += k * float(film.samples[q]);
                    }
                const size_t p = size_t(y) * size_t(old.width) + size_t(x);
                const float stands = float(old.samples) * clamp01(1.f - 3.f * part);
                const float fresh_ones = samples / float(coarse * coarse);
                out[p] = stands > 0.f ? (old.linear[p] * stands + fresh * fresh_ones) / (stands + fresh_ones) : fresh;
            }
    });
    linear = std::move(out);
}

}  // namespace vemtra::render
