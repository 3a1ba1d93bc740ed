#include "render/regression.h"

#include <array>
#include <cmath>
#include <memory>

#include "base/parallel.h"

namespace vemtra::render {
namespace {

constexpr int reach = 8;  // pixels around one that its light is fitted by
constexpr int patch = 3;  // around each of them, by which they are compared
constexpr int border = reach + patch;
constexpr int tile = 32;
constexpr int beside = tile;              // rows around a piece: more than anything looks, and whole tiles
constexpr int most_pixels = 1024 * 1024;  // of a piece: about 100 bytes each for every light group, and 100 more
constexpr int window = 2 * reach + 1;
constexpr int offsets = window * window;
constexpr int widths = 2;
constexpr float bandwidth[widths] = {.5f, 1.f};  // in deviations
constexpr int features = 7;                      // albedo, normal, depth
constexpr int terms = features + 1;
constexpr float ridge = 1e-3f;         // of a feature's own spread
constexpr float feature_noise = .01f;  // below it a feature tells nothing
constexpr float least_albedo = .05f;
constexpr int calm = 2;  // pixels around one that its variance, and later its error, is known from

using Plane = std::vector<float>;

/// exp(-x), near enough for a weight.
inline float fading(float x) {
    const float e = 1.f + x * (.5f + x * .125f);
    return 1.f / (e * e);
}

/// A picture of numbers with a border, in which the outermost ones go on.
struct Padded {
    int stride = 0;
    Plane values;
    Padded(int width, int height, const Plane& from) : stride(width + 2 * border) {
        values.resize(size_t(stride) * size_t(height + 2 * border));
        for (int y = -border; y < height + border; ++y)
            for (int x = -border; x < width + border; ++x)
                values[size_t(y + border) * size_t(stride) + size_t(x + border)] =
                    from[size_t(std::clamp(y, 0, height - 1)) * size_t(width) + size_t(std::clamp(x, 0, width - 1))];
    }
    /// The row that holds (x, y) and goes on to the right.
    const float* at(int x, int y) const { return &values[size_t(y + border) * size_t(stride) + size_t(x + border)]; }
};

/// Means over squares of 2 r + 1 pixels, as far as they are within.
Plane box_mean(const Plane& from, int width, int height, int r) {
    Plane along(from.size());
    Plane out(from.size());
    parallel_ranges(size_t(height), 8, [&](size_t first, size_t last) {
        for (int y = int(first); y < int(last); ++y)
            for (int x = 0; x < width; ++x) {
                float sum = 0.f;
                const int x0 = std::max(0, x - r);
                const int x1 = std::min(width - 1, x + r);
                for (int u = x0; u <= x1; ++u) sum += from[size_t(y) * size_t(width) + size_t(u)];
                along[size_t(y) * size_t(width) + size_t(x)] = sum / float(x1 - x0 + 1);
            }
    });
    parallel_ranges(size_t(height), 8, [&](size_t first, size_t last) {
        for (int y = int(first); y < int(last); ++y) {
            const int y0 = std::max(0, y - r);
            const int y1 = std::min(height - 1, y + r);
            for (int x = 0; x < width; ++x) {
                float sum = 0.f;
                for (int v = y0; v <= y1; ++v) sum += along[size_t(v) * size_t(width) + size_t(x)];
                out[size_t(y) * size_t(width) + size_t(x)] = sum / float(y1 - y0 + 1);
            }
        }
    });
    return out;
}

/// First column of the inverse of a symmetric positive matrix, by Cholesky. `m`: lower triangle, row by row.
void first_of_inverse(const float* m, float* z) {
    float l[terms][terms] = {};
    for (int i = 0; i < terms; ++i)
        for (int j = 0; j <= i; ++j) {
            float s = m[i * (i + 1) / 2 + j];
            for (int k = 0; k < j; ++k) s -= l[i][k] * l[j][k];
            if (i == j)
                l[i][i] = std::sqrt(std::max(s, 1e-12f));
            else
                l[i][j] = s / l[j][j];
        }
    for (int i = 0; i < terms; ++i) {
        float s = i == 0 ? 1.f : 0.f;
        for (int k = 0; k < i; ++k) s -= l[i][k] * z[k];
        z[i] = s / l[i][i];
    }
    for (int i = terms - 1; i >= 0; --i) {
        float s = z[i];
        for (int k = i + 1; k < terms; ++k) s -= l[k][i] * z[k];
        z[i] = s / l[i][i];
    }
}

class Regression {
public:
    /// `depth_unit`: one over the mean depth of the whole picture.
    Regression(const Film& film, const std::vector<V3f>& gains, float depth_unit)
        : f_(film), w_(film.width), h_(film.height), n_(film.samples.size()), groups_(film.light.size()) {
        take(gains, depth_unit);
    }

