// Paint in the live picture: the pixels that see it are rendered anew, and none of them is lost, however strokes lie
// over one another while earlier ones wait.
#include <unistd.h>

#include "handed_over.h"
#include "paint_support.h"
#include "render/session.h"
#include "scene/relief_slots.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

scene::Node node_of(const char* id, const char* kind, const char* type, std::map<std::string, scene::Input> inputs) {
    scene::Node n;
    n.id = id;
    n.kind = kind;
    n.type = type;
    for (auto& [name, input] : inputs) n.inputs[name] = input;
    return n;
}
/// The base stands out by noise, by some millimetres.
void stand_out(scene::Layer& layer) {
    layer.nodes.push_back(node_of("hills", "fractal3d", "float", {{"amplitude", {scene::Value{.5f}, {}}}}));
    layer.surface["height"].from = "hills";
    layer.surface["height_scale"].value = scene::Value{.004f};
}

}  // namespace

TEST_CASE("what is painted in turn shows in the picture that stands, all of it, and ends as if rendered from nothing") {
    const bool heights = GENERATE(false, true);  // that do not follow from the paint
    Painted p(two_islands_obj(), 512, "color3");
    if (heights) stand_out(p.scene.build_ups[0].layers[0]);
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

TEST_CASE("borders and forms that are worked out from paint follow it when the hand rests") {
    const bool forms = GENERATE(false, true);
    Painted p(two_islands_obj());
    scene::Layer& base = p.scene.build_ups[0].layers[0];
    base.nodes.push_back(
        node_of("grown", "grow", "float", {{"in", {scene::Value{0.f}, "paint"}}, {"by", {scene::Value{.15f}, {}}}}));
    base.surface["base_weight"].from = forms ? "paint" : "grown";
    if (forms) {
        base.surface["height"].from = "paint";
        base.surface["height_scale"].value = scene::Value{.05f};
        base.surface["height_neutral"].value = scene::Value{0.f};
    }
    p.scene.cameras[0].position = V3f(0.f, 0.f, 6.f);
    p.scene.cameras[0].target = V3f(0.f);
    p.scene.render.samples = 8;
    p.prepare();
    CHECK(p.prepared->paint_moves_borders == !forms);
    CHECK(p.prepared->paint_goes_further == forms);
    render::LiveRequest r;
    r.scene = std::make_shared<const scene::Scene>(p.scene);
    r.folder = p.scratch.path;
    r.width = r.height = 64;
    r.denoise = false;
    auto expected = [&] {
        render::Workshop other;
        render::PrepareOptions options;
        options.folder = p.scratch.path;
        const auto anew = render::prepare(r.scene, other, options);
        const auto film = render::render_picture(
            *anew, {.width = 64, .height = 64, .samples = 8, .preview_clamp = true, .coverage = false});
        std::vector<V3f> linear;
        film->resolve(render::group_gains(*anew, *r.scene), linear);
        return linear;
    };
    render::LiveSession session(std::make_shared<render::Workshop>());
    const HandedOver pictures(session);
    auto ends_as = [&](const std::vector<V3f>& picture) {
        for (int k = 0; k < 40000; ++k, ::usleep(500))
            if (const auto image = session.latest(); image && image->linear == picture) return true;
        return false;
    };
    session.request(r);
    const std::vector<V3f> before = expected();
    CHECK(ends_as(before));
    paint::Brush brush;
    brush.flow = 1.f;
    for (const V3f& place : {V3f(-.1f, .1f, 0.f), V3f(.3f, -.2f, 0.f)}) {
        p.paint({p.dab(place, V3f(0.f, 0.f, 1.f), .2f)}, brush, V3f(1.f));
        r.scene = std::make_shared<const scene::Scene>(p.scene);
        r.painted = Box3f(place - V3f(.2f), place + V3f(.2f));
        const auto stood = session.latest();
        const uint64_t edit = session.request(r);
        const std::vector<V3f> painted = expected();
        CHECK(painted != before);
        CHECK(ends_as(painted));
        // What was painted is seen before, on the form as it stood.
        const auto all = pictures.of(edit);
        CHECK(std::any_of(all.begin(), all.end(), [&](const HandedOver::Image& i) {
            return i->stands_on && i->linear != stood->linear && i->prepared->geometry == stood->prepared->geometry;
        }));
    }
}

TEST_CASE("paint goes further than its place only where forms follow from it") {
    Painted p(two_islands_obj());
    scene::Layer& base = p.scene.build_ups[0].layers[0];
    auto further = [&] {
        p.prepare();
        return p.prepared->paint_goes_further;
    };
    CHECK_FALSE(further());
    stand_out(base);  // beside the paint, not by it
    CHECK_FALSE(further());

    scene::Layer cover;
    cover.id = cover.name = "cover";
    cover.gate.mask.from = "mask";
    cover.nodes.push_back(node_of("mask", "invert", "float", {{"in", {scene::Value{0.f}, "paint"}}}));
    SECTION("as a height, through a node") {
        base.nodes.push_back(node_of("less", "multiply", "float",
                                     {{"in1", {scene::Value{0.f}, "paint"}}, {"in2", {scene::Value{.5f}, {}}}}));
        base.surface["height"].from = "less";
        CHECK(further());
    }
    SECTION("as the gate of a layer, by what that layer does to the form") {
        std::swap(cover.nodes, base.nodes);  // what two layers read belongs to neither: the commons
        p.scene.build_ups[0].commons = cover.nodes;
        for (const scene::Node& n : base.nodes) p.scene.build_ups[0].commons.push_back(n);
        base.nodes.clear();
        cover.nodes.clear();
        p.scene.build_ups[0].layers.push_back(cover);
        scene::Layer& added = p.scene.build_ups[0].layers.back();
        added.surface["height_join"].value = scene::Value{float(int(scene::HeightJoin::none))};
        CHECK_FALSE(further());
        added.surface.erase("height_join");
        added.surface["height_thickness"].value = scene::Value{.002f};
        CHECK(further());
    }
    SECTION("as a height by the border that is worked out from it") {
        base.nodes.push_back(node_of("grown", "grow", "float",
                                     {{"in", {scene::Value{0.f}, "paint"}}, {"by", {scene::Value{.02f}, {}}}}));
        base.surface["specular_roughness"].from = "grown";
        CHECK_FALSE(further());
        base.surface["height"].from = "grown";
        CHECK(further());
    }
}
