#include "texture/picture_formats.h"

#include <algorithm>
#include <iterator>

#include "base/text.h"

namespace vemtra::texture {
namespace {

constexpr const char* extensions[] = {".exr", ".png",  ".jpg", ".jpeg", ".tif", ".tiff", ".hdr",
                                      ".tga", ".webp", ".bmp", ".tx",   ".jp2", ".psd",  ".dpx"};

}  // namespace

bool is_picture_name(const std::filesystem::path& file) {
    const std::string extension = lower(file.extension().string());
    return std::any_of(std::begin(extensions), std::end(extensions), [&](const char* e) { return extension == e; });
}

std::string picture_patterns() {
    std::string text;
    for (const char* e : extensions) text += (text.empty() ? "*" : " *") + std::string(e);
    return text;
}

}  // namespace vemtra::texture
