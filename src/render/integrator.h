// The path tracer. It works on tiles of 32 x 32 paths at a time: rays in packets, surface points in batches per
// build-up and layer.
//   L = Le + integral of f Li cos   estimated with next-event estimation and multiple importance sampling (Veach 1997,
// balance heuristic)
#pragma once
#include "render/film.h"
#include "render/materials.h"

namespace vemtra::render {

inline constexpr int tile_size = 32;

struct FrameSettings {
    int width = 0, height = 0;
    PixelRect region{0, 0, 0, 0};  ///< pixels that are rendered; empty: all. With `noise`: all tiles that it touches
    /// Per pixel of the frame: whether it is rendered at all; null: all are.
    const std::vector<uint8_t>* only = nullptr;
    const scene::Camera* camera = nullptr;  ///< null: that of the prepared scene
    View view = View::beauty;
    uint32_t seed = 0;
    int depth = 6;
    float clamp = 0.f;
    float noise = 0.f;  ///< a tile whose relative error is below gets no more samples; 0: all do
    /// Least roughness that a surface has for the first sample of a path which a rough bounce has blurred before; it
    /// shrinks with the samples (sharp chains of light would be found by luck alone). 0: none.
    float softening = .4f;
    /// Per build-up of the prepared scene: whether it was edited since a picture that may stand on, for Film::touched;
    /// null: not asked.
    const std::vector<uint8_t>* edited = nullptr;
    /// Once it is set tiles are left half-way, and the film is of no use; null: never.
    const std::atomic<bool>* abandon = nullptr;
    bool reweighs = true;  ///< bright contributions that stand alone count less, see Film::trust()
    enum class Strategy : uint8_t { combined, light_only, surface_only } strategy = Strategy::combined;
};

/// The region widened to whole tiles of a frame.
PixelRect whole_tiles(const PixelRect& region, int width, int height);

/// Adds the samples [first, last) to every pixel of the region, in parallel over tiles. False if stopped half-way: the
/// film is then uneven and must be thrown away or finished. `costs` has one entry per layer of the scene, or is null.
bool render_samples(const Prepared& prepared, const FrameSettings& frame, uint32_t first, uint32_t last, Film& film,
                    LayerCost* costs, const std::atomic<bool>* stop, std::atomic<uint64_t>* rays);

}  // namespace vemtra::render
