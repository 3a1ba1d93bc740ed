// The brush in the artist's hand: what it is, what it paints on, and a thread of its own that turns the way of the hand
// into painted texels. The window only hands samples in; each state that is worth seeing comes back as an edit of the
// document, all of one stroke as one step.
#pragma once
#include <tbb/task_arena.h>
#include <QObject>

#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>

#include "paint/carry.h"
#include "paint/fill.h"
#include "paint/stroke.h"
#include "paint/tips.h"

namespace vemtra::app {

class Workbench;

/// A picture held before the view, as the artist placed it.
struct HeldPhoto {
    std::string name;
    paint::Photo photo;
    float strength = .5f;  ///< how much of it is shown over the picture
};

class Painter : public QObject {
    Q_OBJECT
public:
    explicit Painter(Workbench& bench);
    ~Painter() override;

    // What is painted on
    bool armed() const { return !node_.empty(); }
    const std::string& node() const { return node_; }
    /// Takes the brush in hand for a paint node of the selected build-up; one without a painting gets a new one.
    void arm(const std::string& node);
    /// For the selected layer: its mask, or the colour of a base; the node is made where there is none yet.
    void arm_selected();
    void put_down();
    const scene::Painting* painting() const;  ///< null where none is in hand

    // What it is painted with
    const paint::StockBrush& stock_brush() const { return brush_; }
    const paint::Brush& brush() const { return brush_.brush; }
    void change_brush(const std::function<void(paint::StockBrush&)>& change);
    const std::vector<paint::StockBrush>& own_brushes() const { return own_; }
    void keep_brush(const std::string& name);  ///< into the artist's own
    void remove_brush(const std::string& name);
    V3f ink() const { return ink_; }
    void set_ink(V3f linear);
    bool stamps() const { return stamps_; }  ///< single impressions, dragged to their size
    void set_stamps(bool on);
    /// Only as much as this node of the build-up says; empty: everywhere.
    const std::string& mask() const { return mask_; }
    void set_mask(const std::string& node);
    const std::vector<V2f>& outline() const { return outline_; }
    bool drawing_outline() const { return drawing_outline_; }
    void draw_outline(bool on);  ///< the next drag draws it; off: there is none
    void set_outline(std::vector<V2f> outline);
    HeldPhoto* photo() { return photo_ ? &*photo_ : nullptr; }
    bool hold_photo(const fs::path& file, const QSize& view);
    void drop_photo();
    void photo_changed() { Q_EMIT tool_changed(); }

    // The hand. Pixels of the view.
    void press(const paint::HandSample& sample, const QSize& view);
    void move(const paint::HandSample& sample);
    void release();
    /// Straight on from where the last stroke ended.
    void line_to(const paint::HandSample& sample, const QSize& view);
    bool painting_now() const { return down_; }
    /// Waits until all that was handed in has become texels of the document: for saving, and for tests.
    void finish();

    /// Fills, with what is in hand: the part, the island of the UVs, or the faces around that are turned alike.
    void fill(const geometry::Place& at, paint::FillWhat what, float degrees);
    /// Whole paintings.
    void clear();
    void turn_over();
    void level(float low, float high);
    void resample(int size);
    void lie_on_form(bool on);  ///< only while nothing is painted
    bool write_out(const fs::path& pattern);
    bool read_in(const fs::path& pattern);
    /// Where the texels of two states of the document differ, in the world; empty where that is not known, or more than
    /// texels differs.
    Box3f between(const scene::Scene& before, const scene::Scene& after) const;

    /// Texels that the last dab had across its radius; 0: none yet.
    float texels_across() const { return texels_across_; }
    /// How fine the texels are here, and what the painting takes, in words.
    QString resolution() const;
    /// Texels of the held photo for a texel of the painting, in words; empty where that is not known yet.
    QString photo_sharpness() const;
    bool tip_from_picture(const fs::path& file);
    bool tip_from_node(const std::string& node);  ///< one of the selected build-up's

    // To other places
    /// What is painted on the selected part also on that one, which must read the painting too. In the background.
    void carry_to(const std::string& part, paint::CarryBy by);
    /// The form is about to be another: as it is now it is kept, for carry_over().
    void keep_form();
    bool has_old_form() const;  ///< of the painting in hand
    /// What is painted goes from the old form to the nearest place on the one that stands now. In the background.
    void carry_over();
    /// What stands in the way, or is to be known of the painting in hand.
    std::vector<Error> problems() const;

Q_SIGNALS:
    void tool_changed();

private:
    struct Begin {
        std::shared_ptr<const render::Prepared> prepared;
        scene::Painting painting;
        bool goes_on = false;  ///< from what the worker had last: the document does not have it yet
        paint::Brush brush;
        V3f ink;
        paint::View view;
        paint::Limits limits;
        std::shared_ptr<const paint::Photo> photo;
        bool stamps = false;
        uint32_t seed = 0;
        uint64_t stroke = 0;
        std::optional<paint::HandSample> from;  ///< a straight line begins here
    };
    struct Filling {
        geometry::Place at;
        paint::FillWhat what;
        float degrees;
    };
    struct Order {
        enum Kind { warm, begin, move, end, fill } kind = move;
        std::shared_ptr<Begin> start;
        paint::HandSample sample;
        Filling filling{};
    };
    struct Result {
        scene::Painting painting;
        Box3f box;
        uint64_t stroke = 0;
        bool last = false, fills = false;
        float texels_across = 0.f, texel = 0.f;
    };
    std::shared_ptr<Begin> beginning(const QSize& view, bool tell = true);
    void order(Order o);
    void warm();
    void work();
    bool run(Order& o);
    void publish(bool last);
    void take_results();
    void load_own_brushes();
    void carry(const QString& text, std::shared_ptr<const render::Prepared> before, const paint::Carried& what);
    void edit_whole(const std::string& label, const std::function<void(scene::Painting&)>& change);
    std::shared_ptr<const paint::Canvas> canvas_for(const std::shared_ptr<const render::Prepared>& prepared,
                                                    const std::string& painting);

    Workbench& bench_;
    std::string build_up_, node_;
    paint::StockBrush brush_;
    std::vector<paint::StockBrush> own_;
    V3f ink_{1.f};
    std::string mask_;
    bool stamps_ = false, drawing_outline_ = false, down_ = false, warm_ = false;
    std::vector<V2f> outline_;
    std::optional<HeldPhoto> photo_;
    std::optional<paint::HandSample> last_sample_;
    uint64_t strokes_ = 0, applied_ = 0;
    float texels_across_ = 0.f, texel_ = 0.f;

    std::shared_ptr<const render::Prepared> old_form_;  ///< before an asset's file was replaced

    mutable std::mutex mutex_;
    std::condition_variable wake_, idle_;
    std::deque<Order> orders_;
    std::vector<Result> results_;
    bool quit_ = false, busy_ = false;
    mutable std::mutex canvas_mutex_;
    std::shared_ptr<const paint::Canvas> canvas_;

    // Worker only
    std::unique_ptr<tbb::task_arena> own_share_;  ///< of the processors: what else renders holds up no stroke
    std::shared_ptr<Begin> now_;
    std::unique_ptr<paint::Hand> hand_;
    std::unique_ptr<paint::Stroke> stroke_;
    std::optional<paint::Dab> stamp_;
    std::optional<scene::Painting> last_;
    std::chrono::steady_clock::time_point published_;
    std::thread thread_;
};

}  // namespace vemtra::app
