// Directional albedos of rough interfaces, integrated once at start: what single scattering on microfacets keeps, so that what it loses
// can be given back (Kulla and Conty 2017, "Revisiting Physically Based Shading at Imageworks").
//   E(mu, r)        white reflector: 1 - E is what left the first bounce and would scatter again
//   E(mu, r, eta)   reflection of a dielectric of relative IOR eta
//   averages        2 * integral of E mu dmu
#pragma once
#include <vector>

#include "base/vec.h"

namespace vemtra::surface {

class AlbedoTables {
public:
    static const AlbedoTables& get();  ///< computed at the first call, about 50 ms

    float white(float mu, float roughness) const;
    float white_average(float roughness) const;
    /// Reflected share of a dielectric, single and multiple scattering on its interface together.
    float dielectric(float mu, float roughness, float eta) const;
    float dielectric_average(float roughness, float eta) const;
    /// Weight of the multiple-scattering lobe of a dielectric's reflection.
    float dielectric_multiple(float roughness, float eta) const;

private:
    AlbedoTables();
    static constexpr int mus = 32, roughs = 32, etas = 16;
    std::vector<float> white_, white_average_, dielectric_, dielectric_average_, fresnel_average_;
};

}  // namespace vemtra::surface
