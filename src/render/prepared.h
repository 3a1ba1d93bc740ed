// A snapshot made ready for rendering: geometry, compiled build-ups, light. Immutable; whatever did not change is
// shared with the one before (docs/decisions/0007). Cameras stand beside it: looking from elsewhere needs no other
// Prepared.
#pragma once
#include "geometry/charts.h"
#include "geometry/field.h"
#include "geometry/geometry.h"
#include "render/build_up.h"
#include "render/rig.h"
#include "render/views.h"
#include "render/workshop.h"
#include "scene/scene.h"
#include "surface/open_pbr.h"
#include "texture/texture.h"

namespace vemtra::render {

class MeshLights;
class FineRelief;

struct LayerId {
    std::string build_up, layer, name;
    int own = 0;  ///< its place in its build-up, 0 the base
};

struct Prepared {
    scene::Snapshot scene;
    std::shared_ptr<const geometry::Geometry> geometry;
    std::vector<const scene::Part*> parts;  ///< of the scene, one per instance of the geometry
    std::vector<int> build_up_of;           ///< per instance
    std::vector<int>
        uv_set_of;  ///< per named set of UVs in `resources` and instance: its index in the shape, -1: the first one
    static constexpr int no_set = -2;  ///< there: of a property that the mesh does not have
    /// As uv_set_of: UVs of a form's own, where a painting lies on it, and the tile of its sheet; null: the shape's.
    std::vector<std::shared_ptr<const geometry::Charts>> charts_of;
    std::vector<V2f> chart_tile;
    std::vector<float> uv_per_metre;  ///< per instance the first set's, in the world; then likewise
    std::vector<int> priority_of;     ///< per instance, of clear bodies that overlap
    bool may_open = false;            ///< light may pass somewhere through holes
    std::vector<PreparedBuildUp> build_ups;
    std::vector<LayerId> layers;   ///< all layers of the scene in order
    std::vector<int> first_layer;  ///< per build-up of the scene: index of its base in `layers`
    std::shared_ptr<const texture::Textures> textures;
    std::shared_ptr<const geometry::Fields> fields;
    std::shared_ptr<const nodes::SurfaceLookup> surface;  ///< null: no program looks around along the surface
    program::Resources resources;
    bool fields_as_before = false;  ///< some are what they were before things moved: field_rays_known
    bool fields_final = true;  ///< all fields are at field_rays_final, and computed heights as fine as they will be
    std::vector<uint32_t> cut_heights;  ///< instances whose computed heights are coarser than the picture could tell
    bool quick_heights = false;         ///< some heights were computed for it as they are for hands at work
    bool paint_goes_further = false;    ///< heights follow from what is painted
    bool paint_moves_borders = false;   ///< borders are worked out from what is painted

    std::shared_ptr<const FineRelief> fine_relief;  ///< null: computed heights are as fine as the picture everywhere

    PreparedRig rig;
    std::shared_ptr<const MeshLights> emitters;  ///< surfaces that give off light; null: none do
    scene::Camera camera;
    float scene_size = 1.f;

    std::vector<Error> problems;

    int instance_of(const std::string& part) const;  ///< of the part with that id; -1 where it does not show
    Box3f bounds_of(int build_up) const;             ///< of all instances that wear it; empty where none does
};

/// Per instance, whether it is of a part that the request names; empty where it names none.
std::vector<char> meant_instances(const Prepared& p, const std::string& names);

/// What becomes of heights: nothing moves, or computed ones stay coarse, or all is as the project says.
enum class Relief : uint8_t { off, quick, full };

/// Computed heights of a part while hands are at work, at most; what these leave out goes to shading.
inline constexpr size_t most_quick_points = 50000;

struct PrepareOptions {
    fs::path folder;                         ///< that relative paths start from
    BlockedPaths blocked;                    ///< that are not read
    std::string rig, camera;                 ///< empty: the scene's own
    std::string shown_build_up, shown_node;  ///< for View::node
    int field_rays = geometry::field_rays_final;
    Relief relief = Relief::full;
    size_t quick_points = most_quick_points;  ///< of each part's computed heights, with the fields of a first look
    std::set<std::string> loud;  ///< layers as loud_key() says them: in a flat colour in place of their surface
    bool maps_now = false;       ///< texture maps are made ready first, instead of in the background
    Progress* progress = nullptr;
};
/// Never fails: what is broken is listed in `problems` and left out. Null only if it was stopped.
std::shared_ptr<const Prepared> prepare(scene::Snapshot scene, Workshop& workshop, const PrepareOptions& options);

/// The balance of the light groups of the active rig, [0] = 1: beauty = sum of group light times this.
std::vector<V3f> group_gains(const Prepared& prepared, const scene::Scene& scene);

}  // namespace vemtra::render
