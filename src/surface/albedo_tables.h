// What light does on a rough interface beyond the first bounce, tabulated from the exact walk (microsurface.h) by
// tools/make_surface_tables.
//   mu      cosine of incidence on the macroscopic surface          eta  IOR of the far side over that of the near side
//   E       directional albedo; E1 of single scattering alone, Em of all the rest: E = E1 + Em
// A lobe Em(mu_o) Em(mu_i) / (pi Em_average) gives back the rest: it is reciprocal and its albedo is Em(mu_o) exactly
// (after Kulla and Conty 2017, whose guess of Em is replaced by the walk's numbers).
#pragma once
#include <array>
#include <vector>

#include "base/vec.h"
#include "surface/fresnel.h"

namespace vemtra::surface {

class AlbedoTables {
public:
    // Grids: mu = t^2 (dense at grazing), roughness = t, (eta - 1) / (eta + 1) from -1/2 to 1/2, that is eta from 1/3
    // to 3.
    static constexpr int mus = 25, roughs = 21, etas = 21;
    static float eta_at(int e) {
        const float r = e == (etas - 1) / 2
                            ? .005f
                            : float(e) / (etas - 1) - .5f;  // equal media have no interface: the limit stands for it
        return (1.f + r) / (1.f - r);
    }

    static const AlbedoTables& get();

    /// Single scattering of a white conductor: E1.
    float white(float mu, float roughness) const;
    float white_average(float roughness) const;

    /// What a conductor gives back beyond the first bounce: Em(mu) = (1 - E1(mu)) * sum over k >= 2 bounces of P(k |
    /// mu) F^k, and its cosine-weighted average. F is the mean over the bounces.
    struct Rest {
        V3f f{0.f};        ///< mean Fresnel reflectance per bounce beyond the first
        float tail = 4.f;  ///< mean number of bounces of those beyond three
        V3f average{0.f};  ///< cosine-weighted
        float roughness = 0.f;
    };
    Rest conductor_rest(const FresnelF82& fresnel, float roughness) const;
    V3f conductor_rest_at(const Rest& rest, float mu) const;

    /// A dielectric interface: shares that single scattering loses, and the part of it that comes back on the same
    /// side.
    struct Interface {
        float lost = 0.f, reflected = 0.f;
        float through() const { return lost - reflected; }
    };
    Interface dielectric(float mu, float roughness, float eta) const;
    Interface dielectric_average(float roughness, float eta) const;  ///< cosine-weighted
    /// Reflected share of a dielectric interface seen from the near side: all bounces.
    float reflectance(float mu, float roughness, float eta) const;
    float reflectance_average(float roughness, float eta) const;

private:
    AlbedoTables();
    std::array<float, roughs> white_average_{}, second_average_{},
        third_average_{};  // the latter two weighted by 1 - E1
    std::vector<Interface> dielectric_average_;
    std::vector<float> reflectance_average_;
};

}  // namespace vemtra::surface
