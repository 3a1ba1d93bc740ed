#include "render/session.h"

#include <set>

#include "handed_over.h"
#include "plate_support.h"
#include "render_support.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;
using render::Change;
using render::LiveRequest;

namespace {
LiveRequest demo_request(int size = 96) {
    LiveRequest r;
    r.scene = std::make_shared<const scene::Scene>(scene::load(demo_project)->scene);
    r.folder = demo_project.parent_path();
    r.width = size;
    r.height = size;
    return r;
}
LiveRequest edited(const LiveRequest& r, const std::function<void(scene::Scene&)>& change) {
    LiveRequest next = r;
    auto s = std::make_shared<scene::Scene>(*r.scene);
    change(*s);
    next.scene = s;
    return next;
}
std::shared_ptr<const render::LiveImage> wait_for(render::LiveSession& session,
                                                  const std::function<bool(const render::LiveImage&)>& good) {
    for (int i = 0; i < 60000; ++i) {  // the limit only ends a test that would never end
        auto image = session.latest();
        if (image && good(*image)) return image;
        ::usleep(10000);
    }
    FAIL("no such picture came");
    return nullptr;
}
}  // namespace

TEST_CASE("an edit throws away only what it must") {
    const LiveRequest r = demo_request();
    auto change = [&](const std::function<void(scene::Scene&)>& f) { return render::classify(r, edited(r, f)); };
    CHECK(render::classify(r, r) == Change::none);
    CHECK(change([](auto& s) { s.display.exposure = 1.f; }) == Change::display);
    CHECK(change([](auto& s) { s.display.view = "srgb"; }) == Change::display);
    CHECK(change([](auto& s) { s.build_ups[0].layers[0].name = "Other"; }) == Change::display);
    CHECK(change([](auto& s) { s.rigs[1].lights[0].intensity = 1.f; }) == Change::display);  // a rig that is not in use
    CHECK(change([](auto& s) { s.rigs[0].groups[0].exposure = 1.f; }) == Change::balance);
    CHECK(change([](auto& s) { s.rigs[0].environment.rotation = 30.f; }) == Change::shading);
    CHECK(change([](auto& s) { s.cameras[0].position.x = 3.f; }) == Change::shading);
    CHECK(change([](auto& s) { s.build_ups[0].layers[1].amount = .5f; }) == Change::shading);
    CHECK(change([](auto& s) { s.parts[0].visible = false; }) == Change::geometry);
    LiveRequest held = r;
    held.hold = true;
    CHECK(render::classify(r, held) == Change::display);
}

TEST_CASE("the live session posts coarse pictures first, then exactly the command line's preview pixels") {
    auto workshop = std::make_shared<render::Workshop>();
    render::LiveSession session(workshop);
    std::atomic<int> posts{0};
    session.on_post([&] { ++posts; });
    LiveRequest r = edited(demo_request(), [](scene::Scene& s) { s.render.samples = 6; });
    r.denoise = false;
    const uint64_t edit = session.request(r);
    const auto image = wait_for(
        session, [&](const auto& i) { return i.edit == edit && i.complete && i.fields_final && i.samples == 6; });
    CHECK(posts > 2);
    render::PrepareOptions options;
    options.folder = r.folder;
    render::Workshop other;
    const auto p = render::prepare(r.scene, other, options);
    auto film =
        render::render_picture(*p, {.width = 96, .height = 96, .samples = 6, .preview_clamp = true, .coverage = false});
    std::vector<V3f> expected;
    film->resolve(render::group_gains(*p, *r.scene), expected);
    CHECK(image->linear == expected);
    double total = 0;
    for (const auto& l : image->layers) total += l.cost;
    CHECK(total > .05);
    CHECK(total < 1.05);
}

