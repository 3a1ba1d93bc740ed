// Matt bodies, fuzz and the colours of light by themselves, against closed forms and integrals.
#include "render/emission.h"
#include "surface/diffuse.h"
#include "surface/facet_cosines.h"
#include "surface/microfacet.h"
#include "surface/spectrum.h"
#include "surface/thin_film.h"
#include "surface_support.h"

#include <complex>

using namespace vemtra;
using namespace vemtra::test;

namespace {
/// The integral of f(wi) mu_i over the hemisphere.
template <class F> double albedo_of(const F& f, int rows = 300, int columns = 120) {
    double sum = 0;
    for (int i = 0; i < rows; ++i) {
        const double z = (i + .5) / rows;
        const double s = std::sqrt(1. - z * z);
        for (int j = 0; j < columns; ++j) {
            const double phi = 2. * M_PI * (j + .5) / columns;
            sum += double(f(V3f(float(s * std::cos(phi)), float(s * std::sin(phi)), float(z)))) * z;
        }
    }
    return sum * 2. * M_PI / (double(rows) * columns);
}
}  // namespace

TEST_CASE("a matt body without roughness is Lambert's, with it light goes either way alike and white loses none") {
    const V3f rust(.5f, .2f, .1f);
    for (const float a : {.1f, .5f, .95f})
        for (const float b : {.2f, .7f}) {
            const V3f wo = direction(a, .2f);
            const V3f wi = direction(b, 2.5f);
            for (int c = 0; c < 3; ++c) {
                CHECK(surface::eon(rust, 0.f, wo, wi)[c] == Approx(rust[c] / pi).epsilon(1e-4));
                for (const float r : {.3f, 1.f})
                    CHECK(surface::eon(rust, r, wo, wi)[c] == Approx(surface::eon(rust, r, wi, wo)[c]).epsilon(1e-4));
            }
        }
    for (const float r : {.2f, .6f, 1.f})
        for (const float mu : {.05f, .3f, .9f}) {
            INFO("roughness " << r << " cos " << mu);
            const V3f wo = direction(mu);
            CHECK(albedo_of([&](const V3f& wi) { return surface::eon(V3f(1.f), r, wo, wi).x; }) ==
                  Approx(1.).epsilon(.006));
            const float bound = surface::eon_bound(r, mu);
            albedo_of([&](const V3f& wi) {
                CHECK_FALSE(pi * surface::eon(V3f(1.f), r, wo, wi).x > bound * 1.0001f);
                return 0.f;
            });
        }
}

TEST_CASE("fuzz gives back what its albedo says, never more than all, and is drawn in proportion") {
    std::mt19937 random(3);
    std::uniform_real_distribution<float> u(0.f, .9999999f);
    for (const float r : {.1f, .3f, .7f, 1.f})
        for (const float mu : {.1f, .4f, .9f}) {
            INFO("roughness " << r << " cos " << mu);
            const V3f wo = direction(mu, .3f);
            const double all = albedo_of([&](const V3f& wi) { return surface::fuzz(r, wo, wi); });
            CHECK(all <= 1.003);
            CHECK(double(surface::fuzz_albedo(r, mu)) == Approx(all).margin(.012));
            const float bound = surface::fuzz_bound(r);
            V3f expected(0.f);
            albedo_of([&](const V3f& wi) {
                const float f = surface::fuzz(r, wo, wi);
                CHECK_FALSE(f * wi.z > bound * 1.0001f);
                expected += wi * (f * wi.z);
                return 0.f;
            });
            if (all < .05) continue;
            expected *= float(2. * M_PI / (300. * 120.) / all);
            V3f drawn(0.f);
            constexpr int n = 20000;
            for (int i = 0; i < n; ++i) drawn += surface::fuzz_direction(r, wo, [&] { return u(random); });
            drawn /= float(n);
            for (int c = 0; c < 3; ++c) CHECK(drawn[c] == Approx(expected[c]).margin(.02));
            const V3f wi = direction(.35f, 2.f);
            CHECK(surface::fuzz(r, wo, wi) == Approx(surface::fuzz(r, wi, wo)).epsilon(1e-4));
        }
}

