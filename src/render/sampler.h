// Owen-scrambled Sobol points, two dimensions at a time, padded by shuffling the index (Burley 2020, "Practical
// Hash-based Owen Scrambling"). Pixels are decorrelated by their seed. Written so that loops over pixels become vector
// code.
//   dimension 0 of Sobol is the bit reversal of the index; dimension 1 is Pascal's triangle modulo 2 applied to it
//   Owen scrambling is Laine and Karras' hash on the reversed bits, with Vegdahl's constants
#pragma once
#include "base/hash.h"

namespace vemtra::render {

// Always inlined, all of it: a call that stays out of line keeps the loops over pixels scalar.
#define VEMTRA_ALWAYS __attribute__((always_inline)) inline

VEMTRA_ALWAYS uint32_t reverse_bits(uint32_t x) {
    x = ((x & 0x55555555u) << 1) | ((x >> 1) & 0x55555555u);
    x = ((x & 0x33333333u) << 2) | ((x >> 2) & 0x33333333u);
    x = ((x & 0x0f0f0f0fu) << 4) | ((x >> 4) & 0x0f0f0f0fu);
    x = ((x & 0x00ff00ffu) << 8) | ((x >> 8) & 0x00ff00ffu);
    return (x << 16) | (x >> 16);
}
VEMTRA_ALWAYS uint32_t laine_karras(uint32_t x, uint32_t seed) {
    x ^= x * 0x3d20adeau;
    x += seed;
    x *= (seed >> 16) | 1u;
    x ^= x * 0x05526c56u;
    x ^= x * 0x53a22864u;
    return x;
}
VEMTRA_ALWAYS uint32_t pascal(uint32_t x) {  // the Kronecker power of [[1, 1], [0, 1]] over the bits of the index
    x ^= (x >> 1) & 0x55555555u;
    x ^= (x >> 2) & 0x33333333u;
    x ^= (x >> 4) & 0x0f0f0f0fu;
    x ^= (x >> 8) & 0x00ff00ffu;
    x ^= (x >> 16) & 0x0000ffffu;
    return x;
}
VEMTRA_ALWAYS float unit_float(uint32_t x) {
    return float(int(x >> 8)) * 0x1p-24f;
}  // 0 <= u < 1

/// Sample number `index` of the pair of dimensions `pair` for the pixel with this seed.
VEMTRA_ALWAYS void sample_2d(uint32_t pixel_seed, uint32_t index, uint32_t pair, float& u, float& v) {
    const uint32_t seed = mix32(pixel_seed + pair * 0x9e3779b9u);
    const uint32_t i = reverse_bits(laine_karras(reverse_bits(index), seed));
    u = unit_float(reverse_bits(laine_karras(i, mix32(seed + 1u))));
    v = unit_float(reverse_bits(laine_karras(pascal(i), mix32(seed + 2u))));
}

#undef VEMTRA_ALWAYS

inline uint32_t pixel_seed(uint32_t x, uint32_t y, uint32_t seed) {
    return mix32(x + mix32(y + mix32(seed + 0x51ed270bu)));
}

}  // namespace vemtra::render
