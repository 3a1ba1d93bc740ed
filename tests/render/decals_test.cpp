// Layers that are decals: where their frames hold, in which order, how they lie on bent forms, what they cost.
#include "geometry/wrap.h"
#include "render/materials.h"
#include "render_support.h"
#include "review/visible.h"
#include "support.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A scene with one part, and a decal of plain red on it.
struct Stuck {
    Scratch scratch;
    render::Workshop workshop;
    scene::Scene scene;
    std::shared_ptr<const render::Prepared> prepared;
    explicit Stuck(const std::string& obj) {
        scratch.write("form.obj", obj);
        scene = plain_scene("form.obj");
        scene.parts[0].source = obj.substr(2, obj.find('\n') - 2);
        add("red", {1, 0, 0}, {});
    }
    scene::Layer& add(const std::string& id, V3f color, std::vector<scene::Pin> pins) {
        scene::Layer l;
        l.id = l.name = id;
        l.surface["base_color"].value = color;
        l.decal.pins = std::move(pins);
        scene.build_ups[0].layers.push_back(l);
        return scene.build_ups[0].layers.back();
    }
    scene::Decal& decal(size_t layer = 1) { return scene.build_ups[0].layers[layer].decal; }
    void prepare() {
        prepared = test::prepared(scene, scratch.path, workshop);
        REQUIRE(prepared);
    }
    /// The layer that stands where a ray meets the form, and the colour there.
    std::pair<int, V3f> look(const V3f& from, const V3f& along, float choice = .5f, V3f* normal = nullptr) const {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        RTCRayHit ray = geometry::single_ray(from, along.normalized());
        rtcIntersect1(prepared->geometry->scene(), &context, &ray);
        const geometry::Place at = geometry::place_of(ray.hit);
        REQUIRE(geometry::hit_something(at));
        auto m = std::make_unique<render::Materials>();
        m->begin();
        render::MaterialPoint& p = m->points[0];
        p.s = prepared->geometry->at(at);
        p.normal_mesh = p.s.normal;
        p.wo = -along.normalized();
        p.at = at;
        p.width = 1e-4f;
        p.choice = choice;
        m->locate(0, *prepared);
        m->choose(*prepared, {0}, prepared->build_ups[size_t(prepared->build_up_of[at.instance])], nullptr);
        if (normal) *normal = p.slots.geometry_normal.length2() > 0.f ? p.slots.geometry_normal : p.normal_mesh;
        return {p.layer, p.slots.base_color};
    }
    /// The normal of what stands there, in the form's own space.
    V3f normal(const V3f& from) const {
        V3f n(0.f);
        look(from, {0, 0, -1}, .5f, &n);
        return n;
    }
    int layer(float x, float y) const { return look({x, y, 2.f}, {0, 0, -1}).first; }
};

scene::Pin pin(V3f position, V3f axis, V3f size, float turn = 0.f) {
    scene::Pin p;
    p.position = position;
    p.axis = axis;
    p.size = size;
    p.turn = turn;
    return p;
}

std::string cylinder_obj(int n, float radius, float height) {
    std::string text = "o pole\n";
    char line[128];
    for (int j = 0; j <= 12; ++j)
        for (int i = 0; i <= n; ++i) {
            const double a = 2 * M_PI * i / n;
            std::snprintf(line, sizeof line, "v %.9g %.9g %.9g\nvn %.9g 0 %.9g\n", double(radius) * std::sin(a),
                          double(height) * (j / 12. - .5), double(radius) * std::cos(a), std::sin(a), std::cos(a));
            text += line;
        }
    for (int j = 0; j < 12; ++j)
        for (int i = 0; i < n; ++i) {
            const int a = j * (n + 1) + i + 1, b = a + 1, c = b + n + 1, d = a + n + 1;
            std::snprintf(line, sizeof line, "f %d//%d %d//%d %d//%d %d//%d\n", a, a, b, b, c, c, d, d);
            text += line;
        }
    return text;
}

/// Where red ends on the equator of a pole of radius .5, as an arc from the pin in metres.
float red_ends(const Stuck& s) {
    float last = 0.f;
    for (float a = 0.f; a < 3.f; a += .002f) {
        const V3f out(std::sin(a), 0.f, std::cos(a));
        if (s.look(out * 2.f, -out).first == 1) last = a;
    }
    return last * .5f;
}

}  // namespace

