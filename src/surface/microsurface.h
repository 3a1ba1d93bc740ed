// The exact random walk on a Smith microsurface (Heitz, Hanika, d'Eon, Dachsbacher 2016, "Multiple-Scattering
// Microfacet BSDFs with the Smith Model"). Too slow to render with; it makes the tables of albedo_tables.h and checks
// them.
//   u = C1(h)   share of the surface that lies below the height h: 1 over the surface, 0 under it
//   going up at u, light escapes with the chance u^Lambda; else it next meets the surface at u (1 - x)^(-1/Lambda), x
// uniform
#pragma once
#include <random>

#include "surface/facet_cosines.h"
#include "surface/microfacet.h"

namespace vemtra::surface {

struct Walked {
    bool reflected = false, left = false;  ///< left: within the bounces that were allowed
    int bounces = 0;
    float sum_m5 = 0.f, sum_m6 = 0.f;  ///< over bounces: (1 - mu)^5 and mu (1 - mu)^6 of the angle on the facet
    float nodes[facet_nodes] = {};     ///< over bounces: shares of the angle on the facet
    V3f direction{0.f};                ///< away from the surface
};

/// Light arriving along -wo (wo.z > 0). eta > 0: a dielectric, IOR below over above; eta 0: a conductor that reflects
/// everything.
Walked walk_microsurface(const V3f& wo, const Ggx& ggx, float eta, std::mt19937& random);

struct ScatteredOnce {
    double reflected = 0, through = 0;
    double nodes[facet_nodes] = {};  ///< of what is reflected, by angle
};
/// Single scattering alone, by quadrature over visible normals, `side` by `side` of them. eta as above.
ScatteredOnce scatter_once(const V3f& wo, const Ggx& ggx, float eta, int side);

}  // namespace vemtra::surface
