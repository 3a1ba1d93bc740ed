// Light along every path: lamps behind lamps, surfaces that shine, panes, holes, bodies with something in them.
#include "render/body.h"
#include "render/mesh_lights.h"
#include "render_support.h"
#include "support.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

constexpr const char* floor_obj = "o floor\nv -9 -9 0\nv 9 -9 0\nv 9 9 0\nv -9 9 0\nf 1 2 3 4\n";

/// A matt grey floor seen from the side, and whatever a case puts over it.
struct LitBench {
    Scratch s;
    render::Workshop workshop;
    scene::Scene scene;
    LitBench() {
        s.write("floor.obj", floor_obj);
        scene = plain_scene("floor.obj");
        scene.parts[0].source = "floor";
        matt(scene.build_ups[0], .5f);
        scene.rigs[0].environment.on = false;
        scene.rigs[0].environment.backdrop = V3f(0.f);
        scene.cameras[0].position = V3f(0.f, -3.f, .4f);
        scene.cameras[0].target = V3f(0.f, 0.f, 0.f);
        scene.cameras[0].focal_length = 800.f;
        scene.render.depth = 3;
    }
    static void matt(scene::BuildUp& b, float grey) {
        b.layers[0].surface = {{"base_color", {scene::Value{V3f(grey)}, {}}},
                               {"specular_weight", {scene::Value{0.f}, {}}}};
    }
    scene::Light& lamp(const std::string& id, float height, float size) {
        scene::Light l;
        l.id = l.name = id;
        l.position = V3f(0.f, 0.f, height);
        l.target = V3f(0.f);
        l.size = V2f(size, size);
        l.seen = false;
        scene.rigs[0].lights.push_back(l);
        return scene.rigs[0].lights.back();
    }
    /// Another part, with a build-up of its own of the same id.
    scene::BuildUp& part(const std::string& id, const std::string& obj) {
        s.write(id + ".obj", obj);
        scene.assets.push_back({id, id + ".obj", 1.f, "y", {}});
        scene::Part p;
        p.id = p.source = p.name = id;
        p.asset = p.build_up = id;
        scene.parts.push_back(p);
        scene.build_ups.push_back(scene::default_build_up(id, id));
        return scene.build_ups.back();
    }
    std::shared_ptr<const render::Prepared> ready() { return prepared(scene, s.path, workshop); }
    float light(int samples, render::FrameSettings::Strategy strategy = render::FrameSettings::Strategy::combined) {
        render::FrameSettings frame;
        frame.width = frame.height = 24;
        frame.depth = scene.render.depth;
        frame.strategy = strategy;
        frame.softening = 0.f;
        frame.reweighs = false;
        const auto p = ready();
        render::Film film(24, 24, p->rig.groups.size());
        render::render_samples(*p, frame, 0, uint32_t(samples), film, nullptr, nullptr, nullptr);
        std::vector<V3f> out;
        film.resolve(render::group_gains(*p, scene), out);
        return mean(out).x;
    }
};
std::string square(float half, float height, const char* name, bool down) {
    auto n = [](float x) { return std::to_string(x) + " "; };
    std::string o = std::string("o ") + name + "\n";
    for (const V2f& c : {V2f(-half, -half), V2f(half, -half), V2f(half, half), V2f(-half, half)})
        o += "v " + n(c.x) + n(c.y) + n(height) + "\n";
    return o + (down ? "f 4 3 2 1\n" : "f 1 2 3 4\n");
}

}  // namespace

TEST_CASE("lamps that are not seen hide nothing: one behind another adds its light") {
    LitBench near_one, far_one, both;
    for (LitBench* b : {&near_one, &both}) b->lamp("near", 1.f, .6f).intensity = 3.f;
    for (LitBench* b : {&far_one, &both}) b->lamp("far", 2.f, 1.2f).intensity = 5.f;
    const auto by_surface = render::FrameSettings::Strategy::surface_only;
    const float sum = near_one.light(256) + far_one.light(256);
    CHECK(both.light(256) == Approx(sum).epsilon(.02));
    CHECK(both.light(4096, by_surface) == Approx(sum).epsilon(.05));
}

