#include "render/denoise.h"

#include "base/parallel.h"

namespace vemtra::render {
namespace {

constexpr float least_albedo = .02f;
constexpr int passes = 5;
constexpr uint32_t steady_albedo = 8;  // samples from which on a pixel's own albedo is taken
constexpr uint32_t steady_dark = 8;    // from which on that none of them found light is evidence
constexpr uint32_t steady_edges = 16;
constexpr uint32_t few_paths = 16;  // samples up to which what was touched is known from further around
constexpr int few_reach = 5;        // pixels
constexpr float deviations = 2.5f;  // from its neighbours' mean that a pixel may have without evidence
constexpr float steadiness = .25f;  // of that distance: halves that agree so well are evidence
constexpr float lone = 2.f;         // factor beyond the extremes of its neighbours that a filtered pixel may have
constexpr float rows_at_once = 8;
constexpr int longest_piece = 256;  // pixels

using Plane = std::vector<float>;

/// One number per pixel each, so that rows of pixels are worked on together.
struct Planes {
    Plane x, y, z;
    void resize(size_t n) {
        for (Plane* p : {&x, &y, &z}) p->resize(n);
    }
    void put(size_t p, const V3f& v) {
        x[p] = v.x;
        y[p] = v.y;
        z[p] = v.z;
    }
    V3f operator[](size_t p) const { return {x[p], y[p], z[p]}; }
    void swap(Planes& other) {
        x.swap(other.x);
        y.swap(other.y);
        z.swap(other.z);
    }
};

/// exp(-x) by a rational bound: monotone, and enough for a weight.
inline float fading(float x) {
    const float e = 1.f + x * (.5f + x * .125f);
    return 1.f / (e * e);
}

class Filter {
public:
    Filter(const Film& film, float strength, const std::atomic<bool>* stop)
        : f_(film), w_(film.width), h_(film.height), n_(size_t(w_) * size_t(h_)), strength_(strength), stop_(stop) {}

    /// False if stopped.
    bool run(std::vector<V3f>& linear) {
        most_samples_ = *std::max_element(f_.samples.begin(), f_.samples.end());
        take(linear);
        calm_albedo(linear);
        bring_near();
        bring_near();  // the first time outliers hid each other
        find_variance();
        for (int k = 0, step = 1; k < passes; ++k, step *= 2) pass(step);
        calm_lone();
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) linear[p] = light_[p] * albedo_[p];
        });
        if (most_samples_ < steady_edges) {
            calm_edges(linear);
            calm_edges(linear);
        }
        return !stopped();
    }

