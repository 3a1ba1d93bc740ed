// The number types that every floor shares. Vectors are Imath's; colours are linear Rec.709 triples unless a name says otherwise.
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
using M44f = Imath::M44f;
using Box3f = Imath::Box3f;

inline constexpr float pi = 3.14159265358979323846f;
inline constexpr float inverse_pi = 1.f / pi;

inline float luminance(const V3f& linear_rec709) {
    return 0.2126f * linear_rec709.x + 0.7152f * linear_rec709.y + 0.0722f * linear_rec709.z;  // ITU-R BT.709, 3.2
}
inline float max_component(const V3f& v) { return std::max(v.x, std::max(v.y, v.z)); }
inline bool finite(const V3f& v) { return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z); }
inline float clamp01(float x) { return std::min(1.f, std::max(0.f, x)); }
inline float lerp(float a, float b, float t) { return a + (b - a) * t; }
inline float radians(float degrees) { return degrees * (pi / 180.f); }

/// An orthonormal frame around a unit vector, without a singularity (Duff et al. 2017, "Building an Orthonormal Basis, Revisited").
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

/// Sine and cosine of 2 pi u for 0 <= u <= 1, to 2e-6, without branches, so that loops over it become vector code: the quarter turn nearest
/// to u is taken off, and Taylor polynomials of the rest (|x| <= pi/4) are swapped and signed by the quarter.
inline void sincos_turn(float u, float& sine, float& cosine) {
    const int q = int(4.f * u + .5f);
    const float x = (u - .25f * float(q)) * (2.f * pi), x2 = x * x;
    const float s = x * (1.f + x2 * (-1.f / 6.f + x2 * (1.f / 120.f - x2 * (1.f / 5040.f))));
    const float c = 1.f + x2 * (-.5f + x2 * (1.f / 24.f + x2 * (-1.f / 720.f + x2 * (1.f / 40320.f))));
    const float a = q & 1 ? c : s, b = q & 1 ? s : c;
    sine = q & 2 ? -a : a;
    cosine = (q + 1) & 2 ? -b : b;
}

/// The transfer function of IEC 61966-2-1 (sRGB), both ways, for one component.
inline float srgb_to_linear(float c) { return c <= 0.04045f ? c / 12.92f : std::pow((c + 0.055f) / 1.055f, 2.4f); }
inline float linear_to_srgb(float c) { return c <= 0.0031308f ? c * 12.92f : 1.055f * std::pow(c, 1.f / 2.4f) - 0.055f; }

}  // namespace vemtra
