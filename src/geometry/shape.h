// A form: what rays meet, told in its own space: triangle meshes, and displaced forms (relief.h). Immutable once made;
// the accelerator of a form that is instanced is built at its first use and kept with it.
#pragma once
#include <embree3/rtcore.h>

#include <atomic>
#include <memory>
#include <mutex>

#include "base/progress.h"
#include "geometry/face_sides.h"

namespace vemtra::geometry {

/// Where on the asset something is: the one way to say it. `face` counts within the instance's shape; u and v are the
/// shape's own coordinates of the face (barycentric for triangles: u of the second corner, v of the third).
struct Place {
    uint32_t instance = RTC_INVALID_GEOMETRY_ID, face = 0;
    float u = 0.f, v = 0.f;
};

/// A point of a surface. Directions are unit vectors; `normal_geometric` and `normal` point to the outer side. The
/// space is the caller's: a Shape tells it in its own, a Geometry in the world.
struct SurfacePoint {
    V3f position, normal_geometric, normal;
    V2f uv{0.f};
    V3f color{1.f};
    float uv_per_metre = 0.f;  ///< UV length per length here, on the average of directions
    V3f lift{0.f};       ///< from the face up to the smooth form that its normals tell of, where that bulges outwards
    float height = 0.f;  ///< that moved it, along the displacement's direction
    float spread = 1.f;  ///< area here per area of the face: above one where heights have made it steep
    V3f displaced_by{0.f};  ///< from the form as it was before heights moved it; patterns stay where they lie on that
};

/// The form alone of such a point.
struct FormPoint {
    V3f position, normal_geometric, normal;
};

class Shape {
public:
    virtual ~Shape();
    virtual uint32_t faces() const = 0;
    virtual Box3f bounds() const = 0;
    virtual size_t bytes() const = 0;
    virtual uint64_t content_hash() const = 0;
    uint64_t content() const;  ///< the same, computed once
    virtual SurfacePoint at(uint32_t face, float u, float v) const = 0;
    virtual FormPoint form_at(uint32_t face, float u, float v) const {
        const SurfacePoint s = at(face, u, v);
        return {s.position, s.normal_geometric, s.normal};
    }
    virtual float area(uint32_t face) const = 0;
    /// Sets of UVs: -1 is the first one, else an index. A name that no set has gives -1.
    virtual bool has_uvs() const = 0;
    virtual int uv_set(const std::string& name) const = 0;
    virtual std::vector<std::string> uv_set_names() const = 0;    ///< the first one's among them, where it has a name
    virtual std::vector<std::string> property_names() const = 0;  ///< what it brings by names of its own
    virtual float uv_per_metre(int set) const = 0;                ///< in the mean over the form
    virtual V2f uv(uint32_t face, float u, float v, int set) const = 0;
    /// How U and V grow over a face: their gradients, per metre; zero where there are no UVs or the face has no area.
    virtual void uv_gradients(uint32_t face, V3f& u, V3f& v, int set) const = 0;
    /// The direction in which U grows over a face, of unit length; zero where there are no UVs or they have no area.
    virtual V3f tangent(uint32_t face) const = 0;
    /// A triangle mesh that stands for the form wherever points are strewn over it or its UVs are walked; its faces are
    /// the form's.
    virtual const Mesh& faces_as_triangles() const = 0;
    const FaceSides& sides() const;  ///< of those; put in order at the first call
    /// Whether heights move it out of its faces: it is met in its own space only, and no face of it is flat.
    virtual bool stands_out() const { return false; }
    /// Whether a finer one is to take its place soon: its accelerator is built in half the time, for slower rays.
    virtual bool for_now() const { return false; }
    /// A geometry of the accelerator, committed; the caller releases it. `to_world` null: in the form's own space.
    virtual RTCGeometry attachable(const M44f* to_world) const = 0;

    /// An accelerator over this form alone, for instances. Built at the first call, by whichever thread comes first.
    RTCScene scene(Progress* progress = nullptr) const;

private:
    mutable std::once_flag built_, ordered_;
    mutable std::unique_ptr<const FaceSides> sides_;
    mutable RTCScene scene_ = nullptr;
    mutable std::atomic<uint64_t> content_{0};  ///< 0: not asked for yet
};

/// The sibling for plain triangles.
std::shared_ptr<const Shape> make_shape(std::shared_ptr<const Mesh> mesh);

/// The device that all accelerators share; made at first use.
RTCDevice embree_device();
/// Bytes that Embree holds at the moment.
size_t embree_memory();
/// A new scene with the flags that all of ours have; compact above four million faces. `for_now`: see Shape.
RTCScene new_scene(size_t faces, bool for_now = false);
/// Builds it; progress is reported, and a stop is minded.
void commit(RTCScene scene, Progress* progress);

}  // namespace vemtra::geometry
