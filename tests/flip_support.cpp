#include "flip_support.h"

#include <algorithm>
#include <cmath>

#include "base/vec.h"

namespace vemtra::test {
namespace {

constexpr float color_exponent = .7f, feature_exponent = .5f;
constexpr float color_knee = .4f, knee_value = .95f;
constexpr float feature_width = .082f;  // degrees
const V3f white(.950428545f, 1.f, 1.088900371f);

V3f to_xyz(const V3f& c) {
    return {.4124564f * c.x + .3575761f * c.y + .1804375f * c.z, .2126729f * c.x + .7151522f * c.y + .0721750f * c.z,
            .0193339f * c.x + .1191920f * c.y + .9503041f * c.z};
}
V3f from_xyz(const V3f& c) {
    return {3.2404542f * c.x - 1.5371385f * c.y - .4985314f * c.z,
            -.9692660f * c.x + 1.8760108f * c.y + .0415560f * c.z,
            .0556434f * c.x - .2040259f * c.y + 1.0572252f * c.z};
}
/// Linear opponent colours.
V3f to_opponent(const V3f& rgb) {
    const V3f n = to_xyz(rgb) / white;
    return {116.f * n.y - 16.f, 500.f * (n.x - n.y), 200.f * (n.y - n.z)};
}
V3f from_opponent(const V3f& c) {
    const float y = (c.x + 16.f) / 116.f;
    return from_xyz(V3f(c.y / 500.f + y, y, y - c.z / 200.f) * white);
}
/// CIE L*a*b*, its colours weaker where it is dark (Hunt).
V3f to_hunt(const V3f& rgb) {
    const V3f n = to_xyz(rgb) / white;
    auto f = [](float t) {
        constexpr float d = 6.f / 29.f;
        return t > d * d * d ? std::cbrt(t) : t / (3.f * d * d) + 4.f / 29.f;
    };
    const float l = 116.f * f(n.y) - 16.f;
    return {l, .01f * l * 500.f * (f(n.x) - f(n.y)), .01f * l * 200.f * (f(n.y) - f(n.z))};
}
float apart(const V3f& a, const V3f& b) {
    const V3f d = a - b;
    return std::pow(std::fabs(d.x) + std::sqrt(d.y * d.y + d.z * d.z), color_exponent);
}

/// Sums of `kernel(dx, dy)` times the pixels within r, the outermost going on beyond the border.
template <class Value, class Kernel>
std::vector<Value> filtered(const std::vector<Value>& from, int width, int height, int r, const Kernel& kernel) {
    std::vector<Value> out(from.size());
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            Value sum(0.f);
            for (int j = -r; j <= r; ++j)
                for (int i = -r; i <= r; ++i)
                    sum += from[size_t(std::clamp(y + j, 0, height - 1)) * size_t(width) +
                                size_t(std::clamp(x + i, 0, width - 1))] *
                           kernel[size_t((j + r) * (2 * r + 1) + i + r)];
            out[size_t(y) * size_t(width) + size_t(x)] = sum;
        }
    return out;
}

/// What an eye at that distance can tell, of each opponent colour.
std::vector<V3f> seen(const std::vector<V3f>& opponent, int width, int height, float ppd) {
    struct Sensitivity {
        float a1, b1, a2, b2;
    };
    static constexpr Sensitivity of[3] = {
        {1.f, .0047f, 0.f, 1e-5f}, {1.f, .0053f, 0.f, 1e-5f}, {34.1f, .04f, 13.5f, .025f}};
    const int r = int(std::ceil(3.f * std::sqrt(.04f / (2.f * pi * pi)) * ppd));
    std::vector<V3f> kernel(size_t((2 * r + 1) * (2 * r + 1)));
    for (int c = 0; c < 3; ++c) {
        const Sensitivity& s = of[c];
        float sum = 0.f;
        for (int j = -r; j <= r; ++j)
            for (int i = -r; i <= r; ++i) {
                const float square = float(i * i + j * j) / (ppd * ppd);
                const float k = s.a1 * std::sqrt(pi / s.b1) * std::exp(-pi * pi * square / s.b1) +
                                s.a2 * std::sqrt(pi / s.b2) * std::exp(-pi * pi * square / s.b2);
                kernel[size_t((j + r) * (2 * r + 1) + i + r)][c] = k;
                sum += k;
            }
        for (V3f& k : kernel) k[c] /= sum;
    }
    return filtered(opponent, width, height, r, kernel);
}

/// Edges, then points: derivatives of a Gaussian, whose weights of either sign sum to one.
struct Features {
    std::vector<float> edges, points;
    Features(const std::vector<V3f>& opponent, int width, int height, float ppd) {
        const float deviation = .5f * feature_width * ppd;
        const int r = int(std::ceil(3.f * deviation));
        std::vector<float> grey;
        for (const V3f& c : opponent) grey.push_back((c.x + 16.f) / 116.f);
        auto strength = [&](auto&& weight) {
            std::vector<float> across;
            std::vector<float> down;
            float negative = 0.f;
            float positive = 0.f;
            for (int j = -r; j <= r; ++j)
                for (int i = -r; i <= r; ++i) {
                    const float g = std::exp(-float(i * i + j * j) / (2.f * deviation * deviation));
                    across.push_back(weight(float(i)) * g);
                    down.push_back(weight(float(j)) * g);
                    (across.back() < 0.f ? negative : positive) += std::fabs(across.back());
                }
            for (auto* k : {&across, &down})
                for (float& w : *k) w /= w < 0.f ? negative : positive;
            const auto dx = filtered(grey, width, height, r, across);
            const auto dy = filtered(grey, width, height, r, down);
            std::vector<float> out(grey.size());
            for (size_t p = 0; p < out.size(); ++p) out[p] = std::sqrt(dx[p] * dx[p] + dy[p] * dy[p]);
            return out;
        };
        edges = strength([](float x) { return -x; });
        points = strength([&](float x) { return x * x / (deviation * deviation) - 1.f; });
    }
};

}  // namespace

