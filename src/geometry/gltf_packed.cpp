// What compresses meshes inside of glTF: KHR_draco_mesh_compression by the Draco library, EXT_meshopt_compression by
// meshoptimizer.
#include <draco/compression/decode.h>
#include <meshoptimizer.h>

#include "geometry/gltf_file.h"

namespace vemtra::geometry {

Result<DracoMesh> unpack_draco(std::string_view bytes) {
    auto why = [](const std::string& text) {
        return Error{"", "", "", "the compressed mesh is broken" + (text.empty() ? "" : ": " + text), ""};
    };
    try {
        draco::DecoderBuffer buffer;
        buffer.Init(bytes.data(), bytes.size());
        draco::Decoder decoder;
        auto decoded = decoder.DecodeMeshFromBuffer(&buffer);
        if (!decoded.ok()) return why(decoded.status().error_msg_string());
        std::shared_ptr<const draco::Mesh> mesh = std::move(decoded).value();
        DracoMesh out;
        out.points = mesh->num_points();
        out.indices.reserve(size_t(mesh->num_faces()) * 3);
        for (draco::FaceIndex f(0); f < mesh->num_faces(); ++f)
            for (int c = 0; c < 3; ++c) out.indices.push_back(mesh->face(f)[size_t(c)].value());
        out.decoded = mesh;
        return out;
    } catch (const std::exception& e) {  // the library allocates by what the bytes claim
        return why(e.what());
    }
}

bool DracoMesh::attribute(int id, int components, std::vector<float>& out) const {
    const auto* mesh = static_cast<const draco::Mesh*>(decoded.get());
    const draco::PointAttribute* a = id < 0 ? nullptr : mesh->GetAttributeByUniqueId(uint32_t(id));
    if (!a) return false;
    out.assign(points * size_t(components), 0.f);
    std::array<float, 16> value{};
    for (draco::PointIndex p(0); p < uint32_t(points); ++p) {
        if (!a->ConvertValue<float>(a->mapped_index(p), int8_t(std::min(components, int(a->num_components()))),
                                    value.data()))
            return false;
        for (int c = 0; c < std::min(components, int(a->num_components())); ++c)
            out[p.value() * size_t(components) + size_t(c)] = value[size_t(c)];
    }
    return true;
}

Result<std::string> unpack_meshopt(std::string_view bytes, const GltfFile::Json& d) {
    auto why = [](const char* text) { return Error{"", "", "", text, ""}; };
    const int count = GltfFile::number(d, "count", 0);
    const int stride = GltfFile::number(d, "byteStride", 0);
    const std::string mode = GltfFile::text(d, "mode");
    const std::string filter = GltfFile::text(d, "filter");
    // One packed byte holds at most a group of 16 bytes that are all the same, for each byte of an element.
    if (count <= 0 || stride <= 0 || stride > 256 || size_t(count) > bytes.size() * 256)
        return why("its packed elements claim more than their bytes can hold");
    std::string out(size_t(count) * size_t(stride), '\0');
    const auto* from = reinterpret_cast<const unsigned char*>(bytes.data());
    int failed = 1;
    if (mode == "ATTRIBUTES" && stride % 4 == 0)
        failed = meshopt_decodeVertexBuffer(out.data(), size_t(count), size_t(stride), from, bytes.size());
    else if (mode == "TRIANGLES" && (stride == 2 || stride == 4) && count % 3 == 0)
        failed = meshopt_decodeIndexBuffer(out.data(), size_t(count), size_t(stride), from, bytes.size());
    else if (mode == "INDICES" && (stride == 2 || stride == 4))
        failed = meshopt_decodeIndexSequence(out.data(), size_t(count), size_t(stride), from, bytes.size());
    if (failed) return why("its packed bytes are broken");
    if (filter == "OCTAHEDRAL" && (stride == 4 || stride == 8))
        meshopt_decodeFilterOct(out.data(), size_t(count), size_t(stride));
    else if (filter == "QUATERNION" && stride == 8)
        meshopt_decodeFilterQuat(out.data(), size_t(count), size_t(stride));
    else if (filter == "EXPONENTIAL" && stride % 4 == 0)
        meshopt_decodeFilterExp(out.data(), size_t(count), size_t(stride));
    else if (!filter.empty() && filter != "NONE")
        return why("its filter is not known");
    return out;
}

}  // namespace vemtra::geometry