private:
    bool stopped() const { return stop_ && *stop_; }

    /// A piece of a row: so long that what is read of it stays near the processor.
    struct Piece {
        int y, first, last;
    };
    /// Sums along a row.
    struct Sums {
        Plane weight, x, y, z, squares, tolerance;
        explicit Sums(size_t width) {
            for (Plane* p : {&weight, &x, &y, &z, &squares, &tolerance}) p->resize(width);
        }
        void begin(const Piece& piece) {
            for (Plane* p : {&weight, &x, &y, &z, &squares})
                std::fill(p->begin() + piece.first, p->begin() + piece.last, 0.f);
        }
    };
    /// row(piece, sums) for every piece of every row, unless stopped; what is in the sums before is anything.
    template <class Row> void rows(Row&& row) const {
        parallel_ranges(size_t(h_), size_t(rows_at_once), [&](size_t first, size_t last) {
            if (stopped()) return;
            Sums sums{size_t(w_)};
            for (int x = 0; x < w_; x += longest_piece)
                for (int y = int(first); y < int(last); ++y) row(Piece{y, x, std::min(x + longest_piece, w_)}, sums);
        });
    }
    size_t at(int x, int y) const { return size_t(y) * size_t(w_) + size_t(x); }
    /// each(p, q, first, last, i, j) for neighbours at most `reach` steps away in both directions that are within the
    /// picture: of the row that begins at p, from `first` to before `last`, they lie in the row that begins at q, i
    /// steps along it.
    template <class Each> void around(const Piece& piece, int reach, int step, Each&& each) const {
        for (int j = -reach; j <= reach; ++j) {
            const int v = piece.y + j * step;
            if (v < 0 || v >= h_) continue;
            for (int i = -reach; i <= reach; ++i)
                each(at(0, piece.y), at(0, v), std::max(piece.first, -i * step), std::min(piece.last, w_ - i * step), i,
                     j);
        }
    }

    /// What tells two pixels of two rows apart.
    struct Guides {
        const float *nx, *ny, *nz, *depth, *slope, *ar, *ag, *ab;
    };
    Guides guides(size_t row) const {
        return {&normal_.x[row], &normal_.y[row], &normal_.z[row], &depth_[row],
                &slope_[row],    &albedo_.x[row], &albedo_.y[row], &albedo_.z[row]};
    }
    /// Squared distance of the forms that they show.
    static float apart_in_form(const Guides& a, int x, const Guides& b, int u, float pixels) {
        const float nx = a.nx[x] - b.nx[u];
        const float ny = a.ny[x] - b.ny[u];
        const float nz = a.nz[x] - b.nz[u];
        const float slope = a.slope[x] > b.slope[u] ? a.slope[x] : b.slope[u];
        const float allowed = .004f * a.depth[x] + 1.5f * slope * pixels + 1e-6f;
        const float dd = (a.depth[x] - b.depth[u]) / allowed;
        return (nx * nx + ny * ny + nz * nz) * 24.f + dd * dd;
    }
    /// And of what is on them.
    static float apart(const Guides& a, int x, const Guides& b, int u, float pixels) {
        const float ar = a.ar[x] - b.ar[u];
        const float ag = a.ag[x] - b.ag[u];
        const float ab = a.ab[x] - b.ab[u];
        return apart_in_form(a, x, b, u, pixels) + (ar * ar + ag * ag + ab * ab) * 12.f;
    }

    void take(const std::vector<V3f>& linear) {
        for (Planes* p : {&normal_, &albedo_, &light_, &next_}) p->resize(n_);
        for (Plane* p : {&depth_, &slope_, &level_, &variance_, &spread_, &apart_}) p->resize(n_);
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) {
                const float count = float(std::max(1u, f_.samples[p]));
                const float hits = f_.alpha[p];
                V3f a = f_.albedo[p] / count + V3f((count - hits) / count);
                for (int c = 0; c < 3; ++c) a[c] = std::max(least_albedo, a[c]);
                albedo_.put(p, a);
                normal_.put(p, hits > 0.f ? f_.normal[p] / hits : V3f(0.f));
                depth_[p] = hits > 0.f ? f_.depth[p] / hits : 1e6f;
                apart_[p] = halves_apart(p);
                light_.put(p, linear[p] / a);
            }
        });
        find_level();
        rows([&](const Piece& piece, Sums&) {
            const int y = piece.y;
            for (int x = piece.first; x < piece.last; ++x) {
                auto rise = [&](int u, int v) {
                    return u < 0 || u >= w_ || v < 0 || v >= h_ ? 1e6f : std::fabs(depth_[at(u, v)] - depth_[at(x, y)]);
                };
                slope_[at(x, y)] =
                    std::max(std::min(rise(x - 1, y), rise(x + 1, y)), std::min(rise(x, y - 1), rise(x, y + 1)));
            }
        });
    }
    void find_level() {
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) level_[p] = luminance(light_[p]);
        });
    }

    /// Which layer stands in a pixel, and what its edge shows, is chance as well with few samples: what is divided by
    /// is the mean over neighbours on the same form then.
    void calm_albedo(const std::vector<V3f>& linear) {
        if (most_samples_ >= steady_albedo) return;
        const float others = 1.f - float(most_samples_) / float(steady_albedo);
        rows([&](const Piece& piece, Sums& s) {
            const int y = piece.y;
            s.begin(piece);
            around(piece, 1, 1, [&](size_t row, size_t from, int first, int last, int i, int j) {
                const Guides a = guides(row);
                const Guides b = guides(from);
                const float itself = i == 0 && j == 0 ? 1.f : 0.f;
                const float part = others * (1.f - itself);
                float* weight = s.weight.data();
                float* sx = s.x.data();
                float* sy = s.y.data();
                float* sz = s.z.data();
#pragma GCC ivdep
                for (int x = first; x < last; ++x) {
                    const float k = itself + part * fading(apart_in_form(a, x, b, x + i, 1.f));
                    sx[x] += b.ar[x + i] * k;
                    sy[x] += b.ag[x + i] * k;
                    sz[x] += b.ab[x + i] * k;
                    weight[x] += k;
                }
            });
            for (int x = piece.first; x < piece.last; ++x)
                next_.put(at(x, y), V3f(s.x[size_t(x)], s.y[size_t(x)], s.z[size_t(x)]) / s.weight[size_t(x)]);
        });
        albedo_.swap(next_);
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) light_.put(p, linear[p] / albedo_[p]);
        });
        find_level();
    }

    /// The deviation of the mean of a pixel's samples, as a part of it; negative where there are no halves, or they say
    /// nothing.
    float halves_apart(size_t p) const {
        if (f_.samples[p] < 2) return -1.f;
        float sum = 0.f;
        for (const auto& group : f_.light) sum += luminance(group[p]);
        const float odd = f_.odd_luminance[p] / float(f_.samples[p] / 2);
        const float even = (sum - f_.odd_luminance[p]) / float(f_.samples[p] - f_.samples[p] / 2);
        // That few samples found no light at all is no evidence of darkness.
        if (!(odd + even > 0.f)) return f_.samples[p] < steady_dark ? -1.f : 0.f;
        return std::fabs(odd - even) / (odd + even);
    }

    /// Mean and variance of the light around a pixel, without it; then what stands out of them without evidence is
    /// brought near.
    void bring_near() {
        rows([&](const Piece& piece, Sums& s) {
            const int y = piece.y;
            s.begin(piece);
            around(piece, 2, 1, [&](size_t row, size_t from, int first, int last, int i, int j) {
                if (i == 0 && j == 0) return;
                const Guides a = guides(row);
                const Guides b = guides(from);
                const float reach = float(std::max(std::abs(i), std::abs(j)));
                const float* level = &level_[from];
                float* weight = s.weight.data();
                float* sum = s.x.data();
                float* squares = s.squares.data();
#pragma GCC ivdep
                for (int x = first; x < last; ++x) {
                    const float k = .01f + fading(apart(a, x, b, x + i, reach));
                    const float l = level[x + i];
                    sum[x] += k * l;
                    squares[x] += k * l * l;
                    weight[x] += k;
                }
            });
            for (int x = piece.first; x < piece.last; ++x) {
                const size_t p = at(x, y);
                const float weight = s.weight[size_t(x)];
                next_.put(p, light_[p]);
                spread_[p] = 0.f;
                if (!(weight > 0.f)) continue;
                const float mean = s.x[size_t(x)] / weight;
                const float variance = std::max(0.f, s.squares[size_t(x)] / weight - mean * mean);
                const float off = level_[p] - mean;
                const bool certain = apart_[p] >= 0.f && apart_[p] * level_[p] < steadiness * std::fabs(off);
                const float most = deviations * std::sqrt(variance) + .05f * mean;
                if (!certain && std::fabs(off) > most) {
                    const float wanted = std::max(0.f, mean + std::copysign(most, off));
                    next_.put(p, level_[p] > 1e-8f ? light_[p] * (wanted / level_[p]) : V3f(wanted));
                }
                spread_[p] = variance;
            }
        });
        light_.swap(next_);
        find_level();
    }

    /// The halves of one pixel alone say little: those of its neighbours are asked as well.
    void find_variance() {
        rows([&](const Piece& piece, Sums& s) {
            const int y = piece.y;
            s.begin(piece);
            around(piece, 2, 1, [&](size_t, size_t from, int first, int last, int i, int) {
                const float* level = &level_[from];
                const float* halves = &apart_[from];
                float* weight = s.weight.data();
                float* sum = s.x.data();
#pragma GCC ivdep
                for (int x = first; x < last; ++x) {
                    const float known = halves[x + i] >= 0.f ? 1.f : 0.f;
                    const float d = halves[x + i] * level[x + i];
                    sum[x] += known * d * d;
                    weight[x] += known;
                }
            });
            for (int x = piece.first; x < piece.last; ++x) {
                const size_t p = at(x, y);
                const float known = clamp01((float(f_.samples[p]) - 1.f) / 6.f);
                const float weight = s.weight[size_t(x)];
                const float own = weight > 0.f ? s.x[size_t(x)] / weight : spread_[p];
                variance_[p] = own * known + spread_[p] * (1.f - known);
            }
        });
    }

    void pass(int step) {
        static constexpr float kernel[] = {3.f / 8.f, 1.f / 4.f, 1.f / 16.f};
        rows([&](const Piece& piece, Sums& s) {
            const int y = piece.y;
            find_tolerance(piece, s);
            s.begin(piece);
            around(piece, 2, step, [&](size_t row, size_t from, int first, int last, int i, int j) {
                const Guides a = guides(row);
                const Guides b = guides(from);
                const int to = i * step;
                const float reach = float(std::max(std::abs(i), std::abs(j)) * step);
                const float share = kernel[std::abs(i)] * kernel[std::abs(j)];
                const float* own = &level_[row];
                const float* level = &level_[from];
                const float* variance = &variance_[from];
                const float* lx = &light_.x[from];
                const float* ly = &light_.y[from];
                const float* lz = &light_.z[from];
                const float* tolerance = s.tolerance.data();
                float* weight = s.weight.data();
                float* sx = s.x.data();
                float* sy = s.y.data();
                float* sz = s.z.data();
                float* squares = s.squares.data();
#pragma GCC ivdep
                for (int x = first; x < last; ++x) {
                    const int u = x + to;
                    const float dl = (own[x] - level[u]) * tolerance[x];
                    const float k = share * fading(apart(a, x, b, u, reach) + dl * dl);
                    sx[x] += lx[u] * k;
                    sy[x] += ly[u] * k;
                    sz[x] += lz[u] * k;
                    squares[x] += variance[u] * k * k;
                    weight[x] += k;
                }
            });
            for (int x = piece.first; x < piece.last; ++x) {
                const float part = 1.f / s.weight[size_t(x)];
                next_.put(at(x, y), V3f(s.x[size_t(x)], s.y[size_t(x)], s.z[size_t(x)]) * part);
                spread_[at(x, y)] = s.squares[size_t(x)] * part * part;
            }
        });
        light_.swap(next_);
        variance_.swap(spread_);
        find_level();
    }
    /// How far levels may differ, inverse, by the variance around.
    void find_tolerance(const Piece& piece, Sums& s) const {
        s.begin(piece);
        around(piece, 1, 1, [&](size_t, size_t from, int first, int last, int i, int j) {
            const float k = (i == 0 ? 2.f : 1.f) * (j == 0 ? 2.f : 1.f);
            const float* variance = &variance_[from];
            float* sum = s.x.data();
            float* weight = s.weight.data();
#pragma GCC ivdep
            for (int x = first; x < last; ++x) {
                sum[x] += k * variance[x + i];
                weight[x] += k;
            }
        });
        const float* level = &level_[at(0, piece.y)];
        for (int x = piece.first; x < piece.last; ++x)
            s.tolerance[size_t(x)] =
                1.f / (3.f * strength_ * std::sqrt(s.x[size_t(x)] / s.weight[size_t(x)]) + .004f * level[x] + 1e-6f);
    }

    /// Pixels on edges are like none of their neighbours, so that nothing was mixed into them: what has no evidence is
    /// kept between the second darkest and the second brightest around it, which leaves lines and corners.
    void calm_edges(std::vector<V3f>& linear) {
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) {
                level_[p] = luminance(linear[p]);
                next_.put(p, linear[p]);
            }
        });
        rows([&](const Piece& piece, Sums& s) {
            const int y = piece.y;
            if (y == 0 || y == h_ - 1) return;
            float* darkest = s.x.data();
            float* second_darkest = s.y.data();
            float* brightest = s.z.data();
            float* second_brightest = s.squares.data();
            for (int x = piece.first; x < piece.last; ++x) {
                darkest[x] = second_darkest[x] = INFINITY;
                brightest[x] = second_brightest[x] = -INFINITY;
            }
            around(piece, 1, 1, [&](size_t, size_t from, int first, int last, int i, int j) {
                if (i == 0 && j == 0) return;
                const float* level = &level_[from];
#pragma GCC ivdep
                for (int x = first; x < last; ++x) {
                    const float l = level[x + i];
                    const float middle_low = l > darkest[x] ? l : darkest[x];
                    second_darkest[x] = middle_low < second_darkest[x] ? middle_low : second_darkest[x];
                    darkest[x] = l < darkest[x] ? l : darkest[x];
                    const float middle_high = l < brightest[x] ? l : brightest[x];
                    second_brightest[x] = middle_high > second_brightest[x] ? middle_high : second_brightest[x];
                    brightest[x] = l > brightest[x] ? l : brightest[x];
                }
            });
            for (int x = std::max(piece.first, 1); x < std::min(piece.last, w_ - 1); ++x) {
                const size_t p = at(x, y);
                if (apart_[p] >= 0.f && apart_[p] < .05f) continue;
                if (level_[p] < second_darkest[x])
                    next_.put(p, linear[neighbour(x, y, second_darkest[x])]);
                else if (level_[p] > second_brightest[x])
                    next_.put(p, linear[neighbour(x, y, second_brightest[x])]);
            }
        });
        parallel_ranges(n_, 8192, [&](size_t first, size_t last) {
            for (size_t p = first; p < last; ++p) linear[p] = next_[p];
        });
    }
    /// The one beside an inner pixel that has that level; where there are several, the first.
    size_t neighbour(int x, int y, float level) const {
        for (int v = y - 1; v <= y + 1; ++v)
            for (int u = x - 1; u <= x + 1; ++u)
                if ((u != x || v != y) && level_[at(u, v)] == level) return at(u, v);
        return at(x, y);
    }

    /// No pixel stands alone among its neighbours without evidence.
    void calm_lone() {
        rows([&](const Piece& piece, Sums& s) {
            const int y = piece.y;
            float* least = s.x.data();
            float* most = s.y.data();
            for (int x = piece.first; x < piece.last; ++x) {
                least[x] = INFINITY;
                most[x] = 0.f;
            }
            around(piece, 2, 1, [&](size_t, size_t from, int first, int last, int i, int j) {
                if (i == 0 && j == 0) return;
                const float* level = &level_[from];
#pragma GCC ivdep
                for (int x = first; x < last; ++x) {
                    const float l = level[x + i];
                    least[x] = l < least[x] ? l : least[x];
                    most[x] = l > most[x] ? l : most[x];
                }
            });
            for (int x = piece.first; x < piece.last; ++x) {
                const size_t p = at(x, y);
                next_.put(p, light_[p]);
                if ((apart_[p] >= 0.f && apart_[p] < .1f) || !(most[x] > 0.f)) continue;
                const float wanted = std::clamp(level_[p], least[x] / lone, most[x] * lone);
                if (wanted != level_[p])
                    next_.put(p, level_[p] > 1e-8f ? light_[p] * (wanted / level_[p]) : V3f(wanted));
            }
        });
        light_.swap(next_);
    }

    const Film& f_;
    const int w_, h_;
    const size_t n_;
    const float strength_;
    const std::atomic<bool>* stop_;
    uint32_t most_samples_ = 0;
    Planes normal_, albedo_, light_, next_;    // light is divided by albedo
    Plane depth_, slope_;                      // of the depth, per pixel
    Plane level_, variance_, spread_, apart_;  // luminance of light; of its mean; around it; see halves_apart
};

}  // namespace