    /// Fits all, which is `share` of the work, `from` on; false if stopped.
    bool fit(Progress* progress, float from, float share) {
        for (auto& half : fitted_)
            for (auto& width : half) width.assign(3 * groups_, Plane(n_, 0.f));
        const int across = (w_ + tile - 1) / tile;
        const int down = (h_ + tile - 1) / tile;
        std::atomic<int> done{0};
        std::atomic<bool> left{false};
        parallel_ranges(size_t(across) * size_t(down), 1, [&](size_t first, size_t last) {
            auto scratch = std::make_unique<Scratch>();
            for (size_t k = first; k < last; ++k) {
                if (vemtra::stopped(progress)) {
                    left = true;
                    return;
                }
                const int x = int(k) % across * tile;
                const int y = int(k) / across * tile;
                if (!rendered(x, y)) continue;
                for (int half = 0; half < 2; ++half)
                    for (int width = 0; width < widths; ++width)
                        fit_tile(*scratch, x, y, std::min(tile, w_ - x), std::min(tile, h_ - y), half, width);
                report(progress, from + share * float(++done) / float(across * down));
            }
        });
        return !left;
    }

    /// Puts what has the least error into the film; its relative error.
    std::vector<float> choose(Film& into, const std::vector<V3f>& gains) const {
        // Of each candidate, the squared error of its mean over both halves: what it differs from the other half by,
        // without that one's own variance.
        std::array<Plane, widths + 1> error;
        for (int k = 0; k < widths; ++k) {
            Plane squared(n_);
            for (size_t p = 0; p < n_; ++p) {
                float sum = 0.f;
                for (int c = 0; c < 3; ++c) {
                    const float a = total(fitted_[0][size_t(k)], gains, p, c) - colour_[1][size_t(c)][p];
                    const float b = total(fitted_[1][size_t(k)], gains, p, c) - colour_[0][size_t(c)][p];
                    sum += .5f * (a * a + b * b) - raw_variance_[size_t(c)][p];
                }
                squared[p] = sum / 3.f;
            }
            error[size_t(k)] = box_mean(squared, w_, h_, calm);
        }
        Plane own(n_);
        for (size_t p = 0; p < n_; ++p)
            own[p] = (raw_variance_[0][p] + raw_variance_[1][p] + raw_variance_[2][p]) / 6.f;  // of both halves' mean
        error[widths] = box_mean(own, w_, h_, calm);

        std::array<Plane, widths + 1> share;
        for (Plane& s : share) s.assign(n_, 0.f);
        std::vector<float> left(n_, 0.f);
        std::array<Plane, widths + 1> told;  // in the mean of more: single ones are chance
        for (size_t k = 0; k < told.size(); ++k) told[k] = box_mean(error[k], w_, h_, calm);
        for (size_t p = 0; p < n_; ++p) {
            size_t best = 0;
            for (size_t k = 1; k < error.size(); ++k)
                if (error[k][p] < error[best][p]) best = k;
            if (f_.samples[p] < 2) best = widths;
            share[best][p] = 1.f;
            float light = 0.f;
            for (size_t g = 0; g < groups_; ++g)
                light += luminance(f_.light[g][p] * gains[g]) / float(std::max(1u, f_.samples[p]));
            left[p] = std::sqrt(std::max(0.f, told[best][p])) / (.05f + std::max(0.f, light));
        }
        for (Plane& s : share) s = box_mean(s, w_, h_, 1);  // no seams between them

        parallel_ranges(n_, 4096, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) {
                if (f_.samples[p] < 2) continue;
                const float samples = float(f_.samples[p]);
                for (size_t g = 0; g < groups_; ++g)
                    for (int c = 0; c < 3; ++c) {
                        float value = share[widths][p] * into.light[g][p][c] / samples;
                        for (size_t k = 0; k < widths; ++k)
                            value += share[k][p] * .5f *
                                     (fitted_[0][k][3 * g + size_t(c)][p] + fitted_[1][k][3 * g + size_t(c)][p]);
                        into.light[g][p][c] = std::max(0.f, value) * samples;
                    }
            }
        });
        return left;
    }

private:
    struct Scratch {
        std::array<std::array<float, tile * tile>, offsets> weight;
        std::array<float, (tile + 2 * patch) * (tile + 2 * patch)> apart;
        std::array<float, (tile + 2 * patch) * tile> along;
        std::array<std::array<float, tile * tile>, terms*(terms + 1) / 2> matrix;
        std::array<std::array<float, tile * tile>, terms> first;
    };

