#include "render/relief.h"

#include <array>
#include <random>

#include "base/hash.h"
#include "nodes/height_reading.h"
#include "nodes/slot_names.h"
#include "render/lip.h"
#include "scene/edits.h"
#include "scene/graph.h"

namespace vemtra::render {

namespace slot = nodes::slot;
using scene::HeightJoin;

namespace {

struct Range {
    float lo = 0.f, hi = 0.f;
};

/// The larger of both, rounded where they are nearer to each other than k (Quilez 2008, the quadratic one).
float soft_max(float a, float b, float k) {
    const float most = std::max(a, b);
    if (!(k > 0.f)) return most;
    const float near = std::max(0.f, k - std::fabs(a - b)) / k;
    return most + near * near * k * .25f;
}

uint64_t hash_of(uint64_t h, const ReliefLayer& r, float smoothing) {
    const float numbers[] = {
        r.amount,      r.gate_amount,      r.always ? 1.f : 0.f,     r.numbers.scale,     r.numbers.neutral,
        r.numbers.low, r.numbers.high,     r.numbers.gamma,          float(int(r.join)),  r.softness,
        r.thickness,   r.levelling,        r.has_height ? 1.f : 0.f, smoothing,           float(int(r.lip)),
        r.lip_width,   r.coat ? 1.f : 0.f, r.has_vector ? 1.f : 0.f, float(int(r.space)), float(int(r.direction))};
    h = hash_bytes(numbers, sizeof numbers, h);
    const uint64_t programs[] = {r.gate.hash(), r.height.hash(), r.vector.hash(), r.nested ? r.nested->hash : 0};
    return hash_bytes(programs, sizeof programs, h);
}

class ReliefCompiler {
public:
    ReliefCompiler(const scene::Scene& scene, program::Resources& resources, std::vector<Error>& problems)
        : scene_(scene), resources_(resources), problems_(problems), done_(scene.build_ups.size()) {
        for (size_t i = 0; i < scene.build_ups.size(); ++i) index_.try_emplace(scene.build_ups[i].id, i);
    }
    std::vector<std::shared_ptr<const BuildUpRelief>> all() {
        for (const size_t i : scene::inner_first(scene_)) {
            auto made = compile(scene_.build_ups[i]);
            if (!made.layers.empty()) done_[i] = std::make_shared<const BuildUpRelief>(std::move(made));
        }
        return done_;
    }

private:
    static float number(const scene::Layer& layer, const char* name) {
        const nodes::Port* port = nodes::slots_of(layer).port(name);
        const float x = port ? scene::as_number(nodes::literal_of(layer.surface, *port)) : 0.f;
        return std::isfinite(x) ? x : 0.f;
    }

