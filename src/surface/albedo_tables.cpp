#include "surface/albedo_tables.h"

#include "base/parallel.h"
#include "surface/microfacet.h"

namespace vemtra::surface {
namespace {

// Grids: mu = t^2 (dense at grazing), roughness = t, eta by the square root of its reflectance straight on, up to eta = 3.
float eta_at(float t) { return (1.f + .5f * t) / (1.f - .5f * t); }
float grid_of_eta(float eta) { return std::min(1.f, 2.f * std::fabs(eta - 1.f) / (eta + 1.f)); }

struct Cell {
    int i;
    float f;
    Cell(float t, int n) {
        const float x = clamp01(t) * float(n - 1);
        i = std::min(int(x), n - 2);
        f = x - float(i);
    }
};

}  // namespace

const AlbedoTables& AlbedoTables::get() {
    static const AlbedoTables tables;
    return tables;
}

AlbedoTables::AlbedoTables()
    : white_(mus * roughs), white_average_(roughs), dielectric_(mus * roughs * etas), dielectric_average_(roughs * etas), fresnel_average_(etas) {
    for (int e = 0; e < etas; ++e)
        for (int k = 0; k < 512; ++k) {
            const float mu = (float(k) + .5f) / 512.f;
            fresnel_average_[size_t(e)] += 2.f * mu * fresnel_dielectric(mu, eta_at(float(e) / (etas - 1))) / 512.f;
        }
    parallel_ranges(roughs, 1, [&](size_t first, size_t last) {
        for (size_t r = first; r < last; ++r) {
            const float alpha = alpha_of(float(r) / (roughs - 1));
            for (int m = 0; m < mus; ++m) {
                const float t = float(m) / (mus - 1), mu = std::max(1e-3f, t * t);
                const V3f wo(std::sqrt(std::max(0.f, 1.f - mu * mu)), 0.f, mu);
                constexpr int side = 24;
                double white = 0, reflected[etas] = {};
                for (int a = 0; a < side; ++a)
                    for (int b = 0; b < side; ++b) {
                        const V3f h = sample_visible_normal(wo, alpha, (float(a) + .5f) / side, (float(b) + .5f) / side);
                        const float d = wo.dot(h);
                        const V3f wi = h * (2.f * d) - wo;
                        if (wi.z <= 0.f) continue;
                        const float g = smith_g2(mu, wi.z, alpha) / smith_g1(mu, alpha);
                        white += g;
                        for (int e = 0; e < etas; ++e) reflected[e] += g * fresnel_dielectric(d, eta_at(float(e) / (etas - 1)));
                    }
                white_[r * mus + size_t(m)] = float(white / (side * side));
                for (int e = 0; e < etas; ++e) dielectric_[(size_t(e) * roughs + r) * mus + size_t(m)] = float(reflected[e] / (side * side));
            }
            auto average = [&](const float* row) {  // over mu with the grid's linear interpolation, by fine quadrature
                double sum = 0;
                for (int k = 0; k < 256; ++k) {
                    const float mu = (float(k) + .5f) / 256.f;
                    const Cell c(std::sqrt(mu), mus);
                    sum += 2.f * mu * lerp(row[c.i], row[c.i + 1], c.f) / 256.f;
                }
                return float(sum);
            };
            white_average_[r] = average(&white_[r * mus]);
            for (int e = 0; e < etas; ++e) {
                float* row = &dielectric_[(size_t(e) * roughs + r) * mus];
                const float f = fresnel_average_[size_t(e)], w = white_average_[r];
                const float multiple = f * f * w / (1.f - f * (1.f - w));
                for (int m = 0; m < mus; ++m) row[m] = std::min(1.f, row[m] + multiple * (1.f - white_[r * mus + size_t(m)]));
                dielectric_average_[size_t(e) * roughs + r] = average(row);
            }
        }
    });
}

float AlbedoTables::white(float mu, float roughness) const {
    const Cell m(std::sqrt(std::max(0.f, mu)), mus), r(roughness, roughs);
    const float* p = &white_[size_t(r.i) * mus + size_t(m.i)];
    return lerp(lerp(p[0], p[1], m.f), lerp(p[mus], p[mus + 1], m.f), r.f);
}
float AlbedoTables::white_average(float roughness) const {
    const Cell r(roughness, roughs);
    return lerp(white_average_[size_t(r.i)], white_average_[size_t(r.i) + 1], r.f);
}
float AlbedoTables::dielectric(float mu, float roughness, float eta) const {
    const Cell m(std::sqrt(std::max(0.f, mu)), mus), r(roughness, roughs), e(grid_of_eta(eta), etas);
    auto at = [&](int k) {
        const float* p = &dielectric_[(size_t(k) * roughs + size_t(r.i)) * mus + size_t(m.i)];
        return lerp(lerp(p[0], p[1], m.f), lerp(p[mus], p[mus + 1], m.f), r.f);
    };
    return lerp(at(e.i), at(e.i + 1), e.f);
}
float AlbedoTables::dielectric_average(float roughness, float eta) const {
    const Cell r(roughness, roughs), e(grid_of_eta(eta), etas);
    auto at = [&](int k) {
        const float* p = &dielectric_average_[size_t(k) * roughs + size_t(r.i)];
        return lerp(p[0], p[1], r.f);
    };
    return lerp(at(e.i), at(e.i + 1), e.f);
}
float AlbedoTables::dielectric_multiple(float roughness, float eta) const {
    const Cell e(grid_of_eta(eta), etas);
    const float f = lerp(fresnel_average_[size_t(e.i)], fresnel_average_[size_t(e.i) + 1], e.f), w = white_average(roughness);
    return f * f * w / (1.f - f * (1.f - w));
}

}  // namespace vemtra::surface
