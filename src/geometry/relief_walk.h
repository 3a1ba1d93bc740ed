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
// a quarter as long as its parent, as long as it meets the boxes around such hulls; at the bottom the small triangles
// of a block of 4 x 4 are met at once. Boxes are axis-aligned in a frame of the face, where thin relief is thin.
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
    int size;        ///< segments along a side: a power of four
    uint64_t index;  ///< among all pieces of its size, children of one piece following each other
};

inline constexpr int relief_block = 4;    ///< segments along a side of the smallest piece that has children
inline constexpr int relief_lanes = 16;   ///< children of a piece, in the order of relief_children()
inline constexpr int relief_points = 32;  ///< points of a block: row by row, five to a row; the rest is filling

/// Where child `lane` of a piece begins, in quarters of the piece along i and j, and whether it stands as its parent.
struct ReliefChild {
    int a, b, sign;
};
/// Ten that stand as their parent, row by row; then six between them.
inline constexpr ReliefChild relief_children[relief_lanes] = {
    {0, 0, 1}, {1, 0, 1}, {2, 0, 1}, {3, 0, 1}, {0, 1, 1},  {1, 1, 1},  {2, 1, 1},  {0, 2, 1},
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

struct ReliefFace {
    float corner[3][3], along[3][3];  ///< along: the direction, times metres per unit of height
    int levels = 0;                   ///< even
    /// Sides (of corner c to the next) whose other face has a grid a quarter as fine: the points between its points
    /// are drawn to them.
    bool coarse[3] = {};
    const FaceHeights* heights = nullptr;
};
struct ReliefRay {
    float origin[3], direction[3];
    float near, far;
};
struct ReliefHit {
    float t, u, v;      ///< u, v: of the face, by grid points where they stand before they are drawn to a coarser side
    float normal[3];    ///< of the small triangle, not of unit length
};
/// The first hit between near and far, exclusive; with `any` just some one. False where there is none.
using MeetRelief = bool (*)(const ReliefFace& face, const ReliefRay& ray, bool any, ReliefHit& hit);

namespace avx2 {
bool meet_relief(const ReliefFace& face, const ReliefRay& ray, bool any, ReliefHit& hit);
}
namespace avx512 {
bool meet_relief(const ReliefFace& face, const ReliefRay& ray, bool any, ReliefHit& hit);
}

/// The grid points of a block from (i, j) on, in the order of relief_points; on coarse sides where they are drawn to.
/// `segments`: 4, or 1 for a face without levels.
inline void relief_block_points(const ReliefFace& face, int i0, int j0, int sign, int segments, int* i, int* j) {
    const int n = 1 << face.levels;
    for (int b = 0; b < 5; ++b)
        for (int a = 0; a < 5; ++a) {
            const bool there = a + b <= segments;
            i[5 * b + a] = i0 + (there ? sign * a : 0);
            j[5 * b + a] = j0 + (there ? sign * b : 0);
        }
    for (int k = 25; k < relief_points; ++k) i[k] = i0, j[k] = j0;
    if (sign < 0 || segments < relief_block) return;
    for (int k = 1; k < 4; ++k) {
        const int to = k < 2 ? 0 : 4;
        if (face.coarse[0] && j0 == 0) i[k] = i0 + to;
        if (face.coarse[2] && i0 == 0) j[5 * k] = j0 + to;
        if (face.coarse[1] && i0 + j0 + 4 == n) i[5 * k + 4 - k] = i0 + 4 - to, j[5 * k + 4 - k] = j0 + to;
    }
}

}  // namespace vemtra::geometry
