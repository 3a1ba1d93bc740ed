// glTF 2.0 and GLB through tinygltf. One part per mesh primitive of each node, with the node's transform; KHR_mesh_quantization's integer
// accessors are read too. Every offset, stride and count is held against the buffer before it is used.
#define TINYGLTF_IMPLEMENTATION
#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#define TINYGLTF_NO_EXTERNAL_IMAGE
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wunused-parameter"
#pragma GCC diagnostic ignored "-Wmissing-field-initializers"
#include <tiny_gltf.h>
#pragma GCC diagnostic pop

#include <map>

#include "base/file.h"
#include "geometry/mesh.h"

namespace vemtra::geometry {
namespace {

class Reader {
public:
    Reader(const tinygltf::Model& model, const std::string& file) : model_(model), file_(file) {}

    std::vector<RawPart> parts;
    Error error;

    bool visit(int node_index, const M44f& parent, int depth) {
        if (node_index < 0 || size_t(node_index) >= model_.nodes.size()) return fail("scene", "a node does not exist");
        if (depth > 64) return fail("scene", "the nodes are nested too deep, or in a circle");
        const tinygltf::Node& node = model_.nodes[size_t(node_index)];
        const M44f world = local(node) * parent;
        if (node.mesh >= 0) {
            if (size_t(node.mesh) >= model_.meshes.size()) return fail("node " + node.name, "its mesh does not exist");
            const tinygltf::Mesh& mesh = model_.meshes[size_t(node.mesh)];
            for (size_t p = 0; p < mesh.primitives.size(); ++p) {
                std::string name = node.name.empty() ? mesh.name : node.name;
                if (name.empty()) name = "part " + std::to_string(parts.size() + 1);
                if (mesh.primitives.size() > 1) name += "." + std::to_string(p + 1);
                if (!primitive(mesh.primitives[p], name, world)) return false;
            }
        }
        for (int child : node.children)
            if (!visit(child, world, depth + 1)) return false;
        return true;
    }

