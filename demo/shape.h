// Modelling for the demo asset: smooth grids of points that become parts with clean UVs. Metres, y up.
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "base/result.h"
#include "base/vec.h"

namespace vemtra::demo {

/// A closed plane curve around the origin, counter-clockwise seen from above: points and outward normals in (x, z).
struct Outline {
    std::vector<V2f> points, normals;  ///< the first point is not repeated
};
Outline circle(int segments, float radius = 0.f);
Outline rounded_rectangle(float half_x, float half_z, float corner, int corner_segments, int side_segments);
Outline rounded_polygon(int sides, float apothem, float corner, int corner_segments, int side_segments);

/// A point of a profile: how far outside of the outline, at which height, and the size of the fillet there.
struct Turn {
    float out, height, fillet = 0.f;
};
/// The polyline through the turns with each corner rounded by an arc of its fillet radius.
std::vector<V2f> rounded(const std::vector<Turn>& turns, int arc_segments = 5, float longest = 1e9f);

/// A grid of points, `across` columns fastest. Columns may close on themselves (the last repeats the first).
struct Patch {
    int across = 0, along = 0;
    std::vector<V3f> points;
    Patch moved(const M44f& m) const;
};
using Shift = std::function<V3f(float angle, const V3f& p)>;
/// The outline carried along a profile. `to_centre` closes the upper end onto the axis (the profile's last height).
Patch loft(const Outline& outline, const std::vector<V2f>& profile, bool to_centre, const Shift& shift = {});
/// A round bar along a curve, with rounded ends where it does not close.
Patch tube(const std::vector<V3f>& curve, float radius, int sides, bool closed = false);

struct Part {
    std::string name;
    std::vector<Patch> patches;
};

/// Lays all patches out over `tiles` UDIM tiles without overlap at an even density, and writes a GLB: positions, smooth
/// normals, UVs. Returns the number of triangles.
Result<size_t> write_glb(const std::vector<Part>& parts, int tiles, const std::string& file);

}  // namespace vemtra::demo
