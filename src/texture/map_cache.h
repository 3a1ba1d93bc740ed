// Prepared maps: tiled, mip-mapped copies in a cache folder, made in the background and found again by the content of
// the original, in any project. Mip levels average light, not codes: a map in a curved space is decoded for it and
// encoded again.
#pragma once
#include <atomic>
#include <condition_variable>
#include <deque>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <thread>
#include <vector>

#include "base/file.h"
#include "base/progress.h"
#include "texture/image_header.h"
#include "texture/prepare_map.h"

namespace vemtra::texture {

/// Of the file's bytes (XXH3) and the version of the prepared form; 0 where it cannot be read.
uint64_t content_hash(const fs::path& file);

class MapCache {
public:
    /// `folder` is created on demand. Prepared maps beyond `limit_bytes` go, those that were not used for longest
    /// first.
    explicit MapCache(fs::path folder, uint64_t limit_bytes = uint64_t(20) << 30);
    ~MapCache();

    /// The prepared form of the file as it is now, where there is one.
    std::optional<fs::path> find(const fs::path& file, const std::string& space);
    /// Size and content that a file had when it was last looked at, also where it is gone now.
    std::optional<std::pair<int64_t, uint64_t>> noted(const fs::path& file) const;
    /// Prepares in the background what was not asked for yet.
    void want(const fs::path& file, const std::string& space);
    /// Prepares these now, in parallel; false if it was stopped. What cannot be prepared is left to be read as it is.
    bool prepare_all(const std::vector<std::pair<fs::path, std::string>>& files, Progress* progress = nullptr);
    /// Files whose prepared form became ready since the last call.
    std::vector<fs::path> take_ready();
    std::vector<Error> take_problems();

    struct State {
        size_t done = 0, wanted = 0;  ///< of the present run of work; both 0 when there is none
        uint64_t bytes = 0, limit = 0;
    };
    State state() const;
    /// A prepared form is damaged: it goes, and the file is prepared anew.
    void discard(const fs::path& prepared, const fs::path& file, const std::string& space);
    void stop_waiting();  ///< forgets what is not begun, and stops what is
    void set_limit(uint64_t bytes);
    void clear();  ///< removes all prepared maps

private:
    using Wanted = std::pair<fs::path, std::string>;
    uint64_t content_of(const fs::path& file);
    fs::path note_of(const fs::path& file) const;
    fs::path place_of(uint64_t content, const std::string& space) const;
    fs::path place_named(uint64_t content, const std::string& form) const;
    Status make(const Wanted& wanted, Progress* progress, int threads);
    void work();
    void trim();
    void count_bytes();

    fs::path folder_;
    std::atomic<uint64_t> limit_, bytes_{0};
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    std::deque<Wanted> queue_;
    std::set<Wanted> known_;  // asked for, in this session
    std::vector<fs::path> ready_;
    std::vector<Error> problems_;
    size_t done_ = 0, wanted_count_ = 0;
    bool quit_ = false;
    Progress running_;
    std::vector<std::thread> threads_;
};

}  // namespace vemtra::texture
