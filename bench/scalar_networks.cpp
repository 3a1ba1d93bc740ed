// Built for this very processor at -O3, with contraction: the best that plain scalar code does here.
#include "scalar_networks.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace vemtra::bench {

float scalar_fractal(float x, float y, float z);

namespace {
uint32_t rotl(uint32_t x, int k) {
    return (x << k) | (x >> (32 - k));
}
uint32_t final_mix(uint32_t a, uint32_t b, uint32_t c) {
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
uint32_t hash(int x, int y) {
    const uint32_t s = 0xdeadbeefu + (2u << 2) + 13u;
    return final_mix(s + uint32_t(x), s + uint32_t(y), s);
}
uint32_t hash(int x, int y, int z, int w) {
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
    return final_mix(a + uint32_t(w), b, c);
}
float unit(uint32_t h) {
    return float(h) / 4294967295.f;
}
float clamp01(float x) {
    return std::min(1.f, std::max(0.f, x));
}
float mix(float a, float b, float t) {
    return a * (1.f - t) + b * t;
}
float smooth(float low, float high, float x) {
    const float t = clamp01((x - low) / (high - low));
    return t * t * (3.f - 2.f * t);
}
alignas(64) const float table[8][2] = {{1, 2}, {-1, 2}, {1, -2}, {-1, -2}, {2, 1}, {2, -1}, {-2, 1}, {-2, -1}};
float fade(float t) {
    return t * t * t * (t * (t * 6.f - 15.f) + 10.f);
}
float noise(float px, float py) {
    const float fx = std::floor(px);
    const float fy = std::floor(py);
    const int X = int(fx);
    const int Y = int(fy);
    const float x = px - fx;
    const float y = py - fy;
    auto corner = [&](int dx, int dy) {
        const float* g = table[hash(X + dx, Y + dy) & 7u];
        return g[0] * (x - float(dx)) + g[1] * (y - float(dy));
    };
    const float s = fade(x);
    return mix(mix(corner(0, 0), corner(1, 0), s), mix(corner(0, 1), corner(1, 1), s), fade(y)) * .6616f;
}
float worley(float px, float py, float pz) {
    const float fx = std::floor(px);
    const float fy = std::floor(py);
    const float fz = std::floor(pz);
    float nearest = 1e6f;
    for (int dx = -1; dx <= 1; ++dx)
        for (int dy = -1; dy <= 1; ++dy)
            for (int dz = -1; dz <= 1; ++dz) {
                const int X = int(fx) + dx;
                const int Y = int(fy) + dy;
                const int Z = int(fz) + dz;
                const float x = float(dx) + unit(hash(X, Y, Z, 0)) - (px - fx);
                const float y = float(dy) + unit(hash(X, Y, Z, 1)) - (py - fy);
                const float z = float(dz) + unit(hash(X, Y, Z, 2)) - (pz - fz);
                nearest = std::min(nearest, x * x + y * y + z * z);
            }
    return std::sqrt(nearest);
}
float cell(float u, float v) {
    return unit(hash(int(std::floor(u)), int(std::floor(v))));
}
}  // namespace

float hand_worn_edge(const ScalarPoint& p) {
    const float form = smooth(-.2f, .9f, p.ny);
    const float rough = scalar_fractal(p.x, p.y, p.z) * .5f + .5f;
    return clamp01((form * rough - .25f) / .2f);
}
float hand_rust(const ScalarPoint& p) {
    const float spots = worley(p.x, p.y, p.z);
    const float cloud = scalar_fractal(p.x, p.y, p.z);
    return smooth(.3f, .6f, mix(spots, cloud, .4f));
}
float hand_box_grunge(const ScalarPoint& p) {
    const float a = std::fabs(p.nx) * std::fabs(p.nx);
    const float b = std::fabs(p.ny) * std::fabs(p.ny);
    const float c = std::fabs(p.nz) * std::fabs(p.nz);
    return noise(p.y, p.z) * a + noise(p.x, p.z) * b + noise(p.x, p.y) * c;
}
float hand_stack(const ScalarPoint& p) {
    float below = .5f;
    for (int i = 0; i < 10; ++i) {
        const float scale = float(3 + i);
        const float f = cell(p.u * scale, p.v * scale);
        const float t = .1f + .05f * float(i);
        float r = f;
        switch (i % 4) {
            case 0: r = 1.f - (1.f - f) * (1.f - below); break;
            case 1: r = below >= .5f ? 1.f - 2.f * (1.f - f) * (1.f - below) : 2.f * f * below; break;
            case 2: r = std::fabs(below - f); break;
            default: r = below + f; break;
        }
        below = t * r + (1.f - t) * below;
    }
    return below;
}
float hand_brick(const ScalarPoint& p) {
    const float u = (p.u * .9659258f + p.v * .2588190f) * 6.f;
    const float v = (p.v * .9659258f - p.u * .2588190f) * 12.f;
    const float row = std::floor(v);
    const float odd = row - 2.f * std::floor(row * .5f);
    const float x = u + (odd > .5f ? .5f : 0.f);
    const float fx = x - std::floor(x);
    const float fy = v - row;
    const bool joint = std::min(fx, 1.f - fx) <= .04f || std::min(fy, 1.f - fy) <= .04f;
    return joint ? .1f : .3f + .6f * cell(u, v);
}
float hand_noise_ramp(const ScalarPoint& p) {
    const float x = clamp01(scalar_fractal(p.x, p.y, p.z) * .5f + .5f);
    const float at[4] = {0.f, .4f, .6f, 1.f};
    const float value[4] = {.05f, .2f, .7f, .9f};
    int s = 0;
    while (s + 1 < 4 && at[s + 1] <= x) ++s;
    const int e = std::min(3, s + 1);
    const float width = at[e] - at[s];
    float t = width > 0.f ? clamp01((x - at[s]) / width) : 0.f;
    t = t * t * (3.f - 2.f * t);
    return mix(value[s], value[e], t);
}

}  // namespace vemtra::bench
