#include "surface/diffuse.h"

#include <array>
#include <atomic>
#include <memory>

#include "surface/microfacet.h"

namespace vemtra::surface {
namespace {

constexpr float c1 = .5f - 2.f / (3.f * pi);
constexpr float c2 = 2.f / 3.f - 28.f / (15.f * pi);

// Directional albedo of the Fujii Oren-Nayar lobe of unit colour (EON, eq. 22, polynomial fit).
float fon_albedo(float mu, float r) {
    const float m = 1.f - mu;
    const float g = m * (.0571085289f + m * (.491881867f + m * (-.332181442f + m * .0714429953f)));
    return (1.f + r * g) / (1.f + c1 * r);
}

/// EON of white, integrated over the turn and over the hats of the nodes: a (even + r rough), [o][i].
struct MattRows {
    static constexpr int n = MattUnder::nodes;
    using Row = std::array<float, n>;
    Row even{};
    std::array<Row, n> rough{};
    MattRows() {
        constexpr int fine = 24;
        constexpr int around = 64;
        auto g = [](float mu) { return fon_albedo(mu, 1.f) * (1.f + c1) - 1.f; };
        Row spread{};
        auto each = [](auto&& at) {  // cells of mu = t^2, of the weight 2 mu dmu
            for (int k = 0; k < (n - 1) * fine; ++k) {
                const float x = (float(k) + .5f) / fine;
                const float t = x / (n - 1);
                const size_t i = size_t(k / fine);
                at(i, x - float(i), t * t, 4.f * t * t * t / float((n - 1) * fine));
            }
        };
        each([&](size_t i, float f, float mu, float w) {
            even[i] += w * (1.f - f), even[i + 1] += w * f;
            spread[i] += w * (1.f - f) * (c1 - g(mu)), spread[i + 1] += w * f * (c1 - g(mu));
        });
        for (size_t o = 0; o < n; ++o) {
            const float mu_o = MattUnder::mu_at(int(o));
            const float s_o = std::sqrt(std::max(0.f, 1.f - mu_o * mu_o));
            each([&](size_t i, float f, float mu, float w) {
                const float across = s_o * std::sqrt(std::max(0.f, 1.f - mu * mu));
                float sum = 0.f;
                for (int k = 0; k < around; ++k) {
                    const float s = across * std::cos(pi * (float(k) + .5f) / around);
                    sum += s > 0.f ? s / std::max(mu_o, mu) : s;
                }
                rough[o][i] += w * (1.f - f) * sum / around, rough[o][i + 1] += w * f * sum / around;
            });
            for (size_t i = 0; i < n; ++i) rough[o][i] += (c1 - g(mu_o)) * spread[i] / (c1 - c2);
        }
    }
};

float fuzz_unscaled(float roughness, const V3f& wo, const V3f& wi) {
    const V3f sum = wo + wi;
    const float length = sum.length();
    if (wo.z <= 0.f || wi.z <= 0.f || length < 1e-6f) return 0.f;
    const float h = sum.z / length;
    const float s2 = std::max(0.f, 1.f - h * h);
    const float a = 1.f / std::max(.05f, roughness);
    const float d = (2.f + a) * std::pow(s2, .5f * a) / (2.f * pi);
    return d / (4.f * (wo.z + wi.z - wo.z * wi.z));
}

/// Its albedo by roughness, summed up at the nodes that are asked for, once: the first picture waits for two of them.
class FuzzTable {
public:
    static constexpr int n = 28, mus = 33;  ///< dense at fine fibres and at grazing
    struct Node {
        float albedo[mus];
        float scale = 1.f;  ///< so that no light is won
    };
    static float place(float roughness) { return std::sqrt(clamp01((roughness - .05f) / .95f)) * (n - 1); }
    static const Node& node(int r) {
        static std::array<std::atomic<const Node*>, n> nodes;  // made at need, kept to the end
        std::atomic<const Node*>& slot = nodes[size_t(r)];
        if (const Node* made = slot.load(std::memory_order_acquire)) return *made;
        auto fresh = std::make_unique<Node>();
        float most = 0.f;
        const float t = float(r) / (n - 1);
        for (int m = 0; m < mus; ++m) most = std::max(most, fresh->albedo[m] = summed(.05f + .95f * t * t, m));
        fresh->scale = 1.f / std::max(1.f, most);
        for (float& a : fresh->albedo) a *= fresh->scale;
        const Node* none = nullptr;  // whoever is first wins: all make the same
        return slot.compare_exchange_strong(none, fresh.get(), std::memory_order_acq_rel) ? *fresh.release() : *none;
    }

private:
    static float summed(float roughness, int m) {
        const float t = float(m) / (mus - 1);
        const float mu = std::max(5e-4f, t * t);
        const V3f wo(std::sqrt(std::max(0.f, 1.f - mu * mu)), 0.f, mu);
        double sum = 0;
        constexpr int across = 64;
        constexpr int around = 48;
        for (int i = 0; i < across; ++i)
            for (int j = 0; j < around; ++j) {
                const float x = (float(i) + .5f) / across;
                const float z = x * x;
                const float phi = pi * (float(j) + .5f) / around;
                const float s = std::sqrt(1.f - z * z);
                sum += double(fuzz_unscaled(roughness, wo, {s * std::cos(phi), s * std::sin(phi), z}) * z * 2.f * x) *
                       2. * M_PI / (across * around);
            }
        return float(sum);
    }
};

}  // namespace

V3f eon(const V3f& color, float r, const V3f& wo, const V3f& wi) {
    const float mu_o = wo.z;
    const float mu_i = wi.z;
    if (r <= 0.f) return color * inverse_pi;
    const float s = wo.dot(wi) - mu_o * mu_i;
    const float s_over_t = s > 0.f ? s / std::max(mu_o, mu_i) : s;
    const float a = 1.f / (1.f + c1 * r);
    const float single = inverse_pi * a * (1.f + r * s_over_t);
    const float e_o = fon_albedo(mu_o, r);
    const float e_i = fon_albedo(mu_i, r);
    const float e_average = a * (1.f + c2 * r);
    constexpr float eps = 1e-7f;
    const float spread =
        inverse_pi * std::max(eps, 1.f - e_o) * std::max(eps, 1.f - e_i) / std::max(eps, 1.f - e_average);
    V3f f;
    for (int c = 0; c < 3; ++c) {
        const float rho = color[c];
        const float multiple = rho * rho * e_average / (1.f - rho * std::max(0.f, 1.f - e_average));
        f[c] = rho * single + multiple * spread;
    }
    return f;
}

MattUnder::MattUnder(float r, const float* passes) {
    static const MattRows rows;
    c_.fill(1.f);
    const float a = 1.f / (1.f + c1 * r);
    float mean = 0.f;
    for (size_t k = 0; k < nodes; ++k) mean += rows.even[k] * passes[k];
    for (int round = 0; round < 8; ++round) {
        float weighed[nodes];
        for (size_t k = 0; k < nodes; ++k) weighed[k] = passes[k] * c_[k];
        for (size_t o = 0; o < nodes; ++o) {
            float told = 0.f;
            for (size_t k = 0; k < nodes; ++k) told += (rows.even[k] + r * rows.rough[o][k]) * weighed[k];
            c_[o] = std::sqrt(c_[o] * mean / std::max(1e-6f, a * told));
        }
    }
}

float eon_bound(float r, float mu_o) {
    if (r <= 0.f) return 1.f;
    const float a = 1.f / (1.f + c1 * r);
    const float e_average = a * (1.f + c2 * r);
    const float rest = (1.f - fon_albedo(mu_o, r)) * (1.f - fon_albedo(1.f, r)) / std::max(1e-7f, 1.f - e_average);
    return a * (1.f + r * std::sqrt(std::max(0.f, 1.f - mu_o * mu_o)) / std::max(1e-3f, mu_o)) + std::max(0.f, rest);
}

float fuzz(float roughness, const V3f& wo, const V3f& wi) {
    const float x = FuzzTable::place(roughness);
    const int i = std::min(int(x), FuzzTable::n - 2);
    const float scale = lerp(FuzzTable::node(i).scale, FuzzTable::node(i + 1).scale, x - float(i));
    return fuzz_unscaled(roughness, wo, wi) * scale;
}
float fuzz_bound(float roughness) {
    return (2.f + 1.f / std::max(.05f, roughness)) / (8.f * pi);
}
float fuzz_albedo(float roughness, float mu) {
    constexpr int mus = FuzzTable::mus;
    const float x = FuzzTable::place(roughness);
    const float y = std::sqrt(clamp01(mu)) * (mus - 1);
    const int i = std::min(int(x), FuzzTable::n - 2);
    const int j = std::min(int(y), mus - 2);
    const float* p = &FuzzTable::node(i).albedo[j];
    const float* q = &FuzzTable::node(i + 1).albedo[j];
    return std::min(1.f, lerp(lerp(p[0], p[1], y - float(j)), lerp(q[0], q[1], y - float(j)), x - float(i)));
}

}  // namespace vemtra::surface
