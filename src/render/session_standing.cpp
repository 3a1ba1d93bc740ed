// What an edit leaves of the picture before: which kind of change it is, what stands on, and first pictures of what
// shows it alone.
#include "base/parallel.h"
#include "render/session.h"
#include "scene/edits.h"
#include "scene/graph.h"

namespace vemtra::render {
namespace {

constexpr int beside = 2;             // pixels around what was edited that its filter looks at
constexpr double places_part = .4;    // of the time to render, for finding what the pixels face
constexpr int widest_step = 6;        // pixels in one of those at most
constexpr int coarse_to_relight = 3;  // pixels in one of a first picture that tells less than what stood before

/// What the picture does not show: the balance of the rig, names and other texts.
scene::Scene without_what_does_not_show(const scene::Scene& s) {
    scene::Scene copy = s;
    copy.display = {};
    copy.name.clear();
    copy.extra = {};
    copy.kept_values.clear();
    copy.render.width = copy.render.height = copy.render.samples = 0;
    copy.render.clamp = 0;
    copy.render.smooth = false;
    if (const scene::Rig* rig = scene::active_rig(copy)) copy.rigs = {scene::Rig(*rig)};
    for (scene::Rig& rig : copy.rigs) {
        rig.name.clear();
        for (scene::LightGroup& g : rig.groups) {
            g.on = true;
            g.exposure = 0.f;
            g.tint = V3f(1.f);
        }
    }
    if (const scene::Camera* camera = scene::active_camera(copy)) copy.cameras = {scene::Camera(*camera)};
    for (scene::Camera& c : copy.cameras) c.name.clear();
    for (scene::BuildUp& b : copy.build_ups) {
        b.name.clear();
        for (scene::Layer& l : b.layers) l.name.clear();
        scene::for_each_node(b, [](scene::Node& n, scene::Layer*) { n.name.clear(); });
    }
    for (scene::Network& n : copy.networks) n.name.clear();
    for (scene::Painting& p : copy.paintings) {
        p.name.clear();
        p.file.clear();  // where its texels are kept is the disk's affair
    }
    return copy;
}

/// Where the film's pixels of that part lie, with what its filter looks at.
PixelRect around(const SeenPixels& seen, const Film& film) {
    PixelRect rect{film.width, film.height, 0, 0};
    for (int y = 0; y < film.height; ++y)
        for (int x = 0; x < film.width; ++x)
            if (seen.pixels[size_t(y) * size_t(film.width) + size_t(x)])
                rect = {std::min(rect.x0, x), std::min(rect.y0, y), std::max(rect.x1, x + 1), std::max(rect.y1, y + 1)};
    return {std::max(0, rect.x0 - beside), std::max(0, rect.y0 - beside), std::min(film.width, rect.x1 + beside),
            std::min(film.height, rect.y1 + beside)};
}

}  // namespace

Change classify(const LiveRequest& a, const LiveRequest& b) {
    if (!a.scene || !b.scene || a.folder != b.folder || a.blocked != b.blocked) return Change::geometry;
    const scene::Scene& x = *a.scene;
    const scene::Scene& y = *b.scene;
    if (a.scene != b.scene && (x.assets != y.assets || x.parts != y.parts || x.search_folders != y.search_folders))
        return Change::geometry;
    if (a.width != b.width || a.height != b.height || a.scale_percent != b.scale_percent || a.view != b.view ||
        a.relief != b.relief || a.shown_build_up != b.shown_build_up || a.shown_node != b.shown_node ||
        a.loud != b.loud || a.region.x0 != b.region.x0 || a.region.y0 != b.region.y0 || a.region.x1 != b.region.x1 ||
        a.region.y1 != b.region.y1)
        return Change::shading;
    if (a.scene == b.scene)
        return a.hold != b.hold || a.denoise != b.denoise || a.hatch_ends != b.hatch_ends ? Change::display
                                                                                          : Change::none;
    scene::Scene shown_before = without_what_does_not_show(x);
    scene::Scene shown_now = without_what_does_not_show(y);
    if (!(shown_before == shown_now)) {
        if (b.painted.isEmpty()) return Change::shading;
        for (scene::Scene* s : {&shown_before, &shown_now})
            for (scene::Painting& p : s->paintings) p.sheets.clear();
        return shown_before == shown_now ? Change::paint : Change::shading;
    }
    const scene::Rig* r = scene::active_rig(x);
    const scene::Rig* q = scene::active_rig(y);
    if (r && q && r->groups != q->groups) return Change::balance;
    return Change::display;
}

bool same_balance(const LiveRequest& a, const LiveRequest& b) {
    const scene::Rig* x = a.scene ? scene::active_rig(*a.scene) : nullptr;
    const scene::Rig* y = b.scene ? scene::active_rig(*b.scene) : nullptr;
    return x && y && x->groups == y->groups;
}

/// Whether two requests ask for the same from two cameras, or from the same one.
bool LiveSession::differs_by_camera(const LiveRequest& a, const LiveRequest& b) {
    if (!a.scene || !b.scene || a.folder != b.folder || a.blocked != b.blocked || a.width != b.width ||
        a.height != b.height || a.scale_percent != b.scale_percent || a.view != b.view || a.relief != b.relief ||
        a.loud != b.loud || !same_balance(a, b))
        return false;
    scene::Scene x = without_what_does_not_show(*a.scene);
    scene::Scene y = without_what_does_not_show(*b.scene);
    x.cameras.clear();
    y.cameras.clear();
    x.camera = y.camera;
    return x == y;
}

/// Whether the standing picture differs from the request by its build-ups alone, whose heights may have moved the form.
bool LiveSession::stands_on(const LiveRequest& r) const {
    const LiveRequest& old = standing_.request;
    if (standing_.picture.empty() || !old.scene || !r.scene || old.folder != r.folder || old.blocked != r.blocked ||
        old.width != r.width || old.height != r.height || old.scale_percent != r.scale_percent || old.view != r.view ||
        r.view != View::beauty || old.relief != r.relief || old.loud != r.loud ||
        (prepared_->fields_final && !standing_.prepared->fields_final))
        return false;
    scene::Scene a = without_what_does_not_show(*old.scene);
    scene::Scene b = without_what_does_not_show(*r.scene);
    a.build_ups.clear();
    b.build_ups.clear();
    return a == b;
}

void LiveSession::forget_standing() {
    edited_.clear();
    standing_ = Whole();
    compared_ = Compare();
    if (faced_before_.of) sights_ = Sights();  // they hold the form that it shows
    faced_before_ = Faced();
    faced_now_ = std::nullopt;
}

/// What of the picture before still holds after the edit: all that no path meets which was edited.
void LiveSession::look_what_stands() {
    edited_.clear();
    if (last_whole_.picture.samples * 4 >= standing_.picture.samples && !last_whole_.picture.empty())
        standing_ = std::move(last_whole_);
    last_whole_ = Whole();
    if (faced_before_.of != standing_.prepared) faced_before_ = Faced();
    if (!stands_on(at_.request)) {
        if (!compares()) forget_standing();
        return;
    }
    const scene::Scene& before = *standing_.request.scene;
    const scene::Scene& now = *at_.request.scene;
    if (before.build_ups.size() != now.build_ups.size()) return;
    std::vector<uint8_t> edited(prepared_->build_ups.size(), 0);
    const scene::BuildUpReach reach(now);
    for (size_t i = 0; i < now.build_ups.size(); ++i) {
        if (before.build_ups[i] == now.build_ups[i]) continue;
        const std::vector<char> shown = reach.to(now.build_ups[i].id);
        for (size_t k = 0; k < shown.size() && k < edited.size(); ++k) edited[k] |= uint8_t(shown[k]);
    }
    for (size_t k = 0; k < edited.size(); ++k) {
        if (!edited[k]) continue;
        // Light that comes from it, or through it, is met by no path.
        for (const Prepared* p : {prepared_.get(), standing_.prepared.get()})
            if (k >= p->build_ups.size() || p->build_ups[k].may_shine || p->build_ups[k].may_open) return;
    }
    edited_ = std::move(edited);
}

std::vector<uint8_t> LiveSession::edited_instances() const {
    std::vector<uint8_t> marks;
    for (const int b : prepared_->build_up_of) marks.push_back(size_t(b) < edited_.size() && edited_[size_t(b)]);
    return marks;
}

/// Which pixels see what moved, or saw it before. False if something newer is wanted.
bool LiveSession::look_what_moved() {
    const FrameSettings whole = frame_of(1);
    const double pixels = double(whole.width) * whole.height;
    const double seconds = places_part * patience_.to_render(Clock::now());
    const int affordable = std::clamp(int(std::ceil(std::sqrt(pixels / places_rate_ / seconds))), 2, widest_step);
    // Another step asks for the picture before anew: not for little.
    const bool first = faced_before_.of != standing_.prepared || std::abs(affordable - moved_step_) > 1;
    if (first) moved_step_ = affordable;
    const int w = in_steps(whole.width, moved_step_);
    const int h = in_steps(whole.height, moved_step_);
    const auto begin = Clock::now();
    faced_now_ = seen_places(*prepared_, w, h, &progress_.stop);
    if (!faced_now_) return false;
    places_rate_ = std::clamp(double(w) * h / std::max(1e-6, seconds_since(begin)), 1e4, 1e9);
    if (first) {
        auto seen = seen_places(*standing_.prepared, w, h, &progress_.stop);
        if (!seen) return false;
        const Standing& old = standing_.picture;
        faced_before_ = {standing_.prepared, std::move(*seen), made_smaller({old.width, old.height, old.linear}, w, h)};
    }
    sights_.look(*standing_.prepared, whole.width, whole.height, moved_step_);
    const std::vector<uint8_t> moved = edited_instances();
    std::vector<uint8_t> marks = sights_.lines_that_see(edited_);
    for (size_t q = 0; q < marks.size(); ++q)
        if (const uint32_t i = faced_now_->pixels[q].instance; i < moved.size()) marks[q] |= moved[i];
    shows_edit_of_.clear();
    shows_edit_ = in_full(marks, whole.width, whole.height, moved_step_);
    return true;
}

/// The first pictures where another one stands on: only of the pixels that show what was edited, which can be finer in
/// the same time; what it does to others comes with the picture as a whole. Nothing where none shows it.
std::optional<bool> LiveSession::show_edited() {
    const LiveRequest& r = at_.request;
    const FrameSettings whole = frame_of(1);
    if (heights_moved()) {
        if (!look_what_moved()) return false;
    } else {
        if (sights_.look(*prepared_, whole.width, whole.height) || shows_edit_of_ != edited_) {
            shows_edit_of_ = edited_;
            shows_edit_ = sights_.that_see(edited_);
            marks_ = sights_.lines_that_see(edited_);
            for (size_t p = 0; p < marks_.size(); ++p) marks_[p] = uint8_t(marks_[p] + shows_edit_.pixels[p]);
        }
    }
    if (shows_edit_.count < 1.) return std::nullopt;
    auto rays_of = [&](double pixels) { return pixels * double(info(r.view).rays_per_pixel) / rate_; };
    const double finest = std::sqrt(rays_of(shows_edit_.count) * edited_cost_ / patience_.to_render(Clock::now()));
    const bool compared = compares();
    int coarse = std::clamp(int(std::ceil(finest)), 1, coarsest_picture);
    glance_ = std::clamp(coarse, coarsest_picture / 2, coarsest_picture);
    if (compared && is_like_glance(coarse)) coarse = standing_.glance->coarse;
    for (;; coarse = (coarse + 1) / 2) {
        FrameSettings f = frame_of(coarse);
        const SeenPixels seen = coarser(shows_edit_, whole.width, whole.height, coarse);
        f.only = &seen.pixels;
        Film quick(f.width, f.height, prepared_->rig.groups.size());
        const auto begin = Clock::now();
        if (!rendered(*prepared_, f, 0, quick)) return false;
        const auto done = Clock::now();
        edited_cost_ = std::clamp(.5 * edited_cost_ + .5 * seconds_since(begin) / rays_of(seen.count), .5, 20.);
        if (!post_edited(quick, coarse, seen)) return false;
        patience_.shown_in(seconds_since(done));
        if (coarse == 1 || (compared && coarse == 2)) return true;  // all pixels' first samples bring no less
    }
}

/// The standing picture with what the film shows of the edit in it. Nothing if something newer is wanted.
std::optional<std::vector<V3f>> LiveSession::edited_picture(const Film& film, int coarse, const SeenPixels& seen) {
    const LiveRequest& r = at_.request;
    const PixelRect rect = around(seen, film);
    const Film part = film.part(rect);
    std::vector<V3f> linear;
    part.resolve(group_gains(*prepared_, *r.scene), linear);
    if (r.denoise) denoise(part, linear);
    if (r.denoise && heights_moved() && coarse >= coarse_to_relight) return relit_picture(part, rect, coarse, linear);
    if (compares()) {
        FrameSettings frame = frame_of(coarse);
        frame.only = &seen.pixels;
        return compared_picture(part, rect, linear, coarse, frame, &marks_);
    }
    const StandingPart where{rect, shows_edit_.pixels};
    keep_standing(standing_.picture, part, coarse, linear, &where);
    return linear;
}

/// Where heights have moved and the film is coarse: what stands, lit as it faces now.
std::vector<V3f> LiveSession::relit_picture(const Film& part, const PixelRect& rect, int coarse,
                                            const std::vector<V3f>& linear) {
    const FrameSettings frame = frame_of(coarse);
    Pixels fresh = made_smaller(faced_before_.small, frame.width, frame.height);
    for (int y = 0; y < part.height; ++y)
        for (int x = 0; x < part.width; ++x) {
            const size_t from = size_t(y) * size_t(part.width) + size_t(x);
            if (part.samples[from])
                fresh.linear[size_t(y + rect.y0) * size_t(fresh.width) + size_t(x + rect.x0)] = linear[from];
        }
    const FallingLight light(prepared_->rig, group_gains(*prepared_, *at_.request.scene),
                             prepared_->geometry->bounds().center());
    return relit(standing_.picture, faced_before_, *faced_now_, edited_instances(), light, fresh);
}

/// Posts the standing picture with what the film shows of the edit in it. False if something newer is wanted.
bool LiveSession::post_edited(const Film& film, int coarse, const SeenPixels& seen) {
    const LiveRequest& r = at_.request;
    auto image = std::make_shared<LiveImage>();
    auto picture = edited_picture(film, coarse, seen);
    if (!picture) return false;
    image->linear = std::move(*picture);
    if (image->linear.size() != standing_.picture.linear.size()) return true;
    image->width = image->shown_width = standing_.picture.width;
    image->height = image->shown_height = standing_.picture.height;
    const scene::Display& display = r.scene->display;
    const bool as_shown =
        standing_.request.scene->display == display && standing_.bgra.size() == 4 * standing_.picture.linear.size();
    image->bgra = as_shown ? standing_.bgra : std::vector<uint8_t>(4 * image->linear.size(), 128);
    parallel_ranges(size_t(image->height), 32, [&](size_t first, size_t last) {
        std::vector<size_t> fresh;  // pixels whose colour is to be found
        std::vector<V3f> colours;
        for (size_t p = first * size_t(image->width); p < last * size_t(image->width); ++p)
            if (!as_shown || shows_edit_.pixels[p]) {
                fresh.push_back(p);
                colours.push_back(image->linear[p]);
            }
        if (fresh.empty()) return;
        if (const auto rgba = displayed(colours, r.view, display))
            for (size_t k = 0; k < fresh.size(); ++k)
                for (size_t c = 0; c < 4; ++c) image->bgra[4 * fresh[k] + c] = (*rgba)[4 * k + (c < 3 ? 2 - c : 3)];
    });
    image->stands_on = true;
    image->samples = 1;
    image->coarse = coarse;
    image->request = r;
    image->prepared = prepared_;
    image->rays_per_second = rate_;
    image->fields_final = prepared_->fields_final;
    image->edit = at_.edit;
    image->noise = film.noise();
    for (const LayerCost& c : costs_)
        image->layers.push_back({busy_nanoseconds_ > 0 ? double(c.nanoseconds) / busy_nanoseconds_ : 0.0});
    if (compares()) compared_.picture = image;
    hand_over(std::move(image));
    return true;
}

}  // namespace vemtra::render
