// Heights of build-ups compiled, and the forms that stand out by them. Layers work from the base outwards: each finds
// the height of what lies below it, and makes of it what lies on top (docs/displacement.md).
#pragma once
#include <array>
#include <optional>

#include "geometry/border.h"
#include "geometry/map_heights.h"
#include "render/prepared.h"
#include "scene/relief_slots.h"

namespace vemtra::render {

struct BuildUpRelief;

/// What one layer does to the height.
struct ReliefLayer {
    program::Program gate;  ///< one number; not asked where `always`
    float amount = 1.f, gate_amount = 1.f;
    bool always = false;  ///< it covers everywhere, wholly
    bool has_height = false;
    program::Program height;  ///< one number
    bool has_vector = false;
    program::Program vector;  ///< three
    scene::VectorSpace space = scene::VectorSpace::part;
    scene::HeightDirection direction = scene::HeightDirection::smooth;
    geometry::HeightCurve numbers;  ///< what the number is worth
    scene::HeightJoin join = scene::HeightJoin::by_coverage;
    float softness = 0.f, thickness = 0.f, levelling = 0.f;
    bool coat = false;  ///< it only levels, up to the neutral height
    scene::Lip lip = scene::Lip::square;
    float lip_width = 0.f;                        ///< metres; 0: the edge is upright
    std::shared_ptr<const BuildUpRelief> nested;  ///< gives the height in place of the program
};

/// How far within their borders masks are, of the layers whose edge has a profile. Made one layer after the other, as a
/// mask may read the height below it.
struct Lips {
    std::unordered_map<const ReliefLayer*, std::shared_ptr<const geometry::BorderGrid>> grids;
    const ReliefLayer* until = nullptr;  ///< heights() ends there, and gives that layer's mask
    bool without_thickness = false;      ///< layers have none: there are no edges
    const geometry::BorderGrid* of(const ReliefLayer& layer) const;
};

/// The ways that offsets may go at the points of a batch, in the part's own space.
struct ReliefDirections {
    /// `along`: what heights are counted along, up to twice as long as one; the rest of unit length, or 0 where there
    /// is none.
    std::array<V3f, nodes::max_batch> along, normal, tangent, bitangent, facet;
};
/// What moves points beside their heights, metres in the part's own space.
struct ReliefOffsets {
    const ReliefDirections* ways = nullptr;
    std::array<V3f, nodes::max_batch> by;
};

struct BuildUpRelief {
    std::vector<ReliefLayer> layers;   ///< those that do something to the height, from the base outwards
    float least = 0.f, largest = 0.f;  ///< metres; no height lies outside
    bool any_way = false;              ///< some layer moves it otherwise than along the smooth form's directions
    float reach = 0.f;                 ///< of offsets then, metres: no component is larger
    float smoothing = 0.f;             ///< metres, the largest of the layers
    uint64_t hash = 0;                 ///< of all that it computes, resources by their numbers
    /// All of it is one map as it lies in the file: rays meet its texels.
    struct Map {
        nodes::ImageRequest image;
        geometry::MapPlacing placing;  ///< without tiles
        geometry::HeightCurve curve;
    };
    std::optional<Map> map;
    /// Some layer's mask or height follows from fields of the form.
    bool reads_fields = false;
    /// What the layers below the first such one make: the form that fields are those of. Null: they move nothing.
    std::shared_ptr<const BuildUpRelief> below_fields;

    /// Metres at the points of a batch, n <= nodes::max_batch. Null lips: edges are upright. Whether it stopped at
    /// lips->until. `offsets`: asked for where it goes any way; null leaves them out.
    bool heights(const nodes::PointBatch& batch, program::Workspace& workspace, float* out, const Lips* lips,
                 ReliefOffsets* offsets = nullptr) const;
    bool by_uvs() const;         ///< some vectors are told along U and V
    bool has_thickness() const;  ///< some layer has
    /// Those whose edge has a profile, in the order in which their masks are asked; what is nested among them.
    std::vector<const ReliefLayer*> with_lips() const;
    /// Of all that the mask of such a layer follows from, and of no more; resources by their numbers.
    uint64_t mask_hash(const ReliefLayer& layer) const;

private:
    static bool own_relief(const ReliefLayer& r, const nodes::PointBatch& batch, program::Workspace& workspace,
                           float* own, ReliefOffsets* offsets, const Lips* lips);
};

/// Of each the part that follows from no field of the form.
std::vector<std::shared_ptr<const BuildUpRelief>> below_fields(
    const std::vector<std::shared_ptr<const BuildUpRelief>>& reliefs);

/// Per build-up of the scene; null where nothing moves. What the programs need is collected in `resources`.
std::vector<std::shared_ptr<const BuildUpRelief>> compile_reliefs(const scene::Scene& scene,
                                                                  program::Resources& resources,
                                                                  std::vector<Error>& problems);

/// The distance between computed heights that a picture can tell, metres: `pixels` of it at the nearest point of the
/// box, rounded to a power of two so that a camera that moves a little changes nothing.
float relief_spacing(const scene::Scene& scene, const scene::Camera& camera, const Box3f& box, float pixels);

/// Computed heights of a part that do not follow the camera: what fields are computed on, and the first picture shows.
inline constexpr size_t first_relief_points = 300000;
/// All parts that differ have no more together than so many may have each.
inline constexpr size_t parts_in_full = 12, parts_in_full_detail = 4;

struct DisplaceResult {
    std::vector<geometry::Instance> instances;
    std::vector<geometry::Instance> for_fields;  ///< the same whatever the camera
    bool final = true;                           ///< computed heights are as fine as they will be
    std::vector<float> spacing;  ///< per instance: between computed heights, metres in the world; 0: there are none
    std::vector<uint32_t> cut;   ///< instances whose heights are coarser than the picture could tell
    bool quick = false;          ///< some were computed now as they are for hands at work
};
/// How finely heights are computed: for hands at work, which what was computed before serves as well; what fields are
/// computed on; as finely as the picture can tell.
enum class ReliefDetail : uint8_t { quick, steady, full };
struct ReliefFineness {
    ReliefDetail detail = ReliefDetail::full;
    size_t quick_points = most_quick_points;  ///< of each part, where it is quick
};
/// The instances of `rest`, which is ready for evaluation, with those that stand out replaced. Quick ones have no forms
/// for fields. Nothing if stopped.
std::optional<DisplaceResult> displace(const Prepared& rest,
                                       const std::vector<std::shared_ptr<const BuildUpRelief>>& reliefs,
                                       Workshop& workshop, const Paths& paths, const ReliefFineness& fineness,
                                       std::vector<Error>& problems, Progress* progress);

}  // namespace vemtra::render