std::vector<float> flip(const std::vector<uint8_t>& reference, const std::vector<uint8_t>& test, int width, int height,
                        float ppd) {
    auto opponent = [](const std::vector<uint8_t>& rgba) {
        std::vector<V3f> out;
        for (size_t p = 0; p + 3 < rgba.size(); p += 4) {
            V3f c;
            for (size_t k = 0; k < 3; ++k) {
                const float v = float(rgba[p + k]) / 255.f;
                c[int(k)] = v <= .04045f ? v / 12.92f : std::pow((v + .055f) / 1.055f, 2.4f);
            }
            out.push_back(to_opponent(c));
        }
        return out;
    };
    const auto a = opponent(reference);
    const auto b = opponent(test);
    const auto seen_a = seen(a, width, height, ppd);
    const auto seen_b = seen(b, width, height, ppd);
    const Features features_a(a, width, height, ppd);
    const Features features_b(b, width, height, ppd);
    auto shown = [](const V3f& c) {
        V3f rgb = from_opponent(c);
        for (int k = 0; k < 3; ++k) rgb[k] = clamp01(rgb[k]);
        return to_hunt(rgb);
    };
    const float most = apart(to_hunt({0.f, 1.f, 0.f}), to_hunt({0.f, 0.f, 1.f}));
    const float knee = color_knee * most;
    std::vector<float> out(a.size());
    for (size_t p = 0; p < out.size(); ++p) {
        const float d = apart(shown(seen_a[p]), shown(seen_b[p]));
        const float color =
            d < knee ? d * knee_value / knee : knee_value + (d - knee) / (most - knee) * (1.f - knee_value);
        const float feature = std::max(std::fabs(features_a.edges[p] - features_b.edges[p]),
                                       std::fabs(features_a.points[p] - features_b.points[p]));
        out[p] = std::pow(color, 1.f - std::pow(feature / std::sqrt(2.f), feature_exponent));
    }
    return out;
}

}  // namespace vemtra::test
