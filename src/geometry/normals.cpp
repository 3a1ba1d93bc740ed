#include <unordered_map>

#include "geometry/import.h"

namespace vemtra::geometry {

namespace {

constexpr size_t most_compared = 256;  // faces round one vertex that are held against each other, each with each

/// The faces round each vertex, and the copies of a vertex that hard edges ask for.
class NormalMaker {
public:
    NormalMaker(RawPart& raw, float crease) : raw_(raw), cos_crease_(std::cos(radians(crease))) {}

    void run() {
        find_faces();
        const size_t vertices = raw_.positions.size();
        raw_.normals.assign(vertices, V3f(0.f));
        used_.assign(vertices, 0);
        for (size_t v = 0; v < vertices; ++v) {
            if (first_[v + 1] - first_[v] > most_compared)
                smooth_crowded(v);
            else
                smooth(v);
        }
    }

private:
    void find_faces() {
        const size_t corners = raw_.indices.size();
        const size_t vertices = raw_.positions.size();
        face_.resize(corners / 3);
        for (size_t f = 0; f < face_.size(); ++f) {
            const V3f& a = raw_.positions[raw_.indices[3 * f]];
            const V3f& b = raw_.positions[raw_.indices[3 * f + 1]];
            const V3f& c = raw_.positions[raw_.indices[3 * f + 2]];
            face_[f] = (b - a).cross(c - a).normalized();
        }
        first_.assign(vertices + 1, 0);
        incident_.resize(corners);
        for (uint32_t v : raw_.indices) ++first_[v + 1];
        for (size_t v = 0; v < vertices; ++v) first_[v + 1] += first_[v];
        std::vector<uint32_t> next(first_.begin(), first_.end() - 1);
        for (size_t c = 0; c < corners; ++c) incident_[next[raw_.indices[c]]++] = uint32_t(c);
    }

    float corner_angle(size_t c) const {
        const size_t f = c / 3 * 3;
        const size_t i = c - f;
        const V3f& p = raw_.positions[raw_.indices[c]];
        const V3f a = (raw_.positions[raw_.indices[f + (i + 1) % 3]] - p).normalized();
        const V3f b = (raw_.positions[raw_.indices[f + (i + 2) % 3]] - p).normalized();
        return std::acos(std::clamp(a.dot(b), -1.f, 1.f));
    }

    void smooth(size_t v) {
        struct Copy {
            V3f normal;
            uint32_t vertex;
        };
        std::vector<Copy> copies;
        for (uint32_t i = first_[v]; i < first_[v + 1]; ++i) {
            const uint32_t corner = incident_[i];
            const V3f& own = face_[corner / 3];
            V3f sum(0.f);
            for (uint32_t j = first_[v]; j < first_[v + 1]; ++j)
                if (face_[incident_[j] / 3].dot(own) >= cos_crease_)
                    sum += face_[incident_[j] / 3] * corner_angle(incident_[j]);
            const V3f normal = sum.length() > 1e-20f ? sum.normalized() : own;
            uint32_t vertex = UINT32_MAX;
            for (const Copy& c : copies)
                if (c.normal.dot(normal) > 0.99999f) vertex = c.vertex;
            if (vertex == UINT32_MAX) {
                vertex = copy_of(v, normal);
                copies.push_back({normal, vertex});
            }
            raw_.indices[corner] = vertex;
        }
    }

    /// Round a vertex of very many faces, those within the crease of the mean are smooth together; of the others, those
    /// that point one way.
    void smooth_crowded(size_t v) {
        V3f sum(0.f);
        for (uint32_t i = first_[v]; i < first_[v + 1]; ++i)
            sum += face_[incident_[i] / 3] * corner_angle(incident_[i]);
        const V3f mean = sum.length() > 1e-20f ? sum.normalized() : face_[incident_[first_[v]] / 3];
        std::unordered_map<uint64_t, uint32_t> copies;
        for (uint32_t i = first_[v]; i < first_[v + 1]; ++i) {
            const uint32_t corner = incident_[i];
            const V3f own = face_[corner / 3];
            const V3f normal = own.dot(mean) >= cos_crease_ ? mean : own;
            uint64_t key = 0;
            for (int c = 0; c < 3; ++c) key = key << 10 | uint64_t(normal[c] * 500.f + 512.f);
            const auto [it, fresh] = copies.try_emplace(key, 0);
            if (fresh) it->second = copy_of(v, normal);
            raw_.indices[corner] = it->second;
        }
    }

    /// The vertex itself the first time; then another one at its place.
    uint32_t copy_of(size_t v, const V3f& normal) {
        if (!used_[v]) {
            used_[v] = 1;
            raw_.normals[v] = normal;
            return uint32_t(v);
        }
        raw_.positions.push_back(V3f(raw_.positions[v]));
        raw_.normals.push_back(normal);
        if (!raw_.uvs.empty()) raw_.uvs.push_back(V2f(raw_.uvs[v]));
        for (UvSet& s : raw_.more_uvs) s.uvs.push_back(V2f(s.uvs[v]));
        if (!raw_.colors.empty()) raw_.colors.push_back(V3f(raw_.colors[v]));
        return uint32_t(raw_.positions.size() - 1);
    }

    RawPart& raw_;
    float cos_crease_;
    std::vector<V3f> face_;
    std::vector<uint32_t> first_, incident_;  ///< corners round each vertex
    std::vector<char> used_;
};

}  // namespace

void make_normals(RawPart& raw, float crease) {
    NormalMaker(raw, crease).run();
}

}  // namespace vemtra::geometry
