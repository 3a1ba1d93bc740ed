// A glTF 2.0 or GLB file: its JSON, its buffers, and the numbers behind its accessors. Every offset, stride and count
// is held against the buffer before it is used; a claim that the file is too short for is refused before memory is
// taken.
#pragma once
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "base/byte_stream.h"
#include "base/result.h"

namespace vemtra::geometry {

class GltfFile {
public:
    using Json = nlohmann::json;
    /// `file` names it, and the folder that buffers are looked for in.
    static Result<GltfFile> open(const std::string& file, ByteStream& content);

    const Json& json() const { return json_; }
    const std::string& file() const { return file_; }
    Error broken(const std::string& place, const std::string& why) const {
        return {"Not a readable glTF", file_, place, why, "Export the asset again"};
    }

    /// An accessor as floats, `components` per element; missing ones stay 0. Normalised integers become 0..1 or -1..1.
    /// Sparse ones are filled in.
    /// `only`: of these elements, in this order; null: of all.
    Status floats(int accessor, int components, std::vector<float>& out, size_t& count, const std::string& place,
                  const std::vector<uint32_t>* only = nullptr) const;
    Status indices(int accessor, std::vector<uint32_t>& out, const std::string& place) const;
    /// Elements that an accessor claims; 0 where it does not exist.
    size_t count_of(int accessor) const;
    /// Counts what is unpacked against what a file of this size may reasonably hold: bytes that are read over and over
    /// make no small file a large one.
    Status spend(size_t bytes, const std::string& place) const;
    /// The bytes of a view; an Error where it leaves its buffer.
    Result<std::string_view> view(int index, const std::string& place) const;

    /// The array of that name, or an empty one.
    const Json& array(const char* name) const;
    /// A whole number of an object, or the fallback.
    static int number(const Json& object, const char* key, int fallback = -1);
    static std::string text(const Json& object, const char* key);

private:
    struct Accessor;
    Result<Accessor> accessor(int index, const std::string& place) const;
    Status fill_sparse(const Json& accessor, const Accessor& a, int components, std::vector<float>& out,
                       const std::string& place) const;
    Status load_buffers(std::string_view chunk);
    Status unpack_views();

    std::string file_;
    Json json_;
    std::vector<std::string> buffers_;
    std::vector<std::string> unpacked_;  ///< per view: what EXT_meshopt_compression hid; empty where nothing did
    size_t bytes_ = 0;                   ///< of all buffers: no count of an element can be larger
    size_t packed_ = 0;                  ///< of the file and what lies beside it
    mutable size_t spent_ = 0;
};

/// One primitive out of KHR_draco_mesh_compression: attributes by name.
struct DracoMesh {
    std::vector<uint32_t> indices;
    size_t points = 0;
    /// As floats, `components` per point; false where the mesh has no such attribute.
    bool attribute(int id, int components, std::vector<float>& out) const;
    std::shared_ptr<const void> decoded;  ///< the library's mesh
};
/// An Error's why where the bytes are no such mesh.
Result<DracoMesh> unpack_draco(std::string_view bytes);
/// One view of EXT_meshopt_compression; the description is the extension's object.
Result<std::string> unpack_meshopt(std::string_view bytes, const GltfFile::Json& description);

}  // namespace vemtra::geometry
