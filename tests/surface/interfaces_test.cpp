// Smooth interfaces and microfacets by themselves, against closed forms and integrals.
#include "surface/microfacet.h"
#include "surface_support.h"

using namespace vemtra;
using namespace vemtra::test;
using surface::FresnelF82;
using surface::Ggx;

namespace {

/// The integral of f over the hemisphere's directions, by the midpoints of a grid that is even in the square of the
/// cosine's complement, so that narrow lobes around the normal are resolved.
template <class F> double over_hemisphere(const F& f, int rows = 1200, int columns = 96) {
    double sum = 0;
    for (int i = 0; i < rows; ++i) {
        const double t = (i + .5) / rows;
        const double z = 1. - t * t * t;  // dz = 3 t^2 dt
        const double s = std::sqrt(1. - z * z);
        for (int j = 0; j < columns; ++j) {
            const double phi = 2. * M_PI * (j + .5) / columns;
            const V3f w(float(s * std::cos(phi)), float(s * std::sin(phi)), float(z));
            sum += double(f(w)) * 3. * t * t / rows * 2. * M_PI / columns;
        }
    }
    return sum;
}
const std::vector<Ggx> facets = {Ggx::from(.4f), Ggx::from(.7f), Ggx::from(1.f), Ggx::from(.6f, .5f),
                                 Ggx::from(.9f, .8f)};

}  // namespace

TEST_CASE("a dielectric reflects by Fresnel's law: straight on, at Brewster's angle, and all beyond the critical one") {
    for (const float eta : {1.05f, 1.33f, 1.5f, 2.4f}) {
        INFO("IOR " << eta);
        const float straight = (eta - 1.f) / (eta + 1.f);
        CHECK(surface::fresnel_dielectric(1.f, eta) == Approx(straight * straight).epsilon(1e-4));
        CHECK(surface::fresnel_dielectric(0.f, eta) == Approx(1.f).epsilon(1e-5));
        // tan = eta: what is polarised in the plane of incidence goes in whole, the other half reflects as a square.
        const float brewster = 1.f / std::sqrt(1.f + eta * eta);
        const float other = (1.f - eta * eta) / (1.f + eta * eta);
        CHECK(surface::fresnel_dielectric(brewster, eta) == Approx(.5f * other * other).epsilon(1e-3));
        // From inside: the same at the angle that the light took, all beyond the critical angle.
        for (const float mu : {.1f, .4f, .9f}) {
            const float inside = std::sqrt(1.f - (1.f - mu * mu) / (eta * eta));
            CHECK(surface::fresnel_dielectric(inside, 1.f / eta) ==
                  Approx(surface::fresnel_dielectric(mu, eta)).epsilon(2e-3));
        }
        const float critical = std::sqrt(1.f - 1.f / (eta * eta));
        CHECK(surface::fresnel_dielectric(.98f * critical, 1.f / eta) == 1.f);
        CHECK(surface::fresnel_dielectric(std::min(1.f, 1.05f * critical), 1.f / eta) < 1.f);
    }
}

TEST_CASE("a conductor that does not absorb is a dielectric, and absorption only adds to what it reflects") {
    for (const float n : {1.3f, 1.8f})
        for (const float mu : {.05f, .3f, .7f, 1.f}) {
            CHECK(surface::fresnel_conductor(mu, n, 0.f) ==
                  Approx(surface::fresnel_dielectric(mu, n)).epsilon(1e-3).margin(1e-6));
            float last = surface::fresnel_conductor(mu, n, 0.f);
            for (const float k : {1.f, 2.f, 4.f, 8.f}) {
                const float more = surface::fresnel_conductor(mu, n, k);
                CHECK(more >= last - 1e-5f);
                CHECK(more <= 1.f);
                last = more;
            }
        }
    // Straight on: ((n - 1)^2 + k^2) / ((n + 1)^2 + k^2).
    CHECK(surface::fresnel_conductor(1.f, .2f, 3.f) == Approx((.64f + 9.f) / (1.44f + 9.f)).epsilon(1e-5));
}

