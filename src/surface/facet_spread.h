// Rough facets on a surface whose slopes vary below what is seen: both make one rougher lobe (Olano and Baker 2010,
// "LEAN Mapping": variances of slopes add).
#pragma once

namespace vemtra::surface {

/// Adds slopes of the covariance xx, yy, xy (along the tangent, across it, both) to facets of that roughness and
/// anisotropy (OpenPBR Surface 1.1, both 0 to 1, the tangent along the greater one). Returns by how much the tangent
/// turns, radians, towards the bitangent.
float spread_facets(float xx, float yy, float xy, float& roughness, float& anisotropy);

}  // namespace vemtra::surface
