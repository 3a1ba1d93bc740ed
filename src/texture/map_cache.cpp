#include "texture/map_cache.h"

#include <OpenImageIO/imageio.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstring>
#include <fstream>

#include "base/hash.h"
#include "base/parallel.h"
#include "texture/colour.h"

namespace vemtra::texture {
namespace {

using OIIO::TypeDesc;

constexpr int edge = 64;
constexpr const char* version = "1";  // of the prepared form: part of every name

Error refused(const fs::path& file, const std::string& why, const std::string& remedy = "Export it again, or choose another one") {
    return {"A texture map cannot be read", file.string(), "", why, remedy};
}

std::string plain_reason(std::string text) {
    // The libraries' messages often repeat the path and end in a line break.
    while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.pop_back();
    return text.empty() ? "its format is not known, or it is damaged" : text;
}

struct FileId {
    int64_t size = 0, seconds = 0, nanoseconds = 0;
    uint64_t inode = 0;
    bool operator==(const FileId&) const = default;
};
bool id_of(const fs::path& file, FileId& id) {
    struct stat s;
    if (::stat(file.c_str(), &s) != 0 || !S_ISREG(s.st_mode)) return false;
    id = {s.st_size, s.st_mtim.tv_sec, s.st_mtim.tv_nsec, s.st_ino};
    return true;
}

/// Rows of one level in floats, and how they go to and from the file's numbers.
class Codes {
public:
    Codes(TypeDesc type, int channels, int alpha, const ColourDecode* decode) : type_(type), channels_(channels), alpha_(alpha), decode_(decode && decode->has_curve ? decode : nullptr) {
        if (type.basetype == TypeDesc::UINT8) {
            straight8_.resize(256);
            for (int i = 0; i < 256; ++i) straight8_[size_t(i)] = float(i) / 255.f;
        }
    }
    void decode(const uint8_t* from, float* to, size_t texels) const {
        const size_t n = texels * size_t(channels_);
        switch (type_.basetype) {
            case TypeDesc::UINT8:
                if (!decode_) {
                    for (size_t i = 0; i < n; ++i) to[i] = straight8_[from[i]];
                } else {
                    for (size_t i = 0; i < texels; ++i)
                        for (int c = 0; c < channels_; ++c) to[i * size_t(channels_) + size_t(c)] = (c == alpha_ ? straight8_.data() : decode_->curve8.data())[from[i * size_t(channels_) + size_t(c)]];
                }
                break;
            case TypeDesc::UINT16: {
                const auto* codes = reinterpret_cast<const uint16_t*>(from);
                if (!decode_) {
                    for (size_t i = 0; i < n; ++i) to[i] = float(codes[i]) * (1.f / 65535.f);
                } else {
                    for (size_t i = 0; i < texels; ++i)
                        for (int c = 0; c < channels_; ++c) {
                            const size_t k = i * size_t(channels_) + size_t(c);
                            to[k] = c == alpha_ ? float(codes[k]) * (1.f / 65535.f) : decode_->curve16[codes[k]];
                        }
                }
                break;
            }
            case TypeDesc::HALF: OIIO::convert_types(TypeDesc::HALF, from, TypeDesc::FLOAT, to, int(n)); break;
            default: std::memcpy(to, from, n * sizeof(float)); break;
        }
    }
    void encode(const float* from, uint8_t* to, size_t texels) const {
        const size_t n = texels * size_t(channels_);
        auto code16 = [&](float x) { return uint16_t(std::min(65535.f, std::max(0.f, x) * 65535.f + .5f)); };
        switch (type_.basetype) {
            case TypeDesc::UINT8:
                for (size_t i = 0; i < n; ++i) {
                    const bool curved = decode_ && int(i % size_t(channels_)) != alpha_;
                    to[i] = curved ? uint8_t((decode_->encode16()[code16(from[i])] + 128) / 257) : uint8_t(std::min(255.f, std::max(0.f, from[i]) * 255.f + .5f));
                }
                break;
            case TypeDesc::UINT16: {
                auto* codes = reinterpret_cast<uint16_t*>(to);
                for (size_t i = 0; i < n; ++i) {
                    const bool curved = decode_ && int(i % size_t(channels_)) != alpha_;
                    codes[i] = curved ? decode_->encode16()[code16(from[i])] : code16(from[i]);
                }
                break;
            }
            case TypeDesc::HALF: OIIO::convert_types(TypeDesc::FLOAT, from, TypeDesc::HALF, to, int(n)); break;
            default: std::memcpy(to, from, n * sizeof(float)); break;
        }
    }

private:
    TypeDesc type_;
    int channels_, alpha_;
    const ColourDecode* decode_;
    std::vector<float> straight8_;
};

/// Which texels of the finer level one texel of the coarser one averages, and by how much: a box of the exact size. For even sizes two
/// halves; for odd ones three texels, the outer ones in part.
struct Taps {
    int first = 0, count = 0;
    float weight[3] = {};
};
std::vector<Taps> taps(int fine, int coarse) {
    std::vector<Taps> all(static_cast<size_t>(coarse));
    const double ratio = double(fine) / coarse;
    for (int i = 0; i < coarse; ++i) {
        const double a = i * ratio, b = (i + 1) * ratio;
        Taps& t = all[size_t(i)];
        t.first = std::min(int(a), fine - 1);
        for (int k = t.first; k < fine && double(k) < b - 1e-9 && t.count < 3; ++k) t.weight[t.count++] = float((std::min(b, double(k + 1)) - std::max(a, double(k))) / ratio);
        if (t.count == 0) t.count = 1, t.weight[0] = 1.f;
    }
    return all;
}

}  // namespace

Result<ImageHeader> read_header(const fs::path& file) {
    std::error_code ec;
    const auto status = fs::status(file, ec);
    if (ec && status.type() == fs::file_type::not_found) return refused(file, "it does not exist", "Bring the file back, or choose another one");
    if (ec) return refused(file, ec.message(), "Check the link and the rights of its folder");
    if (status.type() == fs::file_type::not_found) return refused(file, "it does not exist", "Bring the file back, or choose another one");
    if (status.type() == fs::file_type::directory) return refused(file, "it is a folder", "Choose a file in it");
    if (status.type() != fs::file_type::regular) return refused(file, "it is no ordinary file");
    if (::access(file.c_str(), R_OK) != 0) return refused(file, "it may not be read", "Give yourself the right to read it");
    if (fs::file_size(file, ec) == 0) return refused(file, "it is empty");
    OIIO::ImageSpec config;
    config.attribute("oiio:UnassociatedAlpha", 1);
    config.attribute("oiio:RawColor", 1);
    auto in = OIIO::ImageInput::open(file.string(), &config);
    if (!in) return refused(file, plain_reason(OIIO::geterror()));
    const OIIO::ImageSpec& s = in->spec();
    if (s.width < 1 || s.height < 1 || s.nchannels < 1) return refused(file, "its size of " + std::to_string(s.width) + " x " + std::to_string(s.height) + " cannot be right");
    if (s.width > most_edge || s.height > most_edge || int64_t(s.width) * s.height > most_texels)
        return refused(file, "its " + std::to_string(s.width) + " x " + std::to_string(s.height) + " texels are more than the 16384 x 16384 that a map may have", "Cut it into UDIM tiles, or make it smaller");
    if (s.depth > 1 || s.deep) return refused(file, s.deep ? "it holds deep samples, not a picture" : "it is a volume, not a picture");
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
    h.palette = s.get_string_attribute("tiff:ColorSpace") == "palette" || s.get_string_attribute("png:ColorType") == "palette";
    h.format = in->format_name();
    h.mipped = in->seek_subimage(0, 1);
    return h;
}

Status prepare_map(const fs::path& from, const fs::path& to, const std::string& space, Progress* progress, int threads) {
    auto header = read_header(from);
    if (!header) return header.error();
    auto decode = colour_decode(space);
    if (!decode) return decode.error();
    OIIO::ImageSpec config;
    config.attribute("oiio:UnassociatedAlpha", 1);
    auto in = OIIO::ImageInput::open(from.string(), &config);
    if (!in) return refused(from, plain_reason(OIIO::geterror()));
    in->threads(threads);
    const OIIO::ImageSpec source = in->spec();
    const int channels = std::min(source.nchannels, 4);
    TypeDesc type = TypeDesc::FLOAT;
    if (source.format.basetype == TypeDesc::UINT8) type = TypeDesc::UINT8;
    else if (source.format.basetype == TypeDesc::UINT16 || source.format.basetype == TypeDesc::INT16) type = TypeDesc::UINT16;
    else if (source.format.basetype == TypeDesc::HALF) type = TypeDesc::HALF;
    const size_t unit = type.size(), texel = unit * size_t(channels);
    const Codes codes(type, channels, source.alpha_channel, decode->get());
    const Error stop{"A map was not prepared", from.string(), "", "it was stopped", ""};

    return write_atomically_with(to, [&](const fs::path& temporary) -> Status {
        auto out = OIIO::ImageOutput::create("tiff");
        if (!out) return refused(from, "prepared maps cannot be written: " + OIIO::geterror());
        out->threads(threads);
        OIIO::ImageSpec spec(source.width, source.height, channels, type);
        spec.channelnames.assign(source.channelnames.begin(), source.channelnames.begin() + channels);
        spec.alpha_channel = source.alpha_channel < channels ? source.alpha_channel : -1;
        spec.tile_width = spec.tile_height = edge;
        spec.tile_depth = 1;
        spec.attribute("textureformat", "Plain Texture");  // its subimages are mip levels
        spec.attribute("compression", "zip:1");  // texels are read far more often than prepared: little time, most of the gain
        if (spec.alpha_channel >= 0 && source.get_int_attribute("oiio:UnassociatedAlpha", 0)) spec.attribute("oiio:UnassociatedAlpha", 1);

        // Level 0 goes through in bands of tile rows; only the next level is kept whole, in floats.
        std::vector<uint8_t> band;
        std::vector<float> fine, coarse;
        int width = source.width, height = source.height;
        for (int level = 0;; ++level) {
            spec.width = spec.full_width = width;
            spec.height = spec.full_height = height;
            if (!out->open(temporary.string(), spec, level ? OIIO::ImageOutput::AppendSubimage : OIIO::ImageOutput::Create)) return refused(from, "its prepared form cannot be written: " + out->geterror());
            const int w = std::max(1, width / 2), h = std::max(1, height / 2);
            const bool last = width == 1 && height == 1;
            const std::vector<Taps> across = taps(width, w), down = taps(height, h);
            coarse.assign(last ? 0 : size_t(w) * size_t(h) * size_t(channels), 0.f);
            const size_t row = size_t(width) * size_t(channels);
            band.resize(size_t(edge) * size_t(width) * texel);
            std::vector<float> line(row), narrow(size_t(w) * size_t(channels));
            int target = 0;  // row of the coarse level that the taps are at
            for (int y = 0; y < height; y += edge) {
                if (stopped(progress)) return stop;
                const int rows = std::min(edge, height - y);
                if (level == 0) {
                    const int y0 = source.y + y;
                    bool whole;
                    if (source.tile_width) {
                        // Bands of the source's own tiles cover more than one of ours at times: read them once.
                        whole = true;
                        const int th = source.tile_height;
                        static thread_local std::vector<uint8_t> strip;
                        for (int part = y; whole && part < y + rows;) {
                            const int begin = part / th * th, end = std::min(begin + th, height);
                            strip.resize(size_t(end - begin) * size_t(width) * texel);
                            whole = in->read_tiles(0, 0, source.x, source.x + width, source.y + begin, source.y + end, 0, 1, 0, channels, type, strip.data());
                            const int stop_at = std::min(end, y + rows);
                            std::memcpy(&band[size_t(part - y) * size_t(width) * texel], &strip[size_t(part - begin) * size_t(width) * texel], size_t(stop_at - part) * size_t(width) * texel);
                            part = stop_at;
                        }
                    } else {
                        whole = in->read_scanlines(0, 0, y0, y0 + rows, 0, 0, channels, type, band.data());
                    }
                    if (!whole) return refused(from, "the file is cut off or damaged: " + plain_reason(in->geterror()));
                } else {
                    codes.encode(&fine[size_t(y) * row], band.data(), size_t(rows) * size_t(width));
                }
                if (!out->write_tiles(0, width, y, y + rows, 0, 1, type, band.data())) return refused(from, "its prepared form cannot be written: " + out->geterror());
                report(progress, (level == 0 ? float(y) / float(height) * .8f : .8f + .2f * (1.f - std::pow(.25f, float(level)))));
                if (last) continue;
                for (int k = 0; k < rows; ++k) {
                    const float* numbers = fine.data();
                    if (level == 0) {
                        codes.decode(&band[size_t(k) * size_t(width) * texel], line.data(), size_t(width));
                        for (float& x : line)
                            if (!(std::fabs(x) <= 3e37f)) x = x > 0.f ? 65504.f : 0.f;
                        numbers = line.data();
                    } else {
                        numbers = &fine[size_t(y + k) * row];
                    }
                    const size_t n = size_t(channels);
                    for (size_t x = 0; x < size_t(w); ++x) {
                        const Taps& t = across[x];
                        const float* p = numbers + size_t(t.first) * n;
                        float* q = &narrow[x * n];
                        if (t.count == 2) {
                            for (size_t c = 0; c < n; ++c) q[c] = p[c] * t.weight[0] + p[n + c] * t.weight[1];
                        } else {
                            for (size_t c = 0; c < n; ++c) {
                                float sum = p[c] * t.weight[0];
                                for (int i = 1; i < t.count; ++i) sum += p[size_t(i) * n + c] * t.weight[i];
                                q[c] = sum;
                            }
                        }
                    }
                    // This row of the fine level belongs to one or two rows of the coarse one.
                    const int at = y + k;
                    while (target < h && down[size_t(target)].first + down[size_t(target)].count <= at) ++target;
                    for (int r = target; r < h && down[size_t(r)].first <= at; ++r) {
                        const float weight = down[size_t(r)].weight[at - down[size_t(r)].first];
                        float* q = &coarse[size_t(r) * size_t(w) * n];
                        for (size_t i = 0; i < narrow.size(); ++i) q[i] += narrow[i] * weight;
                    }
                }
            }
            if (last) break;
            fine.swap(coarse);
            width = w;
            height = h;
        }
        if (!out->close()) return refused(from, "its prepared form cannot be written: " + out->geterror());
        return Done{};
    });
}

uint64_t content_hash(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    if (!in) return 0;
    std::vector<char> block(size_t(4) << 20);
    uint64_t h = hash_text(version);
    while (in) {
        in.read(block.data(), std::streamsize(block.size()));
        if (in.gcount() > 0) h = hash_bytes(block.data(), size_t(in.gcount()), h);
    }
    return h ? h : 1;
}

MapCache::MapCache(fs::path folder, uint64_t limit) : folder_(std::move(folder)), limit_(limit) { count_bytes(); }

MapCache::~MapCache() {
    {
        std::lock_guard lock(mutex_);
        quit_ = true;
        queue_.clear();
        running_.stop = true;
    }
    wake_.notify_all();
    for (std::thread& t : threads_) t.join();
}

void MapCache::count_bytes() {
    uint64_t sum = 0;
    std::error_code ec;
    for (const auto& e : fs::directory_iterator(folder_, ec))
        if (e.path().extension() == ".tif") sum += e.file_size(ec);
    bytes_ = sum;
}

fs::path MapCache::note_of(const fs::path& file) const {
    std::error_code ec;
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.note", static_cast<unsigned long long>(hash_text(fs::absolute(file, ec).lexically_normal().string())));
    return folder_ / name;
}

std::optional<std::pair<int64_t, uint64_t>> MapCache::noted(const fs::path& file) const {
    std::ifstream in(note_of(file));
    FileId was;
    uint64_t content = 0;
    if (!(in >> was.size >> was.seconds >> was.nanoseconds >> was.inode >> std::hex >> content) || !content) return std::nullopt;
    return std::make_pair(was.size, content);
}

// The whole content is read once per file and state; what it was is noted beside the prepared maps.
uint64_t MapCache::content_of(const fs::path& file) {
    FileId id;
    if (!id_of(file, id)) return 0;
    std::error_code ec;
    const fs::path note = note_of(file);
    if (std::ifstream in(note); in) {
        FileId was;
        uint64_t content = 0;
        std::string path;
        if (in >> was.size >> was.seconds >> was.nanoseconds >> was.inode >> std::hex >> content && was == id && content) return content;
    }
    const uint64_t h = content_hash(file);
    if (!h) return 0;
    char text[160];
    std::snprintf(text, sizeof text, "%lld %lld %lld %llu %llx\n", static_cast<long long>(id.size), static_cast<long long>(id.seconds), static_cast<long long>(id.nanoseconds),
                  static_cast<unsigned long long>(id.inode), static_cast<unsigned long long>(h));
    fs::create_directories(folder_, ec);
    write_file_atomically(note, text);
    return h;
}

fs::path MapCache::place_of(uint64_t content, const std::string& space) const {
    // Only the curve makes a difference to the averages.
    auto decode = colour_decode(space);
    const bool curved = decode && (*decode)->has_curve;
    char name[96];
    std::snprintf(name, sizeof name, "%016llx-%s-%s.tif", static_cast<unsigned long long>(content), version, curved ? space.c_str() : "linear");
    return folder_ / name;
}

std::optional<fs::path> MapCache::find(const fs::path& file, const std::string& space) {
    const uint64_t content = content_of(file);
    if (!content) return std::nullopt;
    const fs::path place = place_of(content, space);
    std::error_code ec;
    if (!fs::exists(place, ec)) return std::nullopt;
    fs::last_write_time(place, fs::file_time_type::clock::now(), ec);  // used: it stays
    return place;
}

Status MapCache::make(const Wanted& wanted, Progress* progress, int threads) {
    if (find(wanted.first, wanted.second)) return Done{};
    const uint64_t content = content_of(wanted.first);
    if (!content) return refused(wanted.first, "it cannot be read");
    std::error_code ec;
    fs::create_directories(folder_, ec);
    const fs::path place = place_of(content, wanted.second);
    Status s = prepare_map(wanted.first, place, wanted.second, progress, threads);
    if (s) {
        bytes_ += fs::file_size(place, ec);
        trim();
    }
    return s;
}

void MapCache::want(const fs::path& file, const std::string& space) {
    std::lock_guard lock(mutex_);
    if (quit_ || !known_.insert({file, space}).second) return;
    if (done_ == wanted_count_) done_ = wanted_count_ = 0;
    queue_.push_back({file, space});
    ++wanted_count_;
    if (threads_.empty())
        for (unsigned i = 0; i < std::max(1u, std::thread::hardware_concurrency()); ++i) threads_.emplace_back([this] { work(); });
    wake_.notify_one();
}

void MapCache::work() {
    yield_to_window();
    for (;;) {
        Wanted wanted;
        {
            std::unique_lock lock(mutex_);
            wake_.wait(lock, [this] { return quit_ || !queue_.empty(); });
            if (quit_) return;
            wanted = queue_.front();
            queue_.pop_front();
            running_.stop = false;
        }
        const Status s = make(wanted, &running_, 1);
        std::lock_guard lock(mutex_);
        ++done_;
        known_.erase(wanted);  // a file that changes is wanted again
        if (s) ready_.push_back(wanted.first);
        else if (!running_.stop) problems_.push_back(s.error());
    }
}

bool MapCache::prepare_all(const std::vector<Wanted>& files, Progress* progress) {
    std::atomic<size_t> done{0};
    parallel_ranges(files.size(), 1, [&](size_t first, size_t last) {
        for (size_t i = first; i < last && !stopped(progress); ++i) {
            Progress one;
            if (progress && progress->stop) one.stop = true;
            if (Status s = make(files[i], progress ? &one : nullptr, 1); !s && !stopped(progress)) {
                std::lock_guard lock(mutex_);
                problems_.push_back(s.error());
            }
            report(progress, float(++done) / float(files.size()));
        }
    });
    return !stopped(progress);
}

std::vector<fs::path> MapCache::take_ready() {
    std::lock_guard lock(mutex_);
    return std::exchange(ready_, {});
}
std::vector<Error> MapCache::take_problems() {
    std::lock_guard lock(mutex_);
    return std::exchange(problems_, {});
}
MapCache::State MapCache::state() const {
    std::lock_guard lock(mutex_);
    const bool working = done_ < wanted_count_;
    return {working ? done_ : 0, working ? wanted_count_ : 0, bytes_, limit_};
}
void MapCache::stop_waiting() {
    std::lock_guard lock(mutex_);
    for (const Wanted& w : queue_) known_.erase(w);
    done_ += queue_.size();
    queue_.clear();
    running_.stop = true;
}
void MapCache::set_limit(uint64_t bytes) {
    limit_ = bytes;
    trim();
}
void MapCache::clear() {
    std::error_code ec;
    for (const auto& e : fs::directory_iterator(folder_, ec))
        if (e.path().extension() == ".tif" || e.path().extension() == ".note") fs::remove(e.path(), ec);
    bytes_ = 0;
}

void MapCache::trim() {
    if (bytes_ <= limit_) return;
    static std::mutex one;
    std::lock_guard lock(one);
    struct Kept {
        fs::file_time_type used;
        fs::path path;
        uint64_t size;
    };
    std::vector<Kept> all;
    std::error_code ec;
    uint64_t sum = 0;
    for (const auto& e : fs::directory_iterator(folder_, ec))
        if (e.path().extension() == ".tif") {
            all.push_back({e.last_write_time(ec), e.path(), e.file_size(ec)});
            sum += all.back().size;
        }
    std::sort(all.begin(), all.end(), [](const Kept& a, const Kept& b) { return a.used < b.used; });
    const uint64_t goal = limit_ - limit_ / 10;
    for (const Kept& k : all) {
        if (sum <= goal) break;
        fs::remove(k.path, ec);
        sum -= k.size;
    }
    bytes_ = sum;
}

}  // namespace vemtra::texture