TEST_CASE("a flat decal is there within its frame and nowhere else") {
    Stuck s(square_obj);
    s.decal().pins = {pin({.5f, .5f, .37f}, {0, 0, 1}, {.4f, .2f, .05f})};
    s.prepare();
    CHECK(s.layer(.5f, .5f) == 1);
    CHECK(s.layer(.69f, .59f) == 1);
    CHECK(s.layer(.71f, .5f) == 0);
    CHECK(s.layer(.5f, .61f) == 0);
    SECTION("turned") {
        s.decal().pins[0].turn = 90.f;
        s.prepare();
        CHECK(s.layer(.69f, .5f) == 0);
        CHECK(s.layer(.5f, .69f) == 1);
    }
    SECTION("no deeper than it reaches") {
        s.decal().pins[0].position.z = .3f;
        s.prepare();
        CHECK(s.layer(.5f, .5f) == 0);
    }
    SECTION("on another part's pin it is not there, and that is told where the part is gone") {
        s.decal().pins[0].part = "gone";
        s.prepare();
        CHECK(s.layer(.5f, .5f) == 0);
        bool told = false;
        for (const Error& e : s.prepared->problems) told |= e.what == "A decal is stuck on nothing";
        CHECK(told);
    }
    SECTION("facing away") {
        s.decal().pins[0].axis = {0, 0, -1};
        s.prepare();
        CHECK(s.layer(.5f, .5f) == 0);
        s.decal().through = true;
        s.prepare();
        CHECK(s.layer(.5f, .5f) == 1);
    }
    SECTION("going on") {
        s.decal().repeats = true;
        s.prepare();
        CHECK(s.layer(.05f, .95f) == 1);
    }
}

TEST_CASE("of overlapping decals the outer layer lies on top, of one layer's the later pin") {
    Stuck s(square_obj);
    s.decal().pins = {pin({.4f, .5f, .37f}, {0, 0, 1}, {.4f, .4f, .05f})};
    s.add("blue", {0, 0, 1}, {pin({.6f, .5f, .37f}, {0, 0, 1}, {.4f, .4f, .05f})});
    s.prepare();
    CHECK(s.layer(.3f, .5f) == 1);
    CHECK(s.layer(.5f, .5f) == 2);
    CHECK(s.layer(.7f, .5f) == 2);
    // Where the upper one is half there, the lower one shows through it.
    s.scene.build_ups[0].layers[2].amount = .5f;
    s.prepare();
    CHECK(s.look({.5f, .5f, 2.f}, {0, 0, -1}, .3f).first == 2);
    CHECK(s.look({.5f, .5f, 2.f}, {0, 0, -1}, .7f).first == 1);
}

TEST_CASE("a decal reads its frame in place of the UVs, cells and mirrors minded") {
    Stuck s(square_obj);
    scene::Layer& l = s.scene.build_ups[0].layers[1];
    scene::Node uv;
    uv.id = uv.name = "uv";
    uv.kind = "texcoord";
    uv.type = "vector2";
    l.nodes.push_back(uv);
    l.surface["base_color"].from = "uv";
    s.decal().pins = {pin({.5f, .5f, .37f}, {0, 0, 1}, {.4f, .2f, .05f})};
    s.prepare();
    auto at = [&](float x, float y) { return s.look({x, y, 2.f}, {0, 0, -1}).second; };
    CHECK(at(.4f, .55f).x == Approx(.25f).margin(1e-4));
    CHECK(at(.4f, .55f).y == Approx(.75f).margin(1e-4));
    s.decal().pins[0].mirrored = true;
    s.prepare();
    CHECK(at(.4f, .55f).x == Approx(.75f).margin(1e-4));
    s.decal().pins[0].mirrored = false;
    s.decal().columns = 4;
    s.decal().rows = 2;
    s.decal().pins[0].cell = 5;  // second row, second column
    s.prepare();
    CHECK(at(.4f, .55f).x == Approx(.25f + .25f * .25f).margin(1e-4));
    CHECK(at(.4f, .55f).y == Approx(.5f * .75f).margin(1e-4));
}

