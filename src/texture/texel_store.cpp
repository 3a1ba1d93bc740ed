#include "texture/texel_store.h"

#include <OpenImageIO/imagecache.h>
#include <OpenImageIO/imageio.h>
#include <OpenImageIO/ustring.h>

#include <cstring>
#include <shared_mutex>
#include <thread>

#include "base/hash.h"
#include "texture/tile_sums.h"

namespace vemtra::texture {
namespace {

using OIIO::ImageCache;
using OIIO::TypeDesc;

ImageCache* as_cache(void* p) {
    return static_cast<ImageCache*>(p);
}

TypeDesc type_of(TexelFormat f) {
    switch (f) {
        case TexelFormat::u8: return TypeDesc::UINT8;
        case TexelFormat::u16: return TypeDesc::UINT16;
        case TexelFormat::half: return TypeDesc::HALF;
        default: return TypeDesc::FLOAT;
    }
}
TexelFormat format_of(const TypeDesc& t) {
    switch (t.basetype) {
        case TypeDesc::UINT8: return TexelFormat::u8;
        case TypeDesc::UINT16: return TexelFormat::u16;
        case TypeDesc::HALF: return TexelFormat::half;
        default: return TexelFormat::f32;
    }
}
/// The number one in a format, for the alpha of files that have none.
uint32_t one_in(TexelFormat f) {
    switch (f) {
        case TexelFormat::u8: return 255;
        case TexelFormat::u16: return 65535;
        case TexelFormat::half: return 0x3c00;
        default: return 0x3f800000;
    }
}

constexpr size_t reading_cache_megabytes = 48;  // of the image library, between the disk and our tiles
std::string key_of(const TexelSource& s, const fs::path& from, bool early) {
    return from.string() + "|" + std::to_string(s.first_channel) + "|" + std::to_string(s.channels) + "|" +
           (early && s.decode ? s.decode->space : "");
}

/// The library's cache ends the process where a file is closed while it is read: closing takes this alone.
std::shared_mutex& cache_in_use() {
    static std::shared_mutex one;
    return one;
}
void close_in(ImageCache* cache, const OIIO::ustring& file) {
    const std::lock_guard lock(cache_in_use());
    cache->invalidate(file, true);
}

/// One for the process, which is never given back: threads keep notes of their own on a cache, and those of threads
/// that outlive one would point nowhere.
ImageCache* reading_cache() {
    static ImageCache* const one = [] {
        ImageCache* c = ImageCache::create(false);
        c->attribute("max_memory_MB", float(reading_cache_megabytes));
        c->attribute("automip", 1);
        c->attribute("autotile", tile_edge);
        c->attribute("accept_untiled", 1);
        c->attribute("accept_unmipped", 1);
        c->attribute("unassociatedalpha", 1);
        c->attribute("max_open_files", 256);
        c->attribute("failure_retries", 0);
        c->attribute("deduplicate", 0);
        return c;
    }();
    return one;
}
}  // namespace

TexelStore::TexelStore(size_t budget_bytes)
    : budget_(budget_bytes), cache_(reading_cache()), slots_(std::make_unique<Slot[]>(most_threads)) {
}
TexelStore::~TexelStore() {
    for (const Limbo& l : limbo_) std::free(l.texels);
}

TexelImage::~TexelImage() {
    if (store_) store_->drop(*this);
}

uint64_t TexelImage::content_hash() const {
    if (painted_) return painted_->content_hash();
    std::error_code ec;
    const uint64_t numbers[] = {uint64_t(fs::last_write_time(source_.file, ec).time_since_epoch().count()),
                                uint64_t(fs::file_size(source_.file, ec)), uint64_t(source_.first_channel),
                                uint64_t(source_.channels)};
    return hash_bytes(numbers, sizeof numbers, hash_text(absolute_path(source_.file).string()));
}

std::shared_ptr<const TexelImage> TexelImage::of(std::shared_ptr<const scene::Texels> painted) {
    static_assert(tile_edge == scene::texel_tile);
    alignas(64) static const std::array<uint16_t, size_t(tile_edge) * tile_edge * 4> nothing{};
    auto used = [](const uint16_t* texels) { return reinterpret_cast<uintptr_t>(texels) | 1; };
    auto image = std::make_shared<TexelImage>();
    image->format_ = TexelFormat::half;
    image->lanes_ = painted->lanes();
    image->file_channels_ = image->lanes_;
    image->alpha_ = image->premultiplied_ = true;
    for (int level = 0; level < painted->levels(); ++level) {
        TexelImage::Level l;
        l.width = l.height = painted->size(level);
        l.across = l.down = painted->across(level);
        const size_t count = size_t(l.across) * size_t(l.down);
        l.tiles = std::make_unique<std::atomic<uintptr_t>[]>(count);
        for (size_t i = 0; i < count; ++i) l.tiles[i].store(used(nothing.data()), std::memory_order_relaxed);
        image->levels_.push_back(std::move(l));
    }
    painted->for_each([&](int level, int x, int y, const scene::TexelTile& tile) {
        TexelImage::Level& l = image->levels_[size_t(level)];
        l.tiles[size_t(y) * size_t(l.across) + size_t(x)].store(used(tile.get()), std::memory_order_relaxed);
    });
    image->painted_ = std::move(painted);
    return image;
}

Result<std::shared_ptr<const TexelImage>> TexelStore::open(const TexelSource& source, const fs::path& from) {
    std::lock_guard lock(open_mutex_);
    std::erase_if(opened_, [](const Opened& o) { return o.image.expired(); });
    for (const bool early : {false, true})
        for (const Opened& o : opened_)
            if (o.key == key_of(source, from, early))
                if (auto image = o.image.lock(); image && image->decode_early_ == early && !image->spoiled_)
                    return image;

    ImageCache* cache = as_cache(cache_);
    const OIIO::ustring name(from.string());
    auto broken = [&](const std::string& why) {
        return Error{"A texture map cannot be read", source.file.string(), "", why,
                     "Export it again, or choose another one"};
    };
    OIIO::ImageSpec spec;
    if (from == source.file)
        close_in(cache,
                 name);  // the disk may have another file since somebody else read it; prepared forms never change
    if (!cache->get_imagespec(name, spec, 0, 0, true)) return broken(cache->geterror());
    auto image = std::make_shared<TexelImage>();
    image->store_ = this;
    image->source_ = source;
    image->read_from_ = from.string();
    image->format_ = format_of(spec.format);
    image->file_channels_ = spec.nchannels;
    image->prepared_ = from != source.file;
    image->lanes_ = source.channels == 1 ? 1 : 4;
    image->alpha_ = source.channels == 4;
    image->premultiplied_ =
        image->alpha_ && source.spread.empty() && spec.get_int_attribute("oiio:UnassociatedAlpha", 0) == 0;
    if (image->prepared_) {
        image->sums_ = TileSums::read(from);
        if (!image->sums_) return broken("its prepared form is damaged");
        if (image->sums_->form().halves) image->format_ = TexelFormat::half;
    }
    image->decode_early_ = source.decode && source.decode->has_curve &&
                           (image->format_ == TexelFormat::half || image->format_ == TexelFormat::f32);
    if (image->decode_early_) image->format_ = TexelFormat::f32;
    TileForm form = form_of(spec);
    form.halves = image->prepared_ && image->sums_->form().halves;
    size_t tiles = 0;
    for (int level = 0; level < 20; ++level) {
        if (level && !cache->get_imagespec(name, spec, 0, level, true)) {
            cache->geterror();
            break;
        }
        TexelImage::Level l;
        l.width = spec.width;
        l.height = spec.height;
        l.across = (l.width + tile_edge - 1) / tile_edge;
        l.down = (l.height + tile_edge - 1) / tile_edge;
        l.tiles_before = tiles;
        tiles += size_t(l.across) * size_t(l.down);
        l.tiles = std::make_unique<std::atomic<uintptr_t>[]>(size_t(l.across) * size_t(l.down));
        for (size_t i = 0; i < size_t(l.across) * size_t(l.down); ++i) l.tiles[i].store(0, std::memory_order_relaxed);
        image->levels_.push_back(std::move(l));
        if (spec.width <= 1 && spec.height <= 1) break;
    }
    if (image->prepared_ && (image->sums_->count() != tiles || image->sums_->form() != form))
        return broken("its prepared form is damaged");
    opened_.push_back({image, key_of(source, from, image->decode_early_), source.file.string()});
    return std::shared_ptr<const TexelImage>(image);
}

void TexelStore::forget(const fs::path& file) {
    std::lock_guard lock(open_mutex_);
    close_in(as_cache(cache_), OIIO::ustring(file.string()));
    std::erase_if(opened_, [&](const Opened& o) { return o.file == file.string(); });
}

void TexelStore::set_budget(size_t bytes) {
    budget_ = bytes;
    std::lock_guard lock(residents_mutex_);
    make_room(0);
}

void TexelStore::spoil(const TexelImage& image) {
    if (const_cast<std::atomic<bool>&>(image.spoiled_).exchange(true)) return;
    close_in(as_cache(cache_), OIIO::ustring(image.read_from_));
    if (on_spoiled) on_spoiled(image.read_from_, image.source_);
}

void TexelStore::problem(const TexelImage& image, const std::string& why) {
    if (const_cast<std::atomic<bool>&>(image.broken_).exchange(true)) return;  // once per file
    std::lock_guard lock(problems_mutex_);
    problems_.push_back({"A texture map cannot be read to its end; the loud colour stands where it ends",
                         image.source_.file.string(), "", why, "Export it again"});
}
std::vector<Error> TexelStore::take_problems() {
    std::lock_guard lock(problems_mutex_);
    return std::exchange(problems_, {});
}

/// Whether a tile of a prepared form is what was written. (Each has a checksum of its own as well, which does not cover
/// where the file says that it lies.)
bool TexelStore::is_whole(const TexelImage& image, size_t level, size_t index) const {
    const TexelImage::Level& l = image.levels_[level];
    const int x0 = int(index) % l.across * tile_edge;
    const int y0 = int(index) / l.across * tile_edge;
    const int x1 = std::min(x0 + tile_edge, l.width);
    const int y1 = std::min(y0 + tile_edge, l.height);
    const TileForm& form = image.sums_->form();
    const size_t bytes = size_t(x1 - x0) * size_t(y1 - y0) * size_t(form.channels) * size_t(form.bytes);
    const TypeDesc type = form.bytes == 1 ? TypeDesc::UINT8 : form.bytes == 4 ? TypeDesc::FLOAT : TypeDesc::UINT16;
    static thread_local std::vector<uint8_t> texels;
    texels.resize(bytes);
    const std::shared_lock lock(cache_in_use());
    return as_cache(cache_)->get_pixels(OIIO::ustring(image.read_from_), 0, int(level), x0, x1, y0, y1, 0, 1, 0,
                                        form.channels, type, texels.data()) &&
           image.sums_->is(l.tiles_before + index, texels.data(), bytes);
}

uint8_t* TexelStore::read_tile(const TexelImage& image, size_t level, size_t index, uint32_t& bytes) {
    const TexelImage::Level& l = image.levels_[level];
    const int x0 = int(index) % l.across * tile_edge;
    const int y0 = int(index) / l.across * tile_edge;
    const int x1 = std::min(x0 + tile_edge, l.width);
    const int y1 = std::min(y0 + tile_edge, l.height);
    const size_t lanes = size_t(image.lanes_);
    const size_t unit = texel_bytes(image.format_);
    const size_t texel = lanes * unit;
    bytes = uint32_t(tile_edge * tile_edge * texel);
    {
        std::lock_guard lock(residents_mutex_);
        make_room(bytes);
        bytes_ += bytes;
    }
    auto* texels = static_cast<uint8_t*>(std::aligned_alloc(64, (bytes + 63) / 64 * 64));
    std::memset(texels, 0, bytes);
    const int first = image.source_.first_channel;
    const int last = std::min(first + image.source_.channels, image.file_channels_);
    ImageCache* cache = as_cache(cache_);
    auto read_from = [&](const std::string& file) {
        const std::shared_lock lock(cache_in_use());
        return cache->get_pixels(OIIO::ustring(file), 0, int(level), x0, x1, y0, y1, 0, 1, first, last,
                                 type_of(image.format_), texels, OIIO::stride_t(texel),
                                 OIIO::stride_t(texel * tile_edge));
    };
    bool whole = !image.spoiled_ && (!image.sums_ || is_whole(image, level, index)) && read_from(image.read_from_);
    if (!whole && image.prepared_) {  // what was damaged on the disk is told here
        cache->geterror();
        spoil(image);
        whole = image.source_.spread.empty() && read_from(image.source_.file.string());
    }
    const size_t count = tile_edge * tile_edge;
    if (!whole && !image.source_.spread.empty()) {
        std::memset(texels, 0, count * texel);
        return texels;
    }
    if (!whole) {
        problem(image, cache->geterror());
        static constexpr float loud[] = {1.f, 0.f, 1.f, 1.f};
        for (size_t i = 0; i < count; ++i)
            for (size_t c = 0; c < lanes; ++c) {
                const float v = lanes == 1 ? .5f : loud[c];
                uint8_t* at = texels + i * texel + c * unit;
                if (image.format_ == TexelFormat::f32)
                    std::memcpy(at, &v, 4);
                else {
                    const uint32_t code = image.format_ == TexelFormat::half
                                              ? (v == .5f  ? 0x3800u
                                                 : v > 0.f ? 0x3c00u
                                                           : 0u)
                                              : uint32_t(v * float(one_in(image.format_)) + .5f);
                    std::memcpy(at, &code, unit);
                }
            }
        return texels;
    }
    if (lanes == 4 && last - first == 1)  // grey files as colour
        for (size_t i = 0; i < count; ++i)
            for (size_t c = 1; c < 3; ++c) std::memcpy(texels + i * texel + c * unit, texels + i * texel, unit);
    if (lanes == 4 && !image.alpha_) {
        const uint32_t one = one_in(image.format_);
        for (size_t i = 0; i < count; ++i) std::memcpy(texels + i * texel + 3 * unit, &one, unit);
    }
    // Numbers that are none would spread through every filter.
    if (image.format_ == TexelFormat::f32) {
        auto* f = reinterpret_cast<float*>(texels);
        for (size_t i = 0; i < count * lanes; ++i)
            if (!(std::fabs(f[i]) <= 3e37f)) f[i] = f[i] > 0.f ? 65504.f : 0.f;
        if (image.decode_early_) {
            std::vector<float> rgb(count * 3);
            for (size_t i = 0; i < count; ++i)
                for (size_t c = 0; c < 3; ++c) rgb[3 * i + c] = f[i * lanes + std::min(c, lanes - 1)];
            image.source_.decode->apply_curve(rgb.data(), count);
            for (size_t i = 0; i < count; ++i)
                for (size_t c = 0; c < std::min<size_t>(3, lanes); ++c) f[i * lanes + c] = rgb[3 * i + c];
        }
    } else if (image.format_ == TexelFormat::half) {
        auto* h = reinterpret_cast<uint16_t*>(texels);
        for (size_t i = 0; i < count * lanes; ++i)
            if ((h[i] & 0x7c00) == 0x7c00) h[i] = (h[i] & 0x3ff) || (h[i] & 0x8000) ? 0 : 0x7bff;
    }
    return texels;
}

void TexelStore::free_limbo() {
    uint64_t oldest = UINT64_MAX;
    for (int i = 0; i < most_threads; ++i)
        if (const uint64_t e = slots_[size_t(i)].epoch.load(std::memory_order_seq_cst)) oldest = std::min(oldest, e);
    std::erase_if(limbo_, [&](const Limbo& l) {
        if (l.epoch >= oldest) return false;
        std::free(l.texels);
        bytes_ -= l.bytes;
        return true;
    });
}

void TexelStore::make_room(size_t wanted) {
    const size_t budget = budget_;
    if (bytes_ + wanted <= budget) return;
    // A sixteenth more than needed, so that the search is not for every tile.
    const size_t goal = budget - std::min(budget, wanted + budget / 16);
    size_t waiting = 0;
    for (const Limbo& l : limbo_) waiting += l.bytes;
    const uint64_t epoch = epoch_.fetch_add(1, std::memory_order_seq_cst) + 1;
    for (size_t seen = 0; seen < 2 * residents_.size() + 2 && !residents_.empty() && bytes_ - waiting > goal;) {
        if (hand_ >= residents_.size()) hand_ = 0;
        const Resident r = residents_[hand_];
        std::atomic<uintptr_t>& entry = r.image->levels_[r.level].tiles[r.index];
        const uintptr_t at = entry.load(std::memory_order_relaxed);
        if (at & 1) {  // used since the hand came by: it may stay for one more round
            entry.fetch_and(~uintptr_t(1), std::memory_order_relaxed);
            ++hand_;
            ++seen;
            continue;
        }
        const uintptr_t out = entry.exchange(0, std::memory_order_seq_cst);
        limbo_.push_back({reinterpret_cast<uint8_t*>(out & ~uintptr_t(1)), r.bytes, epoch});
        waiting += r.bytes;
        residents_[hand_] = residents_.back();
        residents_.pop_back();
    }
    epoch_.fetch_add(1, std::memory_order_seq_cst);
    free_limbo();
    // A thread that was put aside in the middle of a lookup keeps tiles from being freed: while it is, others must not
    // pile up more.
    for (int tries = 0; tries < 4000; ++tries) {
        waiting = 0;
        for (const Limbo& l : limbo_) waiting += l.bytes;
        if (waiting <= budget / 16) break;
        std::this_thread::yield();
        free_limbo();
    }
}

void TexelStore::drop(const TexelImage& image) {
    std::lock_guard lock(residents_mutex_);
    const uint64_t epoch = epoch_.fetch_add(1, std::memory_order_seq_cst) + 1;
    std::erase_if(residents_, [&](const Resident& r) {
        if (r.image != &image) return false;
        const uintptr_t out = image.levels_[r.level].tiles[r.index].exchange(0, std::memory_order_seq_cst);
        limbo_.push_back({reinterpret_cast<uint8_t*>(out & ~uintptr_t(1)), r.bytes, epoch});
        return true;
    });
    epoch_.fetch_add(1, std::memory_order_seq_cst);
    free_limbo();
}

TexelStore::Reading::Reading(TexelStore& store) : store_(store) {
    // A thread mostly finds the slot that it had before.
    static thread_local int last = 0;
    for (int i = last;; i = (i + 1) % most_threads) {
        bool free = false;
        if (!store.slots_[size_t(i)].taken.load(std::memory_order_relaxed) &&
            store.slots_[size_t(i)].taken.compare_exchange_strong(free, true, std::memory_order_acquire)) {
            last = i;
            slot_ = &store.slots_[size_t(i)].epoch;
            break;
        }
    }
    look();
}
TexelStore::Reading::~Reading() {
    slot_->store(0, std::memory_order_seq_cst);
    reinterpret_cast<Slot*>(slot_)->taken.store(false, std::memory_order_release);
}
const uint8_t* TexelStore::Reading::missing(const TexelImage& image, size_t level, size_t index) {
    const uint32_t h =
        mix32(uint32_t(reinterpret_cast<uintptr_t>(&image) >> 4) ^ mix32(uint32_t(level << 24) ^ uint32_t(index)));
    std::atomic<uintptr_t>& entry = image.levels()[level].tiles[index];
    slot_->store(0, std::memory_order_seq_cst);  // nothing is looked at while the disk is read: so that nobody's tiles
                                                 // must wait for it
    std::lock_guard lock(store_.load_mutex_[h % 64]);
    look();
    if (const uintptr_t at = entry.load(std::memory_order_acquire))
        return reinterpret_cast<const uint8_t*>(at & ~uintptr_t(1));
    slot_->store(0, std::memory_order_seq_cst);
    uint32_t bytes;
    uint8_t* texels = store_.read_tile(image, level, index, bytes);
    std::lock_guard residents(store_.residents_mutex_);
    look();
    entry.store(reinterpret_cast<uintptr_t>(texels) | 1, std::memory_order_release);
    store_.residents_.push_back({&image, uint32_t(level), uint32_t(index), bytes});
    return texels;
}

}  // namespace vemtra::texture