    BuildUpRelief compile(const scene::BuildUp& b) {
        BuildUpRelief out;
        Range h;
        for (size_t k = 0; k < b.layers.size(); ++k) {
            const scene::Layer& layer = b.layers[k];
            const bool base = k == 0;
            if (!base && (!layer.on || layer.amount <= 0.f || !layer.decal.pins.empty())) continue;
            ReliefLayer r;
            if (!effect_of(b, layer, base, r)) continue;
            r.amount = base ? 1.f : clamp01(layer.amount);
            r.gate_amount = base ? 0.f : clamp01(layer.gate.amount);
            r.always = base;
            if (!base) {
                r.gate = program::compile(b, {{layer.name + " gate", nodes::Type::number, layer.gate.mask}}, resources_,
                                          problems_, &scene_.networks);
                if (const V3f* mask = r.gate.constant(0)) {
                    r.amount *= 1.f + r.gate_amount * (clamp01(mask->x) - 1.f);
                    r.gate_amount = 0.f;
                    if (r.amount <= 0.f) continue;
                    r.always = r.amount >= 1.f;
                }
            }
            if (!out.reads_fields && reads_fields(b, layer, r)) {
                out.reads_fields = true;
                if (!out.layers.empty()) {
                    BuildUpRelief below = out;
                    below.reads_fields = false;
                    out.below_fields = std::make_shared<const BuildUpRelief>(finished(b, std::move(below), h));
                }
            }
            widen(h, r);
            out.any_way |= r.has_vector || (r.has_height && r.direction == scene::HeightDirection::facets) ||
                           (r.nested && r.nested->any_way);
            widen(out.reach, r);
            out.smoothing = std::max(out.smoothing, number(layer, slot::height_smoothing));
            out.layers.push_back(std::move(r));
            only_ = &layer;
        }
        return finished(b, std::move(out), h);
    }
    /// Of the layers so far; `h`: the heights that they can reach.
    BuildUpRelief finished(const scene::BuildUp& b, BuildUpRelief out, const Range& h) {
        out.least = h.lo;
        out.largest = h.hi;
        out.hash = 0;
        for (const ReliefLayer& r : out.layers) out.hash = hash_of(out.hash, r, out.smoothing);
        if (out.layers.size() == 1 && only_ && !out.any_way)
            out.map = straight_map(b, *only_, out.layers[0], out.smoothing);
        return out;
    }
    bool reads_fields(const scene::BuildUp& b, const scene::Layer& layer, const ReliefLayer& r) const {
        if (r.nested && r.nested->reads_fields) return true;
        program::Resources own;
        std::vector<Error> told;
        if (r.gate_amount > 0.f)
            program::compile(b, {{"", nodes::Type::number, layer.gate.mask}}, own, told, &scene_.networks);
        if (const auto it = layer.surface.find(slot::height); it != layer.surface.end() && !r.nested && r.has_height)
            program::compile(b, {{"", nodes::Type::number, it->second}}, own, told, &scene_.networks);
        if (const auto it = layer.surface.find(slot::height_vector); it != layer.surface.end() && r.has_vector)
            program::compile(b, {{"", nodes::Type::vector3, it->second}}, own, told, &scene_.networks);
        return !own.fields.empty();
    }

    /// False where the layer does nothing to the height.
    bool effect_of(const scene::BuildUp& b, const scene::Layer& layer, bool base, ReliefLayer& r) {
        if (!scene::traits(layer.kind).hides) {
            r.coat = true;
            r.levelling = clamp01(number(layer, slot::height_levelling));
            return !base && r.levelling > 0.f;
        }
        r.join = HeightJoin(std::clamp(int(number(layer, slot::height_join)), 0, 3));
        r.softness = std::max(0.f, number(layer, slot::height_softness));
        r.thickness = base ? 0.f : number(layer, slot::height_thickness);
        r.levelling = base ? 0.f : clamp01(number(layer, slot::height_levelling));
        r.lip = scene::Lip(std::clamp(int(number(layer, slot::height_lip)), 0, 3));
        const float lip_width = number(layer, slot::height_lip_width);
        if (r.thickness != 0.f && r.lip != scene::Lip::square && lip_width > 0.f) r.lip_width = lip_width;
        r.numbers.scale = number(layer, slot::height_scale) * number(layer, slot::height_strength);
        r.numbers.neutral = number(layer, slot::height_neutral);
        r.numbers.low = number(layer, slot::height_low);
        r.numbers.high = std::max(r.numbers.low, number(layer, slot::height_high));
        r.numbers.gamma = std::clamp(number(layer, slot::height_gamma), .01f, 100.f);
        if (base) r.join = HeightJoin::added;
        const bool without = r.thickness != 0.f || r.levelling > 0.f;
        if (r.join == HeightJoin::none) return without;
        if (!layer.build_up.empty()) {
            const auto it = index_.find(layer.build_up);
            if (it != index_.end()) r.nested = done_[it->second];
            r.has_height = r.nested != nullptr;
        } else if (r.numbers.scale != 0.f) {
            r.has_height = compiled(b, layer, slot::height, nodes::Type::number, r.height);
            r.has_vector = compiled(b, layer, slot::height_vector, nodes::Type::vector3, r.vector);
            r.direction = scene::HeightDirection(std::clamp(int(number(layer, slot::height_direction)), 0, 1));
            r.space = scene::VectorSpace(std::clamp(int(number(layer, slot::height_vector_space)), 0, 2));
        }
        return r.has_height || r.has_vector || without;
    }

