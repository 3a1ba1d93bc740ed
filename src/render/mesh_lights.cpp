#include "render/mesh_lights.h"

#include "base/parallel.h"
#include "render/emission.h"
#include "render/materials.h"

namespace vemtra::render {
namespace {

constexpr int looks = 4;             // at each face: layers are chosen by chance
constexpr float unseen_part = .02f;  // of an instance's mean: a face may shine where it was not looked at
constexpr size_t points_for_share = 512;
constexpr size_t many_faces = 256;  // from there on leaves of the tree hold several
constexpr size_t faces_of_leaf = 16;

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
    std::vector<LightBounds> bounds;
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
        const bool flat = !p.geometry->shape(i).stands_out();
        const size_t first = lights->faces_.size();
        lights->faces_.resize(first + mean.size());
        bounds.resize(first + mean.size());
        parallel_ranges(mean.size(), 4096, [&](size_t from, size_t to) {
            if (stopped(progress)) return;
            for (uint32_t f = uint32_t(from); f < to; ++f) {
                const float a = p.geometry->area(i, f);
                const bool good = std::isfinite(a) && a > 0.f;
                Lit& lit = lights->faces_[first + f];
                lit = {i, f, mean[f] + float(floor), good ? a : 0.f, {}, flat};
                constexpr float us[] = {0.f, 1.f, 0.f};
                constexpr float vs[] = {0.f, 0.f, 1.f};
                LightBounds& b = bounds[first + f];
                for (int k = 0; k < 3; ++k) {
                    lit.corner[k] = p.geometry->at({i, f, us[k], vs[k]}).position;
                    b.box.extendBy(lit.corner[k]);
                }
                b.power = lit.luminance * lit.area;
                if (!std::isfinite(b.power)) b.power = 0.f;
                if (flat)
                    b.axis = p.geometry->at({i, f, 1.f / 3.f, 1.f / 3.f}).normal_geometric;
                else
                    b.cos_spread = -1.f;
            }
        });
        if (stopped(progress)) return nullptr;
        for (size_t f = first; f < bounds.size(); ++f) total += double(bounds[f].power);
    }
    if (!(total > 0)) return nullptr;
    lights->tree_ = LightTree(bounds, bounds.size() > many_faces ? faces_of_leaf : 1);
    return lights;
}

namespace {

/// A spherical triangle, and points spread evenly over it (Arvo 1995, "Stratified Sampling of Spherical Triangles").
struct SphericalTriangle {
    V3f a, b, c;
    float angle = 0.f;
    SphericalTriangle(const V3f* corner, const V3f& from) {
        a = (corner[0] - from).normalized();
        b = (corner[1] - from).normalized();
        c = (corner[2] - from).normalized();
        // Van Oosterom and Strackee 1983
        const double volume = std::fabs(double(a.dot(b.cross(c))));
        const double below = 1. + double(a.dot(b)) + double(b.dot(c)) + double(c.dot(a));
        angle = float(2. * std::atan2(volume, below));
    }
    /// Small ones are what rounding leaves of a difference, and their area serves as well; so do those seen edge on.
    bool serves() const { return angle > 5e-3f && angle < 6.f; }
    V3f direction(float u, float v) const {
        const V3f ab = a.cross(b);
        const V3f ca = c.cross(a);
        if (!(ab.length2() > 1e-12f) || !(ca.length2() > 1e-12f)) return V3f(0.f);
        const float cos_alpha = std::clamp(-ab.normalized().dot(ca.normalized()), -1.f, 1.f);
        const float alpha = std::acos(cos_alpha);
        const float sin_alpha = std::sin(alpha);
        const float part = u * angle;
        const float s = std::sin(part - alpha);
        const float t = std::cos(part - alpha);
        const float p = t - cos_alpha;
        const float q = s + sin_alpha * std::clamp(a.dot(b), -1.f, 1.f);
        const float below = (q * s + p * t) * sin_alpha;
        const float cos_b = std::fabs(below) > 1e-12f ? ((q * t - p * s) * cos_alpha - q) / below : 1.f;
        const float k = std::clamp(cos_b, -1.f, 1.f);
        const V3f side = (c - a * c.dot(a)).normalized();
        const V3f c2 = a * k + side * std::sqrt(std::max(0.f, 1.f - k * k));
        const float z = 1.f - v * (1.f - std::clamp(c2.dot(b), -1.f, 1.f));
        const V3f away = c2 - b * c2.dot(b);
        if (!(away.length2() > 1e-14f)) return b;
        return b * z + away.normalized() * std::sqrt(std::max(0.f, 1.f - z * z));
    }
};

}  // namespace

