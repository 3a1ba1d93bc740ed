// Heights over a form: what a displaced form is made of (relief_walk.h says how rays meet it).
//
// Every face carries a grid of its own fineness. Where a finer face borders on a coarser one, the points of its side
// are drawn to those of the coarser; grids of neighbours differ by at most a factor of four, so that such a point stays
// within its block. Vertices of equal place are one: they share a direction and a height, whatever their UVs and
// normals, and so do the points along sides that lie together: nothing opens at seams of UVs, borders of tiles or hard
// edges.
#pragma once
#include <functional>
#include <memory>
#include <vector>

#include "base/progress.h"
#include "geometry/mesh.h"
#include "geometry/relief_walk.h"

namespace vemtra::geometry {

/// How the faces of a mesh hang together by places, whatever their UVs and normals. Side c of face f, from its corner c
/// to the next, is number 3 f + c.
struct Welds {
    std::vector<uint32_t> place_of;   ///< per vertex of the mesh: number of its place
    std::vector<uint32_t> next_side;  ///< the next one between the same places, in a ring; itself where it is alone
    /// Per place: the way that heights go. Along the mean of the faces' normals, weighted by their angles there
    /// (Thuermer and Wuethrich 1998), and as long as makes faces move by one: a cube stays one. At most twice that. At
    /// open borders that are smooth, along the vertices' normal, by one: a part that goes on beyond moves alike.
    std::vector<V3f> direction;
    size_t places = 0;
    size_t bytes() const;
};
/// Null if stopped.
std::shared_ptr<const Welds> weld(const Mesh& mesh, Progress* progress = nullptr);

/// How fine the grid of each face is.
struct ReliefLevels {
    std::vector<uint8_t> level;   ///< 2^level segments to a side
    std::vector<uint8_t> coarse;  ///< two bits per side: by how many levels the coarsest face beside it is coarser
    size_t points() const;        ///< over all grids
    bool reached = true;          ///< no face wanted more than relief_deepest
    int coarser(uint32_t face, int side) const { return coarse[face] >> 2 * side & 3; }
    size_t bytes() const { return level.capacity() + coarse.capacity(); }
};
inline constexpr int relief_deepest = 20;
/// `segments(face)`: how many the longest side should have at least.
ReliefLevels relief_levels(const Mesh& mesh, const Welds& welds, const std::function<float(uint32_t)>& segments);
/// So that no segment is longer than `spacing`, above 0.
ReliefLevels levels_by_spacing(const Mesh& mesh, const Welds& welds, float spacing);

/// Where a grid point stands: on sides to coarser faces drawn to that one's points.
inline void draw_to_coarser(const ReliefLevels& l, uint32_t face, int& i, int& j) {
    if (!l.coarse[face]) return;
    const uint8_t coarse[3] = {uint8_t(l.coarser(face, 0)), uint8_t(l.coarser(face, 1)), uint8_t(l.coarser(face, 2))};
    relief_draw(coarse, 1 << l.level[face], i, j);
}

/// Heights over all faces of a mesh, in metres. Immutable; any thread may ask.
class ReliefHeights {
public:
    explicit ReliefHeights(ReliefLevels l) : levels(std::move(l)) {}
    virtual ~ReliefHeights();
    virtual void bounds(uint32_t face, const ReliefPiece& piece, float* lo, float* hi) const = 0;
    virtual void at(uint32_t face, const int* i, const int* j, int count, float* out) const = 0;
    virtual void range(uint32_t face, float& lo, float& hi) const = 0;
    /// What a walk needs to know so that it asks nobody; false where it must ask.
    virtual bool codes(uint32_t face, ReliefCodes& codes, uint8_t& seams) const = 0;
    /// Segments of the face's grid over which slopes are looked at: 1 or more.
    virtual float slope_step(uint32_t face) const = 0;
    /// Whether the surface goes any way in place of along the welds' directions: then offsets() says where, metres, and
    /// offset_range() the box of all over a face; bounds(), at() and range() are not asked.
    virtual bool any_way() const { return false; }
    virtual void offsets(uint32_t face, const int* i, const int* j, int count, V3f* out) const;
    virtual Box3f offset_range(uint32_t face) const;
    virtual size_t bytes() const = 0;
    virtual uint64_t content_hash() const = 0;
    const ReliefLevels levels;
};

float angle_at_corner(const Mesh& mesh, uint32_t face, int corner);  ///< radians

/// Evaluates heights at `n` places of faces, at most relief_batch at once.
using HeightsAt = std::function<void(int n, const uint32_t* face, const float* u, const float* v, float* out)>;
inline constexpr int relief_batch = 1024;

/// Heights that were computed once at every grid point: 16 bits each, between the least and the largest that there can
/// be, and the bounds of pieces, 2.6 bytes per point together. `make` gives one evaluator for each thread and piece of
/// work. Null if stopped.
std::shared_ptr<const ReliefHeights> freeze_heights(const Mesh& mesh, const Welds& welds, ReliefLevels levels,
                                                    float least, float largest, const std::function<HeightsAt()>& make,
                                                    Progress* progress = nullptr);

/// The same for offsets that go any way: `make` gives x of all `n` places, then y, then z. No component is larger than
/// `reach`, above 0. Faces that meet have the mean of what they all say, weighted by their angles at vertices. 16 bits
/// for each number, 8 bytes per point with the bounds of pieces.
std::shared_ptr<const ReliefHeights> freeze_offsets(const Mesh& mesh, const Welds& welds, ReliefLevels levels,
                                                    float reach, const std::function<HeightsAt()>& make,
                                                    Progress* progress = nullptr);

/// Through the disk: what was kept of this content, over the same mesh in the same levels and limits. Null where there
/// is none, or it does not fit. `content`: equal heights of any run have the same.
std::shared_ptr<const ReliefHeights> kept_heights(const Mesh& mesh, ReliefLevels levels, float least, float largest,
                                                  uint64_t content);
std::shared_ptr<const ReliefHeights> kept_offsets(const Mesh& mesh, ReliefLevels levels, float reach, uint64_t content);
/// Of frozen ones; others are not kept. What was not used for longest makes room.
inline constexpr uint64_t heights_on_disk = uint64_t(1) << 29;
void keep_heights(const ReliefHeights& heights, uint64_t content);

class Shape;
/// The sibling of `base` that stands out by these heights along the welds' directions. Faces, UVs and coordinates are
/// those of `base`; its mesh goes on to be faces_as_triangles().
struct DisplacedAs {
    bool rounded = false;  ///< heights are offsets that hold bulge() (rounding.h), which the normals tell of already
    bool for_now = false;  ///< see Shape
};
std::shared_ptr<const Shape> make_displaced(std::shared_ptr<const Shape> base, std::shared_ptr<const Welds> welds,
                                            std::shared_ptr<const ReliefHeights> heights, DisplacedAs as = {});
/// The same tessellated: every small triangle a triangle of a mesh. Ground truth for tests and the bench.
std::shared_ptr<const Mesh> tessellated(const Mesh& base, const Welds& welds, const ReliefHeights& heights);

}  // namespace vemtra::geometry
