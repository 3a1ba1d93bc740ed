#include "render/mesh_lights.h"

#include "base/parallel.h"
#include "render/alias.h"
#include "render/emission.h"
#include "render/materials.h"

namespace vemtra::render {
namespace {

constexpr int looks = 4;             // at each face: layers are chosen by chance
constexpr float unseen_part = .02f;  // of an instance's mean: a face may shine where it was not looked at
constexpr size_t most_from_afar = 4096;

/// Mean luminance of what each face of the instance gives off.
std::vector<float> face_luminance(const Prepared& p, uint32_t instance, Progress* progress) {
    const geometry::Shape& shape = p.geometry->shape(instance);
    std::vector<float> mean(shape.faces(), 0.f);
    const PreparedBuildUp& build_up = p.build_ups[size_t(p.build_up_of[instance])];
    constexpr size_t piece = nodes::max_batch / looks;
    parallel_ranges(mean.size(), piece, [&](size_t from, size_t to) {
        const auto m = std::make_unique<Materials>();
        std::vector<int> picks;
        for (size_t first = from; first < to && !stopped(progress); first += piece) {
            const size_t last = std::min(to, first + piece);
            m->begin();
            picks.clear();
            for (size_t k = 0; k < (last - first) * looks; ++k) {
                const uint32_t face = uint32_t(first + k / looks);
                const uint32_t turn = uint32_t(k % looks);
                MaterialPoint& point = m->points[k];
                // Four places that part the face evenly.
                constexpr float us[looks] = {1.f / 3.f, 2.f / 3.f, 1.f / 6.f, 1.f / 6.f};
                constexpr float vs[looks] = {1.f / 3.f, 1.f / 6.f, 2.f / 3.f, 1.f / 6.f};
                point.at = {instance, face, us[turn], vs[turn]};
                point.s = p.geometry->at(point.at);
                point.normal_mesh = point.s.normal;
                point.wo = point.s.normal;
                point.width = .5f * std::sqrt(p.geometry->area(instance, face));
                point.choice = (float(turn) + float(mix32(face * 4u + turn) >> 8) * 0x1p-24f) / float(looks);
                m->locate(int(k), p);
                picks.push_back(int(k));
            }
            m->choose(p, picks, build_up, nullptr);
            for (const int k : picks) {
                const surface::Slots& s = m->points[size_t(k)].slots;
                const float l = luminance(emitted(s)) * s.geometry_opacity / float(looks);
                if (std::isfinite(l)) mean[first + size_t(k) / looks] += std::max(0.f, l);
            }
        }
    });
    return mean;
}

}  // namespace

std::shared_ptr<const MeshLights> MeshLights::make(const Prepared& p, Progress* progress) {
    auto lights = std::make_shared<MeshLights>();
    const size_t instances = p.geometry->instances().size();
    lights->first_.assign(instances, dark);
    std::vector<double> weights;
    double total = 0;
    for (uint32_t i = 0; i < instances; ++i) {
        if (!p.build_ups[size_t(p.build_up_of[i])].may_shine) continue;
        const std::vector<float> mean = face_luminance(p, i, progress);
        if (stopped(progress)) return nullptr;
        double area = 0;
        double power = 0;
        for (uint32_t f = 0; f < mean.size(); ++f) {
            const double a = double(p.geometry->area(i, f));
            area += a;
            power += a * double(mean[f]);
        }
        if (!(area > 0)) continue;
        const double floor = std::max(1e-6, double(unseen_part) * power / area);
        lights->first_[i] = uint32_t(lights->faces_.size());
        for (uint32_t f = 0; f < mean.size(); ++f) {
            const double a = double(p.geometry->area(i, f));
            const double w = std::isfinite(a) ? a * (double(mean[f]) + floor) : 0.;
            lights->faces_.push_back({i, f, a > 0 ? float(w / a) : 0.f});
            weights.push_back(w);
            total += w;
        }
        const size_t step = std::max<size_t>(1, mean.size() / most_from_afar);
        for (size_t f = 0; f < mean.size(); f += step) {
            const float a = p.geometry->area(i, uint32_t(f)) * float(step);
            lights->seen_from_afar_.emplace_back(p.geometry->at({i, uint32_t(f), 1.f / 3.f, 1.f / 3.f}).position,
                                                 a * mean[f]);
        }
    }
    if (!(total > 0)) return nullptr;
    std::vector<float> chance(weights.size());
    for (size_t k = 0; k < weights.size(); ++k) {
        lights->faces_[k].density /= float(total);
        chance[k] = float(weights[k] / total);
    }
    fill_alias(chance, lights->keep_, lights->otherwise_);
    return lights;
}

geometry::Place MeshLights::sample(float u, float v, float& density) const {
    float rest;
    const size_t chosen = pick_alias(keep_, otherwise_, u, v, rest);
    const Lit& lit = faces_[chosen];
    density = lit.density;
    const float s = std::sqrt(clamp01(rest));
    return {lit.instance, lit.face, 1.f - s, clamp01(v) * s};
}

float MeshLights::density(const geometry::Place& place) const {
    const uint32_t first = place.instance < first_.size() ? first_[place.instance] : dark;
    return first == dark ? 0.f : faces_[first + place.face].density;
}

float MeshLights::power_at(const V3f& middle, float nearest) const {
    double sum = 0;
    for (const auto& [place, power] : seen_from_afar_)
        sum += double(power) / double(std::max(nearest * nearest, (place - middle).length2()));
    return float(sum);
}

}  // namespace vemtra::render
