// Pictures that need no transport: clay, and one value of the first hit.
#include "base/even_frame.h"
#include "render/renderer.h"

namespace vemtra::render {

/// What a camera ray sees in clay; true where light from the sky comes along the ray from `origin` unless something is
/// in its way. `along`, `across`: of that ray, beside the normal, in a unit disc.
bool Renderer::clay_point(uint32_t pixel, const V3f& direction, const Place& at, float t, float along, float across,
                          V3f& origin, V3f& towards, V3f& light) {
    const V3f backdrop(.42f);
    float solid = 0.f;
    const float ts = p_.rig.stage_on ? stage(camera_.origin, direction, solid) : INFINITY;
    bool on_stage = false;
    float faded = 0.f;
    if (!hit_something(at)) {
        if (ts == INFINITY || solid <= 0.f) {
            add(pixel, 0, backdrop, false);
            return false;
        }
        on_stage = true;
        faded = 1.f - solid;
    } else {
        on_stage = ts < t && solid > .5f;
    }
    geometry::FormPoint s;
    if (on_stage) {
        t = ts;
        s.position = camera_.origin + direction * t;
        s.normal = s.normal_geometric = V3f(0, direction.y < 0.f ? 1.f : -1.f, 0);
    } else {
        s = p_.geometry->form_at(at);
        if (s.normal_geometric.dot(direction) > 0.f) s.normal_geometric = -s.normal_geometric;
        if (s.normal.dot(s.normal_geometric) < 0.f) s.normal = -s.normal;
    }
    const float share = 1.f - faded;
    film_.normal[pixel] += s.normal * share;
    film_.depth[pixel] += t * share;
    film_.alpha[pixel] += share;
    film_.albedo[pixel] += V3f(.6f * share);
    if (faded > 0.f) add(pixel, 0, backdrop * faded, false);
    towards =
        even_frame(s.normal).to_world({along, across, std::sqrt(std::max(0.f, 1.f - along * along - across * across))});
    if (!(towards.dot(s.normal_geometric) > 0.f) || (p_.rig.stage_on && !on_stage && !(towards.y > 0.f))) return false;
    // A little brighter from the front right: form reads better.
    const float sky = .62f + .38f * towards.y + .25f * std::max(0.f, towards.x * .5f + towards.z * .6f);
    light = V3f(std::max(0.f, sky) * .62f * share);
    origin = geometry::offset_origin(s.position, s.normal_geometric);
    return true;
}

/// Clay: matt grey under an even sky, one occlusion ray per sample. Form only: no material, no light of the rig.
uint64_t Renderer::clay(Tile& t, uint32_t sample) {
    Tile::Pixels& pixels = t.pixels;
    aim(pixels, sample);
    const int n = pixels.count;
    for (int i = 0; i < n; ++i) {
        float u;
        float v;
        float sine;
        float cosine;
        sample_2d(pixels.seed[i], sample, pair_of(0, pair_layer), u, v);
        sincos_turn(v, sine, cosine);
        const float s = std::sqrt(u);
        pixels.along[i] = s * cosine;
        pixels.across[i] = s * sine;
    }
    uint64_t rays = uint64_t(n);
    alignas(64) RTCRayHit16 packet;
    alignas(64) int valid[16];
    RTCIntersectContext coherent;
    RTCIntersectContext apart;
    rtcInitIntersectContext(&coherent);
    rtcInitIntersectContext(&apart);
    coherent.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    for (int first = 0; first < n; first += 16) {
        const int count = std::min(16, n - first);
        camera_rays(pixels, first, count, packet, valid);
        rtcIntersect16(valid, p_.geometry->scene(), &coherent, &packet);
        for (int k = 0; k < count; ++k) {
            const int i = first + k;
            const uint32_t pixel = uint32_t(pixels.y[i]) * uint32_t(f_.width) + pixels.x[i];
            ++film_.samples[pixel];
            const V3f direction(packet.ray.dir_x[k], packet.ray.dir_y[k], packet.ray.dir_z[k]);
            V3f origin;
            V3f towards;
            V3f light;
            if (!clay_point(pixel, direction, geometry::place_of(packet.hit, k), packet.ray.tfar[k], pixels.along[i],
                            pixels.across[i], origin, towards, light))
                continue;
            ++rays;
            // One by one: packets of sixteen gain nothing here, as their rays part.
            RTCRay ray = geometry::single_ray(origin, towards).ray;
            rtcOccluded1(p_.geometry->scene(), &apart, &ray);
            if (ray.tfar >= 0.f) add(pixel, 0, light, false);
        }
    }
    return rays;
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