TEST_CASE("display and balance change the posted picture without losing samples") {
    auto workshop = std::make_shared<render::Workshop>();
    render::LiveSession session(workshop);
    LiveRequest r = edited(demo_request(48), [](scene::Scene& s) { s.render.samples = 4; });
    r.denoise = false;
    session.request(r);
    const auto before = wait_for(session, [](const auto& i) { return i.samples == 4 && i.fields_final; });
    const LiveRequest brighter = edited(r, [](scene::Scene& s) { s.rigs[0].groups[0].exposure = 1.f; });
    const uint64_t edit = session.request(brighter);
    const auto after = wait_for(session, [&](const auto& i) { return i.edit == edit; });
    CHECK(after->samples == 4);
    CHECK(after->prepared == before->prepared);
    CHECK(mean(after->linear).x > 1.2f * mean(before->linear).x);
}

TEST_CASE("a storm of requests ends with the last one, and hold stops the samples") {
    auto workshop = std::make_shared<render::Workshop>();
    render::LiveSession session(workshop);
    LiveRequest r = demo_request(64);
    uint64_t edit = 0;
    for (int i = 0; i < 60; ++i) {
        r = edited(r, [&](scene::Scene& s) {
            s.build_ups[0].layers[1].amount = float(i) / 60.f;
            s.cameras[0].position.x += .001f;
        });
        edit = session.request(r);
        ::usleep(2000);
    }
    wait_for(session, [&](const auto& i) { return i.edit == edit && i.complete; });
    r.hold = true;
    const uint64_t held = session.request(r);
    const auto image = wait_for(session, [&](const auto& i) { return i.edit == held; });
    ::usleep(150000);
    CHECK(session.latest()->samples == image->samples);
}

TEST_CASE("a map that is painted over on disk is seen again") {
    Scratch s;
    s.write("square.obj", square_obj);
    auto paint = [&](const char* rgb) { s.write("map.ppm", std::string("P3 1 1 255 ") + rgb); };
    paint("255 0 0");
    auto scene = plain_scene("square.obj");
    auto& b = scene.build_ups[0];
    const auto image = scene::add_node(b, "base", "image", "color3", "Map");
    scene::node(b, image)->inputs["file"].value = std::string("map.ppm");
    b.layers[0].surface["base_color"].from = image;
    scene.cameras[0].target = V3f(.5f, .5f, .37f);
    scene.render.samples = 2;
    LiveRequest r;
    r.scene = std::make_shared<const scene::Scene>(scene);
    r.folder = s.path;
    r.width = r.height = 32;
    r.shown_build_up = "material";
    r.shown_node = image;
    r.view = render::View::node;
    auto workshop = std::make_shared<render::Workshop>();
    render::LiveSession session(workshop);
    session.request(r);
    auto middle = [](const render::LiveImage& i) { return i.linear[i.linear.size() / 2 + 16]; };
    wait_for(session, [&](const auto& i) { return i.coarse == 1 && middle(i).x > .9f && middle(i).y < .1f; });
    paint("0 255 0");
    fs::last_write_time(s.path / "map.ppm", fs::file_time_type::clock::now() + std::chrono::seconds(2));
    wait_for(session, [&](const auto& i) { return i.coarse == 1 && middle(i).y > .9f && middle(i).x < .1f; });
    SUCCEED();
}