TEST_CASE("a lamp that is seen stands in the way of those behind it, whichever way light is found") {
    LitBench b;
    b.lamp("near", 1.f, .6f).intensity = 3.f;
    b.scene.rigs[0].lights.back().seen = true;
    b.lamp("far", 2.f, .4f).intensity = 40.f;
    const float together = b.light(512);
    CHECK(b.light(8192, render::FrameSettings::Strategy::surface_only) == Approx(together).epsilon(.05));
}

TEST_CASE("a surface that shines lights others as if it were found by chance, without its noise") {
    LitBench b;
    scene::BuildUp& sign = b.part("sign", square(.15f, .8f, "sign", true));
    LitBench::matt(sign, 0.f);
    sign.layers[0].surface["emission_luminance"] = {scene::Value{20000.f}, {}};
    const float aimed = b.light(64);
    const float by_chance = b.light(16384, render::FrameSettings::Strategy::surface_only);
    CHECK(aimed > .01f);
    CHECK(aimed == Approx(by_chance).epsilon(.04));
    CHECK(b.light(64, render::FrameSettings::Strategy::light_only) == Approx(aimed).epsilon(.02));
    // The other side is dark.
    sign = scene::default_build_up("sign", "sign");
    LitBench::matt(sign, 0.f);
    b.s.write("sign.obj", square(.15f, .8f, "sign", false));
    sign.layers[0].surface["emission_luminance"] = {scene::Value{20000.f}, {}};
    LitBench turned;
    scene::BuildUp& other = turned.part("sign", square(.15f, .8f, "sign", false));
    LitBench::matt(other, 0.f);
    other.layers[0].surface["emission_luminance"] = {scene::Value{20000.f}, {}};
    CHECK(turned.light(64) < .002f * aimed);
}

TEST_CASE("a surface that shines lights what is right beside it, wherever both stand, as if it were found by chance") {
    // Rays leave a place a little above the surface, by more the further it is from the middle of the world.
    const float far = GENERATE(0.f, 12.f);
    const bool net = GENERATE(false, true);  // with holes, between them
    for (const float gap : {.7f, .1f, .03f}) {
        LitBench b;
        b.scene.render.depth = 1;
        const float height = far + 1.5f;
        scene::BuildUp& sign = b.part("sign", square(gap, height - gap, "sign", false));
        LitBench::matt(sign, 0.f);
        sign.layers[0].surface["emission_luminance"] = {scene::Value{4000.f}, {}};
        LitBench::matt(b.part("ceiling", square(20.f * gap, height, "ceiling", true)), .8f);
        if (net)
            b.part("net", square(20.f * gap, height - .3f * gap, "net", true)).layers[0].surface["geometry_opacity"] = {
                scene::Value{.5f}, {}};
        b.scene.cameras[0].position = V3f(0.f, -.5f * gap, height - .25f * gap);
        b.scene.cameras[0].target = V3f(2.f * gap, 1.5f * gap, height);
        const float aimed = b.light(128, render::FrameSettings::Strategy::light_only);
        b.scene.render.depth = 2;
        const float by_chance = b.light(1024, render::FrameSettings::Strategy::surface_only);
        INFO("gap " << gap << " at " << far << (net ? " behind a net" : ""));
        CHECK(aimed > .005f);
        CHECK(aimed == Approx(by_chance).epsilon(.04));
    }
}

