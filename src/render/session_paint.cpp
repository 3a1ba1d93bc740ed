// What is painted shows in the live picture at once: only the pixels around it are rendered anew, into the film that
// stands. Its light still is the old one elsewhere (what the paint reflects onto others), and so are forms and borders
// that follow from the paint; when the hand rests, they do, and the picture is begun anew behind it and takes its place
// once it has as many samples as anybody can tell from it.
#include "base/parallel.h"
#include "nodes/description.h"
#include "render/pinhole.h"
#include "render/session.h"
#include "scene/edits.h"
#include "scene/graph.h"

namespace vemtra::render {
namespace {

constexpr double coarse_patch_seconds = .012;  // what a first look at painted pixels may take to render
constexpr double patch_seconds = .010;         // between two looks at what the hand wants
constexpr uint32_t patch_samples = 64;         // that painted pixels are given before the picture is begun anew
constexpr uint32_t settled_samples = 96;       // of the new picture: from there on nothing is filtered
constexpr uint32_t moved_samples = 8;          // the same where the form is another one: it is waited for
constexpr size_t most_patches = 6;
constexpr int beside = 16;  // pixels around a patch that its filter looks at

bool is_empty(const PixelRect& r) {
    return r.x1 <= r.x0 || r.y1 <= r.y0;
}
PixelRect both(const PixelRect& a, const PixelRect& b) {
    return {std::min(a.x0, b.x0), std::min(a.y0, b.y0), std::max(a.x1, b.x1), std::max(a.y1, b.y1)};
}
PixelRect common(const PixelRect& a, const PixelRect& b) {
    return {std::max(a.x0, b.x0), std::max(a.y0, b.y0), std::min(a.x1, b.x1), std::min(a.y1, b.y1)};
}
/// The pixels in which a box of the world can be seen; all where it reaches behind the camera.
PixelRect pixels_of(const Box3f& box, const scene::Camera& camera, int width, int height, float framed) {
    const Pinhole eye(camera, width, height, framed);
    float x0 = 1e9f;
    float y0 = 1e9f;
    float x1 = -1e9f;
    float y1 = -1e9f;
    for (int k = 0; k < 8; ++k) {
        const V3f p(k & 1 ? box.max.x : box.min.x, k & 2 ? box.max.y : box.min.y, k & 4 ? box.max.z : box.min.z);
        const V3f d = p - eye.origin;
        const float depth = d.dot(eye.forward);
        if (!(depth > 1e-6f)) return {0, 0, width, height};
        const float x = (d.dot(eye.right) / depth / eye.tan_x * .5f + .5f) * float(width);
        const float y = (.5f - .5f * d.dot(eye.up) / depth / eye.tan_y) * float(height);
        x0 = std::min(x0, x), x1 = std::max(x1, x);
        y0 = std::min(y0, y), y1 = std::max(y1, y);
    }
    auto pixel = [](float v, int limit) { return int(std::clamp(v, 0.f, float(limit))); };
    return {pixel(std::floor(x0) - 2.f, width), pixel(std::floor(y0) - 2.f, height), pixel(std::ceil(x1) + 3.f, width),
            pixel(std::ceil(y1) + 3.f, height)};
}

/// Build-ups in which a painting may be read, by themselves or through those that they show.
std::vector<uint8_t> painted_build_ups(const scene::Scene& s) {
    std::vector<uint8_t> out(s.build_ups.size(), 0);
    const scene::BuildUpReach reach(s);
    for (const scene::BuildUp& b : s.build_ups) {
        bool paints = false;
        scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer*) {
            paints |= !n.network.empty() || nodes::has_use(n, nodes::Use::painting);
        });
        if (!paints) continue;
        const std::vector<char> shown = reach.to(b.id);
        for (size_t i = 0; i < out.size(); ++i) out[i] |= uint8_t(shown[i]);
    }
    return out;
}

/// Whether it lights other places.
bool paint_shines(const Prepared& p) {
    const std::vector<uint8_t> paints = painted_build_ups(*p.scene);
    for (size_t i = 0; i < paints.size() && i < p.build_ups.size(); ++i)
        if (paints[i] && p.build_ups[i].may_shine) return true;
    return false;
}

}  // namespace

void LiveSession::forget_patches() {
    patches_.clear();
    fresh_ = State();
    fresh_prepared_ = nullptr;
    mended_ = false;
}

