// Networks run over points of the asset, in batches, for measuring.
#pragma once
#include "render/materials.h"
#include "render/visible_points.h"

namespace vemtra::review {

using render::VisiblePoint;

/// Who looks at the points: the scene's camera, nobody (each point is seen along its normal), or a camera of the
/// caller's.
enum class SeenBy : uint8_t { camera, nobody };

/// Cuts the picked points into batches: calls run(batch, index of its first point among the picks).
template <class Run>
void over_batches(const render::Prepared& p, const std::vector<VisiblePoint>& points, const std::vector<size_t>& picks,
                  Run&& run, SeenBy seen = SeenBy::camera, const scene::Camera* camera = nullptr) {
    auto arrays = std::make_unique<render::PointArrays>();
    const V3f eye = camera ? camera->position : p.camera.position;
    for (size_t first = 0; first < picks.size(); first += size_t(nodes::max_batch)) {
        const size_t n = std::min(picks.size() - first, size_t(nodes::max_batch));
        for (size_t k = 0; k < n; ++k) {
            const VisiblePoint& v = points[picks[first + k]];
            const geometry::SurfacePoint s = p.geometry->at(v.at);
            arrays->set(int(k), p, v.at, s, seen == SeenBy::camera ? (eye - s.position).normalized() : s.normal,
                        v.width);
        }
        run(arrays->batch(int(n), p), first);
    }
}

/// Runs a program over the points; calls put(index among the picks, component arrays, place in them).
template <class Put>
void over_points(const render::Prepared& p, const std::vector<VisiblePoint>& points, const std::vector<size_t>& picks,
                 const program::Program& program, Put&& put, std::vector<size_t>* broken = nullptr,
                 const scene::Camera* camera = nullptr) {
    program::Workspace workspace;
    workspace.broken = broken;
    std::vector<const float*> out(size_t(std::max(1, program.component_count())));
    over_batches(
        p, points, picks,
        [&](const nodes::PointBatch& batch, size_t first) {
            program.run(batch, workspace, out.data());
            for (size_t k = 0; k < size_t(batch.n); ++k) put(first + k, out.data(), k);
        },
        SeenBy::camera, camera);
}

}  // namespace vemtra::review