TEST_CASE("a build-up as a decal is used again and changed everywhere") {
    Stuck s(square_obj);
    scene::BuildUp sticker = scene::default_build_up("sticker", "Sticker");
    sticker.layers[0].surface["base_color"].value = V3f(0, 1, 0);
    s.scene.build_ups.push_back(sticker);
    s.scene.build_ups[0].layers[1].build_up = "sticker";
    for (const float x : {.2f, .5f, .8f}) s.decal().pins.push_back(pin({x, .5f, .37f}, {0, 0, 1}, {.1f, .1f, .05f}));
    s.prepare();
    for (const float x : {.2f, .5f, .8f}) CHECK(s.look({x, .5f, 2.f}, {0, 0, -1}).second == V3f(0, 1, 0));
    s.scene.build_ups[1].layers[0].surface["base_color"].value = V3f(0, 0, 1);
    s.prepare();
    for (const float x : {.2f, .5f, .8f}) CHECK(s.look({x, .5f, 2.f}, {0, 0, -1}).second == V3f(0, 0, 1));
}

TEST_CASE("a decal weathers with the paint that it stands on") {
    Stuck s(square_obj);
    auto& layers = s.scene.build_ups[0].layers;
    scene::Layer paint;
    paint.id = paint.name = "paint";
    paint.surface["base_color"].value = V3f(0, 1, 0);
    paint.gate.mask.value = .25f;  // worn to a quarter
    layers.insert(layers.begin() + 1, paint);
    s.decal(2).pins = {pin({.5f, .5f, .37f}, {0, 0, 1}, {.4f, .4f, .05f})};
    s.prepare();
    CHECK(s.look({.5f, .5f, 2.f}, {0, 0, -1}, .9f).first == 2);
    s.decal(2).weathers = true;
    s.prepare();
    CHECK(s.look({.5f, .5f, 2.f}, {0, 0, -1}, .2f).first == 2);
    CHECK(s.look({.5f, .5f, 2.f}, {0, 0, -1}, .9f).first == 0);
}

TEST_CASE("round a pole, and wrapped over it, a decal is as wide as it is on the way round") {
    Stuck s(cylinder_obj(96, .5f, 2.f));
    s.decal().pins = {pin({0, 0, .5f}, {0, 0, 1}, {1.2f, .4f, .5f})};
    SECTION("flat it is as wide as it is seen") {
        s.prepare();
        CHECK(red_ends(s) > .6f);
    }
    SECTION("round") {
        s.decal().lies = scene::Lies::round;
        s.prepare();
        CHECK(red_ends(s) == Approx(.6f).margin(.004));
    }
    SECTION("wrapped") {
        s.decal().lies = scene::Lies::wrapped;
        s.prepare();
        CHECK(red_ends(s) == Approx(.6f).margin(.012));
    }
}

TEST_CASE("wrapped round the corner of a box nothing is stretched") {
    // Two squares that meet at a right angle along x = 1.
    const std::string obj = "o corner\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 1 0 -1\nv 1 1 -1\nf 1 2 3 4\nf 2 5 6 3\n";
    Stuck s(obj);
    s.decal().pins = {pin({.8f, .5f, 0.f}, {0, 0, 1}, {.8f, .4f, .05f})};
    s.decal().lies = scene::Lies::wrapped;
    s.prepare();
    CHECK(s.look({.5f, .5f, 2.f}, {0, 0, -1}).first == 1);
    CHECK(s.look({.35f, .5f, 2.f}, {0, 0, -1}).first == 0);
    auto side = [&](float z) { return s.look({3.f, .5f, z}, {-1, 0, 0}).first; };
    CHECK(side(-.1f) == 1);
    CHECK(side(-.15f) == 1);
    CHECK(side(-.27f) == 0);  // .2 to the corner and .2 behind it
}

TEST_CASE("frames that hold a point are found among thousands, and no others") {
    Stuck s(square_obj);
    std::mt19937 random(3);
    auto chance = [&] { return float(random() % 10000) / 10000.f; };
    for (int i = 0; i < 3000; ++i)
        s.decal().pins.push_back(pin({chance(), chance(), .37f}, {0, 0, 1}, {.02f, .02f, .05f}, 360.f * chance()));
    s.prepare();
    const auto& decals = s.prepared->build_ups[0].decals;
    REQUIRE(decals);
    CHECK(decals->size() == 3000);
    int met = 0;
    for (int i = 0; i < 300; ++i) {
        const float x = chance();
        const float y = chance();
        bool inside = false;
        for (const scene::Pin& p : s.decal().pins) {
            const render::PinFrame f(p);
            const V3f d = V3f(x, y, .37f) - p.position;
            inside |= std::fabs(d.dot(f.x)) < .01f && std::fabs(d.dot(f.y)) < .01f;
        }
        CHECK((s.layer(x, y) == 1) == inside);
        met += inside;
    }
    CHECK(met > 30);
}