bool LiveSession::may_mend() const {
    return prepared_ && at_.sample > 0 && at_.frame.width > 0 && prepared_->textures && !paint_shines(*prepared_) &&
           at_.request.scene->parts.size() == prepared_->scene->parts.size();
}

/// Takes up painted texels; true, as the picture is another one now.
bool LiveSession::mend(const Box3f& painted) {
    auto next = std::make_shared<Prepared>(*prepared_);
    next->scene = at_.request.scene;
    for (const scene::Part*& part : next->parts)
        part = next->scene->parts.data() + (part - prepared_->scene->parts.data());
    next->textures = prepared_->textures->repainted(next->scene->paintings);
    prepared_ = std::move(next);
    fresh_ = State();
    mended_ = true;
    painted_at_ = Clock::now();
    forget_standing();  // what stood before other edits does not know of the paint
    last_whole_ = Whole();
    at_.frame.edited = nullptr;
    at_.band = 0;  // a sample that was begun is begun again: some pixels have it twice, which no eye can tell
    Patch added = painted_pixels(painted, painted_build_ups(*prepared_->scene));
    if (added.count < 1) return true;
    at_.film.clear(added.pixels);
    add_patch(std::move(added));
    return true;
}

/// Each pixel is in one patch. Those that were seen stay apart, so that what is new is little and seen soon however
/// much waits; what no look was taken at yet joins the new one.
void LiveSession::add_patch(Patch added) {
    const size_t width = size_t(at_.film.width);
    std::erase_if(patches_, [&](Patch& p) {
        const PixelRect r = p.shown ? common(p.rect, added.rect) : p.rect;
        for (int y = r.y0; y < r.y1; ++y)
            for (size_t i = size_t(y) * width + size_t(r.x0), end = i + size_t(std::max(0, r.x1 - r.x0)); i < end; ++i)
                if (p.shown) {
                    p.count -= p.pixels[i] & added.pixels[i];
                    p.pixels[i] &= uint8_t(!added.pixels[i]);
                } else {
                    added.count += p.pixels[i] & !added.pixels[i];
                    added.pixels[i] |= p.pixels[i];
                }
        if (!p.shown) added.rect = both(added.rect, p.rect);
        return !p.shown || p.count < 1;
    });
    patches_.push_back(std::move(added));
    while (patches_.size() > most_patches) {  // the two that have waited longest
        Patch& to = patches_[1];
        for (size_t i = 0; i < to.pixels.size(); ++i) to.pixels[i] |= patches_[0].pixels[i];
        to.count += patches_[0].count;
        to.rect = both(to.rect, patches_[0].rect);
        to.row = 0;
        to.sample = std::min(to.sample, patches_[0].sample);
        patches_.erase(patches_.begin());
    }
}

/// The pixels whose sight lines meet painted parts within the box, and those right beside them.
LiveSession::Patch LiveSession::painted_pixels(const Box3f& painted, const std::vector<uint8_t>& paints) const {
    const int w = at_.frame.width;
    const int h = at_.frame.height;
    Patch patch;
    const float framed = framed_aspect(*prepared_->scene);
    patch.rect = pixels_of(painted, prepared_->camera, w, h, framed);
    if (const PixelRect& region = at_.frame.region; !is_empty(region)) patch.rect = common(patch.rect, region);
    if (is_empty(patch.rect)) return patch;
    const PixelRect& r = patch.rect;
    Box3f box = painted;
    const V3f margin(.01f * box.size().length());
    box.min -= margin;
    box.max += margin;
    SeenPixels seen = pixels_that_see(*prepared_, w, h, r, paints, box);
    patch.pixels = std::move(seen.pixels);
    patch.count = seen.count;
    return patch;
}

