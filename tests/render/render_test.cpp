#include <OpenImageIO/imageio.h>
#include <tbb/global_control.h>

#include "render/denoise.h"
#include "render/sampler.h"
#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
scene::Scene sphere_scene(const Scratch& s) {
    s.write("sphere.obj", sphere_obj());
    scene::Scene scene = plain_scene("sphere.obj");
    scene.parts[0].source = "sphere";
    return scene;
}
void set(scene::Scene& s, const std::string& slot, scene::Value v) {
    s.build_ups[0].layers[0].surface[slot] = {std::move(v), {}};
}
}  // namespace

TEST_CASE("white furnace: a white sphere under a white sky disappears") {
    Scratch s;
    render::Workshop workshop;
    auto scene = sphere_scene(s);
    scene.render.depth = 40;
    set(scene, "base_color", V3f(1.f));
    for (float metalness : {0.f, 1.f})
        for (float roughness : {.1f, .5f, 1.f}) {
            set(scene, "base_metalness", metalness);
            set(scene, "specular_roughness", roughness);
            const V3f m = mean(rendered(*prepared(scene, s.path, workshop), 48, 48, 64));
            INFO("metalness " << metalness << " roughness " << roughness << " gives " << m.x);
            CHECK(m.x > .99f);
            CHECK(m.x < 1.004f);
        }
}

TEST_CASE("every material of the demo returns no more than it receives") {
    auto loaded = scene::load(demo_project);
    scene::Scene s = loaded->scene;
    s.rigs.resize(1);
    s.rigs[0].environment.image.clear();
    s.rigs[0].environment.seen = true;
    s.rigs[0].stage.on = false;
    for (auto& b : s.build_ups)
        for (auto& l : b.layers) l.surface.erase("emission_luminance");
    s.render.depth = 24;
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo_project.parent_path();
    options.field_rays = geometry::field_rays_first;
    const auto p = render::prepare(std::make_shared<const scene::Scene>(s), workshop, options);
    float brightest = 0.f;
    for (const V3f& c : rendered(*p, 64, 64, 256)) brightest = std::max(brightest, max_component(c));
    CHECK(brightest < 1.03f);  // the rest is noise of 256 samples
}

TEST_CASE("light sampling, surface sampling and both together have one mean") {
    Scratch s;
    render::Workshop workshop;
    auto scene = sphere_scene(s);
    set(scene, "specular_roughness", .35f);
    scene.rigs[0].environment.tint = V3f(.2f);
    for (const char* shape : {"rectangle", "sphere"}) {
        scene::Light light;
        light.id = shape;
        light.shape = shape;
        light.position = shape[0] == 'r' ? V3f(1.f, 1.2f, 1.f) : V3f(-1.2f, .2f, 1.f);
        light.size = V2f(.8f, .6f);
        light.intensity = 6.f;
        scene.rigs[0].lights.push_back(light);
    }
    scene.render.depth = 3;
    const auto p = prepared(scene, s.path, workshop);
    V3f means[3];
    using Strategy = render::FrameSettings::Strategy;
    for (Strategy strategy : {Strategy::combined, Strategy::light_only, Strategy::surface_only}) {
        auto frame = render::frame_settings(scene, {.width = 40, .height = 40, .samples = 1});
        frame.strategy = strategy;
        render::Film film(40, 40, p->rig.groups.size());
        const int samples = strategy == Strategy::combined ? 256 : 1024;
        render::render_samples(*p, frame, 0, uint32_t(samples), film, nullptr, nullptr, nullptr);
        std::vector<V3f> out;
        film.resolve(render::group_gains(*p, scene), out);
        means[int(strategy)] = mean(out);
    }
    // The last bounce has no surface ray, so that surface sampling alone misses its light: compare with a margin for
    // that.
    CHECK(means[0].x == Approx(means[1].x).epsilon(.01));
    CHECK(means[0].x == Approx(means[2].x).epsilon(.03));
}

