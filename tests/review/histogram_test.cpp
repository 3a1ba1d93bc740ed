// What arrives, in bins: shares, ends, and numbers that are none.
#include "review/visible.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("a histogram holds every number once, and its axis holds nought and one") {
    std::vector<float> values;
    for (int i = 0; i < 1000; ++i) values.push_back(.25f + .5f * float(i) / 999.f);
    const review::Histogram h = review::histogram(values);
    CHECK(h.points == 1000);
    CHECK(h.low == 0.f);
    CHECK(h.high == 1.f);
    CHECK(h.smallest == .25f);
    CHECK(h.largest == .75f);
    float sum = 0.f;
    for (const float s : h.share) sum += s;
    CHECK(sum == Approx(1.f).epsilon(1e-4));
    CHECK(h.share[10] == 0.f);
    CHECK(h.share[64] == Approx(1.f / 64.f).epsilon(.1));
    const V2f middle = h.between(.1f, .9f);
    CHECK(middle.x == Approx(.3f).margin(1.5 / 128));
    CHECK(middle.y == Approx(.7f).margin(1.5 / 128));
    CHECK(h.between(0.f, 1.f).x >= h.smallest);
    CHECK(h.between(0.f, 1.f).y <= h.largest);
}

TEST_CASE("values beyond nought and one widen the axis, and those that are no numbers stay out of it") {
    const review::Histogram h = review::histogram({-3.f, 5.f, 0.f, NAN, INFINITY, -INFINITY});
    CHECK(h.low == -3.f);
    CHECK(h.high == 5.f);
    CHECK(h.smallest == -3.f);
    CHECK(h.largest == 5.f);
    float sum = 0.f;
    for (const float s : h.share) sum += s;
    CHECK(sum == Approx(.5f));  // three of six are numbers
    const review::Histogram none = review::histogram({});
    CHECK(none.points == 0);
    const review::Histogram odd = review::histogram({NAN, NAN});
    CHECK(odd.smallest == 0.f);
    CHECK(odd.largest == 0.f);
    CHECK(std::isfinite(odd.between(.1f, .9f).x));
    const review::Histogram one = review::histogram(std::vector<float>(50, .5f));
    CHECK(one.smallest == .5f);
    CHECK(one.largest == .5f);
    CHECK(one.between(.01f, .99f) == V2f(.5f, .5f));
}
