// A snapshot made ready for rendering: geometry, compiled build-ups, lights. Immutable; whatever did not change is shared with the one
// before (docs/decisions/0007).
#pragma once
#include <map>
#include <memory>

#include "geometry/field.h"
#include "geometry/geometry.h"
#include "program/program.h"
#include "render/lights.h"
#include "scene/scene.h"
#include "surface/open_pbr.h"
#include "texture/texture.h"

namespace vemtra::render {

/// Keeps what is slow to make between snapshots: meshes, environment pictures, fields, the texture system.
class Workshop {
public:
    explicit Workshop(size_t texture_budget_megabytes = 1024);
    struct AssetState {
        std::shared_ptr<const geometry::Imported> imported;  ///< null: broken, see problem
        Error problem;
    };
    /// Meshes of an asset; read at the first request and again when the file has changed on disk.
    AssetState asset(const scene::Asset& asset, const Paths& paths, Progress* progress = nullptr);
    Result<std::shared_ptr<const EnvironmentPicture>> environment(const fs::path& file);
    std::shared_ptr<const geometry::Geometry> geometry(const std::vector<std::shared_ptr<const geometry::Mesh>>& meshes, Progress* progress = nullptr);
    /// The best state of a field so far; computes at least `rays` rays per sample. Null only if stopped.
    std::shared_ptr<const geometry::FormField> field(const std::shared_ptr<const geometry::Geometry>& geometry, const std::vector<char>& wanted, const program::FieldRequest& request, int rays, Progress* progress);
    const std::shared_ptr<texture::TextureStore>& textures() const { return textures_; }
    /// Files that were read and have changed on disk since; each is told once.
    std::vector<fs::path> changed_files();
    void watch(const fs::path& file);

private:
    template <class T>
    struct Kept {
        fs::file_time_type time{};
        T value;
    };
    std::mutex mutex_;
    std::map<std::string, Kept<AssetState>> assets_;
    std::map<std::string, Kept<std::shared_ptr<const EnvironmentPicture>>> environments_;
    std::map<std::string, fs::file_time_type> watched_;
    std::weak_ptr<const geometry::Geometry> last_geometry_;
    struct FieldEntry {
        std::weak_ptr<const geometry::Geometry> geometry;
        std::vector<char> wanted;
        program::FieldRequest request;
        std::shared_ptr<const geometry::FormField> field;
    };
    std::vector<FieldEntry> fields_;
    std::shared_ptr<texture::TextureStore> textures_;
};

struct PreparedBuildUp;

/// One layer of a compiled build-up that can show.
struct PreparedLayer {
    int index = 0;            ///< place among all layers of the scene, for coverage and cost
    float amount = 1.f, gate_amount = 1.f;
    program::Program gate;    ///< one number
    bool always = false;      ///< it is there wherever it is asked
    bool coat = false;
    bool may_open = false;    ///< it may have holes
    surface::Slots fixed;     ///< values of the slots that are the same everywhere
    program::Program slots;   ///< those that are not, in the order of `varying`
    std::vector<const surface::SlotField*> varying;
    std::shared_ptr<const PreparedBuildUp> nested;  ///< in place of a surface

    /// The slots at the points of a batch, n <= nodes::max_batch: calls put(k, slots).
    template <class Put>
    void slots_at(const nodes::PointBatch& batch, program::Workspace& workspace, Put&& put) const;
};
struct PreparedBuildUp {
    std::vector<PreparedLayer> layers;  ///< outermost first; ends with one that always covers
    program::Program shown;             ///< the node shown on the asset, as a colour; empty when none is
    bool may_open = false;              ///< some layer may have holes
};

struct LayerId {
    std::string build_up, layer, name;
};

/// What the picture shows. `node` shows the output of a node, unlit.
enum class View : uint8_t { beauty, clay, coverage, normal, depth, uv, node };
bool view_from_name(const std::string& name, View& view);
const char* view_name(View view);

struct Prepared {
    scene::Snapshot scene;
    std::shared_ptr<const geometry::Geometry> geometry;
    std::vector<const scene::Part*> parts;      ///< of the scene, one per mesh of the geometry
    std::vector<int> build_up_of_mesh;
    std::vector<int> uv_set_of;                 ///< per named set of UVs in `resources` and mesh: its index in Mesh::more_uvs, -1: the first one
    std::vector<float> uv_per_metre;            ///< per mesh the first set's, then likewise
    std::vector<int> priority_of_mesh;          ///< of clear bodies that overlap
    bool may_open = false;                      ///< light may pass somewhere through holes
    std::vector<PreparedBuildUp> build_ups;
    std::vector<LayerId> layers;                ///< all layers of the scene in order
    std::vector<int> first_layer;               ///< per build-up of the scene: index of its base in `layers`
    std::shared_ptr<const texture::Textures> textures;
    std::shared_ptr<const geometry::Fields> fields;
    program::Resources resources;
    bool fields_final = true;                   ///< all fields are at field_rays_final

    std::shared_ptr<const EnvironmentMap> environment;  ///< null: off
    std::vector<AreaLight> lights;
    std::vector<float> light_share;             ///< chance of picking light i; the environment takes the rest
    float environment_share = 0.f;
    std::vector<std::string> groups;            ///< [0] is the backdrop
    int environment_group = 0;
    int emission_group = 0;                     ///< of surfaces that give off light; 0 where none does
    bool environment_seen = false;
    V3f backdrop{0.f};
    bool stage_on = false;
    float stage_height = 0.f, stage_fade_start = 1.f, stage_fade_end = 2.f;
    surface::Slots stage_slots;
    scene::Camera camera;
    float scene_size = 1.f;

    std::vector<Error> problems;
};

struct PrepareOptions {
    fs::path folder;          ///< that relative paths start from
    BlockedPaths blocked;     ///< that are not read
    std::string rig, camera;  ///< empty: the scene's own
    std::string shown_build_up, shown_node;  ///< for View::node
    int field_rays = geometry::field_rays_final;
    bool maps_now = false;    ///< texture maps are made ready first, instead of in the background
    Progress* progress = nullptr;
};
/// Never fails: what is broken is listed in `problems` and left out. Null only if it was stopped.
std::shared_ptr<const Prepared> prepare(scene::Snapshot scene, Workshop& workshop, const PrepareOptions& options);

/// The balance of the light groups of the active rig, [0] = 1: beauty = sum of group light times this.
std::vector<V3f> group_gains(const Prepared& prepared, const scene::Scene& scene);

template <class Put>
void PreparedLayer::slots_at(const nodes::PointBatch& batch, program::Workspace& workspace, Put&& put) const {
    const float* values[128];
    if (!varying.empty()) slots.run(batch, workspace, values);
    surface::Slots s = fixed;
    for (int k = 0; k < batch.n; ++k) {
        int component = 0;
        for (const surface::SlotField* f : varying) {
            float* to = surface::at(s, *f);
            for (int c = 0; c < f->components; ++c) to[c] = values[component++][k];
            surface::make_sane(s, *f);
        }
        put(k, s);
    }
}

}  // namespace vemtra::render
