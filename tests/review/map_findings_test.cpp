#include <OpenImageIO/imageio.h>

#include "review/finding.h"
#include "review/light_fit.h"

#include "geometry/uv_points.h"
#include "render_support.h"
#include "review/evaluate_at.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// A ball with UVs all over: u around, v up.
std::string ball_obj(int n = 40) {
    std::string text = "o ball\n";
    char line[160];
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= 2 * n; ++i) {
            const double t = M_PI * j / n, p = M_PI * i / n, x = std::sin(t) * std::cos(p), y = std::cos(t),
                         z = std::sin(t) * std::sin(p);
            std::snprintf(line, sizeof line, "v %.9g %.9g %.9g\nvn %.9g %.9g %.9g\nvt %.9g %.9g\n", .5 * x, .5 * y,
                          .5 * z, x, y, z, i / (2. * n), 1. - double(j) / n);
            text += line;
        }
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < 2 * n; ++i) {
            const int a = j * (2 * n + 1) + i + 1, b = a + 1, c = a + 2 * n + 1, d = c + 1;
            std::snprintf(line, sizeof line, "f %d/%d/%d %d/%d/%d %d/%d/%d %d/%d/%d\n", a, a, a, b, b, b, d, d, d, c, c,
                          c);
            text += line;
        }
    return text;
}

struct MapBench {
    Scratch s;
    scene::Scene scene;
    render::Workshop workshop;
    review::Remembered remembered;
    scene::BuildUp& b() { return scene.build_ups.front(); }

    MapBench() {
        s.write("ball.obj", ball_obj());
        scene = plain_scene("ball.obj");
        scene.parts[0].source = "ball";
    }
    std::string image(const char* file, const char* type, const char* slot, const char* space = "auto",
                      const char* kind = "image") {
        const std::string id = scene::add_node(b(), b().layers.front().id, kind, type, file);
        scene::node(b(), id)->inputs["file"].value = std::string(file);
        scene::node(b(), id)->inputs["colorspace"].value = std::string(space);
        if (*slot) b().layers.front().surface[slot].from = id;
        return id;
    }
    std::shared_ptr<const render::Prepared> prepare() { return prepared(scene, s.path, workshop); }
    /// Of maps alone: hints that name a file.
    std::vector<review::Finding> look() {
        const auto p = prepare();
        const Paths paths(s.path);
        std::vector<review::Finding> all = review::findings(*p, *workshop.textures(), paths, remembered);
        std::erase_if(
            all, [](const review::Finding& f) { return f.grade == review::Grade::problem || f.error.file.empty(); });
        return all;
    }
    /// The finding of that name; its action, applied, must make it go.
    void settles(const std::string& what) {
        const auto found = look();
        const auto it = std::find_if(found.begin(), found.end(), [&](const review::Finding& f) {
            return f.error.what.find(what) != std::string::npos;
        });
        INFO(what);
        REQUIRE(it != found.end());
        CHECK_FALSE(it->error.file.empty());
        CHECK_FALSE(it->error.why.empty());
        REQUIRE(it->change);
        CHECK_FALSE(it->action.empty());
        it->change(scene);
        CHECK_FALSE(tells(what));
    }
    bool tells(const std::string& what) {
        const auto found = look();
        return std::any_of(found.begin(), found.end(),
                           [&](const review::Finding& f) { return f.error.what.find(what) != std::string::npos; });
    }
};

float speckle(int x, int y) {
    return float((unsigned(x) * 2654435761u ^ unsigned(y) * 2246822519u) >> 24) / 255.f;
}

}  // namespace

TEST_CASE("spaces: data decoded as colour, and colour taken raw, are told and put right") {
    MapBench t;
    write_image(t.s.path / "rough.png", 64, 64, 3, Kept::bytes,
                [](int x, int y, int) { return .3f + .4f * speckle(x, y); });
    write_image(t.s.path / "colour.png", 64, 64, 3, Kept::bytes,
                [](int x, int y, int) { return .3f + .2f * speckle(x, y); });
    t.image("rough.png", "float", "specular_roughness", "srgb_texture");
    t.image("colour.png", "color3", "base_color", "raw");
    t.settles("data map is decoded");
    t.settles("colour map is taken raw");
    t.scene.render.width = 160;  // few pixels: these maps are fine enough then
    for (const review::Finding& f : t.look()) FAIL_CHECK(f.error.line());
}

