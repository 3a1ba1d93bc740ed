// Where something goes into a piece of a face or stands on it, told by rays along the piece: samples at its corners and
// sides may all lie beside what is narrower than it.
#pragma once
#include "geometry/geometry.h"

namespace vemtra::geometry {

/// Whether rays along the sides and medians of a flat triangle (world, metres) meet something, on the side that
/// `normal` (its length does not count) looks to and `above` it: far less than the triangle is long.
bool stands_on(const Geometry& geometry, const V3f (&corner)[3], const V3f& normal, float above);

}  // namespace vemtra::geometry
