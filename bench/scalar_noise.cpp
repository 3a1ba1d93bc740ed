// The best scalar loop that we know for fractal3d: gradients from a table (a conditional chain is four times slower),
// everything inlined.
#include <cmath>
#include <cstdint>

namespace vemtra::bench {
namespace {
inline uint32_t rotl(uint32_t x, int k) {
    return (x << k) | (x >> (32 - k));
}
inline uint32_t hash(int x, int y, int z) {
    const uint32_t s = 0xdeadbeefu + (3u << 2) + 13u;
    uint32_t a = s + uint32_t(x), b = s + uint32_t(y), c = s + uint32_t(z);
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
alignas(64) const float table[16][4] = {{1, 1, 0},  {-1, 1, 0},  {1, -1, 0}, {-1, -1, 0}, {1, 0, 1},  {-1, 0, 1},
                                        {1, 0, -1}, {-1, 0, -1}, {0, 1, 1},  {0, -1, 1},  {0, 1, -1}, {0, -1, -1},
                                        {1, 1, 0},  {0, -1, 1},  {-1, 1, 0}, {0, -1, -1}};
inline float gradient(uint32_t h, float x, float y, float z) {
    const float* g = table[h & 15u];
    return g[0] * x + g[1] * y + g[2] * z;
}
inline float fade(float t) {
    return t * t * t * (t * (t * 6.f - 15.f) + 10.f);
}
inline float noise(float px, float py, float pz) {
    const float fx = std::floor(px), fy = std::floor(py), fz = std::floor(pz);
    const int X = int(fx), Y = int(fy), Z = int(fz);
    const float x = px - fx, y = py - fy, z = pz - fz, s = fade(x), t = fade(y), r = fade(z);
    auto mix = [](float a, float b, float k) { return a + (b - a) * k; };
    const float a =
        mix(mix(gradient(hash(X, Y, Z), x, y, z), gradient(hash(X + 1, Y, Z), x - 1, y, z), s),
            mix(gradient(hash(X, Y + 1, Z), x, y - 1, z), gradient(hash(X + 1, Y + 1, Z), x - 1, y - 1, z), s), t);
    const float b =
        mix(mix(gradient(hash(X, Y, Z + 1), x, y, z - 1), gradient(hash(X + 1, Y, Z + 1), x - 1, y, z - 1), s),
            mix(gradient(hash(X, Y + 1, Z + 1), x, y - 1, z - 1),
                gradient(hash(X + 1, Y + 1, Z + 1), x - 1, y - 1, z - 1), s),
            t);
    return mix(a, b, r) * .9820f;
}
}  // namespace

float scalar_fractal(float x, float y, float z) {
    float sum = 0.f, weight = 1.f;
    for (int o = 0; o < 4; ++o) {
        sum += weight * noise(x, y, z);
        weight *= .5f;
        x *= 2.f;
        y *= 2.f;
        z *= 2.f;
    }
    return sum;
}
}  // namespace vemtra::bench
