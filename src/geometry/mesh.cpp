#include "geometry/mesh.h"

#include <filesystem>

#include "base/hash.h"

namespace vemtra::geometry {

Box3f Mesh::bounds() const {
    Box3f box;
    for (const V3f& p : positions) box.extendBy(p);
    return box;
}

uint64_t Mesh::content_hash() const {
    uint64_t h = hash_bytes(positions.data(), positions.size() * sizeof(V3f));
    h = hash_bytes(normals.data(), normals.size() * sizeof(V3f), h);
    return hash_bytes(indices.data(), indices.size() * sizeof(uint32_t), h);
}

size_t Imported::triangles() const {
    size_t n = 0;
    for (const auto& p : parts) n += p->triangles();
    return n;
}

void make_normals(RawPart& raw, float crease) {
    const size_t corners = raw.indices.size(), vertices = raw.positions.size();
    const float cos_crease = std::cos(radians(crease));
    std::vector<V3f> face(corners / 3);
    for (size_t f = 0; f < face.size(); ++f) {
        const V3f &a = raw.positions[raw.indices[3 * f]], &b = raw.positions[raw.indices[3 * f + 1]], &c = raw.positions[raw.indices[3 * f + 2]];
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
        const V3f a = (raw.positions[raw.indices[f + (i + 1) % 3]] - p).normalized(), b = (raw.positions[raw.indices[f + (i + 2) % 3]] - p).normalized();
        return std::acos(std::clamp(a.dot(b), -1.f, 1.f));
    };
    raw.normals.assign(vertices, V3f(0.f));
    std::vector<char> used(vertices, 0);
    for (size_t v = 0; v < vertices; ++v) {
        struct Copy { V3f normal; uint32_t vertex; };
        std::vector<Copy> copies;
        for (uint32_t i = first[v]; i < first[v + 1]; ++i) {
            const uint32_t corner = incident[i];
            const V3f& own = face[corner / 3];
            V3f sum(0.f);
            for (uint32_t j = first[v]; j < first[v + 1]; ++j)
                if (face[incident[j] / 3].dot(own) >= cos_crease) sum += face[incident[j] / 3] * corner_angle(incident[j]);
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

namespace {
/// From the whole area in the UVs over the whole area of the surface.
float uv_per_metre(const Mesh& m, const std::vector<V2f>& uvs) {
    if (uvs.empty()) return 0.f;
    double surface = 0, flat = 0;
    for (size_t t = 0; t + 2 < m.indices.size(); t += 3) {
        const uint32_t *i = &m.indices[t];
        surface += double((m.positions[i[1]] - m.positions[i[0]]).cross(m.positions[i[2]] - m.positions[i[0]]).length());
        flat += std::fabs(double((uvs[i[1]] - uvs[i[0]]).cross(uvs[i[2]] - uvs[i[0]])));
    }
    const double ratio = surface > 0 ? std::sqrt(flat / surface) : 0;
    return std::isfinite(ratio) ? float(ratio) : 0.f;
}
}  // namespace

std::shared_ptr<const Mesh> finish(RawPart&& raw, const ImportOptions& options, Cleaned& cleaned) {
    const size_t vertices = raw.positions.size();
    if (raw.uvs.size() != vertices) raw.uvs.clear();
    std::erase_if(raw.more_uvs, [&](const UvSet& s) { return s.uvs.size() != vertices; });
    if (raw.colors.size() != vertices) raw.colors.clear();
    if (raw.normals.size() != vertices) raw.normals.clear();
    size_t kept = 0;
    for (size_t t = 0; t + 2 < raw.indices.size(); t += 3) {
        const uint32_t a = raw.indices[t], b = raw.indices[t + 1], c = raw.indices[t + 2];
        if (a >= vertices || b >= vertices || c >= vertices) { ++cleaned.bad_indices; continue; }
        const V3f &p = raw.positions[a], &q = raw.positions[b], &r = raw.positions[c];
        const bool sane = finite(p) && finite(q) && finite(r) && max_component(p) < 1e12f && max_component(q) < 1e12f && max_component(r) < 1e12f;
        if (!sane) { ++cleaned.not_finite; continue; }
        if ((q - p).cross(r - p).length2() <= 0.f) { ++cleaned.degenerate; continue; }
        raw.indices[kept] = a;
        raw.indices[kept + 1] = b;
        raw.indices[kept + 2] = c;
        kept += 3;
    }
    raw.indices.resize(kept);
    for (V3f& p : raw.positions)
        if (!finite(p)) p = V3f(0.f);
    auto clean = [](std::vector<V2f>& uvs) {
        for (V2f& uv : uvs)
            if (!std::isfinite(uv.x) || !std::isfinite(uv.y)) uv = V2f(0.f);
    };
    clean(raw.uvs);
    for (UvSet& s : raw.more_uvs) clean(s.uvs);
    if (raw.normals.empty()) {
        make_normals(raw, options.crease);
        cleaned.made_normals = true;
    }
    M44f object;
    object.setScale(V3f(options.scale));
    M44f to_world = raw.transform;
    for (int c = 0; c < 3; ++c) to_world[3][c] *= options.scale;
    if (options.z_up) {  // (x, y, z) -> (x, z, -y)
        M44f turn(1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1);
        to_world = to_world * turn;
    }
    auto mesh = std::make_shared<Mesh>();
    mesh->name = raw.name;
    mesh->identity = to_world == M44f();
    const float determinant = to_world.determinant();
    const bool invertible = std::isfinite(determinant) && std::fabs(determinant) > 1e-20f;
    if (!invertible) to_world = M44f(), mesh->identity = true;
    mesh->world_to_object = to_world.inverse();
    const M44f normal_matrix = to_world.inverse().transposed();
    for (V3f& p : raw.positions) {
        p *= options.scale;
        if (!mesh->identity) p = p * to_world;
    }
    for (V3f& n : raw.normals) {
        if (!mesh->identity) {
            V3f m;
            normal_matrix.multDirMatrix(n, m);
            n = m;
        }
        const float length = n.length();
        n = std::isfinite(length) && length > 1e-20f ? n / length : V3f(0.f);
    }
    if (determinant < 0.f)
        for (size_t t = 0; t < raw.indices.size(); t += 3) std::swap(raw.indices[t + 1], raw.indices[t + 2]);
    for (size_t t = 0; t < raw.indices.size(); t += 3)  // a vanished normal takes that of one of its faces
        for (int c = 0; c < 3; ++c)
            if (V3f& n = raw.normals[raw.indices[t + size_t(c)]]; n.length2() < .5f) {
                const V3f &p = raw.positions[raw.indices[t]], &q = raw.positions[raw.indices[t + 1]], &r = raw.positions[raw.indices[t + 2]];
                n = (q - p).cross(r - p).normalized();
            }
    mesh->positions = std::move(raw.positions);
    mesh->normals = std::move(raw.normals);
    mesh->uvs = std::move(raw.uvs);
    mesh->uv_name = raw.uv_name;
    mesh->more_uvs = std::move(raw.more_uvs);
    mesh->colors = std::move(raw.colors);
    mesh->indices = std::move(raw.indices);
    mesh->uv_per_metre = uv_per_metre(*mesh, mesh->uvs);
    for (UvSet& s : mesh->more_uvs) s.per_metre = uv_per_metre(*mesh, s.uvs);
    return mesh;
}

Result<Imported> import(const std::string& file, const ImportOptions& options, Progress* progress) {
    std::string extension = std::filesystem::path(file).extension().string();
    std::transform(extension.begin(), extension.end(), extension.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    Imported imported;
    Result<std::vector<RawPart>> raw = Error{};
    if (extension == ".obj") raw = read_obj(file, imported.warnings, progress);
    else if (extension == ".ply") raw = read_ply(file, imported.warnings, progress);
    else if (extension == ".gltf" || extension == ".glb") raw = read_gltf(file, imported.warnings, progress);
    else return Error{"Cannot import", file, "", "the extension '" + extension + "' is not one that Vemtra reads", "Use OBJ, PLY, glTF or GLB"};
    if (!raw) return raw.error();
    for (size_t i = 0; i < raw->size(); ++i) {
        if (stopped(progress)) return Error{"Import stopped", file, "", "it was asked to stop", ""};
        report(progress, .8f + .2f * float(i) / float(raw->size()));
        Cleaned cleaned;
        RawPart part = std::move((*raw)[i]);
        const std::string name = part.name;
        auto mesh = finish(std::move(part), options, cleaned);
        auto warn = [&](size_t count, const std::string& what, const std::string& remedy) {
            if (count) imported.warnings.push_back({"Left out while importing", file, "part " + name, std::to_string(count) + " triangles " + what, remedy});
        };
        warn(cleaned.bad_indices, "name vertices that do not exist", "Export the mesh again");
        warn(cleaned.not_finite, "have positions that are not numbers", "Clean the mesh and export it again");
        warn(cleaned.degenerate, "have no area", "Nothing needs doing: they cannot be seen");
        if (mesh->triangles()) imported.parts.push_back(std::move(mesh));
    }
    if (imported.parts.empty())
        return Error{"Nothing to import", file, imported.warnings.empty() ? "" : imported.warnings.front().place,
                     imported.warnings.empty() ? "the file has no triangles" : imported.warnings.front().why, "Export the asset again, with faces"};
    report(progress, 1.f);
    return imported;
}

}  // namespace vemtra::geometry
