// Texels in memory under one budget: tiles of 64 x 64 of the mip levels that were asked for, in the file's own format,
// found through page tables without locks. Tiles that were not used lately make room for new ones.
//
// A lookup may run on any thread while another one evicts: tiles that were taken out of their page table are freed only
// when every thread that may still see them has moved on (epoch-based reclamation: Fraser 2004, "Practical
// lock-freedom", 5.2.3).
#pragma once
#include <atomic>
#include <functional>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "base/file.h"
#include "scene/texels.h"
#include "texture/colour.h"

namespace vemtra::texture {

enum class TexelFormat : uint8_t { u8, u16, half, f32 };
constexpr size_t texel_bytes(TexelFormat f) {
    return f == TexelFormat::u8 ? 1 : f == TexelFormat::f32 ? 4 : 2;
}

inline constexpr int tile_edge = 64;

/// Which numbers of a file are wanted.
struct TexelSource {
    fs::path file;  ///< as the project names it
    int first_channel = 0;
    int channels = 1;  ///< 1, or up to 4 of which the first three are colour
    std::shared_ptr<const ColourDecode>
        decode;            ///< null: raw. Floating-point tiles are decoded when they are read, others when looked up
    std::string spread{};  ///< it is read as this spread_form(), which nothing stands for; empty: as what it is
};

class TexelStore;
class TileSums;

/// One file ready for lookups. Its tiles live in the store.
class TexelImage {
public:
    struct Level {
        int width = 0, height = 0, across = 0, down = 0;  ///< texels, tiles
        size_t tiles_before = 0;                          ///< in finer levels
        std::unique_ptr<std::atomic<uintptr_t>[]> tiles;  ///< address of the texels; the lowest bit: used lately
    };
    ~TexelImage();
    /// Of painted texels, which it keeps: all of its tiles are there, in no store.
    static std::shared_ptr<const TexelImage> of(std::shared_ptr<const scene::Texels> painted);
    const scene::Texels* painted() const { return painted_.get(); }  ///< null where it is a file's
    const std::vector<Level>& levels() const { return levels_; }
    TexelFormat format() const { return format_; }
    int lanes() const { return lanes_; }       ///< numbers per texel in memory: 1 or 4, of painted numbers 2
    bool has_alpha() const { return alpha_; }  ///< in lane 3; else 1 stands there
    bool premultiplied() const { return premultiplied_; }
    bool prepared() const { return prepared_; }  ///< read from tiled mip maps
    /// Equal texels of any run have the same; of files by their names, times and sizes.
    uint64_t content_hash() const;

private:
    friend class TexelStore;
    TexelStore* store_ = nullptr;
    TexelSource source_;
    std::string read_from_;                 // the file's prepared form, or itself
    std::shared_ptr<const TileSums> sums_;  // of the prepared form
    std::vector<Level> levels_;
    std::shared_ptr<const scene::Texels> painted_;
    TexelFormat format_ = TexelFormat::f32;
    int lanes_ = 1, file_channels_ = 1;
    bool alpha_ = false, premultiplied_ = false, prepared_ = false, decode_early_ = false;
    std::atomic<bool> broken_{false};
    std::atomic<bool> spoiled_{false};  // the prepared form: texels come from the file itself
};

class TexelStore {
public:
    explicit TexelStore(size_t budget_bytes);
    ~TexelStore();
    TexelStore(const TexelStore&) = delete;
    TexelStore& operator=(const TexelStore&) = delete;

    /// `read_from` is where texels come from: the prepared form of source.file, or the file itself. Equal requests
    /// share one image.
    Result<std::shared_ptr<const TexelImage>> open(const TexelSource& source, const fs::path& read_from);
    /// The disk has another file now: what is open goes on with what it has, the next open() reads anew.
    void forget(const fs::path& file);

    size_t memory() const {
        return bytes_.load(std::memory_order_relaxed);
    }  ///< bytes of texels, those that wait to be freed included
    size_t budget() const { return budget_.load(std::memory_order_relaxed); }
    void set_budget(size_t bytes);
    /// Is told of prepared forms that turn out to be damaged, from whichever thread finds it; their texels are read
    /// from the file itself from then on. To be set before anything is opened.
    std::function<void(const fs::path& prepared, const TexelSource& source)> on_spoiled;
    /// The prepared form of an open image is not what it should be.
    void spoil(const TexelImage& image);
    /// What could not be read since it was asked last.
    std::vector<Error> take_problems();

    /// Marks that this thread looks at tiles. An address is good until the next call of texels(), or the end.
    class Reading {
    public:
        explicit Reading(TexelStore& store);
        ~Reading();
        /// The texels of tile `index` of a level; read from the disk where they are not there yet. Never null.
        const uint8_t* texels(const TexelImage& image, size_t level, size_t index) {
            std::atomic<uintptr_t>& entry = image.levels()[level].tiles[index];
            uintptr_t at = entry.load(std::memory_order_acquire);
            if (at) [[likely]] {
                if (!(at & 1)) {  // an entry that was emptied meanwhile must stay empty
                    uintptr_t seen = at;
                    entry.compare_exchange_strong(seen, at | 1, std::memory_order_relaxed);
                }
                return reinterpret_cast<const uint8_t*>(at & ~uintptr_t(1));
            }
            return missing(image, level, index);
        }
        /// The texels, or null where they would have to be read. Such addresses are good together, until texels() is
        /// called.
        static const uint8_t* present(const std::atomic<uintptr_t>* tiles, size_t index) {
            const uintptr_t at = tiles[index].load(std::memory_order_acquire);
            return at & 1 ? reinterpret_cast<const uint8_t*>(at & ~uintptr_t(1))
                          : nullptr;  // one that was not used lately is asked for by texels()
        }

    private:
        const uint8_t* missing(const TexelImage& image, size_t level, size_t index);
        void look() { slot_->store(store_.epoch_.load(std::memory_order_seq_cst), std::memory_order_seq_cst); }
        TexelStore& store_;
        std::atomic<uint64_t>* slot_;
    };

private:
    friend class TexelImage;
    struct Resident {
        const TexelImage* image;
        uint32_t level, index, bytes;
    };
    struct Limbo {
        uint8_t* texels;
        uint32_t bytes;
        uint64_t epoch;
    };
    static constexpr int most_threads = 512;
    struct alignas(64) Slot {
        std::atomic<uint64_t> epoch{0};  // 0: looks at nothing
        std::atomic<bool> taken{false};
    };
    bool is_whole(const TexelImage& image, size_t level, size_t index) const;
    uint8_t* read_tile(const TexelImage& image, size_t level, size_t index, uint32_t& bytes);
    void make_room(size_t bytes);  // residents_mutex_ is held
    void free_limbo();             // residents_mutex_ is held
    void drop(const TexelImage& image);
    void problem(const TexelImage& image, const std::string& why);

    std::atomic<size_t> budget_, bytes_{0};
    void* cache_;  // OIIO::ImageCache
    std::mutex open_mutex_;
    struct Opened {
        std::weak_ptr<const TexelImage> image;
        std::string key;
        std::string file;
    };
    std::vector<Opened> opened_;
    std::mutex load_mutex_[64];
    std::mutex residents_mutex_;
    std::vector<Resident> residents_;
    std::vector<Limbo> limbo_;
    size_t hand_ = 0;
    std::atomic<uint64_t> epoch_{1};
    std::unique_ptr<Slot[]> slots_;
    std::mutex problems_mutex_;
    std::vector<Error> problems_;
};

}  // namespace vemtra::texture
