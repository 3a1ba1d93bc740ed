#include "render/fine_relief.h"

namespace vemtra::render {

namespace {

/// A step of barycentric coordinate that does not leave the face.
float inside(float from, float step, float room) {
    if (from + step <= room) return step;
    if (from - step >= 0.f) return -step;
    return room - from > from ? room - from : -from;
}

}  // namespace

FineRelief::FineRelief(std::shared_ptr<const Prepared> rest, std::vector<std::shared_ptr<const BuildUpRelief>> reliefs,
                       std::vector<float> spacing)
    : rest_(std::move(rest)), reliefs_(std::move(reliefs)), spacing_(std::move(spacing)) {
    for (size_t i = 0; i < spacing_.size(); ++i) {
        const size_t b = size_t(rest_->build_up_of[i]);
        const BuildUpRelief* relief = b < reliefs_.size() ? reliefs_[b].get() : nullptr;
        // Edges of thick layers have a shape that is known at the computed points alone.
        if (!relief || relief->any_way || rest_->parts[i]->flat || !relief->with_lips().empty()) spacing_[i] = 0.f;
    }
}

bool FineRelief::wants(const MaterialPoint& point) const {
    return point.at.instance < spacing_.size() && point.width < spacing_[point.at.instance];
}

void FineRelief::refine(std::vector<MaterialPoint>& points, size_t n, Work& work) const {
    work.picks.clear();
    for (size_t k = 0; k < n; ++k)
        if (wants(points[k])) work.picks.push_back(k);
    if (work.picks.empty()) return;
    constexpr size_t at_once = size_t(nodes::max_batch) / 3;
    work.probes.resize(at_once);
    std::vector<Probe>& probes = work.probes;
    for (size_t b = 0; b < reliefs_.size(); ++b) {
        size_t waiting = 0;
        auto flush = [&] {
            if (waiting == 0) return;
            reliefs_[b]->heights(work.arrays.batch(int(3 * waiting), *rest_), work.workspace, work.heights.data(),
                                 nullptr);
            for (size_t k = 0; k < waiting; ++k) turn(points[probes[k].point], probes[k], &work.heights[3 * k]);
            waiting = 0;
        };
        for (const size_t k : work.picks) {
            const MaterialPoint& point = points[k];
            if (size_t(rest_->build_up_of[point.at.instance]) != b) continue;
            Probe& probe = probes[waiting];
            probe.point = k;
            const float wide = std::max(point.width, spacing_[point.at.instance] / 64.f);
            geometry::Place at = point.at;
            at.u = std::clamp(at.u, 0.f, 1.f);
            at.v = std::clamp(at.v, 0.f, 1.f - at.u);
            const geometry::Geometry& g = *rest_->geometry;
            auto corner = [&](float u, float v) { return g.at({at.instance, at.face, u, v}).position; };
            const V3f first = corner(0.f, 0.f);
            const float along[2] = {(corner(1.f, 0.f) - first).length(), (corner(0.f, 1.f) - first).length()};
            for (size_t c = 0; c < 3; ++c) {
                geometry::Place place = at;
                if (c == 1) place.u += inside(at.u, .5f * wide / std::max(along[0], 1e-12f), 1.f - at.v);
                if (c == 2) place.v += inside(at.v, .5f * wide / std::max(along[1], 1e-12f), 1.f - at.u);
                probe.at[c] = g.at(place);
                work.arrays.set(int(3 * waiting + c), *rest_, place, probe.at[c], probe.at[c].normal, wide);
            }
            if (++waiting == at_once) flush();
        }
        flush();
    }
}

void FineRelief::turn(MaterialPoint& point, const Probe& probe, const float* h) const {
    V3f d1;
    V3f d2;
    if (!dual_basis(probe.at[1].position - probe.at[0].position, probe.at[2].position - probe.at[0].position, d1, d2))
        return;
    const V3f fine = d1 * (h[1] - h[0]) + d2 * (h[2] - h[0]);
    const V3f smooth = probe.at[0].normal;
    const float upright = point.normal_mesh.dot(smooth);
    if (!finite(fine) || upright < .05f) return;
    const V3f coarse = smooth - point.normal_mesh / upright;
    const float spacing = spacing_[point.at.instance];
    const float x = clamp01(2.f * (1.f - point.width / spacing));
    const float share = x * x * (3.f - 2.f * x);
    V3f normal = smooth - lerp(coarse, fine, share);
    const float length = normal.length();
    if (!(length > 1e-12f)) return;
    normal /= length;
    const V3f outer = point.inside ? -point.s.normal_geometric : point.s.normal_geometric;
    if (const float facing = normal.dot(outer); facing < .01f) normal = (normal + outer * (.01f - facing)).normalized();
    point.normal_mesh = normal;
    point.s.normal = towards_eye(point.inside ? -normal : normal, point.wo);
}

}  // namespace vemtra::render
