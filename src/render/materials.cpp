#include "render/materials.h"

#include <chrono>

#include "surface/facet_spread.h"

namespace vemtra::render {
namespace {

using Clock = std::chrono::steady_clock;

uint32_t cell_hash(int x, int y, int z) {
    return mix32(uint32_t(x) * 0x8da6b343u ^ mix32(uint32_t(y) * 0xd8163841u ^ mix32(uint32_t(z) * 0xcb1ab31fu)));
}
float unit(uint32_t h) {
    return float(int(h >> 8)) * 0x1p-24f;
}

/// A normal that is shorter than one is a mean of many: the variance of their slopes along each direction.
float even_spread(const V3f& normal) {
    const float square = normal.length2();
    if (square > .999f || square < 1e-4f) return 0.f;
    const float length = std::sqrt(square);
    return (1.f - length) / length;
}

/// The scattered point nearest to p among the cells around it (Worley 1996): the flake that p lies on.
uint32_t nearest_flake(const V3f& p) {
    const int cx = int(std::floor(p.x));
    const int cy = int(std::floor(p.y));
    const int cz = int(std::floor(p.z));
    float best = INFINITY;
    uint32_t id = 0;
    for (int z = cz - 1; z <= cz + 1; ++z)
        for (int y = cy - 1; y <= cy + 1; ++y)
            for (int x = cx - 1; x <= cx + 1; ++x) {
                const uint32_t h = cell_hash(x, y, z);
                const V3f q(float(x) + unit(mix32(h + 1)), float(y) + unit(mix32(h + 2)),
                            float(z) + unit(mix32(h + 3)));
                if (const float d = (q - p).length2(); d < best) best = d, id = h;
            }
    return id;
}

}  // namespace

void PointArrays::set(int index, const Prepared& prepared, const geometry::Place& at, const geometry::SurfacePoint& s,
                      const V3f& wo, float width) {
    using namespace nodes;
    const size_t i = size_t(index);
    const geometry::Instance& in = prepared.geometry->instances()[at.instance];
    V3f p = s.position - s.displaced_by;
    V3f n = s.normal;
    V3f w = wo;
    V3f t(0.f);
    if (prepared.resources.tangents) t = in.shape->tangent(at.face);
    if (!in.identity) {
        p = in.point_to_object(p);
        n = in.normal_to_object(n).normalized();
        w = in.step_to_object(w).normalized();
    }
    auto put = [&](int row, const float* v, int count) {
        for (int c = 0; c < count; ++c) values[size_t(row + c)][i] = v[c];
    };
    put(row_position, &p.x, 3);
    put(row_normal, &n.x, 3);
    put(row_uv, &s.uv.x, 2);
    put(row_color, &s.color.x, 3);
    put(row_bary, &at.u, 2);
    put(row_view, &w.x, 3);
    put(row_tangent, &t.x, 3);
    put(row_height, &s.height, 1);
    rows = prepared.resources.footprint ? row_count : rows_without_footprint;
    if (prepared.resources.footprint) set_footprint(i, prepared, at, s, wo, width);
    instance[i] = at.instance;
    face[i] = at.face;
}

/// The ray's round section falls on the surface as an ellipse, longer where it grazes.
void PointArrays::set_footprint(size_t i, const Prepared& prepared, const geometry::Place& at,
                                const geometry::SurfacePoint& s, const V3f& wo, float width) {
    const float cosine = std::max(.05f, std::fabs(s.normal.dot(wo)));
    V3f along = wo - s.normal * s.normal.dot(wo);
    if (along.length2() < 1e-8f) along = Frame(s.normal).tangent;
    along.normalize();
    const float size = std::max(width, 1e-6f * prepared.scene_size);
    const V3f axes[] = {along * (size / cosine), s.normal.cross(along) * size};
    V3f gu;
    V3f gv;
    const size_t instances = prepared.build_up_of.size();
    resize_sets(prepared.uv_set_of.size() / std::max<size_t>(1, instances));
    for (size_t k = 0; k < sets.size() / 6; ++k) {
        const size_t here = k * instances + at.instance;
        const int set = prepared.uv_set_of[here];
        V2f uv;
        if (set == Prepared::no_set) {
            for (size_t c = 0; c < 6; ++c) sets[6 * k + c][i] = c < 2 ? NAN : 0.f;
            continue;
        }
        if (const geometry::Charts* charts = prepared.charts_of[here].get()) {
            const geometry::Instance& in = prepared.geometry->instances()[at.instance];
            uv = charts->at(at.face, at.u, at.v) + prepared.chart_tile[here];
            charts->gradients(in.shape->faces_as_triangles(), at.face, gu, gv);
            gu = in.normal_to_world(gu);
            gv = in.normal_to_world(gv);
        } else {
            uv = prepared.geometry->uv(at, set);
            prepared.geometry->uv_gradients(at, gu, gv, set);
        }
        const float six[] = {uv.x, uv.y, gu.dot(axes[0]), gv.dot(axes[0]), gu.dot(axes[1]), gv.dot(axes[1])};
        for (size_t c = 0; c < 6; ++c) sets[6 * k + c][i] = six[c];
    }
    prepared.geometry->uv_gradients(at, gu, gv);
    const geometry::Instance& in = prepared.geometry->instances()[at.instance];
    for (size_t a = 0; a < 2; ++a) {
        values[nodes::row_uv_axes + 2 * a][i] = gu.dot(axes[a]);
        values[nodes::row_uv_axes + 2 * a + 1][i] = gv.dot(axes[a]);
        const V3f o = in.step_to_object(axes[a]);
        for (size_t c = 0; c < 3; ++c) values[nodes::row_position_axes + 3 * a + c][i] = o[int(c)];
    }
}

void PointArrays::resize_sets(size_t count) {
    if (sets.size() == 6 * count) return;
    sets.resize(6 * count);
    for (size_t r = 0; r < sets.size(); ++r) set_rows[r] = sets[r].data();
}

nodes::PointBatch PointArrays::batch(int n, const Prepared& prepared) const {
    nodes::PointBatch b;
    b.n = n;
    for (size_t r = 0; r < rows; ++r) b.rows[r] = values[r].data();
    if (!prepared.resources.tangents)
        for (int c = 0; c < 3; ++c) b.rows[nodes::row_tangent + c] = nullptr;
    b.uv_sets = sets.empty() ? nullptr : set_rows.data();
    b.uv_per_metre = prepared.uv_per_metre.data();
    b.instances = uint32_t(prepared.build_up_of.size());
    b.instance = instance.data();
    b.face = face.data();
    b.textures = prepared.textures.get();
    b.fields = prepared.fields.get();
    b.surface = in_frame ? nullptr : prepared.surface.get();
    return b;
}

void coverage_of(const PreparedLayer& layer, const nodes::PointBatch& batch, program::Workspace& workspace,
                 float* out) {
    const float* mask = nullptr;
    layer.gate.run(batch, workspace, &mask);
    for (int i = 0; i < batch.n; ++i)
        out[i] = layer.amount * (1.f + layer.gate_amount * (std::min(1.f, std::max(0.f, mask[i])) - 1.f));
}

Materials::Materials()
    : points(size_t(nodes::max_batch)),
      place_(size_t(nodes::max_batch), 0),
      wanted_(size_t(nodes::max_batch), 0),
      coverage_(size_t(nodes::max_batch)),
      below_(size_t(nodes::max_batch)),
      closed_(size_t(nodes::max_batch), 0),
      round_(size_t(nodes::max_batch), 0),
      last_coat_(size_t(nodes::max_batch)) {
}

void Materials::locate(int i, const Prepared& p) {
    const MaterialPoint& point = points[size_t(i)];
    geometry::SurfacePoint own = point.s;
    own.normal = point.normal_mesh;
    arrays.set(i, p, point.at, own, point.wo, point.width);
    gathered_.clear();
}

int Materials::bring(const std::vector<int>& picks, float share) {
    bool there = float(picks.size()) >= share * float(gathered_.size());
    for (size_t k = 0; there && k < picks.size(); ++k) {
        const auto place = size_t(place_[size_t(picks[k])]);
        there = place < gathered_.size() && gathered_[place] == picks[k];
    }
    if (!there) {
        gather(picks);
        gathered_ = picks;
        for (size_t k = 0; k < picks.size(); ++k) place_[size_t(picks[k])] = int(k);
    }
    return int(gathered_.size());
}

void Materials::gather(const std::vector<int>& picks) {
    gathered_.clear();
    subset.resize_sets(arrays.sets.size() / 6);
    for (size_t k = 0; k < picks.size(); ++k) {
        const size_t i = size_t(picks[k]);
        for (size_t r = 0; r < arrays.rows; ++r) subset.values[r][k] = arrays.values[r][i];
        for (size_t r = 0; r < arrays.sets.size(); ++r) subset.sets[r][k] = arrays.sets[r][i];
        subset.instance[k] = arrays.instance[i];
        subset.face[k] = arrays.face[i];
    }
}

void Materials::choose(const Prepared& p, const std::vector<int>& picks, const PreparedBuildUp& build_up,
                       LayerCost* costs) {
    if (levels_.empty()) levels_.push_back(std::make_unique<Level>());
    levels_[0]->open = picks;
    for (int i : picks) points[size_t(i)].coat = points[size_t(i)].print = last_coat_[size_t(i)] = -1;
    choose_at(p, 0, build_up, costs);
}

void Materials::add_coat(int i, const surface::Slots& slots) {
    const int at = int(coats_.size());
    coats_.push_back({slots, -1});
    int& last = last_coat_[size_t(i)];
    if (last < 0)
        points[size_t(i)].coat = at;
    else
        coats_[size_t(last)].next = at;
    last = at;
}

void Materials::choose_at(const Prepared& p, size_t level, const PreparedBuildUp& build_up, LayerCost* costs) {
    if (levels_.size() < level + 2) levels_.push_back(std::make_unique<Level>());
    Level& l = *levels_[level];
    l.hits.clear();
    if (build_up.decals) find_decals(p, l, build_up);
    const bool decals = !l.hits.empty();
    bool stale = false;  // `open` has points that decals have closed
    auto drop_closed = [&] {
        if (stale) std::erase_if(l.open, [&](int i) { return closed_[size_t(i)] != 0; });
        stale = false;
    };
    size_t next_hit = 0;  // of the decals that hold some point
    for (size_t place = 0; place < build_up.layers.size(); ++place) {
        if (l.open.empty()) return;
        if (build_up.layers[place].decal) {  // those that hold none are passed over all at once
            size_t to = build_up.decals ? size_t(build_up.plain_after[place]) : place + 1;
            while (next_hit < l.hits.size()) {
                const int at = build_up.place_of[size_t(l.hits[next_hit].layer)];
                if (at >= int(place)) {
                    to = std::min(to, size_t(at));
                    break;
                }
                ++next_hit;
            }
            if (to > place) {
                place = to - 1;
                continue;
            }
            choose_decal(p, level, build_up, build_up.layers[place], costs);
            stale = true;
            continue;
        }
        const PreparedLayer& layer = build_up.layers[place];
        drop_closed();
        if (l.open.empty()) return;
        const auto begin = Clock::now();
        l.chosen.clear();
        if (layer.always && !layer.coat) {
            l.chosen.swap(l.open);
        } else if (layer.always) {
            l.chosen = l.open;
        } else {
            l.still.clear();
            // A gate is cheaper to ask of some points too many than to gather all others anew.
            const V3f* mask = layer.gate.constant(0);
            const float even = mask ? layer.amount * (1.f + layer.gate_amount * (clamp01(mask->x) - 1.f)) : 0.f;
            if (!mask) {
                const int m = bring(l.open, .7f);
                coverage_of(layer, subset.batch(m, p), workspace, coverage_.data());
            }
            for (const int i : l.open) {
                float& u = points[size_t(i)].choice;
                const float c = mask ? even : coverage_[size_t(place_[size_t(i)])];
                const bool there = u < c;
                if (there)
                    u /= c, l.chosen.push_back(i);
                else
                    u = c < 1.f ? std::min(.99999994f, (u - c) / (1.f - c)) : 0.f;
                if (!there || layer.coat) l.still.push_back(i);
            }
            l.open.swap(l.still);
        }
        take(p, level, layer, costs);
        if (decals && !layer.coat)
            for (const int i : l.chosen) closed_[size_t(i)] = 1;
        if (costs && !layer.nested) {
            costs[layer.index].nanoseconds += uint64_t(std::chrono::nanoseconds(Clock::now() - begin).count());
            costs[layer.index].points += uint64_t(l.chosen.size());
        }
    }
}

/// The layer stands at the points that chose it: its slots, or the build-up that it is made of.
void Materials::take(const Prepared& p, size_t level, const PreparedLayer& layer, LayerCost* costs) {
    Level& l = *levels_[level];
    const int n = int(l.chosen.size());
    if (n && layer.nested) {
        levels_[level + 1]->open = l.chosen;
        choose_at(p, level + 1, *layer.nested, costs);
    } else if (n) {
        auto put = [&](int i, const surface::Slots& slots) {
            if (layer.coat) return add_coat(i, slots);
            points[size_t(i)].slots = slots;
            points[size_t(i)].layer = layer.index;
            if (points[size_t(i)].print >= 0) lay_prints(points[size_t(i)]);
        };
        if (layer.varying.empty()) {
            for (const int i : l.chosen) put(i, layer.fixed);
        } else {
            const int m = bring(l.chosen, .9f);
            for (const int i : l.chosen) wanted_[size_t(i)] = 1;
            layer.slots_at(subset.batch(m, p), workspace, [&](int k, const surface::Slots& slots) {
                const int i = gathered_[size_t(k)];
                if (wanted_[size_t(i)]) put(i, slots);
            });
            for (const int i : l.chosen) wanted_[size_t(i)] = 0;
        }
    }
}

struct Materials::Facets {
    V3f normal, tangent, spread;  // in the asset's space
    float& roughness;
    float anisotropy;
    bool lean;
    static Facets of_body(surface::Slots& s) {
        return {s.geometry_normal,
                s.geometry_tangent,
                s.normal_spread,
                s.specular_roughness,
                s.specular_roughness_anisotropy,
                s.transmission_weight <= 0.f};
    }
    static Facets of_coat(surface::Slots& s) {
        return {s.geometry_coat_normal, s.geometry_coat_tangent,     s.coat_normal_spread,
                s.coat_roughness,       s.coat_roughness_anisotropy, false};
    }
};

surface::Tilt Materials::tilt(int i, const Prepared& p, const Frame& frame, Facets facets,
                              surface::WalkRandom& random) const {
    const bool own_normal = facets.normal.length2() > 1e-12f;
    const bool varies = own_normal && facets.spread.length2() > 1e-8f;
    if (!own_normal && facets.anisotropy <= 0.f) return {};
    const MaterialPoint& point = points[size_t(i)];
    const geometry::Instance& in = p.geometry->instances()[point.at.instance];
    V3f normal(0.f);
    V3f tangent(0.f);
    if (own_normal) {  // a network's normal lies around the mesh's own, which the frame's may be turned over from
        normal = in.normal_to_world(facets.normal);
        if (!in.identity) normal.normalize();
        if (point.inside) normal = -normal;
        normal = frame.to_local(normal);
        const V3f wo = frame.to_local(point.wo);
        if (!facets.lean && normal.z > 0.f && wo.z > 0.f) normal = surface::mirroring_upwards(normal, wo);
    }
    if (facets.anisotropy > 0.f) {
        if (facets.tangent.length2() <= 1e-12f)
            tangent = p.geometry->tangent(point.at);
        else if (in.identity)
            tangent = facets.tangent;
        else
            tangent = in.step_to_world(facets.tangent).normalized();
        if (tangent.length2() < 1e-12f) tangent = V3f(0, 1, 0).cross(point.s.normal);  // no UVs: around the vertical
        tangent = frame.to_local(tangent);
    }
    surface::Tilt out = surface::Tilt::make(normal, tangent);
    const float even = own_normal ? even_spread(facets.normal) : 0.f;
    if (even <= 0.f && !varies) return out;
    V3f axis(0.f);
    if (varies) {
        axis = in.identity ? facets.spread : in.step_to_world(facets.spread);
        axis = frame.to_local(axis * (facets.spread.length() / axis.length()));
        if (facets.anisotropy <= 0.f) out = surface::Tilt::make(normal, axis);
    }
    // What varies leans the facets of this sample, which keep their own form; facets so sharp that they would sparkle
    // are made rougher by a part of it, and coats by all: directions below their horizon are folded.
    const float variance = even + .5f * axis.length2();
    const float rest = facets.lean ? surface::spread_kept(facets.roughness, variance) : 1.f;
    facets.roughness = surface::widened(facets.roughness, rest * variance);
    if (!facets.lean) return out;
    const float share = std::sqrt(1.f - rest);
    const V2f lean = surface::normal_numbers(random.next(), random.next()) * (share * std::sqrt(even));
    const float along_axis = surface::normal_numbers(random.next(), random.next()).x * share;
    normal = (out.normal + out.tangent * lean.x + out.bitangent * lean.y + axis * along_axis).normalized();
    return surface::Tilt::make(normal, facets.anisotropy > 0.f ? out.tangent : axis);
}

/// Whether a flake stands at the point. Near by it is the very flake that lies there; where one pixel holds many, it is
/// the smooth lobe that they make together.
bool Materials::flake(surface::Slots& s, int i, V3f& normal_local, surface::WalkRandom& random) const {
    const MaterialPoint& point = points[size_t(i)];
    const float ratio = point.width / s.flake_size;
    const float blend = clamp01((ratio - .4f) / 1.2f);
    const float spread = s.flake_spread * s.flake_spread;  // slopes of a GGX surface that rough
    float roughness = s.flake_roughness;
    V3f color = s.flake_color;
    if (random.next() < blend) {
        if (random.next() >= s.flake_density) return false;
        // Between the sum of both widths, which is that of slopes with tails as long as these, and of their squares.
        const float own = roughness * roughness;
        roughness = std::min(1.f, std::sqrt(std::sqrt(spread * spread + own * own + spread * own)));
        color *= 1.f - s.flake_variation * .35f;
        normal_local = V3f(0.f, 0.f, 1.f);
    } else {
        const V3f q(arrays.values[nodes::row_position][size_t(i)], arrays.values[nodes::row_position + 1][size_t(i)],
                    arrays.values[nodes::row_position + 2][size_t(i)]);
        const uint32_t id = nearest_flake(q / s.flake_size);
        if (unit(mix32(id + 11)) >= s.flake_density) return false;
        const float u = unit(mix32(id + 12));
        const float turn = 2.f * pi * unit(mix32(id + 13));
        const float slope = std::min(3.f, spread * std::sqrt(u / std::max(1e-4f, 1.f - u)));
        normal_local = V3f(slope * std::cos(turn), slope * std::sin(turn), 1.f).normalized();
        for (int c = 0; c < 3; ++c) color[c] *= 1.f - s.flake_variation * .7f * unit(mix32(id + 14 + uint32_t(c)));
    }
    const surface::Slots keep = s;
    s = surface::Slots();
    s.base_metalness = 1.f;
    s.base_color = color;
    s.specular_roughness = roughness;
    s.coat_weight = keep.coat_weight;
    s.coat_color = keep.coat_color;
    s.coat_roughness = keep.coat_roughness;
    s.coat_ior = keep.coat_ior;
    s.coat_darkening = keep.coat_darkening;
    s.geometry_coat_normal = keep.geometry_coat_normal;
    return true;
}

/// Light that leaves a coated clear body meets the same interfaces from below: the body's own first, with the innermost
/// coat's medium behind it, the outermost coat's last. False where there are no coats, or the point is not clear.
bool Materials::stack_from_below(surface::Stack& out, int i, const Prepared& p, const Frame& frame, float outside,
                                 float wavelength, surface::WalkRandom& random) const {
    const MaterialPoint& point = points[size_t(i)];
    surface::Slots s = point.slots;
    const surface::Tilt body_tilt = tilt(i, p, frame, Facets::of_body(s), random);
    struct Medium {
        const surface::Slots* of;
        V3f kept;
        float thickness;
    };
    std::array<Medium, surface::Stack::most - 1> media;  // outermost first
    size_t count = 0;
    for (int k = point.coat; k >= 0 && count + 1 < media.size(); k = coats_[size_t(k)].next)
        media[count++] = {&coats_[size_t(k)].slots, coats_[size_t(k)].slots.coat_color,
                          coats_[size_t(k)].slots.thickness};
    if (s.coat_weight > 0.f && random.next() < s.coat_weight)
        media[count++] = {&s, {std::sqrt(s.coat_color.x), std::sqrt(s.coat_color.y), std::sqrt(s.coat_color.z)}, 1.f};
    if (!count) return false;
    const float innermost = media[count - 1].of->coat_ior;
    out.reset(innermost * surface::Bsdf::eta_of(s, innermost, false, wavelength));
    for (size_t k = count; k-- > 0;) {
        const bool own = k + 1 == count;  // the body's interface; else that of the coat below
        surface::Slots c = own ? s : *media[k + 1].of;
        const surface::Tilt facing = own ? body_tilt : tilt(i, p, frame, Facets::of_coat(c), random);
        out.add(surface::Coat{own ? c.specular_roughness : c.coat_roughness,
                              own ? c.specular_roughness_anisotropy : c.coat_roughness_anisotropy,
                              media[k].of->coat_ior, media[k].kept, media[k].thickness, facing});
    }
    surface::Slots outermost = *media[0].of;
    const surface::Tilt outer_tilt = tilt(i, p, frame, Facets::of_coat(outermost), random);
    surface::Slots last;
    last.transmission_weight = 1.f;
    last.transmission_depth = s.transmission_depth;
    last.transmission_color = s.transmission_color;
    last.specular_roughness = outermost.coat_roughness;
    last.specular_roughness_anisotropy = outermost.coat_roughness_anisotropy;
    last.specular_ior = outside;
    out.finish(last, outer_tilt);
    return true;
}

void Materials::stack(surface::Stack& out, int i, const Prepared& p, const Frame& frame, float outside_ior,
                      bool leaving, float wavelength, float least, surface::WalkRandom& random) const {
    const MaterialPoint& point = points[size_t(i)];
    surface::Slots s = point.slots;
    const surface::Tilt body = tilt(i, p, frame, Facets::of_body(s), random);
    const surface::Tilt own_coat =
        s.coat_weight > 0.f ? tilt(i, p, frame, Facets::of_coat(s), random) : surface::Tilt();
    s.specular_roughness = std::max(least, s.specular_roughness);
    s.coat_roughness = std::max(least, s.coat_roughness);
    if (leaving && (point.coat >= 0 || s.coat_weight > 0.f)) {
        if (random.next() >= s.transmission_weight * (1.f - s.base_metalness))
            s.transmission_weight = 0.f;
        else if (stack_from_below(out, i, p, frame, outside_ior, wavelength, random))
            return;
        else
            s.transmission_weight = 1.f, s.base_metalness = 0.f;
    }
    out.reset(outside_ior);
    V3f flake_normal(0.f);
    bool flaked = false;
    auto coat = [&](const surface::Slots& c, const V3f& transmittance, float thickness, const surface::Tilt& facing) {
        out.add(
            surface::Coat{c.coat_roughness, c.coat_roughness_anisotropy, c.coat_ior, transmittance, thickness, facing});
    };
    if (!leaving) {
        for (int k = point.coat; k >= 0 && !flaked; k = coats_[size_t(k)].next) {
            surface::Slots c = coats_[size_t(k)].slots;
            const surface::Tilt facing = tilt(i, p, frame, Facets::of_coat(c), random);
            c.coat_roughness = std::max(least, c.coat_roughness);
            const surface::Slots before = c;
            if (c.flake_density > 0.f && flake(c, i, flake_normal, random)) {
                coat(before, before.coat_color, before.thickness * .5f, facing);  // flakes float in the middle of it
                c.coat_weight = 0.f;
                s = c;
                flaked = true;
            } else {
                coat(before, before.coat_color, before.thickness, facing);
            }
        }
        if (!flaked) {
            if (s.fuzz_weight > 0.f) out.add(surface::Fuzz{s.fuzz_weight, s.fuzz_roughness, s.fuzz_color});
            if (s.flake_density > 0.f) flaked = flake(s, i, flake_normal, random);
            if (s.coat_weight > 0.f && random.next() < s.coat_weight) {
                // coat_color is what is left after the way in and out.
                coat(s, {std::sqrt(s.coat_color.x), std::sqrt(s.coat_color.y), std::sqrt(s.coat_color.z)}, 1.f,
                     own_coat);
                out.set_darkening(s.coat_darkening);
            }
        }
    }
    const surface::Tilt base = flaked ? surface::Tilt::make(flake_normal, V3f(0.f)) : body;
    out.finish(s, base, wavelength, leaving);
}

}  // namespace vemtra::render
