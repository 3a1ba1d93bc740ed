// The maps that a picture's programs ask for: names with <UDIM> become files, files their prepared form (map_cache.h),
// lookups go to the texels in memory (texel_store.h, filter.h). A map or a tile that is missing or broken reads as a
// loud, documented value (magenta, or 0.5 for single numbers, which moves no height) and is reported; it never stops
// the picture.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "base/paths.h"
#include "nodes/kernel.h"
#include "program/compile.h"
#include "texture/filter.h"
#include "texture/map_cache.h"
#include "texture/seamless.h"

namespace vemtra::texture {

inline constexpr V3f missing_color{1.f, 0.f, 1.f};
inline constexpr float missing_number = .5f;

using vemtra::tile_files;

/// What all pictures of a window or a run share: texels in memory, prepared maps on disk, what is known of files.
class TextureStore {
public:
    explicit TextureStore(size_t budget_megabytes = 1024, fs::path map_folder = cache_folder("maps"));
    TexelStore& texels() { return texels_; }
    MapCache& maps() { return maps_; }
    /// Forgets a file's pixels so that its next read sees the disk again.
    void forget(const std::string& path);
    size_t memory() const { return texels_.memory(); }  ///< bytes of texels held at the moment
    /// The header, read again only where the file has changed.
    Result<ImageHeader> header(const fs::path& file);
    /// Prepares all that these requests read, now. False if it was stopped.
    bool prepare(const std::vector<program::ImageRequest>& requests, const Paths& paths, Progress* progress = nullptr);
    /// What turned out to be wrong with files while they were prepared or read; one per file, until it changes.
    std::vector<Error> problems();

private:
    TexelStore texels_;
    MapCache maps_;
    std::mutex mutex_;
    struct Known {
        fs::file_time_type time;
        uintmax_t size;
        Result<ImageHeader> header;
    };
    std::map<std::string, Known> headers_;
    std::map<std::string, Error> problems_;
};

/// The tones of a map, found at its first use.
struct Seamless {
    std::once_flag once;
    Tones tones[3];
};

/// The images that one picture's programs asked for. Immutable; safe from any thread.
class Textures final : public nodes::TextureLookup {
public:
    /// What cannot be opened is added to `problems`. What is not prepared yet is wanted from the map cache.
    /// `paintings`: those of the scene; null: there are none.
    Textures(std::shared_ptr<TextureStore> store, const std::vector<program::ImageRequest>& requests,
             const Paths& paths, std::vector<Error>& problems, const std::vector<scene::Painting>* paintings = nullptr);
    void sample(int handle, int n, const float* const* place, float* const* out, int components) const override;
    int own_uv_set(int handle) const override;
    int spread_of(int handle) const override;
    /// To be called before anything is read: the painting's texels lie over this further set of UVs.
    void lie_over(int handle, int uv_set);
    /// The same images, with the paintings as they are now; what did not change is shared.
    std::shared_ptr<const Textures> repainted(const std::vector<scene::Painting>& paintings) const;
    /// All files that were read, to be watched; folders of maps over tiles among them, where new tiles may appear.
    const std::vector<fs::path>& files() const { return files_; }
    /// Equal texels of any run have the same: see TexelImage::content_hash().
    uint64_t content_hash(int handle) const;
    /// Texels across and up, of the largest tile; 0 where nothing could be opened.
    std::pair<int, int> size(int handle) const;

private:
    struct Image {
        std::string painting;  ///< id; empty: it is a file's
        int own_uv_set = -1;
        bool tiled = false;
        std::vector<std::shared_ptr<const TexelImage>>
            tiles;                                   ///< by u + 10 v; one where there are no tiles; null: missing
        std::shared_ptr<const ColourDecode> decode;  ///< null: raw
        Wrap wrap_u = Wrap::periodic, wrap_v = Wrap::periodic;
        Filter filter = Filter::smooth;
        bool as_luminance = false;
        std::shared_ptr<Seamless> seamless;  ///< null: copies simply repeat
        nodes::Spread spread = nodes::Spread::none;
        int spread_of = -1;  ///< the image that says how this one varies
    };
    void open_spread(const fs::path& path, const program::ImageRequest& r, Image& image);
    void sample_seamless(const Image& image, int n, const float* const* place, float* const* out, int components) const;
    void sample_painted(const Image& image, int n, const float* const* place, float* const* out, int components) const;
    void set_lettering(Image& image, const program::ImageRequest& r, std::vector<Error>& problems) const;
    static void take_sheets(Image& image, const scene::Painting& painting);
    void sample_copies(const Image& image, int n, const float* const* place, float* const* out, int components) const;
    std::shared_ptr<const TexelImage> open(const fs::path& file, const program::ImageRequest& r, Image& image,
                                           const std::string& space, std::vector<Error>& problems);
    std::shared_ptr<TextureStore> store_;
    std::vector<Image> images_;
    std::vector<fs::path> files_;
};

/// The space that a request means for a file: its own choice, else what the file says of itself, else by its depth
/// (8-bit colour is sRGB).
std::string space_of(const program::ImageRequest& request, const ImageHeader& header);

/// An image whole in memory: linear Rec.709, row 0 on top.
struct LinearImage {
    int width = 0, height = 0;
    std::vector<V3f> pixels;
};
/// Reads an environment or reference image whole; refuses sizes over 16384 x 16384 and files whose data is short.
Result<LinearImage> read_linear_image(const fs::path& file);

}  // namespace vemtra::texture
