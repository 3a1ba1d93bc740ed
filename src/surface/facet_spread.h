// Rough facets on a surface whose slopes vary below what is seen: variances of slopes add (Olano and Baker 2010, "LEAN
// Mapping").
#pragma once
#include "base/vec.h"

namespace vemtra::surface {

/// Facets of that roughness (0 to 1) on slopes of that variance, along each direction in the mean.
float widened(float roughness, float variance);
/// The share of slopes of that variance by which facets of that roughness are made rougher; by the rest of it they
/// lean, each sample's its own way, which keeps the whole form of their lobe.
float spread_kept(float roughness, float variance);
/// Two independent normal numbers from two even ones, 0 to 1 (Box and Muller 1958), as far out as three and a half.
V2f normal_numbers(float u1, float u2);

}  // namespace vemtra::surface
