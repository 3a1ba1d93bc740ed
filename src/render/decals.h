// Layers that are decals: which frames hold a point, and what it reads there. A hierarchy over all frames of a build-up
// is asked once for a point, however many decals there are; those that do not hold it cost nothing.
#pragma once
#include <memory>
#include <vector>

#include "geometry/geometry.h"
#include "geometry/wrap.h"
#include "nodes/kernel.h"
#include "scene/scene.h"

namespace vemtra::render {

/// A frame that holds a point, with what stands there in place of the UVs.
struct DecalHit {
    int layer = 0;  ///< of the build-up in the scene
    int order = 0;  ///< of the pins of a layer, the later ones on top
    int point = 0;
    float fade = 1.f;  ///< 0..1, by how steep the surface stands to it
    float uv[2];
    float axes[4];  ///< of the footprint, as nodes::row_uv_axes
    V3f grow[2];    ///< gradients of u and v of the frame (a cell is all of it) in the part's own space, 1 / metres
};

/// The frame of a pin, in the part's own space.
struct PinFrame {
    V3f x, y, z;
    explicit PinFrame(const scene::Pin& pin);
};

class Decals {
public:
    /// Of a build-up with layers that are decals. `parts`: per instance of the geometry.
    Decals(const scene::BuildUp& build_up, const geometry::Geometry& geometry,
           const std::vector<const scene::Part*>& parts);
    bool empty() const { return frames_.empty(); }
    size_t size() const { return frames_.size(); }

    /// The frames that hold the point `index` of a batch; appended to `hits`, in no order.
    void at(const nodes::PointBatch& batch, int index, std::vector<DecalHit>& hits) const;

private:
    struct Frame {
        int layer, order;
        uint32_t instance;  ///< RTC_INVALID_GEOMETRY_ID: any
        scene::Lies lies;
        V3f centre, x, y, z;
        float width, height, deep, steep;  ///< metres; cosine
        bool through, repeats, mirrored;
        float cell_u, cell_v, cell_w, cell_h;
        std::shared_ptr<const geometry::Wrap> wrap;
        Box3f box;
    };
    struct Node {
        Box3f box;
        int first, count;  ///< count 0: children at first and first + 1
    };
    void build(int node, int first, int count);
    void note_cells();
    bool maybe(const V3f& p) const;
    bool hit(const Frame& f, const nodes::PointBatch& b, int i, DecalHit& out) const;
    std::vector<Frame> frames_;
    std::vector<Node> nodes_;
    /// Cells of the frames' common box in which some frame lies: most points are answered by one of these bits.
    static constexpr int cells = 32;
    std::vector<uint32_t> taken_;  ///< a row of cells per number, by y + cells * z
    V3f origin_{0.f}, to_cell_{0.f};
};

/// A batch of points that read a decal's frame: the rows of UVs are those of the hits, everything else is `of`'s.
/// `hits`: one for each point, in their order.
class DecalBatch {
public:
    const nodes::PointBatch& over(const nodes::PointBatch& of, const DecalHit* hits);

private:
    alignas(64) float rows_[9][nodes::max_batch];
    nodes::PointBatch batch_;
};

}  // namespace vemtra::render
