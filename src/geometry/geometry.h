// The parts of a scene ready for rays: instances of shapes, and the accelerator over them. Immutable once built.
//
// Forms that stand where their file has them, and stand there once, are laid together in one accelerator in world
// space, as long as that is quick to build; all others have one of their own and are reached through an instance
// (docs/decisions/0017): moving, hiding or copying a heavy part builds nothing anew, and light ones cost their rays no
// detour.
#pragma once
#include <memory>
#include <vector>

#include "geometry/shape.h"

namespace vemtra::geometry {

/// A shape that stands somewhere. Row vectors: world = p * to_world.
struct Instance {
    Instance() = default;
    /// `moved`: the artist has moved it from where its file has it.
    Instance(std::shared_ptr<const Shape> of, const M44f& world, bool was_moved = false);

    std::shared_ptr<const Shape> shape;
    M44f to_world, to_object;
    bool identity = true;  ///< both are
    bool moved = false;
    float scale = 1.f;  ///< of lengths, in the mean of directions

    V3f point_to_object(const V3f& p) const { return identity ? p : vemtra::moved(p, to_object); }
    V3f point_to_world(const V3f& p) const { return identity ? p : vemtra::moved(p, to_world); }
    /// Directions along the surface, and steps: not of unit length any more.
    V3f step_to_object(const V3f& d) const { return identity ? d : turned(d, to_object); }
    V3f step_to_world(const V3f& d) const { return identity ? d : turned(d, to_world); }
    /// Normals and gradients go by the inverse transpose, and are not of unit length any more.
    V3f normal_to_object(const V3f& n) const { return identity ? n : turned_by_transpose(n, to_world); }
    V3f normal_to_world(const V3f& n) const { return identity ? n : turned_by_transpose(n, to_object); }
    Box3f bounds() const;  ///< in the world
    bool operator==(const Instance& o) const { return shape == o.shape && to_world == o.to_world && moved == o.moved; }
};

/// An accelerator over forms in world space that several geometries share, which differ elsewhere: while hands drag
/// heights, what stands beside them is not built again for each movement.
class Together {
public:
    /// Which ones, of a geometry; some. Equal forms stand once.
    Together(const std::vector<Instance>& instances, std::vector<uint32_t> which);
    ~Together();
    Together(const Together&) = delete;
    Together& operator=(const Together&) = delete;
    bool is_of(const std::vector<Instance>& instances, const std::vector<uint32_t>& which) const;
    /// Its geometries are numbered from that of the first one on, as those of the instances are. Built at the first
    /// call, to its end.
    RTCScene scene() const;
    uint32_t first() const { return which_.front(); }

private:
    std::vector<uint32_t> which_;
    std::vector<Instance> instances_;  ///< those
    mutable std::once_flag built_;
    mutable RTCScene scene_ = nullptr;
};

class Geometry {
public:
    /// There may be no instances. The accelerator is built at its first use, or by build(). `kept`: of another
    /// geometry, where it may serve again.
    explicit Geometry(std::vector<Instance> instances, std::shared_ptr<const Together> kept = nullptr);
    ~Geometry();
    Geometry(const Geometry&) = delete;
    Geometry& operator=(const Geometry&) = delete;

    const std::vector<Instance>& instances() const { return instances_; }
    const Shape& shape(uint32_t instance) const { return *instances_[instance].shape; }
    const Box3f& bounds() const { return bounds_; }
    size_t faces() const { return faces_; }                ///< over all instances
    size_t own_faces() const { return own_faces_; }        ///< over all shapes, each counted once
    size_t merged_faces() const { return merged_faces_; }  ///< of those laid together in world space
    bool merged(uint32_t instance) const { return merged_[instance]; }
    /// Null where those have no accelerator of their own.
    const std::shared_ptr<const Together>& together() const { return together_; }
    RTCScene scene() const {
        build();
        return scene_;
    }
    /// Where it was stopped, there is nothing to meet.
    void build(Progress* progress = nullptr) const;