bool denoise(const Film& film, std::vector<V3f>& linear, float strength, const std::atomic<bool>* stop) {
    if (linear.empty() || linear.size() != film.samples.size()) return true;
    return Filter(film, strength, stop).run(linear);
}

void keep_standing(const Standing& old, const Film& film, int coarse, std::vector<V3f>& linear,
                   const StandingPart* of) {
    if (old.empty() || film.touched.empty() || linear.size() != film.samples.size()) return;
    if (of && of->only.size() != old.linear.size()) return;
    if (!of && (film.width != (old.width + coarse - 1) / coarse || film.height != (old.height + coarse - 1) / coarse))
        return;
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
    std::vector<V3f> out = old.linear;
    const int first_x = of ? of->rect.x0 : 0;  // of the film
    const int first_y = of ? of->rect.y0 : 0;
    parallel_ranges(size_t(old.height), 8, [&](size_t first, size_t last) {
        for (int y = int(first); y < int(last); ++y)
            for (int x = 0; x < old.width; ++x) {
                const size_t p = size_t(y) * size_t(old.width) + size_t(x);
                if (of && !of->only[p]) continue;
                const float fx = std::clamp((float(x) + .5f) / float(coarse) - float(first_x) - .5f, 0.f, float(w - 1));
                const float fy = std::clamp((float(y) + .5f) / float(coarse) - float(first_y) - .5f, 0.f, float(h - 1));
                const int x0 = int(fx);
                const int y0 = int(fy);
                V3f fresh(0.f);
                float part = 0.f;
                float samples = 0.f;
                float weight = 0.f;  // of those that were rendered
                for (int v = 0; v < 2; ++v)
                    for (int u = 0; u < 2; ++u) {
                        const size_t q = size_t(std::min(y0 + v, h - 1)) * size_t(w) + size_t(std::min(x0 + u, w - 1));
                        const float k =
                            (u ? fx - float(x0) : 1.f - fx + float(x0)) * (v ? fy - float(y0) : 1.f - fy + float(y0));
                        if (!film.samples[q]) continue;
                        fresh += linear[q] * k;
                        part += k * touched[q];
                        samples += k * float(film.samples[q]);
                        weight += k;
                    }
                if (!(weight > 0.f)) continue;
                fresh /= weight;
                const float stands = float(old.samples) * clamp01(1.f - 3.f * part / weight);
                const float fresh_ones = samples / float(coarse * coarse);
                out[p] = stands > 0.f ? (old.linear[p] * stands + fresh * fresh_ones) / (stands + fresh_ones) : fresh;
            }
    });
    linear = std::move(out);
}

}  // namespace vemtra::render
