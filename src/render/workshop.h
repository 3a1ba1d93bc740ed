// The shelves: what is slow to make and is kept between snapshots (docs/decisions/0007).
#pragma once
#include <functional>
#include <map>
#include <memory>
#include <unordered_map>

#include "geometry/field.h"
#include "geometry/import.h"
#include "render/environment.h"
#include "scene/scene.h"
#include "texture/texture.h"

namespace vemtra::geometry {
struct MapGrid;
struct Welds;
}  // namespace vemtra::geometry
namespace vemtra::texture {
class HeightTile;
}  // namespace vemtra::texture

namespace vemtra::render {

class MeshLights;

/// What was read of an asset's file. Immutable.
struct AssetState {
    struct Part {
        std::shared_ptr<const geometry::Shape> shape;
        M44f to_asset;
        V3f pivot;  ///< middle of the part's bounds in the asset's space: what it is turned and scaled about
    };
    std::shared_ptr<const geometry::Imported> imported;  ///< null: broken, see problem
    std::vector<Part> parts;                             ///< as imported->parts
    std::unordered_map<std::string, size_t> by_name;
    Error problem;
    const Part* part(const std::string& name) const;  ///< null where there is none
};
/// Where a part stands: as its file has it, then as it was placed in its asset, then as that was placed.
M44f world_of(const AssetState::Part& part, const scene::Part& placed, const scene::Asset& asset);

/// Keeps what is slow to make between snapshots: forms, environment pictures, fields, texture maps.
class Workshop {
public:
    explicit Workshop(size_t texture_budget_megabytes = 1024);
    /// The forms of an asset; read at the first request and again when the file has changed on disk.
    std::shared_ptr<const AssetState> asset(const scene::Asset& asset, const Paths& paths,
                                            Progress* progress = nullptr);
    Result<std::shared_ptr<const EnvironmentImage>> environment(const fs::path& file);
    /// Another project comes: lets go of what was kept of the one before and this one does not name. What somebody
    /// still holds stays findable.
    void turn_to(const scene::Scene& next, const Paths& paths);
    /// One of the last ones again where nothing has moved; it may not be built yet.
    std::shared_ptr<const geometry::Geometry> geometry(std::vector<geometry::Instance> instances);
    /// The best state of a field so far; computes at least `rays` rays per sample. `mask`: what the request follows
    /// from, where it does. The last ones are kept, and those that somebody holds. Null only if stopped.
    std::shared_ptr<const geometry::FormField> field(const std::shared_ptr<const geometry::Geometry>& geometry,
                                                     const geometry::FieldParts& parts,
                                                     const nodes::FieldRequest& request,
                                                     const geometry::PartBorders& mask, int rays, Progress* progress);
    /// How a form's faces hang together by places.
    /// Null only if stopped.
    std::shared_ptr<const geometry::Welds> welds(const std::shared_ptr<const geometry::Shape>& shape,
                                                 Progress* progress = nullptr);
    /// The form subdivided; its polygons must be those of a mesh.
    std::shared_ptr<const geometry::Shape> subdivided(const std::shared_ptr<const geometry::Shape>& base, int levels,
                                                      bool hard_edges, Progress* progress);
    /// A map on this form under this key, where somebody still holds it.
    std::shared_ptr<const geometry::MapGrid> map_grid(
        const std::shared_ptr<const geometry::Shape>& base, uint64_t key,
        const std::function<std::shared_ptr<const geometry::MapGrid>()>& make);
    /// The form that was made of this one under this key, where somebody still holds it; else `make` makes it.
    std::shared_ptr<const geometry::Shape> displaced(
        const std::shared_ptr<const geometry::Shape>& base, uint64_t key,
        const std::function<std::shared_ptr<const geometry::Shape>()>& make);
    /// What a displaced form's heights have beside those computed.
    struct FinerHeights {
        bool any = false;
        float slip = 0.f;  ///< of slopes: by so much, in the middle, those computed are beside those over their spacing
    };
    /// `measure` is asked once for each form that somebody holds. Null: as was measured before, or none.
    FinerHeights finer_heights(const std::shared_ptr<const geometry::Shape>& displaced,
                               const std::function<FinerHeights()>& measure);
    /// Where the border of a mask runs on this form, under this key; the last ones are kept. Null where `make` gives
    /// nothing.
    std::shared_ptr<const geometry::BorderGrid> border(
        const std::shared_ptr<const geometry::Shape>& base, uint64_t key,
        const std::function<std::shared_ptr<const geometry::BorderGrid>()>& make);
    Result<std::shared_ptr<const texture::HeightTile>> heights(const fs::path& file, const std::string& channel,
                                                               Progress* progress);
    /// Rises whenever a file has changed that was read.
    uint64_t generation() const { return generation_; }
    /// What the lights of surfaces follow from. The last ones again where all of it is as it was.
    struct Shining {
        std::vector<std::pair<uint32_t, geometry::Instance>> instances;  ///< those that shine, and their numbers
        std::weak_ptr<const geometry::Geometry> geometry;  ///< of all, where it follows from fields what they give off
        std::vector<int> build_up_of;                      ///< per instance
        std::vector<scene::BuildUp> build_ups;             ///< all, where those that shine show others
        std::vector<scene::Network> networks;
        bool operator==(const Shining& o) const {
            return instances == o.instances && geometry.lock() == o.geometry.lock() && build_up_of == o.build_up_of &&
                   build_ups == o.build_ups && networks == o.networks;
        }
    };
    std::shared_ptr<const MeshLights> mesh_lights(const Shining& of,
                                                  const std::function<std::shared_ptr<const MeshLights>()>& make);
    const std::shared_ptr<texture::TextureStore>& textures() const { return textures_; }
    /// Files that were read and have changed on disk since; each is told once.
    std::vector<fs::path> changed_files();
    void watch(const fs::path& file);

private:
    template <class T> struct Kept {
        fs::file_time_type time{};
        T value;
    };
    std::mutex mutex_;
    std::map<std::string, Kept<std::shared_ptr<const AssetState>>> assets_;
    std::map<std::string, Kept<std::shared_ptr<const EnvironmentImage>>> environments_;
    std::map<std::string, fs::file_time_type> watched_;
    std::vector<std::weak_ptr<const geometry::Geometry>> geometries_;  ///< the last few
    template <class T> struct MadeOf {
        std::weak_ptr<const geometry::Shape> base;
        uint64_t key;
        std::weak_ptr<const T> made;
    };
    template <class T>
    std::shared_ptr<const T> kept(std::vector<MadeOf<T>>& shelf, const std::shared_ptr<const geometry::Shape>& base,
                                  uint64_t key, const std::function<std::shared_ptr<const T>()>& make);
    std::vector<MadeOf<geometry::Shape>> displaced_;
    std::vector<std::pair<std::weak_ptr<const geometry::Shape>, FinerHeights>> finer_heights_;
    std::vector<MadeOf<geometry::MapGrid>> map_grids_;
    std::vector<MadeOf<geometry::BorderGrid>> borders_;
    std::vector<std::shared_ptr<const geometry::BorderGrid>> last_borders_;  ///< the newest last
    std::vector<std::pair<std::weak_ptr<const geometry::Shape>, std::shared_ptr<const geometry::Welds>>> welds_;
    std::map<std::string, Kept<std::weak_ptr<const texture::HeightTile>>> heights_;
    std::atomic<uint64_t> generation_{0};
    struct FieldEntry {
        std::weak_ptr<const geometry::Geometry> geometry;
        geometry::FieldParts parts;
        nodes::FieldRequest request;
        geometry::PartBorders mask;
        std::weak_ptr<const geometry::FormField> field;
    };
    std::vector<FieldEntry> fields_;
    geometry::PartFields part_fields_;
    std::vector<std::shared_ptr<const geometry::FormField>> last_fields_;  ///< the newest last
    void hold(const std::shared_ptr<const geometry::FormField>& field);
    Shining shining_;
    std::shared_ptr<const MeshLights> mesh_lights_;  ///< null: none are kept
    std::shared_ptr<texture::TextureStore> textures_;
};

}  // namespace vemtra::render
