// What the parts of the window share: the open document, the selection, the live session, and what was measured. Every
// change of the document goes through edit(); every widget redraws from the snapshot.
#pragma once
#include <QImage>
#include <QObject>
#include <QTimer>

#include "app/bench/jobs.h"
#include "app/bench/measuring.h"
#include "app/bench/painter.h"
#include "render/session.h"
#include "scene/autosave.h"
#include "scene/document.h"
#include "scene/stock.h"
#include "texture/map_set.h"

namespace vemtra::app {

class DecalTool;

struct Selection {
    std::string part, build_up, layer, node;
    std::string form;  ///< what of the rest of the scene is edited in detail (detail/scene_forms.h); empty: the above
    bool operator==(const Selection&) const = default;
};

/// What the checks noticed, and, where one step puts it right, that step.
struct Finding : Error {
    Finding(Error e, QString action_text = {}, std::function<void()> step = {})
        : Error(std::move(e)), action(std::move(action_text)), act(std::move(step)) {}
    QString action;
    std::function<void()> act;
};

struct KeptPicture {
    QString name;
    QImage image;
    scene::Snapshot scene;
    uint32_t samples = 0;
};

class Workbench : public QObject {
    Q_OBJECT
public:
    explicit Workbench(QObject* parent = nullptr);
    ~Workbench() override;

    // Document
    const scene::Scene& scene() const { return *document_.now(); }
    scene::Snapshot snapshot() const { return document_.now(); }
    void edit(const std::string& label, const std::function<void(scene::Scene&)>& change,
              const std::string& merge_key = {});
    /// Edits the selected build-up.
    void edit_build_up(const std::string& label, const std::function<void(scene::BuildUp&)>& change,
                       const std::string& merge_key = {});
    void end_merge() { document_.end_merge(); }
    const scene::Document& document() const { return document_; }
    void undo();
    void redo();
    /// A painting's next state; all edits with one key are one step. `where`: the texels that differ, in the world.
    /// The picture is told at once; everything else once the stroke is done (`last`).
    void painted(const std::string& label, const scene::Painting& painting, const Box3f& where,
                 const std::string& merge_key, bool last);
    Painter& painter() { return *painter_; }
    const Painter& painter() const { return *painter_; }
    DecalTool& decals() { return *decals_; }
    const DecalTool& decals() const { return *decals_; }
    void show_brush(bool on);  ///< the live render minds a brush
    void set_undo_budget(size_t bytes) { document_.set_budget(bytes); }

    // Files. All report failures through failed() and leave everything as it was.
    void start_new();
    bool open(const fs::path& file);
    bool save(const fs::path& file);
    /// Saves where the project is; much paint is written in the background, and `then` told when it is done.
    void save_aside(std::function<void(bool)> then = [](bool) {});
    const std::optional<fs::path>& file() const { return file_; }
    fs::path folder() const;
    void autosave_now();
    void discard_autosave();
    bool recover();  ///< opens the autosave of the present project
    /// Reads the asset in the background, then adds its parts to the document.
    void import_asset(const fs::path& file);
    /// Another file for an asset that is there: parts keep their build-ups and places by their names.
    void replace_asset(const std::string& asset, const fs::path& file);
    /// Renders all samples in the background and writes the picture.
    void write_picture(const fs::path& file);
    /// Copies the project with all that it uses beside `project`; the open one stays as it is.
    void collect_into(const fs::path& project);
    /// The materials as a document of the open standard; what it cannot say is told.
    void hand_over(const fs::path& document);
    /// Build-ups and networks of such a document come into the project; the first is worn by the selected part.
    void take_in(const fs::path& document);
    /// Looks for files that are not at their place, in this folder and below, and uses what is found.
    void find_missing_in(const fs::path& folder);
    Paths paths() const;  ///< how the project's paths are meant
    void allow_outside();
    Jobs& jobs() { return jobs_; }
    const Jobs& jobs() const { return jobs_; }

