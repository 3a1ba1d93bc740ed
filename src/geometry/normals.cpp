#include "geometry/import.h"

namespace vemtra::geometry {

void make_normals(RawPart& raw, float crease) {
    const size_t corners = raw.indices.size(), vertices = raw.positions.size();
    const float cos_crease = std::cos(radians(crease));
    std::vector<V3f> face(corners / 3);
    for (size_t f = 0; f < face.size(); ++f) {
        const V3f &a = raw.positions[raw.indices[3 * f]], &b = raw.positions[raw.indices[3 * f + 1]],
                  &c = raw.positions[raw.indices[3 * f + 2]];
        face[f] = (b - a).cross(c - a).normalized();
    }
    std::vector<uint32_t> first(vertices + 1, 0), incident(corners);
    for (uint32_t v : raw.indices) ++first[v + 1];
    for (size_t v = 0; v < vertices; ++v) first[v + 1] += first[v];
    {
        std::vector<uint32_t> next(first.begin(), first.end() - 1);
        for (size_t c = 0; c < corners; ++c) incident[next[raw.indices[c]]++] = uint32_t(c);
    }
    auto corner_angle = [&](size_t c) {
        const size_t f = c / 3 * 3, i = c - f;
        const V3f& p = raw.positions[raw.indices[c]];
        const V3f a = (raw.positions[raw.indices[f + (i + 1) % 3]] - p).normalized(),
                  b = (raw.positions[raw.indices[f + (i + 2) % 3]] - p).normalized();
        return std::acos(std::clamp(a.dot(b), -1.f, 1.f));
    };
    raw.normals.assign(vertices, V3f(0.f));
    std::vector<char> used(vertices, 0);
    for (size_t v = 0; v < vertices; ++v) {
        struct Copy {
            V3f normal;
            uint32_t vertex;
        };
        std::vector<Copy> copies;
        for (uint32_t i = first[v]; i < first[v + 1]; ++i) {
            const uint32_t corner = incident[i];
            const V3f& own = face[corner / 3];
            V3f sum(0.f);
            for (uint32_t j = first[v]; j < first[v + 1]; ++j)
                if (face[incident[j] / 3].dot(own) >= cos_crease)
                    sum += face[incident[j] / 3] * corner_angle(incident[j]);
            V3f normal = sum.length() > 1e-20f ? sum.normalized() : own;
            uint32_t vertex = UINT32_MAX;
            for (const Copy& c : copies)
                if (c.normal.dot(normal) > 0.99999f) vertex = c.vertex;
            if (vertex == UINT32_MAX) {
                if (!used[v]) {
                    vertex = uint32_t(v);
                    used[v] = 1;
                    raw.normals[v] = normal;
                } else {
                    vertex = uint32_t(raw.positions.size());
                    raw.positions.push_back(V3f(raw.positions[v]));
                    raw.normals.push_back(normal);
                    if (!raw.uvs.empty()) raw.uvs.push_back(V2f(raw.uvs[v]));
                    for (UvSet& s : raw.more_uvs) s.uvs.push_back(V2f(s.uvs[v]));
                    if (!raw.colors.empty()) raw.colors.push_back(V3f(raw.colors[v]));
                }
                copies.push_back({normal, vertex});
            }
            raw.indices[corner] = vertex;
        }
    }
}

}  // namespace vemtra::geometry
