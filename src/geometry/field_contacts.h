// Where something goes into a piece of a face or stands on it, told by rays along the piece: samples at its corners and
// sides may all lie beside what is narrower than it.
#pragma once
#include "geometry/geometry.h"

namespace vemtra::geometry {

/// Whether rays along the sides and medians of a flat triangle (world, metres) meet something, on the side that
/// `normal` (its length does not count) looks to and `above` it: far less than the triangle is long.
bool stands_on(const Geometry& geometry, const V3f (&corner)[3], const V3f& normal, float above);

/// Where on the way from `a` to `b`, which lie so far above a surface, something stands on it (0 to 1): the same seen
/// from both ends. Below 0: nothing does, or more than one border of it lies there, or at an end.
float contact_between(const Geometry& geometry, const V3f& a, const V3f& b);

}  // namespace vemtra::geometry
