// Interference in a thin film on a surface (Airy's sum over the passes in the film; Born and Wolf, 7.6), at ten
// wavelengths, brought to linear Rec.709 with the colour matching functions of CIE 1931 in the fit of Wyman, Sloan,
// Shirley 2013, equal energy = white.
//   n1 outside, n2 film, n3 base;   r12, r23 amplitudes;   phase = 4 pi n2 d cos2 / lambda
// Between the wavelengths the fringes of a thick film are averaged: what varies of R is damped by the mean of the
// phase's cosine over a band (as Belcour and Barla 2017 do in the spectrum's own Fourier space).
//   R = |r12 + r23 e^(i phase)|^2 / |1 + r12 r23 e^(i phase)|^2, both polarisations averaged
#pragma once
#include "base/vec.h"

namespace vemtra::surface {

/// Film over a dielectric. thickness in micrometres; film_ior and eta over the IOR of the near side, which is near_ior.
V3f thin_film_on_dielectric(float mu, float thickness, float film_ior, float eta, float near_ior = 1.f);
/// Film over a metal, of which only the reflectance per channel at this angle is known; its phase is taken as that of a
/// denser medium.
V3f thin_film_on_metal(float mu, float thickness, float film_ior, const V3f& reflectance, float near_ior = 1.f);

}  // namespace vemtra::surface