TEST_CASE("decals of no sense do no harm") {
    Stuck s(square_obj);
    for (const V3f& size : {V3f(0.f), V3f(1e-30f), V3f(1e6f)})
        for (const scene::Lies lies : {scene::Lies::flat, scene::Lies::round, scene::Lies::wrapped}) {
            s.decal().pins = {pin({.5f, .5f, .37f}, {0, 0, 0}, size), pin({1e6f, 0, 0}, {0, 0, 1}, size)};
            s.decal().lies = lies;
            s.decal().pins[0].cell = -7;
            s.decal().columns = 0;
            s.prepare();
            for (const V3f& c : rendered(*s.prepared, 16, 16, 1)) CHECK(finite(c));
        }
}

TEST_CASE("prints tint the colour below by their blend, as far as they are there") {
    Stuck s(square_obj);
    s.scene.build_ups[0].layers[0].surface["base_color"].value = V3f(.5f, .25f, .8f);
    s.decal().pins = {pin({.5f, .5f, .37f}, {0, 0, 1}, {.4f, .4f, .05f})};
    s.scene.build_ups[0].layers[1].surface["base_color"].value = V3f(.5f, 1.f, .2f);
    s.scene.build_ups[0].layers[1].surface["base_weight"].value = 1.f;
    const V3f below(.5f, .25f, .8f);
    const V3f ink(.5f, 1.f, .2f);
    auto seen = [&] {
        s.prepare();
        const auto [layer, color] = s.look({.5f, .5f, 2.f}, {0, 0, -1});
        CHECK(layer == 0);  // what stands there is what is below
        return color;
    };
    auto all = [&](auto f) { return V3f(f(below.x, ink.x), f(below.y, ink.y), f(below.z, ink.z)); };
    auto near = [](const V3f& a, const V3f& b) { CHECK((a - b).length() < 1e-5f); };
    using scene::Print;
    s.decal().print = Print::multiply;
    near(seen(), below * ink);
    s.decal().print = Print::screen;
    near(seen(), all([](float b, float i) { return 1.f - (1.f - b) * (1.f - i); }));
    s.decal().print = Print::overlay;
    near(seen(), all([](float b, float i) { return b < .5f ? 2.f * b * i : 1.f - 2.f * (1.f - b) * (1.f - i); }));
    s.decal().print = Print::plus;
    near(seen(), all([](float b, float i) { return std::min(1.f, b + i); }));
    SECTION("half there it is half way") {
        s.decal().print = Print::multiply;
        s.scene.build_ups[0].layers[1].gate.mask.value = .5f;
        near(seen(), (below + below * ink) * .5f);
    }
    SECTION("two of them lie over one another, the lower one first") {
        s.decal().print = Print::screen;
        s.add("over", {.5f, .5f, .5f}, {pin({.5f, .5f, .37f}, {0, 0, 1}, {.4f, .4f, .05f})});
        s.scene.build_ups[0].layers[2].surface["base_weight"].value = 1.f;
        s.decal(2).print = Print::multiply;
        near(seen(), all([](float b, float i) { return .5f * (1.f - (1.f - b) * (1.f - i)); }));
    }
    SECTION("beside its frame nothing is tinted") {
        s.decal().print = Print::multiply;
        s.prepare();
        near(s.look({.1f, .1f, 2.f}, {0, 0, -1}).second, below);
    }
}