    // Selection
    const Selection& selection() const { return selection_; }
    void select(const Selection& selection);
    void select_part(const std::string& part);
    void select_layer(const std::string& layer);
    void select_node(const std::string& node);
    void show_form(const std::string& form);
    /// A layer or a node of any build-up, with a part that wears it where there is one.
    void show_place(const std::string& build_up, const std::string& layer, const std::string& node);
    const scene::Part* part() const;
    const scene::BuildUp* build_up() const;
    const scene::Layer* layer() const;
    const scene::Node* node() const;

    // Where things stand
    /// Whether parts are being placed: handles in the picture, their rows in the detail panel.
    bool arranging() const { return arranging_; }
    void arrange(bool on);
    /// Whether the handles and rows are those of the selected part's asset.
    bool whole_asset() const { return whole_asset_; }
    void set_whole_asset(bool whole);
    enum class Snap : uint8_t { free, grid, stage, surface };
    Snap snap() const { return snap_; }  ///< what the knob in the picture holds to
    void set_snap(Snap snap);
    scene::Placement placement() const;  ///< of what is arranged; at rest where nothing is selected
    /// Edits that placement.
    void place(const std::string& label, const std::function<void(scene::Placement&)>& change,
               const std::string& merge_key = {});
    M44f standing() const;          ///< to_world of the selected part's instance in the last picture
    Box3f standing_bounds() const;  ///< in the world: of the part, or of the whole asset; empty where it does not show
    V3f standing_pivot() const;     ///< in the world: what its placement turns and scales about
    /// Moves what is arranged in the world, by this much.
    void move_by(const V3f& world, const std::string& label, const std::string& merge_key);
    /// Turns it in the world about its pivot: axis of unit length, angle in degrees.
    void turn_by(const V3f& axis, float degrees, const std::string& merge_key);
    void sit_down();        ///< its lowest point comes to lie on the stage
    void duplicate_part();  ///< another instance of it, beside it
    void remove_part();

    // Nodes of the shown build-up
    void bypass(const std::vector<std::string>& nodes);  ///< all of them, or none where all are
    void hold_version();                                 ///< of the selected node's settings
    void flip_version();
    void group_nodes(const std::vector<std::string>& nodes, const std::string& name);
    void open_group(const std::string& instance);  ///< its nodes are laid open in its place
    void close_group(const std::string& network);  ///< what lies open of it becomes the network, for all instances
    void dissolve_group(const std::string& instance);
    void make_group_unique(const std::string& instance);
    /// An instance of a network of the project, in the selected layer's lane.
    void add_instance(const std::string& network);
    /// A map node for the file: for a slot or an input where one is named, else for nothing yet.
    void add_map(const fs::path& file, const std::string& layer, const std::string& node, const std::string& port);

    // Stock
    const scene::Stock& stock() const { return stock_; }
    void apply_stock(const std::string& id);                               ///< onto the selected layer
    void apply_stock_to(const std::string& id, const std::string& layer);  ///< onto that layer of the selected build-up
    void add_stock_layer(const std::string& id);                           ///< above the selected layer
    void wear_stock(const std::string& id, const std::string& part);       ///< a new build-up of it alone, for the part
    /// How large what wears the shown build-up is, metres; 1 before the first picture.
    float size_of_asset() const;
    void keep_own_stock(const std::string& name);
    void keep_own_mask(const std::string& name);  ///< what opens the selected layer's gate ///< the selected layer's
                                                  ///< surface
    void rename_own_stock(const std::string& id, const std::string& group, const std::string& name);
    void remove_own_stock(const std::string& id);

    // Texture maps
    const std::vector<texture::MapSet>& map_sets() const { return map_sets_; }  ///< found last, to be reviewed
    void look_for_maps(const std::vector<fs::path>& paths);                     ///< in the background
    /// Changes a guess; it is remembered for the set.
    void correct_map(size_t set, size_t map, const std::function<void(texture::MapEntry&)>& change);
    void apply_map_set(size_t set);  ///< to the selected layer