    /// Whether a tile has pixels that are fitted.
    bool rendered(int x0, int y0) const {
        for (int y = y0; y < std::min(y0 + tile, h_); ++y)
            for (int x = x0; x < std::min(x0 + tile, w_); ++x)
                if (f_.samples[size_t(y) * size_t(w_) + size_t(x)] >= 2) return true;
        return false;
    }
    float total(const std::vector<Plane>& light, const std::vector<V3f>& gains, size_t p, int c) const {
        float sum = 0.f;
        for (size_t g = 0; g < groups_; ++g) sum += light[3 * g + size_t(c)][p] * gains[g][c];
        return sum;
    }

    void take(const std::vector<V3f>& gains, float depth_unit) {
        for (auto& half : light_) half.assign(3 * groups_, Plane(n_, 0.f));
        for (auto& half : colour_) half.fill(Plane(n_, 0.f));
        Plane counts(n_);
        std::array<Plane, features> feature;
        feature.fill(Plane(n_, 0.f));
        for (size_t p = 0; p < n_; ++p) {
            const uint32_t samples = f_.samples[p];
            counts[p] = samples < 2 ? 0.f : 1.f;
            if (samples < 2) continue;
            const float odd = 1.f / float(samples / 2);
            const float even = 1.f / float(samples - samples / 2);
            for (size_t g = 0; g < groups_; ++g)
                for (int c = 0; c < 3; ++c) {
                    const float a = f_.odd_light[g][p][c] * odd;
                    const float b = (f_.light[g][p][c] - f_.odd_light[g][p][c]) * even;
                    light_[0][3 * g + size_t(c)][p] = a;
                    light_[1][3 * g + size_t(c)][p] = b;
                    colour_[0][size_t(c)][p] += a * gains[g][c];
                    colour_[1][size_t(c)][p] += b * gains[g][c];
                }
            for (int c = 0; c < 3; ++c) feature[size_t(c)][p] = f_.albedo[p][c] / float(samples);
            if (!(f_.alpha[p] > 0.f)) continue;
            for (int c = 0; c < 3; ++c) feature[size_t(3 + c)][p] = f_.normal[p][c] / float(samples);
            feature[6][p] = 4.f * depth_unit * f_.depth[p] / f_.alpha[p];
        }
        double mean = 0.;
        for (size_t c = 0; c < 3; ++c) {
            Plane& raw = raw_variance_[c];
            raw.resize(n_);
            for (size_t p = 0; p < n_; ++p) {
                const float d = colour_[0][c][p] - colour_[1][c][p];
                raw[p] = .5f * d * d;
                mean += double(colour_[0][c][p]) / double(3 * n_);
            }
        }
        least_variance_ = std::max(1e-20f, 1e-8f * float(mean * mean));
        // Light that falls on a texture is compared without it.
        for (size_t c = 0; c < 3; ++c) {
            Plane lightness(n_);
            for (size_t p = 0; p < n_; ++p) {
                const float n = float(std::max(1u, f_.samples[p]));
                lightness[p] = 1.f / std::max(least_albedo, feature[c][p] + 1.f - f_.alpha[p] / n);
            }
            auto lit = [&](const Plane& of, bool squared) {
                Plane out(n_);
                for (size_t p = 0; p < n_; ++p) out[p] = of[p] * lightness[p] * (squared ? lightness[p] : 1.f);
                return out;
            };
            variance_.emplace_back(w_, h_, box_mean(lit(raw_variance_[c], true), w_, h_, calm));
            for (size_t half = 0; half < 2; ++half) padded_[half].emplace_back(w_, h_, lit(colour_[half][c], false));
        }
        for (const auto& half : light_) {
            padded_light_.emplace_back();
            for (const Plane& c : half) padded_light_.back().emplace_back(w_, h_, c);
        }
        for (const Plane& f : feature) feature_.emplace_back(w_, h_, f);
        counts_.emplace_back(w_, h_, counts);
    }