MeshLights::Sample MeshLights::sample(const V3f& from, float choice, float u, float v, LightTree::Looks& looks) const {
    const LightTree::Chosen chosen = tree_.choose(from, std::clamp(choice, 0.f, .99999994f), looks);
    if (!(chosen.chance > 0.f)) return {};
    const Lit& lit = faces_[chosen.light];
    Sample s{{lit.instance, lit.face, 0.f, 0.f}, 0.f, lit.luminance, false};
    if (lit.flat) {
        const SphericalTriangle seen(lit.corner, from);
        const V3f d = seen.serves() ? seen.direction(u, v) : V3f(0.f);
        if (d.length2() > 0.f) {  // where it meets the face
            const V3f e1 = lit.corner[1] - lit.corner[0];
            const V3f e2 = lit.corner[2] - lit.corner[0];
            const V3f across = d.cross(e2);
            const float volume = e1.dot(across);
            if (std::fabs(volume) > 1e-20f) {
                const V3f to = from - lit.corner[0];
                s.place.u = clamp01(to.dot(across) / volume);
                s.place.v = std::min(1.f - s.place.u, clamp01(d.dot(to.cross(e1)) / volume));
                s.density = chosen.chance / seen.angle;
                s.per_angle = true;
                return s;
            }
        }
        if (seen.serves()) return {};
    }
    const float root = std::sqrt(clamp01(u));
    s.place.u = 1.f - root;
    s.place.v = clamp01(v) * root;
    s.density = lit.area > 0.f ? chosen.chance / lit.area : 0.f;
    return s;
}

float MeshLights::density(const geometry::Place& place, const V3f& from, float per_area) const {
    const uint32_t first = place.instance < first_.size() ? first_[place.instance] : dark;
    if (first == dark) return 0.f;
    const Lit& lit = faces_[first + place.face];
    if (!(lit.area > 0.f)) return 0.f;
    const float chance = tree_.chance(from, first + place.face);
    if (lit.flat)
        if (const SphericalTriangle seen(lit.corner, from); seen.serves()) return chance / seen.angle;
    return chance / lit.area * per_area;
}

float MeshLights::share(const Prepared& p, float others) const {
    std::vector<uint32_t> all(p.geometry->instances().size());
    for (uint32_t i = 0; i < all.size(); ++i) all[i] = i;
    const std::vector<geometry::Geometry::Strewn> points = p.geometry->strewn(all, points_for_share);
    double sum = 0;
    double weights = 0;
    for (uint32_t k = 0; k < points.size(); ++k) {
        const geometry::SurfacePoint s = p.geometry->at(points[k].place);
        const uint32_t number = mix32(k);
        auto u = [&](uint32_t salt) { return float(mix32(number + salt) >> 8) * 0x1p-24f; };
        const V3f from = geometry::offset_origin(s.position, s.normal_geometric);
        float brings = 0.f;
        if (const Sample to = sample(from, u(1), u(2), u(3)); to.density > 0.f) {
            const geometry::SurfacePoint there = p.geometry->at(to.place);
            const V3f way = there.position - from;
            const float d2 = way.length2();
            const V3f direction = way / std::sqrt(std::max(1e-20f, d2));
            const float cosine = -direction.dot(there.normal_geometric);
            const float facing = direction.dot(s.normal_geometric);
            if (d2 > 1e-14f && cosine > 1e-6f && facing > 0.f) {
                RTCIntersectContext context;
                rtcInitIntersectContext(&context);
                RTCRayHit ray = geometry::single_ray(from, direction, std::sqrt(d2) * .999f);
                rtcOccluded1(p.geometry->scene(), &context, &ray.ray);
                if (ray.ray.tfar >= 0.f)
                    brings =
                        to.luminance * facing / (to.per_angle ? to.density : to.density * d2 / (cosine * there.spread));
            }
        }
        const float part = brings + others > 0.f ? brings / (brings + others) : 0.f;
        if (!std::isfinite(part)) continue;
        sum += double(part) * double(points[k].area);
        weights += double(points[k].area);
    }
    return weights > 0 ? float(sum / weights) : 0.f;
}

}  // namespace vemtra::render
