// Laws that the surface obeys whatever its tables say.
#include "render/body.h"
#include "render_support.h"
#include "surface/thin_film.h"
#include "surface_support.h"

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("white furnace of haze: a body that only scatters keeps all light, however thick") {
    Scratch s;
    s.write("ball.obj", sphere_obj(32));
    auto scene = plain_scene("ball.obj");
    scene.parts[0].source = "sphere";
    for (float radius : {.4f, .05f}) {
        auto& slots = scene.build_ups[0].layers[0].surface;
        slots["transmission_weight"] = {scene::Value{1.f}, {}};
        slots["transmission_depth"] = {scene::Value{radius}, {}};
        slots["transmission_color"] = {scene::Value{V3f(1.f)}, {}};
        slots["transmission_scatter"] = {scene::Value{V3f(1.f)}, {}};
        slots["specular_ior"] = {scene::Value{1.f}, {}};
        scene.render.depth = 64;
        render::Workshop workshop;
        const auto p = prepared(scene, s.path, workshop);
        std::vector<float> alpha;
        const V3f m = mean(rendered(*p, 24, 24, 24));
        for (int c = 0; c < 3; ++c) CHECK(m[c] == Approx(1.f).margin(.03));
    }
}

TEST_CASE("dispersion parts colours by the Abbe number: n_F - n_C = (n_d - 1) / V") {
    // The IOR at a wavelength is read back from the reflectance straight on: r = ((n - 1) / (n + 1))^2. Cauchy's curve
    // through three wavelengths (610, 550, 465 nm) gives the one between Fraunhofer's F and C lines (486.1 and
    // 656.3 nm).
    Slots s;
    s.specular_ior = 1.6f;
    s.transmission_weight = 1.f;
    for (float abbe : {30.f, 55.f}) {
        s.transmission_dispersion_abbe_number = abbe;
        s.transmission_dispersion_scale = 1.f;
        double n[3];
        constexpr float at[] = {.61f, .55f, .465f};
        for (int c = 0; c < 3; ++c) n[c] = double(surface::Bsdf::eta_of(s, 1.f, false, at[c]));
        auto inverse2 = [](double micrometres) { return 1. / (micrometres * micrometres); };
        const double b = (n[2] - n[0]) / (inverse2(.465) - inverse2(.61));
        CHECK(b * (inverse2(.4861) - inverse2(.6563)) == Approx((1.6 - 1.) / double(abbe)).epsilon(.01));
        CHECK(n[0] < n[1]);
        CHECK(n[1] < n[2]);
    }
    s.transmission_dispersion_scale = 0.f;
    CHECK(surface::Bsdf::eta_of(s, 1.f, false, .45f) == surface::Bsdf::eta_of(s, 1.f, false, .65f));
}

TEST_CASE("wavelengths of bent light add up to white, and lean to their colours") {
    V3f sum(0.f);
    constexpr int n = 4000;
    for (int i = 0; i < n; ++i) {
        V3f weight;
        const float wavelength = surface::draw_wavelength((float(i) + .5f) / n, weight);
        CHECK(wavelength > .38f);
        CHECK(wavelength < .72f);
        if (wavelength > .62f) CHECK(weight.x > weight.y + weight.z);
        if (wavelength < .46f) CHECK(weight.z > weight.x + weight.y);
        sum += weight / n;
    }
    for (int c = 0; c < 3; ++c) CHECK(sum[c] == Approx(1.f).margin(.002));
}

TEST_CASE("a film thicker than the fringes can be told apart reflects their mean") {
    // Two interfaces that know nothing of each other's phase (Stokes): R = 1 - (1 - a)(1 - b) / (1 - a b).
    for (const float mu : {.3f, .8f}) {
        const float film = 1.7f;
        const float inner = std::sqrt(1.f - (1.f - mu * mu) / (film * film));
        double rays[2];  // both polarisations
        for (int p = 0; p < 2; ++p) {
            auto r = [&](float c1, float c2, float n1, float n2) {
                const float x =
                    p ? (n2 * c1 - n1 * c2) / (n2 * c1 + n1 * c2) : (n1 * c1 - n2 * c2) / (n1 * c1 + n2 * c2);
                return double(x * x);
            };
            const float under = std::sqrt(1.f - (1.f - mu * mu) / (1.5f * 1.5f));
            const double a = r(mu, inner, 1.f, film), b = r(inner, under, film, 1.5f);
            rays[p] = 1. - (1. - a) * (1. - b) / (1. - a * b);
        }
        for (const float thickness : {20.f, 21.3f}) {
            const V3f f = surface::thin_film_on_dielectric(mu, thickness, film, 1.5f);
            for (int c = 0; c < 3; ++c) CHECK(double(f[c]) == Approx(.5 * (rays[0] + rays[1])).margin(.004));
        }
    }
}