TEST_CASE("a surface that shines and is displaced gives its light by its true area, whichever way light is found") {
    LitBench b;
    scene::BuildUp& sign = b.part("sign", square(.15f, .8f, "sign", true));
    LitBench::matt(sign, 0.f);
    scene::Layer& base = sign.layers[0];
    base.surface["emission_luminance"] = {scene::Value{20000.f}, {}};
    // Steep folds: about twice the area.
    auto wire = [](const char* from) { return scene::Input{scene::Value{0.f}, from}; };
    base.nodes = {
        {.id = "place", .kind = "position", .type = "vector3", .name = "place", .inputs = {}},
        {.id = "often",
         .kind = "multiply",
         .type = "vector3",
         .name = "often",
         .inputs = {{"in1", wire("place")}, {"in2", {scene::Value{V3f(30.f)}, {}}}}},
        {.id = "folds", .kind = "noise3d", .type = "float", .name = "folds", .inputs = {{"position", wire("often")}}}};
    base.surface["height"] = {scene::Value{0.f}, "folds"};
    base.surface["height_scale"] = {scene::Value{.1f}, {}};
    base.surface["height_neutral"] = {scene::Value{0.f}, {}};
    base.surface["height_low"] = {scene::Value{-1.f}, {}};
    const auto p = b.ready();
    const uint32_t instance = uint32_t(p->instance_of("sign"));
    double spread = 0;
    for (int k = 0; k < 1000; ++k) {
        const float u = std::fmod(float(k) * .618034f, 1.f);
        spread += double(p->geometry->at({instance, uint32_t(k % 2), u, (1.f - u) * float(k) * 1e-3f}).spread) * 1e-3;
    }
    CHECK(spread > 1.4);
    const float aimed = b.light(256);
    const float by_chance = b.light(8192, render::FrameSettings::Strategy::surface_only);
    CHECK(aimed == Approx(by_chance).epsilon(.04));
    CHECK(b.light(256, render::FrameSettings::Strategy::light_only) == Approx(by_chance).epsilon(.04));
}

TEST_CASE("faces that shine are drawn by the density that is told, and it adds up to one") {
    LitBench b;
    b.s.write("sphere.obj", sphere_obj());
    scene::BuildUp& lantern = b.part("sphere", sphere_obj());
    lantern.layers[0].surface["emission_luminance"] = {scene::Value{1000.f}, {}};
    const auto p = b.ready();
    REQUIRE(p->emitters);
    const uint32_t instance = uint32_t(p->instance_of("sphere"));
    const size_t faces = p->geometry->shape(instance).faces();
    // From afar every face is sampled over its area.
    const V3f from(30.f, 40.f, 20.f);
    double sum = 0;
    std::vector<double> expected(faces), found(faces);
    for (uint32_t f = 0; f < faces; ++f) {
        expected[f] =
            double(p->emitters->density({instance, f, .3f, .3f}, from, 1.f)) * double(p->geometry->area(instance, f));
        sum += expected[f];
    }
    CHECK(sum < 1.0001);  // the rest is for faces that turn away
    CHECK(sum > .95);
    CHECK(p->emitters->density({0, 0, .3f, .3f}, from, 1.f) == 0.f);
    constexpr int n = 200000;
    for (int i = 0; i < n; ++i) {
        const float u = (float(i) + .5f) / n;
        const auto to = p->emitters->sample(from, u, std::fmod(float(i) * .618034f, 1.f), .3f);
        if (!(to.density > 0.f)) continue;
        REQUIRE(to.place.instance == instance);
        REQUIRE_FALSE(to.per_angle);
        found[to.place.face] += 1. / n;
        CHECK(to.density == Approx(p->emitters->density(to.place, from, 1.f)).epsilon(1e-4));
        CHECK(to.place.u + to.place.v <= 1.0001f);
    }
    for (uint32_t f = 0; f < faces; ++f) CHECK(found[f] == Approx(expected[f]).margin(3e-5).epsilon(.02));
}

