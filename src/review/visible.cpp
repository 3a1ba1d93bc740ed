#include "review/visible.h"

#include <algorithm>

#include "nodes/description.h"
#include "review/layer_faults.h"
#include "review/over_points.h"
#include "surface/open_pbr.h"

namespace vemtra::review {

V2f Histogram::between(float lower, float upper) const {
    const float width = (high - low) / float(bins);
    float total = 0.f;
    for (const float s : share) total += s;
    V2f ends(largest, largest);
    float sum = 0.f;
    bool first = false;
    for (int i = 0; i < bins; ++i) {
        sum += share[size_t(i)];
        if (!first && sum > lower * total) {
            ends.x = low + width * float(i);
            first = true;
        }
        if (sum >= upper * total) {
            ends.y = low + width * float(i + 1);
            break;
        }
    }
    ends.x = std::clamp(ends.x, smallest, largest);
    ends.y = std::clamp(ends.y, ends.x, largest);
    return ends;
}

namespace {

constexpr int across = int(measuring_width), down = 150;  // points that the camera is asked for

/// The colour by which a layer is known: what it scatters, lets through or covers with; of metals and films, what they
/// reflect straight on, which need not stand in any slot.
V3f color_of(const render::PreparedLayer& layer, const surface::Slots& s) {
    if (layer.coat) return s.coat_color;
    if (s.base_metalness > 0.f || s.thin_film_weight > 0.f)
        return surface::Bsdf(s, surface::Bsdf::eta_of(s, 1.f, false)).seen_from(V3f(0.f, 0.f, 1.f)).albedo;
    const V3f body =
        s.subsurface_color * s.subsurface_weight + s.base_color * (s.base_weight * (1.f - s.subsurface_weight));
    return s.transmission_color * s.transmission_weight + body * (1.f - s.transmission_weight);
}

/// The layers of one build-up, outermost first: what each leaves open goes on to the next one below.
class LayerMeasuring {
public:
    LayerMeasuring(const render::Prepared& p, const scene::BuildUp& build_up, size_t index,
                   const std::vector<VisiblePoint>& points, Measured& out)
        : p_(p), build_up_(build_up), index_(index), points_(points), out_(out) {
        for (size_t i = 0; i < points.size(); ++i)
            if (points[i].hit && p.build_up_of[points[i].at.instance] == int(index)) picks_.push_back(i);
        open_.assign(picks_.size(), 1.f);
        out.points = picks_.size();
        out.layers.resize(build_up.layers.size());
    }
    void run(const Progress* stop) {
        for (const render::PreparedLayer& layer : p_.build_ups[index_].layers)
            if (!stopped(stop)) measure(layer);
    }

private:
    void measure(const render::PreparedLayer& layer) {
        const size_t k = size_t(layer.index - p_.first_layer[index_]);
        const std::string place = build_up_.name + " / " + build_up_.layers[k].name;
        const std::vector<float> takes = layer.always  ? std::vector<float>(picks_.size(), 1.f)
                                         : layer.decal ? through_frames(layer)
                                                       : through_gate(layer, k, place);
        double sum = 0;
        V3f color(0.f);
        const render::PreparedLayer* shown = &layer;  // a build-up as a layer is known by its base
        while (shown->nested) shown = &shown->nested->layers.back();
        program::Workspace workspace;
        LayerFaults faults(p_, *shown);
        over_batches(p_, points_, picks_, [&](const nodes::PointBatch& seen, size_t first) {
            const nodes::PointBatch& batch = layer.decal ? framed(layer, seen) : seen;
            faults.look(batch, workspace);
            shown->slots_at(batch, workspace, [&](int at, const surface::Slots& slots) {
                const size_t i = first + size_t(at);
                const float share = open_[i] * takes[i];
                if (!layer.coat && layer.print == scene::Print::covers) open_[i] -= share;
                sum += double(share);
                color += color_of(*shown, slots) * share;
            });
        });
        faults.tell(place, out_.faults);
        if (!picks_.empty()) out_.layers[k].coverage = float(sum / double(picks_.size()));
        if (sum > 0) out_.layers[k].color = color / float(sum);
    }

    /// The batch as a decal reads it; points that none of its frames holds fade to nothing.
    const nodes::PointBatch& framed(const render::PreparedLayer& layer, const nodes::PointBatch& batch) {
        const auto& decals = p_.build_ups[index_].decals;
        hits_.assign(size_t(batch.n), render::DecalHit());
        for (render::DecalHit& h : hits_) {
            h = {};
            h.fade = 0.f;
            std::fill_n(h.uv, 2, 0.f);
            std::fill_n(h.axes, 4, 0.f);
        }
        for (int i = 0; decals && i < batch.n; ++i) {
            found_.clear();
            decals->at(batch, i, found_);
            for (const render::DecalHit& h : found_)
                if (h.layer == layer.own && (hits_[size_t(i)].fade <= 0.f || h.order > hits_[size_t(i)].order))
                    hits_[size_t(i)] = h;
        }
        return decal_batch_->over(batch, hits_.data());
    }
    std::vector<float> through_frames(const render::PreparedLayer& layer) {
        std::vector<float> takes(picks_.size(), 0.f);
        program::Workspace workspace;
        std::vector<float> out(size_t{nodes::max_batch});
        over_batches(p_, points_, picks_, [&](const nodes::PointBatch& batch, size_t first) {
            render::coverage_of(layer, framed(layer, batch), workspace, out.data());
            for (size_t i = 0; i < size_t(batch.n); ++i) takes[first + i] = out[i] * hits_[i].fade;
        });
        return takes;
    }

