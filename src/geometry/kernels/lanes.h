// Sixteen numbers at once, by the instructions that the build is for. Masks are bits, lane 0 the lowest.
#pragma once
#include <immintrin.h>

#include <cstdint>

#ifndef VEMTRA_ISA
#define VEMTRA_ISA avx2
#endif

namespace vemtra::geometry::VEMTRA_ISA {
namespace {

using Mask = uint32_t;

#if defined(__AVX512F__)

struct Floats {
    __m512 v;
};
struct Ints {
    __m512i v;
};
inline Floats both(float x) {
    return {_mm512_set1_ps(x)};
}
inline Ints both(int x) {
    return {_mm512_set1_epi32(x)};
}
inline Floats load(const float* p) {
    return {_mm512_loadu_ps(p)};
}
inline Ints load(const int* p) {
    return {_mm512_loadu_si512(p)};
}
inline void store(int* p, Ints x) {
    _mm512_storeu_si512(p, x.v);
}
inline void store(float* p, Floats x) {
    _mm512_storeu_ps(p, x.v);
}
inline Floats operator+(Floats a, Floats b) {
    return {_mm512_add_ps(a.v, b.v)};
}
inline Floats operator-(Floats a, Floats b) {
    return {_mm512_sub_ps(a.v, b.v)};
}
inline Floats operator*(Floats a, Floats b) {
    return {_mm512_mul_ps(a.v, b.v)};
}
inline Floats operator/(Floats a, Floats b) {
    return {_mm512_div_ps(a.v, b.v)};
}
/// a * b + c with one rounding: for boxes, never for what must come out the same on both sides of a seam.
inline Floats fused(Floats a, Floats b, Floats c) {
    return {_mm512_fmadd_ps(a.v, b.v, c.v)};
}
inline Floats least(Floats a, Floats b) {
    return {_mm512_min_ps(a.v, b.v)};
}
inline Floats most(Floats a, Floats b) {
    return {_mm512_max_ps(a.v, b.v)};
}
inline Mask less(Floats a, Floats b) {
    return _mm512_cmp_ps_mask(a.v, b.v, _CMP_LT_OQ);
}
inline Mask at_most(Floats a, Floats b) {
    return _mm512_cmp_ps_mask(a.v, b.v, _CMP_LE_OQ);
}
inline Mask unlike(Floats a, Floats b) {
    return _mm512_cmp_ps_mask(a.v, b.v, _CMP_NEQ_OQ);
}
inline Floats choose(Mask m, Floats a, Floats b) {
    return {_mm512_mask_blend_ps(__mmask16(m), b.v, a.v)};
}
inline Ints operator+(Ints a, Ints b) {
    return {_mm512_add_epi32(a.v, b.v)};
}
inline Ints operator-(Ints a, Ints b) {
    return {_mm512_sub_epi32(a.v, b.v)};
}
inline Ints operator*(Ints a, Ints b) {
    return {_mm512_mullo_epi32(a.v, b.v)};
}
inline Ints least(Ints a, Ints b) {
    return {_mm512_min_epi32(a.v, b.v)};
}
inline Ints most(Ints a, Ints b) {
    return {_mm512_max_epi32(a.v, b.v)};
}
inline Ints shifted(Ints a, int right) {
    return {_mm512_srl_epi32(a.v, _mm_cvtsi32_si128(right))};
}
inline Mask less(Ints a, Ints b) {
    return _mm512_cmp_epi32_mask(a.v, b.v, _MM_CMPINT_LT);
}
inline Ints choose(Mask m, Ints a, Ints b) {
    return {_mm512_mask_blend_epi32(__mmask16(m), b.v, a.v)};
}
inline Floats as_floats(Ints a) {
    return {_mm512_cvtepi32_ps(a.v)};
}
inline Ints truncated(Floats a) {
    return {_mm512_cvttps_epi32(a.v)};
}
inline Floats floor_of(Floats a) {
    return {_mm512_roundscale_ps(a.v, _MM_FROUND_TO_NEG_INF | _MM_FROUND_NO_EXC)};
}
inline Floats from_codes(const uint16_t* p) {
    return {_mm512_cvtepi32_ps(_mm512_cvtepu16_epi32(_mm256_loadu_si256(reinterpret_cast<const __m256i*>(p))))};
}
/// Codes at these indices; two bytes beyond each may be read.
inline Ints codes_at(const uint16_t* p, Ints i) {
    return {_mm512_and_si512(_mm512_i32gather_epi32(i.v, p, 2), _mm512_set1_epi32(0xffff))};
}
inline Floats floats_at(const float* p, Ints i) {
    return {_mm512_i32gather_ps(i.v, p, 4)};
}
/// Two codes at once, at these indices and the next ones.
inline Ints pairs_at(const uint16_t* p, Ints i) {
    return {_mm512_i32gather_epi32(i.v, p, 2)};
}
inline Ints first_of(Ints pairs) {
    return {_mm512_and_si512(pairs.v, _mm512_set1_epi32(0xffff))};
}
inline Ints second_of(Ints pairs) {
    return {_mm512_srli_epi32(pairs.v, 16)};
}
/// Lane i of the result is lane index[i] of x.
inline Floats permuted(Floats x, Ints index) {
    return {_mm512_permutexvar_ps(index.v, x.v)};
}

#else

struct Floats {
    __m256 a, b;
};
struct Ints {
    __m256i a, b;
};
inline Floats both(float x) {
    return {_mm256_set1_ps(x), _mm256_set1_ps(x)};
}
inline Ints both(int x) {
    return {_mm256_set1_epi32(x), _mm256_set1_epi32(x)};
}
inline Floats load(const float* p) {
    return {_mm256_loadu_ps(p), _mm256_loadu_ps(p + 8)};
}
inline Ints load(const int* p) {
    return {_mm256_loadu_si256(reinterpret_cast<const __m256i*>(p)),
            _mm256_loadu_si256(reinterpret_cast<const __m256i*>(p + 8))};
}
inline void store(int* p, Ints x) {
    _mm256_storeu_si256(reinterpret_cast<__m256i*>(p), x.a);
    _mm256_storeu_si256(reinterpret_cast<__m256i*>(p + 8), x.b);
}
inline void store(float* p, Floats x) {
    _mm256_storeu_ps(p, x.a);
    _mm256_storeu_ps(p + 8, x.b);
}
inline Floats operator+(Floats x, Floats y) {
    return {_mm256_add_ps(x.a, y.a), _mm256_add_ps(x.b, y.b)};
}
inline Floats operator-(Floats x, Floats y) {
    return {_mm256_sub_ps(x.a, y.a), _mm256_sub_ps(x.b, y.b)};
}
inline Floats operator*(Floats x, Floats y) {
    return {_mm256_mul_ps(x.a, y.a), _mm256_mul_ps(x.b, y.b)};
}
inline Floats operator/(Floats x, Floats y) {
    return {_mm256_div_ps(x.a, y.a), _mm256_div_ps(x.b, y.b)};
}
inline Floats fused(Floats x, Floats y, Floats z) {
    return {_mm256_fmadd_ps(x.a, y.a, z.a), _mm256_fmadd_ps(x.b, y.b, z.b)};
}
inline Floats least(Floats x, Floats y) {
    return {_mm256_min_ps(x.a, y.a), _mm256_min_ps(x.b, y.b)};
}
inline Floats most(Floats x, Floats y) {
    return {_mm256_max_ps(x.a, y.a), _mm256_max_ps(x.b, y.b)};
}
inline Mask bits(__m256 a, __m256 b) {
    return Mask(_mm256_movemask_ps(a)) | Mask(_mm256_movemask_ps(b)) << 8;
}
inline Mask less(Floats x, Floats y) {
    return bits(_mm256_cmp_ps(x.a, y.a, _CMP_LT_OQ), _mm256_cmp_ps(x.b, y.b, _CMP_LT_OQ));
}
inline Mask at_most(Floats x, Floats y) {
    return bits(_mm256_cmp_ps(x.a, y.a, _CMP_LE_OQ), _mm256_cmp_ps(x.b, y.b, _CMP_LE_OQ));
}
inline Mask unlike(Floats x, Floats y) {
    return bits(_mm256_cmp_ps(x.a, y.a, _CMP_NEQ_OQ), _mm256_cmp_ps(x.b, y.b, _CMP_NEQ_OQ));
}
inline __m256i wide(Mask m) {  // of the lowest eight bits
    const __m256i bit = _mm256_setr_epi32(1, 2, 4, 8, 16, 32, 64, 128);
    return _mm256_cmpeq_epi32(_mm256_and_si256(_mm256_set1_epi32(int(m)), bit), bit);
}
inline Floats choose(Mask m, Floats x, Floats y) {
    return {_mm256_blendv_ps(y.a, x.a, _mm256_castsi256_ps(wide(m))),
            _mm256_blendv_ps(y.b, x.b, _mm256_castsi256_ps(wide(m >> 8)))};
}
inline Ints operator+(Ints x, Ints y) {
    return {_mm256_add_epi32(x.a, y.a), _mm256_add_epi32(x.b, y.b)};
}
inline Ints operator-(Ints x, Ints y) {
    return {_mm256_sub_epi32(x.a, y.a), _mm256_sub_epi32(x.b, y.b)};
}
inline Ints operator*(Ints x, Ints y) {
    return {_mm256_mullo_epi32(x.a, y.a), _mm256_mullo_epi32(x.b, y.b)};
}
inline Ints least(Ints x, Ints y) {
    return {_mm256_min_epi32(x.a, y.a), _mm256_min_epi32(x.b, y.b)};
}
inline Ints most(Ints x, Ints y) {
    return {_mm256_max_epi32(x.a, y.a), _mm256_max_epi32(x.b, y.b)};
}
inline Ints shifted(Ints x, int right) {
    const __m128i by = _mm_cvtsi32_si128(right);
    return {_mm256_srl_epi32(x.a, by), _mm256_srl_epi32(x.b, by)};
}
inline Mask less(Ints x, Ints y) {
    return bits(_mm256_castsi256_ps(_mm256_cmpgt_epi32(y.a, x.a)), _mm256_castsi256_ps(_mm256_cmpgt_epi32(y.b, x.b)));
}
inline Ints choose(Mask m, Ints x, Ints y) {
    return {_mm256_blendv_epi8(y.a, x.a, wide(m)), _mm256_blendv_epi8(y.b, x.b, wide(m >> 8))};
}
inline Floats as_floats(Ints x) {
    return {_mm256_cvtepi32_ps(x.a), _mm256_cvtepi32_ps(x.b)};
}
inline Ints truncated(Floats x) {
    return {_mm256_cvttps_epi32(x.a), _mm256_cvttps_epi32(x.b)};
}
inline Floats floor_of(Floats x) {
    return {_mm256_floor_ps(x.a), _mm256_floor_ps(x.b)};
}
inline Floats from_codes(const uint16_t* p) {
    const auto* q = reinterpret_cast<const __m128i*>(p);
    return {_mm256_cvtepi32_ps(_mm256_cvtepu16_epi32(_mm_loadu_si128(q))),
            _mm256_cvtepi32_ps(_mm256_cvtepu16_epi32(_mm_loadu_si128(q + 1)))};
}
inline Ints codes_at(const uint16_t* p, Ints i) {
    const __m256i low = _mm256_set1_epi32(0xffff);
    const int* q = reinterpret_cast<const int*>(p);
    return {_mm256_and_si256(_mm256_i32gather_epi32(q, i.a, 2), low),
            _mm256_and_si256(_mm256_i32gather_epi32(q, i.b, 2), low)};
}
inline Floats floats_at(const float* p, Ints i) {
    return {_mm256_i32gather_ps(p, i.a, 4), _mm256_i32gather_ps(p, i.b, 4)};
}
inline Ints pairs_at(const uint16_t* p, Ints i) {
    const int* q = reinterpret_cast<const int*>(p);
    return {_mm256_i32gather_epi32(q, i.a, 2), _mm256_i32gather_epi32(q, i.b, 2)};
}
inline Ints first_of(Ints pairs) {
    const __m256i low = _mm256_set1_epi32(0xffff);
    return {_mm256_and_si256(pairs.a, low), _mm256_and_si256(pairs.b, low)};
}
inline Ints second_of(Ints pairs) {
    return {_mm256_srli_epi32(pairs.a, 16), _mm256_srli_epi32(pairs.b, 16)};
}
inline __m256 permuted_half(Floats x, __m256i index) {
    const __m256 upper = _mm256_castsi256_ps(_mm256_slli_epi32(index, 28));  // the sign says which half it lies in
    return _mm256_blendv_ps(_mm256_permutevar8x32_ps(x.a, index), _mm256_permutevar8x32_ps(x.b, index), upper);
}
inline Floats permuted(Floats x, Ints index) {
    return {permuted_half(x, index.a), permuted_half(x, index.b)};
}

#endif

inline Floats operator+(Floats a, float b) {
    return a + both(b);
}
inline Floats operator-(Floats a, float b) {
    return a - both(b);
}
inline Floats operator*(Floats a, float b) {
    return a * both(b);
}

}  // namespace
}  // namespace vemtra::geometry::VEMTRA_ISA
