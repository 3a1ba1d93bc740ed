// The lattice hash of MaterialX's noises: Bob Jenkins' lookup3 mixing (2006), seed 0xdeadbeef + (n << 2) + 13 for n
// keys.
#pragma once
#include "nodes/kernel.h"

#define VEMTRA_INLINE inline __attribute__((always_inline))

namespace vemtra::nodes::VEMTRA_ISA {

VEMTRA_INLINE uint32_t rotl(uint32_t x, int k) {
    return (x << k) | (x >> (32 - k));
}

VEMTRA_INLINE uint32_t bjfinal(uint32_t a, uint32_t b, uint32_t c) {
    c ^= b;
    c -= rotl(b, 14);
    a ^= c;
    a -= rotl(c, 11);
    b ^= a;
    b -= rotl(a, 25);
    c ^= b;
    c -= rotl(b, 16);
    a ^= c;
    a -= rotl(c, 4);
    b ^= a;
    b -= rotl(a, 14);
    c ^= b;
    c -= rotl(b, 24);
    return c;
}

VEMTRA_INLINE uint32_t hash2(int x, int y) {
    const uint32_t s = 0xdeadbeefu + (2u << 2) + 13u;
    return bjfinal(s + uint32_t(x), s + uint32_t(y), s);
}

VEMTRA_INLINE uint32_t hash3(int x, int y, int z) {
    const uint32_t s = 0xdeadbeefu + (3u << 2) + 13u;
    return bjfinal(s + uint32_t(x), s + uint32_t(y), s + uint32_t(z));
}

VEMTRA_INLINE uint32_t hash4(int x, int y, int z, int w) {
    const uint32_t s = 0xdeadbeefu + (4u << 2) + 13u;
    uint32_t a = s + uint32_t(x);
    uint32_t b = s + uint32_t(y);
    uint32_t c = s + uint32_t(z);
    a -= c;
    a ^= rotl(c, 4);
    c += b;
    b -= a;
    b ^= rotl(a, 6);
    a += c;
    c -= b;
    c ^= rotl(b, 8);
    b += a;
    a -= c;
    a ^= rotl(c, 16);
    c += b;
    b -= a;
    b ^= rotl(a, 19);
    a += c;
    c -= b;
    c ^= rotl(b, 4);
    b += a;
    return bjfinal(a + uint32_t(w), b, c);
}

/// The hash as a number in 0..1.
VEMTRA_INLINE float to_unit(uint32_t h) {
    // An unsigned 32-bit conversion has no AVX2 instruction: take the two halves, each exact, and round once.
    const float high = float(int(h >> 16));
    const float low = float(int(h & 0xffffu));
    return (high * 65536.f + low) * (1.f / 4294967295.f);
}

}  // namespace vemtra::nodes::VEMTRA_ISA
