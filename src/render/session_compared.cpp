// The live render right after an edit that leaves forms and camera as they are: the picture before, brought along by
// what coarse pictures of before and after tell of it.
#include "render/session.h"

namespace vemtra::render {

/// Whether the standing picture shows the same forms from the same place.
bool LiveSession::compares() const {
    const LiveRequest& old = standing_.request;
    const LiveRequest& r = at_.request;
    return !standing_.picture.empty() && standing_.prepared && prepared_ && r.denoise && info(r.view).lit &&
           old.view == r.view && old.width == r.width && old.height == r.height &&
           old.scale_percent == r.scale_percent && r.region.x1 <= r.region.x0 && old.relief == r.relief &&
           old.loud == r.loud && standing_.prepared->geometry == prepared_->geometry &&
           standing_.prepared->camera == prepared_->camera;
}

/// Looks at the last picture once more as an edit's first picture will, to compare that with it.
void LiveSession::glance() {
    FrameSettings f = frame_of(glance_);
    f.edited = nullptr;
    auto made = std::make_shared<Glance>();
    made->coarse = glance_;
    made->film = Film(f.width, f.height, prepared_->rig.groups.size());
    std::atomic<uint64_t> rays{0};
    if (render_samples(*prepared_, f, 0, 1, made->film, nullptr, &stop_render_, &rays)) last_whole_.glance = made;
}

/// Whether a picture that is so coarse can be as coarse as the one that is there to compare with.
bool LiveSession::is_like_glance(int coarse) const {
    const Glance* g = standing_.glance.get();
    return g && 3 * coarse <= 4 * g->coarse && 2 * g->coarse <= 3 * coarse;
}

/// A coarse picture of what stands, to compare the same one of the edit with; `rect`: of its pixels, all others are
/// left out. Null if something newer is wanted.
const std::vector<V3f>* LiveSession::as_it_stood(const FrameSettings& frame, int coarse, const PixelRect& rect) {
    if (compared_.of != standing_.prepared) {
        compared_ = Compare();
        compared_.of = standing_.prepared;
    }
    std::vector<uint8_t> only;
    if (frame.only) only = *frame.only;
    for (const Compare::Before& b : compared_.before)
        if (b.coarse == coarse && b.only == only) return &b.linear;
    Film film;
    const Glance* g = standing_.glance.get();
    if (g && g->coarse == coarse && g->film.width == frame.width && g->film.height == frame.height) {
        film = g->film;
        std::vector<uint8_t> others = only;
        for (uint8_t& other : others) other = !other;
        film.clear(others);
    } else {
        FrameSettings f = frame;
        f.edited = nullptr;
        film = Film(f.width, f.height, standing_.prepared->rig.groups.size());
        std::atomic<uint64_t> rays{0};
        if (!render_samples(*standing_.prepared, f, 0, 1, film, nullptr, &stop_render_, &rays)) return nullptr;
    }
    const Film part = film.part(rect);
    std::vector<V3f> linear;
    part.resolve(group_gains(*standing_.prepared, *standing_.request.scene), linear);
    denoise(part, linear);
    std::erase_if(compared_.before, [&](const Compare::Before& b) { return b.coarse == coarse; });
    compared_.before.push_back({coarse, std::move(only), in_frame(part, rect, linear, frame.width, frame.height)});
    return &compared_.before.back().linear;
}

/// What a film of some pixels tells, in the whole frame.
std::vector<V3f> LiveSession::in_frame(const Film& part, const PixelRect& rect, const std::vector<V3f>& linear,
                                       int width, int height) {
    std::vector<V3f> out(size_t(width) * size_t(height), V3f(0.f));
    for (int y = 0; y < part.height; ++y)
        std::copy_n(linear.begin() + ptrdiff_t(y) * part.width, part.width,
                    out.begin() + ptrdiff_t(y + rect.y0) * width + rect.x0);
    return out;
}

/// The standing picture as a coarse film of the edit, filtered, brings it along. Nothing if something newer is wanted.
std::optional<std::vector<V3f>> LiveSession::compared_picture(const Film& part, const PixelRect& rect,
                                                              const std::vector<V3f>& linear, int coarse,
                                                              const FrameSettings& frame,
                                                              const std::vector<uint8_t>* marks) {
    const std::vector<V3f>* before = as_it_stood(frame, coarse, rect);
    if (!before) return std::nullopt;
    Compared both{frame.width, frame.height, *before, in_frame(part, rect, linear, frame.width, frame.height), {}};
    if (frame.only) {
        both.known.assign(both.now.size(), not_known);
        for (int y = 0; y < part.height; ++y)
            for (int x = 0; x < part.width; ++x) {
                const size_t p = size_t(y) * size_t(part.width) + size_t(x);
                const bool shows = !part.touched.empty() && part.touched[p] > .5f * float(part.samples[p]);
                if (part.samples[p])
                    both.known[size_t(y + rect.y0) * size_t(frame.width) + size_t(x + rect.x0)] =
                        shows ? shows_edit : known;
            }
    }
    compared_.picture = nullptr;
    compared_.changes = marks ? *marks : std::vector<uint8_t>();
    return brought_along(standing_.picture, both, marks);
}

/// Puts the picture before, brought along, in place of a coarse one or beside few samples. False if something newer is
/// wanted.
bool LiveSession::compare(const Film& film, int coarse, LiveImage& image, int& enlarge) {
    if (!compares()) return true;
    if (coarse > 1) {
        const PixelRect all{0, 0, film.width, film.height};
        auto picture = compared_picture(film, all, image.linear, coarse, frame_of(coarse), nullptr);
        if (!picture) return false;
        image.linear = std::move(*picture);
        image.width = standing_.picture.width;
        image.height = standing_.picture.height;
        image.stands_on = true;
        enlarge = 1;
        return true;
    }
    const LiveImage* before = compared_.picture.get();
    if (!before || before->prepared != prepared_ || image.samples >= least_to_stand ||
        before->linear.size() != image.linear.size() || !same_balance(image.request, before->request))
        return true;
    // The first few are worth less than their number says.
    const float share = float(image.samples) / float(least_to_stand);
    const float part = share * share;
    for (size_t p = 0; p < image.linear.size(); ++p)
        if (compared_.changes.empty() || compared_.changes[p])
            image.linear[p] = before->linear[p] * (1.f - part) + image.linear[p] * part;
    image.stands_on = true;
    return true;
}

}  // namespace vemtra::render
