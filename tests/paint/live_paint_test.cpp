// Paint in the live picture: the pixels that see it are rendered anew, and none of them is lost, however strokes lie
// over one another while earlier ones wait.
#include <unistd.h>

#include "paint_support.h"
#include "render/session.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("what is painted in turn shows in the picture that stands, all of it, and ends as if rendered from nothing") {
    Painted p(two_islands_obj(), 512, "color3");
    p.scene.cameras[0].position = V3f(0.f, 0.f, 6.f);
    p.scene.cameras[0].target = V3f(0.f);
    p.scene.render.samples = 16;
    p.prepare();
    auto workshop = std::make_shared<render::Workshop>();
    constexpr int size = 200;
    render::LiveRequest r;
    r.scene = std::make_shared<const scene::Scene>(p.scene);
    r.folder = p.scratch.path;
    r.width = r.height = size;
    r.denoise = false;
    // A wide dab, one that lies on its rim while it waits, one beside both, and one within the first.
    const V3f places[] = {{-.1f, .1f, 0.f}, {.35f, .1f, 0.f}, {.6f, -.5f, 0.f}, {-.1f, .15f, 0.f}};
    const float radii[] = {.5f, .1f, .12f, .08f};
    const V3f inks[] = {V3f(1.f, 0.f, 0.f), V3f(0.f, 1.f, 0.f), V3f(0.f, 0.f, 1.f), V3f(0.f, 1.f, 0.f)};
    const render::Pinhole eye(p.prepared->camera, size, size, render::framed_aspect(p.scene));
    auto at = [&](const render::LiveImage& i, const V3f& place) {
        const V3f d = place - eye.origin;
        const float depth = d.dot(eye.forward);
        const int x = int((d.dot(eye.right) / depth / eye.tan_x * .5f + .5f) * float(size));
        const int y = int((.5f - .5f * d.dot(eye.up) / depth / eye.tan_y) * float(size));
        return i.linear[size_t(y) * size + size_t(x)];
    };
    std::atomic<uint64_t> last_edit{0};
    auto leads = [](const V3f& c, int channel) {
        return c[channel] > 2.f * c[(channel + 1) % 3] && c[channel] > 2.f * c[(channel + 2) % 3];
    };
    auto shows_all = [&](const render::LiveImage& i) {
        return i.edit == last_edit && i.width == size && leads(at(i, places[1]), 1) && leads(at(i, places[2]), 2) &&
               leads(at(i, places[3]), 1) && leads(at(i, V3f(-.4f, .1f, 0.f)), 0) &&
               leads(at(i, V3f(.2f, -.2f, 0.f)), 0);
    };
    // It does not wait for the picture that comes when the hand has rested.
    std::atomic<bool> stood{false};
    render::LiveSession session(workshop);  // it ends before what its pictures are looked at with
    auto image_where = [&](auto&& good) {
        for (;; ::usleep(500))
            if (const auto image = session.latest(); image && good(*image)) return image;
    };
    session.on_post([&] {
        if (const auto i = session.latest(); i && i->stands_on && shows_all(*i)) stood = true;
    });
    uint64_t edit = session.request(r);
    const auto before = image_where([&](const auto& i) { return i.edit == edit && i.complete && i.samples >= 8; });
    for (int k = 0; k < 4; ++k) {
        paint::Brush brush;
        brush.flow = 1.f;
        brush.hardness = 1.f;
        p.paint({p.dab(places[k], V3f(0.f, 0.f, 1.f), radii[k])}, brush, inks[k]);
        r.scene = std::make_shared<const scene::Scene>(p.scene);
        r.painted = Box3f(places[k] - V3f(radii[k]), places[k] + V3f(radii[k]));
        edit = session.request(r);
        last_edit = edit;
    }
    CHECK_FALSE(shows_all(*before));
    render::PrepareOptions options;
    options.folder = p.scratch.path;
    render::Workshop other;
    const auto anew = render::prepare(r.scene, other, options);
    const auto film = render::render_picture(
        *anew, {.width = size, .height = size, .samples = 16, .preview_clamp = true, .coverage = false});
    std::vector<V3f> expected;
    film->resolve(render::group_gains(*anew, *r.scene), expected);
    bool same = false;  // what was mended stands until the picture behind it is done
    for (int k = 0; k < 40000 && !same; ++k) ::usleep(500), same = session.latest()->linear == expected;
    CHECK(same);
    CHECK(stood);
}
