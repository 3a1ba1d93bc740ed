#include "render/carried.h"

#include <array>

#include "base/parallel.h"
#include "render/pinhole.h"

namespace vemtra::render {
namespace {

constexpr uint32_t on_stage = SeenPlaces::nothing - 1;
constexpr size_t packet = 16;
constexpr float near_enough = 3.f;    // footprints of a pixel, off the surface
constexpr float far_along = 12.f;     // and along it, at grazing sight too
constexpr float least_weight = .2f;   // of the four pixels around a place
constexpr float edge_share = .05f;    // that a pixel counts whose colour is mixed with another form's
constexpr float most_gain = 2.f;      // logarithm, and its negative: of light that came or went
constexpr float chance = .2f;         // likewise: what says little
constexpr float dark = .02f;          // of the picture's mean: what lies below it is not told apart
constexpr float least_share = 1e-3f;  // of another form's colour where there is none of its own

/// Which of `fine` pixels in a row one of `coarse` pixels covers.
struct Span {
    size_t first, last;
};
Span covered(size_t k, size_t fine, size_t coarse) {
    const size_t first = k * fine / coarse;
    return {first, std::max(first + 1, (k + 1) * fine / coarse)};
}

Pinhole eye_of(const SeenPlaces& s) {
    return {s.camera, s.width, s.height, s.framed};
}

/// The four pixels of a picture around one of a finer picture of that size.
struct Taps {
    std::array<size_t, 4> at;
    std::array<float, 4> weight;
    Taps(const Pixels& of, size_t x, size_t y, size_t width, size_t height) {
        const size_t w = size_t(of.width);
        auto along = [](size_t k, int to, size_t from) {
            return std::clamp((float(k) + .5f) * float(to) / float(from) - .5f, 0.f, float(to - 1));
        };
        const float fx = along(x, of.width, width);
        const float fy = along(y, of.height, height);
        const size_t u0 = size_t(fx);
        const size_t v0 = size_t(fy);
        const size_t u1 = std::min(u0 + 1, w - 1);
        const size_t v1 = std::min(v0 + 1, size_t(of.height) - 1);
        const float tx = fx - float(u0);
        const float ty = fy - float(v0);
        at = {v0 * w + u0, v0 * w + u1, v1 * w + u0, v1 * w + u1};
        weight = {(1.f - tx) * (1.f - ty), tx * (1.f - ty), (1.f - tx) * ty, tx * ty};
    }
};

/// Of a coarse picture's pixels.
struct Block {
    V3f gain{0.f};                     ///< logarithm of how much brighter it is than what it covers
    float share = 0.f;                 ///< of it that is known
    std::optional<uint32_t> instance;  ///< the only one that it covers
    bool inside = false;               ///< as do those around it, of whose light it has a part
    /// How much it tells of a pixel that shows an instance.
    float tells(uint32_t of) const { return instance != of ? least_share : inside ? 1.f : edge_share; }
};
std::vector<Block> blocks_of(const CarriedPicture& picture, const SeenPlaces& now, const Pixels& light) {
    const size_t w = size_t(light.width);
    const size_t h = size_t(light.height);
    double sum = 0.;
    for (const V3f& c : light.linear) sum += double(luminance(c));
    const float least = std::max(1e-8f, dark * float(sum / double(w * h)));
    std::vector<Block> out(w * h);
    parallel_ranges(h, 4, [&](size_t first, size_t last) {
        for (size_t v = first; v < last; ++v)
            for (size_t u = 0; u < w; ++u) {
                const size_t q = v * w + u;
                const Span across = covered(u, size_t(now.width), w);
                const Span down = covered(v, size_t(now.height), h);
                V3f mean(0.f);
                float known = 0.f;
                const uint32_t one = now.pixels[down.first * size_t(now.width) + across.first].instance;
                bool alone = true;
                for (size_t y = down.first; y < down.last; ++y)
                    for (size_t x = across.first; x < across.last; ++x) {
                        const size_t p = y * size_t(now.width) + x;
                        alone &= now.pixels[p].instance == one;
                        if (!picture.known[p]) continue;
                        mean += picture.linear[p];
                        known += 1.f;
                    }
                if (alone) out[q].instance = one;
                if (!(known > 0.f)) continue;
                out[q].share = known / float((across.last - across.first) * (down.last - down.first));
                for (int c = 0; c < 3; ++c)
                    out[q].gain[c] = std::clamp(std::log((std::max(0.f, light.linear[q][c]) + least) /
                                                         (std::max(0.f, mean[c] / known) + least)),
                                                -most_gain, most_gain);
            }
    });
    parallel_ranges(h, 4, [&](size_t first, size_t last) {
        for (size_t v = first; v < last; ++v)
            for (size_t u = 0; u < w; ++u) {
                bool inside = out[v * w + u].instance.has_value();
                for (size_t j = v ? v - 1 : 0; j <= std::min(v + 1, h - 1); ++j)
                    for (size_t i = u ? u - 1 : 0; i <= std::min(u + 1, w - 1); ++i)
                        inside &= out[j * w + i].instance == out[v * w + u].instance;
                out[v * w + u].inside = inside;
            }
    });
    return out;
}

/// A single block is chance: it is asked together with those around it that show the same, and where all of them say
/// little the carried picture is right.
std::vector<V3f> calmed(const Pixels& light, const std::vector<Block>& blocks) {
    const size_t w = size_t(light.width);
    const size_t h = size_t(light.height);
    std::vector<V3f> out(w * h);
    parallel_ranges(h, 4, [&](size_t first, size_t last) {
        for (size_t v = first; v < last; ++v)
            for (size_t u = 0; u < w; ++u) {
                V3f total(0.f);
                float weight = 0.f;
                for (size_t j = v ? v - 1 : 0; j <= std::min(v + 1, h - 1); ++j)
                    for (size_t i = u ? u - 1 : 0; i <= std::min(u + 1, w - 1); ++i) {
                        const Block& b = blocks[j * w + i];
                        const bool same = b.instance && b.instance == blocks[v * w + u].instance;
                        const float k =
                            (i == u ? 2.f : 1.f) * (j == v ? 2.f : 1.f) * (same ? 1.f : edge_share) * (b.share + 1e-4f);
                        total += b.gain * k;
                        weight += k;
                    }
                total /= weight;
                const float square = total.length2() / 3.f;
                total *= square / (square + chance * chance);
                out[v * w + u] = V3f(std::exp(total.x), std::exp(total.y), std::exp(total.z));
            }
    });
    return out;
}

/// Whether a form goes on from one pixel to the next.
bool goes_on(const SeenPlaces::Pixel& a, const SeenPlaces::Pixel& b, const Pinhole& eye) {
    if (a.instance != b.instance) return false;
    if (a.instance == SeenPlaces::nothing) return true;
    const float footprint = (a.place - eye.origin).length() * eye.pixel_angle;
    return std::fabs((b.place - a.place).dot(a.normal)) < near_enough * footprint;
}
void find_edges(SeenPlaces& s) {
    const Pinhole eye = eye_of(s);
    const size_t w = size_t(s.width);
    const size_t h = size_t(s.height);
    auto any_beside = [&](auto&& differs) {
        std::vector<uint8_t> out(s.pixels.size());
        parallel_ranges(h, 4, [&](size_t first, size_t last) {
            for (size_t y = first; y < last; ++y)
                for (size_t x = 0; x < w; ++x) {
                    const size_t p = y * w + x;
                    out[p] = uint8_t((x > 0 && differs(p, p - 1)) || (x + 1 < w && differs(p, p + 1)) ||
                                     (y > 0 && differs(p, p - w)) || (y + 1 < h && differs(p, p + w)));
                }
        });
        return out;
    };
    const auto at_once = any_beside([&](size_t p, size_t q) { return !goes_on(s.pixels[p], s.pixels[q], eye); });
    // A pixel's light comes from as far as the middles of those around it.
    s.edges = any_beside([&](size_t p, size_t q) { return at_once[p] || at_once[q]; });
}

}  // namespace

std::optional<SeenPlaces> seen_places(const Prepared& p, int width, int height, const std::atomic<bool>* stop) {
    SeenPlaces seen;
    seen.width = width;
    seen.height = height;
    seen.camera = p.camera;
    seen.framed = framed_aspect(*p.scene);
    seen.pixels.resize(size_t(width) * size_t(height));
    const Pinhole eye = eye_of(seen);
    std::atomic<bool> stopped{false};
    parallel_ranges(size_t(height), 4, [&](size_t first, size_t last) {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
        alignas(64) RTCRayHit16 rays;
        alignas(64) int valid[packet];
        for (size_t y = first; y < last; ++y) {
            if (stop && *stop) {
                stopped = true;
                return;
            }
            const V3f row = eye.forward + eye.up * ((1.f - 2.f * (float(y) + .5f) / float(height)) * eye.tan_y);
            for (size_t x = 0; x < size_t(width); x += packet) {
                const size_t count = std::min(packet, size_t(width) - x);
                V3f direction[packet];
                for (size_t k = 0; k < packet; ++k) {
                    const float at = float(std::min(x + k, size_t(width) - 1)) + .5f;
                    direction[k] = (row + eye.right * ((2.f * at / float(width) - 1.f) * eye.tan_x)).normalized();
                    geometry::set_ray(rays.ray, int(k), eye.origin, direction[k]);
                    geometry::set_no_hit(rays.hit, int(k));
                    valid[k] = k < count ? -1 : 0;
                }
                rtcIntersect16(valid, p.geometry->scene(), &context, &rays);
                for (size_t k = 0; k < count; ++k) {
                    SeenPlaces::Pixel& pixel = seen.pixels[y * size_t(width) + x + k];
                    const geometry::Place at = geometry::place_of(rays.hit, int(k));
                    const bool hit = geometry::hit_something(at);
                    const float t = hit ? rays.ray.tfar[k] : INFINITY;
                    float out = 0.f;
                    const float stage = p.rig.meets_stage(eye.origin, direction[k], out);
                    if (stage < t) {
                        pixel = {eye.origin + direction[k] * stage, V3f(0.f, 1.f, 0.f), on_stage};
                    } else if (hit) {
                        V3f n(rays.hit.Ng_x[k], rays.hit.Ng_y[k], rays.hit.Ng_z[k]);
                        if (!p.geometry->merged(at.instance))
                            n = p.geometry->instances()[at.instance].normal_to_world(n);
                        n.normalize();
                        pixel = {eye.origin + direction[k] * t, n, at.instance};
                    } else {
                        pixel = {direction[k], V3f(0.f), SeenPlaces::nothing};
                    }
                }
            }
        }
    });
    if (stopped) return std::nullopt;
    find_edges(seen);
    return seen;
}

CarriedPicture carried_over(const SeenPlaces& before, const CarriedPicture& picture, const SeenPlaces& now) {
    CarriedPicture out;
    out.linear.assign(now.pixels.size(), V3f(0.f));
    out.known.assign(now.pixels.size(), 0);
    if (before.pixels.size() != picture.linear.size()) return out;
    const Pinhole eye = eye_of(before);
    parallel_ranges(now.pixels.size(), 4096, [&](size_t first, size_t last) {
        for (size_t p = first; p < last; ++p) {
            const SeenPlaces::Pixel& here = now.pixels[p];
            const bool far = here.instance == SeenPlaces::nothing;
            const V3f v = far ? here.place : here.place - eye.origin;
            const float depth = v.dot(eye.forward);
            if (!(depth > 0.f)) continue;
            const float x = (v.dot(eye.right) / (depth * eye.tan_x) + 1.f) * .5f * float(before.width) - .5f;
            const float y = (1.f - v.dot(eye.up) / (depth * eye.tan_y)) * .5f * float(before.height) - .5f;
            if (!(x > -1.f && y > -1.f && x < float(before.width) && y < float(before.height))) continue;
            const float footprint = depth * eye.pixel_angle;
            const int x0 = int(std::floor(x));
            const int y0 = int(std::floor(y));
            V3f sum(0.f);
            float weight = 0.f;
            float all = 0.f;
            bool clean = false;  // not only colours that are mixed with other forms'
            for (int j = std::max(y0, 0); j <= std::min(y0 + 1, before.height - 1); ++j)
                for (int i = std::max(x0, 0); i <= std::min(x0 + 1, before.width - 1); ++i) {
                    const size_t q = size_t(j) * size_t(before.width) + size_t(i);
                    const SeenPlaces::Pixel& there = before.pixels[q];
                    if (there.instance != here.instance) continue;
                    if (!picture.known.empty() && picture.known[q] != CarriedPicture::seen) continue;
                    if (!far) {
                        const V3f apart = there.place - here.place;
                        if (!(std::fabs(apart.dot(here.normal)) < near_enough * footprint)) continue;
                        const float facing = std::max(.05f, std::fabs(there.normal.dot(v)) / v.length());
                        if (!(apart.length() < far_along * footprint / facing)) continue;
                    }
                    const float near = (1.f - std::fabs(x - float(i))) * (1.f - std::fabs(y - float(j)));
                    const float k = near * (before.edges[q] ? edge_share : 1.f);
                    all += near;
                    clean |= !before.edges[q];
                    sum += picture.linear[q] * k;
                    weight += k;
                }
            if (all < least_weight || !(weight > 0.f) || (!clean && here.instance >= on_stage)) continue;
            out.linear[p] = sum / weight;
            out.known[p] = clean ? CarriedPicture::seen : CarriedPicture::guessed;
        }
    });
    return out;
}

void complete(CarriedPicture& picture, const CarriedPicture& other) {
    if (picture.linear.size() != other.linear.size()) return;
    for (size_t p = 0; p < picture.known.size(); ++p)
        if (picture.known[p] < other.known[p]) {
            picture.linear[p] = other.linear[p];
            picture.known[p] = other.known[p];
        }
}

Pixels made_smaller(const Pixels& from, int width, int height) {
    Pixels out{width, height, std::vector<V3f>(size_t(width) * size_t(height), V3f(0.f))};
    parallel_ranges(size_t(height), 1, [&](size_t first, size_t last) {
        for (size_t v = first; v < last; ++v)
            for (size_t u = 0; u < size_t(width); ++u) {
                const Span across = covered(u, size_t(from.width), size_t(width));
                const Span down = covered(v, size_t(from.height), size_t(height));
                V3f sum(0.f);
                for (size_t y = down.first; y < down.last; ++y)
                    for (size_t x = across.first; x < across.last; ++x) sum += from.linear[y * size_t(from.width) + x];
                const size_t count = (across.last - across.first) * (down.last - down.first);
                out.linear[v * size_t(width) + u] = sum / float(count);
            }
    });
    return out;
}

void bring_up_to_date(CarriedPicture& picture, const SeenPlaces& now, const Pixels& light, const Pixels& fine) {
    const size_t w = size_t(now.width);
    const size_t h = size_t(now.height);
    if (picture.linear.size() != w * h || !w || !h || light.linear.empty() || fine.linear.empty()) return;
    const std::vector<Block> blocks = blocks_of(picture, now, light);
    const std::vector<V3f> gain = calmed(light, blocks);
    const std::vector<Block> fine_blocks = blocks_of(picture, now, fine);
    parallel_ranges(h, 4, [&](size_t first, size_t last) {
        for (size_t y = first; y < last; ++y)
            for (size_t x = 0; x < w; ++x) {
                const size_t p = y * w + x;
                const bool known = picture.known[p];
                const Taps taps(known ? light : fine, x, y, w, h);
                const std::vector<Block>& of = known ? blocks : fine_blocks;
                V3f total(0.f);
                float weight = 0.f;
                float other = 0.f;
                for (size_t k = 0; k < 4; ++k) {
                    const float same = of[taps.at[k]].tells(now.pixels[p].instance);
                    const float part = (taps.weight[k] + least_share) * same;
                    total += (known ? gain : fine.linear)[taps.at[k]] * part;
                    weight += part;
                    if (same < 1.f) other += taps.weight[k];
                }
                total /= weight;
                if (known) {
                    picture.linear[p] *= total;
                } else {
                    picture.linear[p] = total;
                    const bool far =
                        now.pixels[p].instance >= on_stage;  // their light is soft: it is found anew each time
                    picture.known[p] = far || other > 0.f ? CarriedPicture::guessed : CarriedPicture::seen;
                }
            }
    });
}

}  // namespace vemtra::render
