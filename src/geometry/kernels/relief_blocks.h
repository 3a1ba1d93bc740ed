// The blocks at the bottom of a relief's walk: their points, and the small triangles between those.
#pragma once
#include "geometry/kernels/lanes.h"
#include "geometry/relief_walk.h"

namespace vemtra::geometry::VEMTRA_ISA {
namespace {

/// The grid points of a block of up to four segments, row by row without gaps: fifteen, and one of filling.
struct BlockPoints {
    alignas(64) int i[16];
    alignas(64) int j[16];
};
constexpr int row_begins[5] = {0, 5, 9, 12, 14};
struct BlockTables {
    alignas(64) int a[3][16], b[3][16];  // of blocks of 1, 2 and 4 segments
};
constexpr BlockTables make_block_tables() {
    BlockTables t{};
    for (int k = 0; k < 3; ++k)
        for (int b = 0; b < 5; ++b)
            for (int a = 0; a + b < 5; ++a)
                if (a + b <= 1 << k) t.a[k][row_begins[b] + a] = a, t.b[k][row_begins[b] + a] = b;
    return t;
}
inline void block_points(const ReliefFace& f, const ReliefPiece& p, BlockPoints& out) {
    static constexpr BlockTables tables = make_block_tables();
    const int kind = p.size == 4 ? 2 : p.size - 1;
    const Ints sign = both(p.sign);
    store(out.i, both(p.i) + sign * load(tables.a[kind]));
    store(out.j, both(p.j) + sign * load(tables.b[kind]));
    if (p.sign < 0) return;  // it touches sides with its corners alone, which stand
    const int n = 1 << f.levels;
    for (int k = 1; k < p.size; ++k) {
        if (f.coarse[0] && p.j == 0) out.i[k] = relief_drawn(p.i + k, f.coarse[0]);
        if (f.coarse[2] && p.i == 0) out.j[row_begins[k]] = relief_drawn(p.j + k, f.coarse[2]);
        if (f.coarse[1] && p.i + p.j + p.size == n) {
            const int at = row_begins[k] + p.size - k;
            out.j[at] = relief_drawn(p.j + k, f.coarse[1]);
            out.i[at] = n - out.j[at];
        }
    }
}
/// The small triangles of a block: ten that stand as it does, row by row, then six between them; where each begins, and
/// its points among those of the block. Smaller blocks have the first of their rows.
struct BlockTriangles {
    alignas(64) int a[16], b[16], c[16];
    int line[16], column[16];
    Mask valid[3];  ///< of blocks of 1, 2 and 4 segments
};
constexpr int upright_triangles = 10;
constexpr BlockTriangles make_block_triangles() {
    BlockTriangles t{};
    int lane = 0;
    for (int between = 0; between < 2; ++between)
        for (int line = 0; line < 4; ++line)
            for (int column = 0; column + line + between < 4; ++column, ++lane) {
                const int first = row_begins[line] + column;
                const int above = row_begins[line + 1] + column;
                t.a[lane] = between ? above + 1 : first;
                t.b[lane] = between ? above : first + 1;
                t.c[lane] = between ? first + 1 : above;
                t.line[lane] = line;
                t.column[lane] = column;
                for (int k = 0; k < 3; ++k)
                    if (line + column + between < 1 << k) t.valid[k] |= 1u << lane;
            }
    return t;
}

}  // namespace
}  // namespace vemtra::geometry::VEMTRA_ISA
