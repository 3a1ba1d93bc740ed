// Facets that lean away from the form, with walls between them.
#include "surface/leaning.h"
#include "surface_support.h"

using namespace vemtra;
using namespace vemtra::test;
using surface::Leaning;

namespace {

V3f leaning_by(float degrees, float turn) {
    const float a = degrees * pi / 180.f;
    return {std::sin(a) * std::cos(turn), std::sin(a) * std::sin(turn), std::cos(a)};
}
Stack leaning_metal(float roughness, const V3f& normal) {
    Stack stack;
    stack.finish(surface::sane(metal(V3f(1.f), V3f(1.f), roughness)), surface::Tilt::make(normal, V3f(0.f)));
    return stack;
}

/// What a white stack returns, seen from `wo`: as it is sampled, and as it is evaluated; four deviations of each mean.
struct Returned {
    double sampled = 0, evaluated = 0, sampled_noise = 0, evaluated_noise = 0;
    Returned(const Stack& stack, const V3f& wo) {
        const Stack::Seen seen = stack.seen_from(wo);
        std::mt19937 random(5);
        std::uniform_real_distribution<float> u(0.f, .9999999f);
        WalkRandom walk(7);
        double squares[2] = {};
        constexpr int n = 30000;
        for (int i = 0; i < n; ++i) {
            const float x = u(random);
            const float y = u(random);
            const double w = double(stack.sample(seen, u(random), x, y, walk).weight.x);
            const double f = double(stack.evaluate(seen, direction(y, 2.f * pi * x), walk).x) * 2. * M_PI;
            sampled += w / n, squares[0] += w * w / n;
            evaluated += f / n, squares[1] += f * f / n;
        }
        sampled_noise = 4. * std::sqrt(std::max(0., squares[0] - sampled * sampled) / n);
        evaluated_noise = 4. * std::sqrt(std::max(0., squares[1] - evaluated * evaluated) / n);
    }
};

}  // namespace

TEST_CASE("facets and walls together lie as the form does: what both show is what the form shows") {
    for (const float degrees : {5.f, 30.f, 60.f}) {
        const V3f p = leaning_by(degrees, .7f);
        const Leaning l(p);
        CHECK(l.leans());
        for (const float mu : {1.f, .7f, .2f})
            for (const float turn : {0.f, 1.f, 2.5f, 4.f}) {
                const V3f w = direction(mu, turn);
                const float across = std::sqrt(1.f - p.z * p.z);
                const float facets = std::max(0.f, w.dot(p)) / p.z;
                const float walls = std::max(0.f, -(w.x * p.x + w.y * p.y) / across) * across / p.z;
                CHECK(l.facets_seen(w) == Approx(facets / (facets + walls)).margin(1e-4));
                CHECK(l.leaves(w) == Approx(w.z / (facets + walls)).margin(1e-4));
                CHECK((l.mirrored(l.mirrored(w)) - w).length() < 1e-5f);
                CHECK(l.mirrored(w).z == Approx(w.z));
            }
    }
    CHECK_FALSE(Leaning(V3f(0.f, 0.f, 1.f)).leans());
}

