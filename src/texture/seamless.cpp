#include "texture/seamless.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "base/hash.h"

namespace vemtra::texture {
namespace {

constexpr float deviation = 1.f / 6.f;

/// Quantile of the normal distribution (Giles 2010, "Approximating the erfinv function", single precision).
float normal_quantile(float p) {
    const float x = std::clamp(2.f * p - 1.f, -.999999f, .999999f);
    float w = -std::log((1.f - x) * (1.f + x));
    float r;
    if (w < 5.f) {
        w -= 2.5f;
        r = 2.81022636e-08f;
        for (float c : {3.43273939e-07f, -3.5233877e-06f, -4.39150654e-06f, .00021858087f, -.00125372503f,
                        -.00417768164f, .246640727f, 1.50140941f})
            r = c + r * w;
    } else {
        w = std::sqrt(w) - 3.f;
        r = -.000200214257f;
        for (float c : {.000100950558f, .00134934322f, -.00367342844f, .00573950773f, -.0076224613f, .00943887047f,
                        1.00167406f, 2.83297682f})
            r = c + r * w;
    }
    return 1.41421356f * r * x;
}

}  // namespace

Tones::Tones(std::vector<float> values) {
    if (values.empty()) return;
    std::sort(values.begin(), values.end());
    for (int i = 0; i <= steps; ++i)
        value_at_[size_t(i)] =
            values[std::min(values.size() - 1, size_t(double(i) / steps * double(values.size() - 1) + .5))];
}

float Tones::to_normal(float value) const {
    // Of equal values the middle rank.
    const auto low = std::lower_bound(value_at_.begin(), value_at_.end(), value);
    const auto high = std::upper_bound(low, value_at_.end(), value);
    float rank;
    if (low != high)
        rank = .5f * float((low - value_at_.begin()) + (high - value_at_.begin()) - 1);
    else if (low == value_at_.begin())
        rank = 0.f;
    else if (low == value_at_.end())
        rank = steps;
    else
        rank = float(low - value_at_.begin()) - (*low - value) / (*low - *(low - 1));
    return .5f + deviation * normal_quantile(std::clamp(rank / steps, .5f / steps, 1.f - .5f / steps));
}

float Tones::from_normal(float g) const {
    if (!std::isfinite(g)) g = .5f;
    const float p = .5f * std::erfc(-(g - .5f) / deviation * .70710678f);
    const float rank = std::clamp(p, 0.f, 1.f) * steps;
    const int i = std::min(int(rank), steps - 1);
    const float t = rank - float(i);
    return value_at_[size_t(i)] * (1.f - t) + value_at_[size_t(i) + 1] * t;
}

Copies copies_at(float u, float v) {
    // The triangle grid: a skewed square one, cut along its diagonals.
    constexpr float density = 3.4641016f;
    const float x = (u - .57735027f * v) * density;
    const float y = 1.1547005f * v * density;
    const float fx = std::floor(x);
    const float fy = std::floor(y);
    const float a = x - fx;
    const float b = y - fy;
    const int ix = int(fx);
    const int iy = int(fy);
    int cx[3];
    int cy[3];
    Copies c;
    if (a + b < 1.f) {
        cx[0] = ix, cy[0] = iy, c.weight[0] = 1.f - a - b;
        cx[1] = ix, cy[1] = iy + 1, c.weight[1] = b;
        cx[2] = ix + 1, cy[2] = iy, c.weight[2] = a;
    } else {
        cx[0] = ix + 1, cy[0] = iy + 1, c.weight[0] = a + b - 1.f;
        cx[1] = ix + 1, cy[1] = iy, c.weight[1] = 1.f - b;
        cx[2] = ix, cy[2] = iy + 1, c.weight[2] = 1.f - a;
    }
    for (int k = 0; k < 3; ++k) {
        const uint32_t h = mix32(uint32_t(cx[k]) * 0x8da6b343u ^ mix32(uint32_t(cy[k]) * 0xd8163841u));
        c.u[k] = u + float(h >> 16) * (1.f / 65536.f);
        c.v[k] = v + float(h & 65535) * (1.f / 65536.f);
    }
    return c;
}

float mix_normal(const float* g, const float* w) {
    const float norm = std::sqrt(w[0] * w[0] + w[1] * w[1] + w[2] * w[2]);
    return .5f + ((g[0] - .5f) * w[0] + (g[1] - .5f) * w[1] + (g[2] - .5f) * w[2]) / norm;
}

}  // namespace vemtra::texture
