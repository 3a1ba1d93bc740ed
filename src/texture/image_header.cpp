#include "texture/image_header.h"

#include <OpenImageIO/imageio.h>
#include <unistd.h>

#include "texture/exr_header.h"

namespace vemtra::texture {
namespace {

Error refused(const fs::path& file, const std::string& why) {
    return refused_map(file, why);
}

// Whether there is an ordinary file that may be read at all.
Status readable_file(const fs::path& file) {
    std::error_code ec;
    const auto status = fs::status(file, ec);
    if (status.type() == fs::file_type::not_found)
        return refused_map(file, "it does not exist", "Bring the file back, or choose another one");
    if (ec) return refused_map(file, ec.message(), "Check the link and the rights of its folder");
    if (status.type() == fs::file_type::directory) return refused_map(file, "it is a folder", "Choose a file in it");
    if (status.type() != fs::file_type::regular) return refused(file, "it is no ordinary file");
    if (::access(file.c_str(), R_OK) != 0)
        return refused_map(file, "it may not be read", "Give yourself the right to read it");
    if (fs::file_size(file, ec) == 0) return refused(file, "it is empty");
    return Done{};
}

Status sane_size(const fs::path& file, const OIIO::ImageSpec& s) {
    const std::string size = std::to_string(s.width) + " x " + std::to_string(s.height);
    if (s.width < 1 || s.height < 1 || s.nchannels < 1)
        return refused(file, "its size of " + size + " cannot be right");
    if (s.width > most_edge || s.height > most_edge || int64_t(s.width) * s.height > most_texels)
        return refused_map(file, "its " + size + " texels are more than the 16384 x 16384 that a map may have",
                           "Cut it into UDIM tiles, or make it smaller");
    if (int64_t(s.tile_width) * s.tile_height > most_texels || int64_t(s.width) * s.nchannels > most_texels)
        return refused(file, "its tiles or rows are larger than any picture's");
    if (s.deep) return refused(file, "it holds deep samples, not a picture");
    if (s.depth > 1) return refused(file, "it is a volume, not a picture");
    return Done{};
}

/// The most that a format's compression can make of a byte; a file that is shorter than its claim over that lies. What
/// compresses without such a bound (OpenEXR, TIFF, WebP, JPEG's runs) is not in the list.
Status long_enough(const fs::path& file, const OIIO::ImageSpec& s, const std::string& format) {
    static constexpr std::pair<const char*, double> most[] = {{"png", 1100.},  // deflate: 1032 (RFC 1951)
                                                              {"bmp", 300.},
                                                              {"targa", 300.},
                                                              {"hdr", 300.}};
    std::error_code ec;
    const double bytes = double(fs::file_size(file, ec));
    for (const auto& [name, ratio] : most)
        if (format == name && !ec && double(s.image_bytes(true)) > ratio * bytes + 65536.)
            return refused(file, "it is too short for its " + std::to_string(s.width) + " x " +
                                     std::to_string(s.height) + " texels: the file is cut off");
    return Done{};
}

}  // namespace

Error refused_map(const fs::path& file, const std::string& why, const std::string& remedy) {
    return {"A texture map cannot be read", file.string(), "", why, remedy};
}

std::string plain_reason(std::string text) {
    while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.pop_back();
    return text.empty() ? "its format is not known, or it is damaged" : text;
}

namespace {
Result<ImageHeader> header_of(const fs::path& file) {
    OIIO::ImageSpec config;
    config.attribute("oiio:UnassociatedAlpha", 1);
    config.attribute("oiio:RawColor", 1);
    auto in = OIIO::ImageInput::open(file.string(), &config);
    if (!in) return refused(file, plain_reason(OIIO::geterror()));
    const OIIO::ImageSpec& s = in->spec();
    if (Status sane = sane_size(file, s); !sane) return sane.error();
    if (Status enough = long_enough(file, s, in->format_name()); !enough) return enough.error();
    ImageHeader h;
    h.width = s.width;
    h.height = s.height;
    h.channels = s.nchannels;
    h.bits = int(s.format.basesize() * 8);
    if (const int b = s.get_int_attribute("oiio:BitsPerSample", 0); b > 0) h.bits = b;
    h.floating = s.format.is_floating_point();
    h.tiled = s.tile_width > 0;
    h.alpha = s.alpha_channel >= 0 && s.alpha_channel < s.nchannels ? s.alpha_channel : -1;
    h.premultiplied = h.alpha >= 0 && s.get_int_attribute("oiio:UnassociatedAlpha", 0) == 0;
    h.channel_names = s.channelnames;
    h.colour_space = s.get_string_attribute("oiio:ColorSpace", "");
    const std::string raw = s.get_string_attribute("tiff:ColorSpace", s.get_string_attribute("jpeg:ColorSpace", ""));
    h.cmyk = raw == "CMYK" || raw == "color separated";
    h.palette =
        s.get_string_attribute("tiff:ColorSpace") == "palette" || s.get_string_attribute("png:ColorType") == "palette";
    h.format = in->format_name();
    h.mipped = in->seek_subimage(0, 1);
    return h;
}
}  // namespace

Result<ImageHeader> read_header(const fs::path& file) {
    if (Status s = readable_file(file); !s) return s.error();
    if (const std::string why = exr_claims_too_much(file); !why.empty()) return refused(file, why);
    return guarded(file, [&] { return header_of(file); });
}

}  // namespace vemtra::texture
