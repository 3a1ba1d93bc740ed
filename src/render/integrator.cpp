#include "render/integrator.h"

#include <tbb/enumerable_thread_specific.h>

#include "base/parallel.h"
#include "render/renderer.h"

namespace vemtra::render {
namespace {

/// Offsets of a tent filter one pixel to each side.
float tent(float u) {
    return u < .5f ? std::sqrt(2.f * u) - 1.f : 1.f - std::sqrt(2.f - 2.f * u);
}

constexpr uint32_t least_samples = 32,
                   look_every = 16;  // of adaptive sampling: enough for an estimate, and how often it is made

}  // namespace

PixelRect whole_tiles(const PixelRect& r, int width, int height) {
    auto up = [](int x, int most) { return std::min(most, (x + tile_size - 1) / tile_size * tile_size); };
    return {r.x0 / tile_size * tile_size, r.y0 / tile_size * tile_size, up(r.x1, width), up(r.y1, height)};
}

uint64_t Renderer::render_tile(Tile& t, uint32_t sample) {
    odd_ = sample & 1;
    // In two dimensions an error that shrinks with the samples' sixth root brings the mean to the truth.
    softening_ = f_.softening * std::pow(1.f + float(sample), -1.f / 6.f);
    t.body_sets.clear();
    if (f_.view == View::clay) return clay(t, sample);
    uint64_t rays = start(t, sample);
    if (f_.view != View::beauty) {
        flat_view(t, sample);
        return rays;
    }
    for (int step = 0; step < most_steps && !t.paths.empty(); ++step) {
        if (f_.abandon && f_.abandon->load(std::memory_order_relaxed)) break;
        arrive(t, step, sample);
        if (t.paths.empty()) break;
        shade(t, step, sample);
        rays += t.shadows.size() + t.next.size();
        shine(t, sample, step);
        trace_shadows(t);
        if (!t.stopped.empty()) through_holes(t, sample);
        std::swap(t.paths, t.next);
        trace(t.paths);
        travel(t, t.paths, sample, step);
    }
    // What still flies at the last depth sees the lights it was aimed at, nothing more.
    return rays;
}

void Renderer::choose_pixel(int x, int y, Tile::Pixels& out) const {
    const int n = out.count++;
    out.seed[n] = pixel_seed(uint32_t(x), uint32_t(y), f_.seed);
    out.x[n] = uint16_t(x);
    out.y[n] = uint16_t(y);
}
void Renderer::choose_pixels(const PixelRect& r, Tile::Pixels& out) const {
    out.count = 0;
    for (int y = r.y0; y < r.y1; ++y)
        for (int x = r.x0; x < r.x1; ++x)
            if (!f_.only || (*f_.only)[size_t(y) * size_t(f_.width) + size_t(x)]) choose_pixel(x, y, out);
}
void Renderer::choose_pixels(std::span<const uint32_t> list, Tile::Pixels& out) const {
    out.count = 0;
    for (const uint32_t p : list) choose_pixel(int(p % uint32_t(f_.width)), int(p / uint32_t(f_.width)), out);
}
void Renderer::aim(Tile::Pixels& pixels, uint32_t sample) {
    for (int i = 0; i < pixels.count; ++i) sample_2d(pixels.seed[i], sample, pair_camera, pixels.u[i], pixels.v[i]);
}

void Renderer::camera_rays(const Tile::Pixels& pixels, int first, int count, RTCRayHit16& packet, int* valid) const {
    alignas(64) float sx[16];
    alignas(64) float sy[16];
    for (int k = 0; k < 16; ++k) {
        const int i = first + std::min(k, count - 1);
        sx[k] = (2.f * (float(pixels.x[i]) + .5f + tent(pixels.u[i])) / float(f_.width) - 1.f) * camera_.tan_x;
        sy[k] = (1.f - 2.f * (float(pixels.y[i]) + .5f + tent(pixels.v[i])) / float(f_.height)) * camera_.tan_y;
    }
    for (int k = 0; k < 16; ++k) {
        const float dx = camera_.forward.x + camera_.right.x * sx[k] + camera_.up.x * sy[k];
        const float dy = camera_.forward.y + camera_.right.y * sx[k] + camera_.up.y * sy[k];
        const float dz = camera_.forward.z + camera_.right.z * sx[k] + camera_.up.z * sy[k];
        const float inverse = 1.f / std::sqrt(dx * dx + dy * dy + dz * dz);
        geometry::set_ray(packet.ray, k, camera_.origin, V3f(dx * inverse, dy * inverse, dz * inverse));
        geometry::set_no_hit(packet.hit, k);
        valid[k] = k < count ? -1 : 0;
    }
}

uint64_t Renderer::start(Tile& t, uint32_t sample) {
    Tile::Pixels& pixels = t.pixels;
    aim(pixels, sample);
    const int n = pixels.count;
    t.paths.resize(size_t(n));
    alignas(64) RTCRayHit16 packet;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    alignas(64) int valid[16];
    for (int first = 0; first < n; first += 16) {
        const int count = std::min(16, n - first);
        camera_rays(pixels, first, count, packet, valid);
        rtcIntersect16(valid, p_.geometry->scene(), &context, &packet);
        for (int k = 0; k < count; ++k) {
            const int i = first + k;
            Path& path = t.paths[size_t(i)];
            path.pixel = uint32_t(pixels.y[i]) * uint32_t(f_.width) + pixels.x[i];
            path.seed = pixels.seed[i];
            path.origin = path.vertex = camera_.origin;
            path.bodies = -1;
            path.wavelength = path.blurred = 0.f;
            path.bounce = path.crossings = path.passes = 0;
            path.mirrored = path.below = false;
            path.first = path.sees = true;
            path.direction = V3f(packet.ray.dir_x[k], packet.ray.dir_y[k], packet.ray.dir_z[k]);
            path.throughput = V3f(1.f);
            path.pdf = 0.f;
            path.width = 0.f;
            path.spread = camera_.pixel_angle;
            path.at = geometry::place_of(packet.hit, k);
            path.t = packet.ray.tfar[k];
            ++film_.samples[path.pixel];
        }
    }
    return uint64_t(n);
}

void Renderer::trace(std::vector<Path>& paths) {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    for (Path& path : paths) {
        RTCRayHit ray = geometry::single_ray(path.origin, path.direction);
        rtcIntersect1(p_.geometry->scene(), &context, &ray);
        path.at = geometry::place_of(ray.hit);
        path.t = ray.ray.tfar;
    }
}

namespace {

/// The pixels of a frame of which few are asked, tile by tile; none where there are so many that tiles share them out
/// well. Threads then get equal parts of them: one tile may hold most.
std::vector<uint32_t> few_pixels(const FrameSettings& frame, const PixelRect& r) {
    constexpr size_t few = 16 * size_t(tile_capacity);
    std::vector<uint32_t> out;
    if (frame.noise > 0.f || (!frame.only && size_t(r.x1 - r.x0) * size_t(r.y1 - r.y0) > few)) return out;
    for (int y0 = r.y0 / tile_size * tile_size; y0 < r.y1; y0 += tile_size)
        for (int x0 = r.x0 / tile_size * tile_size; x0 < r.x1; x0 += tile_size)
            for (int y = std::max(y0, r.y0); y < std::min(y0 + tile_size, r.y1); ++y)
                for (int x = std::max(x0, r.x0); x < std::min(x0 + tile_size, r.x1); ++x) {
                    const size_t p = size_t(y) * size_t(frame.width) + size_t(x);
                    if (frame.only && !(*frame.only)[p]) continue;
                    if (out.size() == few) return {};
                    out.push_back(uint32_t(p));
                }
    return out;
}

/// A thread's own memory. It may take up another tile while it waits inside a library's own parallel loop: each nesting
/// gets its own.
class OwnTile {
public:
    OwnTile() : mine_(all().local()), tile_(mine_ ? std::move(mine_) : std::make_unique<Tile>()) {}
    ~OwnTile() { mine_ = std::move(tile_); }
    OwnTile(const OwnTile&) = delete;
    OwnTile& operator=(const OwnTile&) = delete;
    Tile& operator*() { return *tile_; }

private:
    static tbb::enumerable_thread_specific<std::unique_ptr<Tile>>& all() {
        static tbb::enumerable_thread_specific<std::unique_ptr<Tile>> tiles;
        return tiles;
    }
    std::unique_ptr<Tile>& mine_;
    std::unique_ptr<Tile> tile_;
};

}  // namespace

bool render_samples(const Prepared& prepared, const FrameSettings& frame, uint32_t first, uint32_t last, Film& film,
                    LayerCost* costs, const std::atomic<bool>* stop, std::atomic<uint64_t>* rays) {
    PixelRect r = frame.region.x1 > frame.region.x0 ? frame.region : PixelRect{0, 0, frame.width, frame.height};
    // Tiles are known by their place in the whole frame, whichever part of it is rendered. Whether a tile is done is
    // judged by all of it.
    if (frame.noise > 0.f) r = whole_tiles(r, frame.width, frame.height);
    const int first_x = r.x0 / tile_size * tile_size;
    const int first_y = r.y0 / tile_size * tile_size;
    const int across = (r.x1 - first_x + tile_size - 1) / tile_size;
    const int down = (r.y1 - first_y + tile_size - 1) / tile_size;
    const size_t frame_across = size_t((frame.width + tile_size - 1) / tile_size);
    if (frame.noise > 0.f) film.finished.resize(frame_across * size_t((frame.height + tile_size - 1) / tile_size), 0);
    if (frame.edited && film.touched.empty()) film.touched.assign(film.samples.size(), 0.f);
    if (frame.reweighs && info(frame.view).lit) film.keep_tiers(std::max(1e-6f, inverse_pi * prepared.rig.power));
    const std::vector<uint32_t> chosen = few_pixels(frame, r);
    const size_t part_of_chosen = std::clamp<size_t>(chosen.size() / 16, 64, tile_capacity);
    const size_t parts =
        chosen.empty() ? size_t(across) * size_t(down) : (chosen.size() + part_of_chosen - 1) / part_of_chosen;
    std::atomic<bool> whole{true};
    parallel_ranges(parts, 1, [&](size_t from, size_t to) {
        OwnTile own;
        Tile& tile = *own;
        Renderer renderer(prepared, frame.camera ? *frame.camera : prepared.camera, frame, film, costs);
        for (size_t i = from; i < to; ++i) {
            PixelRect part{};
            size_t id = 0;
            if (!chosen.empty()) {
                const size_t begin = i * part_of_chosen;
                renderer.choose_pixels(
                    std::span(chosen).subspan(begin, std::min(part_of_chosen, chosen.size() - begin)), tile.pixels);
            } else {
                const int x = first_x + int(i) % across * tile_size;
                const int y = first_y + int(i) / across * tile_size;
                part = {std::max(x, r.x0), std::max(y, r.y0), std::min(x + tile_size, r.x1),
                        std::min(y + tile_size, r.y1)};
                id = size_t(y / tile_size) * frame_across + size_t(x / tile_size);
                renderer.choose_pixels(part, tile.pixels);
            }
            uint64_t traced = 0;
            for (uint32_t s = first; s < last; ++s) {
                if (stop && stop->load(std::memory_order_relaxed)) {
                    whole = false;
                    break;
                }
                if (frame.noise > 0.f) {
                    if (s >= least_samples && s % look_every == 0 && film.worst_noise(part) < frame.noise)
                        film.finished[id] = 1;
                    if (film.finished[id]) break;
                }
                traced += renderer.render_tile(tile, s);
                if (frame.abandon && *frame.abandon) {
                    whole = false;
                    break;
                }
            }
            if (rays) *rays += traced;
        }
    });
    return whole;
}

}  // namespace vemtra::render
