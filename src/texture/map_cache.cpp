#include "texture/map_cache.h"

#include <sys/stat.h>
#include <xxhash.h>

#include <sstream>

#include "base/byte_stream.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "texture/colour.h"

namespace vemtra::texture {
namespace {

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

}  // namespace

uint64_t content_hash(const fs::path& file) {
    Result<ByteStream> in = ByteStream::open(file);
    if (!in) return 0;
    const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(XXH3_createState(), XXH3_freeState);
    XXH3_64bits_reset_withSeed(state.get(), hash_text(prepared_version));
    for (std::string_view piece; !(piece = in->look(1)).empty(); in->skip(piece.size()))
        XXH3_64bits_update(state.get(), piece.data(), piece.size());
    const uint64_t h = XXH3_64bits_digest(state.get());
    return h ? h : 1;
}

MapCache::MapCache(fs::path folder, uint64_t limit) : folder_(std::move(folder)), limit_(limit) {
    count_bytes();
}

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
    for (const auto& e : entries_of(folder_))
        if (e.path().extension() == ".tif") sum += e.file_size(ec);
    bytes_ = sum;
}

fs::path MapCache::note_of(const fs::path& file) const {
    std::error_code ec;
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.note",
                  static_cast<unsigned long long>(hash_text(fs::absolute(file, ec).lexically_normal().string())));
    return folder_ / name;
}

namespace {

/// What was known of a file when it was last read whole: a line of numbers, the last of which is the check of the rest.
struct Note {
    FileId id;
    uint64_t content = 0;
    std::string line() const {
        char text[160];
        std::snprintf(text, sizeof text, "%lld %lld %lld %llu %llx", static_cast<long long>(id.size),
                      static_cast<long long>(id.seconds), static_cast<long long>(id.nanoseconds),
                      static_cast<unsigned long long>(id.inode), static_cast<unsigned long long>(content));
        char check[32];
        std::snprintf(check, sizeof check, " %llx\n", static_cast<unsigned long long>(hash_text(text)));
        return std::string(text) + check;
    }
};
std::optional<Note> read_note(const fs::path& file) {
    const auto text = read_file(file, 4096);
    if (!text) return std::nullopt;
    std::istringstream in(*text);
    Note n;
    in >> n.id.size >> n.id.seconds >> n.id.nanoseconds >> n.id.inode >> std::hex >> n.content;
    if (!in || !n.content || n.line() != *text) return std::nullopt;
    return n;
}

}  // namespace

std::optional<std::pair<int64_t, uint64_t>> MapCache::noted(const fs::path& file) const {
    const auto note = read_note(note_of(file));
    return note ? std::optional(std::make_pair(note->id.size, note->content)) : std::nullopt;
}

// The whole content is read once per file and state; what it was is noted beside the prepared maps.
uint64_t MapCache::content_of(const fs::path& file) {
    Note now;
    if (!id_of(file, now.id)) return 0;
    const fs::path note = note_of(file);
    if (const auto before = read_note(note); before && before->id == now.id) return before->content;
    now.content = content_hash(file);
    if (!now.content) return 0;
    std::error_code ec;
    fs::create_directories(folder_, ec);
    write_file_atomically(note, now.line());  // without a note the file is read again next time
    return now.content;
}

fs::path MapCache::place_of(uint64_t content, const std::string& space) const {
    // Only the curve makes a difference to the averages.
    if (is_spread(space)) return place_named(content, space);
    auto decode = colour_decode(space);
    const bool curved = decode && (*decode)->has_curve;
    return place_named(content, curved ? space : "linear");
}
fs::path MapCache::place_named(uint64_t content, const std::string& form) const {
    char name[64];
    std::snprintf(name, sizeof name, "%016llx-%s-", static_cast<unsigned long long>(content), prepared_version);
    return folder_ / (name + form + ".tif");
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
    if (!content) return refused_map(wanted.first, "it cannot be read");
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

void MapCache::discard(const fs::path& prepared, const fs::path& file, const std::string& space) {
    std::error_code ec;
    const uint64_t size = fs::file_size(prepared, ec);
    if (!ec && fs::remove(prepared, ec)) bytes_ -= std::min<uint64_t>(bytes_, size);
    want(file, space);
}

void MapCache::want(const fs::path& file, const std::string& space) {
    std::lock_guard lock(mutex_);
    if (quit_ || !known_.insert({file, space}).second) return;
    if (done_ == wanted_count_) done_ = wanted_count_ = 0;
    queue_.push_back({file, space});
    ++wanted_count_;
    if (threads_.empty())
        for (unsigned i = 0; i < std::max(1u, std::thread::hardware_concurrency()); ++i)
            threads_.emplace_back([this] { work(); });
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
        if (s)
            ready_.push_back(wanted.first);
        else if (!running_.stop)
            problems_.push_back(s.error());
    }
}

bool MapCache::prepare_all(const std::vector<Wanted>& files, Progress* progress) {
    std::atomic<size_t> done{0};
    parallel_ranges(files.size(), 1, [&](size_t first, size_t last) {
        for (size_t i = first; i < last && !stopped(progress); ++i) {
            Progress one;
            if (stopped(progress)) one.stop = true;
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
    for (const auto& e : entries_of(folder_))
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
    for (const auto& e : entries_of(folder_))
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
