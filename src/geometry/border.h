// How far a mask's border is: at the grid points of faces, along the surface.
//
// The border, where the mask crosses a half, is found on the sides of the grid's small triangles by halving, so that a
// hard threshold lies where it lies and not on the grid; through each triangle it goes as a straight piece. Pieces are
// then handed on from point to point, over sides of faces too, as far as they are nearer than what a point knows
// (Danielsson 1980, "Euclidean distance mapping", over a surface); what is kept is the distance through space to the
// nearest piece that came along the surface.
#pragma once
#include <optional>

#include "geometry/relief.h"

namespace vemtra::geometry {

/// Metres: farther within a border, or outside of it, than any border is looked for.
inline constexpr float no_border = 1e9f;

struct BorderGrid {
    float width = 1.f;            ///< metres of the mesh's own space
    std::vector<size_t> first;    ///< per face: its points, in the order of field_grid.h
    std::vector<uint8_t> level;   ///< per face, as ReliefLevels
    std::vector<uint16_t> codes;  ///< see share()
    uint64_t content = 0;         ///< equal grids of any run have the same
    /// How far within the border a grid point is, in widths: 0 at the border, 1 from one width on, below 0 outside.
    float share(size_t point) const { return float(codes[point]) * (1.f / 32767.f) - 1.f; }
    /// Of the grid point nearest to a place.
    float at(uint32_t face, float u, float v) const;
    /// Straight between the three grid points around a place.
    float between(uint32_t face, float u, float v) const;
    size_t bytes() const { return 8 * first.capacity() + level.capacity() + 2 * codes.capacity(); }
};

enum class BorderSides : uint8_t {
    within,  ///< outside all is 0
    both
};

/// `mask`: makes an evaluator of the mask for each thread and piece of work; at half and more it covers. `width` above
/// 0, metres of the mesh's own space. The same at any thread count. Nothing if stopped.
std::optional<BorderGrid> border_grid(const Mesh& mesh, const Welds& welds, const ReliefLevels& levels, float width,
                                      BorderSides sides, const std::function<HeightsAt()>& mask,
                                      Progress* progress = nullptr);

/// Through the disk: what was kept of this content, over the faces of that mesh. Nothing where there is none, or it
/// does not fit.
std::optional<BorderGrid> kept_border(const Mesh& mesh, uint64_t content);
void keep_border(const BorderGrid& grid);

}  // namespace vemtra::geometry
