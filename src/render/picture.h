// Finished pictures: rendering to a given number of samples, and writing OpenEXR (linear, all passes) and PNG (as
// displayed).
#pragma once
#include "render/integrator.h"
#include "texture/display.h"

namespace vemtra::render {

struct PictureSettings {
    int width = 0, height = 0, samples = 0;
    uint32_t seed = 0;
    PixelRect region{0, 0, 0, 0};  ///< empty: all
    View view = View::beauty;
    bool preview_clamp =
        false;                ///< with the window's handling of bright single samples, which is off for final pictures
    bool reference = false;   ///< nothing is done against noise that is not exact at every number of samples
    bool coverage = true;     ///< keep the coverage of every layer
    bool regression = false;  ///< the light is smoothed (regression.h)
    bool smooth = false;      ///< a PNG goes through the preview's denoiser (swatches)
};
/// The settings of the scene, where the caller does not say otherwise.
PictureSettings picture_settings(const scene::Scene& scene);
FrameSettings frame_settings(const scene::Scene& scene, const PictureSettings& settings);

/// Renders all samples. Fails only if stopped. The result does not depend on the number of threads.
Result<Film> render_picture(const Prepared& prepared, const PictureSettings& settings, Progress* progress = nullptr);

struct PictureInfo {
    std::string project;
    double seconds = 0;
};
/// Multi-layer OpenEXR: R G B A (beauty), albedo, normal (world), depth.Z (metres), light.GROUP,
/// coverage.BUILD-UP.LAYER, where it was smoothed error.Y (estimated standard error of the beauty, relative); metadata
/// vemtra:samples, vemtra:seed, vemtra:project, vemtra:seconds.
Status write_exr(const Prepared& prepared, const Film& film, const PictureSettings& settings, const PictureInfo& info,
                 const fs::path& file);
/// What the display shows, 8 bit RGB. Views other than beauty and clay are written as they are.
Status write_png(const Prepared& prepared, const Film& film, const PictureSettings& settings, const PictureInfo& info,
                 const fs::path& file);
/// One row per format that is written.
struct PictureFormat {
    const char* name;       ///< on the screen
    const char* extension;  ///< lower case, with the dot
    Status (*write)(const Prepared&, const Film&, const PictureSettings&, const PictureInfo&, const fs::path& file);
};
const std::vector<PictureFormat>& picture_formats();
/// By extension; null where none writes it.
const PictureFormat* picture_format_of(const fs::path& file);
/// ".exr or .png": for sentences.
std::string picture_extensions();
/// By extension.
Status write_picture(const Prepared& prepared, const Film& film, const PictureSettings& settings,
                     const PictureInfo& info, const fs::path& file);

/// The pixels as displayed, RGBA. Node, normal, depth, coverage and UV views are not tone mapped (sRGB encoding only).
Result<std::vector<uint8_t>> displayed(const std::vector<V3f>& linear, View view, const scene::Display& display);

}  // namespace vemtra::render
