#include "render/compared.h"

#include "handed_over.h"
#include "plate_support.h"

using namespace vemtra;
using namespace vemtra::test;
using render::Compared;
using render::Standing;

namespace {

constexpr int wide = 64, high = 48, block = 8;

/// A picture of bright and dark stripes, three pixels each, in a light that falls off.
V3f striped(int x, int y) {
    const float light = 1.f - .5f * float(y) / float(high);
    return (x / 3 % 2 ? V3f(.8f, .5f, .3f) : V3f(.05f, .2f, .4f)) * light;
}
Standing stripes() {
    Standing s{wide, high, 64, {}};
    for (int y = 0; y < high; ++y)
        for (int x = 0; x < wide; ++x) s.linear.push_back(striped(x, y));
    return s;
}
/// As a coarse picture is rendered: one place in each pixel, and noise that both have.
Compared by_chance(const std::function<V3f(int, int)>& change, float noise) {
    Compared c{wide / block, high / block, {}, {}, {}};
    std::mt19937 random(7);
    std::uniform_int_distribution<int> in_block(0, block - 1);
    std::uniform_real_distribution<float> luck(1.f - noise, 1.f + noise);
    for (int v = 0; v < c.height; ++v)
        for (int u = 0; u < c.width; ++u) {
            const int x = u * block + in_block(random);
            const int y = v * block + in_block(random);
            const V3f before = striped(x, y) * luck(random);
            c.before.push_back(before);
            c.now.push_back(before * change(x, y));
        }
    return c;
}
float apart(const std::vector<V3f>& a, const std::function<V3f(int, int)>& b) {
    double sum = 0., all = 0.;
    for (int y = 0; y < high; ++y)
        for (int x = 0; x < wide; ++x) {
            sum += double((a[size_t(y * wide + x)] - b(x, y)).length());
            all += double(b(x, y).length());
        }
    return float(sum / all);
}
/// The same in pixels of eight by eight.
float apart_in_blocks(const std::function<V3f(int, int)>& b) {
    render::Pixels all{wide, high, {}};
    for (int y = 0; y < high; ++y)
        for (int x = 0; x < wide; ++x) all.linear.push_back(b(x, y));
    const auto small = render::made_smaller(all, wide / block, high / block);
    std::vector<V3f> blocks;
    for (int y = 0; y < high; ++y)
        for (int x = 0; x < wide; ++x) blocks.push_back(small.linear[size_t(y / block * (wide / block) + x / block)]);
    return apart(blocks, b);
}

}  // namespace

TEST_CASE("what no edit has changed is brought along as it stood, whatever the noise") {
    const Standing s = stripes();
    const auto out = render::brought_along(s, by_chance([](int, int) { return V3f(1.f); }, .6f));
    for (size_t p = 0; p < out.size(); ++p) CHECK((out[p] - s.linear[p]).length() < 1e-4f);
}

TEST_CASE(
    "a picture that is brought along keeps its detail: in other light, in another colour, where one of two forms "
    "changes") {
    const Standing s = stripes();
    struct Case {
        const char* what;
        std::function<V3f(int, int)> change;
        float within;
    };
    const Case cases[] = {
        {"darker", [](int, int) { return V3f(.3f); }, .005f},
        {"another colour", [](int, int) { return V3f(1.4f, .2f, .6f); }, .01f},
        {"light from the side", [](int x, int) { return V3f(.5f + float(x) / float(wide)); }, .05f},
        {"the bright stripes alone", [](int x, int) { return x / 3 % 2 ? V3f(.4f, .4f, .9f) : V3f(1.f); }, .06f},
    };
    for (const Case& c : cases) {
        INFO(c.what);
        auto now = [&](int x, int y) { return striped(x, y) * c.change(x, y); };
        const float error = apart(render::brought_along(s, by_chance(c.change, .2f)), now);
        CHECK(error < c.within);
        CHECK(error < .25f * apart_in_blocks(now));
    }
}

TEST_CASE("light where there was none comes from the coarse picture, and detail that no longer holds is given up") {
    Standing s = stripes();
    for (V3f& p : s.linear) p *= 1e-3f;
    Compared c{wide / block, high / block, {}, {}, {}};
    c.before.assign(size_t(c.width * c.height), V3f(1e-3f));
    c.now.assign(c.before.size(), V3f(.7f, .6f, .5f));
    auto even = [](int, int) { return V3f(.7f, .6f, .5f); };
    CHECK(apart(render::brought_along(s, c), even) < .03f);
    // Two coarse pictures that have nothing in common.
    std::mt19937 random(3);
    std::uniform_real_distribution<float> any(0.f, 1.f);
    for (size_t q = 0; q < c.now.size(); ++q) {
        c.before[q] = V3f(q % 2 ? .9f : .1f);
        c.now[q] = V3f(any(random));
    }
    for (const V3f& p : render::brought_along(stripes(), c)) {
        CHECK(finite(p));
        CHECK(max_component(p) < 2.f);
        CHECK(std::min({p.x, p.y, p.z}) >= 0.f);
    }
    // No light at all, and no number.
    s.linear.assign(s.linear.size(), V3f(0.f));
    c.before.assign(c.before.size(), V3f(0.f));
    c.now.assign(c.now.size(), V3f(0.f));
    for (const V3f& p : render::brought_along(s, c)) CHECK(p == V3f(0.f));
    c.now.pop_back();
    CHECK(render::brought_along(s, c) == s.linear);
}

