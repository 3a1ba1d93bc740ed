// Pictures that need no transport: clay, and one value of the first hit.
#include "base/even_frame.h"
#include "render/renderer.h"

namespace vemtra::render {

/// Clay: matt grey under an even sky, one occlusion ray per sample. Form only: no material, no light of the rig.
uint64_t Renderer::clay(Tile& t, uint32_t sample) {
    const size_t n = t.paths.size();
    float* ru = t.camera_r.data();
    float* rv = t.camera_s.data();
    alignas(64) uint32_t seeds[tile_capacity];
    for (size_t i = 0; i < n; ++i) seeds[i] = t.paths[i].seed;
    for (size_t i = 0; i < n; ++i) {
        float u;
        float v;
        float sine;
        float cosine;
        sample_2d(seeds[i], sample, pair_of(0, pair_layer), u, v);
        sincos_turn(v, sine, cosine);
        const float s = std::sqrt(u);
        ru[i] = s * cosine;
        rv[i] = s * sine;
    }
    t.shadows.clear();
    for (size_t i = 0; i < n; ++i) {
        Path& path = t.paths[i];
        float solid = 0.f;
        const float ts = stage(path.origin, path.direction, solid);
        float part_stage = 0.f;
        if (path.at.instance == no_hit) {
            if (ts == INFINITY || solid <= 0.f) {
                add(path.pixel, 0, V3f(.42f), false);
                continue;
            }
            path.at.instance = stage_hit;
            path.t = ts;
            part_stage = 1.f - solid;
        } else if (ts < path.t && solid > .5f) {
            path.at.instance = stage_hit;
            path.t = ts;
        }
        V3f position;
        V3f ng;
        V3f normal;
        if (path.at.instance == stage_hit) {
            position = path.origin + path.direction * path.t;
            normal = ng = V3f(0, path.direction.y < 0.f ? 1.f : -1.f, 0);
        } else {
            const SurfacePoint s = p_.geometry->at(path.at);
            position = s.position;
            normal = s.normal;
            ng = s.normal_geometric;
            if (ng.dot(path.direction) > 0.f) ng = -ng;
            if (normal.dot(ng) < 0.f) normal = -normal;
        }
        const float share = 1.f - part_stage;
        film_.normal[path.pixel] += normal * share;
        film_.depth[path.pixel] += path.t * share;
        film_.alpha[path.pixel] += share;
        film_.albedo[path.pixel] += V3f(.6f * share);
        const V3f d =
            even_frame(normal).to_world({ru[i], rv[i], std::sqrt(std::max(0.f, 1.f - ru[i] * ru[i] - rv[i] * rv[i]))});
        const float sky =
            .62f + .38f * d.y +
            .25f * std::max(0.f, d.x * .5f + d.z * .6f);  // a little brighter from the front right: form reads better
        if (part_stage > 0.f) add(path.pixel, 0, V3f(.42f * part_stage), false);
        if (d.dot(ng) > 0.f && (!p_.rig.stage_on || d.y > 0.f || path.at.instance == stage_hit))
            t.shadows.push_back({path.pixel, geometry::offset_origin(position, ng), d, INFINITY,
                                 V3f(std::max(0.f, sky) * .62f * (1.f - part_stage)), 0, false, 0.f, path.seed});
    }
    trace_shadows(t);
    return t.shadows.size();
}

/// Views that show one value of the first hit, unlit.
void Renderer::flat_view(Tile& t, uint32_t sample) {
    const ViewKind& view = info(f_.view);
    std::erase_if(t.paths, [&](const Path& path) {
        if (hit_something(path.at)) return false;
        add(path.pixel, 0, V3f(.18f), false);
        return true;
    });
    const size_t count = t.paths.size();
    if (view.asks_layer) {
        materials(t, t.paths, 0, count, sample, pair_of(0, pair_layer));
    } else {
        for (size_t i = 0; i < count; ++i) {
            locate(t.paths[i], t.materials.points[i]);
            t.materials.locate(int(i), p_);
        }
    }
    if (!view.color) show_node(t, count);
    for (size_t i = 0; i < count; ++i) {
        const Path& path = t.paths[i];
        const MaterialPoint& point = t.materials.points[i];
        film_.alpha[path.pixel] += 1.f;
        film_.normal[path.pixel] += point.s.normal;
        film_.depth[path.pixel] += path.t;
        const int layer =
            point.layer >= 0 && size_t(point.layer) < p_.layers.size() ? p_.layers[size_t(point.layer)].own : -1;
        if (view.color) add(path.pixel, 0, view.color({point.s, point.wo, path.t, near_, p_.scene_size, layer}), false);
        if (view.asks_layer && size_t(point.layer) < film_.coverage.size())
            film_.coverage[size_t(point.layer)][path.pixel] += 1.f;
    }
}

/// The output of the shown node; parts that wear another build-up are dimmed, so that the shown one stands out.
void Renderer::show_node(Tile& t, size_t count) {
    for (size_t b = 0; b < p_.build_ups.size(); ++b) {
        std::vector<int>& picks = t.picks;
        picks.clear();
        for (size_t i = 0; i < count; ++i)
            if (p_.build_up_of[t.paths[i].at.instance] == int(b)) picks.push_back(int(i));
        if (picks.empty()) continue;
        const program::Program& shown = p_.build_ups[b].shown;
        if (!shown.outputs()) {
            for (int i : picks) {
                const MaterialPoint& point = t.materials.points[size_t(i)];
                add(t.paths[size_t(i)].pixel, 0, V3f(.1f + .05f * std::fabs(point.s.normal.dot(point.wo))), false);
            }
            continue;
        }
        t.materials.gather(picks);
        shown.run(t.materials.subset.batch(int(picks.size()), p_), t.materials.workspace, t.outputs);
        for (size_t k = 0; k < picks.size(); ++k)
            add(t.paths[size_t(picks[k])].pixel, 0, V3f(t.outputs[0][k], t.outputs[1][k], t.outputs[2][k]), false);
    }
}

}  // namespace vemtra::render
