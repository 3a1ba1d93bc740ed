// The parts of a scene ready for rays: meshes, the ray accelerator over them, and surface points at hits. Immutable once built.
#pragma once
#include <embree3/rtcore.h>

#include <memory>
#include <vector>

#include "geometry/mesh.h"

namespace vemtra::geometry {

/// A surface point. Directions are unit vectors in world space; `normal_geometric` and `normal` point to the mesh's outer side.
struct Surface {
    V3f position, normal_geometric, normal;
    V2f uv{0.f};
    V3f color{1.f};
    float uv_per_metre = 0.f;  ///< UV length per world length, on the average of directions
};

class Geometry {
public:
    /// Builds the accelerator. `meshes` may be empty. Above four million triangles the compact form is used.
    Geometry(std::vector<std::shared_ptr<const Mesh>> meshes, Progress* progress = nullptr);
    ~Geometry();
    Geometry(const Geometry&) = delete;
    Geometry& operator=(const Geometry&) = delete;

    const std::vector<std::shared_ptr<const Mesh>>& meshes() const { return meshes_; }
    const Box3f& bounds() const { return bounds_; }
    size_t triangles() const { return triangles_; }
    RTCScene scene() const { return scene_; }

    Surface surface(uint32_t mesh, uint32_t triangle, float u, float v) const;
    /// The direction in which U grows over a triangle, in world space, of unit length; zero where there are no UVs or they have no area.
    V3f tangent(uint32_t mesh, uint32_t triangle) const;
    /// How U and V grow over a triangle: their gradients in world space, per metre; zero where there are no UVs or the triangle has no area.
    /// `set`: -1 for the part's first set of UVs, else an index of Mesh::more_uvs.
    void uv_gradients(uint32_t mesh, uint32_t triangle, V3f& u, V3f& v, int set = -1) const;
    V2f uv(uint32_t mesh, uint32_t triangle, float u, float v, int set) const;

private:
    std::vector<std::shared_ptr<const Mesh>> meshes_;
    Box3f bounds_;
    size_t triangles_ = 0;
    RTCScene scene_ = nullptr;
};

/// The device that all accelerators share; made at first use.
RTCDevice embree_device();
/// A ray from 0 to `far`, ready for rtcIntersect1.
inline RTCRayHit single_ray(const V3f& origin, const V3f& direction, float far = __builtin_inff()) {
    RTCRayHit r;
    r.ray.org_x = origin.x; r.ray.org_y = origin.y; r.ray.org_z = origin.z;
    r.ray.dir_x = direction.x; r.ray.dir_y = direction.y; r.ray.dir_z = direction.z;
    r.ray.tnear = 0.f;
    r.ray.tfar = far;
    r.ray.time = 0.f;
    r.ray.mask = ~0u;
    r.ray.id = r.ray.flags = 0;
    r.hit.geomID = r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    return r;
}
/// Bytes that Embree holds at the moment.
size_t embree_memory();

/// Moves a ray's origin off the surface so that it cannot hit it again, whatever the scale (Waechter and Binder 2019, "A Fast and Robust
/// Method for Avoiding Self-Intersection"). `normal` is the geometric one on the side that the ray leaves to.
V3f offset_origin(const V3f& p, const V3f& normal);

}  // namespace vemtra::geometry
