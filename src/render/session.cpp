#include "render/session.h"

#include <tbb/task_arena.h>
#include <tbb/task_scheduler_observer.h>

#include "base/parallel.h"
#include "scene/edits.h"
#include "scene/graph.h"

namespace vemtra::render {
namespace {

/// The window's thread comes first: rendering threads never keep it waiting for a core.
class Yielding : public tbb::task_scheduler_observer {
public:
    Yielding() { observe(true); }
    ~Yielding() override { observe(false); }
    void on_scheduler_entry(bool worker) override {
        if (worker) yield_to_window();
    }
};

/// Bilinear enlargement of 4-byte pixels by a whole factor.
std::vector<uint8_t> enlarged(const std::vector<uint8_t>& from, int width, int height, int factor) {
    const int w = width * factor;
    const int h = height * factor;
    std::vector<uint8_t> to(size_t(w) * size_t(h) * 4);
    struct Tap {
        int first, second, part;  // two texels, and 256ths of the second
    };
    auto taps = [factor](int count, int limit) {
        std::vector<Tap> all;
        for (int x = 0; x < count; ++x) {
            const float f = std::max(0.f, (float(x) + .5f) / float(factor) - .5f);
            all.push_back({int(f), std::min(int(f) + 1, limit - 1), int((f - std::floor(f)) * 256.f)});
        }
        return all;
    };
    const std::vector<Tap> across = taps(w, width);
    const std::vector<Tap> down = taps(h, height);
    parallel_ranges(size_t(h), 16, [&](size_t first, size_t last) {
        std::vector<uint16_t> row(size_t(width) * 4);  // the two rows mixed: the rest goes along it
        for (size_t y = first; y < last; ++y) {
            const uint8_t* p = &from[size_t(down[y].first) * row.size()];
            const uint8_t* q = &from[size_t(down[y].second) * row.size()];
            const int part = down[y].part;
            for (size_t i = 0; i < row.size(); ++i) row[i] = uint16_t(p[i] * (256 - part) + q[i] * part);
            uint8_t* out = &to[y * size_t(w) * 4];
            for (const Tap& t : across) {
                const uint16_t* l = &row[size_t(t.first) * 4];
                const uint16_t* r = &row[size_t(t.second) * 4];
                for (int c = 0; c < 4; ++c) out[c] = uint8_t((l[c] * (256 - t.part) + r[c] * t.part) >> 16);
                out += 4;
            }
        }
    });
    return to;
}

/// Whether they have no asset in common.
bool shows_others(const scene::Scene& a, const scene::Scene& b) {
    return std::none_of(a.assets.begin(), a.assets.end(), [&](const scene::Asset& x) {
        return std::find(b.assets.begin(), b.assets.end(), x) != b.assets.end();
    });
}

/// Whether none of them is of the same name: another project, not the same one with a file in place of another.
bool shows_other_parts(const scene::Scene& a, const scene::Scene& b) {
    std::unordered_set<std::string_view> names;
    for (const scene::Part& part : b.parts) names.insert(part.id);
    return std::none_of(a.parts.begin(), a.parts.end(),
                        [&](const scene::Part& part) { return names.contains(part.id); });
}

constexpr double band_seconds = .040;        // between two looks at what the hands want
constexpr double brush_band_seconds = .012;  // the same while one of them has a brush
constexpr double rest_seconds = .7;          // after a stroke, until the picture is begun anew behind the mended one
constexpr double still_seconds = .25;        // the same where forms follow from paint
constexpr double clay_rate = 8e6;            // rays a second that are counted on there
constexpr double form_seconds = .06;         // to render the forms of what is opened, in clay
constexpr int glance_rays = 4;               // of fields where there was no picture of any of the assets before
constexpr uint32_t unrefined_samples = 8;    // that a picture gets while its fields are refined beside it
constexpr double files_seconds = .5;         // between two looks at the disk
constexpr double early_post_seconds = .20, late_post_seconds = .5;  // between pictures, up to 32 samples and beyond

}  // namespace

LiveSession::LiveSession(std::shared_ptr<Workshop> workshop)
    : workshop_(std::move(workshop)),
      refining_(workshop_,
                [this] {
                    { std::lock_guard lock(mutex_); }  // as when it is told to quit
                    wake_.notify_all();
                }),
      thread_([this] { work(); }) {
}

LiveSession::~LiveSession() {
    quit_ = true;
    stop_render_ = true;
    progress_.stop = true;
    refining_.stop();
    { std::lock_guard lock(mutex_); }  // the worker is either before its check or asleep
    wake_.notify_all();
    thread_.join();
}

uint64_t LiveSession::request(LiveRequest request) {
    std::lock_guard lock(mutex_);
    const int change = int(classify(wanted_, request));
    wanted_ = std::move(request);
    if (change == 0) return wanted_edit_;
    ++wanted_edit_;
    if (change == int(Change::paint)) pending_painted_.extendBy(wanted_.painted);
    pending_change_ = std::max(pending_change_.load(), change);
    if (change >= int(Change::shading)) interrupt(Change(change));
    if (change == int(Change::paint) && gives_way_) stop_render_ = true;
    if (change == int(Change::paint) && follows_paint_) progress_.stop = true;
    wake_.notify_all();
    return wanted_edit_;
}

/// An edit's first picture is not put aside by the next edit, unless it takes long; under the lock.
void LiveSession::interrupt(Change change) {
    if (change >= Change::geometry) refining_.stop();
    const auto until = patience_.until();
    if (until && Clock::now() < *until) {
        progress_.stop_at = until->time_since_epoch().count();
        return;
    }
    stop_render_ = true;
    progress_.stop = true;
}

std::shared_ptr<const LiveImage> LiveSession::latest() const {
    std::lock_guard lock(mutex_);
    return latest_;
}
std::string LiveSession::activity() const {
    std::lock_guard lock(mutex_);
    return activity_;
}
void LiveSession::on_post(std::function<void()> callback) {
    std::lock_guard lock(mutex_);
    posted_ = std::move(callback);
}
void LiveSession::set_activity(const std::string& text) {
    std::function<void()> tell;
    {
        std::lock_guard lock(mutex_);
        if (activity_ == text) return;
        activity_ = text;
        tell = posted_;
    }
    if (tell) tell();
}

bool LiveSession::take_pending(LiveRequest& current, uint64_t& edit, Change& change, Box3f& painted) {
    std::lock_guard lock(mutex_);
    if (wanted_edit_ == taken_edit_) return false;
    current = wanted_;
    edit = taken_edit_ = wanted_edit_;
    change = Change(pending_change_.exchange(0));
    painted = std::exchange(pending_painted_, Box3f());
    stop_render_ = false;
    progress_.stop = quit_.load();
    progress_.stop_at = 0;
    if (change >= Change::shading) patience_.begin(Clock::now());
    return true;
}

void LiveSession::post(const LiveRequest& request, const Film& film, int coarse, bool complete, uint64_t edit) {
    auto image = std::make_shared<LiveImage>();
    image->request = request;
    scene::Snapshot scene = request.scene;
    film.resolve(group_gains(*prepared_, *scene), image->linear);
    image->samples = film.samples.empty() ? 0 : *std::max_element(film.samples.begin(), film.samples.end());
    const bool lit = info(request.view).lit;
    if (request.denoise && lit && image->samples && image->samples < 96) {
        // A dab is laid into the picture that stands. Where that is coarse this one must come first, or a hand that
        // does not rest would keep it away.
        const std::shared_ptr<const LiveImage> stands = latest();
        gives_way_ = coarse == 1 && complete && stands && takes_patches(*stands);
        const bool whole = denoise(film, image->linear, 1.f, &stop_render_);
        gives_way_ = false;
        if (!whole) return;
    }
    if (previous_width_ == film.width &&
        previous_height_ == film.height)  // outside of the region the last picture stays
        for (size_t p = 0; p < film.samples.size(); ++p)
            if (!film.samples[p]) image->linear[p] = previous_[p];
    int enlarge = coarse;
    image->width = film.width;
    image->height = film.height;
    // Once it has all its samples the picture is what the command line writes.
    const bool whole = complete && at_.sample >= uint32_t(scene->render.samples);
    const bool brings = coarse > 1 && compares();
    // Shadows of a form that has moved are met by no path that tells of them.
    const bool holds = !heights_moved() || image->samples < least_to_stand;
    if (!whole && holds && !brings && !edited_.empty() && film.touched.size() == film.samples.size() &&
        same_balance(request, standing_.request)) {
        keep_standing(standing_.picture, film, coarse, image->linear);
        image->stands_on = image->linear.size() == standing_.picture.linear.size();
        if (image->stands_on) {
            image->width = standing_.picture.width;
            image->height = standing_.picture.height;
            enlarge = 1;
        }
    }
    if (!whole && !compare(film, coarse, *image, enlarge)) return;
    if (!whole && !moved_.from.picture.empty() && !carry(film, coarse, *image, enlarge)) return;
    auto rgba = displayed(image->linear, request.view, scene->display);
    if (rgba)
        image->bgra = std::move(*rgba);
    else
        image->bgra.assign(image->linear.size() * 4, 128);
    for (size_t p = 0; p + 3 < image->bgra.size(); p += 4) std::swap(image->bgra[p], image->bgra[p + 2]);
    image->shown_width = image->width;
    image->shown_height = image->height;
    if (enlarge > 1) {  // here, so that the window has nothing to scale
        image->bgra = enlarged(image->bgra, image->width, image->height, enlarge);
        image->shown_width *= enlarge;
        image->shown_height *= enlarge;
    }
    if (request.view == View::node && request.hatch_ends) hatch_ends(image->linear, image->width, enlarge, image->bgra);
    image->prepared = prepared_;
    image->coarse = coarse;
    image->noise = film.noise();
    image->rays_per_second = rate_;
    image->fields_final = prepared_->fields_final;
    image->complete = complete;
    image->edit = edit;
    for (const LayerCost& c : costs_)
        image->layers.push_back({busy_nanoseconds_ > 0 ? double(c.nanoseconds) / busy_nanoseconds_ : 0.0});
    if (brings) compared_.picture = image;
    if (coarse == 1 && complete) {
        previous_ = image->linear;
        previous_width_ = film.width;
        previous_height_ = film.height;
        const bool all = request.region.x1 <= request.region.x0;  // outside of a region older edits may show
        if (image->samples >= least_to_stand && lit && all) keep_whole(*image);
    }
    hand_over(std::move(image));
}

void LiveSession::hand_over(std::shared_ptr<const LiveImage> image) {
    std::function<void()> tell;
    std::shared_ptr<const LiveImage> replaced;  // freed outside of the lock
    {
        std::lock_guard lock(mutex_);
        replaced = std::exchange(latest_, std::move(image));
        tell = posted_;
        patience_.end(Clock::now());
        if (pending_change_ >= int(Change::shading)) interrupt(Change(pending_change_.load()));
    }
    if (tell) tell();
}

FrameSettings LiveSession::frame_of(int coarse) const {
    const LiveRequest& r = at_.request;
    FrameSettings f;
    const int w = std::max(1, r.width * r.scale_percent / 100);
    const int h = std::max(1, r.height * r.scale_percent / 100);
    f.width = std::max(1, (w + coarse - 1) / coarse);
    f.height = std::max(1, (h + coarse - 1) / coarse);
    auto scaled = [&](int x) { return x / coarse; };
    if (r.region.x1 > r.region.x0)
        f.region = {std::clamp(scaled(r.region.x0), 0, f.width - 1), std::clamp(scaled(r.region.y0), 0, f.height - 1),
                    std::clamp(scaled(r.region.x1) + 1, 1, f.width), std::clamp(scaled(r.region.y1) + 1, 1, f.height)};
    f.view = r.view;
    f.seed = uint32_t(r.scene->render.seed);
    f.depth = r.scene->render.depth;
    f.clamp = r.scene->render.preview_clamp;
    f.noise = r.scene->render.noise;
    if (!edited_.empty()) f.edited = &edited_;
    f.abandon = &progress_.stop;
    return f;
}

/// Renders one sample of a frame; false if it was interrupted.
bool LiveSession::rendered(const Prepared& prepared, const FrameSettings& frame, uint32_t sample, Film& into) {
    const auto begin = Clock::now();
    std::atomic<uint64_t> rays{0};
    const bool whole = render_samples(prepared, frame, sample, sample + 1, into, costs_.data(), &stop_render_, &rays);
    const double spent = seconds_since(begin);
    busy_nanoseconds_ += spent * 1e9 * double(tbb::this_task_arena::max_concurrency());
    if (whole && rays > 1000 && spent > 0) rate_ = .7 * rate_ + .3 * double(rays) / spent;
    return whole;
}

/// The first pictures after an edit: coarse ones, as fine as the time allows. False if something newer is wanted.
bool LiveSession::show_coarse() {
    const LiveRequest& r = at_.request;
    if (r.region.x1 > r.region.x0) return true;
    const double pixels = double(r.width) * r.height * r.scale_percent * r.scale_percent / 1e4;
    const double per_pixel = double(info(r.view).rays_per_pixel);
    if (!edited_.empty() && same_balance(at_.request, standing_.request))
        if (const auto shown = show_edited()) return *shown;
    const double finest = std::sqrt(pixels * per_pixel / rate_ / patience_.to_render(Clock::now()));
    int coarse = std::clamp(int(std::ceil(finest)), 2, coarsest_picture);
    glance_ = std::clamp(coarse, coarsest_picture / 2, coarsest_picture);
    if (compares() && is_like_glance(coarse)) coarse = standing_.glance->coarse;
    for (; coarse >= 2; coarse = (coarse + 1) / 2) {
        const FrameSettings f = frame_of(coarse);
        Film quick(f.width, f.height, prepared_->rig.groups.size());
        if (!rendered(*prepared_, f, 0, quick)) return false;
        const auto begin = Clock::now();
        post(r, quick, coarse, false, at_.edit);
        patience_.shown_in(seconds_since(begin));
    }
    return true;
}

/// What is opened shows its forms in clay while what they wear is made ready: maps, fields and borders that nobody has
/// kept yet take a second and more. False if something newer is wanted.
bool LiveSession::show_forms(PrepareOptions options) {
    const LiveRequest& r = at_.request;
    const auto wears_much = [](const scene::BuildUp& b) {
        bool any = false;
        scene::for_each_node(b, [&](const scene::Node&, const scene::Layer*) { any = true; });
        return any;
    };
    const auto& build_ups = r.scene->build_ups;
    if (!info(r.view).lit || r.region.x1 > r.region.x0 || r.scene->parts.empty() ||
        std::none_of(build_ups.begin(), build_ups.end(), wears_much))
        return true;
    auto forms = std::make_shared<scene::Scene>(*r.scene);
    forms->build_ups.clear();
    forms->paintings.clear();
    for (scene::Part& part : forms->parts) part.build_up.clear();
    options.relief = Relief::off;
    const auto made = prepare(std::move(forms), *workshop_, options);
    if (!made || interrupted()) return false;
    const auto bare = std::make_shared<Prepared>(*made);
    bare->fields_final = false;
    bare->problems.clear();  // they are told with the whole
    forget_standing();
    moved_ = Moved();
    costs_ = std::vector<LayerCost>(bare->layers.size());
    const auto before = std::exchange(prepared_, bare);
    const double rate = rate_;  // of rays in clay says nothing of others
    const double pixels = double(r.width) * r.height * r.scale_percent * r.scale_percent / 1e4;
    const double finest = std::sqrt(pixels * double(info(View::clay).rays_per_pixel) / clay_rate / form_seconds);
    const int coarse = std::clamp(int(std::ceil(finest)), 1, coarsest_picture);
    FrameSettings f = frame_of(coarse);
    f.view = View::clay;
    Film quick(f.width, f.height, bare->rig.groups.size());
    const bool whole = rendered(*bare, f, 0, quick);
    if (whole) post(r, quick, coarse, false, at_.edit);
    set_activity("reading maps, finding masks");
    rate_ = rate;
    prepared_ = before;
    return whole;
}

PrepareOptions LiveSession::options_of_request() {
    PrepareOptions options;
    options.folder = at_.request.folder;
    options.blocked = at_.request.blocked;
    options.shown_build_up = at_.request.shown_build_up;
    options.shown_node = at_.request.shown_node;
    options.loud = at_.request.loud;
    options.field_rays = geometry::field_rays_known;
    options.relief = at_.request.relief;
    options.quick_points = quick_heights_.points();
    options.progress = &progress_;
    return options;
}

/// Prepares the request anew and begins its picture; what it had is thrown away only once the new one is there.
void LiveSession::restart(bool with_coarse, Change change) {
    at_.ready = false;
    forget_patches();
    progress_.fraction = 0.f;
    const auto begin = Clock::now();
    PrepareOptions options = options_of_request();
    const bool is_new = !prepared_ || shows_others(*at_.request.scene, *prepared_->scene);
    if (is_new) options.field_rays = glance_rays;
    const bool is_opened = is_new && (!prepared_ || shows_other_parts(*at_.request.scene, *prepared_->scene));
    if (is_opened && with_coarse && !show_forms(options)) return set_activity("");
    auto made = prepare(at_.request.scene, *workshop_, options);
    // Maps that were prepared beside it: reading them as they are takes longer than all else of a first picture.
    if (is_new && made && !workshop_->changed_files().empty()) made = prepare(at_.request.scene, *workshop_, options);
    set_activity("");
    if (!made || interrupted()) return;
    glanced_ = made->fields_as_before && (is_new || glanced_);
    if (made->quick_heights && change < Change::geometry) quick_heights_.took(seconds_since(begin));
    prepared_ = std::move(made);
    // Work on fields goes on through edits that they do not follow from.
    if (refining_.busy() && (prepared_->fields_final || !reads_the_same_fields(*refining_.from(), *prepared_)))
        refining_.stop();
    tell_refining();
    if (costs_.size() != prepared_->layers.size()) costs_ = std::vector<LayerCost>(prepared_->layers.size());
    for (LayerCost& c : costs_) {
        c.nanoseconds = 0;
        c.points = 0;
    }
    busy_nanoseconds_ = 0;
    look_what_is_carried();
    look_what_stands();
    if (with_coarse && !show_coarse()) return;
    at_.frame = frame_of(1);
    at_.film = Film(at_.frame.width, at_.frame.height, prepared_->rig.groups.size());
    film_bytes_ = at_.film.bytes();
    at_.sample = 0;
    at_.band = 0;
    at_.ready = true;
}

/// Takes up what the hands want; true if the picture was begun anew.
bool LiveSession::take_edit() {
    Change change = Change::none;
    Box3f painted;
    if (!take_pending(at_.request, at_.edit, change, painted)) return false;
    if (change == Change::paint && at_.ready && may_mend()) return mend(painted);
    if (change >= Change::paint) {
        shows_refining_ = false;
        if (change == Change::geometry) set_activity("reading assets");
        if (at_.request.scene && at_.request.width > 0 && at_.request.height > 0) restart(true, change);
        return true;
    }
    if (at_.ready) {
        if (at_.sample > 0 || at_.band > 0) post(at_.request, at_.film, 1, at_.sample > 0, at_.edit);
        last_post_ = Clock::now();
    }
    return false;
}

/// Files that changed on the disk begin the picture anew; true if some did.
bool LiveSession::look_at_files() {
    if (seconds_since(last_look_) <= files_seconds) return false;
    last_look_ = Clock::now();
    if (workshop_->changed_files().empty() || !at_.ready) return false;
    forget_standing();  // its scene is the same, its files are not
    last_whole_ = Whole();
    moved_ = Moved();
    restart(false, Change::geometry);
    return true;
}

void LiveSession::tell_refining() {
    shows_refining_ = refining_.busy() && !prepared_->fields_final;
    set_activity(shows_refining_ ? "refining fields" : "");
}

/// What was refined waits until the picture can take it; a picture that the hands have left behind does not: its fields
/// are kept.
void LiveSession::take_refined() {
    if (!refining_.busy() || !refining_.ended()) return;
    refined_from_ = refining_.from();
    refined_ = refining_.take();
    if (!refined_ && refined_from_ == prepared_) unrefined_ = prepared_;
    tell_refining();
}

/// Two passes stand, or all do: now the fields get all their rays, beside the picture. True if it is begun anew with
/// them, behind the one that stands.
bool LiveSession::refine_fields() {
    const auto refined = std::exchange(refined_, nullptr);
    const auto from = std::exchange(refined_from_, nullptr);
    if (refined && from == prepared_) {
        begin_fresh(refined);
        return true;
    }
    const uint32_t all = uint32_t(at_.request.scene->render.samples);
    if (refining_.busy() || fresh_.ready || prepared_->fields_final || unrefined_ == prepared_ ||
        at_.sample < std::min(glanced_ ? 1u : 2u, all))
        return false;
    unrefined_ = nullptr;
    refining_.begin(prepared_, options_of_request());
    tell_refining();
    return false;
}

/// One band of rows, so that what the hands want is looked at again soon.
void LiveSession::render_band(State& into) {
    const FrameSettings& frame = into.frame;
    const PixelRect all = frame.region.x1 > frame.region.x0 ? frame.region : PixelRect{0, 0, frame.width, frame.height};
    const double per_row = double(all.x1 - all.x0) * double(info(at_.request.view).rays_per_pixel) / rate_;
    const double seconds = at_.request.brush ? brush_band_seconds : band_seconds;
    const int rows = std::max(tile_size, int(seconds / std::max(1e-9, per_row)) / tile_size * tile_size);
    FrameSettings part = frame;
    part.region = {all.x0, all.y0 + into.band, all.x1, std::min(all.y1, all.y0 + into.band + rows)};
    gives_way_ = true;
    const Prepared& prepared = &into == &fresh_ ? *fresh_prepared_ : *prepared_;
    const bool whole = rendered(prepared, part, into.sample, into.film);
    gives_way_ = false;
    if (!whole) {  // for paint the film may stay uneven: it is made anew when the hand rests
        if (interrupted()) into.ready = at_.ready = false;
        return;
    }
    into.band += rows;
    if (all.y0 + into.band < all.y1) return;
    into.band = 0;
    ++into.sample;
    if (&into != &at_) return;
    const bool last = at_.sample >= uint32_t(at_.request.scene->render.samples);
    if (at_.sample <= 2 || last ||
        seconds_since(last_post_) > (at_.sample < 32 ? early_post_seconds : late_post_seconds)) {
        post(at_.request, at_.film, 1, true, at_.edit);
        last_post_ = Clock::now();
    }
}

/// The next thing that there is to do; false where there is none.
bool LiveSession::step() {
    take_refined();  // first: whatever else waits, the worker is not woken by it again
    if (take_edit() || look_at_files()) return true;
    if (!at_.ready || at_.request.hold) return false;
    if (!patches_.empty()) {
        render_patch();
        return true;
    }
    if (mended_ && seconds_since(painted_at_) < (prepared_->paint_goes_further ? still_seconds : rest_seconds))
        return false;
    if (mended_ || fresh_.ready) {
        catch_up();
        return true;
    }
    if (refine_fields()) return true;
    uint32_t enough = uint32_t(at_.request.scene->render.samples);
    if (refining_.busy() && !prepared_->fields_final) enough = std::min(enough, glanced_ ? 1u : unrefined_samples);
    if (at_.sample >= enough) return false;
    render_band(at_);
    return true;
}

void LiveSession::work() {
    static Yielding yielding;
    yield_to_window();
    while (!quit_) {
        try {
            if (step()) continue;
        } catch (const std::bad_alloc&) {  // the last picture stays until an edit asks for less
            State bare;
            bare.request = at_.request;
            bare.edit = at_.edit;
            at_ = std::move(bare);
            set_activity("out of memory: close other programs, or make the maps or the view smaller");
        }
        std::unique_lock lock(mutex_);
        wake_.wait_for(lock, std::chrono::milliseconds(mended_ ? 100 : 500),
                       [&] { return quit_ || wanted_edit_ != taken_edit_ || (refining_.busy() && refining_.ended()); });
    }
}

}  // namespace vemtra::render
