// Tips and brushes by themselves: what ships, what is kept, and what a picture makes.
#include "paint/tips.h"
#include "support.h"

#include <set>

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("every tip that ships has white and black in it, is dark at its rim, and comes in kinds") {
    REQUIRE(paint::tip_kinds().size() >= 8);
    std::set<std::string> ids;
    for (const paint::TipKind& k : paint::tip_kinds()) {
        INFO(k.id);
        CHECK(ids.insert(k.id).second);
        const auto t = paint::tip(k.id);
        REQUIRE(t);
        CHECK(paint::tip(k.id) == t);  // made once
        float most = 0.f;
        double sum = 0;
        for (int y = 0; y < t->size(); ++y)
            for (int x = 0; x < t->size(); ++x) {
                const float v = t->texel(x, y);
                CHECK_FALSE(!(v >= 0.f && v <= 1.f));
                most = std::max(most, v);
                sum += double(v);
            }
        const double share = sum / double(t->size()) / double(t->size());
        CHECK(most > .8f);
        CHECK(share > .005);
        CHECK(share < .95);
        CHECK(t->at(1.2f, 0.f, .01f) == 0.f);  // nothing outside
        CHECK(t->at(NAN, 0.f, .01f) == 0.f);
    }
    CHECK(paint::tip("no tip of this kind") == nullptr);
}

TEST_CASE("a tip that is read coarsely has the mean of what lies there") {
    constexpr int size = 64;
    std::vector<float> values(size_t(size) * size);
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) values[size_t(y) * size + size_t(x)] = (x + y) % 2 ? 1.f : 0.f;
    const paint::Tip checker("checker", size, values);
    CHECK(checker.at(0.f, 0.f, 1.f) == Approx(.5f).margin(.05));
    CHECK(checker.at(.3f, -.2f, .5f) == Approx(.5f).margin(.05));
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) values[size_t(y) * size + size_t(x)] = y < size / 2 ? 1.f : 0.f;
    const paint::Tip upper("upper", size, values);
    CHECK(upper.at(0.f, .5f, .02f) == Approx(1.f).margin(.01));  // row 0 is on top, y goes up
    CHECK(upper.at(0.f, -.5f, .02f) == Approx(0.f).margin(.01));
}

TEST_CASE("a picture becomes a tip as it is, in the middle of a square") {
    std::vector<float> wide(size_t(300) * 100, 0.f);
    for (int y = 0; y < 100; ++y)
        for (int x = 100; x < 200; ++x) wide[size_t(y) * 300 + size_t(x)] = 1.f;
    const auto t = paint::tip_from("wide", 300, 100, wide);
    REQUIRE(t);
    CHECK(t->at(0.f, 0.f, .1f) == Approx(1.f).margin(.02));
    CHECK(t->at(.25f, .25f, .05f) == Approx(1.f).margin(.05));
    CHECK(t->at(.5f, 0.f, .05f) == 0.f);  // black in the picture
    CHECK(t->at(0.f, .5f, .05f) == 0.f);  // above it
    CHECK(paint::tip_from("too few", 300, 100, std::vector<float>(12)) == nullptr);
    const auto one = paint::tip_from("one", 1, 1, {.5f});
    REQUIRE(one);
    CHECK(one->at(0.f, 0.f, .5f) == Approx(.5f).margin(.01));
}

TEST_CASE("brushes that ship are over twenty-four, each its own, within the bounds that forms offer") {
    const auto& all = paint::shipped_brushes();
    CHECK(all.size() >= 24);
    std::set<std::string> ids;
    std::set<std::string> names;
    for (const paint::StockBrush& b : all) {
        INFO(b.brush.id);
        CHECK(ids.insert(b.brush.id).second);
        CHECK(names.insert(b.brush.name).second);
        CHECK(b.brush.size > 0.f);
        CHECK((b.brush.hardness >= 0.f && b.brush.hardness <= 1.f));
        CHECK((b.brush.flow > 0.f && b.brush.flow <= 1.f));
        CHECK((b.brush.opacity > 0.f && b.brush.opacity <= 1.f));
        CHECK((b.brush.spacing >= .01f && b.brush.spacing <= 4.f));
        CHECK((b.brush.roundness >= .05f && b.brush.roundness <= 1.f));
        for (const std::string& t : b.tips) CHECK(paint::tip(t));
        const paint::Brush ready = b.ready();
        CHECK(ready.tips.size() >= b.tips.size());
        for (const auto& t : ready.tips) CHECK(t);
    }
}