TEST_CASE("white metal keeps all light, however its normal leans, and what is evaluated is what is sampled") {
    for (const float roughness : {.3f, .6f, 1.f})
        for (const float degrees : {15.f, 35.f, 55.f})
            for (const float angle : {0.f, 60.f, 80.f, -60.f, -80.f}) {
                const Stack stack = leaning_metal(roughness, leaning_by(degrees, 0.f));
                const float a = angle * pi / 180.f;
                const Stack::Seen seen = stack.seen_from({std::sin(a), 0.f, std::cos(a)});
                std::mt19937 random(5);
                std::uniform_real_distribution<float> u(0.f, .9999999f);
                WalkRandom walk(7);
                double sampled = 0;
                double weights = 0;  // squares of them
                double evaluated = 0;
                double square = 0;
                double density = 0;
                double lost = 0;  // draws that go into the facet
                constexpr int n = 40000;
                for (int i = 0; i < n; ++i) {
                    const float x = u(random);
                    const float y = u(random);
                    const auto s = stack.sample(seen, x, y, u(random), walk);
                    sampled += double(s.weight.x) / n;
                    weights += double(s.weight.x) * double(s.weight.x) / n;
                    lost += double(s.pdf == 0.f) / n;
                    const V3f wi = direction(y, 2.f * pi * x);
                    const double f = double(stack.evaluate(seen, wi, walk).x) * 2. * M_PI;
                    evaluated += f / n;
                    square += f * f / n;
                    density += double(stack.pdf(seen, wi)) * 2. * M_PI / n;
                }
                INFO("roughness " << roughness << ", leans by " << degrees << ", seen from " << angle);
                const double noise = 4. * std::sqrt((square - evaluated * evaluated) / n);
                CHECK(sampled == Approx(1.).margin(.003 + 4. * std::sqrt((weights - sampled * sampled) / n)));
                CHECK(evaluated == Approx(1.).margin(.01 + noise));
                CHECK(density + lost == Approx(1.).margin(.02 + noise));
            }
}

TEST_CASE("so it does under coats") {
    for (const float roughness : {.3f, .8f})
        for (const float degrees : {20.f, 45.f})
            for (const float angle : {0.f, 70.f, -70.f}) {
                Stack stack;
                stack.add(Coat{.15f, 0.f, 1.5f});
                stack.finish(surface::sane(metal(V3f(1.f), V3f(1.f), roughness)),
                             surface::Tilt::make(leaning_by(degrees, .3f), V3f(0.f)));
                const float a = angle * pi / 180.f;
                const Returned r(stack, {std::sin(a), 0.f, std::cos(a)});
                INFO("roughness " << roughness << ", leans by " << degrees << ", seen from " << angle);
                CHECK(r.sampled == Approx(1.).margin(.005 + r.sampled_noise));
                CHECK(r.evaluated == Approx(1.).margin(.02 + r.evaluated_noise));
                CHECK(r.evaluated_noise < .25);
            }
}

TEST_CASE("coats that lean are bent until they mirror upwards, and then show what they send on") {
    for (const float degrees : {5.f, 12.f, 25.f, 45.f})
        for (const float angle : {0.f, 40.f, 70.f, -70.f, -86.f}) {
            INFO("leans by " << degrees << ", seen from " << angle);
            const float a = angle * pi / 180.f;
            const V3f wo(std::sin(a), 0.f, std::cos(a));
            const V3f leans = leaning_by(degrees, .3f);
            const V3f n = surface::mirroring_upwards(leans, wo);
            CHECK(n.length() == Approx(1.f));
            const float up = (n * (2.f * wo.dot(n)) - wo).z;
            CHECK(up >= std::min(wo.z, .1f) - 1e-4f);
            CHECK(n.z >= leans.z - 1e-4f);
            if ((leans * (2.f * wo.dot(leans)) - wo).z > .1f) CHECK(n == leans);
            if (angle < -80.f || degrees > 30.f) continue;  // folds of the lobe's width are left
            Stack stack;
            Coat coat{.15f, 0.f, 1.5f};
            coat.tilt = surface::Tilt::make(n, V3f(0.f));
            stack.add(coat);
            stack.finish(surface::sane(lambert(V3f(1.f))), {});
            const Returned r(stack, wo);
            CHECK(r.evaluated == Approx(1.).margin(.03 + r.evaluated_noise));
            CHECK(r.evaluated_noise < .4);
        }
}

TEST_CASE("light goes either way alike between facets that lean, where both ways see them") {
    const Stack stack = leaning_metal(.5f, leaning_by(25.f, .4f));
    WalkRandom walk(1);
    for (const float mu : {.9f, .7f})
        for (const float turn : {0.f, .9f, 2.f}) {
            const V3f a = direction(mu, turn);
            const V3f b = direction(.8f, turn + 1.3f);
            const float there = stack.evaluate(stack.seen_from(a), b, walk).x / b.z;
            const float back = stack.evaluate(stack.seen_from(b), a, walk).x / a.z;
            CHECK(there == Approx(back).epsilon(.02));
        }
}