    // View
    const render::LiveRequest& live() const { return live_; }  ///< scene and folder as of the last refresh()
    void refresh();                                            ///< hands the present state to the session
    void set_view_size(int width, int height);                 ///< pixels; leaves the region
    void set_region(const render::PixelRect& region);          ///< of the rendered pixels; empty: all
    void set_scale(int percent);                               ///< of the pixels that are rendered; leaves the region
    void set_hold(bool on);
    void set_denoise(bool on);
    void set_relief(render::Relief relief);
    bool has_region() const { return live_.region.x1 > live_.region.x0; }
    void show_view(render::View view);
    void show_node(const std::string& node);  ///< on the asset; empty: back to beauty
    std::shared_ptr<const render::LiveImage> image() const { return session_.latest(); }
    const render::LiveSession& session() const { return session_; }
    render::Workshop& workshop() { return *workshop_; }
    const review::Measured& measured() const { return measuring_.measured(); }
    scene::Snapshot measured_scene() const { return measuring_.scene(); }
    /// Pictures of the nodes' outputs, by id, ready to draw.
    const std::map<std::string, QImage>& thumbnails() const { return measuring_.thumbnails(); }
    std::vector<Finding> findings();
    size_t memory() const;  ///< bytes that the process holds

    const std::vector<KeptPicture>& kept() const { return kept_; }
    void keep_picture();
    void forget_picture(int index);
    int compared() const { return compared_; }  ///< index in kept() that the view is split with, or -1
    void compare_with(int index);

    // Picking a colour from the picture
    void pick_color(std::function<void(V3f)> use);
    bool picking() const { return bool(pick_); }
    void picked(V3f linear);
    /// The next click on the asset gives its place to `use`; empty: no more.
    struct SurfaceSpot {
        std::string part;
        V3f position, normal;  ///< in the part's own space; the normal is of unit length
        V3f position_world, normal_world;
        geometry::Place at;  ///< of the geometry of the picture that was clicked in
    };
    void pick_place(std::function<void(const SurfaceSpot&)> use);
    bool placing() const { return bool(place_); }
    void placed(const SurfaceSpot& spot);

Q_SIGNALS:
    void changed();
    void selection_changed();
    void picture_changed();
    void measured_changed();
    void kept_changed();
    void stock_changed();
    void maps_changed();
    void activity_changed();
    void picking_changed();
    void arranging_changed();
    void failed(const vemtra::Error& error);
    void said(const QString& text);

private:
    void posted();
    void imported(const fs::path& path, const render::AssetState& state, bool was_stopped);
    void unsaved_changed();
    void write_own_stock();
    scene::StockItem fitted_stock(const scene::StockItem& item) const;
    void repair_selection();
    void step_in_time(bool back);
    void reset(scene::Scene scene, std::optional<fs::path> file);

    scene::Document document_;
    std::optional<fs::path> file_;
    Selection selection_;
    std::vector<Error> load_problems_, map_problems_;
    BlockedPaths blocked_;
    bool arranging_ = false, whole_asset_ = false;
    Snap snap_ = Snap::free;
    std::vector<texture::MapSet> map_sets_;
    render::LiveRequest live_;
    std::vector<KeptPicture> kept_;
    int compared_ = -1;
    scene::Stock stock_;
    std::shared_ptr<render::Workshop> workshop_;
    std::function<void(V3f)> pick_;
    std::function<void(const SurfaceSpot&)> place_;
    scene::Autosaver autosaver_;
    render::LiveSession session_;  // its worker must end before anything that it reads
    Measuring measuring_;
    Jobs jobs_;          // its work reads all of the above
    Painter* painter_;   ///< a child
    DecalTool* decals_;  ///< likewise
};

}  // namespace vemtra::app
