#include "geometry/import.h"

#include <algorithm>
#include <array>
#include <filesystem>
#include <set>
#include <tuple>
#include <unordered_map>
#include <unordered_set>
#include <utility>

#include "base/text.h"

namespace vemtra::geometry {

void RawPart::add_polygon(const std::vector<uint32_t>& corners) {
    if (corners.size() <= most_fanned) {
        for (size_t c = 2; c < corners.size(); ++c) {
            indices.insert(indices.end(), {corners[0], corners[c - 1], corners[c]});
            continues.push_back(c > 2);
        }
        return;
    }
    std::set<std::array<uint32_t, 3>> seen;  // an outline that runs around itself again and again covers nothing anew
    for (std::vector<uint32_t> ring = corners; ring.size() > 2;) {
        std::vector<uint32_t> inner;
        for (size_t c = 0; c < ring.size(); c += 2) {
            inner.push_back(ring[c]);
            if (c + 1 == ring.size()) continue;
            std::array<uint32_t, 3> cut{ring[c], ring[c + 1], ring[(c + 2) % ring.size()]};
            std::rotate(cut.begin(), std::min_element(cut.begin(), cut.end()), cut.end());
            if (!seen.insert(cut).second) continue;
            indices.insert(indices.end(), cut.begin(), cut.end());
            continues.push_back(0);
        }
        ring = std::move(inner);
    }
}
namespace {

constexpr float farthest = 1e12f;  // metres: what is beyond cannot be told from a broken number

struct Cleaned {
    size_t bad_indices = 0, not_finite = 0, degenerate = 0;
};

/// From the whole area in the UVs over the whole area of the surface.
float uv_per_metre(const Mesh& m, const std::vector<V2f>& uvs) {
    if (uvs.empty()) return 0.f;
    double surface = 0;
    double flat = 0;
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
    if (raw.continues.size() != raw.indices.size() / 3) raw.continues.clear();
    bool whole = false;  // the triangle before is there
    for (size_t t = 0; t + 2 < raw.indices.size(); t += 3) {
        const bool goes_on = std::exchange(whole, false) && !raw.continues.empty() && raw.continues[t / 3];
        const uint32_t a = raw.indices[t];
        const uint32_t b = raw.indices[t + 1];
        const uint32_t c = raw.indices[t + 2];
        if (a >= vertices || b >= vertices || c >= vertices) {
            ++cleaned.bad_indices;
            continue;
        }
        const V3f& p = raw.positions[a];
        const V3f& q = raw.positions[b];
        const V3f& r = raw.positions[c];
        if (!sane(p) || !sane(q) || !sane(r)) {
            ++cleaned.not_finite;
            continue;
        }
        if (!((q - p).cross(r - p).length2() > 0.f)) {
            ++cleaned.degenerate;
            continue;
        }
        if (!raw.continues.empty()) raw.continues[kept / 3] = goes_on;
        whole = true;
        for (uint32_t corner : {a, b, c}) raw.indices[kept++] = corner;
    }
    raw.indices.resize(kept);
    if (!raw.continues.empty()) raw.continues.resize(kept / 3);
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
                const V3f& p = raw.positions[raw.indices[t]];
                const V3f& q = raw.positions[raw.indices[t + 1]];
                const V3f& r = raw.positions[raw.indices[t + 2]];
                n = (q - p).cross(r - p).normalized();
            }
}

std::shared_ptr<const Mesh> finished_mesh(RawPart&& raw, const ImportOptions& options, Cleaned& cleaned) {
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
    mesh->continues = std::move(raw.continues);
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

Error no_reader(const std::string& file) {
    return {"Cannot import", file, "",
            "the extension '" + std::filesystem::path(file).extension().string() + "' is not one that Vemtra reads",
            "Use " + format_names()};
}

/// From what a reader gave to parts with clean meshes.
class ImportFinisher {
public:
    ImportFinisher(const std::string& file, const ImportOptions& options, std::vector<Error> warnings,
                   Progress* progress)
        : file_(file), options_(options), progress_(progress) {
        imported_.warnings = std::move(warnings);
    }

    Result<Imported> finish(std::vector<RawPart> raw) {
        std::vector<std::shared_ptr<const Mesh>> meshes(raw.size());
        for (size_t i = 0; i < raw.size(); ++i) {
            if (stopped(progress_)) return Error{"Import stopped", file_, "", "it was asked to stop", ""};
            report(progress_, .8f + .2f * float(i) / float(raw.size()));
            RawPart part = std::move(raw[i]);
            const std::string name = part.name;
            const M44f transform = to_asset(part, options_);
            meshes[i] = part.same_as >= 0 ? meshes[size_t(part.same_as)] : mesh_of(std::move(part));
            if (meshes[i]->triangles()) imported_.parts.push_back({name, meshes[i], transform});
        }
        tell();
        const std::vector<Error>& warnings = imported_.warnings;
        if (imported_.parts.empty())
            return Error{"Nothing to import", file_, warnings.empty() ? "" : warnings.front().place,
                         warnings.empty() ? "the file has no triangles" : warnings.front().why,
                         "Export the asset again, with faces"};
        report(progress_, 1.f);
        return std::move(imported_);
    }

private:
    struct Left {
        size_t triangles = 0, parts = 0;
        std::string first;  ///< part
    };

    std::shared_ptr<const Mesh> mesh_of(RawPart&& part) {
        const std::string name = part.name;
        Cleaned cleaned;
        auto mesh = finished_mesh(std::move(part), options_, cleaned);
        count(bad_indices_, cleaned.bad_indices, name);
        count(not_finite_, cleaned.not_finite, name);
        count(degenerate_, cleaned.degenerate, name);
        return mesh;
    }
    static void count(Left& left, size_t triangles, const std::string& part) {
        if (!triangles) return;
        left.triangles += triangles;
        if (!left.parts++) left.first = part;
    }
    /// One sentence per reason, however many parts a file has.
    void tell() {
        const std::tuple<const Left&, const char*, const char*> reasons[] = {
            {bad_indices_, "triangles that name vertices which do not exist", "Export the mesh again"},
            {not_finite_, "triangles whose positions are not numbers, or lie beyond all measure",
             "Clean the mesh and export it again"},
            {degenerate_, "triangles without an area", "Nothing needs doing: they cannot be seen"}};
        for (const auto& [left, what, remedy] : reasons) {
            if (!left.triangles) continue;
            const std::string others = left.parts > 1 ? ", one of " + std::to_string(left.parts) : "";
            imported_.warnings.push_back({"Left out while importing", file_, "part " + left.first + others,
                                          what + (": " + std::to_string(left.triangles)), remedy});
        }
    }

    const std::string& file_;
    const ImportOptions& options_;
    Progress* progress_;
    Imported imported_;
    Left bad_indices_, not_finite_, degenerate_;
};

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
    std::unordered_map<std::string, size_t> seen;
    std::unordered_set<std::string> taken;
    for (const RawPart& part : parts) taken.insert(part.name);
    for (RawPart& part : parts) {
        size_t& n = seen[part.name];
        if (++n == 1) continue;
        std::string name;
        do name = part.name + "." + std::to_string(n++);
        while (!taken.insert(name).second);
        --n;
        part.name = name;
    }
}

Result<Imported> import(const std::string& file, const ImportOptions& options, Progress* progress) {
    if (!format_of(file)) return no_reader(file);
    Result<ByteStream> bytes = ByteStream::open(file);
    if (!bytes) return bytes.error();
    return import(file, *bytes, options, progress);
}

Result<Imported> import(const std::string& file, ByteStream& bytes, const ImportOptions& options, Progress* progress) {
    const ImportFormat* format = format_of(file);
    if (!format) return no_reader(file);
    try {
        std::vector<Error> warnings;
        RawParts raw = format->read({file, bytes}, warnings, progress);
        if (!raw) return raw.error();
        for (RawPart& part : *raw) part.name = valid_utf8(part.name);  // projects keep the name
        name_apart(*raw);                                              // two groups of one name stay two parts
        return ImportFinisher(file, options, std::move(warnings), progress).finish(std::move(*raw));
    } catch (const std::bad_alloc&) {
        return Error{"Cannot import", file, "", "it does not fit into memory",
                     "Import it in parts, or with less detail"};
    }
}

}  // namespace vemtra::geometry