TEST_CASE("a face that shines near by is drawn evenly over its solid angle") {
    LitBench b;
    scene::BuildUp& sign = b.part("sign", square(.5f, .3f, "sign", true));
    sign.layers[0].surface["emission_luminance"] = {scene::Value{1000.f}, {}};
    const auto p = b.ready();
    REQUIRE(p->emitters);
    for (const V3f& from : {V3f(0.f, 0.f, .1f), V3f(.4f, -.3f, .25f), V3f(.9f, .2f, 0.f)}) {
        double all = 0;     // the square's solid angle, by counting each face's share once
        double brings = 0;  // irradiance for a radiance of one, on a surface that faces up
        constexpr int n = 100000;
        for (int i = 0; i < n; ++i) {
            const auto to = p->emitters->sample(from, (float(i) + .5f) / n, std::fmod(float(i) * .754877f, 1.f),
                                                std::fmod(float(i) * .56984f, 1.f));
            if (!(to.density > 0.f)) continue;
            CHECK(to.per_angle);
            const V3f way = p->geometry->at(to.place).position - from;
            const V3f direction = way.normalized();
            CHECK(to.density == Approx(p->emitters->density(to.place, from, 1.f)).epsilon(1e-3));
            all += 1. / double(to.density) / n;
            brings += double(direction.z) / double(to.density) / n;
        }
        // The same by small squares.
        double angle = 0;
        double irradiance = 0;
        constexpr int m = 800;
        for (int y = 0; y < m; ++y)
            for (int x = 0; x < m; ++x) {
                const V3f way = V3f((float(x) + .5f) / m - .5f, (float(y) + .5f) / m - .5f, .3f) - from;
                const double d2 = double(way.length2());
                const double cosine = double(way.z) / std::sqrt(d2);
                angle += cosine / d2 / (m * m);
                irradiance += cosine * cosine / d2 / (m * m);
            }
        CHECK(all == Approx(angle).epsilon(.005));
        CHECK(brings == Approx(irradiance).epsilon(.005));
    }
}

TEST_CASE("a smooth thin pane lets shadow rays pass by what a slab lets through") {
    LitBench open, behind;
    for (LitBench* b : {&open, &behind}) b->lamp("lamp", 3.f, .01f).intensity = 90000.f;
    scene::BuildUp& pane = behind.part("pane", square(1.f, 1.f, "pane", false));
    pane.layers[0].surface = {{"transmission_weight", {scene::Value{1.f}, {}}},
                              {"transmission_color", {scene::Value{V3f(.8f)}, {}}},
                              {"geometry_thin_walled", {scene::Value{1.f}, {}}},
                              {"specular_roughness", {scene::Value{0.f}, {}}}};
    const float f = .04f;
    const float clear = open.light(64);
    CHECK(clear > .01f);
    CHECK(behind.light(512) == Approx(clear * .8f * (1.f - f) / (1.f + f)).epsilon(.02));
}

namespace {

/// All light that is found, by aim and by chance, is what is found by following surfaces alone.
void agrees_with_chance(LitBench& b, int samples, double within) {
    const float aimed = b.light(samples);
    const float by_chance = b.light(samples * 64, render::FrameSettings::Strategy::surface_only);
    INFO("aimed " << aimed << ", by chance " << by_chance);
    CHECK(aimed > .005f);
    CHECK(double(aimed) == Approx(by_chance).epsilon(within));
}

}  // namespace

TEST_CASE("a lamp behind a pane gives what chance finds: smooth, rough and coloured panes") {
    for (const float roughness : {0.f, .3f}) {
        INFO("roughness " << roughness);
        LitBench b;
        b.lamp("lamp", 1.4f, .5f).intensity = 8.f;
        b.scene.rigs[0].lights.back().seen = true;
        scene::BuildUp& pane = b.part("pane", square(1.f, .7f, "pane", false));
        pane.layers[0].surface = {{"transmission_weight", {scene::Value{1.f}, {}}},
                                  {"transmission_color", {scene::Value{V3f(.7f)}, {}}},
                                  {"geometry_thin_walled", {scene::Value{1.f}, {}}},
                                  {"specular_roughness", {scene::Value{roughness}, {}}}};
        agrees_with_chance(b, 64, .03);
    }
}