TEST_CASE("shares at the nodes of facets' angles add up, and carry what is straight in the cosine as it is") {
    std::mt19937 random(8);
    float nodes[surface::facet_nodes] = {};
    double sum = 0;
    double straight = 0;
    for (int i = 0; i < 500; ++i) {
        const float mu = float(random() % 10001) / 10000.f;
        const float share = float(random() % 100) / 100.f;
        surface::add_to_nodes(mu, share, nodes);
        sum += double(share);
        straight += double(share * (2.f - 3.f * mu));
    }
    double got = 0;
    double got_straight = 0;
    for (int k = 0; k < surface::facet_nodes; ++k) {
        CHECK(nodes[k] >= 0.f);
        got += double(nodes[k]);
        got_straight += double(nodes[k] * (2.f - 3.f * surface::facet_node(k)));
    }
    CHECK(got == Approx(sum).epsilon(1e-5));
    CHECK(got_straight == Approx(straight).epsilon(1e-4));
}

TEST_CASE("glowing bodies have the colour of their temperature and one brightness") {
    auto chromaticity = [](const V3f& c) {
        const double x = .4124 * double(c.x) + .3576 * double(c.y) + .1805 * double(c.z);
        const double y = .2126 * double(c.x) + .7152 * double(c.y) + .0722 * double(c.z);
        const double z = .0193 * double(c.x) + .1192 * double(c.y) + .9505 * double(c.z);
        return std::pair{x / (x + y + z), y / (x + y + z)};
    };
    const auto [ax, ay] = chromaticity(render::black_body(2856.f));  // CIE standard illuminant A
    CHECK(ax == Approx(.4476).margin(.003));
    CHECK(ay == Approx(.4074).margin(.003));
    const auto [dx, dy] = chromaticity(render::black_body(6504.f));  // on the locus, beside daylight of that name
    CHECK(dx == Approx(.3135).margin(.003));
    CHECK(dy == Approx(.3237).margin(.003));
    float last = 1e9f;
    for (float t = 1000.f; t <= 15000.f; t += 500.f) {
        const V3f c = render::black_body(t);
        CHECK(luminance(c) == Approx(1.f).epsilon(1e-4));
        CHECK(c.x / std::max(c.z, 1e-4f) <= last * 1.0001f);  // ever bluer
        last = c.x / std::max(c.z, 1e-4f);
    }
    CHECK(render::black_body(200.f) == render::black_body(1000.f));
    surface::Slots lamp;
    CHECK(render::emitted(lamp) == V3f(0.f));
    lamp.emission_luminance = 2500.f;
    lamp.emission_color = V3f(1.f, .5f, .25f);
    CHECK((render::emitted(lamp) - V3f(2.5f, 1.25f, .625f)).length() < 1e-5f);
    lamp.emission_temperature = 3000.f;
    CHECK(luminance(render::emitted(lamp)) < luminance(V3f(2.5f)));
}

TEST_CASE("wavelengths have their hue: violet, blue, green, yellow, red, and none where the eye sees none") {
    const V3f blue = surface::rec709_of(460.f);
    const V3f green = surface::rec709_of(540.f);
    const V3f yellow = surface::rec709_of(580.f);
    const V3f red = surface::rec709_of(640.f);
    CHECK(blue.z > 4.f * std::max(blue.x, blue.y));
    CHECK(green.y > 2.f * std::max(green.x, green.z));
    CHECK(yellow.x > .5f * yellow.y);
    CHECK(yellow.z < .1f * yellow.y);
    CHECK(red.x > 4.f * std::max(red.y, red.z));
    CHECK(luminance(surface::rec709_of(555.f)) == Approx(1.f).margin(.03));  // V(555 nm) = 1
    CHECK(max_component(surface::rec709_of(330.f)) < .02f);
    CHECK(max_component(surface::rec709_of(780.f)) < .02f);
}