TEST_CASE("a metal by its colours has them straight on and at a cosine of one seventh, and is a mirror at grazing") {
    const V3f f0(.95f, .64f, .3f);
    const V3f tint(.97f, .8f, .6f);
    const FresnelF82 f(f0, tint);
    const float p5 = std::pow(6.f / 7.f, 5.f);
    for (int c = 0; c < 3; ++c) {
        CHECK(f(1.f)[c] == Approx(f0[c]).epsilon(1e-6));
        CHECK(f(1.f / 7.f)[c] == Approx((f0[c] + (1.f - f0[c]) * p5) * tint[c]).epsilon(1e-4));
        CHECK(f(0.f)[c] == Approx(1.f).epsilon(1e-6));
    }
    // From optical constants: exact where the curve is pinned, near them between.
    const V3f n(.18f, .42f, 1.37f);
    const V3f k(3.42f, 2.35f, 1.77f);  // gold, Johnson and Christy 1972, about 650, 550, 450 nm
    for (const float outside : {1.f, 1.5f}) {
        const FresnelF82 gold = surface::conductor_f82(n, k, outside);
        for (int c = 0; c < 3; ++c) {
            auto exact = [&](float mu) { return surface::fresnel_conductor(mu, n[c] / outside, k[c] / outside); };
            CHECK(gold(1.f)[c] == Approx(exact(1.f)).epsilon(1e-4));
            CHECK(gold(1.f / 7.f)[c] == Approx(exact(1.f / 7.f)).epsilon(1e-3));
            for (const float mu : {.3f, .5f, .8f}) CHECK(gold(mu)[c] == Approx(exact(mu)).margin(.07));
        }
    }
}

TEST_CASE("facets cover the plane below them once, and those in sight fill the sight") {
    for (const Ggx& g : facets) {
        INFO("alpha " << g.ax << " " << g.ay);
        CHECK(over_hemisphere([&](const V3f& h) { return g.d(h) * h.z; }) == Approx(1.).epsilon(.004));
        for (const float mu : {.2f, .6f, .95f}) {
            const V3f wo = direction(mu, .4f);
            // Heitz 2014, (14): the area in sight of all facets is the cosine.
            const double seen =
                over_hemisphere([&](const V3f& h) { return g.g1(wo) * g.d(h) * std::max(0.f, wo.dot(h)); });
            INFO("cos " << mu);
            CHECK(seen == Approx(double(mu)).epsilon(.01));
            CHECK(over_hemisphere([&](const V3f& h) { return g.visible_normal_pdf(wo, h); }) ==
                  Approx(1.).epsilon(.01));
        }
    }
}

TEST_CASE("facets that are drawn are spread as those in sight are") {
    for (const Ggx& g : facets)
        for (const float mu : {.15f, .7f}) {
            const V3f wo = direction(mu, 1.1f);
            V3f drawn(0.f);
            constexpr int side = 400;
            for (int i = 0; i < side; ++i)
                for (int j = 0; j < side; ++j)
                    drawn += g.visible_normal(wo, (float(i) + .5f) / side, (float(j) + .5f) / side);
            drawn /= float(side) * float(side);
            for (int c = 0; c < 3; ++c) {
                INFO("alpha " << g.ax << " " << g.ay << " cos " << mu << " component " << c);
                const double expected =
                    over_hemisphere([&](const V3f& h) { return g.visible_normal_pdf(wo, h) * h[c]; });
                CHECK(double(drawn[c]) == Approx(expected).margin(.006));
            }
        }
}