TEST_CASE("the edge of a decal that stands out tilts the normal outwards, a pressed one inwards, its middle not") {
    Stuck s(square_obj);
    s.decal().pins = {pin({.5f, .5f, .37f}, {0, 0, 1}, {.4f, .4f, .05f})};
    s.decal().lip = .004f;
    s.decal().lip_width = .02f;
    s.prepare();
    CHECK(s.normal({.5f, .5f, 2.f}).z > .99999f);
    const V3f right = s.normal({.69f, .5f, 2.f});  // a centimetre from the right edge
    const V3f left = s.normal({.31f, .5f, 2.f});
    CHECK(right.x > .1f);
    CHECK(std::fabs(right.y) < 1e-3f);
    CHECK(left.x < -.1f);
    CHECK(std::fabs(right.x + left.x) < 1e-3f);
    CHECK(s.normal({.5f, .69f, 2.f}).y > .1f);
    s.decal().lip = -.004f;
    s.prepare();
    CHECK(std::fabs(s.normal({.69f, .5f, 2.f}).x + right.x) < 1e-3f);
    SECTION("of a cut-out it is the edge of what is left") {
        // A disc of half the frame's width.
        scene::Layer& l = s.scene.build_ups[0].layers[1];
        scene::Node n;
        n.id = n.name = "disc";
        n.kind = "circle";
        n.type = "float";
        n.inputs["center"].value = V2f(.5f, .5f);
        n.inputs["radius"].value = .25f;
        l.nodes.push_back(n);
        l.gate.mask.from = "disc";
        l.decal.lip = .004f;
        s.prepare();
        CHECK(s.normal({.597f, .5f, 2.f}).x > .05f);
        CHECK(s.normal({.403f, .5f, 2.f}).x < -.05f);
        CHECK(s.normal({.5f, .5f, 2.f}).z > .99999f);
    }
}

TEST_CASE("words are cut out of a decal's frame, and no missing map is told") {
    Stuck s(square_obj);
    s.decal().pins = {pin({.5f, .5f, .37f}, {0, 0, 1}, {.4f, .4f, .05f})};
    scene::Layer& l = s.scene.build_ups[0].layers[1];
    scene::Node n;
    n.id = n.name = "words";
    n.kind = "lettering";
    n.type = "float";
    n.inputs["text"].value = std::string("0");
    n.inputs["bridges"].value = .15f;
    l.nodes.push_back(n);
    l.gate.mask.from = "words";
    s.prepare();
    CHECK(s.layer(.5f, .5f) == 0);
    CHECK(s.layer(.34f, .5f) == 1);
    CHECK(s.layer(.66f, .5f) == 1);
    CHECK(s.layer(.5f, .32f) == 0);  // the bridge
    CHECK(s.prepared->problems.empty());
    l.nodes[0].inputs["text"].value = std::string("");
    s.prepare();
    CHECK(s.layer(.34f, .5f) == 0);
}

TEST_CASE("a print hides nothing: what is below is measured as covering all") {
    Stuck s(square_obj);
    s.decal().pins = {pin({.5f, .5f, .37f}, {0, 0, 1}, {4.f, 4.f, .05f})};
    s.scene.cameras[0].position = V3f(.5f, .5f, 3.f);
    s.scene.cameras[0].target = V3f(.5f, .5f, .37f);
    s.prepare();
    CHECK(review::measure(*s.prepared, "material").layers[0].coverage < .01f);
    s.decal().print = scene::Print::multiply;
    s.prepare();
    CHECK(review::measure(*s.prepared, "material").layers[0].coverage > .99f);
}

TEST_CASE("a height map inside a decal's frame tilts the normal by its slope there, along the frame") {
    Stuck s(square_obj);
    write_image(s.scratch.path / "ramp.exr", 64, 64, 1, Kept::floats,
                [](int x, int, int) { return (float(x) + .5f) / 64.f; });
    scene::Layer& l = s.scene.build_ups[0].layers[1];
    scene::Node n;
    n.id = n.name = "stamp";
    n.kind = "heightrelief";
    n.type = "vector3";
    n.inputs["file"].value = std::string("ramp.exr");
    n.inputs["height"].value = .02f;
    l.nodes.push_back(n);
    l.surface["geometry_normal"].from = "stamp";
    l.decal.pins = {pin({.5f, .5f, .37f}, {0, 0, 1}, {.4f, .4f, .05f})};
    s.prepare();
    // Two centimetres over forty.
    const V3f along_x = s.normal({.5f, .5f, 2.f});
    CHECK(along_x.x / along_x.z == Approx(-.05f).margin(.003));
    CHECK(std::fabs(along_x.y) < 1e-3f);
    l.decal.pins[0].turn = 90.f;
    s.prepare();
    const V3f along_y = s.normal({.5f, .5f, 2.f});
    CHECK(along_y.y / along_y.z == Approx(-.05f).margin(.003));
    CHECK(std::fabs(along_y.x) < 1e-3f);
}