    bool fail(const std::string& place, const std::string& why) {
        error = {"Not a readable glTF", file_, place, why, "Export the asset again"};
        return false;
    }

private:
    static M44f local(const tinygltf::Node& n) {
        M44f m;
        if (n.matrix.size() == 16) {
            for (int r = 0; r < 4; ++r)
                for (int c = 0; c < 4; ++c) m[r][c] = float(n.matrix[size_t(4 * r + c)]);
            return m;
        }
        if (n.scale.size() == 3) m = M44f().setScale(V3f(float(n.scale[0]), float(n.scale[1]), float(n.scale[2])));
        if (n.rotation.size() == 4) {
            const float x = float(n.rotation[0]), y = float(n.rotation[1]), z = float(n.rotation[2]), w = float(n.rotation[3]);
            m = m * M44f(1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w), 0, 2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w), 0,
                         2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y), 0, 0, 0, 0, 1);
        }
        if (n.translation.size() == 3) m[3][0] = float(n.translation[0]), m[3][1] = float(n.translation[1]), m[3][2] = float(n.translation[2]);
        return m;
    }

    /// Reads an accessor as floats, `components` per element (missing ones stay 0). Normalised integers become 0..1 or -1..1.
    bool floats(int index, int components, std::vector<float>& out, size_t& count, const std::string& place) {
        if (index < 0 || size_t(index) >= model_.accessors.size()) return fail(place, "an accessor does not exist");
        const tinygltf::Accessor& a = model_.accessors[size_t(index)];
        if (a.sparse.isSparse) return fail(place, "sparse accessors are not read");
        if (a.bufferView < 0 || size_t(a.bufferView) >= model_.bufferViews.size()) return fail(place, "an accessor has no data (is the mesh compressed?)");
        const tinygltf::BufferView& view = model_.bufferViews[size_t(a.bufferView)];
        if (view.buffer < 0 || size_t(view.buffer) >= model_.buffers.size()) return fail(place, "a buffer does not exist");
        const auto& data = model_.buffers[size_t(view.buffer)].data;
        const int size = tinygltf::GetComponentSizeInBytes(uint32_t(a.componentType)), have = tinygltf::GetNumComponentsInType(uint32_t(a.type));
        if (size <= 0 || have <= 0) return fail(place, "an accessor has an unknown type");
        const size_t element = size_t(size) * size_t(have), stride = view.byteStride ? view.byteStride : element;
        const size_t start = view.byteOffset + a.byteOffset;
        if (stride < element || start > data.size() || a.byteOffset > view.byteLength) return fail(place, "an accessor points outside of its buffer");
        const size_t room = std::min(data.size() - start, view.byteLength - a.byteOffset);
        if (a.count == 0 || a.count > room || (a.count - 1) * stride + element > room) return fail(place, "an accessor is longer than its buffer: the file is cut off");
        count = a.count;
        out.assign(count * size_t(components), 0.f);
        for (size_t i = 0; i < count; ++i)
            for (int c = 0; c < std::min(components, have); ++c)
                out[i * size_t(components) + size_t(c)] = number(data.data() + start + i * stride + size_t(c * size), a.componentType, a.normalized);
        return true;
    }

    static float number(const unsigned char* p, int type, bool normalized) {
        auto as = [&](auto t) { std::memcpy(&t, p, sizeof t); return t; };
        switch (type) {
            case TINYGLTF_COMPONENT_TYPE_BYTE: { const float v = as(int8_t{}); return normalized ? std::max(v / 127.f, -1.f) : v; }
            case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: { const float v = as(uint8_t{}); return normalized ? v / 255.f : v; }
            case TINYGLTF_COMPONENT_TYPE_SHORT: { const float v = as(int16_t{}); return normalized ? std::max(v / 32767.f, -1.f) : v; }
            case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT: { const float v = as(uint16_t{}); return normalized ? v / 65535.f : v; }
            case TINYGLTF_COMPONENT_TYPE_FLOAT: return as(float{});
            default: return 0.f;
        }
    }

    bool indices(int index, std::vector<uint32_t>& out, const std::string& place) {
        if (index < 0 || size_t(index) >= model_.accessors.size()) return fail(place, "the index accessor does not exist");
        const tinygltf::Accessor& a = model_.accessors[size_t(index)];
        if (a.bufferView < 0 || size_t(a.bufferView) >= model_.bufferViews.size()) return fail(place, "the indices have no data (is the mesh compressed?)");
        const tinygltf::BufferView& view = model_.bufferViews[size_t(a.bufferView)];
        if (view.buffer < 0 || size_t(view.buffer) >= model_.buffers.size()) return fail(place, "a buffer does not exist");
        const auto& data = model_.buffers[size_t(view.buffer)].data;
        const int component = tinygltf::GetComponentSizeInBytes(uint32_t(a.componentType));
        if (component != 1 && component != 2 && component != 4) return fail(place, "the indices have an unknown type");
        const size_t size = size_t(component);
        const size_t start = view.byteOffset + a.byteOffset;
        if (start > data.size() || a.count > (data.size() - start) / size) return fail(place, "the indices are longer than their buffer: the file is cut off");
        out.resize(a.count);
        for (size_t i = 0; i < a.count; ++i) {
            uint32_t v = 0;
            std::memcpy(&v, data.data() + start + i * size, size);
            out[i] = v;
        }
        return true;
    }

    bool primitive(const tinygltf::Primitive& primitive, const std::string& name, const M44f& world) {
        if (primitive.mode != TINYGLTF_MODE_TRIANGLES && primitive.mode != -1) return true;  // points and lines have no surface
        const std::string place = "part " + name;
        RawPart part;
        part.name = name;
        part.transform = world;
        std::vector<float> values;
        size_t count = 0, vertices = 0;
        auto attribute = [&](const char* key) {
            const auto it = primitive.attributes.find(key);
            return it == primitive.attributes.end() ? -1 : it->second;
        };
        if (attribute("POSITION") < 0) return fail(place, "it has no positions");
        if (!floats(attribute("POSITION"), 3, values, vertices, place)) return false;
        part.positions.resize(vertices);
        std::memcpy(static_cast<void*>(part.positions.data()), values.data(), values.size() * sizeof(float));
        if (attribute("NORMAL") >= 0) {
            if (!floats(attribute("NORMAL"), 3, values, count, place)) return false;
            part.normals.resize(count);
            std::memcpy(static_cast<void*>(part.normals.data()), values.data(), values.size() * sizeof(float));
        }
        for (int set = 0; set < 8; ++set) {
            const std::string key = "TEXCOORD_" + std::to_string(set);
            if (attribute(key.c_str()) < 0) continue;
            if (!floats(attribute(key.c_str()), 2, values, count, place)) return false;
            std::vector<V2f> uvs(count);
            for (size_t i = 0; i < count; ++i) uvs[i] = V2f(values[2 * i], 1.f - values[2 * i + 1]);  // glTF counts v downwards
            if (part.uvs.empty()) part.uvs = std::move(uvs), part.uv_name = key;
            else part.more_uvs.push_back({key, std::move(uvs)});
        }
        if (attribute("COLOR_0") >= 0) {
            if (!floats(attribute("COLOR_0"), 3, values, count, place)) return false;
            part.colors.resize(count);
            std::memcpy(static_cast<void*>(part.colors.data()), values.data(), values.size() * sizeof(float));
        }
        if (primitive.indices >= 0) {
            if (!indices(primitive.indices, part.indices, place)) return false;
        } else {
            part.indices.resize(vertices);
            for (size_t i = 0; i < vertices; ++i) part.indices[i] = uint32_t(i);
        }
        parts.push_back(std::move(part));
        return true;
    }

    const tinygltf::Model& model_;
    const std::string& file_;
};

}  // namespace

