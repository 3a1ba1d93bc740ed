// The live render: takes snapshots, restarts the least that an edit needs, and posts finished pictures. One worker
// thread; the window only hands in requests and picks up results.
#pragma once
#include <chrono>
#include <condition_variable>
#include <functional>
#include <thread>

#include "render/carried.h"
#include "render/compared.h"
#include "render/denoise.h"
#include "render/patience.h"
#include "render/picture.h"
#include "render/refining.h"
#include "render/relit.h"
#include "render/sight_lines.h"

namespace vemtra::render {

/// Everything that the live picture depends on.
struct LiveRequest {
    scene::Snapshot scene;
    fs::path folder;
    BlockedPaths blocked;          ///< see PrepareOptions
    int width = 0, height = 0;     ///< of the view in pixels
    int scale_percent = 100;       ///< 25, 50 or 100
    PixelRect region{0, 0, 0, 0};  ///< in pixels of the scaled picture; empty: all
    View view = View::beauty;
    std::string shown_build_up, shown_node;
    std::set<std::string> loud;  ///< see PrepareOptions
    bool hold = false;
    bool hatch_ends = true;  ///< of a node's values: see views.h
    bool denoise = true;
    Relief relief = Relief::full;
    /// A hand has a brush: bands are short, so that what it paints is met at once.
    bool brush = false;
    /// Where the texels lie that differ from those of the request before, in the world, where paint is all that does;
    /// empty: not known.
    Box3f painted;
};

/// How much an edit throws away, from nothing to everything.
/// Paint: texels alone, at a known place; the picture is mended there at once, and the rest follows when the hand
/// rests.
enum class Change : uint8_t { none, display, balance, paint, shading, geometry };
Change classify(const LiveRequest& before, const LiveRequest& after);
/// Whether the active rigs have their light groups alike.
bool same_balance(const LiveRequest& a, const LiveRequest& b);

struct LayerShare {
    double cost = 0;  ///< share of the render time, 0..1
};

/// A posted picture. Immutable.
struct LiveImage {
    int width = 0, height = 0;  ///< of `linear`; below the view's size just after an edit
    int shown_width = 0, shown_height = 0;
    std::vector<uint8_t> bgra;  ///< as displayed, in the byte order that screens take, at the shown size
    std::vector<V3f> linear;    ///< before the display transform
    LiveRequest request;        ///< what it shows
    std::shared_ptr<const Prepared> prepared;
    uint32_t samples = 0;
    int coarse = 1;          ///< 1, 2, 4 or 8: size of a rendered pixel in pixels of the picture
    bool stands_on = false;  ///< the picture before is in it, in full: as it was, or brought along by the edit
    bool carried = false;    ///< the picture before is in it, as the moved camera sees it
    float noise = 0.f;
    double rays_per_second = 0;
    bool fields_final = true, complete = false;
    std::vector<LayerShare> layers;  ///< as Prepared::layers
    uint64_t edit = 0;               ///< number of the request
};

class LiveSession {
public:
    explicit LiveSession(std::shared_ptr<Workshop> workshop);
    ~LiveSession();

