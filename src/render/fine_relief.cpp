#include "render/fine_relief.h"

#include "nodes/kernels/spread.h"

namespace vemtra::render {

namespace {

constexpr size_t places_measured = 256;
constexpr float least_variance = 2e-5f;  // of normals: facets of roughness .1 are hardly wider by it
constexpr float least_share = 5e-3f;     // of what normals vary by anyway
constexpr float beside_edges = .9f;      // of the places, where the heights of edges are in the way
constexpr float beyond_slip = 3.5f;      // of the middle: seldom by chance
constexpr float steepest_look = 1.5f;    // beyond what lies around: see heighttonormal
constexpr float rounding = 3e-5f;        // of the largest coordinate: places that near each other differ by that

/// A step of barycentric coordinate that does not leave the face.
float inside(float from, float step, float room) {
    if (from + step <= room) return step;
    if (from - step >= 0.f) return -step;
    return room - from > from ? room - from : -from;
}

/// By the heights at three places; false where they span no area.
bool slope_of(const FineRelief::Probe& probe, const float* h, size_t first, V3f& slope) {
    const V3f at = probe.at[first].position;
    V3f d1;
    V3f d2;
    if (!dual_basis(probe.at[first + 1].position - at, probe.at[first + 2].position - at, d1, d2)) return false;
    slope = d1 * (h[first + 1] - h[first]) + d2 * (h[first + 2] - h[first]);
    return finite(slope);
}
/// Of a form whose normal would be `smooth` without it; false where it overhangs, or nearly.
bool slope_of(const V3f& normal, const V3f& smooth, V3f& slope) {
    const float upright = normal.dot(smooth);
    if (upright < .05f) return false;
    slope = smooth - normal / upright;
    return true;
}

/// At a point: by the first three heights, and as its form was computed.
bool slopes_at(const MaterialPoint& point, const FineRelief::Probe& probe, const float* h, V3f& fine, V3f& coarse) {
    return slope_of(probe, h, 0, fine) && slope_of(point.normal_mesh, probe.at[0].normal, coarse);
}

void turn_to(MaterialPoint& point, const V3f& smooth, const V3f& slope) {
    V3f normal = smooth - slope;
    const float length = normal.length();
    if (!(length > 1e-12f)) return;
    normal /= length;
    const V3f outer = point.inside ? -point.s.normal_geometric : point.s.normal_geometric;
    if (const float facing = normal.dot(outer); facing < .01f) normal = (normal + outer * (.01f - facing)).normalized();
    point.normal_mesh = normal;
    point.s.normal = towards_eye(point.inside ? -normal : normal, point.wo);
}

}  // namespace

FineRelief::FineRelief(std::shared_ptr<const Prepared> rest, std::vector<std::shared_ptr<const BuildUpRelief>> reliefs,
                       const std::vector<geometry::Instance>& moved, const std::vector<float>& spacing,
                       Workshop& workshop, bool at_once)
    : rest_(std::move(rest)), reliefs_(std::move(reliefs)), of_(spacing.size()) {
    std::unique_ptr<Work> work;
    for (size_t i = 0; i < spacing.size(); ++i) {
        const size_t b = size_t(rest_->build_up_of[i]);
        const BuildUpRelief* relief = b < reliefs_.size() ? reliefs_[b].get() : nullptr;
        if (!(spacing[i] > 0.f) || !relief || relief->any_way || rest_->parts[i]->flat) continue;
        Of& of = of_[i];
        const Box3f box = rest_->geometry->instances()[i].bounds();
        of.spacing = spacing[i];
        for (int a = 0; a < 3; ++a)
            of.least_step = std::max(of.least_step, rounding * std::max(std::fabs(box.min[a]), std::fabs(box.max[a])));
        of.thick = relief->has_thickness();
        // Edges that have a profile have a shape that is known at the computed points alone.
        of.coarse = relief->with_lips().empty() &&
                    spacing[i] > relief_spacing(*rest_->scene, rest_->camera, moved[i].bounds(), 1.f);
        const auto measure = [&] {
            if (!work) work = std::make_unique<Work>();
            return measured(uint32_t(i), *moved[i].shape, *work);
        };
        of.finer = workshop.finer_heights(moved[i].shape, at_once ? nullptr : std::function(measure));
    }
}

bool FineRelief::any() const {
    return std::any_of(of_.begin(), of_.end(), [](const Of& of) { return of.coarse || of.finer.any; });
}

bool FineRelief::by_footprint(const MaterialPoint& point) const {
    const Of& of = of_[point.at.instance];
    return of.coarse && (of.thick || !of.finer.any) && point.width < of.spacing;
}

template <class Steps, class Turn>
void FineRelief::probe(const std::vector<MaterialPoint>& points, Work& work, int places, const Lips* lips,
                       Steps&& steps, Turn&& turn) const {
    const size_t at_once = size_t(nodes::max_batch) / size_t(places);
    work.probes.resize(std::max(work.probes.size(), at_once));
    std::vector<Probe>& probes = work.probes;
    const geometry::Geometry& g = *rest_->geometry;
    for (size_t b = 0; b < reliefs_.size(); ++b) {
        size_t waiting = 0;
        auto flush = [&] {
            if (waiting == 0) return;
            reliefs_[b]->heights(work.arrays.batch(places * int(waiting), *rest_), work.workspace, work.heights.data(),
                                 lips);
            for (size_t k = 0; k < waiting; ++k) turn(probes[k], &work.heights[size_t(places) * k]);
            waiting = 0;
        };
        for (const size_t k : work.picks) {
            const MaterialPoint& point = points[k];
            if (size_t(rest_->build_up_of[point.at.instance]) != b) continue;
            Probe& probe = probes[waiting];
            probe.point = k;
            const std::array<float, 2> step = steps(point, of_[point.at.instance]);
            geometry::Place at = point.at;
            at.u = std::clamp(at.u, 0.f, 1.f);
            at.v = std::clamp(at.v, 0.f, 1.f - at.u);
            auto corner = [&](float u, float v) { return g.at({at.instance, at.face, u, v}).position; };
            const V3f first = corner(0.f, 0.f);
            const float along[2] = {(corner(1.f, 0.f) - first).length(), (corner(0.f, 1.f) - first).length()};
            for (size_t c = 0; c < size_t(places); ++c) {
                geometry::Place place = at;
                const float wide = step[c / 3];
                if (c % 3 == 1) place.u += inside(at.u, .5f * wide / std::max(along[0], 1e-12f), 1.f - at.v);
                if (c % 3 == 2) place.v += inside(at.v, .5f * wide / std::max(along[1], 1e-12f), 1.f - at.u);
                probe.at[c] = g.at(place);
                work.arrays.set(places * int(waiting) + int(c), *rest_, place, probe.at[c], probe.at[c].normal,
                                std::max(wide, reliefs_[b]->smoothing));
            }
            if (++waiting == at_once) flush();
        }
        flush();
    }
}

void FineRelief::refine(std::vector<MaterialPoint>& points, size_t n, Work& work) const {
    auto pick = [&](auto&& wanted) {
        work.picks.clear();
        for (size_t k = 0; k < n; ++k)
            if (points[k].at.instance < of_.size() && wanted(points[k])) work.picks.push_back(k);
        return !work.picks.empty();
    };
    auto footprint = [](const MaterialPoint& point, const Of& of) {
        return std::array{std::max(point.width, of.spacing / 64.f), 0.f};
    };
    auto around = [this](const MaterialPoint& point, const Of& of) {
        const float wide = of.thick && !by_footprint(point) ? of.spacing : std::min(point.width, of.spacing);
        const float near_by = std::max(std::min(point.width, wide) * nodes::fine_part, of.least_step);
        return std::array{near_by, std::max(wide, near_by)};
    };
    auto place = [&](const Probe& probe, const float* h) { towards_place(points[probe.point], probe, h); };
    if (pick([&](const MaterialPoint& p) { return by_footprint(p); }))
        probe(points, work, 3, nullptr, footprint,
              [&](const Probe& probe, const float* h) { towards_footprint(points[probe.point], probe, h); });
    if (pick([&](const MaterialPoint& p) { return wholly(p) && !of_[p.at.instance].thick; }))
        probe(points, work, 3, nullptr, around, place);
    Lips without;
    without.without_thickness = true;
    if (pick([&](const MaterialPoint& p) { return wholly(p) && of_[p.at.instance].thick; }))
        probe(points, work, 6, &without, around, place);
}

void FineRelief::towards_footprint(MaterialPoint& point, const Probe& probe, const float* h) const {
    V3f fine;
    V3f coarse;
    if (!slopes_at(point, probe, h, fine, coarse)) return;
    const Of& of = of_[point.at.instance];
    const float x = of.finer.any ? 1.f : clamp01(2.f * (1.f - point.width / of.spacing));
    turn_to(point, probe.at[0].normal, lerp(coarse, fine, x * x * (3.f - 2.f * x)));
}

void FineRelief::towards_place(MaterialPoint& point, const Probe& probe, const float* h) const {
    V3f fine;
    V3f coarse;
    if (!slopes_at(point, probe, h, fine, coarse)) return;
    const Of& of = of_[point.at.instance];
    V3f mean = coarse;
    if (of.thick) {
        if (!slope_of(probe, h, 3, mean)) return;
        // What the edges of thick layers add to the slope stays; what is beside the mean for other reasons does not.
        const float x = clamp01(2.f * ((coarse - mean).length() / (beyond_slip * of.finer.slip + 1e-12f) - 1.f));
        mean = lerp(coarse, mean, x);
    }
    if ((fine - mean).length() < steepest_look) turn_to(point, probe.at[0].normal, coarse + (fine - mean));
}

/// By how the displaced form's normals differ from those that it would have by heights of no width.
Workshop::FinerHeights FineRelief::measured(uint32_t instance, const geometry::Shape& moved, Work& work) const {
    const geometry::Instance& in = rest_->geometry->instances()[instance];
    const Of& of = of_[instance];
    const size_t faces = in.shape->faces();
    std::vector<MaterialPoint> points(faces > 0 ? places_measured : 0);
    for (size_t k = 0; k < points.size(); ++k) {
        MaterialPoint& point = points[k];
        point.at = {instance, uint32_t(k * faces / points.size()), 0.f, 0.f};
        V2f at(.7548777f * float(k), .5698403f * float(k));  // Roberts' sequence
        at -= V2f(std::floor(at.x), std::floor(at.y));
        if (at.x + at.y > 1.f) at = V2f(1.f) - at;
        point.at.u = at.x;
        point.at.v = at.y;
        point.normal_mesh = in.normal_to_world(moved.at(point.at.face, at.x, at.y).normal).normalized();
    }
    work.picks.resize(points.size());
    for (size_t k = 0; k < points.size(); ++k) work.picks[k] = k;
    struct Apart {
        float normals, slope, area;  // of the first two the squares
    };
    std::vector<Apart> apart;
    std::vector<float> slips;
    Lips without;
    without.without_thickness = true;
    probe(
        points, work, 6, &without,
        [](const MaterialPoint&, const Of& of) {
            return std::array{std::max(of.spacing * nodes::fine_part, of.least_step), of.spacing};
        },
        [&](const Probe& probe, const float* h) {
            const MaterialPoint& point = points[probe.point];
            V3f fine;
            V3f mean;
            V3f coarse;
            if (!slopes_at(point, probe, h, fine, coarse) || !slope_of(probe, h, 3, mean)) return;
            slips.push_back((coarse - mean).length());
            if ((fine - coarse).length() >= steepest_look) return;
            const float normals = ((probe.at[0].normal - fine).normalized() - point.normal_mesh).length2();
            apart.push_back({normals, fine.length2(), rest_->geometry->area(instance, point.at.face)});
        });
    std::sort(apart.begin(), apart.end(), [](const Apart& a, const Apart& b) { return a.normals < b.normals; });
    if (of.thick) apart.resize(size_t(beside_edges * float(apart.size())));
    double sum = 0.;
    double least = 0.;
    for (const Apart& a : apart) {
        sum += double(a.normals) * double(a.area);
        least += double(least_variance + least_share * a.slope) * double(a.area);
    }
    if (!(sum > least)) return {};
    const auto middle = slips.begin() + ptrdiff_t(slips.size() / 2);
    std::nth_element(slips.begin(), middle, slips.end());
    return {true, *middle};
}

}  // namespace vemtra::render
