#include "review/visible.h"

#include "nodes/description.h"
#include "review/over_points.h"
#include "scene/edits.h"

namespace vemtra::review {
namespace {

using render::VisiblePoint;

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
    h.smallest = INFINITY;
    h.largest = -INFINITY;
    for (float v : values)
        if (std::isfinite(v)) h.smallest = std::min(h.smallest, v), h.largest = std::max(h.largest, v);
    if (h.smallest > h.largest) h.smallest = h.largest = 0.f;
    h.low = std::min(0.f, h.smallest);
    h.high = std::max(1.f, h.largest);
    for (float v : values)
        if (std::isfinite(v)) h.share[size_t(std::clamp(int((v - h.low) / (h.high - h.low) * Histogram::bins), 0, Histogram::bins - 1))] += 1.f;
    for (float& s : h.share) s /= float(values.size());
    return h;
}

/// What the networks of one layer bring to its slots, where that is nothing a surface can have. It is rendered all the same: at the nearest
/// end of the range, as zero, or along the surface's own direction.
class Faults {
public:
    Faults(const render::Prepared& p, const render::PreparedLayer& layer) : p_(p), layer_(layer), counts_(layer.varying.size()), broken_(size_t(layer.varying.empty() ? 0 : layer.slots.component_count()), 0) {}

    void look(const nodes::PointBatch& batch, program::Workspace& workspace) {
        const float* values[128];
        workspace.broken = &broken_;
        if (!layer_.varying.empty()) layer_.slots.run(batch, workspace, values);
        workspace.broken = nullptr;
        int component = 0;
        bool anisotropic = layer_.fixed.specular_roughness_anisotropy > 0.f || layer_.fixed.coat_roughness_anisotropy > 0.f, own_tangent = false;
        for (size_t f = 0; f < layer_.varying.size(); ++f) {
            const surface::SlotField& field = *layer_.varying[f];
            const std::string name = field.name;
            const bool normal = name.ends_with("normal"), tangent = name.ends_with("tangent");
            anisotropic |= name.ends_with("anisotropy");
            own_tangent |= tangent;
            for (int k = 0; k < batch.n; ++k) {
                bool inside = true;
                V3f v(0.f);
                for (int c = 0; c < field.components; ++c) {
                    v[c] = values[component + c][k];
                    inside &= v[c] >= field.low - 1e-5f && v[c] <= field.high + 1e-5f;
                }
                const V3f n(batch.normal_object[0][k], batch.normal_object[1][k], batch.normal_object[2][k]);
                if (normal) counts_[f].away += v.length2() > 1e-12f && v.dot(n) <= 0.f;
                else if (tangent) counts_[f].vanishing += v.cross(n).length2() <= 1e-8f * v.length2();
                else counts_[f].outside += !inside;
            }
            component += field.components;
        }
        points_ += size_t(batch.n);
        if (anisotropic && !own_tangent)
            for (int k = 0; k < batch.n; ++k) no_direction_ += p_.geometry->tangent(batch.part[k], batch.triangle[k]).length2() < 1e-12f;
    }

