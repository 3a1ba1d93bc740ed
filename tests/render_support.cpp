#include "render_support.h"

namespace vemtra::test {

std::shared_ptr<const render::Prepared> prepared(const scene::Scene& s, const fs::path& folder,
                                                 render::Workshop& workshop) {
    render::PrepareOptions options;
    options.folder = folder;
    return render::prepare(std::make_shared<const scene::Scene>(s), workshop, options);
}

std::vector<V3f> rendered(const render::Prepared& p, const render::PictureSettings& settings) {
    auto film = render::render_picture(p, settings);
    REQUIRE(film);
    std::vector<V3f> out;
    film->resolve(render::group_gains(p, *p.scene), out);
    return out;
}
std::vector<V3f> rendered(const render::Prepared& p, int width, int height, int samples, render::View view) {
    return rendered(p, render::PictureSettings{.width = width, .height = height, .samples = samples, .view = view});
}
std::vector<V3f> rendered_exactly(const render::Prepared& p, int width, int height, int samples) {
    return rendered(p,
                    render::PictureSettings{.width = width, .height = height, .samples = samples, .reference = true});
}
V3f mean(const std::vector<V3f>& pixels) {
    V3f sum(0.f);
    for (const V3f& p : pixels) sum += p;
    return sum / float(pixels.size());
}

}  // namespace vemtra::test
