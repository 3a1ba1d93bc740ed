// What import makes of a file: parts with their meshes, and where the file puts them. One reader per format; formats()
// is their register.
#pragma once
#include "base/byte_stream.h"
#include "base/progress.h"
#include "base/result.h"
#include "geometry/mesh.h"

namespace vemtra::geometry {

struct ImportOptions {
    float scale = 1.f;  ///< file units to metres
    bool z_up = false;
    float crease = 40.f;  ///< degrees; edges sharper than this stay hard where normals are made
};

/// One part of a file. Parts may share a mesh.
struct ImportedPart {
    std::string name;
    std::shared_ptr<const Mesh> mesh;
    M44f to_asset;  ///< row vectors: a point of the mesh's own space times this is in the asset's space; invertible
    Box3f bounds() const;  ///< in the asset's space
};
struct Imported {
    std::vector<ImportedPart> parts;
    std::vector<Error> warnings;  ///< what was left out or made up
    size_t triangles() const;
    const ImportedPart* part(const std::string& name) const;  ///< null where there is none
};

/// Of one mesh, besides what has a meaning of its own (nodes::property_set); what is beyond is not read.
inline constexpr size_t most_properties = 4;

/// Working form that the readers of formats fill; import cleans it and makes what is missing.
struct RawPart {
    std::string name;
    std::vector<V3f> positions, normals;
    std::vector<V2f> uvs;
    std::string uv_name;
    std::vector<UvSet> more_uvs;
    std::vector<V3f> colors;
    std::vector<uint32_t> indices;
    std::vector<uint8_t> continues;  ///< as Mesh has it; as long as there are triangles, or empty
    M44f transform;                  ///< row vectors: asset = p * transform, in file units
    int same_as = -1;                ///< index of an earlier part that has the same mesh; then there are no arrays here

    /// Three corners or more. Up to most_fanned become a fan; what has more is cut off corner by corner and round by
    /// round, each triangle a polygon of its own: a fan of a million slivers lies over itself in any tree of faces. The
    /// same triangle is there once.
    void add_polygon(const std::vector<uint32_t>& corners);
    static constexpr size_t most_fanned = 1024;
};
using RawParts = Result<std::vector<RawPart>>;

/// What a reader reads from: the bytes, and the file's name for sentences and for what lies beside it.
struct ImportSource {
    std::string file;
    ByteStream& bytes;
};

/// One row per format that is read.
struct ImportFormat {
    const char* name;                     ///< on the screen
    std::vector<const char*> extensions;  ///< lower case, with the dot
    RawParts (*read)(const ImportSource& source, std::vector<Error>& warnings, Progress* progress);
};
const std::vector<ImportFormat>& formats();
/// By extension; null where none reads it.
const ImportFormat* format_of(const std::string& file);
/// "OBJ, PLY or glTF": for sentences.
std::string format_names();

/// Reads a file by its extension. Never trusts a count or an index of it.
Result<Imported> import(const std::string& file, const ImportOptions& options, Progress* progress = nullptr);
/// The same of bytes that are at hand; `file` says by which format.
Result<Imported> import(const std::string& file, ByteStream& bytes, const ImportOptions& options,
                        Progress* progress = nullptr);

RawParts read_obj(const ImportSource& source, std::vector<Error>& warnings, Progress* progress);
RawParts read_ply(const ImportSource& source, std::vector<Error>& warnings, Progress* progress);
RawParts read_gltf(const ImportSource& source, std::vector<Error>& warnings, Progress* progress);

/// Normals per corner, smoothed over edges flatter than `crease` degrees, weighted by corner angle (Thuermer and
/// Wuethrich 1998). Splits vertices where an edge stays hard.
void make_normals(RawPart& raw, float crease);
/// Parts of one name get numbers.
void name_apart(std::vector<RawPart>& parts);

}  // namespace vemtra::geometry
