// Texture maps through OpenImageIO's texture system: tiled reads, mip maps and <UDIM> under a memory budget. A map that is missing or
// broken reads as a loud, documented value (magenta, or 0.5 for single numbers) and is reported; it never stops the picture.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "base/file.h"
#include "nodes/kernel.h"
#include "program/program.h"


namespace vemtra::texture {

inline constexpr V3f missing_color{1.f, 0.f, 1.f};
inline constexpr float missing_number = .5f;

/// The image system that all lookups share; reads are kept within its budget.
class TextureStore {
public:
    explicit TextureStore(size_t budget_megabytes = 512);
    ~TextureStore();
    void* system() const { return system_; }
    /// Forgets a file's pixels so that its next read sees the disk again.
    void forget(const std::string& path);
    size_t memory() const;  ///< bytes of texels held at the moment

private:
    void* system_;
};

/// The images that one picture's programs asked for. Immutable; safe from any thread.
class Textures final : public nodes::TextureLookup {
public:
    /// Resolves paths against `folder`; what cannot be opened is added to `problems`.
    Textures(std::shared_ptr<TextureStore> store, const std::vector<program::ImageRequest>& requests, const fs::path& folder, std::vector<Error>& problems);
    void sample(int handle, int n, const float* u, const float* v, const float* width, float* const* out, int components) const override;
    const std::vector<fs::path>& files() const { return files_; }

private:
    enum class Decode { none, srgb, acescg };
    struct Image {
        bool ok = false;
        std::string path;
        int channels = 3, first_channel = 0, wrap = 0;
        bool as_luminance = false;
        Decode decode = Decode::none;
    };
    std::shared_ptr<TextureStore> store_;
    std::vector<Image> images_;
    std::vector<fs::path> files_;
};

/// A picture in memory: linear Rec.709, row 0 on top.
struct Picture {
    int width = 0, height = 0;
    std::vector<V3f> pixels;
};
/// Reads an environment or reference image whole; refuses sizes over 16384 x 16384 and files whose data is short.
Result<Picture> read_picture(const fs::path& file);

}  // namespace vemtra::texture