    /// Whether the layer says something in that slot.
    bool compiled(const scene::BuildUp& b, const scene::Layer& layer, const char* slot, nodes::Type type,
                  program::Program& out) {
        const auto it = layer.surface.find(slot);
        if (it == layer.surface.end()) return false;
        out = program::compile(b, {{layer.name + " / " + slot, type, it->second}}, resources_, problems_,
                               &scene_.networks);
        return true;
    }

    static Range own_range(const ReliefLayer& r) {
        if (r.nested) return {r.nested->least, r.nested->largest};
        const float a = r.numbers.metres(r.numbers.low);
        const float b = r.numbers.metres(r.numbers.high);
        return {std::min(a, b), std::max(a, b)};
    }
    static void widen(Range& h, const ReliefLayer& r) {
        if (r.has_height) {
            const Range a = own_range(r);
            switch (r.join) {
                case HeightJoin::added: h = {h.lo + std::min(0.f, a.lo), h.hi + std::max(0.f, a.hi)}; break;
                case HeightJoin::highest: h.hi = std::max(h.hi, a.hi) + .25f * r.softness; break;
                default: h = {std::min(h.lo, a.lo), std::max(h.hi, a.hi)};
            }
        }
        const float thickest = r.thickness * (r.lip_width > 0.f ? highest_lip(r.lip) : 1.f);
        h.lo += std::min(0.f, thickest);
        h.hi += std::max(0.f, thickest);
    }
    /// Of components of offsets: directions of heights are up to twice as long as one.
    static void widen(float& reach, const ReliefLayer& r) {
        float own = 0.f;
        if (r.nested) {
            own = r.nested->any_way ? r.nested->reach : 2.f * std::max(-r.nested->least, r.nested->largest);
        } else {
            const Range a = own_range(r);
            const float most = std::max(std::fabs(a.lo), std::fabs(a.hi));
            own = (r.has_height ? 2.f * most : 0.f) + (r.has_vector ? std::sqrt(3.f) * most : 0.f);
        }
        reach = r.join == HeightJoin::added ? reach + own : std::max(reach, own) + .5f * r.softness;
        reach += 2.f * std::fabs(r.thickness) * (r.lip_width > 0.f ? highest_lip(r.lip) : 1.f);
    }
    /// Where the height is one map as it lies in its file, put on by the UVs: what rays need to know of it.
    std::optional<BuildUpRelief::Map> straight_map(const scene::BuildUp& b, const scene::Layer& layer,
                                                   const ReliefLayer& r, float smoothing) {
        if (!r.has_height || r.nested || !r.height.outputs() || r.gate_amount > 0.f || r.thickness != 0.f ||
            r.join == HeightJoin::highest || smoothing > 0.f)
            return std::nullopt;
        const scene::Input& input = layer.surface.at(slot::height);
        const scene::Node* node = scene::find_node(b, input.from).node;
        if (!node || node->bypassed || !node->network.empty() || input.worn || !nodes::has_use(*node, nodes::Use::map))
            return std::nullopt;
        const nodes::NodeDescription* d = nodes::describe(node->kind);
        if (!d || d->output_type(*node) != nodes::Type::number) return std::nullopt;
        program::Resources own;
        std::vector<Error> told;
        program::compile(b, {{"", nodes::Type::number, input}}, own, told, &scene_.networks);
        if (own.images.size() != 1 || !own.images[0].painting.empty() || !own.fields.empty() || !own.uv_sets.empty() ||
            own.tangents)
            return std::nullopt;
        BuildUpRelief::Map out{own.images[0], {}, r.numbers};
        const nodes::ImageRequest& image = out.image;
        if (image.seamless || image.components != 1 || image.wrap_u != image.wrap_v ||
            (image.wrap_u != "periodic" && image.wrap_u != "clamp") ||
            (image.colorspace != "auto" && image.colorspace != "raw"))
            return std::nullopt;
        out.placing.repeat = image.wrap_u == "periodic";
        out.curve.scale *= r.amount;
        const nodes::Port* where = d->port(nodes::Role::where);
        const auto at = where ? node->inputs.find(where->name) : node->inputs.end();
        if (at == node->inputs.end() || at->second.from.empty()) return out;
        if (!lies_straight(b, at->second, out.placing)) return std::nullopt;
        return out;
    }
    /// Whether a place is linear in the UVs and asks for nothing else: tried at places of all sorts.
    bool lies_straight(const scene::BuildUp& b, const scene::Input& input, geometry::MapPlacing& placing) const {
        program::Resources own;
        std::vector<Error> told;
        const program::Program place =
            program::compile(b, {{"", nodes::Type::place, input}}, own, told, &scene_.networks);
        if (!own.images.empty() || !own.fields.empty() || !own.uv_sets.empty() || own.tangents) return false;
        constexpr int n = 24;
        std::mt19937 random(7);
        std::uniform_real_distribution<float> any(-3.f, 3.f);
        std::vector<std::array<float, n>> rows(nodes::row_count);
        for (auto& row : rows)
            for (float& x : row) x = any(random);
        float* u = rows[nodes::row_uv].data();
        float* v = rows[nodes::row_uv + 1].data();
        u[0] = v[0] = v[1] = u[2] = 0.f;
        u[1] = v[2] = 1.f;
        std::array<float, n> per_metre;
        for (float& x : per_metre) x = 4.f + any(random);
        std::array<uint32_t, n> instance;
        for (size_t k = 0; k < n; ++k) instance[k] = uint32_t(k);
        nodes::PointBatch batch;
        batch.n = n;
        for (size_t k = 0; k < rows.size(); ++k) batch.rows[k] = rows[k].data();
        batch.instance = batch.face = instance.data();
        batch.instances = n;
        batch.uv_per_metre = per_metre.data();
        program::Workspace workspace;
        std::vector<const float*> out(size_t(place.component_count()) + 1);
        place.run(batch, workspace, out.data());
        if (place.component_count() < 2) return false;
        for (int c = 0; c < 2; ++c) {
            const float* x = out[size_t(c)];
            float* p = placing.place[c];
            p[2] = x[0];
            p[0] = x[1] - x[0];
            p[1] = x[2] - x[0];
            for (int k = 0; k < n; ++k) {
                const float straight = p[0] * u[k] + p[1] * v[k] + p[2];
                if (!(std::fabs(straight - x[k]) < 1e-5f * (1.f + std::fabs(p[0]) + std::fabs(p[1]) + std::fabs(p[2]))))
                    return false;
            }
        }
        return true;
    }

