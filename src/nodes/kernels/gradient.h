// Gradient noise of MaterialX 1.39 (Perlin 1985) with the quintic fade of Perlin 2002: in space with gradients to the
// edges of the cube, scaled by 0.9820; in the plane with eight gradients, scaled by 0.6616. One lane of the vector is
// one point; the gradient is chosen with masks, not branches, so that the compiler turns whole loops into vector code.
//   X Y Z   lattice cell      x y z   position in it      s t r   faded position      h   hash of a corner
#pragma once
#include "nodes/kernels/hash.h"

namespace vemtra::nodes::VEMTRA_ISA {

VEMTRA_INLINE float bits(uint32_t u) {
    return __builtin_bit_cast(float, u);
}
VEMTRA_INLINE uint32_t bits(float f) {
    return __builtin_bit_cast(uint32_t, f);
}

/// The dot product of (x, y, z) with the cube edge number h & 15: u is x or y, v is y, x or z, signs from the two
/// lowest bits.
VEMTRA_INLINE float gradient(uint32_t h, float x, float y, float z) {
    const uint32_t k = h & 15u;
    const float u = k < 8u ? x : y;
    const float w = (k | 2u) == 14u ? x : z;  // 12 and 14
    const float v = k < 4u ? y : w;
    return bits(bits(u) ^ (h << 31)) + bits(bits(v) ^ ((h & 2u) << 30));
}

VEMTRA_INLINE float fade(float t) {
    return t * t * t * (t * (t * 6.f - 15.f) + 10.f);
}

/// `Shift` selects which byte of the hash names the gradient: 0 for float noise and x, 8 for y, 16 for z. Places are in
/// reach.
template <int Shift> VEMTRA_INLINE float noise_at(float px, float py, float pz) {
    const int X = floor_to_int(px);
    const int Y = floor_to_int(py);
    const int Z = floor_to_int(pz);
    const float x = px - float(X);
    const float y = py - float(Y);
    const float z = pz - float(Z);
    const float s = fade(x);
    const float t = fade(y);
    const float r = fade(z);
    const float s1 = 1.f - s;
    const float t1 = 1.f - t;
    const float r1 = 1.f - r;
    const float v0 = gradient(hash3(X, Y, Z) >> Shift, x, y, z);
    const float v1 = gradient(hash3(X + 1, Y, Z) >> Shift, x - 1.f, y, z);
    const float v2 = gradient(hash3(X, Y + 1, Z) >> Shift, x, y - 1.f, z);
    const float v3 = gradient(hash3(X + 1, Y + 1, Z) >> Shift, x - 1.f, y - 1.f, z);
    const float v4 = gradient(hash3(X, Y, Z + 1) >> Shift, x, y, z - 1.f);
    const float v5 = gradient(hash3(X + 1, Y, Z + 1) >> Shift, x - 1.f, y, z - 1.f);
    const float v6 = gradient(hash3(X, Y + 1, Z + 1) >> Shift, x, y - 1.f, z - 1.f);
    const float v7 = gradient(hash3(X + 1, Y + 1, Z + 1) >> Shift, x - 1.f, y - 1.f, z - 1.f);
    const float value = r1 * (t1 * (v0 * s1 + v1 * s) + t * (v2 * s1 + v3 * s)) +
                        r * (t1 * (v4 * s1 + v5 * s) + t * (v6 * s1 + v7 * s));
    return value * 0.9820f;
}

/// The same in the plane: u is x or y, v twice the other.
VEMTRA_INLINE float gradient(uint32_t h, float x, float y) {
    const uint32_t k = h & 7u;
    const float u = k < 4u ? x : y;
    const float v = 2.f * (k < 4u ? y : x);
    return bits(bits(u) ^ (h << 31)) + bits(bits(v) ^ ((h & 2u) << 30));
}
template <int Shift> VEMTRA_INLINE float noise_at(float px, float py) {
    const int X = floor_to_int(px);
    const int Y = floor_to_int(py);
    const float x = px - float(X);
    const float y = py - float(Y);
    const float s = fade(x);
    const float t = fade(y);
    const float v0 = gradient(hash2(X, Y) >> Shift, x, y);
    const float v1 = gradient(hash2(X + 1, Y) >> Shift, x - 1.f, y);
    const float v2 = gradient(hash2(X, Y + 1) >> Shift, x, y - 1.f);
    const float v3 = gradient(hash2(X + 1, Y + 1) >> Shift, x - 1.f, y - 1.f);
    const float value = (1.f - t) * (v0 * (1.f - s) + v1 * s) + t * (v2 * (1.f - s) + v3 * s);
    return value * 0.6616f;
}

/// A few points of a batch with what is summed at them: they stay in the first-level cache over the octaves.
struct Octaves {
    static constexpr int piece = 64;
    float at[3][piece];
    float weight[piece];
    float sum[piece];
};

/// Whether every octave's places are certainly in reach; a place that is no number is not.
template <int Dimension>
VEMTRA_INLINE bool all_in_reach(Octaves& f, int n, int octaves, const float* __restrict lacunarity) {
    float* __restrict farthest = f.weight;
    for (int i = 0; i < n; ++i) {
        farthest[i] = __builtin_fabsf(f.at[0][i]);
        for (int c = 1; c < Dimension; ++c) farthest[i] += __builtin_fabsf(f.at[c][i]);
    }
    for (int o = 1; o < octaves; ++o)
        for (int i = 0; i < n; ++i) farthest[i] *= max_of(1.f, __builtin_fabsf(lacunarity[i]));  // or no number
    int beyond = 0;
    for (int i = 0; i < n; ++i) beyond |= int(in_reach(farthest[i]) != farthest[i]);
    return !beyond;
}

template <int Dimension, int Shift, bool InReach>
VEMTRA_INLINE void add_octaves(Octaves& f, int n, int octaves, const float* __restrict lacunarity,
                               const float* __restrict diminish) {
    for (int i = 0; i < n; ++i) f.weight[i] = 1.f, f.sum[i] = 0.f;
    for (int o = 0; o < octaves; ++o)
        for (int i = 0; i < n; ++i) {
            float p[Dimension];
            for (int c = 0; c < Dimension; ++c) p[c] = InReach ? f.at[c][i] : in_reach(f.at[c][i]);
            if constexpr (Dimension == 2)
                f.sum[i] += f.weight[i] * noise_at<Shift>(p[0], p[1]);
            else
                f.sum[i] += f.weight[i] * noise_at<Shift>(p[0], p[1], p[2]);
            const float l = lacunarity[i];
            f.weight[i] *= diminish[i];
            for (int c = 0; c < Dimension; ++c) f.at[c][i] *= l;
        }
}

/// Sums `octaves` of noise from f.at on into f.sum, each `lacunarity` times finer than the one before and `diminish`
/// times as high. Bounds in every octave would cost a tenth of it, and hardly a piece needs them.
template <int Dimension, int Shift>
VEMTRA_INLINE void sum_octaves(Octaves& f, int n, int octaves, const float* __restrict lacunarity,
                               const float* __restrict diminish) {
    if (all_in_reach<Dimension>(f, n, octaves, lacunarity))
        add_octaves<Dimension, Shift, true>(f, n, octaves, lacunarity, diminish);
    else
        add_octaves<Dimension, Shift, false>(f, n, octaves, lacunarity, diminish);
}

}  // namespace vemtra::nodes::VEMTRA_ISA