TEST_CASE("8-bit heights are softened, and softened heights are smoother") {
    MapBench t;
    // A slow slope in few codes: steps wide apart.
    write_image(t.s.path / "height.png", 256, 256, 1, Kept::bytes,
                [](int x, int, int) { return std::round(float(x) / 16.f) / 255.f; });
    const std::string id = t.image("height.png", "vector3", "geometry_normal", "raw", "heightrelief");
    scene::node(t.b(), id)->inputs["height"].value = .5f;
    auto roughness = [&] {
        const auto p = t.prepare();
        program::Resources resources = p->resources;
        std::vector<Error> ignored;
        const auto program =
            program::compile(t.b(), {{"n", nodes::Type::vector3, {scene::Value{0.f}, id}}}, resources, ignored);
        const auto points = geometry::uv_grid_points(p->geometry->shape(0), 251, 1001);
        const auto v = review::evaluate_at(*p, 0, points, program);
        float most =
            0.f;  // how much the tilt away from the ball changes from one point to the next, away from the seam
        auto tilt = [&](size_t i) {
            return V3f(v[3 * i], v[3 * i + 1], v[3 * i + 2]) -
                   p->geometry->at({0, points[i].face, points[i].u, points[i].v}).normal;
        };
        for (size_t i = 251 * 125 + 60; i < 251 * 126 - 60; ++i)
            most = std::max(most, (tilt(i) - tilt(i + 1)).length());
        return most;
    };
    const float before = roughness();
    t.settles("Heights of 8 bits");
    CHECK(before > .05f);
    CHECK(roughness() < .2f * before);
}

TEST_CASE("an alpha that is all one, and a normal map of the other handedness") {
    MapBench t;
    write_image(
        t.s.path / "card.png", 32, 32, 4, Kept::bytes, [](int x, int y, int c) { return c == 3 ? 1.f : speckle(x, y); },
        [](OIIO::ImageSpec& spec) { spec.alpha_channel = 3; });
    const std::string opacity = t.image("card.png", "float", "geometry_opacity", "raw");
    scene::node(t.b(), opacity)->inputs["channel"].value = std::string("a");
    t.settles("alpha channel is one");
    CHECK(t.b().layers[0].surface["geometry_opacity"].from.empty());
    CHECK(scene::as_number(t.b().layers[0].surface["geometry_opacity"].value) == 1.f);
    // Round bumps with green downwards, read as upwards.
    auto normal = [](int x, int y, int c) {
        const float fx = float(x % 32) / 16.f - 1.f, fy = float(y % 32) / 16.f - 1.f,
                    w = std::exp(-3.f * (fx * fx + fy * fy));
        V3f n(1.6f * fx * w, 1.6f * fy * w, 1.f);  // rows run down: so does this green
        n.normalize();
        return n[c] * .5f + .5f;
    };
    write_image(t.s.path / "bumps.png", 128, 128, 3, Kept::words, normal);
    const std::string map = t.image("bumps.png", "vector3", "", "raw");
    const std::string directions =
        scene::add_node(t.b(), t.b().layers.front().id, "normalmap", "vector3", "Directions");
    scene::node(t.b(), directions)->inputs["in"].from = map;
    t.b().layers.front().surface["geometry_normal"].from = directions;
    t.settles("other handedness");
    CHECK(scene::as_number(scene::node(t.b(), directions)->inputs["green"].value) == 1.f);
}