TEST_CASE("after an edit the picture stands on where nothing met it, and ends as if it had never stood") {
    auto workshop = std::make_shared<render::Workshop>();
    render::LiveSession session(workshop);
    LiveRequest r = edited(demo_request(), [](scene::Scene& s) { s.render.samples = 12; });
    r.denoise = false;
    const uint64_t first = session.request(r);
    const auto before = wait_for(
        session, [&](const auto& i) { return i.edit == first && i.complete && i.fields_final && i.samples == 12; });
    CHECK_FALSE(before->stands_on);
    // The rope is at the top of the picture; the floor in the lower corners never sees it in twelve samples, or hardly.
    const LiveRequest after = edited(r, [](scene::Scene& s) {
        for (scene::BuildUp& b : s.build_ups)
            if (b.id == "rope")
                b.layers[0].surface["base_color"].value = V3f(.9f, .1f, .1f),
                b.layers[0].surface["base_color"].from.clear();
    });
    REQUIRE(after.scene->build_ups != r.scene->build_ups);
    const uint64_t second = session.request(after);
    const auto image = wait_for(session, [&](const auto& i) { return i.edit == second; });
    CHECK(image->stands_on);
    REQUIRE(image->linear.size() == before->linear.size());
    // The first one is of the rope's pixels alone.
    size_t as_before = 0;
    for (size_t p = 0; p < image->linear.size(); ++p) as_before += image->linear[p] == before->linear[p];
    CHECK(as_before > image->linear.size() * 9 / 10);
    CHECK(as_before < image->linear.size());
    size_t same = 0;
    for (size_t p = 0; p < image->linear.size(); ++p)
        same += std::fabs(image->linear[p].y - before->linear[p].y) < .1f * before->linear[p].y + .02f;
    CHECK(double(same) > .8 * double(image->linear.size()));
    const auto done = wait_for(
        session, [&](const auto& i) { return i.edit == second && i.complete && i.fields_final && i.samples == 12; });
    CHECK_FALSE(done->stands_on);
    render::PrepareOptions options;
    options.folder = r.folder;
    const auto p = render::prepare(after.scene, *workshop, options);
    auto film = render::render_picture(
        *p, {.width = 96, .height = 96, .samples = 12, .preview_clamp = true, .coverage = false});
    std::vector<V3f> expected;
    film->resolve(render::group_gains(*p, *after.scene), expected);
    CHECK(done->linear == expected);
    // Another camera leaves nothing to stand on.
    const uint64_t third = session.request(edited(after, [](scene::Scene& s) { s.cameras[0].position.x += .1f; }));
    CHECK_FALSE(wait_for(session, [&](const auto& i) { return i.edit == third; })->stands_on);
}

TEST_CASE("while heights are dragged the picture stands on beside what they move, and ends as if it never had") {
    Plate p;
    p.node(0, "noise", "fractal3d", "float", {});
    p.wire(0, slot::height, "noise");
    p.set(0, slot::height_scale, .02f);
    p.scene.render.samples = 24;
    // Another one stands beside it, above.
    scene::Part other = p.scene.parts[0];
    other.id = other.name = "other";
    scene::BuildUp flat = p.scene.build_ups[0];
    flat.id = other.build_up = "flat";
    flat.layers[0].surface.erase(slot::height);
    other.placement.position = V3f(1.1f, .2f, -.5f);
    p.scene.parts.push_back(other);
    p.scene.build_ups.push_back(flat);
    LiveRequest r;
    r.scene = std::make_shared<const scene::Scene>(p.scene);
    r.folder = p.s.path;
    r.width = r.height = 64;
    auto workshop = std::make_shared<render::Workshop>();
    render::LiveSession session(workshop);
    const uint64_t first = session.request(r);
    const auto before = wait_for(session, [&](const auto& i) {
        return i.edit == first && i.complete && i.coarse == 1 && i.samples == 24 && i.fields_final;
    });
    const HandedOver seen(session);
    const LiveRequest after =
        edited(r, [](scene::Scene& s) { s.build_ups[0].layers[0].surface[slot::height_scale].value = .04f; });
    const uint64_t second = session.request(after);
    const auto image = wait_for(session, [&](const auto& i) { return i.edit == second; });
    CHECK(image->stands_on);
    REQUIRE(image->linear.size() == before->linear.size());
    size_t as_before = 0;
    for (size_t k = 0; k < image->linear.size(); ++k) as_before += image->linear[k] == before->linear[k];
    CHECK(as_before > image->linear.size() / 10);
    CHECK(as_before < image->linear.size() * 9 / 10);
    const auto done = wait_for(
        session, [&](const auto& i) { return i.edit == second && i.complete && i.fields_final && i.samples == 24; });
    for (const auto& later : seen.of(second))
        if (later->coarse == 1 && later->complete && later->samples >= 8) {
            INFO(later->samples << " samples");
            CHECK_FALSE(later->stands_on);  // what its shadows fall on is known by then
        }
    const auto whole = prepared(*after.scene, r.folder, *workshop);
    auto film = render::render_picture(
        *whole, {.width = 64, .height = 64, .samples = 24, .preview_clamp = true, .coverage = false});
    std::vector<V3f> expected;
    film->resolve(render::group_gains(*whole, *after.scene), expected);
    render::denoise(*film, expected);
    CHECK(done->linear == expected);
}

