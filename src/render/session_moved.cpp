// The live render while its camera moves: the picture before is carried over until the new one is better.
#include "render/session.h"

namespace vemtra::render {

/// Keeps a posted picture: edits may stand on it, and moved cameras carry it over.
void LiveSession::keep_whole(const LiveImage& image) {
    std::shared_ptr<const SeenPlaces> seen;
    for (const auto& known : {moved_.now, last_whole_.seen, standing_.seen})
        if (known && known->width == image.width && known->height == image.height && known->camera == prepared_->camera)
            seen = known;
    const auto glanced_at = last_whole_.prepared == prepared_ ? last_whole_.glance : nullptr;
    last_whole_ = {{image.width, image.height, image.samples, image.linear},
                   image.bgra,
                   image.request,
                   prepared_,
                   seen,
                   glanced_at};
    moved_ = Moved();
    if (!glanced_at) glance();
}

/// A request from elsewhere lets the last picture be carried over; any other edit ends that.
void LiveSession::look_what_is_carried() {
    const LiveRequest& r = at_.request;
    const bool lit = info(r.view).lit && r.denoise && r.region.x1 <= r.region.x0;
    auto serves = [&](const Whole& w) { return lit && !w.picture.empty() && differs_by_camera(w.request, r); };
    if (serves(last_whole_) && last_whole_.prepared->camera != prepared_->camera) {
        moved_ = Moved();
        moved_.from = std::move(last_whole_);
        last_whole_ = Whole();
    } else if (!serves(moved_.from)) {
        moved_ = Moved();
    }
    moved_.now = nullptr;
}

/// Finds what every `step`-th pixel of the present picture sees. False if something newer is wanted.
bool LiveSession::see_places(int step) {
    const FrameSettings whole = frame_of(1);
    auto found = [&](const Prepared& prepared, int every) -> std::shared_ptr<const SeenPlaces> {
        const auto begin = Clock::now();
        const int w = (whole.width + every - 1) / every;
        const int h = (whole.height + every - 1) / every;
        auto seen = seen_places(prepared, w, h, &progress_.stop);
        if (!seen) return nullptr;
        places_rate_ = std::clamp(double(w) * h / std::max(1e-6, seconds_since(begin)), 1e4, 1e9);
        return std::make_shared<const SeenPlaces>(std::move(*seen));
    };
    if (!moved_.from.seen) moved_.from.seen = found(*moved_.from.prepared, 1);
    if (!moved_.from.seen) return false;
    if (moved_.now && moved_.step == step) return true;
    moved_.now = found(*prepared_, step);
    moved_.step = step;
    return moved_.now != nullptr;
}

/// Puts what is carried over in place of the few samples that there are, or beside them. False if something newer is
/// wanted.
bool LiveSession::carry(const Film& film, int coarse, LiveImage& image, int& enlarge) {
    const LiveRequest& r = image.request;
    if (!r.denoise || !same_balance(r, moved_.from.request)) return true;
    const uint32_t samples = film.samples.empty() ? 0 : *std::max_element(film.samples.begin(), film.samples.end());
    if (coarse == 1 && (samples >= least_to_stand || film.width != moved_.from.picture.width ||
                        film.height != moved_.from.picture.height))
        return true;
    const FrameSettings whole = frame_of(1);
    const double finest = std::sqrt(double(whole.width) * whole.height / places_rate_ / places_seconds);
    const int step = coarse == 1 ? 1 : std::clamp(int(std::ceil(finest)), 1, coarse);
    if (!see_places(step)) return false;
    const SeenPlaces& now = *moved_.now;
    CarriedPicture picture = carried_over(*moved_.from.seen, {moved_.from.picture.linear, {}}, now);
    if (moved_.last_seen && moved_.last_seen != moved_.now)
        complete(picture, carried_over(*moved_.last_seen, moved_.last, now));
    const Pixels fresh{film.width, film.height, std::move(image.linear)};
    auto in_blocks = [](int pixels) { return std::max(1, (pixels + coarsest_picture - 1) / coarsest_picture); };
    bring_up_to_date(picture, now, made_smaller(fresh, in_blocks(whole.width), in_blocks(whole.height)), fresh);
    if (coarse == 1) {
        const float part = float(samples) / float(least_to_stand);
        for (size_t p = 0; p < picture.linear.size(); ++p)
            picture.linear[p] = picture.linear[p] * (1.f - part) + fresh.linear[p] * part;
    }
    moved_.last_seen = moved_.now;
    image.linear = picture.linear;
    moved_.last = std::move(picture);
    image.width = now.width;
    image.height = now.height;
    image.carried = true;
    enlarge = step;
    return true;
}

}  // namespace vemtra::render
