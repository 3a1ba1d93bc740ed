#include "texture/colour.h"

#include <OpenColorIO/OpenColorIO.h>

#include <map>
#include <mutex>

#include "base/file.h"

namespace OCIO = OCIO_NAMESPACE;

namespace vemtra::texture {
namespace {

OCIO::ConstConfigRcPtr configuration() {
    static const OCIO::ConstConfigRcPtr config =
        OCIO::Config::CreateFromFile((shipped_assets() / "colour" / "vemtra.ocio").c_str());
    return config;
}
OCIO::ConstCPUProcessorRcPtr processor(const std::string& space) {
    return configuration()
        ->getProcessor(space.c_str(), "lin_rec709")
        ->getOptimizedCPUProcessor(OCIO::OPTIMIZATION_LOSSLESS);
}

}  // namespace

const std::vector<std::string>& colour_spaces() {
    static const std::vector<std::string> all{"srgb_texture", "lin_rec709", "acescg", "aces2065_1",
                                              "lin_rec2020",  "g22_rec709", "raw"};
    return all;
}

std::shared_ptr<const ColourDecode> make_decode(const std::string& space) {
    auto d = std::make_shared<ColourDecode>();
    d->space = space;
    if (space == "raw" || space == "lin_rec709") return d;
    const auto cpu = processor(space);
    auto at = [&](V3f c) {
        cpu->applyRGB(&c.x);
        return c;
    };
    // Greys pass the matrix unchanged, as white is white: they give the curve; what the primaries become gives the
    // matrix.
    d->curve16.resize(65536);
    float bend = 0.f;
    for (int i = 0; i < 65536; ++i) {
        const float x = float(i) / 65535.f;
        d->curve16[size_t(i)] = at(V3f(x)).y;
        bend = std::max(bend, std::fabs(d->curve16[size_t(i)] - x));
    }
    d->has_curve = bend > 1e-4f;
    const V3f columns[] = {at({1, 0, 0}), at({0, 1, 0}), at({0, 0, 1})};
    float mixing = 0.f;
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) {
            d->matrix[3 * r + c] = columns[c][r];
            mixing = std::max(mixing, std::fabs(columns[c][r] - (r == c ? 1.f : 0.f)));
        }
    d->has_matrix = mixing > 1e-5f;
    if (!d->has_curve) {
        d->curve16.clear();
        return d;
    }
    d->curve8.resize(256);
    for (int i = 0; i < 256; ++i) d->curve8[size_t(i)] = d->curve16[size_t(i) * 257];
    d->encode16_.resize(65536);
    size_t code = 0;
    for (int i = 0; i < 65536; ++i) {
        const float x = float(i) / 65535.f;
        while (code < 65535 && d->curve16[code + 1] <= x) ++code;
        const bool next = code < 65535 && d->curve16[code + 1] - x < x - d->curve16[code];
        d->encode16_[size_t(i)] = uint16_t(code + (next ? 1 : 0));
    }
    return d;
}

void ColourDecode::apply_curve(float* rgb, size_t n) const {
    if (!has_curve || n == 0) return;
    const auto cpu = processor(space);
    if (!has_matrix) {
        OCIO::PackedImageDesc image(rgb, long(n), 1, 3);
        cpu->apply(image);
        return;
    }
    for (size_t i = 0; i < 3 * n; ++i) {
        V3f c(rgb[i]);
        cpu->applyRGB(&c.x);
        rgb[i] = c.y;
    }
}

Result<std::shared_ptr<const ColourDecode>> colour_decode(const std::string& space) {
    static std::mutex mutex;
    static std::map<std::string, std::shared_ptr<const ColourDecode>> made;
    std::lock_guard lock(mutex);
    if (const auto it = made.find(space); it != made.end()) return it->second;
    try {
        return made[space] = make_decode(space);
    } catch (const OCIO::Exception& e) {
        return Error{"A colour space is not known", "", space, e.what(), "Choose one of the spaces that are offered"};
    }
}

std::string colour_space_named(const std::string& word) {
    static const std::map<std::string, std::string> names{{"srgb", "srgb_texture"},
                                                          {"srgbtexture", "srgb_texture"},
                                                          {"srgbrec709scene", "srgb_texture"},
                                                          {"srgbf", "srgb_texture"},
                                                          {"linear", "lin_rec709"},
                                                          {"lin", "lin_rec709"},
                                                          {"linrec709", "lin_rec709"},
                                                          {"linsrgb", "lin_rec709"},
                                                          {"linrec709scene", "lin_rec709"},
                                                          {"scenelinear", "lin_rec709"},
                                                          {"lin709", "lin_rec709"},
                                                          {"linearrec709", "lin_rec709"},
                                                          {"linearsrgb", "lin_rec709"},
                                                          {"acescg", "acescg"},
                                                          {"linap1", "acescg"},
                                                          {"linap1scene", "acescg"},
                                                          {"ap1", "acescg"},
                                                          {"aces", "aces2065_1"},
                                                          {"aces20651", "aces2065_1"},
                                                          {"linap0", "aces2065_1"},
                                                          {"linap0scene", "aces2065_1"},
                                                          {"ap0", "aces2065_1"},
                                                          {"linrec2020", "lin_rec2020"},
                                                          {"linrec2020scene", "lin_rec2020"},
                                                          {"rec2020", "lin_rec2020"},
                                                          {"g22rec709", "g22_rec709"},
                                                          {"gamma22", "g22_rec709"},
                                                          {"gammacorrected22", "g22_rec709"},
                                                          {"g22", "g22_rec709"},
                                                          {"raw", "raw"},
                                                          {"noncolor", "raw"},
                                                          {"noncolour", "raw"},
                                                          {"utilityraw", "raw"},
                                                          {"nocolor", "raw"},
                                                          {"data", "raw"}};
    std::string plain;
    for (char c : word)
        if (std::isalnum(static_cast<unsigned char>(c))) plain += char(std::tolower(static_cast<unsigned char>(c)));
    const auto it = names.find(plain);
    return it == names.end() ? std::string() : it->second;
}

}  // namespace vemtra::texture