TEST_CASE("two directions see no more of a facet together than each alone, and heights go either way") {
    for (const Ggx& g : facets)
        for (const float a : {.1f, .5f, .9f})
            for (const float b : {.2f, .8f}) {
                const V3f wo = direction(a, .3f);
                const V3f wi = direction(b, 2.f);
                CHECK(g.g2(wo, wi) <= std::min(g.g1(wo), g.g1(wi)) + 1e-6f);
                CHECK(g.g2(wo, wi) >= g.g1(wo) * g.g1(wi) - 1e-6f);
                CHECK(g.g2(wo, wi) == Approx(g.g2(wi, wo)).epsilon(1e-6));
                // Through: open heights for one are closed ones for the other, so that less than either comes by.
                const V3f below(wi.x, wi.y, -wi.z);
                CHECK(g.g2_through(wo, below) <= std::min(g.g1(wo), g.g1(wi)) + 1e-6f);
                CHECK(g.g2_through(wo, below) <= g.g2(wo, wi) + 1e-5f);
            }
}

TEST_CASE("the beta function is the one of the gamma function") {
    for (const double a : {0., .2, 1., 3.5, 20.})
        for (const double b : {0., .05, 2., 7.}) {
            const double exact = std::tgamma(1 + a) * std::tgamma(1 + b) / std::tgamma(2 + a + b);
            INFO(a << " " << b);
            CHECK(double(surface::beta_of(float(a), float(b))) == Approx(exact).epsilon(2e-5));
        }
    CHECK(surface::beta_of(1e5f, 1.f) == 0.f);
}

TEST_CASE("light bends by Snell's law, keeps to its plane, and goes back the way it came") {
    for (const float eta : {1.33f, 1.f / 1.33f, 2.f}) {
        const V3f h = V3f(.2f, -.1f, 1.f).normalized();
        for (const float mu : {.75f, .9f, 1.f}) {
            const surface::Ggx any = Ggx::from(.5f);
            const V3f wo = Frame(h).to_world(direction(mu, .8f));
            V3f wi;
            REQUIRE(surface::refract(wo, h, eta, wi));
            CHECK(wi.length() == Approx(1.f).epsilon(1e-5));
            const float sine_o = std::sqrt(std::max(0.f, 1.f - wo.dot(h) * wo.dot(h)));
            const float sine_i = std::sqrt(std::max(0.f, 1.f - wi.dot(h) * wi.dot(h)));
            CHECK(sine_o == Approx(eta * sine_i).margin(2e-3));
            CHECK(wi.dot(h) < 0.f);
            CHECK(std::fabs(wo.cross(wi).dot(h)) < 1e-5f);
            V3f back;
            REQUIRE(surface::refract(wi, -h, 1.f / eta, back));
            CHECK((back - wo).length() < 2e-3f);
            const V3f half = surface::refraction_half(wo, wi, eta);
            CHECK((half - h).length() < 2e-3f);
            CHECK(any.d(half) > 0.f);
        }
    }
    V3f none;
    CHECK_FALSE(surface::refract(direction(.2f), V3f(0.f, 0.f, 1.f), 1.f / 1.5f, none));
}

TEST_CASE("directions are drawn by their cosine, and turns have their sine and cosine") {
    constexpr int side = 256;
    double z = 0;
    double z2 = 0;
    V3f mean(0.f);
    for (int i = 0; i < side; ++i)
        for (int j = 0; j < side; ++j) {
            const V3f w = surface::cosine_direction((float(i) + .5f) / side, (float(j) + .5f) / side);
            CHECK_FALSE(std::fabs(w.length() - 1.f) > 1e-5f);
            z += double(w.z);
            z2 += double(w.z * w.z);
            mean += w;
        }
    constexpr double n = double(side) * side;
    CHECK(z / n == Approx(2. / 3.).epsilon(1e-3));  // the integral of mu * mu / pi over the hemisphere
    CHECK(z2 / n == Approx(.5).epsilon(1e-3));
    CHECK(std::fabs(mean.x / n) < 1e-4);
    CHECK(std::fabs(mean.y / n) < 1e-4);
    double worst = 0;
    for (int i = 0; i <= 100000; ++i) {
        float s;
        float c;
        sincos_turn(float(i) / 100000.f, s, c);
        const double x = 2. * M_PI * double(float(i) / 100000.f);
        worst = std::max({worst, std::fabs(double(s) - std::sin(x)), std::fabs(double(c) - std::cos(x))});
    }
    CHECK(worst < 2e-6);
}
