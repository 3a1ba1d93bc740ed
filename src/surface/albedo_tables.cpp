#include "surface/albedo_tables.h"

#include "surface/microfacet.h"

namespace vemtra::surface {
namespace {

// white: E1[roughness][mu]. second, third: shares of two and of three bounces among all beyond one. tail: mean count of
// those beyond three. m5, m6: means of (1 - mu)^5 and mu (1 - mu)^6 on the facets of such paths. lost, reflected,
// reflectance (all bounces): [eta][roughness][mu].
#include "surface/microsurface_data.inc"

constexpr int M = AlbedoTables::mus, R = AlbedoTables::roughs, N = AlbedoTables::etas;

struct Cell {
    int i;
    float f;
    Cell(float t, int n) {
        const float x = clamp01(t) * float(n - 1);
        i = std::min(int(x), n - 2);
        f = x - float(i);
    }
};
Cell mu_cell(float mu) {
    return {std::sqrt(std::max(0.f, mu)), M};
}
Cell eta_cell(float eta) {
    return {(eta - 1.f) / (eta + 1.f) + .5f, N};
}

float at(const float* row, const Cell& m) {
    return lerp(row[m.i], row[m.i + 1], m.f);
}
float at(const float* table, const Cell& r, const Cell& m) {
    const float* p = table + r.i * M + m.i;
    return lerp(lerp(p[0], p[1], m.f), lerp(p[M], p[M + 1], m.f), r.f);
}
float at(const float* table, const Cell& e, const Cell& r, const Cell& m) {
    return lerp(at(table + e.i * R * M, r, m), at(table + (e.i + 1) * R * M, r, m), e.f);
}

/// Cosine-weighted average over mu: fine quadrature of what the tables interpolate.
template <class F> float average(F&& f) {
    double sum = 0;
    constexpr int n = 256;
    for (int k = 0; k < n; ++k) {
        const float mu = (float(k) + .5f) / n;
        sum += 2. * double(mu * f(mu)) / n;
    }
    return float(sum);
}

}  // namespace

const AlbedoTables& AlbedoTables::get() {
    static const AlbedoTables tables;
    return tables;
}

AlbedoTables::AlbedoTables() : dielectric_average_(etas * roughs), reflectance_average_(etas * roughs) {
    for (int r = 0; r < roughs; ++r) {
        Cell c(float(r) / (roughs - 1), roughs);
        white_average_[size_t(r)] = average([&](float mu) { return at(white_data, c, mu_cell(mu)); });
        second_average_[size_t(r)] =
            average([&](float mu) { return (1.f - at(white_data, c, mu_cell(mu))) * at(second_data, c, mu_cell(mu)); });
        third_average_[size_t(r)] =
            average([&](float mu) { return (1.f - at(white_data, c, mu_cell(mu))) * at(third_data, c, mu_cell(mu)); });
    }
    for (size_t row = 0; row < size_t(etas * roughs); ++row) {
        dielectric_average_[row].lost = average([&](float mu) { return at(lost_data + row * M, mu_cell(mu)); });
        dielectric_average_[row].reflected =
            average([&](float mu) { return at(reflected_data + row * M, mu_cell(mu)); });
        reflectance_average_[row] = average([&](float mu) { return at(reflectance_data + row * M, mu_cell(mu)); });
    }
}

float AlbedoTables::white(float mu, float roughness) const {
    return at(white_data, Cell(roughness, roughs), mu_cell(mu));
}
float AlbedoTables::white_average(float roughness) const {
    const Cell r(roughness, roughs);
    return lerp(white_average_[size_t(r.i)], white_average_[size_t(r.i) + 1], r.f);
}

AlbedoTables::Rest AlbedoTables::conductor_rest(const FresnelF82& fresnel, float roughness) const {
    const Cell r(roughness, roughs);
    auto row = [&](const auto& table) { return lerp(table[size_t(r.i)], table[size_t(r.i) + 1], r.f); };
    Rest rest;
    rest.roughness = roughness;
    rest.f = fresnel.from_means(row(m5_data), row(m6_data));
    rest.tail = row(tail_data);
    const float lost = 1.f - row(white_average_);
    const float two = row(second_average_);
    const float three = row(third_average_);
    for (int c = 0; c < 3; ++c) {
        const float f = rest.f[c];
        rest.average[c] = f * f * (two + f * three) + std::max(0.f, lost - two - three) * std::pow(f, rest.tail);
    }
    return rest;
}
V3f AlbedoTables::conductor_rest_at(const Rest& rest, float mu) const {
    const Cell r(rest.roughness, roughs);
    const Cell m = mu_cell(mu);
    const float lost = 1.f - at(white_data, r, m);
    const float two = at(second_data, r, m);
    const float three = at(third_data, r, m);
    V3f e;
    for (int c = 0; c < 3; ++c) {
        const float f = rest.f[c];
        e[c] = lost * (f * f * (two + f * three) + std::max(0.f, 1.f - two - three) * std::pow(f, rest.tail));
    }
    return e;
}

AlbedoTables::Interface AlbedoTables::dielectric(float mu, float roughness, float eta) const {
    const Cell e = eta_cell(eta);
    const Cell r(roughness, roughs);
    const Cell m = mu_cell(mu);
    return {at(lost_data, e, r, m), at(reflected_data, e, r, m)};
}
AlbedoTables::Interface AlbedoTables::dielectric_average(float roughness, float eta) const {
    const Cell e = eta_cell(eta);
    const Cell r(roughness, roughs);
    auto row = [&](int k, int j) { return dielectric_average_[size_t(e.i + k) * roughs + size_t(r.i + j)]; };
    auto mix = [&](auto member) {
        return lerp(lerp(row(0, 0).*member, row(0, 1).*member, r.f), lerp(row(1, 0).*member, row(1, 1).*member, r.f),
                    e.f);
    };
    return {mix(&Interface::lost), mix(&Interface::reflected)};
}
float AlbedoTables::reflectance(float mu, float roughness, float eta) const {
    return at(reflectance_data, eta_cell(eta), Cell(roughness, roughs), mu_cell(mu));
}
float AlbedoTables::reflectance_average(float roughness, float eta) const {
    const Cell e = eta_cell(eta);
    const Cell r(roughness, roughs);
    auto row = [&](int k, int j) { return reflectance_average_[size_t(e.i + k) * roughs + size_t(r.i + j)]; };
    return lerp(lerp(row(0, 0), row(0, 1), r.f), lerp(row(1, 0), row(1, 1), r.f), e.f);
}

}  // namespace vemtra::surface
