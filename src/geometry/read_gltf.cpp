// glTF 2.0 and GLB. One part per mesh primitive of each node, with the node's transform; nodes of one mesh share it.
// Compressed meshes (KHR_draco_mesh_compression, EXT_meshopt_compression), KHR_mesh_quantization's integers and sparse
// accessors are read.
#include <cmath>
#include <cstring>
#include <map>
#include <set>

#include "geometry/gltf_file.h"
#include "geometry/import.h"
#include "nodes/resources.h"

namespace vemtra::geometry {
namespace {

using Json = GltfFile::Json;

constexpr const char* draco_extension = "KHR_draco_mesh_compression";
constexpr int triangles_mode = 4;

// What changes the mesh and is understood, and what only dresses it: maps and surfaces come from the artist here.
constexpr const char* understood[] = {"KHR_mesh_quantization", draco_extension,       "EXT_meshopt_compression",
                                      "KHR_texture_transform", "KHR_lights_punctual", "EXT_texture_webp",
                                      "KHR_texture_basisu"};

class GltfReader {
public:
    GltfReader(const GltfFile& file, std::vector<Error>& warnings, Progress* progress)
        : g_(file), warnings_(warnings), progress_(progress) {}

    std::vector<RawPart> parts;

    Status read() {
        if (Status s = extensions(); !s) return s;
        std::vector<int> roots;
        const Json& scenes = g_.array("scenes");
        const Json& nodes = g_.array("nodes");
        if (!scenes.empty()) {
            const int wanted = std::clamp(GltfFile::number(g_.json(), "scene", 0), 0, int(scenes.size()) - 1);
            if (scenes[size_t(wanted)].is_object()) roots = children(scenes[size_t(wanted)], "nodes");
        } else {
            for (size_t i = 0; i < nodes.size(); ++i) roots.push_back(int(i));
        }
        return walk(roots);
    }

private:
    Status extensions() const {
        for (const Json& e : g_.array("extensionsRequired")) {
            const std::string name = e.is_string() ? e.get<std::string>() : std::string();
            const bool known =
                name.compare(0, 14, "KHR_materials_") == 0 ||
                std::any_of(std::begin(understood), std::end(understood), [&](const char* u) { return name == u; });
            if (!known)
                return Error{"Cannot import", g_.file(), "extensionsRequired",
                             "it needs '" + name + "', which Vemtra does not read", "Export without it"};
        }
        return Done{};
    }

    static std::vector<int> children(const Json& object, const char* key) {
        std::vector<int> out;
        if (const auto it = object.find(key); it != object.end() && it->is_array())
            for (const Json& j : *it)
                out.push_back(j.is_number_unsigned() && j.get<uint64_t>() < INT32_MAX ? j.get<int>() : -1);
        return out;
    }

    /// Depth first over a stack of our own; a node is entered once, as the standard has it (nodes are trees).
    Status walk(const std::vector<int>& roots) {
        struct Step {
            int node;
            M44f parent;
        };
        std::vector<Step> open;
        for (auto it = roots.rbegin(); it != roots.rend(); ++it) open.push_back({*it, M44f()});
        const Json& nodes = g_.array("nodes");
        std::vector<char> seen(nodes.size(), 0);
        size_t done = 0;
        while (!open.empty()) {
            const Step step = open.back();
            open.pop_back();
            if (stopped(progress_)) return Error{"Import stopped", g_.file(), "", "it was asked to stop", ""};
            if (step.node < 0 || size_t(step.node) >= nodes.size() || !nodes[size_t(step.node)].is_object())
                return g_.broken("scene", "a node does not exist");
            if (seen[size_t(step.node)]++)
                return g_.broken("node " + std::to_string(step.node), "it hangs below two nodes, or below itself");
            report(progress_, .3f + .5f * float(++done) / float(nodes.size()));
            const Json& node = nodes[size_t(step.node)];
            const M44f world = local(node) * step.parent;
            if (const int mesh = GltfFile::number(node, "mesh"); mesh >= 0)
                if (Status s = stand(mesh, GltfFile::text(node, "name"), world); !s) return s;
            const std::vector<int> below = children(node, "children");
            for (auto it = below.rbegin(); it != below.rend(); ++it) open.push_back({*it, world});
        }
        return Done{};
    }

    static bool numbers(const Json& object, const char* key, size_t count, float* out) {
        const auto it = object.find(key);
        if (it == object.end() || !it->is_array() || it->size() != count) return false;
        for (size_t i = 0; i < count; ++i) {
            if (!(*it)[i].is_number()) return false;
            out[i] = (*it)[i].get<float>();
            if (!std::isfinite(out[i])) return false;
        }
        return true;
    }