    /// Returns the request's number. Never waits.
    uint64_t request(LiveRequest request);
    std::shared_ptr<const LiveImage> latest() const;
    /// What the session is busy with when it is not rendering ("reading lantern.glb", "refining fields"), and how far.
    /// Empty: nothing.
    std::string activity() const;
    /// How far that activity is, 0..1.
    float fraction() const {
        return shows_refining_ ? refining_.fraction() : progress_.fraction.load(std::memory_order_relaxed);
    }
    size_t film_bytes() const { return film_bytes_; }
    /// Called from the worker whenever there is something new to pick up.
    void on_post(std::function<void()> callback);

private:
    using Clock = std::chrono::steady_clock;
    static double seconds_since(Clock::time_point begin) {
        return std::chrono::duration<double>(Clock::now() - begin).count();
    }
    struct State {
        LiveRequest request;
        uint64_t edit = 0;
        FrameSettings frame;
        Film film;
        uint32_t sample = 0;
        int band = 0;        ///< first row that the present sample has not reached
        bool ready = false;  ///< film and frame are those of the request
    };
    /// Parts of the film that were painted on and have fewer samples than the rest.
    struct Patch {
        PixelRect rect{0, 0, 0, 0};
        std::vector<uint8_t> pixels;  ///< of the frame: those whose sight lines meet what was painted
        double count = 0;
        uint32_t sample = 0;
        int row = 0;  ///< of the rectangle, up to which the next sample is there
        bool shown = false;
    };
    /// A first picture, coarse, of what has a better one by now: the first edit is compared with it.
    struct Glance {
        int coarse = 1;
        Film film;
    };
    /// What of `standing_` coarse pictures are compared with, and the picture that came of it last.
    struct Compare {
        struct Before {
            int coarse = 1;
            std::vector<uint8_t> only;
            std::vector<V3f> linear;
        };
        std::shared_ptr<const Prepared> of;
        std::vector<Before> before;
        std::shared_ptr<const LiveImage> picture;
        std::vector<uint8_t> changes;  ///< which of its pixels differ from the standing one; empty: any
    };
    void add_patch(Patch added);
    Patch painted_pixels(const Box3f& painted, const std::vector<uint8_t>& paints) const;
    void work();
    bool step();
    // Its steps
    bool take_edit();
    bool look_at_files();
    void take_refined();
    bool refine_fields();
    void tell_refining();
    bool show_forms(PrepareOptions options);
    PrepareOptions options_of_request();
    void restart(bool with_coarse, Change change);
    std::shared_ptr<const Prepared> with_what_follows_paint();
    void begin_fresh(std::shared_ptr<const Prepared> prepared);
    bool show_coarse();
    void render_band(State& into);
    // Of what an edit leaves (session_standing.cpp)
    static constexpr int coarsest_picture = 8;     // pixels of the whole picture in one of such a one
    static constexpr uint32_t least_to_stand = 8;  // samples of a picture that is worth more than a new first one
    bool stands_on(const LiveRequest& request) const;
    bool heights_moved() const { return standing_.prepared && standing_.prepared->geometry != prepared_->geometry; }
    static bool differs_by_camera(const LiveRequest& a, const LiveRequest& b);
    void look_what_stands();
    void forget_standing();
    std::optional<bool> show_edited();
    bool post_edited(const Film& film, int coarse, const SeenPixels& seen);
    std::optional<std::vector<V3f>> edited_picture(const Film& film, int coarse, const SeenPixels& seen);
    std::vector<V3f> relit_picture(const Film& part, const PixelRect& rect, int coarse, const std::vector<V3f>& linear);
    bool look_what_moved();
    std::vector<uint8_t> edited_instances() const;
    // Of what an edit did to the picture before (session_compared.cpp)
    bool compares() const;
    void glance();
    bool is_like_glance(int coarse) const;
    const std::vector<V3f>* as_it_stood(const FrameSettings& frame, int coarse, const PixelRect& rect);
    static std::vector<V3f> in_frame(const Film& part, const PixelRect& rect, const std::vector<V3f>& linear, int width,
                                     int height);
    std::optional<std::vector<V3f>> compared_picture(const Film& part, const PixelRect& rect,
                                                     const std::vector<V3f>& linear, int coarse,
                                                     const FrameSettings& frame, const std::vector<uint8_t>* marks);
    bool compare(const Film& film, int coarse, LiveImage& image, int& enlarge);
    // Of a camera that moves (session_moved.cpp)
    static constexpr double places_seconds = .015;  // what finding the places that a first picture sees may take
    void look_what_is_carried();
    void keep_whole(const LiveImage& image);
    bool carry(const Film& film, int coarse, LiveImage& image, int& enlarge);
    bool see_places(int step);
    // Of paint (session_paint.cpp)
    bool may_mend() const;
    bool mend(const Box3f& painted);
    void render_patch();
    bool show_coarse_patch(const Patch& patch);
    bool takes_patches(const LiveImage& image) const;
    void post_patch(const Patch& patch, const std::vector<V3f>& linear);
    void catch_up();
    void forget_patches();
    FrameSettings frame_of(int coarse) const;
    bool rendered(const Prepared& prepared, const FrameSettings& frame, uint32_t sample, Film& into);
    void post(const LiveRequest& request, const Film& film, int coarse, bool complete, uint64_t edit);
    void hand_over(std::shared_ptr<const LiveImage> image);
    /// What is in work is given up for what the hands want.
    bool interrupted() const { return progress_.stop; }
    void interrupt(Change change);
    bool take_pending(LiveRequest& current, uint64_t& edit, Change& change, Box3f& painted);
    void set_activity(const std::string& text);

