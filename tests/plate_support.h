// A plate whose layers have heights, and how far it stands out where rays meet it.
#pragma once
#include "nodes/slot_names.h"
#include "render/relief.h"
#include "render_support.h"
#include "texture_support.h"

namespace vemtra::test {

namespace slot = nodes::slot;

/// The unit square at z = 0.37, which looks along z, and what a case makes of its heights.
struct Plate {
    Scratch s;
    render::Workshop workshop;
    scene::Scene scene;
    Plate() {
        s.write("square.obj", square_obj);
        scene = plain_scene("square.obj");
        scene.cameras[0].position = V3f(.5f, .5f, 3.f);
        scene.cameras[0].target = V3f(.5f, .5f, 0.f);
        scene.render.width = scene.render.height = 64;
    }
    scene::BuildUp& build_up() { return scene.build_ups[0]; }
    scene::Layer& layer(size_t k) { return build_up().layers[k]; }
    void set(size_t k, const char* name, float value) { layer(k).surface[name] = {scene::Value{value}, {}}; }
    void add_cover(scene::LayerKind kind = scene::LayerKind::cover) {
        scene::Layer l;
        l.id = l.name = "layer" + std::to_string(build_up().layers.size());
        l.kind = kind;
        build_up().layers.push_back(l);
    }
    void node(size_t k, const std::string& id, const char* kind, const char* type, scene::Inputs inputs) {
        layer(k).nodes.push_back({.id = id, .kind = kind, .type = type, .name = id, .inputs = std::move(inputs)});
    }
    void wire(size_t k, const char* to, const std::string& from) { layer(k).surface[to] = {scene::Value{.5f}, from}; }
    /// Wires a map of heights, one value per texel, into a layer.
    void map(size_t k, const std::string& file, int size, const std::function<float(int, int)>& value,
             Kept type = Kept::words) {
        write_image(s.path / file, size, size, 1, type, [&](int x, int y, int) { return value(x, y); });
        node(k, "map" + std::to_string(k), "image", "float", {{"file", {scene::Value{file}, {}}}});
        wire(k, slot::height, "map" + std::to_string(k));
    }
    std::shared_ptr<const render::Prepared> ready(render::PrepareOptions options = {}) {
        options.folder = s.path;
        return render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    }
    /// How far the surface stands out at a place, as rays straight from the front meet it.
    static float out_at(const render::Prepared& p, float x, float y) {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        RTCRayHit ray = geometry::single_ray({x, y, 5.f}, {0.f, 0.f, -1.f});
        rtcIntersect1(p.geometry->scene(), &context, &ray);
        REQUIRE(geometry::hit_something(geometry::place_of(ray.hit)));
        return 5.f - ray.ray.tfar - .37f;
    }
    float out_at(float x, float y) { return out_at(*ready(), x, y); }
};
inline scene::Input from(const std::string& id) {
    return {scene::Value{0.f}, id};
}

}  // namespace vemtra::test
