// Barycentric grids: a face of resolution r has samples at (i / r, j / r), i + j <= r, row by row along v.
#pragma once
#include <cstddef>

namespace vemtra::geometry {

inline size_t grid_size(int r) {
    return size_t(r + 1) * size_t(r + 2) / 2;
}
/// Where row j begins.
inline size_t grid_row(int r, int j) {
    return size_t(j) * size_t(r + 1) - size_t(j) * size_t(j - 1) / 2;
}

}  // namespace vemtra::geometry