TEST_CASE("a film without thickness is no film") {
    for (float metalness : {0.f, 1.f}) {
        Slots bare = metalness > 0.f ? metal(V3f(.9f, .6f, .3f), V3f(1.f), .3f) : Slots();
        Slots filmed = bare;
        filmed.thin_film_weight = 1.f;
        filmed.thin_film_thickness = 0.f;
        const Stack a = plain(bare), b = plain(filmed);
        for (float mu : {.2f, .6f, .95f}) {
            const auto seen_a = a.seen_from(direction(mu)), seen_b = b.seen_from(direction(mu));
            for (float out : {.3f, .7f})
                for (float phi : {0.f, 1.f, 3.f}) {
                    WalkRandom x(1), y(1);
                    CHECK((a.evaluate(seen_a, direction(out, phi), x) - b.evaluate(seen_b, direction(out, phi), y))
                              .length() < 1e-6f);
                }
        }
    }
    // And in the limit: a film far thinner than a wavelength changes next to nothing.
    for (float mu : {.3f, .8f}) {
        const float eta = 1.5f, c = std::sqrt(1.f - (1.f - mu * mu) / (eta * eta));
        const float rs = (mu - eta * c) / (mu + eta * c), rp = (eta * mu - c) / (eta * mu + c),
                    fresnel = .5f * (rs * rs + rp * rp);
        const V3f film = surface::thin_film_on_dielectric(mu, 1e-5f, 1.4f, eta);
        for (int k = 0; k < 3; ++k) CHECK(film[k] == Approx(fresnel).margin(2e-3));
    }
}

TEST_CASE("coat_darkening 0 keeps the albedo of what lies below, 1 darkens it as a real coat does") {
    auto coated = [](float darkening) {
        Stack stack;
        stack.add(Coat{0.f, 0.f, 1.5f});
        stack.set_darkening(darkening);
        stack.finish(surface::sane(lambert(V3f(.5f))), {});
        return stack;
    };
    const float mu = .9f, bare = albedo(plain(lambert(V3f(.5f))), mu).mean.x;
    const auto lit = albedo(coated(0.f), mu, 60000), dark = albedo(coated(1.f), mu, 60000);
    CHECK(bare == Approx(.5f).margin(.005));
    // What the coat itself reflects comes on top; what lies below has its own brightness again, less what the coat
    // holds back at entry and exit.
    CHECK(lit.mean.x == Approx(.5f).margin(.04));
    CHECK(dark.mean.x < lit.mean.x - .05f);
}

TEST_CASE(
    "an extra lobe: what is evaluated is what is sampled, its density is that of its samples, and light may go either "
    "way") {
    Slots s = lambert(V3f(.4f, .3f, .2f));
    s.retro_weight = .6f;
    s.retro_color = V3f(.9f);
    for (float roughness : {.2f, .5f}) {
        s.retro_roughness = roughness;
        const surface::Bsdf b(surface::sane(s), 1.5f);
        for (float mu : {.95f, .5f}) {
            const auto seen = b.seen_from(direction(mu));
            double density = 0, light = 0;
            const int n = 400;
            for (int y = 0; y < n; ++y)
                for (int x = 0; x < 2 * n; ++x) {
                    const float z = (float(y) + .5f) / float(n);
                    const V3f wi = direction(z, (float(x) + .5f) / float(n) * pi);
                    const double cell = double(1.f / float(n) * pi / float(n));
                    density += double(b.pdf(seen, wi)) * cell;
                    light += double(b.evaluate(seen, wi).x) * cell;
                }
            std::mt19937 random(4);
            std::uniform_real_distribution<float> u(0.f, .9999f);
            double sampled = 0, above = 0;
            for (int i = 0; i < 40000; ++i) {
                const auto made = b.sample(seen, u(random), u(random), u(random));
                if (!(made.pdf > 0.f)) continue;  // it went below the surface
                above += 1;
                sampled += double(made.weight.x);
            }
            CHECK(density == Approx(above / 40000).margin(.01));
            CHECK(density <= 1.005);
            CHECK(sampled / 40000 == Approx(light).epsilon(.02));
            CHECK(light <= 1.);
        }
        const V3f a = direction(.8f, .3f), c = direction(.4f, 2.f);
        const V3f there = b.evaluate(b.seen_from(a), c) / c.z, back = b.evaluate(b.seen_from(c), a) / a.z;
        CHECK(there.x == Approx(back.x).epsilon(1e-3));
        // It is brightest straight back.
        CHECK(b.evaluate(b.seen_from(a), a).x > 3.f * b.evaluate(b.seen_from(a), V3f(-a.x, -a.y, a.z)).x);
    }
}
