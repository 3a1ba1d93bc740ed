// Interference in a thin film on a surface (Airy's sum over the passes in the film; Born and Wolf, 7.6), at ten
// wavelengths, brought to linear Rec.709 with the colour matching functions of CIE 1931 in the fit of Wyman, Sloan,
// Shirley 2013, equal energy = white.
//   n1 outside, n2 film, n3 base;   r12, r23 amplitudes;   phase = 4 pi n2 d cos2 / lambda
// Between the wavelengths the fringes of a thick film are averaged: what varies of R is damped by the mean of the
// phase's cosine over a band (as Belcour and Barla 2017 do in the spectrum's own Fourier space).
//   R = |r12 + r23 e^(i phase)|^2 / |1 + r12 r23 e^(i phase)|^2, both polarisations averaged
#pragma once
#include "surface/fresnel.h"

namespace vemtra::surface {

/// Film over a dielectric. thickness in micrometres; film_ior and eta over the IOR of the near side, which is near_ior.
V3f thin_film_on_dielectric(float mu, float thickness, float film_ior, float eta, float near_ior = 1.f);
/// Film over a metal. Where its n and k are not given they are taken from its colour straight on, by the mapping of
/// Gulbrandsen 2014, "Artist Friendly Metallic Fresnel", at a tint of .65: the phase of what the metal reflects, and so
/// the film's colour, needs them. What reflects without the film is kept: metal(mu) at thickness 0. IORs as above, n
/// and k over that of the near side too.
V3f thin_film_on_metal(float mu, float thickness, float film_ior, const MetalFresnel& metal, float near_ior = 1.f);

}  // namespace vemtra::surface
