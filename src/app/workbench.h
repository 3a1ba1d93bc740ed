// What the parts of the window share: the open document, the selection, the live session, and what was measured. Every change of the
// document goes through edit(); every widget redraws from the snapshot.
#pragma once
#include <QImage>
#include <QObject>
#include <QTimer>

#include "render/session.h"
#include "review/map_findings.h"
#include "review/visible.h"
#include "scene/document.h"
#include "scene/stock.h"
#include "texture/map_set.h"

namespace vemtra::app {

struct Selection {
    std::string part, build_up, layer, node;
    bool operator==(const Selection&) const = default;
};

/// What the checks noticed, and, where one step puts it right, that step.
struct Finding : Error {
    Finding(Error e, QString action_text = {}, std::function<void()> step = {}) : Error(std::move(e)), action(std::move(action_text)), act(std::move(step)) {}
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
    void edit(const std::string& label, const std::function<void(scene::Scene&)>& change, const std::string& merge_key = {});
    /// Edits the selected build-up.
    void edit_build_up(const std::string& label, const std::function<void(scene::BuildUp&)>& change, const std::string& merge_key = {});
    void end_merge() { document_.end_merge(); }
    const scene::Document& document() const { return document_; }
    void undo();
    void redo();

    // Files. All report failures through failed() and leave everything as it was.
    void start_new();
    bool open(const fs::path& file);
    bool save(const fs::path& file);
    const std::optional<fs::path>& file() const { return file_; }
    fs::path folder() const;
    void autosave_now();
    void discard_autosave();
    bool recover();                  ///< opens the autosave of the present project
    /// Reads the asset in the background, then adds its parts to the document.
    void import_asset(const fs::path& file);
    /// Renders all samples in the background and writes the picture.
    void write_picture(const fs::path& file);
    /// Copies the project with all that it uses beside `project`; the open one stays as it is.
    void collect_into(const fs::path& project);
    /// Looks for files that are not at their place, in this folder and below, and uses what is found.
    void find_missing_in(const fs::path& folder);
    Paths paths() const;             ///< how the project's paths are meant
    void allow_outside();
    bool busy() const { return job_ != nullptr; }
    float job_fraction() const { return job_ ? job_->fraction.load() : 0.f; }
    QString job_text() const { return job_text_; }
    void stop_job();

    // Selection
    const Selection& selection() const { return selection_; }
    void select(const Selection& selection);
    void select_part(const std::string& part);
    void select_layer(const std::string& layer);
    void select_node(const std::string& node);
    const scene::BuildUp* build_up() const;
    const scene::Layer* layer() const;
    const scene::Node* node() const;

    // Stock
    const scene::Stock& stock() const { return stock_; }
    void apply_stock(const std::string& id);                             ///< onto the selected layer
    void apply_stock_to(const std::string& id, const std::string& layer); ///< onto that layer of the selected build-up
    void add_stock_layer(const std::string& id);                         ///< above the selected layer
    void wear_stock(const std::string& id, const std::string& part);     ///< a new build-up of it alone, for the part
    void keep_own_stock(const std::string& name);                        ///< the selected layer's surface
    void rename_own_stock(const std::string& id, const std::string& group, const std::string& name);
    void remove_own_stock(const std::string& id);

    // Texture maps
    std::vector<texture::MapSet> map_sets;                               ///< what was found last, to be reviewed
    void look_for_maps(const std::vector<fs::path>& paths);              ///< in the background
    /// Changes a guess; it is remembered for the set.
    void correct_map(size_t set, size_t map, const std::function<void(texture::MapEntry&)>& change);
    void apply_map_set(size_t set);                                      ///< to the selected layer

    // View
    render::LiveRequest live;        ///< scene and folder are filled in by refresh()
    void refresh();                  ///< hands the present state to the session
    void show_view(render::View view);
    void show_node(const std::string& node);  ///< on the asset; empty: back to beauty
    std::shared_ptr<const render::LiveImage> image() const { return session_.latest(); }
    const render::LiveSession& session() const { return session_; }
    render::Workshop& workshop() { return *workshop_; }
    const review::Measured& measured() const { return measured_; }
    /// Pictures of the nodes' outputs, by id, ready to draw.
    const std::map<std::string, QImage>& thumbnails() const { return thumbnails_; }
    std::vector<Finding> findings();
    size_t memory() const;           ///< bytes that the process holds

    std::vector<KeptPicture> kept;
    void keep_picture();
    int compared = -1;               ///< index in `kept` that the view is split with, or -1
    void compare_with(int index);

    // Picking a colour from the picture
    void pick_color(std::function<void(V3f)> use);
    bool picking() const { return bool(pick_); }
    void picked(V3f linear);
    /// The next click on the asset gives its place to `use`; empty: no more.
    struct SurfaceSpot {
        std::string part;
        V3f position, normal;  ///< in the asset's own space; the normal is of unit length
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
    void failed(const vemtra::Error& error);
    void said(const QString& text);

private:
    void posted();
    void measure_soon();
    void write_own_stock();
    void repair_selection();
    void reset(scene::Scene scene, std::optional<fs::path> file);
    void start_job(const QString& text, std::function<std::function<void()>(Progress&)> work);

    scene::Document document_;
    std::optional<fs::path> file_;
    Selection selection_;
    std::vector<Error> load_problems_, map_problems_, uv_findings_;
    std::vector<review::MapFinding> map_findings_;
    review::MapReview map_review_;                    // of the measuring thread alone
    BlockedPaths blocked_;
    std::weak_ptr<const geometry::Geometry> uvs_of_;  // of the measuring thread alone
    scene::Stock stock_;
    std::shared_ptr<render::Workshop> workshop_;
    review::Measured measured_;
    std::map<std::string, QImage> thumbnails_;
    std::shared_ptr<const render::Prepared> measured_of_;
    std::string measured_build_up_;
    bool measuring_ = false;
    std::function<void(V3f)> pick_;
    std::function<void(const SurfaceSpot&)> place_;
    std::shared_ptr<Progress> job_;
    QString job_text_;
    std::thread job_thread_, measure_thread_;
    QTimer autosave_timer_, measure_timer_;
    render::LiveSession session_;  // last: its worker must end before anything that it reads
};

}  // namespace vemtra::app