    std::shared_ptr<Workshop> workshop_;
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    LiveRequest wanted_;
    uint64_t wanted_edit_ = 0, taken_edit_ = 0;
    std::atomic<int> pending_change_{0};
    Box3f pending_painted_;
    Patience patience_;
    QuickHeights quick_heights_;
    std::atomic<bool> stop_render_{false}, quit_{false};
    std::atomic<bool> gives_way_{false};      ///< what is in work may be put aside for paint
    std::atomic<bool> follows_paint_{false};  ///< forms and borders are made ready that more paint would change again
    std::shared_ptr<const LiveImage> latest_;
    std::function<void()> posted_;
    std::string activity_;
    Progress progress_;
    std::atomic<size_t> film_bytes_{0};

    // Worker only
    State at_;
    Clock::time_point last_post_ = Clock::now(), last_look_ = Clock::now();
    std::shared_ptr<const Prepared> prepared_;
    std::vector<LayerCost> costs_;
    double busy_nanoseconds_ = 0, rate_ = 2e6;
    double edited_cost_ = 2;  ///< of a pixel that shows what was edited, against others
    Sights sights_;           ///< of `standing_` where heights have moved, in steps
    Faced faced_before_;      ///< of `standing_` then
    std::optional<SeenPlaces> faced_now_;
    int moved_step_ = 5;  ///< pixels, both ways, in one that is asked what it faces
    SeenPixels shows_edit_;
    std::vector<uint8_t> shows_edit_of_;  ///< as edited_, of build-ups that it was found for; empty: of others
    std::vector<uint8_t> marks_;          ///< of the same, a Known for each
    /// Pictures as they were posted, with what they show: the one that the present edits stand on, and the last one.
    struct Whole {
        Standing picture;
        std::vector<uint8_t> bgra;  ///< as it was displayed
        LiveRequest request;
        std::shared_ptr<const Prepared> prepared;
        std::shared_ptr<const SeenPlaces> seen;  ///< by its pixels; null: not looked at yet
        std::shared_ptr<const Glance> glance;    ///< null: none was made
    } standing_, last_whole_;
    Compare compared_;
    int glance_ = coarsest_picture;  ///< how coarse first pictures are
    /// Of a camera that has moved: the picture that is carried over, what the present picture's pixels see (of every
    /// `step`-th one, both ways), and what was shown last, which knows what the first one does not.
    struct Moved {
        Whole from;
        std::shared_ptr<const SeenPlaces> now, last_seen;
        int step = 0;
        CarriedPicture last;
    } moved_;
    double places_rate_ = 4e6;     ///< found in a second
    std::vector<uint8_t> edited_;  ///< build-ups that were edited since `standing_`; empty: nothing stands on
    std::vector<Patch> patches_;
    /// The picture begun anew behind the one that stands: behind a mended one, whose light is still the old one
    /// elsewhere, or one whose fields were not final.
    State fresh_;
    std::shared_ptr<const Prepared> fresh_prepared_;
    bool mended_ = false;  ///< at_.film is mended
    Clock::time_point painted_at_ = Clock::now();
    std::vector<V3f> previous_;
    int previous_width_ = 0, previous_height_ = 0;
    std::shared_ptr<const Prepared> refined_, refined_from_;  ///< what was made of which, until the picture takes it
    bool glanced_ = false;  ///< its fields and borders are a glance's: a closer look comes before more samples
    std::shared_ptr<const Prepared> unrefined_;  ///< whose fields could not be made final
    std::atomic<bool> shows_refining_{false};
    Refining refining_;
    std::thread thread_;
};

}  // namespace vemtra::render
