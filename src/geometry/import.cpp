#include "geometry/import.h"

#include <algorithm>
#include <filesystem>
#include <map>

#include "base/text.h"

namespace vemtra::geometry {
namespace {

constexpr float farthest = 1e12f;  // metres: what is beyond cannot be told from a broken number

struct Cleaned {
    size_t bad_indices = 0, not_finite = 0, degenerate = 0;
};

/// From the whole area in the UVs over the whole area of the surface.
float uv_per_metre(const Mesh& m, const std::vector<V2f>& uvs) {
    if (uvs.empty()) return 0.f;
    double surface = 0, flat = 0;
    for (size_t t = 0; t + 2 < m.indices.size(); t += 3) {
        const uint32_t* i = &m.indices[t];
        surface +=
            double((m.positions[i[1]] - m.positions[i[0]]).cross(m.positions[i[2]] - m.positions[i[0]]).length());
        flat += std::fabs(double((uvs[i[1]] - uvs[i[0]]).cross(uvs[i[2]] - uvs[i[0]])));
    }
    const double ratio = surface > 0 ? std::sqrt(flat / surface) : 0;
    return std::isfinite(ratio) ? float(ratio) : 0.f;
}

bool sane(const V3f& p) {
    return finite(p) && max_component({std::fabs(p.x), std::fabs(p.y), std::fabs(p.z)}) < farthest;
}

/// Arrays of the wrong length are dropped, and numbers that are not finite become 0.
void straighten(RawPart& raw) {
    const size_t vertices = raw.positions.size();
    if (raw.uvs.size() != vertices) raw.uvs.clear();
    std::erase_if(raw.more_uvs, [&](const UvSet& s) { return s.uvs.size() != vertices; });
    if (raw.colors.size() != vertices) raw.colors.clear();
    if (raw.normals.size() != vertices) raw.normals.clear();
    auto clean = [](std::vector<V2f>& uvs) {
        for (V2f& uv : uvs)
            if (!std::isfinite(uv.x) || !std::isfinite(uv.y)) uv = V2f(0.f);
    };
    clean(raw.uvs);
    for (UvSet& s : raw.more_uvs) clean(s.uvs);
    for (V3f& c : raw.colors)
        if (!finite(c)) c = V3f(1.f);
}

/// Drops triangles that name vertices which do not exist, lie nowhere or have no area.
Cleaned drop_broken(RawPart& raw) {
    Cleaned cleaned;
    const size_t vertices = raw.positions.size();
    size_t kept = 0;
    for (size_t t = 0; t + 2 < raw.indices.size(); t += 3) {
        const uint32_t a = raw.indices[t], b = raw.indices[t + 1], c = raw.indices[t + 2];
        if (a >= vertices || b >= vertices || c >= vertices) {
            ++cleaned.bad_indices;
            continue;
        }
        const V3f &p = raw.positions[a], &q = raw.positions[b], &r = raw.positions[c];
        if (!sane(p) || !sane(q) || !sane(r)) {
            ++cleaned.not_finite;
            continue;
        }
        if (!((q - p).cross(r - p).length2() > 0.f)) {
            ++cleaned.degenerate;
            continue;
        }
        for (uint32_t corner : {a, b, c}) raw.indices[kept++] = corner;
    }
    raw.indices.resize(kept);
    for (V3f& p : raw.positions)
        if (!sane(p)) p = V3f(0.f);
    return cleaned;
}

/// Normals of unit length; one that vanished takes that of one of its faces.
void mend_normals(RawPart& raw) {
    for (V3f& n : raw.normals) {
        const float length = n.length();
        n = std::isfinite(length) && length > 1e-20f ? n / length : V3f(0.f);
    }
    for (size_t t = 0; t < raw.indices.size(); t += 3)
        for (size_t c = 0; c < 3; ++c)
            if (V3f& n = raw.normals[raw.indices[t + c]]; n.length2() < .5f) {
                const V3f &p = raw.positions[raw.indices[t]], &q = raw.positions[raw.indices[t + 1]],
                          &r = raw.positions[raw.indices[t + 2]];
                n = (q - p).cross(r - p).normalized();
            }
}

std::shared_ptr<const Mesh> finish(RawPart&& raw, const ImportOptions& options, Cleaned& cleaned) {
    straighten(raw);
    cleaned = drop_broken(raw);
    if (raw.normals.empty()) make_normals(raw, options.crease);
    mend_normals(raw);
    for (V3f& p : raw.positions) p *= options.scale;
    auto mesh = std::make_shared<Mesh>();
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

/// From the part's own space into the asset's: the file's transform in metres, then z up where the file has it so.
M44f to_asset(const RawPart& raw, const ImportOptions& options) {
    M44f m = raw.transform;
    for (int c = 0; c < 3; ++c) m[3][c] *= options.scale;
    if (options.z_up) m = m * M44f(1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1);  // (x, y, z) -> (x, z, -y)
    const float determinant = m.determinant();
    bool usable = std::isfinite(determinant) && std::fabs(determinant) > 1e-20f;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) usable &= std::fabs(m[r][c]) < farthest;
    return usable ? m : M44f();
}

}  // namespace

Box3f ImportedPart::bounds() const {
    Box3f box;
    for (const V3f& p : mesh->positions) box.extendBy(p * to_asset);
    return box;
}
size_t Imported::triangles() const {
    size_t n = 0;
    for (const auto& p : parts) n += p.mesh->triangles();
    return n;
}
const ImportedPart* Imported::part(const std::string& name) const {
    for (const ImportedPart& p : parts)
        if (p.name == name) return &p;
    return nullptr;
}

// The register: one line per format, each with a reader in a file of its own.
const std::vector<ImportFormat>& formats() {
    static const std::vector<ImportFormat> all = {
        {"OBJ", {".obj"}, read_obj},
        {"PLY", {".ply"}, read_ply},
        {"glTF", {".gltf", ".glb"}, read_gltf},
    };
    return all;
}

const ImportFormat* format_of(const std::string& file) {
    const std::string extension = lower(std::filesystem::path(file).extension().string());
    for (const ImportFormat& f : formats())
        for (const char* e : f.extensions)
            if (extension == e) return &f;
    return nullptr;
}

std::string format_names() {
    std::string text;
    for (size_t i = 0; i < formats().size(); ++i)
        text += (i == 0 ? "" : i + 1 == formats().size() ? " or " : ", ") + std::string(formats()[i].name);
    return text;
}

void name_apart(std::vector<RawPart>& parts) {
    std::map<std::string, int> seen;
    for (RawPart& part : parts)
        if (const int n = seen[part.name]++; n > 0) part.name += "." + std::to_string(n + 1);
}

Result<Imported> import(const std::string& file, const ImportOptions& options, Progress* progress) {
    Imported imported;
    const ImportFormat* format = format_of(file);
    if (!format)
        return Error{
            "Cannot import", file, "",
            "the extension '" + std::filesystem::path(file).extension().string() + "' is not one that Vemtra reads",
            "Use " + format_names()};
    RawParts raw = format->read(file, imported.warnings, progress);
    if (!raw) return raw.error();
    std::vector<std::shared_ptr<const Mesh>> meshes(raw->size());
    for (size_t i = 0; i < raw->size(); ++i) {
        if (stopped(progress)) return Error{"Import stopped", file, "", "it was asked to stop", ""};
        report(progress, .8f + .2f * float(i) / float(raw->size()));
        RawPart part = std::move((*raw)[i]);
        const std::string name = part.name;
        const M44f transform = to_asset(part, options);
        auto warn = [&](size_t count, const std::string& what, const std::string& remedy) {
            if (count)
                imported.warnings.push_back({"Left out while importing", file, "part " + name,
                                             std::to_string(count) + " triangles " + what, remedy});
        };
        if (part.same_as >= 0) {
            meshes[i] = meshes[size_t(part.same_as)];
        } else {
            Cleaned cleaned;
            meshes[i] = finish(std::move(part), options, cleaned);
            warn(cleaned.bad_indices, "name vertices that do not exist", "Export the mesh again");
            warn(cleaned.not_finite, "have positions that are not numbers, or lie beyond all measure",
                 "Clean the mesh and export it again");
            warn(cleaned.degenerate, "have no area", "Nothing needs doing: they cannot be seen");
        }
        if (meshes[i]->triangles()) imported.parts.push_back({name, meshes[i], transform});
    }
    if (imported.parts.empty())
        return Error{"Nothing to import", file, imported.warnings.empty() ? "" : imported.warnings.front().place,
                     imported.warnings.empty() ? "the file has no triangles" : imported.warnings.front().why,
                     "Export the asset again, with faces"};
    report(progress, 1.f);
    return imported;
}

}  // namespace vemtra::geometry
