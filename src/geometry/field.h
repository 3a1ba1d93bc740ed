// Fields of the form: values that follow the shape of the asset, computed once and refined, so that what stands behind them (levels,
// thresholds) sees a converged number from the first sample (docs/decisions/0006).
//
// cavity(p) = sum over directions w of the cone around +-n, cosine weighted:  max(0, 1 - t(p, w) / reach) / N
// with t the distance to the next surface. Looking outward (+n) this is white in recesses; looking inward (-n) it is white at exposed
// edges, where the other side is near. Samples stand at the vertices, and on a barycentric grid inside triangles that are large against
// the reach (after "Mesh Colors", Yuksel, Keyser, House 2010), so neither UVs nor a fine mesh are needed.
#pragma once
#include <memory>
#include <mutex>
#include <vector>

#include "geometry/geometry.h"
#include "nodes/kernel.h"
#include "program/program.h"

namespace vemtra::geometry {

/// A finished state of a field over all meshes of a Geometry.
struct FormField {
    struct PartField {
        std::vector<float> at_vertex;
        std::vector<uint32_t> first;   ///< per triangle: where its grid starts in `inside`; only where resolution > 1
        std::vector<uint8_t> resolution;
        std::vector<float> inside;     ///< (r + 1)(r + 2) / 2 values per gridded triangle
    };
    std::vector<PartField> parts;
    int rays = 0;  ///< per sample so far
    float at(const Mesh& mesh, uint32_t part, uint32_t triangle, float u, float v) const;
};

inline constexpr int field_rays_first = 16;   ///< enough to look right
inline constexpr int field_rays_final = 128;  ///< what pictures are made with

/// Computes a field on the meshes for which `wanted` says so (one entry per mesh); it is 0 on the others. Equal input gives equal
/// numbers at any thread count. Null if stopped.
std::shared_ptr<const FormField> compute_field(const Geometry& geometry, const std::vector<char>& wanted, const program::FieldRequest& request, int rays, Progress* progress = nullptr);

/// The same through the disk cache (key: the meshes' content and the request); only finished fields are kept there.
std::shared_ptr<const FormField> cached_field(const Geometry& geometry, const std::vector<char>& wanted, const program::FieldRequest& request);
void keep_field(const Geometry& geometry, const std::vector<char>& wanted, const program::FieldRequest& request, const FormField& field);

/// What programs read fields through.
class Fields final : public nodes::FieldLookup {
public:
    Fields(std::shared_ptr<const Geometry> geometry, std::vector<std::shared_ptr<const FormField>> fields)
        : geometry_(std::move(geometry)), fields_(std::move(fields)) {}
    void sample(int field, int n, const uint32_t* part, const uint32_t* triangle, const float* u, const float* v, float* out) const override;

private:
    std::shared_ptr<const Geometry> geometry_;
    std::vector<std::shared_ptr<const FormField>> fields_;
};

}  // namespace vemtra::geometry
