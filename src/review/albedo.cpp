#include "review/albedo.h"

#include "render/sampler.h"

namespace vemtra::review {

MeasuredAlbedo measure_albedo(const render::Prepared& p, const geometry::Place& at, float cosine, int paths) {
    MeasuredAlbedo out;
    out.cosine = std::clamp(cosine, 1e-3f, 1.f);
    out.paths = paths;
    const geometry::SurfacePoint s = p.geometry->at(at);
    const Frame frame(s.normal);
    const float mu = std::min(out.cosine, .99999f);
    const V3f wo(std::sqrt(1.f - mu * mu), 0.f, mu);
    auto materials = std::make_unique<render::Materials>();
    auto stack = std::make_unique<surface::Stack>();
    const int batch = nodes::max_batch;
    std::vector<int> picks;
    double sum[3] = {};
    double squares[3] = {};
    double through[3] = {};
    for (int first = 0; first < paths; first += batch) {
        const int n = std::min(batch, paths - first);
        materials->begin();
        picks.clear();
        for (int i = 0; i < n; ++i) {
            render::MaterialPoint& point = materials->points[size_t(i)];
            point.s = s;
            point.wo = frame.to_world(wo);
            point.normal_mesh = s.normal;
            point.at = at;
            point.inside = false;
            float unused;
            render::sample_2d(91u, uint32_t(first + i), 0, point.choice, unused);
            materials->locate(i, p);
            picks.push_back(i);
        }
        materials->choose(p, picks, p.build_ups[size_t(p.build_up_of[at.instance])], nullptr);
        for (int i = 0; i < n; ++i) {
            const uint32_t index = uint32_t(first + i);
            surface::WalkRandom random(mix32(index + 0x9e3779b9u));
            if (const float opacity = materials->points[size_t(i)].slots.geometry_opacity;
                opacity < 1.f && random.next() >= opacity) {
                for (double& t : through) t += 1.;
                continue;
            }
            materials->stack(*stack, i, p, frame, 1.f, false, 0.f, 0.f, random);
            const auto seen = stack->seen_from(wo);
            float a;
            float b;
            float c;
            float d;
            render::sample_2d(91u, index, 1, a, b);
            render::sample_2d(91u, index, 2, c, d);
            const surface::Scattered scattered = stack->sample(seen, c, a, b, random);
            if (scattered.pdf <= 0.f) continue;
            const bool back = !scattered.enters_subsurface && scattered.wi.z > 0.f;
            for (int k = 0; k < 3; ++k) {
                const double w = double(scattered.weight[k]);
                if (!back)
                    through[k] += w;
                else
                    sum[k] += w, squares[k] += w * w;
            }
        }
    }
    for (int k = 0; k < 3; ++k) {
        const double mean = sum[k] / paths;
        out.mean[k] = float(mean);
        out.deviation[k] = float(std::sqrt(std::max(0., squares[k] / paths - mean * mean) / paths));
        out.through[k] = float(through[k] / paths);
    }
    return out;
}

}  // namespace vemtra::review