/// One more sample for the painted pixels that have the fewest.
void LiveSession::render_patch() {
    const uint32_t target = std::min(std::max(1u, at_.sample), patch_samples);
    std::erase_if(patches_, [&](const Patch& p) { return p.sample >= target; });
    if (patches_.empty()) {
        post(at_.request, at_.film, 1, true, at_.edit);
        return;
    }
    Patch& p = *std::min_element(patches_.begin(), patches_.end(), [](const Patch& a, const Patch& b) {
        return a.sample < b.sample || (a.sample == b.sample && &a > &b);  // the newest first
    });
    if (!p.shown) {
        p.shown = true;
        if (show_coarse_patch(p)) return;
    }
    FrameSettings f = at_.frame;
    const double per_row =
        p.count / double(p.rect.y1 - p.rect.y0) * double(info(at_.request.view).rays_per_pixel) / rate_;
    const int rows = std::max(8, int(patch_seconds / std::max(1e-9, per_row)));
    f.region = {p.rect.x0, p.rect.y0 + p.row, p.rect.x1, std::min(p.rect.y1, p.rect.y0 + p.row + rows)};
    f.only = &p.pixels;
    f.noise = 0.f;
    if (!rendered(*prepared_, f, p.sample, at_.film)) {
        if (interrupted()) at_.ready = false;
        return;
    }
    p.row += rows;
    if (p.rect.y0 + p.row < p.rect.y1) return;
    p.row = 0;
    ++p.sample;
    const bool early = (p.sample & (p.sample - 1)) == 0;
    if (!early && seconds_since(last_post_) < .25 && p.sample < target) return;
    last_post_ = Clock::now();
    const PixelRect wide{std::max(0, p.rect.x0 - beside), std::max(0, p.rect.y0 - beside),
                         std::min(at_.film.width, p.rect.x1 + beside), std::min(at_.film.height, p.rect.y1 + beside)};
    const Film part = at_.film.part(wide);
    std::vector<V3f> linear;
    part.resolve(group_gains(*prepared_, *prepared_->scene), linear);
    if (at_.request.denoise && info(at_.request.view).lit) denoise(part, linear);
    std::vector<V3f> inner;
    for (int y = p.rect.y0; y < p.rect.y1; ++y)
        for (int x = p.rect.x0; x < p.rect.x1; ++x)
            inner.push_back(linear[size_t(y - wide.y0) * size_t(part.width) + size_t(x - wide.x0)]);
    post_patch(p, inner);
}

/// A first look at painted pixels, as fine as the time allows. False where the time allows all of them.
bool LiveSession::show_coarse_patch(const Patch& patch) {
    const PixelRect& rect = patch.rect;
    const double cost = patch.count * double(info(at_.request.view).rays_per_pixel) / rate_;
    int coarse = 1;
    while (coarse < 8 && cost / (coarse * coarse) > coarse_patch_seconds) coarse *= 2;
    if (coarse == 1) return false;
    FrameSettings f = frame_of(coarse);
    f.edited = nullptr;
    f.noise = 0.f;
    f.region = {std::max(0, rect.x0 / coarse - 2), std::max(0, rect.y0 / coarse - 2),
                std::min(f.width, rect.x1 / coarse + 3), std::min(f.height, rect.y1 / coarse + 3)};
    std::vector<uint8_t> only(size_t(f.width) * size_t(f.height), 0);
    for (int y = rect.y0; y < rect.y1; ++y)
        for (int x = rect.x0; x < rect.x1; ++x)
            if (patch.pixels[size_t(y) * size_t(at_.film.width) + size_t(x)])
                for (int v = std::max(0, y / coarse - 1); v <= std::min(f.height - 1, y / coarse + 1); ++v)
                    for (int u = std::max(0, x / coarse - 1); u <= std::min(f.width - 1, x / coarse + 1); ++u)
                        only[size_t(v) * size_t(f.width) + size_t(u)] = 1;
    f.only = &only;
    Film quick(f.width, f.height, prepared_->rig.groups.size());
    if (!rendered(*prepared_, f, 0, quick)) return true;
    const Film part = quick.part(f.region);
    std::vector<V3f> small;
    part.resolve(group_gains(*prepared_, *prepared_->scene), small);
    if (at_.request.denoise && info(at_.request.view).lit) denoise(part, small);
    std::vector<V3f> linear;
    for (int y = rect.y0; y < rect.y1; ++y)
        for (int x = rect.x0; x < rect.x1; ++x) {
            const float fx = std::clamp((float(x) + .5f) / float(coarse) - float(f.region.x0) - .5f, 0.f,
                                        float(part.width) - 1.001f);
            const float fy = std::clamp((float(y) + .5f) / float(coarse) - float(f.region.y0) - .5f, 0.f,
                                        float(part.height) - 1.001f);
            const size_t i = size_t(fy) * size_t(part.width) + size_t(fx);
            const size_t right = part.width > 1 ? 1 : 0;
            const size_t down = part.height > 1 ? size_t(part.width) : 0;
            const float a = fx - std::floor(fx);
            const float b = fy - std::floor(fy);
            linear.push_back((small[i] * (1.f - a) + small[i + right] * a) * (1.f - b) +
                             (small[i + down] * (1.f - a) + small[i + down + right] * a) * b);
        }
    post_patch(patch, linear);
    return true;
}