    void tell(const std::string& place, std::vector<Error>& out) const {
        auto share = [&](size_t count) { return std::to_string(std::max<size_t>(1, 100 * count / std::max<size_t>(1, points_))) + " % of what the camera sees"; };
        size_t component = 0;
        for (size_t f = 0; f < counts_.size(); ++f) {
            const surface::SlotField& field = *layer_.varying[f];
            const std::string at = place + " / " + field.name;
            const Count& c = counts_[f];
            size_t no_number = 0;
            for (int k = 0; k < field.components; ++k) no_number = std::max(no_number, broken_[component++]);
            if (no_number) out.push_back({"A network gives what is no number", "", at, "on " + share(no_number) + ", where the slot is taken as 0", "Look at the network's nodes one by one: something grows without bounds"});
            if (c.away) out.push_back({"A normal faces away from the surface", "", at, "on " + share(c.away), "Check the map's handedness and the scale of the relief"});
            if (c.vanishing) out.push_back({"A tangent vanishes", "", at, "it is zero or along the normal on " + share(c.vanishing), "Give it a direction that lies in the surface; the part's own is taken there"});
            char range[64];
            std::snprintf(range, sizeof range, "%g to %g", double(field.low), double(field.high));
            if (c.outside) out.push_back({"A network leaves its slot's range", "", at, "the range is " + std::string(range) + "; it is left on " + share(c.outside), "Bring the values into it with a remap or a clamp; the nearest end is rendered"});
        }
        if (no_direction_) out.push_back({"An anisotropic surface has no direction", "", place, "the part has no UVs on " + share(no_direction_), "Wire a grain to the tangent, or give the part UVs; there it runs around the vertical"});
    }

private:
    struct Count {
        size_t outside = 0, away = 0, vanishing = 0;
    };
    const render::Prepared& p_;
    const render::PreparedLayer& layer_;
    std::vector<Count> counts_;
    std::vector<size_t> broken_;
    size_t points_ = 0, no_direction_ = 0;
};

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
        const std::string place = build_up->name + " / " + build_up->layers[k].name;
        std::vector<float> takes(picks.size(), 1.f), through;
        if (!layer.always) {
            std::vector<size_t> broken(1, 0);
            over_points(p, points, picks, layer.gate, [&](size_t i, const float* const* values, size_t at) {
                takes[i] = layer.amount * (1.f + layer.gate_amount * (clamp01(values[0][at]) - 1.f));
                through.push_back(takes[i]);
            }, &broken);
            if (broken[0]) out.faults.push_back({"A network gives what is no number", "", place + " / gate", "at " + std::to_string(broken[0]) + " of the points that the camera sees", "Look at the network's nodes one by one: something grows without bounds"});
            out.gates[build_up->layers[k].id] = histogram(through);
        }
        double sum = 0;
        V3f color(0.f);
        const render::PreparedLayer* shown = &layer;  // a build-up as a layer is known by its base
        while (shown->nested) shown = &shown->nested->layers.back();
        program::Workspace workspace;
        Faults faults(p, *shown);
        over_batches(p, points, picks, [&](const nodes::PointBatch& batch, size_t first) {
            faults.look(batch, workspace);
            shown->slots_at(batch, workspace, [&](int at, const surface::Slots& slots) {
                const size_t i = first + size_t(at);
                const float share = open[i] * takes[i];
                if (!layer.coat) open[i] -= share;
                sum += double(share);
                color += color_of(*shown, slots) * share;
            });
        });
        faults.tell(place, out.faults);
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
    std::vector<VisiblePoint> small;
    std::vector<size_t> small_picks;
    auto look = [&] {
        small = render::visible_points(framed, thumbnail_width, thumbnail_height);
        small_picks.clear();
        for (size_t i = 0; i < small.size(); ++i)
            if (belongs(small[i])) small_picks.push_back(i);
    };
    look();
    // Parts that are thin or far apart fill little of it: then one place of them is looked at from near.
    for (int nearer = 0; nearer < 3 && small_picks.size() < small.size() / 5 && !picks.empty(); ++nearer) {
        const VisiblePoint& middle = points[picks[picks.size() / 2]];
        const V3f at = p.geometry->surface(middle.mesh, middle.triangle, middle.u, middle.v).position, away = framed.camera.position - framed.camera.target;
        framed.camera.target = at;
        framed.camera.position = at + away * (nearer ? .4f : .25f);
        look();
    }
    auto node = [&](const scene::Node& n) {
        const nodes::NodeDescription* d = nodes::describe(n.kind);
        if (!d) return;
        program::Resources resources = p.resources;
        std::vector<Error> ignored;
        const program::Program program = program::compile(*build_up, {{"node", nodes::Type::color, {scene::Value{0.f}, n.id}}}, resources, ignored);
        if (resources.fields.size() != p.resources.fields.size() || resources.images.size() != p.resources.images.size() || resources.uv_sets.size() != p.resources.uv_sets.size()) return;  // feeds nothing that shows
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