TEST_CASE("the picture is the same at any thread count, and a region is a part of the whole") {
    auto scene = scene::load(demo_project)->scene;
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo_project.parent_path();
    options.field_rays = geometry::field_rays_first;
    const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    const auto whole = rendered(*p, 96, 80, 3);
    {
        tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        CHECK(rendered(*p, 96, 80, 3) == whole);
    }
    auto film = render::render_picture(*p, {.width = 96, .height = 80, .samples = 3, .region = {20, 10, 75, 61}});
    std::vector<V3f> part;
    film->resolve(render::group_gains(*p, scene), part);
    bool same = true;
    for (int y = 0; y < 80; ++y)
        for (int x = 0; x < 96; ++x) {
            const size_t i = size_t(y * 96 + x);
            const bool inside = x >= 20 && x < 75 && y >= 10 && y < 61;
            same &= part[i] == (inside ? whole[i] : V3f(0.f));
        }
    CHECK(same);
    for (const V3f& c : whole) CHECK(finite(c));
    // Scattered pixels, more in some tiles than in others, are shared out evenly, and are those of the whole.
    std::vector<uint8_t> only(96 * 80);
    for (size_t i = 0; i < only.size(); ++i) only[i] = i % 7 == 0 || (i % 96 > 60 && i / 96 > 50);
    auto frame = render::frame_settings(scene, {.width = 96, .height = 80, .reference = true});
    frame.only = &only;
    render::Film scattered(96, 80, p->rig.groups.size());
    REQUIRE(render::render_samples(*p, frame, 0, 3, scattered, nullptr, nullptr, nullptr));
    scattered.resolve(render::group_gains(*p, scene), part);
    const auto exactly = rendered_exactly(*p, 96, 80, 3);
    size_t other = 0;
    for (size_t i = 0; i < part.size(); ++i) other += part[i] != (only[i] ? exactly[i] : V3f(0.f));
    CHECK(other == 0);
}

TEST_CASE("a cover shows by its coverage: half there is half of each") {
    Scratch s;
    s.write("square.obj", square_obj);
    auto scene = plain_scene("square.obj");
    scene.cameras[0].position = V3f(.5f, .5f, 1.f);
    scene.cameras[0].target = V3f(.5f, .5f, .37f);
    scene.cameras[0].focal_length = 60.f;
    set(scene, "base_color", V3f(1.f));
    auto& b = scene.build_ups[0];
    const auto cover = scene::add_layer(b, "Black");
    scene::find(b.layers, cover)->surface["base_color"] = {scene::Value{V3f(0.f)}, {}};
    scene::find(b.layers, cover)->surface["specular_weight"] = {scene::Value{0.f}, {}};
    set(scene, "specular_weight", 0.f);
    render::Workshop workshop;
    auto value = [&](float amount, float gate, float mask) {
        auto* l = scene::find(b.layers, cover);
        l->amount = amount;
        l->gate.amount = gate;
        l->gate.mask.value = mask;
        return mean(rendered(*prepared(scene, s.path, workshop), 24, 24, 128)).x;
    };
    CHECK(value(0.f, 1.f, 1.f) == Approx(1.f).margin(.002));
    CHECK(value(1.f, 1.f, 1.f) == Approx(0.f).margin(.002));
    CHECK(value(.5f, 1.f, 1.f) == Approx(.5f).margin(.01));
    CHECK(value(1.f, 1.f, .25f) == Approx(.75f).margin(.01));
    CHECK(value(1.f, .5f, 0.f) == Approx(.5f).margin(.01));  // half a gate pushes black to grey
    CHECK(value(.8f, 0.f, 0.f) == Approx(.2f).margin(.01));  // no gate at all: white
}

TEST_CASE("layers that cannot show are not even compiled") {
    Scratch s;
    auto scene = sphere_scene(s);
    auto& b = scene.build_ups[0];
    const auto shown = scene::add_layer(b, "Shown"), off = scene::add_layer(b, "Off"),
               none = scene::add_layer(b, "None"), black = scene::add_layer(b, "Black");
    scene::find(b.layers, off)->on = false;
    scene::find(b.layers, none)->amount = 0.f;
    scene::find(b.layers, black)->gate.mask.value = 0.f;
    render::Workshop workshop;
    const auto p = prepared(scene, s.path, workshop);
    REQUIRE(p->build_ups[0].layers.size() == 1);  // the opaque one hides the base
    CHECK(p->layers[size_t(p->build_ups[0].layers[0].index)].layer == shown);
}

TEST_CASE("light groups add up to the picture, and the balance scales them without rendering") {
    auto scene = scene::load(demo_project)->scene;
    scene.rig = "studio";
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo_project.parent_path();
    options.field_rays = 1;
    const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    CHECK(p->rig.groups == std::vector<std::string>{"backdrop", "boxes", "kicker", "lamp", "emission"});
    auto film = render::render_picture(*p, {.width = 48, .height = 48, .samples = 8});
    std::vector<V3f> all, louder;
    film->resolve(render::group_gains(*p, scene), all);
    scene::Scene balanced = scene;
    balanced.rigs[1].groups[1].exposure = 1.f;
    film->resolve(render::group_gains(*p, balanced), louder);
    double difference = 0, group = 0;
    for (size_t i = 0; i < all.size(); ++i)
        difference += double(louder[i].x - all[i].x), group += double(film->light[2][i].x / 8.f);
    CHECK(group > 0);
    CHECK(difference == Approx(group).epsilon(1e-3));
}

