// The window's picture after a few samples, filtered, against one of many: squared error, how different it looks
// (FLIP), and dots.
#include <cmath>

#include "bench.h"
#include "flip_support.h"
#include "render/denoise.h"
#include "render/picture.h"
#include "scene/project_file.h"

namespace vemtra::bench {
namespace {

constexpr int width = 320;
constexpr int height = 200;
constexpr int reference_samples = 384;
constexpr float dot = 3.f;  // times brighter or darker than all that is around it in the reference

using Pixels = std::vector<V3f>;

double squared_error(const Pixels& x, const Pixels& r) {
    double sum = 0.;
    for (size_t p = 0; p < r.size(); ++p) {
        const double l = double(luminance(r[p]));
        sum += double((x[p] - r[p]).length2()) / (3. * (l * l + .01));
    }
    return sum / double(r.size());
}

int dots(const Pixels& x, const Pixels& r) {
    int count = 0;
    for (int v = 0; v < height; ++v)
        for (int u = 0; u < width; ++u) {
            float least = INFINITY;
            float most = 0.f;
            for (int j = std::max(0, v - 2); j <= std::min(height - 1, v + 2); ++j)
                for (int i = std::max(0, u - 2); i <= std::min(width - 1, u + 2); ++i) {
                    const float l = luminance(r[size_t(j * width + i)]);
                    least = std::min(least, l);
                    most = std::max(most, l);
                }
            const float l = luminance(x[size_t(v * width + u)]);
            count += l > dot * most + 1e-4f || dot * l < least - 1e-4f;
        }
    return count;
}

}  // namespace

void preview() {
    const fs::path project = fs::path(test::source_folder) / "demo" / "lantern.vemtra";
    auto loaded = scene::load(project);
    if (!loaded) return;
    const auto scene = std::make_shared<const scene::Scene>(loaded->scene);
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = project.parent_path();
    options.maps_now = true;
    const auto prepared = render::prepare(scene, workshop, options);
    const auto gains = render::group_gains(*prepared, *scene);
    auto shown = [&](const Pixels& p) { return *render::displayed(p, render::View::beauty, scene->display); };
    render::PictureSettings settings{.width = width,
                                     .height = height,
                                     .samples = reference_samples,
                                     .seed = 7,
                                     .preview_clamp = true,
                                     .coverage = false};
    std::printf("rendering the demo's reference, %d samples\n", reference_samples);
    Pixels reference;
    render::render_picture(*prepared, settings)->resolve(gains, reference);
    const auto reference_shown = shown(reference);
    struct Measured {
        double error, looks;
        int dots;
    };
    auto measure = [&](int samples, bool filtered) {
        render::FrameSettings frame = render::frame_settings(*scene, settings);
        frame.seed = 1;
        render::Film film(width, height, prepared->rig.groups.size());
        render::render_samples(*prepared, frame, 0, uint32_t(samples), film, nullptr, nullptr, nullptr);
        Pixels picture;
        film.resolve(gains, picture);
        if (filtered) render::denoise(film, picture);
        double looks = 0.;
        for (const float f : test::flip(reference_shown, shown(picture), width, height)) looks += double(f);
        const Measured m{squared_error(picture, reference), looks / (width * height), dots(picture, reference)};
        std::printf("  %2d samples, %-10s relative squared error %.4f, FLIP %.4f, dots %d\n", samples,
                    filtered ? "filtered:" : "as it is:", m.error, m.looks, m.dots);
        return m;
    };
    const Measured plain = measure(16, false);
    for (const int samples : {1, 4, 16}) measure(samples, true);
    const Measured two = measure(2, true);
    line("filtered at 2 samples: squared error, of that at 16 as it is", two.error / plain.error, "", "<= 1",
         two.error <= plain.error);
    line("the same: FLIP", two.looks / plain.looks, "", "<= 1", two.looks <= plain.looks);
    line("dots at 2 samples, of 64 000 pixels", two.dots, "", "0", two.dots == 0);
}

}  // namespace vemtra::bench
