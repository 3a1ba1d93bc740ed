// A small form that is painted on: parts, a painting that the base's roughness reads, and what it says at a place.
#pragma once
#include "paint/fill.h"
#include "paint/stroke.h"
#include "render/materials.h"
#include "render/pinhole.h"
#include "support.h"

namespace vemtra::test {

struct Painted {
    Scratch scratch;
    render::Workshop workshop;
    scene::Scene scene;
    std::shared_ptr<const render::Prepared> prepared;

    explicit Painted(const std::string& obj, int size = 512, const std::string& type = "float", float texel = 0.f) {
        scratch.write("form.obj", obj);
        scene = plain_scene("form.obj");
        scene.parts[0].source = obj.substr(2, obj.find('\n') - 2);
        scene.paintings.push_back({.id = "worn", .name = "Worn", .type = type, .size = size, .texel = texel});
        scene::Node node;
        node.id = "paint";
        node.kind = "paint";
        node.type = type;
        node.name = "Paint";
        node.inputs["painting"].value = std::string("worn");
        scene.build_ups[0].layers[0].nodes.push_back(node);
        scene.build_ups[0].layers[0].surface[type == "float" ? "specular_roughness" : "base_color"].from = "paint";
        prepare();
    }
    void prepare() {
        render::PrepareOptions options;
        options.folder = scratch.path;
        options.shown_build_up = "material";
        options.shown_node = "paint";
        prepared = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
        REQUIRE(prepared);
    }
    scene::Painting& painting() { return scene.paintings[0]; }
    paint::View view() const { return {prepared->camera, 400, 400, render::framed_aspect(scene)}; }
    std::shared_ptr<const paint::Canvas> canvas() const {
        return std::make_shared<const paint::Canvas>(prepared, "worn");
    }
    /// A ray from a place in the world along a direction.
    geometry::Place look(const V3f& from, const V3f& along) const {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        RTCRayHit ray = geometry::single_ray(from, along.normalized());
        rtcIntersect1(prepared->geometry->scene(), &context, &ray);
        return geometry::place_of(ray.hit);
    }
    V3f value(const geometry::Place& at, float width = 0.f) const {
        REQUIRE(geometry::hit_something(at));
        auto arrays = std::make_unique<render::PointArrays>();
        const geometry::SurfacePoint s = prepared->geometry->at(at);
        arrays->set(0, *prepared, at, s, s.normal, width);
        program::Workspace workspace;
        const float* out[3] = {};
        prepared->build_ups[0].shown.run(arrays->batch(1, *prepared), workspace, out);
        return {out[0][0], out[1][0], out[2][0]};
    }
    float seen(const V3f& from, const V3f& along, float width = 0.f) const { return value(look(from, along), width).x; }
    paint::Dab dab(const V3f& at, const V3f& axis, float radius) const {
        paint::Dab d;
        d.centre = at;
        d.axis = axis.normalized();
        d.across = Frame(d.axis).tangent;
        d.radius = radius;
        return d;
    }
    /// Paints dabs and prepares anew.
    void paint(const std::vector<paint::Dab>& dabs, paint::Brush brush = {}, V3f ink = V3f(1.f),
               paint::Limits limits = {}) {
        paint::Stroke stroke(canvas(), painting(), brush, ink, view(), std::move(limits));
        stroke.dabs(dabs);
        painting() = stroke.now();
        prepare();
    }
};

/// A square of n x n quads in z = 0 from (-1, -1) to (1, 1), cut at x = 0 into two islands; the right one lies turned
/// by a right angle in the UVs.
inline std::string two_islands_obj(int n = 16) {
    std::string text = "o islands\n";
    char line[128];
    for (int half = 0; half < 2; ++half)
        for (int j = 0; j <= n; ++j)
            for (int i = 0; i <= n / 2; ++i) {
                const double x = -1. + 2. * (i + half * n / 2) / n, y = -1. + 2. * j / n;
                const double s = 2. * i / n, t = double(j) / n;  // 0..1 in the half
                std::snprintf(line, sizeof line, "v %.9g %.9g 0\nvt %.9g %.9g\nvn 0 0 1\n", x, y,
                              half ? .52 + .44 * t : .04 + .21 * s, half ? .9 - .21 * s : .04 + .44 * t);
                text += line;
            }
    const int row = n / 2 + 1;
    for (int half = 0; half < 2; ++half)
        for (int j = 0; j < n; ++j)
            for (int i = 0; i < n / 2; ++i) {
                const int a = half * row * (n + 1) + j * row + i + 1, b = a + 1, c = b + row, d = a + row;
                std::snprintf(line, sizeof line, "f %d/%d/%d %d/%d/%d %d/%d/%d %d/%d/%d\n", a, a, a, b, b, b, c, c, c,
                              d, d, d);
                text += line;
            }
    return text;
}

}  // namespace vemtra::test