    const scene::Scene& scene_;
    program::Resources& resources_;
    std::vector<Error>& problems_;
    std::unordered_map<std::string, size_t> index_;
    std::vector<std::shared_ptr<const BuildUpRelief>> done_;
    const scene::Layer* only_ = nullptr;
};

}  // namespace

std::vector<std::shared_ptr<const BuildUpRelief>> compile_reliefs(const scene::Scene& scene,
                                                                  program::Resources& resources,
                                                                  std::vector<Error>& problems) {
    return ReliefCompiler(scene, resources, problems).all();
}

std::vector<std::shared_ptr<const BuildUpRelief>> below_fields(
    const std::vector<std::shared_ptr<const BuildUpRelief>>& reliefs) {
    std::vector<std::shared_ptr<const BuildUpRelief>> out;
    for (const auto& r : reliefs) out.push_back(r && r->reads_fields ? r->below_fields : r);
    return out;
}

const geometry::BorderGrid* Lips::of(const ReliefLayer& layer) const {
    const auto it = grids.find(&layer);
    return it == grids.end() ? nullptr : it->second.get();
}

namespace {

/// One layer's own height and offset at a point, and what lies below it, joined.
struct Meeting {
    const ReliefLayer& layer;
    float coverage;

    void heights(float& below, float own) const {
        switch (layer.join) {
            case HeightJoin::added: below += coverage * own; break;
            case HeightJoin::highest: below = lerp(below, soft_max(below, own, layer.softness), coverage); break;
            default: below = lerp(below, own, coverage);
        }
    }
    /// Where offsets go any way. How high one stands is how far it goes along the normal.
    void any_way(float& below, V3f& below_by, float own, const V3f& own_by, const V3f& normal) const {
        float height = own;
        V3f by = own_by;
        switch (layer.join) {
            case HeightJoin::added:
                height = below + own;
                by = below_by + own_by;
                break;
            case HeightJoin::highest: {
                const float a = below + below_by.dot(normal);
                const float b = own + own_by.dot(normal);
                const float share = layer.softness > 0.f ? clamp01(.5f + .5f * (b - a) / layer.softness) : float(b > a);
                by = lerp(below_by, own_by, share);
                height = soft_max(a, b, layer.softness) - by.dot(normal);
                break;
            }
            default: break;
        }
        below = lerp(below, height, coverage);
        below_by = lerp(below_by, by, coverage);
    }
};

V3f turned(const V3f& v, scene::VectorSpace space, const ReliefDirections& ways, size_t i) {
    switch (space) {
        case scene::VectorSpace::uv_third_outwards:
            return ways.tangent[i] * v.x + ways.bitangent[i] * v.y + ways.normal[i] * v.z;
        case scene::VectorSpace::uv_second_outwards:
            return ways.tangent[i] * v.x + ways.bitangent[i] * v.z + ways.normal[i] * v.y;
        default: return v;
    }
}

}  // namespace

/// The layer's own height, and what it moves beside it. Whether it stopped within what is nested.
bool BuildUpRelief::own_relief(const ReliefLayer& r, const nodes::PointBatch& batch, program::Workspace& workspace,
                               float* own, ReliefOffsets* offsets, const Lips* lips) {
    const size_t n = size_t(batch.n);
    if (offsets) std::fill_n(offsets->by.begin(), n, V3f(0.f));
    if (r.nested) return r.nested->heights(batch, workspace, own, lips, r.nested->any_way ? offsets : nullptr);
    std::fill_n(own, n, 0.f);
    if (r.has_height) {
        const float* value = nullptr;
        r.height.run(batch, workspace, &value);
        for (size_t i = 0; i < n; ++i) own[i] = r.numbers.metres(value[i]);
    }
    if (!offsets) return false;
    if (r.has_height && r.direction == scene::HeightDirection::facets)
        for (size_t i = 0; i < n; ++i) offsets->by[i] = offsets->ways->facet[i] * std::exchange(own[i], 0.f);
    if (r.has_vector) {
        const float* value[3] = {};
        r.vector.run(batch, workspace, value);
        for (size_t i = 0; i < n; ++i) {
            const V3f v(r.numbers.metres(value[0][i]), r.numbers.metres(value[1][i]), r.numbers.metres(value[2][i]));
            offsets->by[i] += turned(v, r.space, *offsets->ways, i);
        }
    }
    return false;
}

bool BuildUpRelief::heights(const nodes::PointBatch& points, program::Workspace& workspace, float* h, const Lips* lips,
                            ReliefOffsets* offsets) const {
    nodes::PointBatch batch = points;
    std::array<float, nodes::max_batch> coverage;
    std::array<float, nodes::max_batch> own;
    std::array<float, nodes::max_batch> thickness;
    std::array<float, nodes::max_batch> outwards;  // of what lies below, where it goes any way
    ReliefOffsets own_offsets;
    batch.rows[nodes::row_height] = offsets ? outwards.data() : h;
    const size_t n = size_t(batch.n);
    std::fill_n(h, n, 0.f);
    if (offsets) {
        own_offsets.ways = offsets->ways;
        std::fill_n(offsets->by.begin(), n, V3f(0.f));
    }
    for (const ReliefLayer& r : layers) {
        if (offsets)
            for (size_t i = 0; i < n; ++i) outwards[i] = h[i] + offsets->by[i].dot(offsets->ways->normal[i]);
        std::fill_n(coverage.begin(), n, r.amount);
        std::fill_n(thickness.begin(), n, lips && lips->without_thickness ? 0.f : r.thickness);
        if (r.gate_amount > 0.f) {
            const float* mask = nullptr;
            r.gate.run(batch, workspace, &mask);
            for (size_t i = 0; i < n; ++i) coverage[i] = r.amount * (1.f + r.gate_amount * (clamp01(mask[i]) - 1.f));
            if (lips && lips->until == &r) {
                for (size_t i = 0; i < n; ++i) h[i] = clamp01(mask[i]);
                return true;
            }
            if (const geometry::BorderGrid* grid = lips ? lips->of(r) : nullptr)
                for (size_t i = 0; i < n; ++i)
                    thickness[i] *= lip_height(r.lip, grid->at(batch.face[i], batch.rows[nodes::row_bary][i],
                                                               batch.rows[nodes::row_bary + 1][i]));
        }
        const bool moves = r.has_height || r.has_vector;
        if (moves && own_relief(r, batch, workspace, own.data(), offsets ? &own_offsets : nullptr, lips)) {
            std::copy_n(own.begin(), n, h);
            return true;
        }
        for (size_t i = 0; i < n; ++i) {
            const float c = coverage[i];
            if (!r.coat) {
                h[i] *= 1.f - c * r.levelling;
                if (offsets) offsets->by[i] *= 1.f - c * r.levelling;
            }
            const Meeting meeting{r, c};
            if (moves && offsets)
                meeting.any_way(h[i], offsets->by[i], own[i], own_offsets.by[i], offsets->ways->normal[i]);
            else if (moves)
                meeting.heights(h[i], own[i]);
            h[i] += c * thickness[i];
            if (!r.coat) continue;
            const float below = offsets ? outwards[i] : h[i];
            if (below < 0.f) h[i] = lerp(h[i], h[i] - below, c * r.levelling);
        }
    }
    return false;
}

bool BuildUpRelief::by_uvs() const {
    return std::any_of(layers.begin(), layers.end(), [](const ReliefLayer& r) {
        return (r.has_vector && r.space != scene::VectorSpace::part) || (r.nested && r.nested->by_uvs());
    });
}

bool BuildUpRelief::has_thickness() const {
    return std::any_of(layers.begin(), layers.end(), [](const ReliefLayer& r) {
        return r.thickness != 0.f || (r.nested && r.nested->has_thickness());
    });
}

std::vector<const ReliefLayer*> BuildUpRelief::with_lips() const {
    std::vector<const ReliefLayer*> all;
    for (const ReliefLayer& r : layers) {
        if (r.lip_width > 0.f && r.gate_amount > 0.f) all.push_back(&r);
        if (!r.nested) continue;
        for (const ReliefLayer* inner : r.nested->with_lips()) all.push_back(inner);
    }
    return all;
}

uint64_t BuildUpRelief::mask_hash(const ReliefLayer& layer) const {
    uint64_t h = 0;
    for (const ReliefLayer& r : layers) {
        if (&r == &layer) {
            const uint64_t gate = r.gate.hash();
            return hash_bytes(&gate, sizeof gate, r.gate.runs(nodes::reads_heights) ? h : 0);
        }
        if (r.nested)
            for (const ReliefLayer* inner : r.nested->with_lips())
                if (inner == &layer) return r.nested->mask_hash(layer);  // it starts from no height
        h = hash_of(h, r, smoothing);
    }
    return h;
}

}  // namespace vemtra::render