/// Whether the film's pixels can be laid into a picture as they are.
bool LiveSession::takes_patches(const LiveImage& image) const {
    return image.width == at_.film.width && image.height == at_.film.height && image.shown_width == image.width &&
           image.shown_height == image.height;
}

/// Posts the last picture with these pixels in it.
void LiveSession::post_patch(const Patch& patch, const std::vector<V3f>& linear) {
    const PixelRect& rect = patch.rect;
    const int width = rect.x1 - rect.x0;
    const std::shared_ptr<const LiveImage> last = latest();
    if (!last || !takes_patches(*last)) return post(at_.request, at_.film, 1, true, at_.edit);
    auto image = std::make_shared<LiveImage>(*last);
    const auto rgba = displayed(linear, at_.request.view, at_.request.scene->display);
    for (int y = rect.y0; y < rect.y1; ++y)
        for (int x = rect.x0; x < rect.x1; ++x) {
            const size_t from = size_t(y - rect.y0) * size_t(width) + size_t(x - rect.x0);
            const size_t to = size_t(y) * size_t(image->width) + size_t(x);
            if (!patch.pixels[to]) continue;
            image->linear[to] = linear[from];
            if (previous_width_ == image->width && previous_height_ == image->height) previous_[to] = linear[from];
            for (size_t c = 0; c < 4 && rgba; ++c) image->bgra[4 * to + c] = (*rgba)[4 * from + (c < 3 ? 2 - c : 3)];
        }
    image->request = at_.request;
    image->prepared = prepared_;
    image->edit = at_.edit;
    image->coarse = 1;
    image->stands_on = true;
    hand_over(std::move(image));
}

/// What follows from paint in more places than it was laid on, known anew: forms, and the borders of masks that read
/// it. Null where the hands want something else meanwhile.
std::shared_ptr<const Prepared> LiveSession::with_what_follows_paint() {
    if (!mended_ || !(prepared_->paint_moves_borders || prepared_->paint_goes_further)) return prepared_;
    set_activity(prepared_->paint_goes_further ? "working out heights" : "finding borders of masks");
    follows_paint_ = true;
    auto made = prepare(at_.request.scene, *workshop_, options_of_request());
    follows_paint_ = false;
    tell_refining();
    if (interrupted()) return nullptr;
    if (!made) return prepared_;
    if (refining_.busy() && (made->fields_final || !reads_the_same_fields(*refining_.from(), *made))) refining_.stop();
    return made;
}

/// The picture anew, out of sight until it has enough samples.
void LiveSession::catch_up() {
    if (!fresh_.ready) {
        auto next = with_what_follows_paint();
        if (!next) return;
        begin_fresh(std::move(next));
    }
    const uint32_t all = std::max(1u, uint32_t(at_.request.scene->render.samples));
    const bool moved = mended_ && fresh_prepared_->geometry != prepared_->geometry;
    const uint32_t settled = moved ? moved_samples : settled_samples;
    const uint32_t enough = std::min({std::max(1u, at_.sample), settled, all});
    if (fresh_.sample < enough) return render_band(fresh_);
    at_.film = std::move(fresh_.film);
    at_.frame = fresh_.frame;
    at_.sample = fresh_.sample;
    at_.band = fresh_.band;
    prepared_ = std::move(fresh_prepared_);
    glanced_ = false;
    fresh_ = State();
    film_bytes_ = at_.film.bytes();
    mended_ = false;
    post(at_.request, at_.film, 1, true, at_.edit);
    last_post_ = Clock::now();
}
void LiveSession::begin_fresh(std::shared_ptr<const Prepared> prepared) {
    const Prepared* old = standing_.prepared.get();
    if (!old || old->geometry != prepared->geometry || old->fields_final != prepared->fields_final) {
        forget_standing();
    }
    fresh_ = State();
    fresh_.frame = frame_of(1);
    fresh_.film = Film(fresh_.frame.width, fresh_.frame.height, prepared->rig.groups.size());
    fresh_.ready = true;
    fresh_prepared_ = std::move(prepared);
    film_bytes_ = at_.film.bytes() + fresh_.film.bytes();
}

}  // namespace vemtra::render