TEST_CASE("nothing stands on that a changed file, or a region that is no more, has made old") {
    Scratch s;
    s.write("ball.obj", sphere_obj());
    auto sky = [&](float light) {
        write_image(s.path / "sky.exr", 16, 8, 3, Kept::floats, [&](int, int, int) { return light; });
    };
    sky(.5f);
    LiveRequest r;
    auto scene = std::make_shared<scene::Scene>(plain_scene("ball.obj"));
    scene->parts[0].source = "sphere";
    scene->rigs[0].environment.image = "sky.exr";
    scene->render.samples = 200000;  // it never ends: what stands on would stay for long
    r.scene = scene;
    r.folder = s.path;
    r.width = r.height = 32;
    r.denoise = false;
    render::LiveSession session(std::make_shared<render::Workshop>());
    const uint64_t first = session.request(r);
    const size_t corner = 0;  // the sky itself
    const size_t middle = 16 * 32 + 16;
    auto good = [&](uint64_t edit, uint32_t samples) {
        return [=](const render::LiveImage& i) {
            return i.edit == edit && i.complete && i.coarse == 1 && i.samples >= samples;
        };
    };
    const auto old = wait_for(session, good(first, 30));
    CHECK(old->linear[corner].x == Approx(.5f).epsilon(.01));
    ::usleep(1100000);  // file times may be told in seconds
    sky(2.f);
    const auto fresh =
        wait_for(session, [&](const auto& i) { return i.linear.size() == 1024 && i.linear[corner].x > 1.f; });
    CHECK(fresh->linear[corner].x == Approx(2.f).epsilon(.01));
    wait_for(session, good(first, 30));
    // In a region the material becomes black; without it, all of it is.
    LiveRequest part = edited(r, [](scene::Scene& x) {
        x.build_ups[0].layers[0].surface["base_color"].value = V3f(0.f);
        x.build_ups[0].layers[0].surface["specular_weight"].value = 0.f;
    });
    part.region = {0, 0, 8, 8};
    wait_for(session, good(session.request(part), 30));
    part.region = {};
    const auto whole = wait_for(session, good(session.request(part), 1));
    CHECK(whole->linear[middle].x < .05f);
}

TEST_CASE("an edit's first picture is put aside by the next edit only when it takes long, and never for ever") {
    using Time = render::Patience::Time;
    const Time start{};
    auto at = [&](double seconds) {
        return start + std::chrono::duration_cast<Time::duration>(std::chrono::duration<double>(seconds));
    };
    auto left = [&](const render::Patience& p, double now) {
        return std::chrono::duration<double>(*p.until() - at(now)).count();
    };
    render::Patience p;
    CHECK_FALSE(p.until());
    p.begin(at(1.));
    CHECK(left(p, 1.) == Approx(render::Patience::least));
    p.end(at(1.05));
    CHECK_FALSE(p.until());
    p.begin(at(2.));
    CHECK(left(p, 2.) == Approx(render::Patience::least));
    // Put aside again and again, each gets twice the time, up to a bound.
    double given = render::Patience::least;
    for (double now = 3.; now < 9.; now += 1.) {
        p.begin(at(now));
        given = std::min(render::Patience::most, 2. * given);
        CHECK(left(p, now) == Approx(given));
    }
    // The next ones get half as long again as the last one took.
    p.end(at(8.4));
    p.begin(at(10.));
    CHECK(left(p, 10.) == Approx(.6));
    p.end(at(10.01));
    p.begin(at(11.));
    CHECK(left(p, 11.) == Approx(render::Patience::least));
}