TEST_CASE("a leaf before a lamp glows by what goes through it, whichever way its light is found") {
    LitBench b;
    b.lamp("lamp", .9f, .3f).intensity = 8.f;
    b.scene.rigs[0].lights.back().seen = true;
    scene::BuildUp& leaf = b.part("leaf", square(.2f, .4f, "leaf", true));
    leaf.layers[0].surface = {{"subsurface_weight", {scene::Value{1.f}, {}}},
                              {"subsurface_color", {scene::Value{V3f(.6f)}, {}}},
                              {"geometry_thin_walled", {scene::Value{1.f}, {}}},
                              {"specular_weight", {scene::Value{0.f}, {}}}};
    b.scene.cameras[0].position = V3f(0.f, -2.f, .1f);  // its underside
    b.scene.cameras[0].target = V3f(0.f, 0.f, .4f);
    b.scene.cameras[0].focal_length = 300.f;
    agrees_with_chance(b, 64, .03);
}

TEST_CASE("a net before wax: light goes through its holes, into the wax and out again, whichever way it is found") {
    LitBench b;
    b.lamp("lamp", 2.f, 1.f).intensity = 6.f;
    b.scene.rigs[0].lights.back().seen = true;
    scene::BuildUp& wax = b.part("sphere", sphere_obj());
    wax.layers[0].surface = {{"subsurface_weight", {scene::Value{1.f}, {}}},
                             {"subsurface_color", {scene::Value{V3f(.8f)}, {}}},
                             {"subsurface_radius", {scene::Value{.1f}, {}}},
                             {"subsurface_radius_scale", {scene::Value{V3f(1.f)}, {}}}};
    b.scene.assets.back().scale = .3f;
    scene::BuildUp& net = b.part("net", square(.6f, .5f, "net", false));
    LitBench::matt(net, .3f);
    net.layers[0].surface["geometry_opacity"] = {scene::Value{.5f}, {}};
    b.scene.cameras[0].position = V3f(0.f, -2.f, 1.2f);  // through the net as well
    b.scene.cameras[0].target = V3f(0.f, 0.f, .2f);
    b.scene.cameras[0].focal_length = 120.f;
    b.scene.render.depth = 8;
    agrees_with_chance(b, 64, .04);
}

TEST_CASE("what is seen through a hole is told of as what it is, and a hole takes no depth") {
    LitBench b;
    b.scene.rigs[0].environment.on = true;
    const float plain = b.light(64);
    for (int k = 0; k < 5; ++k) {
        const std::string id = "net" + std::to_string(k);
        scene::BuildUp& net =
            b.part(id, "o " + id + "\nv -9 -" + std::to_string(2 - .1f * float(k)) + " -9\nv 9 -" +
                           std::to_string(2 - .1f * float(k)) + " -9\nv 9 -" + std::to_string(2 - .1f * float(k)) +
                           " 9\nv -9 -" + std::to_string(2 - .1f * float(k)) + " 9\nf 1 2 3 4\n");
        net.layers[0].surface["geometry_opacity"] = {scene::Value{0.f}, {}};
    }
    b.scene.render.depth = 3;
    CHECK(b.light(64) == Approx(plain).epsilon(.01));
    const auto p = b.ready();
    render::FrameSettings frame;
    frame.width = frame.height = 8;
    frame.depth = 3;
    render::Film film(8, 8, p->rig.groups.size(), p->layers.size());
    render::render_samples(*p, frame, 0, 4, film, nullptr, nullptr, nullptr);
    const size_t floor = size_t(p->first_layer[0]);
    for (size_t i = 0; i < 64; ++i) {
        CHECK(film.alpha[i] == 4.f);
        CHECK(film.coverage[floor][i] == 4.f);
        CHECK(film.normal[i].z == Approx(4.f).margin(1e-3));
        CHECK(film.depth[i] / 4.f > 2.4f);  // the nets stand at about one metre
    }
}

