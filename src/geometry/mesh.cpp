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
               indices.size() * sizeof(uint32_t) + continues.size();
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

}  // namespace vemtra::geometry