    static M44f local(const Json& n) {
        float v[16];
        M44f m;
        if (numbers(n, "matrix", 16, v)) {
            for (int r = 0; r < 4; ++r)
                for (int c = 0; c < 4; ++c) m[r][c] = v[4 * r + c];
            return m;
        }
        if (numbers(n, "scale", 3, v)) m = M44f().setScale(V3f(v[0], v[1], v[2]));
        if (numbers(n, "rotation", 4, v)) {
            const float x = v[0];
            const float y = v[1];
            const float z = v[2];
            const float w = v[3];
            m = m * M44f(1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w), 0, 2 * (x * y - z * w),
                         1 - 2 * (x * x + z * z), 2 * (y * z + x * w), 0, 2 * (x * z + y * w), 2 * (y * z - x * w),
                         1 - 2 * (x * x + y * y), 0, 0, 0, 0, 1);
        }
        if (numbers(n, "translation", 3, v))
            for (int c = 0; c < 3; ++c) m[3][c] = v[c];
        return m;
    }

    Status stand(int index, const std::string& node_name, const M44f& world) {
        const Json& meshes = g_.array("meshes");
        if (size_t(index) >= meshes.size() || !meshes[size_t(index)].is_object())
            return g_.broken("node " + node_name, "its mesh does not exist");
        const Json& mesh = meshes[size_t(index)];
        const auto primitives = mesh.find("primitives");
        if (primitives == mesh.end() || !primitives->is_array())
            return g_.broken("node " + node_name, "its mesh has no primitives");
        for (size_t p = 0; p < primitives->size(); ++p) {
            const Json& primitive = (*primitives)[p];
            if (!primitive.is_object() || GltfFile::number(primitive, "mode", triangles_mode) != triangles_mode)
                continue;  // points and lines have no surface
            std::string name = node_name.empty() ? GltfFile::text(mesh, "name") : node_name;
            if (name.empty()) name = "part " + std::to_string(parts.size() + 1);
            if (primitives->size() > 1) name += "." + std::to_string(p + 1);
            RawPart part;
            part.name = name;
            part.transform = world;
            const auto [first, fresh] = read_.try_emplace({index, p}, int(parts.size()));
            if (!fresh)
                part.same_as = first->second;
            else if (Status s = fill(primitive, "part " + name, part); !s)
                return s;
            parts.push_back(std::move(part));
        }
        return Done{};
    }

    /// Where the numbers of a primitive come from: its accessors, or its compressed mesh.
    struct Numbers {
        const Json& attributes;
        const Json* packed_attributes = nullptr;
        DracoMesh packed;
        int id(const std::string& key) const {
            const int packed_id = packed_attributes ? GltfFile::number(*packed_attributes, key.c_str()) : -1;
            return packed_id >= 0 ? packed_id : GltfFile::number(attributes, key.c_str());
        }
        bool in_packed(const std::string& key) const {
            return packed_attributes && GltfFile::number(*packed_attributes, key.c_str()) >= 0;
        }
    };

    Status take(const Numbers& n, const std::string& key, int components, std::vector<float>& out, size_t& count,
                const std::string& place, const std::vector<uint32_t>* only) const {
        if (!n.in_packed(key)) return g_.floats(n.id(key), components, out, count, place, only);
        count = n.packed.points;
        if (!n.packed.attribute(n.id(key), components, out))
            return g_.broken(place, "its compressed mesh lacks " + key);
        return Done{};
    }

    Status fill(const Json& primitive, const std::string& place, RawPart& part) const {
        const auto attributes = primitive.find("attributes");
        if (attributes == primitive.end() || !attributes->is_object()) return g_.broken(place, "it has no positions");
        Numbers n{*attributes, nullptr, {}};
        if (const auto all = primitive.find("extensions"); all != primitive.end() && all->is_object() &&
                                                           all->contains(draco_extension) &&
                                                           (*all)[draco_extension].is_object()) {
            const Json& draco = (*all)[draco_extension];
            Result<std::string_view> bytes = g_.view(GltfFile::number(draco, "bufferView"), place);
            if (!bytes) return bytes.error();
            Result<DracoMesh> mesh = unpack_draco(*bytes);
            if (!mesh) return g_.broken(place, mesh.error().why);
            if (Status s = g_.spend(mesh->indices.size() * sizeof(uint32_t) + mesh->points * sizeof(V3f), place); !s)
                return s;
            n.packed = std::move(*mesh);
            if (draco.contains("attributes") && draco["attributes"].is_object())
                n.packed_attributes = &draco["attributes"];
        }
        if (n.id("POSITION") < 0) return g_.broken(place, "it has no positions");
        return fill_vertices(n, place, part, primitive);
    }