TEST_CASE("the OpenEXR holds all passes, their sum and how it was made") {
    Scratch s;
    auto scene = scene::load(demo_project)->scene;
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo_project.parent_path();
    options.field_rays = 1;
    const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    const render::PictureSettings settings{.width = 64, .height = 48, .samples = 4, .seed = 9};
    auto film = render::render_picture(*p, settings);
    REQUIRE(render::write_picture(*p, *film, settings, {"lantern.vemtra", 1.5}, s.path / "out.exr"));
    auto in = OIIO::ImageInput::open((s.path / "out.exr").string());
    REQUIRE(in);
    const auto& spec = in->spec();
    std::vector<float> data(size_t(spec.width * spec.height * spec.nchannels));
    REQUIRE(in->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, data.data()));
    auto channel = [&](const std::string& name) {
        const int c = spec.channelindex(name);
        INFO(name);
        REQUIRE(c >= 0);
        double sum = 0;
        for (size_t i = size_t(c); i < data.size(); i += size_t(spec.nchannels)) sum += data[i];
        return sum / double(spec.width * spec.height);
    };
    CHECK(channel("R") > 0);
    CHECK(channel("A") > .2);
    CHECK(channel("depth.Z") > 0);
    CHECK(channel("light.sky.G") > 0);
    CHECK(channel("light.sky.G") < channel("G") + 1e-6);  // the backdrop is the rest
    for (const char* c : {"albedo.R", "normal.Y"}) channel(c);
    // What is bare of paint is a pixel or none in so small a picture, by how far its fields are; brass shows anyway.
    const double paint = channel("coverage.housing.marine-enamel");
    const double steel = channel("coverage.housing.galvanised-steel");
    const double brass = channel("coverage.brass.brass");
    CHECK(paint > steel);
    CHECK(steel >= 0);
    CHECK(brass > 0);
    CHECK(spec.get_int_attribute("vemtra:samples") == 4);
    CHECK(spec.get_int_attribute("vemtra:seed") == 9);
    CHECK(spec.get_string_attribute("vemtra:project") == "lantern.vemtra");
    CHECK(spec.get_float_attribute("vemtra:seconds") == 1.5f);
    CHECK_FALSE(render::write_picture(*p, *film, settings, {}, s.path / "nowhere" / "out.exr"));
    CHECK_FALSE(render::write_picture(*p, *film, settings, {}, s.path / "out.gif"));
}

TEST_CASE("all views render finite pictures that differ from each other") {
    auto scene = scene::load(demo_project)->scene;
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo_project.parent_path();
    options.field_rays = 1;
    options.shown_build_up = "housing";
    options.shown_node = "wear";
    const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    std::vector<std::vector<V3f>> pictures;
    for (int v = 0; v < 7; ++v) {
        pictures.push_back(rendered(*p, 48, 40, 2, render::View(v)));
        for (const V3f& c : pictures.back()) CHECK(finite(c));
        for (int u = 0; u < v; ++u) CHECK(pictures[size_t(u)] != pictures.back());
    }
}

TEST_CASE("samples of a pixel fill the square evenly, and pixels are not alike") {
    // A (0, 2)-sequence puts exactly one of 2^k points into every elementary interval.
    for (uint32_t seed : {1u, 77u, 4096u})
        for (int split = 0; split <= 8; ++split) {
            std::vector<int> hits(256, 0);
            for (uint32_t i = 0; i < 256; ++i) {
                float u, v;
                render::sample_2d(seed, i, 3, u, v);
                ++hits[size_t(int(u * float(1 << split)) * (256 >> split) + int(v * float(256 >> split)))];
            }
            CHECK(*std::max_element(hits.begin(), hits.end()) == 1);
        }
    CHECK(render::pixel_seed(0, 1, 0) != render::pixel_seed(1, 0, 0));
}

TEST_CASE("the denoiser brings a noisy picture nearer to the converged one and leaves edges") {
    auto scene = scene::load(demo_project)->scene;
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo_project.parent_path();
    options.field_rays = geometry::field_rays_first;
    const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    const auto truth = rendered(*p, 96, 96, 256);
    auto film = render::render_picture(*p, {.width = 96, .height = 96, .samples = 4});
    std::vector<V3f> noisy, smooth;
    film->resolve(render::group_gains(*p, scene), noisy);
    smooth = noisy;
    render::denoise(*film, smooth);
    auto error = [&](const std::vector<V3f>& a) {
        double sum = 0;
        for (size_t i = 0; i < a.size(); ++i)
            sum += std::pow(double(luminance(a[i]) - luminance(truth[i])) / (.1 + double(luminance(truth[i]))), 2);
        return sum;
    };
    CHECK(error(smooth) < .6 * error(noisy));
    std::vector<V3f> flat(noisy.size(), V3f(.5f));
    render::Film empty(96, 96, 1);
    render::denoise(empty, flat);
    CHECK(flat[100].x == Approx(.5f));
}