namespace {
using surface::MetalFresnel;
using Number = std::complex<double>;

MetalFresnel by_constants(const V3f& n, const V3f& k) {
    MetalFresnel m;
    m.exact = true;
    m.n = n;
    m.k = k;
    m.colors = surface::conductor_f82(n, k, 1.f);
    return m;
}
/// Airy's sum with complex amplitudes, at every nanometre; n and k of the red, green and blue third of the spectrum.
V3f film_by_waves(double mu, double micrometres, double film, const V3f& n, const V3f& k) {
    V3f sum(0.f);
    V3f white(0.f);
    const double inner = std::sqrt(1 - (1 - mu * mu) / (film * film));
    for (int nm = 400; nm < 700; ++nm) {
        const int c = nm < 490 ? 2 : nm < 580 ? 1 : 0;
        const Number metal{double(n[c]), double(k[c])};
        const Number q = std::sqrt(metal * metal - (1 - mu * mu));
        const Number turn = std::exp(Number(0, 4 * M_PI * film * micrometres * inner / (nm * 1e-3)));
        auto whole = [&](const Number& a, const Number& b) { return std::norm((a + b * turn) / (1. + a * b * turn)); };
        const double s = (mu - film * inner) / (mu + film * inner);
        const double p = (film * mu - inner) / (film * mu + inner);
        const double r = .5 * (whole(s, (film * inner - q) / (film * inner + q)) +
                               whole(p, (metal * metal * inner - film * q) / (metal * metal * inner + film * q)));
        const V3f w = surface::rec709_of(float(nm));
        sum += w * float(r);
        white += w;
    }
    return {sum.x / white.x, sum.y / white.y, sum.z / white.z};
}
}  // namespace

TEST_CASE("a film on a metal has the colour of its fringes, as waves in it have") {
    const V3f iron_n(2.9f, 2.9f, 2.6f);
    const V3f iron_k(3.1f, 2.9f, 2.8f);
    const V3f gold_n(.18f, .42f, 1.37f);
    const V3f gold_k(3.42f, 2.35f, 1.77f);
    for (const auto& [n, k] : {std::pair{iron_n, iron_k}, std::pair{gold_n, gold_k}})
        for (const float film : {1.5f, 2.2f})
            for (const float mu : {.2f, .6f, 1.f}) {
                const MetalFresnel metal = by_constants(n, k);
                double off = 0;
                double off_by_colour = 0;
                MetalFresnel colour = metal;
                colour.exact = false;
                int count = 0;
                for (float d = .02f; d < .4f; d += .02f)
                    for (int c = 0; c < 3; ++c, ++count) {
                        V3f expected = film_by_waves(double(mu), double(d), double(film), n, k);
                        expected *= metal(mu) / film_by_waves(double(mu), 0., double(film), n, k);
                        const V3f got = surface::thin_film_on_metal(mu, d, film, metal);
                        const V3f guessed = surface::thin_film_on_metal(mu, d, film, colour);
                        off += std::pow(double(got[c] - expected[c]), 2);
                        off_by_colour += std::pow(double(guessed[c] - expected[c]), 2);
                    }
                INFO("n " << n.x << " film " << film << " cos " << mu);
                CHECK(std::sqrt(off / count) < .03);            // ten bands in place of three hundred waves
                CHECK(std::sqrt(off_by_colour / count) < .14);  // the phase is guessed from how bright it is
            }
}

TEST_CASE("a film on a metal that reflects all changes nothing, nor does one of no thickness") {
    MetalFresnel mirror;
    mirror.colors = surface::FresnelF82(V3f(1.f), V3f(1.f));
    MetalFresnel brass;
    brass.colors = surface::FresnelF82(V3f(.89f, .78f, .42f), V3f(.95f, .9f, .8f));
    for (const float mu : {.05f, .2f, .6f, 1.f})
        for (int c = 0; c < 3; ++c) {
            CHECK(surface::thin_film_on_metal(mu, .4f, 1.4f, mirror)[c] == Approx(1.f).margin(.004));
            CHECK(surface::thin_film_on_metal(mu, 1e-5f, 1.8f, brass)[c] == Approx(brass(mu)[c]).margin(.004));
            for (float d = .05f; d < 3.f; d += .07f) {
                const float r = surface::thin_film_on_metal(mu, d, 1.7f, brass)[c];
                CHECK_FALSE(!(r >= 0.f && r <= 1.f));
            }
        }
}
