#include "render_support.h"

#include "geometry/uv_points.h"
#include "render/materials.h"

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
std::vector<float> values_at(const render::Prepared& p, const scene::BuildUp& build_up, const program::Wanted& wanted,
                             const V2f& uv) {
    program::Resources resources = p.resources;
    std::vector<Error> ignored;
    const auto program = program::compile(build_up, {wanted}, resources, ignored);
    const auto point = geometry::uv_point(p.geometry->shape(0), uv);
    REQUIRE(point.covered);
    const geometry::Place at{0, point.face, point.u, point.v};
    auto arrays = std::make_unique<render::PointArrays>();
    const auto surface = p.geometry->at(at);
    arrays->set(0, p, at, surface, surface.normal, .01f);
    program::Workspace workspace;
    std::vector<const float*> out(size_t(program.component_count()));
    program.run(arrays->batch(1, p), workspace, out.data());
    std::vector<float> all;
    for (const float* o : out) all.push_back(*o);
    return all;
}
V3f mean(const std::vector<V3f>& pixels) {
    V3f sum(0.f);
    for (const V3f& p : pixels) sum += p;
    return sum / float(pixels.size());
}

}  // namespace vemtra::test
