#include "review/evaluate_at.h"

#include "render/materials.h"

namespace vemtra::review {

std::vector<float> evaluate_at(const render::Prepared& prepared, uint32_t instance,
                               const std::vector<geometry::UvPoint>& points, const program::Program& program) {
    const size_t components = size_t(program.component_count());
    std::vector<float> out(points.size() * components, NAN);
    auto arrays = std::make_unique<render::PointArrays>();
    program::Workspace workspace;
    std::vector<size_t> batch;
    std::vector<const float*> results(components);
    auto flush = [&] {
        if (batch.empty()) return;
        program.run(arrays->batch(int(batch.size()), prepared), workspace, results.data());
        for (size_t k = 0; k < batch.size(); ++k)
            for (size_t c = 0; c < components; ++c) out[batch[k] * components + c] = results[c][k];
        batch.clear();
    };
    for (size_t i = 0; i < points.size(); ++i) {
        if (!points[i].covered) continue;
        const geometry::Place at{instance, points[i].face, points[i].u, points[i].v};
        const geometry::SurfacePoint s = prepared.geometry->at(at);
        arrays->set(int(batch.size()), prepared, at, s, s.normal, 0.f);
        batch.push_back(i);
        if (batch.size() == size_t(nodes::max_batch)) flush();
    }
    flush();
    return out;
}

}  // namespace vemtra::review
