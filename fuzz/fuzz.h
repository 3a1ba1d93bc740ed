// What the harnesses share. Each is one program: libFuzzer calls LLVMFuzzerTestOneInput with bytes that it made, and
// whatever happens but a return is a finding. ./run fuzz [TARGET] [MINUTES] builds and runs them.
#pragma once
#include <tbb/global_control.h>
#include <unistd.h>

#include <cstdint>
#include <fstream>
#include <string>
#include <string_view>

#include "base/file.h"

namespace vemtra::fuzz {

/// One thread: findings can be played again, and libFuzzer counts what one input reaches.
inline void alone() {
    static tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
}

inline std::string_view text(const uint8_t* data, size_t size) {
    return {reinterpret_cast<const char*>(data), size};
}

/// A folder in memory, of this process; caches and what the user keeps are there, too.
inline const fs::path& folder() {
    static const fs::path own = [] {
        const fs::path p = fs::path("/dev/shm") / ("vemtra-fuzz-" + std::to_string(::getpid()));
        fs::create_directories(p);
        for (const char* kind : {"DATA", "CACHE", "CONFIG"})
            ::setenv((std::string("XDG_") + kind + "_HOME").c_str(), (p / kind).c_str(), 1);
        std::atexit([] {
            std::error_code ec;
            fs::remove_all(folder(), ec);
        });
        return p;
    }();
    return own;
}

/// For readers of the image library, which take paths.
inline fs::path file(const std::string& name, const uint8_t* data, size_t size) {
    const fs::path path = folder() / name;
    std::ofstream(path, std::ios::binary | std::ios::trunc)
        .write(reinterpret_cast<const char*>(data), std::streamsize(size));
    return path;
}

}  // namespace vemtra::fuzz

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size);