TEST_CASE("white wax gives back all light that goes into it") {
    LitBench b;
    b.s.write("sphere.obj", sphere_obj());
    scene::BuildUp& wax = b.part("sphere", sphere_obj());
    wax.layers[0].surface = {{"subsurface_weight", {scene::Value{1.f}, {}}},
                             {"subsurface_color", {scene::Value{V3f(1.f)}, {}}},
                             {"subsurface_radius", {scene::Value{.05f}, {}}},
                             {"subsurface_radius_scale", {scene::Value{V3f(1.f)}, {}}},
                             {"specular_weight", {scene::Value{0.f}, {}}}};
    b.scene.parts.erase(b.scene.parts.begin());
    b.scene.rigs[0].environment.on = true;
    b.scene.cameras[0].focal_length = 60.f;
    b.scene.render.depth = 12;
    CHECK(b.light(48) == Approx(1.f).margin(.006));
}

TEST_CASE("what is set into wax is met by the light in it") {
    auto wax_with = [](float grey) {
        LitBench b;
        scene::BuildUp& wax = b.part("sphere", sphere_obj());
        wax.layers[0].surface = {{"subsurface_weight", {scene::Value{1.f}, {}}},
                                 {"subsurface_color", {scene::Value{V3f(.95f)}, {}}},
                                 {"subsurface_radius", {scene::Value{.3f}, {}}},
                                 {"subsurface_radius_scale", {scene::Value{V3f(1.f)}, {}}},
                                 {"specular_weight", {scene::Value{0.f}, {}}}};
        b.scene.parts.erase(b.scene.parts.begin());
        if (grey >= 0.f) {
            scene::BuildUp& core = b.part("core", sphere_obj());
            b.scene.parts.back().source = "sphere";
            b.scene.assets.back().scale = .8f;
            LitBench::matt(core, grey);
        }
        b.scene.rigs[0].environment.on = true;
        b.scene.cameras[0].focal_length = 300.f;
        b.scene.render.depth = 40;
        return b.light(96);
    };
    const float empty = wax_with(-1.f), black = wax_with(0.f), white = wax_with(1.f);
    INFO("empty " << empty << ", black core " << black << ", white core " << white);
    CHECK(black < .8f * empty);
    CHECK(white > .98f * empty);
    CHECK(white < 1.02f);
}

TEST_CASE("behind clear glass the camera sees the backdrop, where it does not see the surroundings") {
    LitBench b;
    scene::BuildUp& glass = b.part("sphere", sphere_obj());
    glass.layers[0].surface = {{"transmission_weight", {scene::Value{1.f}, {}}},
                               {"specular_ior", {scene::Value{1.01f}, {}}},
                               {"specular_roughness", {scene::Value{0.f}, {}}}};
    b.scene.parts.erase(b.scene.parts.begin());
    b.scene.rigs[0].environment.on = true;
    b.scene.rigs[0].environment.seen = false;
    b.scene.rigs[0].environment.backdrop = V3f(.25f);
    b.scene.cameras[0].focal_length = 900.f;
    CHECK(b.light(32) == Approx(.25f).margin(.01));
}

TEST_CASE("an environment is drawn by every one of its texels: a lamp of one texel in a large picture") {
    texture::LinearImage picture{3000, 1500, {}};
    picture.pixels.assign(size_t(3000) * 1500, V3f(.01f));
    picture.pixels[size_t(400) * 3000 + 1234] = V3f(200000.f);
    const auto shared = std::make_shared<const render::EnvironmentImage>(std::move(picture));
    const render::EnvironmentMap map(shared, V3f(1.f), 30.f);
    double most = 0, sum = 0;
    int borders = 0;
    constexpr int n = 40000;
    for (int i = 0; i < n; ++i) {
        float density;
        V3f light;
        const V3f d = map.sample((float(i) + .5f) / n, std::fmod(float(i) * .618034f, 1.f), density, light);
        REQUIRE(density > 0.f);
        borders += map.pdf(d) != Approx(density).epsilon(.02);  // a direction on the border may fall to either side
        const double value = double(luminance(map.radiance(d))) / double(density);
        most = std::max(most, value);
        sum += value / n;
    }
    CHECK(borders < n / 1000);
    // Bilinear reading spreads the texel over its neighbours: a few times the mean, not hundreds.
    CHECK(most < 30. * sum);
    CHECK(sum == Approx(4. * M_PI * double(map.average_luminance())).epsilon(.03));
}

