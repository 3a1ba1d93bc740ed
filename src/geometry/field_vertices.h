// The vertices of an instance as places where a field is sampled. Those of equal place and normal are one; a displaced
// form's stand where it does. A first look at forms of many vertices takes those of a cell for one.
#pragma once
#include <vector>

#include "base/parallel.h"
#include "geometry/geometry.h"

namespace vemtra::geometry {

inline constexpr uint32_t look_every = 65536;  ///< vertices or faces, between two looks whether it is to stop

class FieldVertices {
public:
    /// At most `most` of them when `few` are wanted; else all that differ. Both may be stopped: what is then there is
    /// half done.
    FieldVertices(const Geometry& geometry, uint32_t instance, bool few, size_t most, Progress* progress);

    uint32_t instance() const { return index_; }
    const Geometry& geometry() const { return geometry_; }
    const Mesh& mesh() const { return m_; }
    V3f position(uint32_t vertex) const { return world_[vertex]; }  ///< in the world, metres
    V3f normal(uint32_t vertex) const;
    V3f middle(uint32_t face) const;  ///< of its corners
    bool gathered() const { return gathered_; }

    /// Those that differ, as samples by number from 0.
    size_t samples() const { return unique_.size(); }
    uint32_t sample_of(uint32_t vertex) const { return unique_of_[vertex]; }
    uint32_t vertex_of(uint32_t sample) const { return unique_[sample]; }
    bool used(uint32_t sample) const { return used_[sample]; }  ///< by a face
    /// One that it belongs to, and the way to the middle of that.
    uint32_t face_of(uint32_t sample) const { return face_[sample]; }
    V3f toward_middle(uint32_t sample) const { return toward_[sample]; }

private:
    void stand_out();
    void weld();
    void gather(size_t most);
    void lean();

    const Geometry& geometry_;
    uint32_t index_;
    const Instance& instance_;
    const Mesh& m_;
    Progress* progress_;
    bool gathered_ = false;
    std::vector<V3f> world_, toward_;
    std::vector<V3f> normals_;                  ///< per vertex, of a displaced form; empty: the mesh's
    std::vector<uint32_t> unique_, unique_of_;  ///< vertices that stand for their like; which one a vertex is
    std::vector<uint32_t> face_;
    std::vector<char> used_;
};

}  // namespace vemtra::geometry