TEST_CASE("what passed before a first picture is rendered, and what showing it takes, comes off the time for it") {
    using Time = render::Patience::Time;
    auto at = [](double seconds) {
        return Time(std::chrono::duration_cast<Time::duration>(std::chrono::duration<double>(seconds)));
    };
    render::Patience p;
    for (int k = 0; k < 40; ++k) p.shown_in(.004);
    p.begin(at(1.));
    CHECK(p.to_render(at(1.)) == Approx(render::Patience::soon - .004).margin(1e-6));
    CHECK(p.to_render(at(1.010)) == Approx(render::Patience::soon - .014).margin(1e-6));
    CHECK(p.to_render(at(1.03)) == Approx(render::Patience::least_rendering));
    CHECK(p.to_render(at(1.1)) == Approx(.025));  // late as it is, a quarter more makes it finer
    CHECK(p.to_render(at(2.)) == Approx(render::Patience::most_late));
    p.end(at(2.));
    CHECK(p.to_render(at(3.)) == Approx(render::Patience::soon - .004).margin(1e-6));  // of one not taken up yet
    for (int k = 0; k < 40; ++k) p.shown_in(5.);  // a hold of the machine is not expected again for ever
    CHECK(p.to_render(at(3.)) == Approx(render::Patience::least_rendering));
    for (int k = 0; k < 10; ++k) p.shown_in(.004);
    CHECK(p.to_render(at(3.)) > .9 * (render::Patience::soon - .004));
}

TEST_CASE("heights are computed as finely as the time allows while a hand drags them") {
    render::QuickHeights quick;
    CHECK(quick.points() == render::QuickHeights::most);
    quick.took(.05);
    CHECK(quick.points() == render::QuickHeights::most);
    quick.took(.28);  // four times too long
    CHECK(quick.points() == render::QuickHeights::most / 4);
    quick.took(.07);
    CHECK(quick.points() == render::QuickHeights::most / 4);
    quick.took(.02);  // twice as many would take .04
    CHECK(quick.points() == render::QuickHeights::most / 2);
    quick.took(1e9);
    CHECK(quick.points() >= render::QuickHeights::least);
    CHECK(quick.points() < 2 * render::QuickHeights::least);
    for (int k = 0; k < 40; ++k) quick.took(0.);
    CHECK(quick.points() <= render::QuickHeights::most);
    CHECK(quick.points() > render::QuickHeights::most / 2);
    // Fewer of them that are as slow are not worth it, until something else is dragged.
    render::QuickHeights many_faces;
    many_faces.took(.2);
    CHECK(many_faces.points() < render::QuickHeights::most);
    for (int k = 0; k < 5; ++k) {
        many_faces.took(.19);
        CHECK(many_faces.points() == render::QuickHeights::most);
    }
    many_faces.took(.05);
    many_faces.took(.2);
    CHECK(many_faces.points() < render::QuickHeights::most);
}

TEST_CASE("pictures come while a hand moves on without rest") {
    Plate p;
    render::LiveSession session(std::make_shared<render::Workshop>());
    render::LiveRequest r;
    r.folder = p.s.path;
    r.width = r.height = 512;
    const std::function<void(float)> moves[] = {
        [&](float far) { p.set(0, "specular_roughness", .2f + .00003f * far); },
        [&](float far) { p.scene.cameras[0].position.x = .5f + .0001f * far; },
        [&](float far) { p.scene.parts[0].placement.position.y = .0001f * far; },
    };
    for (const auto& move : moves) {
        std::set<uint64_t> seen;
        int movements = 0;
        for (; movements < 20000 && seen.size() < 6; ++movements) {
            move(float(movements));
            r.scene = std::make_shared<const scene::Scene>(p.scene);
            session.request(r);
            ::usleep(1000);
            if (const auto image = session.latest()) seen.insert(image->edit);
        }
        CHECK(seen.size() == 6);
        CHECK(movements > 12);  // they were not waited for
    }
    // When it rests, the last one is shown.
    const uint64_t last = session.request(r);
    while (!session.latest() || session.latest()->edit != last || !session.latest()->complete) ::usleep(1000);
    CHECK(session.latest()->request.scene == r.scene);
}

