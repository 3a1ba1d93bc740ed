// Forms and fields over them.
#pragma once
#include <functional>

#include "geometry/field.h"
#include "geometry/import.h"
#include "support.h"

namespace vemtra::test {

/// The parts of an OBJ text, as they stand in it.
inline std::unique_ptr<geometry::Geometry> make(const Scratch& s, const std::string& obj) {
    auto r = geometry::import(s.write("m.obj", obj).string(), {});
    REQUIRE(r);
    std::vector<geometry::Instance> instances;
    for (const auto& p : r->parts) instances.emplace_back(geometry::make_shape(p.mesh), p.to_asset);
    return std::make_unique<geometry::Geometry>(std::move(instances));
}
inline nodes::FieldRequest request(bool edges, float range = 2.f) {
    return {"b", "cavity", {edges ? 1.f : 0.f, 90.f, 0.f, 0.f, 1.f, 0.f, 0.f, range}};
}
/// What a mask of this reach reads at a vertex of the first part.
inline float at_vertex(const geometry::FormField& f, size_t vertex, float reach, float falloff = 1.f) {
    float w[geometry::reach_knots];
    geometry::reach_weights(reach / f.furthest, falloff, w);
    float sum = 0.f;
    for (int k = 0; k < geometry::reach_knots; ++k)
        sum += w[k] * float(f.parts[0]->at_vertex.shares[vertex * geometry::reach_knots + size_t(k)]) / 255.f;
    return sum;
}
/// A square of the width around (x, z), level at y, facing up or down; its vertices are numbered from `first`.
inline std::string level(const char* name, float x, float y, float z, float half, int first, bool up) {
    std::string out = std::string("o ") + name + "\n";
    for (const auto& [i, j] : {std::pair{-1, -1}, {1, -1}, {1, 1}, {-1, 1}})
        out += "v " + std::to_string(x + half * float(i)) + " " + std::to_string(y) + " " +
               std::to_string(z + half * float(j)) + "\n";
    auto n = [&](int k) { return std::to_string(first + k); };
    return out +
           (up ? "f " + n(3) + " " + n(2) + " " + n(1) + " " + n(0)
               : "f " + n(0) + " " + n(1) + " " + n(2) + " " + n(3)) +
           "\n";
}
/// A grid of n x n over [-1, 1]^2, its height given.
inline std::string grid_obj(int n, const std::function<V3f(float, float)>& at) {
    std::string text;
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            const V3f p = at(2.f * float(i) / float(n) - 1.f, 2.f * float(j) / float(n) - 1.f);
            text += "v " + std::to_string(p.x) + " " + std::to_string(p.y) + " " + std::to_string(p.z) + "\n";
        }
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) {
            const int a = j * (n + 1) + i + 1;
            text += "f " + std::to_string(a) + " " + std::to_string(a + n + 1) + " " + std::to_string(a + n + 2) + " " +
                    std::to_string(a + 1) + "\n";
        }
    return text;
}

}  // namespace vemtra::test
