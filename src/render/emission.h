// Light that surfaces give off themselves.
#pragma once
#include <algorithm>

#include "surface/slots.h"

namespace vemtra::render {

/// What one unit of radiance stands for where a surface gives off light in physical units: about a white wall in
/// daylight shade.
inline constexpr float nits_per_unit = 1000.f;

/// Linear Rec.709 of a black body of this temperature, luminance 1 (CIE 1931 locus in the fit of Krystek 1985).
inline V3f black_body(float kelvin) {
    const float t = std::clamp(kelvin, 1000.f, 15000.f);
    const float u = (.860117757f + 1.54118254e-4f * t + 1.28641212e-7f * t * t) /
                    (1.f + 8.42420235e-4f * t + 7.08145163e-7f * t * t);
    const float v = (.317398726f + 4.22806245e-5f * t + 4.20481691e-8f * t * t) /
                    (1.f - 2.89741816e-5f * t + 1.61456053e-7f * t * t);
    const float x = 3.f * u / (2.f * u - 8.f * v + 4.f);
    const float y = 2.f * v / (2.f * u - 8.f * v + 4.f);
    const float X = x / y;
    const float Z = (1.f - x - y) / y;
    V3f rgb(3.2406f * X - 1.5372f - .4986f * Z, -.9689f * X + 1.8758f + .0415f * Z, .0557f * X - .204f + 1.057f * Z);
    for (int c = 0; c < 3; ++c) rgb[c] = std::max(0.f, rgb[c]);
    return rgb / std::max(1e-6f, luminance(rgb));
}
/// Radiance that leaves the surface, in the units of the picture.
inline V3f emitted(const surface::Slots& s) {
    if (s.emission_luminance <= 0.f) return V3f(0.f);
    const V3f tint = s.emission_temperature > 0.f ? black_body(s.emission_temperature) : V3f(1.f);
    return s.emission_color * tint * (s.emission_luminance / nits_per_unit);
}

}  // namespace vemtra::render
