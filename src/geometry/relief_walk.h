// A ray and one displaced face: what the walk sees. Compiled once per instruction set (docs/decisions/0003), so it
// stays free of the standard library.
//
// A face of corners P0, P1, P2 carries a direction D at each of them, and a height h(i, j) at the points of a grid:
// n = 2^levels segments along every side, i towards the second corner, j towards the third. The displaced surface is
// made of the n * n small triangles between
//     S(i, j) = P(i, j) + h(i, j) D(i, j),   P and D linear between the corners.
// None of them is ever stored. For heights within [lo, hi] the part of the surface over any triangle of the grid lies
// in the convex hull of six points, its corners moved by lo D and by hi D: S is linear in P for a given height, and
// linear in the height for a given P. So a ray goes down from the face through pieces of it, sixteen at a time, each
// a quarter as long as its parent, as long as it meets the slabs around such hulls; at the bottom the small triangles
// of a block of 4 x 4 are met at once. Slabs lie along the three sides of the face and its plane, so that those of a
// piece that is not moved are the piece itself, and thin relief is thin.
// Offsets that go any way take the place of h D where a network says so: then the slabs of a piece are those of its
// three corners, widened by the bounds of the offsets over it.
// (After Thonat et al. 2021, "Tessellation-Free Displacement Mapping for Ray Tracing"; the hull of six points is exact
// for a linear direction and takes the place of their affine arithmetic.)
//
// Watertight: a small triangle is met by the test of Woop, Benthin and Wald (2013), whose outcome at a side depends
// on nothing but the side's two points; and the points on a side of the face come out the same, bit by bit, for every
// face that shares it: each sum there has two terms that are not zero. Contraction to fused operations would break
// that, and is off.
#pragma once
#include <cstdint>

