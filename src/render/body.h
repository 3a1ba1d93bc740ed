// Light inside a body: absorption, haze, and the random walk of subsurface scattering.
//   sigma_t  extinction per metre and channel; a passage of length t keeps exp(-sigma_t t)
//   alpha    single-scattering albedo
// A walk samples all its lengths by one channel, drawn by what the path carries, and is weighed by the density with
// which any of the three would have made it: hero wavelength sampling (Wilkie et al. 2014). Of long walks that channel
// alone is left, so that the draw must be spread evenly over a pixel's samples, or colours would be noise.
#pragma once
#include "geometry/geometry.h"
#include "surface/slots.h"
#include "surface/stack.h"

namespace vemtra::render {

struct Body {
    V3f sigma_t{0.f}, alpha{0.f};
    float g = 0.f;  ///< mean cosine of a turn (Henyey and Greenstein 1941)
    float ior = 1.f;
    int priority = 0;
    uint32_t instance = 0;
    bool clear() const { return max_component(sigma_t) <= 0.f; }
    bool scatters() const { return max_component(alpha) > 0.f; }
};

/// What lies inside of a clear surface (OpenPBR 1.1, "Translucent base"): nothing where transmission_depth is 0.
Body clear_body(const surface::Slots& slots, uint32_t instance, int priority, float ior);
/// What lies under a surface with subsurface_weight: radius is the mean free path, and the single-scattering albedo is
/// inverted from the colour that the walk shall give (Kulla and Conty 2017, after d'Eon's fit; OpenPBR 1.1,
/// "Subsurface").
Body scattering_body(const surface::Slots& slots, uint32_t instance);

/// A level floor around the middle of the world; none: infinitely low.
struct Floor {
    float height = -INFINITY, radius = 0.f;
    /// Distance to it along a ray; infinite where it is not met.
    float met(const V3f& origin, const V3f& direction) const;
};

struct Wandered {
    bool out = false;       ///< it met a surface; else it was absorbed, or flew off through a hole
    bool on_floor = false;  ///< which was the floor
    V3f origin, direction;  ///< of the last stretch
    geometry::Place at;
    float t = 0;
    V3f weight{1.f};
    int turns = 0;
};
/// The numbers that a walk begins with, 0..1, spread evenly over the samples of a pixel: which channel leads, and how
/// far the first stretch goes.
struct WalkHead {
    float leads = 0.f, first = 0.f;
    bool alone = false;  ///< the channel that leads is the only one that the walk carries on
};
/// Follows light from `origin` along `direction` until it meets any surface. `carried` is what the path carries.
Wandered wander(RTCScene scene, const Body& body, const Floor& floor, const V3f& origin, const V3f& direction,
                const V3f& carried, const WalkHead& head, surface::WalkRandom& random);

}  // namespace vemtra::render
