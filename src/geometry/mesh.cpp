#include "geometry/mesh.h"

#include "base/hash.h"

namespace vemtra::geometry {

Box3f Mesh::bounds() const {
    Box3f box;
    for (const V3f& p : positions) box.extendBy(p);
    return box;
}

size_t Mesh::bytes() const {
    size_t n = (positions.size() + normals.size() + colors.size()) * sizeof(V3f) + uvs.size() * sizeof(V2f) +
               indices.size() * sizeof(uint32_t) + continues.size() + cage_normals.size() * sizeof(V3f) +
               cage_polygon.size() * sizeof(uint32_t);
    for (const UvSet& s : more_uvs) n += s.uvs.size() * sizeof(V2f);
    return n;
}

uint64_t Mesh::content_hash() const {
    uint64_t h = 0;
    auto add = [&](const auto& array) { h = hash_bytes(array.data(), array.size() * sizeof array[0], h + 1); };
    add(positions);
    add(normals);
    add(uvs);
    for (const UvSet& s : more_uvs) {
        h = hash_text(s.name, h);
        add(s.uvs);
    }
    add(colors);
    add(indices);
    return h;
}

V3f Mesh::facet_normal(uint32_t triangle) const {
    if (triangle < cage_polygon.size()) return cage_normals[cage_polygon[triangle]];
    return triangle_normal(triangle);
}

V3f Mesh::triangle_normal(uint32_t triangle) const {
    const uint32_t* i = &indices[3 * size_t(triangle)];
    const V3f& a = positions[i[0]];
    const V3f n = (positions[i[1]] - a).cross(positions[i[2]] - a);
    const float length = n.length();
    if (!(length > 0.f) || !std::isfinite(length)) return V3f(0.f);
    const bool turned_over = (normals[i[0]] + normals[i[1]] + normals[i[2]]).dot(n) < 0.f;
    return n / (turned_over ? -length : length);
}

}  // namespace vemtra::geometry