    std::vector<float> through_gate(const render::PreparedLayer& layer, size_t k, const std::string& place) {
        std::vector<float> takes(picks_.size(), 1.f);
        std::vector<size_t> broken(1, 0);
        over_points(
            p_, points_, picks_, layer.gate,
            [&](size_t i, const float* const* values, size_t at) {
                takes[i] = layer.amount * (1.f + layer.gate_amount * (clamp01(values[0][at]) - 1.f));
            },
            &broken);
        if (broken[0])
            out_.faults.push_back({"A network gives what is no number", "", place + " / gate",
                                   "at " + std::to_string(broken[0]) + " of the points that the camera sees",
                                   "Look at the network's nodes one by one: something grows without bounds"});
        out_.gates[build_up_.layers[k].id] = histogram(takes);
        return takes;
    }

    const render::Prepared& p_;
    const scene::BuildUp& build_up_;
    size_t index_;
    const std::vector<VisiblePoint>& points_;
    Measured& out_;
    std::vector<size_t> picks_;
    std::vector<float> open_;
    std::vector<render::DecalHit> hits_, found_;
    std::unique_ptr<render::DecalBatch> decal_batch_ = std::make_unique<render::DecalBatch>();
};

}  // namespace

Histogram histogram(const std::vector<float>& values) {
    Histogram h;
    h.points = values.size();
    if (values.empty()) return h;
    h.smallest = INFINITY;
    h.largest = -INFINITY;
    for (float v : values)
        if (std::isfinite(v)) h.smallest = std::min(h.smallest, v), h.largest = std::max(h.largest, v);
    if (h.smallest > h.largest) h.smallest = h.largest = 0.f;
    h.low = std::min(0.f, h.smallest);
    h.high = std::max(1.f, h.largest);
    for (float v : values)
        if (std::isfinite(v))
            h.share[size_t(
                std::clamp(int((v - h.low) / (h.high - h.low) * Histogram::bins), 0, Histogram::bins - 1))] += 1.f;
    for (float& s : h.share) s /= float(values.size());
    return h;
}

std::vector<VisiblePoint> measuring_points(const render::Prepared& p) {
    return render::visible_points(p, p.camera, across, down);
}

Measured measure_layers(const render::Prepared& p, const std::string& build_up_id,
                        const std::vector<VisiblePoint>& points, const Progress* stop) {
    Measured out;
    out.build_up = build_up_id;
    const scene::BuildUp* build_up = scene::find(p.scene->build_ups, build_up_id);
    if (build_up && !build_up->layers.empty())  // what has none wears the plain one
        LayerMeasuring(p, *build_up, size_t(build_up - p.scene->build_ups.data()), points, out).run(stop);
    return out;
}

Measured measure(const render::Prepared& p, const std::string& build_up, const Progress* stop) {
    const std::vector<VisiblePoint> points = measuring_points(p);
    Measured out = measure_layers(p, build_up, points, stop);
    measure_nodes(p, points, out, stop);
    return out;
}

float mask_size(const render::Prepared& prepared, int build_up) {
    // It is asked for while a hand waits: so many parts are looked at, and so many triangles of them.
    constexpr size_t most_parts = 1024;
    constexpr size_t most_triangles = 262144;
    constexpr double slender = 8.;      // times 6 volumes per area, which of a sphere or a cube is its width
    constexpr double least = 1. / 16.;  // of the size
    constexpr double most_open = .25;   // of the area
    const Box3f box = prepared.bounds_of(build_up);
    if (box.isEmpty()) return 1.f;
    const float size = std::max(1e-4f, box.size().length() * .7f);
    std::vector<uint32_t> wearers;
    for (size_t p = 0; p < prepared.build_up_of.size(); ++p)
        if (prepared.build_up_of[p] == build_up) wearers.push_back(uint32_t(p));
    const size_t part_step = (wearers.size() + most_parts - 1) / most_parts;
    const size_t of_each = most_triangles / ((wearers.size() + part_step - 1) / part_step);
    double volume = 0.;
    double area = 0.;
    std::array<double, 3> facing{};  // sums of normals by area: nothing is left of a closed surface
    for (size_t k = 0; k < wearers.size(); k += part_step) {
        const geometry::Mesh& m = prepared.geometry->shape(wearers[k]).faces_as_triangles();
        const geometry::Instance& at = prepared.geometry->instances()[wearers[k]];
        const V3f middle = at.bounds().center();
        auto corner = [&](size_t i) { return at.point_to_world(m.positions[m.indices[i]]) - middle; };
        const size_t step = (m.triangles() + of_each - 1) / of_each;
        double of_part = 0.;
        for (size_t t = 0; t < m.triangles(); t += step) {
            const V3f a = corner(3 * t);
            const V3f n = (corner(3 * t + 1) - a).cross(corner(3 * t + 2) - a) * .5f;
            of_part += double(a.dot(n)) / 3. * double(step);
            area += double(n.length()) * double(step);
            for (int c = 0; c < 3; ++c) facing[size_t(c)] += double(n[c]) * double(step);
        }
        volume += std::fabs(of_part);
    }
    const double open = std::sqrt(facing[0] * facing[0] + facing[1] * facing[1] + facing[2] * facing[2]);
    if (!(area > 0.) || !std::isfinite(volume / area) || open > most_open * area) return size;
    return size * float(std::clamp(slender * 6. * volume / area / double(size), least, 1.));
}

}  // namespace vemtra::review