TEST_CASE("a sun of a millionfold brightness and the sky around it are drawn as often as their density says") {
    texture::LinearImage picture{2048, 1024, {}};
    picture.pixels.assign(size_t(2048) * 1024, V3f(1.f));
    picture.pixels[size_t(300) * 2048 + 700] = V3f(1.5e6f);  // about as much light as all the sky
    const auto shared = std::make_shared<const render::EnvironmentImage>(std::move(picture));
    const render::EnvironmentMap map(shared, V3f(1.f), 0.f);
    double near_sun = 0, south = 0;
    constexpr int n = 400000;
    std::mt19937 random(5);
    std::uniform_real_distribution<double> u(0., .9999999999);
    const float threshold = 1000.f * .25f * inverse_pi;
    for (int i = 0; i < n; ++i) {
        float density;
        const double a = u(random);
        V3f light;
        const V3f d = map.sample(a, float(u(random)), density, light);
        if (density > threshold)
            near_sun += 1. / n;
        else if (d.y < 0.f)
            south += 1. / n;
    }
    double sun_chance = 0, south_chance = 0;
    for (int y = 0; y < 1024; ++y)
        for (int x = 0; x < 2048; ++x) {
            const float c = shared->chance(size_t(x), size_t(y));
            if (std::abs(x - 700) <= 1 && std::abs(y - 300) <= 1)
                sun_chance += double(c);
            else if (y >= 512)
                south_chance += double(c);
        }
    CHECK(sun_chance > .3);
    CHECK(near_sun == Approx(sun_chance).epsilon(.01));
    CHECK(south == Approx(south_chance).epsilon(.01));
}

TEST_CASE("a walk by the channel that leads weighs every channel as walks of that channel alone") {
    LitBench b;
    b.part("sphere", sphere_obj());
    b.scene.parts.erase(b.scene.parts.begin());
    const auto p = b.ready();
    render::Body body;
    body.sigma_t = V3f(5.f, 8.f, 13.f);
    body.alpha = V3f(.97f, .9f, .8f);
    body.g = .3f;
    constexpr int walks = 60000;
    auto mean_weight = [&](const V3f& carried) {
        double sum[3] = {};
        for (int i = 0; i < walks; ++i) {
            surface::WalkRandom random(mix32(uint32_t(i)));
            const render::WalkHead head{(float(i) + .5f) / walks, float(std::fmod(double(i) * .61803398875, 1.))};
            const render::Wandered w = render::wander(p->geometry->scene(), body, {}, V3f(0.f, .2f, .1f),
                                                      V3f(0.f, 0.f, 1.f), carried, head, random);
            for (int c = 0; c < 3 && w.out; ++c) sum[c] += double(w.weight[c]) / walks;
        }
        return V3f(float(sum[0]), float(sum[1]), float(sum[2]));
    };
    const V3f together = mean_weight(V3f(1.f));
    const V3f unlike = mean_weight(V3f(.2f, 1.f, .5f));
    for (int c = 0; c < 3; ++c) {
        V3f alone(0.f);
        alone[c] = 1.f;
        const float by_itself = mean_weight(alone)[c];
        INFO("channel " << c << " alone " << by_itself);
        CHECK(by_itself > .01f);
        CHECK(together[c] == Approx(by_itself).epsilon(.04));
        CHECK(unlike[c] == Approx(by_itself).epsilon(.05));
    }
}
