// What an image file says of itself, read without its pixels and without trusting it.
#pragma once
#include <string>
#include <vector>

#include "base/file.h"

namespace vemtra::texture {

/// Sizes beyond are refused before anything is allocated: 2^28 texels, 65536 in one direction.
inline constexpr int most_edge = 65536;
inline constexpr int64_t most_texels = int64_t(1) << 28;

/// What the header of an image file says; an Error where it is no image that can be read, with the reason in plain
/// words.
struct ImageHeader {
    int width = 0, height = 0, channels = 0, bits = 8;
    bool floating = false, tiled = false, mipped = false, palette = false, cmyk = false;
    int alpha = -1;  ///< index of the alpha channel; -1: none
    bool premultiplied = false;
    std::vector<std::string> channel_names;
    std::string colour_space;  ///< what the file says of itself; empty: nothing
    std::string format;        ///< of the file: png, openexr, ...
};
Result<ImageHeader> read_header(const fs::path& file);

/// Does work on a file through the image library; what it throws becomes an Error.
template <class Work> auto guarded(const fs::path& file, Work&& work) -> decltype(work());

/// The error of a map that cannot be read.
Error refused_map(const fs::path& file, const std::string& why,
                  const std::string& remedy = "Export it again, or choose another one");
/// What the image library said, without its line breaks.
std::string plain_reason(std::string text);

template <class Work> auto guarded(const fs::path& file, Work&& work) -> decltype(work()) {
    try {
        return work();
    } catch (const std::bad_alloc&) {
        return refused_map(file, "it does not fit into memory", "Make it smaller, or cut it into UDIM tiles");
    } catch (const std::exception& e) {
        return refused_map(file, plain_reason(e.what()));
    }
}

}  // namespace vemtra::texture
