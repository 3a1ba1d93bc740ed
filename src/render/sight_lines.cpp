#include "render/sight_lines.h"

#include "base/parallel.h"
#include "render/pinhole.h"
#include "scene/slot_names.h"

namespace vemtra::render {
namespace {

constexpr int most_met = 6;  // surfaces that a sight line goes through
constexpr size_t last_bit = 63;

/// Per build-up: whether one may see through it.
std::vector<uint8_t> clear_ones(const Prepared& p) {
    std::vector<uint8_t> clear(p.build_ups.size(), 0);
    for (size_t b = 0; b < clear.size(); ++b) {
        clear[b] = p.build_ups[b].may_open;
        if (b >= p.scene->build_ups.size()) continue;
        for (const scene::Layer& l : p.scene->build_ups[b].layers)
            if (const auto it = l.surface.find(scene::slot::transmission_weight); it != l.surface.end())
                clear[b] |= !it->second.from.empty() || scene::as_number(it->second.value) > 0.f;
    }
    return clear;
}

/// visit(line, build-up, place) for what the sight lines of a rectangle meet, on all cores; true: no further there.
/// There is a line for `step` by `step` pixels of the frame; the rectangle is one of lines.
template <class Visit>
void follow(const Prepared& p, int width, int height, int step, const PixelRect& r, const std::vector<uint8_t>& clear,
            const Visit& visit) {
    const Pinhole eye(p.camera, width, height, framed_aspect(*p.scene));
    const int across = in_steps(width, step);
    auto middle = [step](int line) { return (float(line) + .5f) * float(step); };
    parallel_ranges(size_t(std::max(0, r.y1 - r.y0)), 4, [&](size_t first, size_t last) {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        for (int y = r.y0 + int(first); y < r.y0 + int(last); ++y)
            for (int x = r.x0; x < r.x1; ++x) {
                const V3f d = eye.forward + eye.right * ((2.f * middle(x) / float(width) - 1.f) * eye.tan_x) +
                              eye.up * ((1.f - 2.f * middle(y) / float(height)) * eye.tan_y);
                V3f from = eye.origin;
                for (int k = 0; k < most_met; ++k) {
                    RTCRayHit ray = geometry::single_ray(from, d);
                    rtcIntersect1(p.geometry->scene(), &context, &ray);
                    const geometry::Place at = geometry::place_of(ray.hit);
                    if (!geometry::hit_something(at)) break;
                    const V3f place = from + d * ray.ray.tfar;
                    const size_t b = size_t(p.build_up_of[at.instance]);
                    if (visit(size_t(y) * size_t(across) + size_t(x), b, place) || b >= clear.size() || !clear[b])
                        break;
                    from = geometry::offset_origin(place, d.normalized());
                }
            }
    });
}

/// With the pixels right beside.
template <class Met> SeenPixels widened(int width, int height, const PixelRect& r, const Met& met) {
    SeenPixels seen;
    seen.pixels.assign(size_t(width) * size_t(height), 0);
    for (int y = r.y0; y < r.y1; ++y)
        for (int x = r.x0; x < r.x1; ++x) {
            if (!met(size_t(y) * size_t(width) + size_t(x))) continue;
            for (int v = std::max(r.y0, y - 1); v <= std::min(r.y1 - 1, y + 1); ++v)
                for (int u = std::max(r.x0, x - 1); u <= std::min(r.x1 - 1, x + 1); ++u)
                    seen.pixels[size_t(v) * size_t(width) + size_t(u)] = 1;
        }
    seen.count = double(std::count(seen.pixels.begin(), seen.pixels.end(), uint8_t(1)));
    return seen;
}

}  // namespace

SeenPixels pixels_that_see(const Prepared& prepared, int width, int height, const PixelRect& r,
                           const std::vector<uint8_t>& build_ups, const Box3f& within) {
    std::vector<uint8_t> met(size_t(width) * size_t(height), 0);
    follow(prepared, width, height, 1, r, clear_ones(prepared), [&](size_t pixel, size_t b, const V3f& place) {
        const bool here = b < build_ups.size() && build_ups[b] && within.intersects(place);
        met[pixel] |= uint8_t(here);
        return here;
    });
    return widened(width, height, r, [&](size_t pixel) { return met[pixel] != 0; });
}

bool Sights::look(const Prepared& p, int width, int height, int step) {
    std::vector<uint8_t> clear = clear_ones(p);
    if (width == width_ && height == height_ && step == step_ && p.geometry == geometry_ &&
        p.build_up_of == build_up_of_ && clear == clear_ && p.camera == camera_)
        return false;
    width_ = width;
    height_ = height;
    step_ = step;
    geometry_ = p.geometry;
    build_up_of_ = p.build_up_of;
    clear_ = std::move(clear);
    camera_ = p.camera;
    const PixelRect lines{0, 0, in_steps(width, step), in_steps(height, step)};
    seen_.assign(size_t(lines.x1) * size_t(lines.y1), 0);
    follow(p, width, height, step, lines, clear_, [&](size_t line, size_t b, const V3f&) {
        seen_[line] |= uint64_t(1) << std::min(b, last_bit);
        return false;
    });
    return true;
}

std::vector<uint8_t> Sights::lines_that_see(const std::vector<uint8_t>& build_ups) const {
    uint64_t wanted = 0;
    for (size_t b = 0; b < build_ups.size(); ++b)
        if (build_ups[b]) wanted |= uint64_t(1) << std::min(b, last_bit);
    std::vector<uint8_t> marks(seen_.size());
    for (size_t k = 0; k < marks.size(); ++k) marks[k] = (seen_[k] & wanted) != 0;
    return marks;
}
SeenPixels Sights::that_see(const std::vector<uint8_t>& build_ups) const {
    return in_full(lines_that_see(build_ups), width_, height_, step_);
}

SeenPixels in_full(const std::vector<uint8_t>& marks, int width, int height, int step) {
    const int across = in_steps(width, step);
    const int down = in_steps(height, step);
    SeenPixels lines = widened(across, down, {0, 0, across, down}, [&](size_t line) { return marks[line] != 0; });
    if (step == 1) return lines;
    SeenPixels seen;
    seen.pixels.resize(size_t(width) * size_t(height));
    for (int v = 0; v < down; ++v) {
        uint8_t* row = &seen.pixels[size_t(v * step) * size_t(width)];
        const int rows = std::min(step, height - v * step);
        for (int u = 0; u < across; ++u) {
            const int columns = std::min(step, width - u * step);
            const uint8_t mark = lines.pixels[size_t(v) * size_t(across) + size_t(u)];
            std::fill_n(row + u * step, columns, mark);
            seen.count += mark * rows * columns;
        }
        for (int k = 1; k < rows; ++k) std::copy_n(row, width, row + size_t(k) * size_t(width));
    }
    return seen;
}

SeenPixels coarser(const SeenPixels& seen, int width, int height, int factor) {
    const int w = (width + factor - 1) / factor;
    const int h = (height + factor - 1) / factor;
    SeenPixels out;
    out.pixels.assign(size_t(w) * size_t(h), 0);
    parallel_ranges(size_t(h), 8, [&](size_t first, size_t last) {
        for (int y = int(first) * factor; y < std::min(int(last) * factor, height); ++y) {
            uint8_t* to = &out.pixels[size_t(y / factor) * size_t(w)];
            const uint8_t* from = &seen.pixels[size_t(y) * size_t(width)];
            for (int x = 0; x < width; x += factor, ++to)
                for (int k = x; k < std::min(x + factor, width); ++k) *to |= from[k];
        }
    });
    out.count = double(std::count(out.pixels.begin(), out.pixels.end(), uint8_t(1)));
    return out;
}

}  // namespace vemtra::render
