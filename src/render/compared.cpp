#include "render/compared.h"

#include <algorithm>
#include <array>

#include "base/parallel.h"

namespace vemtra::render {
namespace {

constexpr float alike = .02f;       // squares of colours that differ by so much of theirs count half of equal ones
constexpr float unlike = 1e-4f;     // that counts, of another colour: where there is nothing better
constexpr float other_form = .02f;  // that a pixel beside what was edited counts for one that shows it
constexpr float itself = .02f;      // that a pixel which does not show the edit counts itself, as it stood
constexpr float most_times = 4.f;   // brighter that a pixel gets of its own; what is more comes from the coarse picture
constexpr float unexplained = .1f;  // of the light's square, with which its detail is believed by half
constexpr float of_a_kind = .2f;    // of their squares: colours that differ by less are of one surface, and its noise
constexpr float dark = 1e-3f;       // of the picture's mean: what lies below it is not told apart

/// A coarse pixel, and what is asked of it for each of the finer ones around it.
struct Coarse {
    V3f before, now;
    float length2, light_before, light_now;
    uint8_t mark;
};
std::vector<Coarse> pixels_of(const Compared& c) {
    std::vector<Coarse> out;
    out.reserve(c.now.size());
    for (size_t q = 0; q < c.now.size(); ++q) {
        const V3f& b = c.before[q];
        out.push_back({b, c.now[q], b.length2(), luminance(b), luminance(c.now[q]),
                       c.known.empty() ? uint8_t(shows_edit) : c.known[q]});
    }
    return out;
}

/// A coarse pixel that changes otherwise than most around it does so by luck: light that one of its paths found, or
/// lost, and that the filter gave to those beside. Its change is taken to lie within the middle half of theirs: of its
/// like, by colour and mark, or of all where there are few of those.
void without_lucky_changes(const Compared& c, float least, std::vector<Coarse>& pixels) {
    constexpr size_t enough = 5;
    auto change_of = [least](const Coarse& k, int channel) {
        return (k.now[channel] + least) / (k.before[channel] + least);
    };
    auto of_its_like = [](const Coarse& a, const Coarse& b) {
        return a.mark == b.mark && (a.before - b.before).length2() <= of_a_kind * (a.length2 + b.length2);
    };
    const std::vector<Coarse> all = pixels;
    parallel_ranges(size_t(c.height), 8, [&](size_t first, size_t last) {
        std::array<std::array<float, 25>, 3> changes;
        for (int y = int(first); y < int(last); ++y)
            for (int x = 0; x < c.width; ++x) {
                Coarse& pixel = pixels[size_t(y) * size_t(c.width) + size_t(x)];
                if (pixel.mark == not_known) continue;
                size_t n = 0;
                for (int attempt = 0; attempt < 3 && n < enough; ++attempt) {
                    const int reach = attempt ? 2 : 1;
                    n = 0;
                    for (int j = std::max(0, y - reach); j <= std::min(c.height - 1, y + reach); ++j)
                        for (int i = std::max(0, x - reach); i <= std::min(c.width - 1, x + reach); ++i) {
                            const Coarse& k = all[size_t(j) * size_t(c.width) + size_t(i)];
                            if (k.mark == not_known || (attempt < 2 && !of_its_like(k, pixel))) continue;
                            for (int channel = 0; channel < 3; ++channel)
                                changes[size_t(channel)][n] = change_of(k, channel);
                            ++n;
                        }
                }
                if (n < enough) continue;
                for (int channel = 0; channel < 3; ++channel) {
                    auto& own = changes[size_t(channel)];
                    std::sort(own.begin(), own.begin() + ptrdiff_t(n));
                    const float change = change_of(pixel, channel);
                    const float taken = std::clamp(change, own[n / 4], own[n - 1 - n / 4]);
                    if (taken != change)
                        pixel.now[channel] = std::max(0.f, (pixel.before[channel] + least) * taken - least);
                }
                pixel.light_now = luminance(pixel.now);
            }
    });
}

/// What a pixel is told by the coarse ones around it.
struct Told {
    V3f before{0.f}, now{0.f};
    float weight = 0.f;
    float square = 0.f, cross = 0.f, square_before = 0.f;  ///< of luminances, for how far the change explains them
    void add(const Coarse& c, float k) {
        before += c.before * k;
        now += c.now * k;
        weight += k;
        square += k * c.light_now * c.light_now;
        cross += k * c.light_now * c.light_before;
        square_before += k * c.light_before * c.light_before;
    }
    void stays(const V3f& pixel, float k) {
        const float light = luminance(pixel);
        add({pixel, pixel, 0.f, light, light, known}, k);
    }
    V3f changed(const V3f& pixel, float least) const {
        V3f out;
        const float gain = (luminance(now) + least) / (luminance(before) + least);
        const float rest = std::max(0.f, square - 2.f * gain * cross + gain * gain * square_before);
        const float believed = 1.f / (1.f + rest / (unexplained * square + least * least * weight));
        for (int c = 0; c < 3; ++c) {
            const float b = before[c] / weight;
            const float n = now[c] / weight;
            const float times = std::min((n + least) / (b + least), most_times);
            out[c] = std::max(0.f, (pixel[c] * times + n - b * times) * believed + n * (1.f - believed));
        }
        return out;
    }
};

}  // namespace

std::vector<V3f> brought_along(const Standing& standing, const Compared& coarse, const std::vector<uint8_t>* marks) {
    const size_t count = size_t(coarse.width) * size_t(coarse.height);
    if (!count || coarse.before.size() != count || coarse.now.size() != count ||
        (marks && marks->size() != standing.linear.size()) || (!coarse.known.empty() && coarse.known.size() != count))
        return standing.linear;
    std::vector<V3f> out(standing.linear.size());
    std::vector<Coarse> pixels = pixels_of(coarse);
    double sum = 0.;
    for (const Coarse& c : pixels) sum += double(c.light_before);
    const float least = std::max(1e-8f, dark * float(sum / double(count)));
    without_lucky_changes(coarse, least, pixels);
    const int w = coarse.width;
    const int h = coarse.height;
    parallel_ranges(size_t(standing.height), 8, [&](size_t first, size_t last) {
        for (size_t y = first; y < last; ++y) {
            const float fy = (float(y) + .5f) * float(h) / float(standing.height) - .5f;
            const int v = int(std::lround(fy));
            for (size_t x = 0; x < size_t(standing.width); ++x) {
                const size_t p = y * size_t(standing.width) + x;
                const uint8_t mark = marks ? (*marks)[p] : uint8_t(known);
                const V3f& pixel = standing.linear[p];
                out[p] = pixel;
                if (mark == not_known) continue;
                const float own = pixel.length2() + least * least;
                const float fx = (float(x) + .5f) * float(w) / float(standing.width) - .5f;
                const int u = int(std::lround(fx));
                Told told;
                for (int j = std::max(0, v - 1); j <= std::min(h - 1, v + 1); ++j)
                    for (int i = std::max(0, u - 1); i <= std::min(w - 1, u + 1); ++i) {
                        const Coarse& c = pixels[size_t(j) * size_t(w) + size_t(i)];
                        if (c.mark == not_known) continue;
                        const float near = (1.5f - std::fabs(fx - float(i))) * (1.5f - std::fabs(fy - float(j)));
                        const float apart = (c.before - pixel).length2() / (own + c.length2);
                        const float same = alike / (alike + apart);
                        const float form = mark == shows_edit && c.mark == known ? other_form : 1.f;
                        told.add(c, std::max(0.f, near) * (same * same + unlike) * form);
                    }
                if (!(told.weight > 0.f)) continue;
                if (marks && mark == known) told.stays(pixel, itself);
                out[p] = told.changed(pixel, least);
            }
        }
    });
    return out;
}

}  // namespace vemtra::render