TEST_CASE("brushes of one's own come back from their file, and a broken file is told and loses nothing else") {
    const Scratch s;
    paint::StockBrush mine = paint::shipped_brushes()[5];
    mine.brush.name = "Quay scuff";
    mine.brush.size = 33.5f;
    mine.brush.turning = paint::Turning::along;
    mine.brush.mode = paint::Mode::smudge;
    std::vector<float> grey(16 * 16);
    for (size_t i = 0; i < grey.size(); ++i) grey[i] = float(i % 16) / 15.f;
    mine.brush.tips = {std::make_shared<paint::Tip>("own picture", 16, grey)};
    REQUIRE(paint::save_brushes(s.path / "brushes.json", {mine, paint::shipped_brushes()[0]}));
    std::vector<Error> problems;
    const auto back = paint::load_brushes(s.path / "brushes.json", problems);
    CHECK(problems.empty());
    REQUIRE(back.size() == 2);
    CHECK(back[0].brush.name == "Quay scuff");
    CHECK(back[0].brush.size == 33.5f);
    CHECK(back[0].brush.turning == paint::Turning::along);
    CHECK(back[0].brush.mode == paint::Mode::smudge);
    CHECK(back[0].tips == mine.tips);
    REQUIRE(back[0].brush.tips.size() == 1);
    for (int y = 0; y < 16; ++y)
        for (int x = 0; x < 16; ++x)
            CHECK(back[0].brush.tips[0]->texel(x, y) == Approx(grey[size_t(y) * 16 + size_t(x)]).margin(.003));

    for (const char* broken : {"", "{", "[1, 2]", "{\"brushes\": 7}", "{\"brushes\": [5, {\"size\": \"huge\"}]}"}) {
        INFO(broken);
        problems.clear();
        s.write("broken.json", broken);
        for (const auto& b : paint::load_brushes(s.path / "broken.json", problems)) CHECK(b.brush.size > 0.f);
        CHECK(!problems.empty());
        for (const Error& e : problems) {
            CHECK(!e.what.empty());
            CHECK(!e.remedy.empty());
        }
    }
    problems.clear();
    CHECK(paint::load_brushes(s.path / "none.json", problems).empty());
    CHECK(problems.empty());  // nothing has been kept yet
}

TEST_CASE("a dab is mirrored across each axis and all of their combinations, its tip with it") {
    paint::Dab d;
    d.centre = {1.f, 2.f, 3.f};
    d.axis = V3f(.6f, .8f, 0.f);
    d.across = V3f(.8f, -.6f, 0.f);
    CHECK(paint::mirrored(d, 0).size() == 1);
    const auto two = paint::mirrored(d, 1);
    REQUIRE(two.size() == 2);
    CHECK(two[0].centre == d.centre);
    CHECK(two[1].centre == V3f(-1.f, 2.f, 3.f));
    CHECK(two[1].axis == V3f(-.6f, .8f, 0.f));
    CHECK(two[1].mirrored != two[0].mirrored);
    const auto all = paint::mirrored(d, 7);
    REQUIRE(all.size() == 8);
    std::set<std::array<float, 3>> places;
    for (const paint::Dab& m : all) {
        places.insert({m.centre.x, m.centre.y, m.centre.z});
        CHECK(m.axis.length() == Approx(1.f));
        CHECK(std::fabs(m.axis.dot(m.across)) < 1e-6f);
    }
    CHECK(places.size() == 8);
}