    /// How alike the surroundings of a tile's pixels and of those beside them look, in the half that is not fitted.
    void weigh(Scratch& s, int x0, int y0, int w, int h, int half, int width) const {
        const auto& colour = padded_[size_t(1 - half)];
        const float k2 = bandwidth[width] * bandwidth[width];
        constexpr int side = tile + 2 * patch;
        for (int j = -reach; j <= reach; ++j)
            for (int i = -reach; i <= reach; ++i) {
                auto& weight = s.weight[size_t((j + reach) * window + i + reach)];
                s.apart.fill(0.f);
                for (int y = 0; y < h + 2 * patch; ++y)
                    for (size_t c = 0; c < 3; ++c) {
                        const float* a = colour[c].at(x0 - patch, y0 + y - patch);
                        const float* b = colour[c].at(x0 - patch + i, y0 + y - patch + j);
                        const float* va = variance_[c].at(x0 - patch, y0 + y - patch);
                        const float* vb = variance_[c].at(x0 - patch + i, y0 + y - patch + j);
                        float* to = &s.apart[size_t(y) * side];
                        const float least = least_variance_;
#pragma GCC ivdep
                        for (int x = 0; x < w + 2 * patch; ++x) {
                            const float d = a[x] - b[x];
                            const float least_of_both = va[x] < vb[x] ? va[x] : vb[x];
                            to[x] += (d * d - (va[x] + least_of_both)) / (least + k2 * (va[x] + vb[x]));
                        }
                    }
                constexpr int across = 2 * patch + 1;
                for (int y = 0; y < h + 2 * patch; ++y) {
                    const float* from = &s.apart[size_t(y) * side];
                    float* to = &s.along[size_t(y) * tile];
#pragma GCC ivdep
                    for (int x = 0; x < w; ++x) {
                        float sum = 0.f;
                        for (int u = 0; u < across; ++u) sum += from[x + u];
                        to[x] = sum;
                    }
                }
                constexpr float part = 1.f / float(across * across * 3);
                for (int y = 0; y < h; ++y) {
                    const float* from = &s.along[size_t(y) * tile];
                    const float* counts = counts_[0].at(x0 + i, y0 + y + j);
                    const bool outside = y0 + y + j < 0 || y0 + y + j >= h_;
                    float* to = &weight[size_t(y) * tile];
#pragma GCC ivdep
                    for (int x = 0; x < w; ++x) {
                        float sum = 0.f;
                        for (int v = 0; v < across; ++v) sum += from[x + v * tile];
                        sum *= part;
                        const bool beside = x0 + x + i < 0 || x0 + x + i >= w_;
                        to[x] = outside || beside ? 0.f : counts[x] * fading(sum > 0.f ? sum : 0.f);
                    }
                }
            }
    }