    /// The triangles' corners, and which vertices of the file they are of: all, or, where the primitive uses a small
    /// part of a buffer that it shares with others, those alone.
    Status fill_corners(const Numbers& n, const std::string& place, const Json& primitive, RawPart& part,
                        std::vector<uint32_t>& used) const {
        const size_t vertices = n.in_packed("POSITION") ? n.packed.points : g_.count_of(n.id("POSITION"));
        if (n.packed.decoded) {
            part.indices = n.packed.indices;
            return Done{};
        }
        const int indices = GltfFile::number(primitive, "indices");
        if (indices < 0) return Done{};
        if (Status s = g_.indices(indices, part.indices, place); !s) return s;
        if (part.indices.size() >= vertices / 2) return Done{};
        used = part.indices;
        std::sort(used.begin(), used.end());
        used.erase(std::unique(used.begin(), used.end()), used.end());
        for (uint32_t& i : part.indices)
            i = i < vertices ? uint32_t(std::lower_bound(used.begin(), used.end(), i) - used.begin()) : UINT32_MAX;
        return Done{};
    }

    Status fill_vertices(const Numbers& n, const std::string& place, RawPart& part, const Json& primitive) const {
        std::vector<uint32_t> used;
        if (Status s = fill_corners(n, place, primitive, part, used); !s) return s;
        const std::vector<uint32_t>* only = used.empty() ? nullptr : &used;
        std::vector<float> values;
        size_t count = 0;
        auto take_triples = [&](const char* key, std::vector<V3f>& to) -> Status {
            if (Status s = take(n, key, 3, values, count, place, only); !s) return s;
            to.resize(count);
            std::memcpy(static_cast<void*>(to.data()), values.data(), count * sizeof(V3f));
            return Done{};
        };
        if (Status s = take_triples("POSITION", part.positions); !s) return s;
        const size_t vertices = part.positions.size();
        if (n.id("NORMAL") >= 0)
            if (Status s = take_triples("NORMAL", part.normals); !s) return s;
        if (n.id("COLOR_0") >= 0)
            if (Status s = take_triples("COLOR_0", part.colors); !s) return s;
        for (int set = 0; set < 8; ++set) {
            const std::string key = "TEXCOORD_" + std::to_string(set);
            if (n.id(key) < 0) continue;
            if (Status s = take(n, key, 2, values, count, place, only); !s) return s;
            std::vector<V2f> uvs(count);
            for (size_t i = 0; i < count; ++i)
                uvs[i] = V2f(values[2 * i], 1.f - values[2 * i + 1]);  // glTF counts v downwards
            if (part.uvs.empty()) {
                part.uvs = std::move(uvs);
                part.uv_name = key;
            } else {
                part.more_uvs.push_back({key, std::move(uvs)});
            }
        }
        fill_properties(n, place, only, part);
        if (!n.packed.decoded && GltfFile::number(primitive, "indices") < 0) {
            part.indices.resize(vertices);
            for (size_t i = 0; i < vertices; ++i) part.indices[i] = uint32_t(i);
        }
        return Done{};
    }

    /// What the application that wrote the file calls by a name of its own, and further colours. One that cannot be
    /// read is left out, the form is there.
    void fill_properties(const Numbers& n, const std::string& place, const std::vector<uint32_t>* only,
                         RawPart& part) const {
        size_t taken = 0;
        for (const auto& [key, value] : n.attributes.items()) {
            const bool own = key.size() > 1 && key[0] == '_';
            const bool colour = key.rfind("COLOR_", 0) == 0 && key != "COLOR_0";
            if ((!own && !colour) || taken++ >= most_properties) continue;
            std::vector<float> values;
            size_t count = 0;
            Status read = take(n, key, 4, values, count, place, only);
            if (read && count != part.positions.size()) read = g_.broken(place, "it has not one value for each vertex");
            if (!read) {
                Error e = read.error();
                e.what = "The property '" + key + "' is left out";
                warnings_.push_back(std::move(e));
                continue;
            }
            for (int pair = 0; pair < 2; ++pair) {
                std::vector<V2f> two(count);
                for (size_t i = 0; i < count; ++i)
                    two[i] = V2f(values[4 * i + size_t(2 * pair)], values[4 * i + size_t(2 * pair) + 1]);
                part.more_uvs.push_back({nodes::property_set(key, pair), std::move(two)});
            }
        }
    }

    const GltfFile& g_;
    std::vector<Error>& warnings_;
    Progress* progress_;
    std::map<std::pair<int, size_t>, int> read_;  ///< mesh and primitive -> the part that has its arrays
};

}  // namespace

RawParts read_gltf(const ImportSource& source, std::vector<Error>& warnings, Progress* progress) {
    Result<GltfFile> opened = GltfFile::open(source.file, source.bytes);
    if (!opened) return opened.error();
    report(progress, .3f);
    GltfReader reader(*opened, warnings, progress);
    if (Status s = reader.read(); !s) return s.error();
    return std::move(reader.parts);
}

}  // namespace vemtra::geometry
