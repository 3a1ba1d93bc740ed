// What the parts of the window share: the open document, the selection, the live session, and what was measured. Every
// change of the document goes through edit(); every widget redraws from the snapshot.
#pragma once
#include <QObject>
#include <QTimer>

#include "app/bench/arranging.h"
#include "app/bench/files.h"
#include "app/bench/jobs.h"
#include "app/bench/map_intake.h"
#include "app/bench/measuring.h"
#include "app/bench/node_work.h"
#include "app/bench/painter.h"
#include "app/bench/picking.h"
#include "app/bench/showing.h"
#include "app/bench/stockroom.h"

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
    /// Another document takes the place of this one: nothing is selected, shown or kept of the old.
    void begin(scene::Scene scene);
    const scene::Document& document() const { return document_; }
    void undo();
    void redo();
    /// A painting's next state; all edits with one key are one step. `where`: the texels that differ, in the world.
    /// The picture is told at once; everything else once the stroke is done (`last`).
    void painted(const std::string& label, const scene::Painting& painting, const Box3f& where,
                 const std::string& merge_key, bool last);
    void set_undo_budget(size_t bytes) { document_.set_budget(bytes); }

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

    // What works on the document, each with a header of its own
    Files& files() { return files_; }
    const Files& files() const { return files_; }
    Arranging& arranging() { return arranging_; }
    const Arranging& arranging() const { return arranging_; }
    NodeWork& node_work() { return node_work_; }
    Stockroom& stockroom() { return stockroom_; }
    const Stockroom& stockroom() const { return stockroom_; }
    MapIntake& map_intake() { return map_intake_; }
    Showing& showing() { return showing_; }
    const Showing& showing() const { return showing_; }
    KeptPictures& kept_pictures() { return kept_pictures_; }
    const KeptPictures& kept_pictures() const { return kept_pictures_; }
    Picking& picking() { return picking_; }
    const Picking& picking() const { return picking_; }
    Painter& painter() { return *painter_; }
    const Painter& painter() const { return *painter_; }
    DecalTool& decals() { return *decals_; }
    const DecalTool& decals() const { return *decals_; }
    Jobs& jobs() { return jobs_; }
    const Jobs& jobs() const { return jobs_; }

    // What is seen, and what was measured on it
    std::shared_ptr<const render::LiveImage> image() const { return session_.latest(); }
    const render::LiveSession& session() const { return session_; }
    render::Workshop& workshop() { return *workshop_; }
    const review::Measured& measured() const { return measuring_.measured(); }
    /// What the height map of a layer of the selected build-up holds; null where it has none, or it is not known yet.
    const review::HeightSource* height_source(const std::string& layer) const;
    scene::Snapshot measured_scene() const { return measuring_.scene(); }
    /// Pictures of the nodes' outputs, by id, ready to draw.
    const std::map<std::string, QImage>& thumbnails() const { return measuring_.thumbnails(); }
    std::vector<Finding> findings();
    size_t memory() const;  ///< bytes that the process holds

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
    void unsaved_changed(const Box3f& painted = {});
    void repair_selection();
    void step_in_time(bool back);

    scene::Document document_;
    Selection selection_;
    std::shared_ptr<render::Workshop> workshop_;
    render::LiveSession session_;  // its worker must end before anything that it reads
    Measuring measuring_;
    Files files_;
    Arranging arranging_;
    NodeWork node_work_;
    Stockroom stockroom_;
    MapIntake map_intake_;
    Showing showing_;
    KeptPictures kept_pictures_;
    Picking picking_;
    Jobs jobs_;          // its work reads all of the above
    Painter* painter_;   ///< a child
    DecalTool* decals_;  ///< likewise
};

}  // namespace vemtra::app
