#include "render/carried.h"

#include "handed_over.h"
#include "plate_support.h"
#include "render/session.h"
#include "render_support.h"

using namespace vemtra;
using namespace vemtra::test;
using render::CarriedPicture;
using render::SeenPlaces;

namespace {

constexpr int size = 96;

/// A square in front of another one of twice its size, above a stage.
struct TwoSquares {
    Scratch s;
    scene::Scene scene;
    render::Workshop workshop;
    TwoSquares() {
        s.write("two.obj",
                "o near\nv -1 -1 1\nv 1 -1 1\nv 1 1 1\nv -1 1 1\nf 1 2 3 4\n"
                "o far\nv -2 -2 0\nv 2 -2 0\nv 2 2 0\nv -2 2 0\nf 5 6 7 8\n");
        scene = plain_scene("two.obj");
        scene.parts[0].source = "near";
        scene::Part far = scene.parts[0];
        far.id = far.name = far.source = "far";
        scene.parts.push_back(far);
        scene.cameras[0].target = V3f(0.f);
        scene.render.width = scene.render.height = size;
    }
    std::shared_ptr<const render::Prepared> from(const V3f& position) {
        scene.cameras[0].position = position;
        return prepared(scene, s.path, workshop);
    }
};

/// A colour that tells the place.
V3f told_by(const SeenPlaces::Pixel& p) {
    return V3f(.5f) + .2f * p.place;
}

bool same_everywhere(const SeenPlaces& a, const SeenPlaces& b) {
    for (size_t p = 0; p < a.pixels.size(); ++p)
        if (a.pixels[p].instance != b.pixels[p].instance || a.pixels[p].place != b.pixels[p].place) return false;
    return a.edges == b.edges;
}

/// All at the same depth, of one instance.
SeenPlaces flat_view(int width, int height) {
    SeenPlaces s;
    s.width = width;
    s.height = height;
    s.pixels.assign(size_t(width) * size_t(height), {V3f(0.f), V3f(0.f, 0.f, 1.f), 0});
    s.edges.assign(s.pixels.size(), 0);
    return s;
}

}  // namespace

TEST_CASE("a picture that is carried over shows places as they were, and tells what was hidden") {
    TwoSquares two;
    const auto p = two.from({0.f, 1.f, 6.f});
    const auto before = render::seen_places(*p, size, size);
    REQUIRE(before);
    std::vector<V3f> linear;
    for (const auto& pixel : before->pixels) linear.push_back(told_by(pixel));
    const auto q = two.from({1.5f, 1.f, 6.f});
    const auto now = render::seen_places(*q, size, size);
    REQUIRE(now);
    const CarriedPicture carried = render::carried_over(*before, {linear, {}}, *now);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    const V3f old_eye(0.f, 1.f, 6.f);
    int seen = 0;
    int hidden = 0;
    int at_the_edge = 0;
    float largest = 0.f;
    for (size_t k = 0; k < now->pixels.size(); ++k) {
        const SeenPlaces::Pixel& pixel = now->pixels[k];
        if (pixel.instance >= SeenPlaces::nothing - 1) continue;
        const V3f way = pixel.place - old_eye;
        RTCRayHit ray = geometry::single_ray(old_eye, way, .999f);
        rtcIntersect1(p->geometry->scene(), &context, &ray);
        const bool was_hidden = geometry::hit_something(geometry::place_of(ray.hit));
        if (carried.known[k] == CarriedPicture::seen) {
            at_the_edge += was_hidden;
            ++seen;
            largest = std::max(largest, (carried.linear[k] - told_by(pixel)).length());
        } else if (was_hidden) {
            ++hidden;
        }
    }
    CHECK(seen > size * size / 8);
    CHECK(hidden > 100);
    CHECK(at_the_edge < 100);  // less than a pixel behind it
    CHECK(largest < .01f);     // a pixel is .04 wide, and tells .2 of that
    // Nothing moves: the same picture.
    const CarriedPicture same = render::carried_over(*before, {linear, {}}, *before);
    for (size_t k = 0; k < linear.size(); ++k)
        if (same.known[k] == CarriedPicture::seen) REQUIRE((same.linear[k] - linear[k]).length() < 1e-3f);
    // What was guessed is not taken on.
    const CarriedPicture guess{linear, std::vector<uint8_t>(linear.size(), CarriedPicture::guessed)};
    for (const uint8_t known : render::carried_over(*before, guess, *now).known) CHECK(known == CarriedPicture::hidden);
    // What sees nothing, and sizes that do not fit, are no harm.
    CHECK(render::carried_over(*before, {{}, {}}, *now).known == std::vector<uint8_t>(linear.size(), 0));
    const std::atomic<bool> stop{true};
    CHECK_FALSE(render::seen_places(*p, size, size, &stop));
    CHECK(same_everywhere(*render::seen_places(*p, size, size), *before));
}

TEST_CASE("what another picture knows better completes one") {
    CarriedPicture a{{V3f(1.f), V3f(1.f), V3f(1.f)},
                     {CarriedPicture::hidden, CarriedPicture::guessed, CarriedPicture::seen}};
    const CarriedPicture b{{V3f(2.f), V3f(2.f), V3f(2.f)},
                           {CarriedPicture::guessed, CarriedPicture::guessed, CarriedPicture::seen}};
    render::complete(a, b);
    CHECK(a.linear == std::vector<V3f>{V3f(2.f), V3f(1.f), V3f(1.f)});
    CHECK(a.known[0] == CarriedPicture::guessed);
}