TEST_CASE("a coarse pixel whose path found light by luck, or lost it, leaves no spot") {
    const Standing s = stripes();
    for (const float luck : {0.f, 30.f}) {
        Compared c = by_chance([](int, int) { return V3f(.6f); }, .2f);
        for (const auto [x, y] : {std::pair(3, 2), {6, 4}}) c.now[size_t(y * c.width + x)] *= luck;
        INFO("by luck " << luck);
        const auto out = render::brought_along(s, c);
        for (size_t p = 0; p < out.size(); ++p)
            for (int k = 0; k < 3; ++k) CHECK(out[p][k] == Approx(.6f * s.linear[p][k]).margin(.01f).epsilon(.05));
    }
}

TEST_CASE("pixels that do not show an edit stand beside those that do") {
    const Standing s = stripes();
    Compared c = by_chance([](int, int) { return V3f(.3f); }, 0.f);
    std::vector<uint8_t> marks(s.linear.size(), render::not_known);
    c.known.assign(c.now.size(), render::shows_edit);
    for (int y = 0; y < high; ++y)
        for (int x = 0; x < wide; ++x)
            if (x >= wide / 2) marks[size_t(y * wide + x)] = render::shows_edit;
    // One that shows another form than all around it.
    const size_t lone = size_t(20 * wide + 50);
    marks[lone] = render::known;
    Standing with = s;
    with.linear[lone] = V3f(4.f, .01f, .01f);
    const auto out = render::brought_along(with, c, &marks);
    for (int y = 0; y < high; ++y)
        for (int x = 0; x < wide; ++x) {
            const size_t p = size_t(y * wide + x);
            if (p == lone) continue;
            CHECK((out[p] - s.linear[p] * (x >= wide / 2 ? .3f : 1.f)).length() < .03f);
        }
    CHECK((out[lone] - with.linear[lone]).length() < .4f);
    // Nothing coarse is rendered around it.
    c.known.assign(c.now.size(), render::not_known);
    CHECK(render::brought_along(s, c, &marks) == s.linear);
}

TEST_CASE("while a slider or a light is dragged the picture stays sharp") {
    Plate p;
    p.scene.cameras[0].position = V3f(.5f, .5f, 1.6f);
    p.scene.render.samples = 24;
    write_image(p.s.path / "squares.exr", 64, 64, 3, Kept::words, [](int x, int y, int c) {
        return (x + y) % 2 ? .7f : c == 0 ? .3f : .1f;
    });
    p.node(0, "squares", "image", "color3", {{"file", {scene::Value{std::string("squares.exr")}, {}}}});
    p.layer(0).surface[slot::base_color] = {scene::Value{V3f(.5f)}, "squares"};
    render::LiveRequest r;
    r.folder = p.s.path;
    r.width = r.height = 400;
    HandedOver::Image done;
    render::LiveSession session(std::make_shared<render::Workshop>());
    const HandedOver seen(session);
    auto asked = [&](const std::function<void(scene::Scene&)>& change) {
        change(p.scene);
        r.scene = std::make_shared<const scene::Scene>(p.scene);
        const uint64_t edit = session.request(r);
        for (int k = 0; k < 60000; ++k) {  // the limit only ends a test that would never end
            done = session.latest();
            if (done && done->edit == edit && done->complete && done->samples == 24 && done->fields_final) break;
            ::usleep(5000);
        }
        return edit;
    };
    asked([](scene::Scene&) {});
    int coarse_ones = 0;
    auto is_sharp = [&](const std::function<void(scene::Scene&)>& change) {
        const uint64_t edit = asked(change);
        const auto& whole = done->linear;
        auto error = [&](const std::vector<V3f>& other) {
            double sum = 0.;
            for (size_t k = 0; k < whole.size(); ++k) sum += double((other[k] - whole[k]).length());
            return sum;
        };
        std::vector<V3f> blocks(whole.size());
        const auto small = render::made_smaller({400, 400, whole}, 100, 100);
        for (size_t k = 0; k < blocks.size(); ++k) blocks[k] = small.linear[k / 400 / 4 * 100 + k % 400 / 4];
        for (const auto& image : seen.of(edit)) {
            REQUIRE(image->linear.size() == whole.size());
            coarse_ones += image->coarse > 1;
            CHECK(error(image->linear) < .2 * error(blocks));
        }
    };
    SECTION("a colour") {
        for (const float weight : {.8f, .6f, .9f, .5f})
            is_sharp([&](scene::Scene& s) { s.build_ups[0].layers[0].surface["base_weight"].value = weight; });
    }
    SECTION("a light") {
        REQUIRE_FALSE(p.scene.rigs.empty());
        for (const float strength : {.8f, .6f, .9f, .5f})
            is_sharp([&](scene::Scene& s) {
                s.rigs[0].environment.tint = V3f(strength);
                s.rigs[0].environment.on = true;
            });
        CHECK(coarse_ones >= 4);
    }
}