TEST_CASE("light in a colour map is found by the form of the asset, and taken out") {
    MapBench t;
    const V3f sun = V3f(1.f, 2.f, .5f).normalized();
    auto shaded = [&](bool lit) {
        return [=](int x, int y, int c) {
            const float theta = float(M_PI) * (float(y) + .5f) / 128.f,
                        phi = 2.f * float(M_PI) * (float(x) + .5f) / 256.f;
            const V3f n(std::sin(theta) * std::cos(phi), std::cos(theta), std::sin(theta) * std::sin(phi));
            const V3f paint = (y / 8) % 2 ? V3f(.5f, .07f, .05f)
                                          : V3f(.6f, .58f, .55f);  // stripes, many times stronger than the light
            return paint[c] * (.8f + .2f * speckle(x, y)) * (lit ? 1.f + .7f * n.dot(sun) : 1.f);
        };
    };
    write_image(t.s.path / "lit.exr", 256, 128, 3, Kept::floats, shaded(true));
    write_image(t.s.path / "even.exr", 256, 128, 3, Kept::floats, shaded(false));
    const std::string id = t.image("even.exr", "color3", "base_color");
    CHECK_FALSE(t.tells("Light seems to be"));
    scene::node(t.b(), id)->inputs["file"].value = std::string("lit.exr");
    t.settles("Light seems to be");
    const std::string evened = t.b().layers[0].surface["base_color"].from;
    const scene::Node* n = scene::node(t.b(), evened);
    REQUIRE(n->kind == "evenlight");
    CHECK((scene::as_vector(n->inputs.at("direction").value) - sun).length() < .05f);
    CHECK(scene::as_number(n->inputs.at("amount").value) == Approx(.7f).margin(.05));
    // What is left has no side that is brighter.
    const auto p = t.prepare();
    program::Resources resources = p->resources;
    std::vector<Error> ignored;
    const auto program =
        program::compile(t.b(), {{"c", nodes::Type::color, {scene::Value{0.f}, evened}}}, resources, ignored);
    const auto points = geometry::uv_grid_points(p->geometry->shape(0), 48, 1001);
    const auto v = review::evaluate_at(*p, 0, points, program);
    std::vector<float> values;
    std::vector<V3f> normals;
    std::vector<int> stripes;
    for (size_t i = 0; i < points.size(); ++i)
        if (points[i].covered)
            values.push_back(v[3 * i]), stripes.push_back(v[3 * i] > 4.f * v[3 * i + 1]),
                normals.push_back(p->geometry->at({0, points[i].face, points[i].u, points[i].v}).normal);
    CHECK(review::fit_light(values, normals, stripes).amount < .06f);
}

TEST_CASE("colours that no material has, and maps too coarse or too fine for the picture") {
    MapBench t;
    write_image(t.s.path / "white.exr", 64, 64, 3, Kept::floats,
                [](int x, int y, int) { return .9f + .1f * speckle(x, y); });
    const std::string id = t.image("white.exr", "color3", "base_color");
    t.settles("brighter than what real");
    CHECK(t.tells("too coarse"));  // 64 texels around a ball that fills the frame
    const std::string place = scene::add_node(t.b(), t.b().layers.front().id, "placement", "place", "Placement");
    scene::node(t.b(), place)->inputs["repeat"].value = V2f(40.f, 20.f);
    scene::node(t.b(), id)->inputs["texcoord"].from = place;
    CHECK_FALSE(t.tells("too coarse"));
    write_image(t.s.path / "fine.exr", 2048, 1024, 3, Kept::halves,
                [](int x, int y, int) { return .3f + .1f * speckle(x, y); });
    scene::node(t.b(), id)->inputs["file"].value = std::string("fine.exr");
    CHECK(t.tells("much finer"));
    scene::node(t.b(), id)->inputs.erase("texcoord");
    t.scene.render.width = 1280;
    for (const review::Finding& f : t.look()) FAIL_CHECK(f.error.line());
    // A map that feeds nothing is nobody's concern.
    t.b().layers.front().surface.erase("base_color");
    for (const review::Finding& f : t.look()) FAIL_CHECK(f.error.line());
}

TEST_CASE("fits of light stay finite on anything") {
    CHECK(review::fit_light({}, {}).amount == 0.f);
    const std::vector<V3f> same(64, V3f(0, 0, 1));
    CHECK(review::fit_light(std::vector<float>(64, .5f), same).explained < .01f);
    CHECK(review::fit_light(std::vector<float>(64, 0.f), same).amount == 0.f);
}
