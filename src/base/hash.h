// Integer hashing for seeds and cache keys. Not for security.
#pragma once
#include <cstdint>
#include <cstring>
#include <string_view>

namespace vemtra {

/// A well-mixed 32-bit permutation ("lowbias32", Wellons 2018, found by exhaustive search for low bias).
inline uint32_t mix32(uint32_t x) {
    x ^= x >> 16;
    x *= 0x7feb352dU;
    x ^= x >> 15;
    x *= 0x846ca68bU;
    x ^= x >> 16;
    return x;
}
inline uint32_t combine(uint32_t seed, uint32_t value) {
    return mix32(seed ^ (value + 0x9e3779b9U + (seed << 6) + (seed >> 2)));
}

/// 64-bit content hash over eight bytes at a time, mixed as in splitmix64 (Steele et al. 2014).
inline uint64_t hash_bytes(const void* data, size_t size, uint64_t seed = 0x9e3779b97f4a7c15ULL) {
    auto mix = [](uint64_t h) {
        h = (h ^ (h >> 30)) * 0xbf58476d1ce4e5b9ULL;
        h = (h ^ (h >> 27)) * 0x94d049bb133111ebULL;
        return h ^ (h >> 31);
    };
    const auto* p = static_cast<const unsigned char*>(data);
    uint64_t h = mix(seed + size);
    for (; size >= 8; size -= 8, p += 8) {
        uint64_t w;
        std::memcpy(&w, p, 8);
        h = mix(h ^ w) + 0x9e3779b97f4a7c15ULL;
    }
    uint64_t tail = 0;
    if (size) std::memcpy(&tail, p, size);
    return mix(h ^ tail);
}
inline uint64_t hash_text(std::string_view text, uint64_t seed = 0) {
    return hash_bytes(text.data(), text.size(), seed + 1);
}

}  // namespace vemtra