TEST_CASE("a coarse picture brings a carried one's light up to date, where it says more than chance") {
    constexpr int w = 80;
    constexpr int h = 48;
    const SeenPlaces now = flat_view(w, h);
    auto at = [](int x, int y) { return size_t(y) * w + size_t(x); };
    auto striped = [&] {  // detail that is to stay
        CarriedPicture p{std::vector<V3f>(size_t(w) * h), std::vector<uint8_t>(size_t(w) * h, CarriedPicture::seen)};
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) p.linear[at(x, y)] = V3f(x % 2 ? .6f : .4f);
        return p;
    };
    render::Pixels light{w / 8, h / 8, {}};
    std::mt19937 random(3);
    std::uniform_real_distribution<float> noise(.9f, 1.1f);
    for (int k = 0; k < light.width * light.height; ++k)
        light.linear.push_back(V3f(k % light.width < 5 ? .5f * noise(random) : 2.f));
    CarriedPicture p = striped();
    p.known[at(70, 20)] = CarriedPicture::hidden;
    render::bring_up_to_date(p, now, light, light);
    for (int y = 0; y < h; ++y) {
        CHECK(p.linear[at(3, y)].x == Approx(.6f).epsilon(.05));  // a tenth of noise is not let in
        CHECK(p.linear[at(64, y)].x == Approx(4.f * .4f).epsilon(.1));
        CHECK(p.linear[at(65, y)].x / p.linear[at(64, y)].x == Approx(1.5f).epsilon(.02));
    }
    CHECK(p.linear[at(70, 20)].x == Approx(2.f));
    CHECK(p.known[at(70, 20)] == CarriedPicture::seen);
    // Black, and light that nothing was there for.
    CarriedPicture black = striped();
    for (V3f& c : black.linear) c = V3f(0.f);
    render::bring_up_to_date(black, now, light, light);
    for (const V3f& c : black.linear) REQUIRE(finite(c));
    const render::Pixels means = render::made_smaller({w, h, striped().linear}, 7, 5);
    REQUIRE(means.linear.size() == 35);
    for (const V3f& c : means.linear) CHECK(c.x == Approx(.5f).epsilon(.05));
}

TEST_CASE("while the camera moves the picture is carried over, and ends as if it had never been") {
    Plate p;
    write_image(p.s.path / "checks.png", 64, 64, 3, Kept::bytes,
                [](int x, int y, int) { return (x / 4 + y / 4) % 2 ? .9f : .1f; });
    p.node(0, "map", "image", "color3", {{"file", {scene::Value{std::string("checks.png")}, {}}}});
    p.layer(0).surface["base_color"] = {scene::Value{V3f(.5f)}, "map"};
    p.scene.render.samples = 16;
    p.scene.render.width = p.scene.render.height = 128;
    render::LiveSession session(std::make_shared<render::Workshop>());
    render::LiveRequest r;
    r.folder = p.s.path;
    r.width = r.height = 128;
    auto ask = [&](float x) {
        p.scene.cameras[0].position = V3f(x, .5f, 2.f);
        r.scene = std::make_shared<const scene::Scene>(p.scene);
        return session.request(r);
    };
    auto wait = [&](render::LiveSession& of, const std::function<bool(const render::LiveImage&)>& good) {
        for (int k = 0; k < 12000; ++k) {
            if (const auto image = of.latest(); image && good(*image)) return image;
            ::usleep(5000);
        }
        FAIL("no such picture came");
        return of.latest();
    };
    auto done = [](uint64_t edit) { return [edit](const auto& i) { return i.edit == edit && i.samples == 16; }; };
    const uint64_t first = ask(.5f);
    wait(session, done(first));
    const HandedOver of_move(session);
    const uint64_t second = ask(.9f);
    const auto last = wait(session, done(second));
    const auto moved = of_move.of(second).front();
    CHECK(moved->carried);
    CHECK(moved->shown_width >= 128);
    CHECK_FALSE(last->carried);
    auto off = [&](const render::LiveImage& image) {  // mean difference of the display's colours from the end's
        double sum = 0.;
        for (int y = 0; y < 128; ++y)
            for (int x = 0; x < 128; ++x) {
                const size_t q = (size_t(y) * size_t(image.shown_width) + size_t(x)) * 4;
                sum += std::abs(int(image.bgra[q]) - int(last->bgra[(size_t(y) * 128 + size_t(x)) * 4]));
            }
        return sum / (128. * 128.);
    };
    // Against a session that has seen nothing before.
    render::LiveSession other(std::make_shared<render::Workshop>());
    const HandedOver of_other(other);
    const uint64_t fresh = other.request(r);
    const auto end = wait(other, done(fresh));
    const auto images = of_other.of(fresh);
    const auto found = std::find_if(images.begin(), images.end(), [](const auto& i) {
        return i->coarse > 1 && !i->prepared->scene->build_ups.empty();
    });
    REQUIRE(found != images.end());
    const HandedOver::Image coarse = *found;
    CHECK_FALSE(coarse->carried);
    CHECK(off(*moved) < .6 * off(*coarse));
    CHECK(end->linear == last->linear);
    // Nor is it where the filter is off, or the lights' balance is another one.
    ask(.6f);
    p.scene.rigs[0].groups.emplace_back();
    p.scene.rigs[0].groups.back().name = "sky";
    const uint64_t balanced = ask(.6f);
    CHECK_FALSE(wait(session, [&](const auto& i) { return i.edit == balanced; })->carried);
    wait(session, done(balanced));
    r.denoise = false;
    const uint64_t plain = ask(.65f);
    CHECK_FALSE(wait(session, [&](const auto& i) { return i.edit == plain; })->carried);
    r.denoise = true;
    wait(session, done(ask(.65f)));
    // Any other edit ends it.
    p.set(0, "base_metalness", 1.f);
    const uint64_t third = ask(.7f);
    CHECK_FALSE(wait(session, [&](const auto& i) { return i.edit == third; })->carried);
}
