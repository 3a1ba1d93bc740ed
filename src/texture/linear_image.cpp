// Images read whole, as light: surroundings, and pictures to compare with.
#include <OpenImageIO/imageio.h>

#include <cctype>

#include "texture/texture.h"

namespace vemtra::texture {
namespace {

constexpr float brightest_texel = 1e9f;  // of a picture that gives light: the sun's disc has 2e9 cd/m2

/// Rows of the file as floats, from `y` on; how many were read, 0 where they cannot be.
int read_rows(OIIO::ImageInput& in, const OIIO::ImageSpec& spec, int y, int channels, std::vector<float>& rows) {
    const int band = spec.tile_width ? std::max(1, spec.tile_height) : 64;
    const int last = std::min(y + band, spec.height);
    rows.resize(size_t(last - y) * size_t(spec.width) * size_t(channels));
    const int y0 = spec.y + y;
    const int y1 = spec.y + last;
    const bool whole = spec.tile_width
                           ? in.read_tiles(0, 0, spec.x, spec.x + spec.width, y0, y1, spec.z, spec.z + 1, 0, channels,
                                           OIIO::TypeDesc::FLOAT, rows.data())
                           : in.read_scanlines(0, 0, y0, y1, spec.z, 0, channels, OIIO::TypeDesc::FLOAT, rows.data());
    return whole ? last - y : 0;
}

/// As maps have it: what the name says, then what a file of floating point says of itself, then by its kind of numbers.
std::string space_of_image(const fs::path& file, const ImageHeader& h) {
    std::string word;
    for (const char c : file.stem().string() + "_") {
        if (std::isalnum(static_cast<unsigned char>(c))) {
            word += c;
            continue;
        }
        if (const std::string named = colour_space_named(word); !named.empty() && named != "raw") return named;
        word.clear();
    }
    const std::string own = colour_space_named(h.colour_space);
    if (h.floating) return own.empty() || own == "raw" ? "lin_rec709" : own;
    return "srgb_texture";
}
}  // namespace

Result<LinearImage> read_linear_image(const fs::path& file) {
    auto broken = [&](const std::string& why) {
        return Error{"The image cannot be read", file.string(), "", why, "Choose another image, or export it again"};
    };
    const Result<ImageHeader> header = read_header(file);
    if (!header) return broken(header.error().why);
    constexpr int most = 16384;
    if (header->width > most || header->height > most)
        return broken("its size of " + std::to_string(header->width) + " x " + std::to_string(header->height) +
                      " is outside of 1 to 16384");
    auto in = OIIO::ImageInput::open(file.string());
    if (!in) return broken(plain_reason(OIIO::geterror()));
    const OIIO::ImageSpec spec = in->spec();
    if (spec.width != header->width || spec.height != header->height) return broken("it changed while it was read");
    const size_t channels = size_t(std::min(3, spec.nchannels));
    const auto decode = colour_decode(space_of_image(file, *header));
    if (!decode) return broken(decode.error().why);
    LinearImage image{spec.width, spec.height, {}};
    std::vector<float> rows;
    try {
        for (int y = 0, read = 0; y < spec.height; y += read) {  // memory follows what the file holds, not what it says
            read = read_rows(*in, spec, y, int(channels), rows);
            if (!read) return broken("the file is cut off: " + plain_reason(in->geterror()));
            const size_t begin = image.pixels.size();
            for (size_t i = 0; i < rows.size(); i += channels) {
                V3f texel;
                for (size_t c = 0; c < 3; ++c) {
                    float x = rows[i + std::min(c, channels - 1)];
                    if (!(std::fabs(x) <= brightest_texel)) x = x > 0 ? brightest_texel : 0.f;
                    texel[int(c)] = x;
                }
                image.pixels.push_back(texel);
            }
            // Colours outside of Rec.709 have numbers below zero, which are kept.
            (*decode)->apply_curve(&image.pixels[begin].x, image.pixels.size() - begin);
            if ((*decode)->has_matrix)
                for (size_t i = begin; i < image.pixels.size(); ++i)
                    image.pixels[i] = (*decode)->transform(image.pixels[i]);
        }
    } catch (const std::bad_alloc&) {
        return broken("it does not fit into memory");
    }
    return image;
}

}  // namespace vemtra::texture
