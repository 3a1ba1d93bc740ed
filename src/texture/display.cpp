#include "texture/display.h"

#include <OpenColorIO/OpenColorIO.h>

#include "base/file.h"
#include "base/parallel.h"

namespace OCIO = OCIO_NAMESPACE;

namespace vemtra::texture {

const std::vector<std::string>& display_views() {
    static const std::vector<std::string> views{"filmic", "srgb", "raw"};
    return views;
}

// The shaper: log2 with an offset, so that black is exactly 0.
//   t = log2(1 + x / a) / log2(1 + m / a),  a = 0.18 * 2^-9, m = 0.18 * 2^9
namespace {
constexpr float toe = .18f / 512.f, top = .18f * 512.f;
const float scale = 1.f / std::log2(1.f + top / toe);
}  // namespace
float DisplayTransform::shape(float x) {
    return std::log2(1.f + std::max(0.f, x) / toe) * scale;
}
float DisplayTransform::unshape(float t) {
    return toe * (std::exp2(t / scale) - 1.f);
}

Result<std::shared_ptr<const DisplayTransform>> DisplayTransform::make(const std::string& view) {
    const fs::path config_file = shipped_assets() / "colour" / "vemtra.ocio";
    auto made = std::make_shared<DisplayTransform>();
    made->view_ = view;
    if (view == "raw") return std::shared_ptr<const DisplayTransform>(made);
    try {
        const auto config = OCIO::Config::CreateFromFile(config_file.c_str());
        const auto processor =
            config->getProcessor("lin_rec709", "srgb_monitor", view.c_str(), OCIO::TRANSFORM_DIR_FORWARD)
                ->getDefaultCPUProcessor();
        if (view == "filmic") {
            made->lattice_.resize(size_t(size) * size * size);
            parallel_ranges(size, 1, [&](size_t first, size_t last) {
                for (size_t b = first; b < last; ++b)
                    for (int g = 0; g < size; ++g)
                        for (int r = 0; r < size; ++r) {
                            V3f c(unshape(float(r) / (size - 1)), unshape(float(g) / (size - 1)),
                                  unshape(float(b) / (size - 1)));
                            processor->applyRGB(&c.x);
                            made->lattice_[(b * size + size_t(g)) * size + size_t(r)] = c;
                        }
            });
        }
    } catch (const OCIO::Exception& e) {
        return Error{"The colour configuration cannot be used", config_file.string(), "view " + view, e.what(),
                     "Install Vemtra again, or set VEMTRA_ASSETS to its assets"};
    }
    return std::shared_ptr<const DisplayTransform>(made);
}

// Tetrahedral interpolation: along the largest of the three fractions first, so that greys stay on the diagonal and
// stay grey.
V3f DisplayTransform::look_up(const V3f& linear) const {
    float f[3];
    int i[3];
    for (int c = 0; c < 3; ++c) {
        const float t = std::min(shape(linear[c]), 1.f) * (size - 1);
        i[c] = std::min(int(t), size - 2);
        f[c] = t - float(i[c]);
    }
    static constexpr int step[] = {1, size, size * size};
    const V3f* p = &lattice_[(size_t(i[2]) * size + size_t(i[1])) * size + size_t(i[0])];
    int order[] = {0, 1, 2};
    if (f[order[0]] < f[order[1]]) std::swap(order[0], order[1]);
    if (f[order[1]] < f[order[2]]) std::swap(order[1], order[2]);
    if (f[order[0]] < f[order[1]]) std::swap(order[0], order[1]);
    V3f sum = *p * (1.f - f[order[0]]);
    p += step[order[0]];
    sum += *p * (f[order[0]] - f[order[1]]);
    p += step[order[1]];
    sum += *p * (f[order[1]] - f[order[2]]);
    return sum + p[step[order[2]]] * f[order[2]];
}

V3f DisplayTransform::operator()(const V3f& linear, float exposure) const {
    V3f c = linear * std::exp2(exposure);
    if (!finite(c)) c = V3f(0.f);
    if (view_ == "filmic")
        c = look_up(c);
    else if (view_ == "srgb")
        c = V3f(linear_to_srgb(std::max(0.f, c.x)), linear_to_srgb(std::max(0.f, c.y)),
                linear_to_srgb(std::max(0.f, c.z)));
    return {clamp01(c.x), clamp01(c.y), clamp01(c.z)};
}

void DisplayTransform::apply(const V3f* linear, size_t pixels, float exposure, uint8_t* rgba) const {
    parallel_ranges(pixels, 4096, [&](size_t first, size_t last) {
        for (size_t p = first; p < last; ++p) {
            const V3f c = (*this)(linear[p], exposure);
            for (int k = 0; k < 3; ++k) rgba[4 * p + size_t(k)] = uint8_t(c[k] * 255.f + .5f);
            rgba[4 * p + 3] = 255;
        }
    });
}

}  // namespace vemtra::texture