    /// A tile's light in one half, with weights of one width.
    void fit_tile(Scratch& s, int x0, int y0, int w, int h, int half, int width) {
        weigh(s, x0, y0, w, h, half, width);
        for (auto& m : s.matrix) m.fill(0.f);
        float own[features][tile];
        float apart[terms][tile];
        auto differences = [&](int y, int i, int j) {
            for (int f = 0; f < features; ++f) {
                const float* there = feature_[size_t(f)].at(x0 + i, y0 + y + j);
#pragma GCC ivdep
                for (int x = 0; x < w; ++x) apart[f + 1][x] = there[x] - own[f][x];
            }
        };
        for (int x = 0; x < tile; ++x) apart[0][x] = 1.f;
        auto at_row = [&](int y) {
            for (int f = 0; f < features; ++f) std::copy_n(feature_[size_t(f)].at(x0, y0 + y), w, own[f]);
        };
        auto each_offset = [&](auto&& visit) {
            for (int y = 0; y < h; ++y) {
                at_row(y);
                for (int j = -reach; j <= reach; ++j)
                    for (int i = -reach; i <= reach; ++i) {
                        differences(y, i, j);
                        visit(y, i, j, &s.weight[size_t((j + reach) * window + i + reach)][size_t(y) * tile]);
                    }
            }
        };
        each_offset([&](int y, int, int, const float* weight) {
            float weighted[tile];
            for (int a = 0; a < terms; ++a) {
#pragma GCC ivdep
                for (int x = 0; x < w; ++x) weighted[x] = weight[x] * apart[a][x];
                for (int b = 0; b <= a; ++b) {
                    float* to = &s.matrix[size_t(a * (a + 1) / 2 + b)][size_t(y) * tile];
#pragma GCC ivdep
                    for (int x = 0; x < w; ++x) to[x] += weighted[x] * apart[b][x];
                }
            }
        });
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                const size_t p = size_t(y) * tile + size_t(x);
                float m[terms * (terms + 1) / 2];
                float z[terms];
                for (size_t k = 0; k < s.matrix.size(); ++k) m[k] = s.matrix[k][p];
                const float all = std::max(m[0], 1e-6f);
                m[0] = all;
                for (int a = 1; a < terms; ++a) {
                    float& own_spread = m[a * (a + 1) / 2 + a];
                    own_spread += ridge * own_spread + all * feature_noise * feature_noise;
                }
                first_of_inverse(m, z);
                for (int a = 0; a < terms; ++a) s.first[size_t(a)][p] = z[a];
            }
        // The fit's value at the pixel itself is a weighted mean of the light around it.
        each_offset([&](int y, int i, int j, const float* weight) {
            float part[tile] = {};
            for (int a = 0; a < terms; ++a) {
                const float* z = &s.first[size_t(a)][size_t(y) * tile];
#pragma GCC ivdep
                for (int x = 0; x < w; ++x) part[x] += z[x] * apart[a][x];
            }
#pragma GCC ivdep
            for (int x = 0; x < w; ++x) part[x] *= weight[x];
            for (size_t c = 0; c < 3 * groups_; ++c) {
                const float* light = padded_light_[size_t(half)][c].at(x0 + i, y0 + y + j);
                float* to = &fitted_[size_t(half)][size_t(width)][c][size_t(y0 + y) * size_t(w_) + size_t(x0)];
#pragma GCC ivdep
                for (int x = 0; x < w; ++x) to[x] += part[x] * light[x];
            }
        });
    }

    const Film& f_;
    int w_, h_;
    size_t n_, groups_;
    std::array<std::vector<Plane>, 2> light_;     // of each half: groups by colours
    std::array<std::array<Plane, 3>, 2> colour_;  // all of it together
    std::array<Plane, 3> raw_variance_;           // of a half
    std::vector<Padded> variance_, feature_, counts_;
    std::array<std::vector<Padded>, 2> padded_;
    std::vector<std::vector<Padded>> padded_light_;
    std::array<std::array<std::vector<Plane>, widths>, 2> fitted_;
    float least_variance_ = 0.f;
};

}  // namespace

bool smooth_by_regression(Film& film, const std::vector<V3f>& gains, Progress* progress, float from, int rows) {
    if (film.odd_light.size() != film.light.size() || film.samples.empty() || gains.size() < film.light.size())
        return false;
    if (rows <= 0) rows = std::max(tile, most_pixels / film.width / tile * tile);
    double depths = 0.;
    double hits = 0.;
    for (size_t p = 0; p < film.samples.size(); ++p) depths += double(film.depth[p]), hits += double(film.alpha[p]);
    const float depth_unit = depths > 0. ? float(hits / depths) : 1.f;
    Smoothing told;
    told.noise_before = film.noise();
    told.error.assign(film.samples.size(), 0.f);
    std::vector<std::vector<V3f>> smooth = film.light;
    for (int y0 = 0; y0 < film.height; y0 += rows) {
        const int y1 = std::min(film.height, y0 + rows);
        const int first = std::max(0, y0 - beside);
        Film piece = film.part({0, first, film.width, std::min(film.height, y1 + beside)});
        Regression regression(piece, gains, depth_unit);
        const float all = float(film.height);
        if (!regression.fit(progress, from + (1.f - from) * float(y0) / all, (1.f - from) * float(y1 - y0) / all))
            return false;
        const std::vector<float> error = regression.choose(piece, gains);
        const size_t in_piece = size_t(y0 - first) * size_t(film.width);
        const size_t at = size_t(y0) * size_t(film.width);
        const size_t count = size_t(y1 - y0) * size_t(film.width);
        for (size_t g = 0; g < smooth.size(); ++g) std::copy_n(&piece.light[g][in_piece], count, &smooth[g][at]);
        std::copy_n(&error[in_piece], count, &told.error[at]);
    }
    double sum = 0.;
    double count = 0.;
    for (size_t p = 0; p < told.error.size(); ++p) {
        if (film.samples[p] < 2) continue;
        sum += double(told.error[p]);
        count += 1.;
    }
    told.error_after = count > 0. ? float(sum / count) : 0.f;
    film.light = std::move(smooth);
    film.smoothing = std::move(told);
    film.odd_light.clear();
    return true;
}

}  // namespace vemtra::render