TEST_CASE("sight lines tell which pixels see what, through what is clear and no further") {
    // A square in front of another one of twice its size.
    const Scratch s;
    s.write("two.obj",
            "o near\nv -1 -1 1\nv 1 -1 1\nv 1 1 1\nv -1 1 1\nf 1 2 3 4\n"
            "o far\nv -2 -2 0\nv 2 -2 0\nv 2 2 0\nv -2 2 0\nf 5 6 7 8\n");
    scene::Scene scene = plain_scene("two.obj");
    scene.parts[0].source = "near";
    scene::Part far = scene.parts[0];
    far.id = far.name = far.source = "far";
    scene.build_ups.push_back(scene.build_ups[0]);
    far.build_up = scene.build_ups[1].id = "other";
    scene.parts.push_back(far);
    scene.cameras[0].position = V3f(0.f, 0.f, 9.f);
    scene.cameras[0].target = V3f(0.f);
    scene.render.width = scene.render.height = 64;
    render::Workshop workshop;
    const auto p = prepared(scene, s.path, workshop);
    render::Sights sights;
    sights.look(*p, 64, 64);
    const auto near_one = sights.that_see({1, 0});
    const auto far_one = sights.that_see({0, 1});
    auto at = [](const render::SeenPixels& seen, int x, int y) { return seen.pixels[size_t(y) * 64 + size_t(x)] != 0; };
    CHECK(at(near_one, 32, 32));
    CHECK_FALSE(at(far_one, 32, 32));
    CHECK_FALSE(at(near_one, 2, 2));
    REQUIRE(far_one.count > 0);
    CHECK(sights.that_see({1, 1}).count > std::max(near_one.count, far_one.count));
    const auto quarter = render::coarser(near_one, 64, 64, 4);
    CHECK(quarter.pixels.size() == 256);
    CHECK(quarter.pixels[8 * 16 + 8] == 1);
    CHECK(quarter.pixels[0] == 0);
    CHECK(quarter.count >= near_one.count / 16);
    // Of what is painted within a box, the same pixels; outside of it none.
    Box3f all(V3f(-3.f), V3f(3.f));
    CHECK(render::pixels_that_see(*p, 64, 64, {0, 0, 64, 64}, {1, 0}, all).pixels == near_one.pixels);
    CHECK(render::pixels_that_see(*p, 64, 64, {0, 0, 64, 64}, {1, 0}, Box3f(V3f(5.f), V3f(6.f))).count == 0);
    CHECK(render::pixels_that_see(*p, 64, 64, {0, 0, 0, 0}, {1, 0}, all).count == 0);
    // One line for many pixels finds the same, but for the border.
    render::Sights few;
    few.look(*p, 64, 64, 4);
    const auto near_few = few.that_see({1, 0});
    REQUIRE(near_few.pixels.size() == near_one.pixels.size());
    size_t lost = 0;
    for (size_t k = 0; k < near_few.pixels.size(); ++k) lost += near_one.pixels[k] && !near_few.pixels[k];
    CHECK(lost == 0);
    CHECK(near_few.count < 2 * near_one.count);
    // Through a pane of glass the far one is seen as well.
    scene.build_ups[0].layers[0].surface["transmission_weight"] = {scene::Value{1.f}, {}};
    sights.look(*prepared(scene, s.path, workshop), 64, 64);
    CHECK(at(sights.that_see({0, 1}), 32, 32));
    CHECK(sights.that_see({1, 0}).pixels == near_one.pixels);
}
