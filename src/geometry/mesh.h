// Triangle meshes as plain arrays, and what import makes of a file.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "base/progress.h"
#include "base/result.h"
#include "base/vec.h"

namespace vemtra::geometry {

/// A further set of UVs. The first one of a part has no struct of its own.
struct UvSet {
    std::string name;
    std::vector<V2f> uvs;
    float per_metre = 0.f;  ///< UV widths per metre in the mean; 0 where there is no area
};

/// One part of an asset. Positions and normals are in world space and metres; `world_to_object` leads back to the part's own space
/// (file units times the asset's scale), in which patterns live. All vertex arrays are as long as `positions`, or empty.
struct Mesh {
    std::string name;
    std::vector<V3f> positions;
    std::vector<V3f> normals;       ///< unit; made where the file has none
    std::vector<V2f> uvs;           ///< may be empty
    std::string uv_name;            ///< of that set in the file; may be empty
    float uv_per_metre = 0.f;       ///< as UvSet::per_metre
    std::vector<UvSet> more_uvs;
    std::vector<V3f> colors;        ///< linear; may be empty
    std::vector<uint32_t> indices;  ///< three per triangle, all below positions.size()
    M44f world_to_object;
    bool identity = true;           ///< world_to_object is the identity

    size_t triangles() const { return indices.size() / 3; }
    Box3f bounds() const;
    uint64_t content_hash() const;
};

struct ImportOptions {
    float scale = 1.f;     ///< file units to metres
    bool z_up = false;
    float crease = 40.f;   ///< degrees; edges sharper than this stay hard where normals are made
};

struct Imported {
    std::vector<std::shared_ptr<const Mesh>> parts;
    std::vector<Error> warnings;  ///< what was left out or made up
    size_t triangles() const;
};

/// Reads OBJ, PLY, glTF or GLB, by extension. Never trusts a count or an index of the file.
Result<Imported> import(const std::string& file, const ImportOptions& options, Progress* progress = nullptr);

/// Working form that the readers of formats fill; `finish` cleans it and makes what is missing.
struct RawPart {
    std::string name;
    std::vector<V3f> positions, normals;
    std::vector<V2f> uvs;
    std::string uv_name;
    std::vector<UvSet> more_uvs;
    std::vector<V3f> colors;
    std::vector<uint32_t> indices;
    M44f transform;  ///< row vectors: world = p * transform
};
struct Cleaned {
    size_t bad_indices = 0, not_finite = 0, degenerate = 0;
    bool made_normals = false;
};
/// Drops triangles with indices out of range, positions that are not finite or no area; makes missing or broken normals; transforms.
std::shared_ptr<const Mesh> finish(RawPart&& raw, const ImportOptions& options, Cleaned& cleaned);

Result<std::vector<RawPart>> read_obj(const std::string& file, std::vector<Error>& warnings, Progress* progress);
Result<std::vector<RawPart>> read_ply(const std::string& file, std::vector<Error>& warnings, Progress* progress);
Result<std::vector<RawPart>> read_gltf(const std::string& file, std::vector<Error>& warnings, Progress* progress);

/// Normals per corner, smoothed over edges flatter than `crease` degrees, weighted by corner angle (Thuermer and Wuethrich 1998).
/// Splits vertices where an edge stays hard.
void make_normals(RawPart& raw, float crease);

}  // namespace vemtra::geometry
