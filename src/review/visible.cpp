#include "review/visible.h"

#include "nodes/description.h"
#include "scene/edits.h"

namespace vemtra::review {
namespace {

using render::VisiblePoint;

/// Cuts the points that belong to the build-up into batches: calls run(batch, index of its first point).
template <class Run>
void over_batches(const render::Prepared& p, const std::vector<VisiblePoint>& points, const std::vector<size_t>& picks, Run&& run) {
    auto arrays = std::make_unique<render::PointArrays>();
    for (size_t first = 0; first < picks.size(); first += size_t(nodes::max_batch)) {
        const size_t n = std::min(picks.size() - first, size_t(nodes::max_batch));
        for (size_t k = 0; k < n; ++k) {
            const VisiblePoint& v = points[picks[first + k]];
            geometry::Surface s = p.geometry->surface(v.mesh, v.triangle, v.u, v.v);
            const V3f wo = (p.camera.position - s.position).normalized();
            if (s.normal.dot(wo) < 0.f) s.normal = -s.normal;
            arrays->set(int(k), p, s, wo, v.mesh, v.triangle, v.u, v.v, v.uv_width);
        }
        run(arrays->batch(int(n), p), first);
    }
}

/// Runs a program over the points; calls put(point index, component arrays, k).
template <class Put>
void over_points(const render::Prepared& p, const std::vector<VisiblePoint>& points, const std::vector<size_t>& picks, const program::Program& program, Put&& put) {
    program::Workspace workspace;
    std::vector<const float*> out(size_t(std::max(1, program.component_count())));
    over_batches(p, points, picks, [&](const nodes::PointBatch& batch, size_t first) {
        program.run(batch, workspace, out.data());
        for (size_t k = 0; k < size_t(batch.n); ++k) put(first + k, out.data(), k);
    });
}

/// The colour by which a layer is known: what it scatters, lets through or covers with.
V3f color_of(const render::PreparedLayer& layer, const surface::Slots& s) {
    if (layer.coat) return s.coat_color;
    const V3f body = s.subsurface_color * s.subsurface_weight + s.base_color * (s.base_weight * (1.f - s.subsurface_weight));
    return s.transmission_color * s.transmission_weight + body * (1.f - s.transmission_weight);
}

Histogram histogram(const std::vector<float>& values) {
    Histogram h;
    h.points = values.size();
    if (values.empty()) return h;
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    h.smallest = *low;
    h.largest = *high;
    h.low = std::min(0.f, *low);
    h.high = std::max(1.f, *high);
    for (float v : values) h.share[size_t(std::clamp(int((v - h.low) / (h.high - h.low) * Histogram::bins), 0, Histogram::bins - 1))] += 1.f;
    for (float& s : h.share) s /= float(values.size());
    return h;
}

}  // namespace

Measured measure(const render::Prepared& p, const std::string& build_up_id) {
    Measured out;
    out.build_up = build_up_id;
    const scene::BuildUp* build_up = scene::find(p.scene->build_ups, build_up_id);
    if (!build_up) return out;
    const size_t index = size_t(build_up - p.scene->build_ups.data());
    const std::vector<VisiblePoint> points = render::visible_points(p, 240, 150);
    auto belongs = [&](const VisiblePoint& v) { return v.hit && p.build_up_of_mesh[v.mesh] == int(index); };
    std::vector<size_t> picks;
    for (size_t i = 0; i < points.size(); ++i)
        if (belongs(points[i])) picks.push_back(i);
    out.points = picks.size();
    out.layers.resize(build_up->layers.size());

    // Coverage: what each layer leaves open goes on to the next one below.
    std::vector<float> open(picks.size(), 1.f);
    for (const render::PreparedLayer& layer : p.build_ups[index].layers) {
        const size_t k = size_t(layer.index - p.first_layer[index]);
        std::vector<float> takes(picks.size(), 1.f), through;
        if (!layer.always) {
            over_points(p, points, picks, layer.gate, [&](size_t i, const float* const* values, size_t at) {
                takes[i] = layer.amount * (1.f + layer.gate_amount * (clamp01(values[0][at]) - 1.f));
                through.push_back(takes[i]);
            });
            out.gates[build_up->layers[k].id] = histogram(through);
        }
        double sum = 0;
        V3f color(0.f);
        const render::PreparedLayer* shown = &layer;  // a build-up as a layer is known by its base
        while (shown->nested) shown = &shown->nested->layers.back();
        program::Workspace workspace;
        over_batches(p, points, picks, [&](const nodes::PointBatch& batch, size_t first) {
            shown->slots_at(batch, workspace, [&](int at, const surface::Slots& slots) {
                const size_t i = first + size_t(at);
                const float share = open[i] * takes[i];
                if (!layer.coat) open[i] -= share;
                sum += double(share);
                color += color_of(*shown, slots) * share;
            });
        });
        if (!picks.empty()) out.layers[k].coverage = float(sum / double(picks.size()));
        if (sum > 0) out.layers[k].color = color / float(sum);
    }

    // Node outputs: values where the camera looks, and a small picture of the whole build-up.
    render::Prepared framed = p;
    Box3f box;
    for (size_t m = 0; m < p.geometry->meshes().size(); ++m)
        if (p.build_up_of_mesh[m] == int(index)) box.extendBy(p.geometry->meshes()[m]->bounds());
    scene::frame(framed.camera, box, float(thumbnail_width) / float(thumbnail_height));
    const V3f to = framed.camera.position - framed.camera.target;
    framed.camera.position = framed.camera.target + to * .78f;  // a thumbnail may crop the corners of the sphere around the box
    const std::vector<VisiblePoint> small = render::visible_points(framed, thumbnail_width, thumbnail_height);
    std::vector<size_t> small_picks;
    for (size_t i = 0; i < small.size(); ++i)
        if (belongs(small[i])) small_picks.push_back(i);
    auto node = [&](const scene::Node& n) {
        const nodes::NodeDescription* d = nodes::describe(n.kind);
        if (!d) return;
        program::Resources resources = p.resources;
        std::vector<Error> ignored;
        const program::Program program = program::compile(*build_up, {{"node", nodes::Type::color, {scene::Value{0.f}, n.id}}}, resources, ignored);
        if (resources.fields.size() != p.resources.fields.size() || resources.images.size() != p.resources.images.size()) return;  // feeds nothing that shows
        NodeMeasure& m = out.nodes[n.id];
        std::vector<float> values(picks.size());
        over_points(p, points, picks, program, [&](size_t i, const float* const* v, size_t at) { values[i] = luminance({v[0][at], v[1][at], v[2][at]}); });
        m.values = histogram(values);
        m.width = thumbnail_width;
        m.height = thumbnail_height;
        m.picture.assign(small.size(), V3f(-1.f));
        over_points(framed, small, small_picks, program, [&](size_t i, const float* const* v, size_t at) { m.picture[small_picks[i]] = V3f(std::max(0.f, v[0][at]), std::max(0.f, v[1][at]), std::max(0.f, v[2][at])); });
    };
    for (const scene::Node& n : build_up->commons) node(n);
    for (const scene::Layer& layer : build_up->layers)
        for (const scene::Node& n : layer.nodes) node(n);
    return out;
}

}  // namespace vemtra::review