namespace vemtra::geometry {

/// A piece of a face: the triangle of grid points (i, j), (i + sign * size, j), (i, j + sign * size).
struct ReliefPiece {
    int i, j;
    int sign;        ///< 1, or -1: it stands on its head
    int size;        ///< segments along a side: a power of four, but for the whole of a face of odd level
    uint64_t index;  ///< among all pieces of its size, children of one piece following each other
};

inline constexpr int relief_block = 4;   ///< segments along a side of the smallest piece that has children
inline constexpr int relief_lanes = 16;  ///< children of a piece, in the order of relief_children()

/// The pieces of a whole face of odd level are four, each half as long: they stand in the first four lanes.
inline constexpr int relief_halves = 4;
/// Where child `lane` of a piece begins, in quarters of the piece along i and j, and whether it stands as its parent.
struct ReliefChild {
    int a, b, sign;
};
/// Ten that stand as their parent, row by row; then six between them.
inline constexpr ReliefChild relief_children[relief_lanes] = {
    {0, 0, 1}, {1, 0, 1}, {2, 0, 1},  {3, 0, 1},  {0, 1, 1},  {1, 1, 1},  {2, 1, 1},  {0, 2, 1},
    {1, 2, 1}, {0, 3, 1}, {1, 1, -1}, {2, 1, -1}, {3, 1, -1}, {1, 2, -1}, {2, 2, -1}, {1, 3, -1}};

/// The heights over one face. Any thread may ask.
class FaceHeights {
public:
    virtual ~FaceHeights();
    /// The least and the largest height over each child of a piece (whose size is above relief_block), its borders
    /// included.
    virtual void bounds(const ReliefPiece& piece, float* lo, float* hi) const = 0;
    /// At `count` grid points of the face.
    virtual void at(const int* i, const int* j, int count, float* out) const = 0;
};

/// One level of a map's min-max pyramid; each array may be read two bytes beyond its end.
struct ReliefMapLevel {
    const uint16_t *lo, *hi;
    int width, height;
};

/// Heights as 16-bit codes, for a walk that asks nobody.
struct ReliefCodes {
    float least = 0.f, step = 0.f;  ///< metres of a code are least + step * code,
    const float* metres = nullptr;  ///< or stand here
    /// The least and largest of pieces, step by step: the face's sixteen children, then theirs. Null: the map's pyramid
    /// says it, or where that is null bounds().
    const uint16_t *lo = nullptr, *hi = nullptr;
    /// At grid points, row by row; or, where null, of a map between its texels:
    const uint16_t* grid = nullptr;
    const uint16_t* texels = nullptr;  ///< width * height, row 0 on top
    int width = 0, height = 0;
    bool repeat = false;
    const ReliefMapLevel* pyramid = nullptr;  ///< [0] are the texels
    int pyramid_levels = 0;
    float u[3], v[3];  ///< of the corners, on the map
    /// Offsets, that go any way, in place of heights: `grid` holds their codes along x, then those along y and z, so
    /// many each; 0: heights. Bounds of pieces are then three times sixteen codes, along the axes of the face's frame.
    uint64_t offsets = 0;
    float offset_least = 0.f, offset_step = 0.f;  ///< metres of a code of bounds, along axes of unit length
};
/// Pieces of a face of this level that are noted before those `depth` steps below it; depth 1 are its own children, and
/// have sixteen places.
inline __attribute__((always_inline)) uint64_t relief_pieces_before(int level, int depth) {
    if (level % 2 == 0) return ((uint64_t(1) << (4 * depth)) - 16) / 15;
    return depth == 1 ? 0 : 16 + 4 * (((uint64_t(1) << (4 * (depth - 1))) - 16) / 15);
}
/// How many there are in all.
inline __attribute__((always_inline)) uint64_t relief_pieces(int level) {
    return level < 3 ? 0 : relief_pieces_before(level, (level + 1) / 2);
}
/// Steps below the face of its pieces of that size.
inline __attribute__((always_inline)) int relief_depth(int level, int size) {
    return (level + level % 2 - (31 - __builtin_clz(unsigned(size)))) / 2;
}
/// Child `lane` of a piece; `whole_odd`: that piece is a whole face of odd level.
inline __attribute__((always_inline)) constexpr ReliefPiece relief_child(const ReliefPiece& p, int lane,
                                                                         bool whole_odd) {
    const int size = whole_odd ? p.size / 2 : p.size / 4;
    const ReliefChild c =
        whole_odd ? ReliefChild{lane == 3 || lane == 1, lane >= 2, lane == 3 ? -1 : 1} : relief_children[lane];
    return {p.i + p.sign * c.a * size, p.j + p.sign * c.b * size, p.sign * c.sign, size,
            p.index * relief_lanes + uint64_t(lane)};
}

/// The face in coordinates of its own: along its first and its last side, in segments, and out of its plane. A piece of
/// the flat face lies between two numbers of the first, two of the second, and two of their sum: that is all of a
/// triangle, and no more, where a box of right angles has twice its area.
struct ReliefFrame {
    float axes[3][3], first[3],
        middle[3];              ///< what gives the coordinates; the first corner and the middle, where they are
    float d0[3], d1[3], d2[3];  ///< the direction at the first corner, and its steps per segment
    float size, reach[3];       ///< of coordinates, for what rounding moves; of the axes
    float length[3];            ///< of the axes
    bool flat;                  ///< false: it has no area, and no box is to be trusted
};
struct ReliefFace;
/// Of a face whose corners, directions and levels are set.
ReliefFrame relief_frame(const ReliefFace& face);

struct ReliefFace {
    float corner[3][3], along[3][3];  ///< along: the direction, times metres per unit of height
    int levels = 0;
    /// Per side (of corner c to the next): by how many levels, at most 2, its other face is coarser. The points between
    /// that one's points are drawn to them.
    uint8_t coarse[3] = {};
    const FaceHeights* heights = nullptr;
    const ReliefCodes* codes = nullptr;  ///< null: `heights` knows all
    /// Bits 0 to 2: sides, 3 to 5: corners, whose heights `heights` knows, whatever the codes say.
    uint8_t seams = 0;
    ReliefFrame frame;  ///< where levels are above 2
};
struct ReliefRay {
    float origin[3], direction[3];
    float near, far;
};
struct ReliefHit {
    float t, u, v;    ///< u, v: of the face, by grid points where they stand before they are drawn to a coarser side
    float normal[3];  ///< of the small triangle, not of unit length
};
/// The first hit between near and far, exclusive; with `any` just some one. False where there is none.
using MeetRelief = bool (*)(const ReliefFace& face, const ReliefRay& ray, bool any, ReliefHit& hit);

namespace avx2 {
bool meet_relief(const ReliefFace& face, const ReliefRay& ray, bool any, ReliefHit& hit);
}
namespace avx512 {
bool meet_relief(const ReliefFace& face, const ReliefRay& ray, bool any, ReliefHit& hit);
}

/// A point k of a side, where the other face is coarser by so many levels.
inline __attribute__((always_inline)) int relief_drawn(int k, int coarse) {
    const int r = 1 << coarse;
    const int over = k & (r - 1);
    return 2 * over < r ? k - over : k + r - over;
}
/// Where a grid point stands.
inline __attribute__((always_inline)) void relief_draw(const uint8_t* coarse, int n, int& i, int& j) {
    if (j == 0)
        i = relief_drawn(i, coarse[0]);
    else if (i == 0)
        j = relief_drawn(j, coarse[2]);
    else if (i + j == n)
        j = relief_drawn(j, coarse[1]), i = n - j;
}

}  // namespace vemtra::geometry
