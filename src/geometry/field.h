// Fields of the form: values that follow the shape of the asset, computed once and refined, so that what stands behind
// them (levels, thresholds) sees a converged number from the first sample (docs/decisions/0006). A kind of field is a
// row of field_kinds(), with its computing in a file of its own under fields/.
//
// Samples stand at the vertices, and on a barycentric grid inside triangles that are large against the field's own
// spacing (after "Mesh Colors", Yuksel, Keyser, House 2010), so neither UVs nor a fine mesh are needed.
#pragma once
#include <functional>
#include <memory>
#include <vector>

#include "geometry/geometry.h"
#include "nodes/kernel.h"
#include "nodes/resources.h"

namespace vemtra::geometry {

/// What a field is computed at: a point of the surface in the world, and the way from it to the middle of the face that
/// it belongs to.
struct FieldPoint {
    V3f position, normal, toward_middle;
};
/// Computes one value; made once per thread and piece of work.
using FieldSampler = std::function<float(const FieldPoint&)>;

/// One row per kind.
struct FieldKind {
    const char* name;                     ///< what FieldRequest::field says
    int version;                          ///< raised when its numbers change: kept results of before are not used
    std::vector<const char*> parameters;  ///< names and units, in the order of FieldRequest::parameters
    /// Distance over which the field may change by much, metres: large faces get samples half as far apart.
    float (*spacing)(const std::vector<float>& parameters);
    FieldSampler (*sampler)(const Geometry& geometry, const std::vector<float>& parameters, int rays);
};
const std::vector<FieldKind>& field_kinds();
const FieldKind* field_kind(const std::string& name);
FieldKind cavity_field();

/// A finished state of a field over all instances of a Geometry.
struct FormField {
    struct PartField {
        std::vector<float> at_vertex;
        std::vector<uint32_t> first;  ///< per face: where its grid starts in `inside`; only where resolution > 1
        std::vector<uint8_t> resolution;
        std::vector<float> inside;  ///< (r + 1)(r + 2) / 2 values per gridded face
    };
    std::vector<PartField> parts;  ///< per instance
    int rays = 0;                  ///< per sample so far
    float at(const Mesh& mesh, const Place& place) const;
};

inline constexpr int field_rays_first = 16;   ///< enough to look right
inline constexpr int field_rays_final = 128;  ///< what pictures are made with

/// Computes a field on the instances for which `wanted` says so (one entry each); it is 0 on the others, and everywhere
/// where no field has that name. Equal input gives equal numbers at any thread count. Null if stopped.
std::shared_ptr<const FormField> compute_field(const Geometry& geometry, const std::vector<char>& wanted,
                                               const nodes::FieldRequest& request, int rays,
                                               Progress* progress = nullptr);

/// The same through the disk cache (key: what stands where, and the request); only finished fields are kept there.
std::shared_ptr<const FormField> cached_field(const Geometry& geometry, const std::vector<char>& wanted,
                                              const nodes::FieldRequest& request);
void keep_field(const Geometry& geometry, const std::vector<char>& wanted, const nodes::FieldRequest& request,
                const FormField& field);

/// What programs read fields through.
class Fields final : public nodes::FieldLookup {
public:
    Fields(std::shared_ptr<const Geometry> geometry, std::vector<std::shared_ptr<const FormField>> fields)
        : geometry_(std::move(geometry)), fields_(std::move(fields)) {}
    void sample(int field, int n, const uint32_t* instance, const uint32_t* face, const float* u, const float* v,
                float* out) const override;

private:
    std::shared_ptr<const Geometry> geometry_;
    std::vector<std::shared_ptr<const FormField>> fields_;
};

}  // namespace vemtra::geometry
