// The path tracer. It works on tiles of 32 x 32 paths at a time: rays in packets, surface points in batches per build-up and layer.
//   L = Le + integral of f Li cos   estimated with next-event estimation and multiple importance sampling (Veach 1997, balance heuristic)
#pragma once
#include "render/materials.h"

namespace vemtra::render {

inline constexpr int tile_size = 32;
/// What one unit of radiance stands for where a surface gives off light in physical units: about a white wall in daylight shade.
inline constexpr float nits_per_unit = 1000.f;

/// What accumulates: sums over samples; divide by `samples` (features by it, too).
struct Film {
    int width = 0, height = 0;
    std::vector<uint32_t> samples;          ///< per pixel
    std::vector<std::vector<V3f>> light;    ///< per group and pixel
    std::vector<V3f> albedo, normal;        ///< first hit
    std::vector<float> depth, alpha;
    std::vector<float> odd_luminance;       ///< of the samples with odd numbers alone: its distance from the rest tells the noise
    std::vector<uint8_t> finished;          ///< per tile of the frame: below the noise that was asked for
    std::vector<std::vector<float>> coverage;  ///< per layer and pixel; only where asked for

    Film() = default;
    Film(int width, int height, size_t groups, size_t coverage_layers = 0);
    size_t bytes() const;
    /// Mean difference between odd and even samples, against the light: the relative standard error of the picture. 0 below two samples.
    float noise() const;
    /// Sum over groups times gains, divided by the samples. Pixels without samples are black.
    void resolve(const std::vector<V3f>& gains, std::vector<V3f>& out) const;
};

struct PixelRect {
    int x0, y0, x1, y1;
};

struct FrameSettings {
    int width = 0, height = 0;
    PixelRect region{0, 0, 0, 0};  ///< pixels that are rendered
    View view = View::beauty;
    uint32_t seed = 0;
    int depth = 6;
    float clamp = 0.f;
    float noise = 0.f;  ///< a tile whose relative error is below gets no more samples; 0: all do
    enum class Strategy : uint8_t { combined, light_only, surface_only } strategy = Strategy::combined;
};

/// Adds the samples [first, last) to every pixel of the region, in parallel over tiles. False if stopped half-way: the film is then
/// uneven and must be thrown away or finished. `costs` has one entry per layer of the scene, or is null.
bool render_samples(const Prepared& prepared, const FrameSettings& frame, uint32_t first, uint32_t last, Film& film, LayerCost* costs,
                    const std::atomic<bool>* stop, std::atomic<uint64_t>* rays);

/// The distinct colour that the coverage view gives a layer, linear.
V3f coverage_color(int layer);

/// A surface point as the first hit of a camera ray sees it, for measuring what is visible.
struct VisiblePoint {
    bool hit = false;
    uint32_t mesh = 0, triangle = 0;
    float u = 0.f, v = 0.f, uv_width = 0.f;
};
/// What lies under the point (x, y) of a picture of this size, pixel centres at .5.
VisiblePoint visible_at(const Prepared& prepared, int width, int height, float x, float y);
std::vector<VisiblePoint> visible_points(const Prepared& prepared, int width, int height);

}  // namespace vemtra::render
