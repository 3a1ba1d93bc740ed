// The number types that every floor shares. Vectors are Imath's; colours are linear Rec.709 triples unless a name says
// otherwise.
#pragma once
#include <Imath/ImathBox.h>
#include <Imath/ImathMatrix.h>
#include <Imath/ImathVec.h>

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace vemtra {

using V2f = Imath::V2f;
using V3f = Imath::V3f;
using V4f = Imath::V4f;
using M44f = Imath::M44f;
using Box3f = Imath::Box3f;

inline constexpr float pi = 3.14159265358979323846f;
inline constexpr float inverse_pi = 1.f / pi;

inline float luminance(const V3f& linear_rec709) {
    return 0.2126f * linear_rec709.x + 0.7152f * linear_rec709.y + 0.0722f * linear_rec709.z;  // ITU-R BT.709, 3.2
}
inline float max_component(const V3f& v) {
    return std::max(v.x, std::max(v.y, v.z));
}
inline bool finite(const V3f& v) {
    return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z);
}
inline float clamp01(float x) {
    return std::min(1.f, std::max(0.f, x));
}
inline float lerp(float a, float b, float t) {
    return a + (b - a) * t;
}
inline float radians(float degrees) {
    return degrees * (pi / 180.f);
}

/// Row vectors under an affine matrix: a point, a step (no translation), and a step under the transpose of the linear
/// part.
inline V3f moved(const V3f& p, const M44f& m) {
    return {p.x * m[0][0] + p.y * m[1][0] + p.z * m[2][0] + m[3][0],
            p.x * m[0][1] + p.y * m[1][1] + p.z * m[2][1] + m[3][1],
            p.x * m[0][2] + p.y * m[1][2] + p.z * m[2][2] + m[3][2]};
}
inline V3f turned(const V3f& d, const M44f& m) {
    return {d.x * m[0][0] + d.y * m[1][0] + d.z * m[2][0], d.x * m[0][1] + d.y * m[1][1] + d.z * m[2][1],
            d.x * m[0][2] + d.y * m[1][2] + d.z * m[2][2]};
}
inline V3f turned_by_transpose(const V3f& d, const M44f& m) {
    return {d.x * m[0][0] + d.y * m[0][1] + d.z * m[0][2], d.x * m[1][0] + d.y * m[1][1] + d.z * m[1][2],
            d.x * m[2][0] + d.y * m[2][1] + d.z * m[2][2]};
}

/// The dual basis of two vectors in their plane: d1 . e1 = 1, d1 . e2 = 0, and the other way round. False where they
/// span no area.
inline bool dual_basis(const V3f& e1, const V3f& e2, V3f& d1, V3f& d2) {
    const float a = e1.dot(e1);
    const float b = e1.dot(e2);
    const float c = e2.dot(e2);
    const float d = a * c - b * b;
    if (!(d > 0.f)) return false;
    d1 = (e1 * c - e2 * b) / d;
    d2 = (e2 * a - e1 * b) / d;
    return true;
}

/// An orthonormal frame around a unit vector, without a singularity (Duff et al. 2017, "Building an Orthonormal Basis,
/// Revisited").
struct Frame {
    V3f tangent, bitangent, normal;
    explicit Frame(const V3f& n) : normal(n) {
        const float sign = std::copysign(1.f, n.z);
        const float a = -1.f / (sign + n.z);
        const float b = n.x * n.y * a;
        tangent = V3f(1.f + sign * n.x * n.x * a, sign * b, -sign * n.x);
        bitangent = V3f(b, sign + n.y * n.y * a, -n.y);
    }
    V3f to_world(const V3f& v) const { return tangent * v.x + bitangent * v.y + normal * v.z; }
    V3f to_local(const V3f& v) const { return {v.dot(tangent), v.dot(bitangent), v.dot(normal)}; }
};

/// Sine and cosine of 2 pi u for 0 <= u <= 1, to 2e-6, without branches, so that loops over it become vector code: the
/// quarter turn nearest to u is taken off, and Taylor polynomials of the rest (|x| <= pi/4) are swapped and signed by
/// the quarter.
inline void sincos_turn(float u, float& sine, float& cosine) {
    const int q = (int(8.f * u) + 1) >> 1;
    const float x = (u - .25f * float(q)) * (2.f * pi);
    const float x2 = x * x;
    const float s = x * (1.f + x2 * (-1.f / 6.f + x2 * (1.f / 120.f - x2 * (1.f / 5040.f))));
    const float c = 1.f + x2 * (-.5f + x2 * (1.f / 24.f + x2 * (-1.f / 720.f + x2 * (1.f / 40320.f))));
    const float a = q & 1 ? c : s;
    const float b = q & 1 ? s : c;
    sine = q & 2 ? -a : a;
    cosine = (q + 1) & 2 ? -b : b;
}

/// The transfer function of IEC 61966-2-1 (sRGB), both ways, for one component.
inline float srgb_to_linear(float c) {
    return c <= 0.04045f ? c / 12.92f : std::pow((c + 0.055f) / 1.055f, 2.4f);
}
inline float linear_to_srgb(float c) {
    return c <= 0.0031308f ? c * 12.92f : 1.055f * std::pow(c, 1.f / 2.4f) - 0.055f;
}

}  // namespace vemtra