Result<std::vector<RawPart>> read_gltf(const std::string& file, std::vector<Error>& warnings, Progress* progress) {
    Result<std::string> bytes = read_file(file);
    if (!bytes) return bytes.error();
    tinygltf::TinyGLTF loader;
    loader.SetImageLoader([](tinygltf::Image*, const int, std::string*, std::string*, int, int, const unsigned char*, int, void*) { return true; }, nullptr);
    tinygltf::Model model;
    std::string why, notes;
    const bool binary = bytes->compare(0, 4, "glTF") == 0;
    const std::string folder = fs::path(file).parent_path().string();
    bool ok = false;
    try {
        ok = binary ? loader.LoadBinaryFromMemory(&model, &why, &notes, reinterpret_cast<const unsigned char*>(bytes->data()), unsigned(bytes->size()), folder)
                    : loader.LoadASCIIFromString(&model, &why, &notes, bytes->data(), unsigned(bytes->size()), folder);
    } catch (const std::exception& e) {
        why = e.what();
    }
    if (!ok) {
        while (!why.empty() && (why.back() == '\n' || why.back() == '.')) why.pop_back();
        return Error{"Not a readable glTF", file, "", why.empty() ? "the file is cut off or not glTF 2.0" : why, "Export the asset again"};
    }
    for (const std::string& e : model.extensionsRequired)
        if (e != "KHR_mesh_quantization" && e.compare(0, 14, "KHR_materials_") != 0 && e != "KHR_texture_transform")
            return Error{"Cannot import", file, "extensionsRequired", "it needs '" + e + "', which Vemtra does not read", "Export without it"};
    if (!notes.empty()) warnings.push_back({"Noted while importing", file, "", notes, ""});
    std::string().swap(*bytes);
    report(progress, .3f);
    Reader reader(model, file);
    std::vector<int> roots;
    if (!model.scenes.empty()) roots = model.scenes[size_t(std::clamp(model.defaultScene, 0, int(model.scenes.size()) - 1))].nodes;
    else for (size_t i = 0; i < model.nodes.size(); ++i) roots.push_back(int(i));
    for (size_t i = 0; i < roots.size(); ++i) {
        if (stopped(progress)) return Error{"Import stopped", file, "", "it was asked to stop", ""};
        report(progress, .3f + .5f * float(i) / float(roots.size()));
        if (!reader.visit(roots[i], M44f(), 0)) return reader.error;
    }
    std::map<std::string, int> seen;
    for (RawPart& part : reader.parts)
        if (int n = seen[part.name]++; n > 0) part.name += "." + std::to_string(n + 1);
    return std::move(reader.parts);
}

}  // namespace vemtra::geometry