    /// In world space.
    SurfacePoint at(const Place& place) const;
    FormPoint form_at(const Place& place) const;
    V3f tangent(const Place& place) const;
    void uv_gradients(const Place& place, V3f& u, V3f& v, int set = -1) const;
    V2f uv(const Place& place, int set = -1) const {
        return shape(place.instance).uv(place.face, place.u, place.v, set);
    }
    float area(uint32_t instance, uint32_t face) const;  ///< exact for triangles
    /// Points all over the instances, at the middle of every n-th face, so that there are at most about `most`; with
    /// the area that each stands for.
    struct Strewn {
        Place place;
        float area;
    };
    std::vector<Strewn> strewn(const std::vector<uint32_t>& instances, size_t most) const;

private:
    void choose_merged();
    void lay_together(Progress* progress) const;
    std::vector<Instance> instances_;
    Box3f bounds_;
    size_t faces_ = 0, own_faces_ = 0, merged_faces_ = 0;
    std::vector<uint8_t> merged_;  ///< per instance
    std::shared_ptr<const Together> together_;
    mutable RTCScene scene_ = nullptr;
    mutable std::once_flag built_;
};

/// Geometries are numbered as instances are, those below an instance from it on: a form of its own is the first one
/// there.
inline uint32_t instance_met(uint32_t geometry, uint32_t instance) {
    return instance == RTC_INVALID_GEOMETRY_ID ? geometry : instance + geometry;
}
/// Where a ray hit; instance is RTC_INVALID_GEOMETRY_ID where it hit nothing.
inline Place place_of(const RTCHit& hit) {
    return {instance_met(hit.geomID, hit.instID[0]), hit.primID, hit.u, hit.v};
}
inline bool hit_something(const Place& p) {
    return p.instance != RTC_INVALID_GEOMETRY_ID;
}

/// Whether a ray may be given to the accelerator, which knows neither numbers that are none nor a direction of no
/// length. What is no such ray is sent as one that ends before it begins: it hits nothing.
inline bool is_ray(const V3f& origin, const V3f& direction) {
    constexpr float most = 1e18f;  // squares of it are numbers, too
    const float places = std::fabs(origin.x) + std::fabs(origin.y) + std::fabs(origin.z);
    const float length2 = direction.length2();
    return places < most && length2 > 0.f && length2 < most;
}
inline constexpr float no_ray = -1.f;  ///< its end

/// A ray from 0 to `far`, ready for rtcIntersect1.
inline RTCRayHit single_ray(const V3f& origin, const V3f& direction, float far = __builtin_inff()) {
    RTCRayHit r;
    const bool good = is_ray(origin, direction);
    r.ray.org_x = good ? origin.x : 0.f;
    r.ray.org_y = good ? origin.y : 0.f;
    r.ray.org_z = good ? origin.z : 0.f;
    r.ray.dir_x = good ? direction.x : 0.f;
    r.ray.dir_y = good ? direction.y : 0.f;
    r.ray.dir_z = good ? direction.z : 1.f;
    r.ray.tnear = 0.f;
    r.ray.tfar = good && far >= 0.f ? far : no_ray;
    r.ray.time = 0.f;
    r.ray.mask = ~0u;
    r.ray.id = r.ray.flags = 0;
    r.hit.geomID = r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    return r;
}
/// The k-th ray of a packet of 16 (RTCRay16), from 0 to `far`.
inline void set_ray(RTCRay16& r, int k, const V3f& origin, const V3f& direction, float far = __builtin_inff()) {
    const bool good = is_ray(origin, direction);
    r.org_x[k] = good ? origin.x : 0.f;
    r.org_y[k] = good ? origin.y : 0.f;
    r.org_z[k] = good ? origin.z : 0.f;
    r.dir_x[k] = good ? direction.x : 0.f;
    r.dir_y[k] = good ? direction.y : 0.f;
    r.dir_z[k] = good ? direction.z : 1.f;
    r.tnear[k] = 0.f;
    r.tfar[k] = good && far >= 0.f ? far : no_ray;
    r.time[k] = 0.f;
    r.mask[k] = ~0u;
    r.flags[k] = 0;
}
/// Takes what the k-th ray of a packet hit.
inline Place place_of(const RTCHit16& hit, int k) {
    return {instance_met(hit.geomID[k], hit.instID[0][k]), hit.primID[k], hit.u[k], hit.v[k]};
}
inline void set_no_hit(RTCHit16& hit, int k) {
    hit.geomID[k] = hit.instID[0][k] = RTC_INVALID_GEOMETRY_ID;
}

/// Moves a ray's origin off the surface so that it cannot hit it again, whatever the scale (Waechter and Binder 2019,
/// "A Fast and Robust Method for Avoiding Self-Intersection"). `normal` is the geometric one on the side that the ray
/// leaves to.
V3f offset_origin(const V3f& p, const V3f& normal);

}  // namespace vemtra::geometry
