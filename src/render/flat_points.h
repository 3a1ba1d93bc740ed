// A network read over a flat piece instead of the asset: a decal's frame, or a square of a pattern.
#pragma once
#include "render/materials.h"

namespace vemtra::render {

/// In the space of an instance's part. Its lower left corner is at uv_low, the upper right one at uv_low + uv_size.
struct FlatPiece {
    uint32_t instance = 0;
    V3f middle{0.f}, across{1, 0, 0}, up{0, 1, 0};  ///< metres, from edge to edge
    V2f uv_low{0.f}, uv_size{1.f};
    int width = 1, height = 1;  ///< points, row 0 on top
};

/// Calls f(point, values, at) for each: values[component][at] are the program's. What it asks for must be prepared;
/// fields are read at one place of the part.
template <class F>
void over_flat_piece(const Prepared& prepared, const FlatPiece& piece, const program::Program& program, F&& f) {
    auto arrays = std::make_unique<PointArrays>();
    const geometry::Place somewhere{piece.instance, 0, 1.f / 3.f, 1.f / 3.f};
    const V3f normal = piece.across.cross(piece.up).normalized();
    const V3f across = piece.across.normalized();
    geometry::SurfacePoint s = prepared.geometry->at(somewhere);
    program::Workspace workspace;
    const float step = piece.across.length() / float(piece.width);
    const int all = piece.width * piece.height;
    for (int first = 0; first < all; first += nodes::max_batch) {
        const int n = std::min(nodes::max_batch, all - first);
        for (int k = 0; k < n; ++k) {
            const size_t i = size_t(k);
            const V2f at((float((first + k) % piece.width) + .5f) / float(piece.width),
                         1.f - (float((first + k) / piece.width) + .5f) / float(piece.height));
            arrays->in_frame = true;  // these places lie on no form: nobody walks over one
            arrays->set(k, prepared, somewhere, s, s.normal, step);
            auto put = [&](int row, const V3f& v) {
                for (int c = 0; c < 3; ++c) arrays->values[size_t(row) + size_t(c)][i] = v[c];
            };
            put(nodes::row_position, piece.middle + piece.across * (at.x - .5f) + piece.up * (at.y - .5f));
            put(nodes::row_normal, normal);
            put(nodes::row_tangent, across);
            for (int c = 0; c < 2; ++c) {
                arrays->values[size_t(nodes::row_uv) + size_t(c)][i] = piece.uv_low[c] + piece.uv_size[c] * at[c];
                for (int d = 0; d < 2; ++d)
                    arrays->values[size_t(nodes::row_uv_axes) + size_t(2 * c + d)][i] =
                        c == d ? piece.uv_size[c] / float(c ? piece.height : piece.width) : 0.f;
            }
        }
        const float* out[4] = {};
        program.run(arrays->batch(n, prepared), workspace, out);
        for (int k = 0; k < n; ++k) f(first + k, out, k);
    }
}

}  // namespace vemtra::render
