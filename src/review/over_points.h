// Networks run over points of the asset, in batches, for measuring.
#pragma once
#include "render/materials.h"
#include "render/visible_points.h"

namespace vemtra::review {

using render::VisiblePoint;

/// Cuts the points that belong to the build-up into batches: calls run(batch, index of its first point). `seen`: by the camera; otherwise each
/// point is looked at along its normal.
template <class Run>
void over_batches(const render::Prepared& p, const std::vector<VisiblePoint>& points, const std::vector<size_t>& picks, Run&& run, bool seen = true) {
    auto arrays = std::make_unique<render::PointArrays>();
    for (size_t first = 0; first < picks.size(); first += size_t(nodes::max_batch)) {
        const size_t n = std::min(picks.size() - first, size_t(nodes::max_batch));
        for (size_t k = 0; k < n; ++k) {
            const VisiblePoint& v = points[picks[first + k]];
            geometry::Surface s = p.geometry->surface(v.mesh, v.triangle, v.u, v.v);
            const V3f wo = seen ? (p.camera.position - s.position).normalized() : s.normal;
            if (s.normal.dot(wo) < 0.f) s.normal = -s.normal;
            arrays->set(int(k), p, s, wo, v.mesh, v.triangle, v.u, v.v, v.width);
        }
        run(arrays->batch(int(n), p), first);
    }
}

/// Runs a program over the points; calls put(point index, component arrays, k).
template <class Put>
void over_points(const render::Prepared& p, const std::vector<VisiblePoint>& points, const std::vector<size_t>& picks, const program::Program& program, Put&& put, std::vector<size_t>* broken = nullptr) {
    program::Workspace workspace;
    workspace.broken = broken;
    std::vector<const float*> out(size_t(std::max(1, program.component_count())));
    over_batches(p, points, picks, [&](const nodes::PointBatch& batch, size_t first) {
        program.run(batch, workspace, out.data());
        for (size_t k = 0; k < size_t(batch.n); ++k) put(first + k, out.data(), k);
    });
}

}  // namespace vemtra::review
