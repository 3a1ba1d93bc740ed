// What stands at surface points: which layers are there, with which slots, and the stack of interfaces that light
// meets. Points are handled in batches; one object per thread.
#pragma once
#include <array>
#include <atomic>

#include "render/prepared.h"
#include "surface/stack.h"

namespace vemtra::render {

struct LayerCost {
    std::atomic<uint64_t> nanoseconds{0}, points{0};
};

/// Fills the rows of a batch from surface points; n <= nodes::max_batch.
struct PointArrays {
    /// Rows that lay a page apart would all fall into the same sets of the first cache.
    using Row = std::array<float, nodes::max_batch + 16>;
    alignas(64) std::array<Row, nodes::row_count> values;  ///< by nodes::PointRow
    std::array<uint32_t, nodes::max_batch> instance, face;
    std::vector<Row> sets;  ///< six per further set of UVs
    std::array<const float*, 6 * nodes::most_uv_sets> set_rows{};
    bool in_frame = false;           ///< the rows of UVs are a decal's: nobody walks over the surface by them
    size_t rows = nodes::row_count;  ///< of `values` that are filled: without footprints less
    /// `s`: the point in the world with the mesh's own normal, whichever side is looked at. `wo` points to the eye;
    /// along the normal where nobody looks. `width`: of the ray there, across its direction, metres.
    void set(int i, const Prepared& p, const geometry::Place& at, const geometry::SurfacePoint& s, const V3f& wo,
             float width);
    nodes::PointBatch batch(int n, const Prepared& prepared) const;
    void resize_sets(size_t count);

private:
    void set_footprint(size_t i, const Prepared& p, const geometry::Place& at, const geometry::SurfacePoint& s,
                       const V3f& wo, float width);
};

/// The coverage that a layer's gate lets through at the points of a batch: amount * (1 + gate amount * (mask - 1)).
void coverage_of(const PreparedLayer& layer, const nodes::PointBatch& batch, program::Workspace& workspace, float* out);

struct MaterialPoint {
    geometry::SurfacePoint s;  ///< normals face wo
    V3f normal_mesh{0.f};      ///< the mesh's own, in the world: what networks read
    V3f wo{0.f};
    geometry::Place at;
    float width = 0.f;    ///< of the ray's footprint, metres
    bool inside = false;  ///< wo lies on the inner side of the mesh
    float choice = 0.f;   ///< uniform in [0, 1): chooses among the layers
    int layer = -1;       ///< that stands here
    int coat = -1;        ///< first of a chain in Materials, outermost first
    int print = -1;       ///< likewise, of what tints the colour of the cover, innermost first
    surface::Slots slots;
};

/// A shading normal that faces away from the eye is bent back to the horizon.
inline V3f towards_eye(const V3f& normal, const V3f& wo) {
    const float facing = normal.dot(wo);
    return facing < .01f ? (normal + wo * (.01f - facing)).normalized() : normal;
}

class Materials {
public:
    Materials();

    std::vector<MaterialPoint> points;  ///< nodes::max_batch of them; the caller fills all but layer, coat and slots
    PointArrays arrays, subset;
    program::Workspace workspace;

    /// Call before the points of a batch are filled.
    void begin() {
        coats_.clear();
        prints_.clear();
    }
    /// Fills the arrays of point i from its surface.
    void locate(int i, const Prepared& p);
    /// Chooses one cover per point by coverage, outermost first, and the coats over it; only the slots of those are
    /// evaluated. `picks` must be points of one build-up. `costs` has one entry per layer of the scene, or is null.
    void choose(const Prepared& p, const std::vector<int>& picks, const PreparedBuildUp& build_up, LayerCost* costs);
    void gather(const std::vector<int>& picks);

    /// The stack at point i, in the frame of its shading normal. `outside_ior` is the medium that wo lies in, or, where
    /// the body is being left, the one on the other side. Flakes and the clear coat of the surface itself are decided
    /// by `random`. `wavelength`: the one that light is bent for, micrometres; 0: all alike. No interface is smoother
    /// than `least_roughness`.
    void stack(surface::Stack& out, int i, const Prepared& p, const Frame& frame, float outside_ior, bool leaving,
               float wavelength, float least_roughness, surface::WalkRandom& random) const;

private:
    struct CoatAt {
        surface::Slots slots;
        int next = -1;
    };
    struct PrintAt {
        scene::Print print;
        V3f color;
        float coverage;
        int next = -1;
    };
    struct Level {
        std::vector<int> open, chosen, still;
        std::vector<DecalHit> hits;  ///< of its decals, by layer, those on top first
    };
    void find_decals(const Prepared& p, Level& level, const PreparedBuildUp& build_up);
    void choose_decal(const Prepared& p, size_t level, const PreparedBuildUp& build_up, const PreparedLayer& layer,
                      LayerCost* costs);
    void choose_among(const std::vector<DecalHit>& hits, std::vector<int>& points, std::vector<DecalHit>& chosen);
    void add_prints(const Prepared& p, const PreparedLayer& layer, const std::vector<int>& at);
    void lay_prints(MaterialPoint& point) const;
    void raise_edge(const Prepared& p, const PreparedLayer& layer, const std::vector<DecalHit>& at);
    void take(const Prepared& p, size_t level, const PreparedLayer& layer, LayerCost* costs);
    void choose_at(const Prepared& p, size_t level, const PreparedBuildUp& build_up, LayerCost* costs);
    void add_coat(int i, const surface::Slots& slots);
    /// Has the points in `subset` and returns how many it holds: what was gathered last stays where it has them all and
    /// they are so large a share of it. `place_` says where each stands.
    int bring(const std::vector<int>& picks, float share);
    bool flake(surface::Slots& slots, int i, V3f& normal_local, surface::WalkRandom& random) const;
    bool stack_from_below(surface::Stack& out, int i, const Prepared& p, const Frame& frame, float outside,
                          float wavelength, surface::WalkRandom& random) const;
    /// What facets a surface or a coat has at the point: as its slots say, and rougher by what varies below the
    /// footprint.
    struct Facets;
    surface::Tilt tilt(int i, const Prepared& p, const Frame& frame, Facets facets, surface::WalkRandom& random) const;

    std::vector<std::unique_ptr<Level>> levels_;
    std::vector<int> gathered_, place_;  ///< what bring() had gathered; empty: `subset` may be anything
    std::vector<uint8_t> wanted_;        ///< per point, while a layer's slots are put
    std::vector<float> coverage_, below_;
    std::vector<uint8_t> closed_;  ///< per point of a level with decals: some cover has taken it
    std::vector<uint32_t> round_;  ///< per point: the last round of decals that had it
    uint32_t rounds_ = 0;
    std::vector<DecalHit> waiting_, now_, later_;
    std::vector<CoatAt> coats_;
    std::vector<PrintAt> prints_;
    std::vector<int> last_coat_;
};

}  // namespace vemtra::render
