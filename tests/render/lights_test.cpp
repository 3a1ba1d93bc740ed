#include "render/lights.h"
#include "render/environment.h"
#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

render::AreaLight light(const std::string& shape, const V3f& position, const V3f& target, const V2f& size) {
    scene::Light l;
    l.shape = shape;
    l.position = position;
    l.target = target;
    l.size = size;
    l.intensity = 1.f;
    l.color = V3f(1.f);
    return render::prepare_light(l, 1);
}

/// Irradiance at the origin on a surface that faces +z, by sampling the light.
double irradiance(const render::AreaLight& a, int n = 200000) {
    std::mt19937 random(1);
    std::uniform_real_distribution<float> u(0.f, 1.f);
    double sum = 0;
    for (int i = 0; i < n; ++i) {
        const auto s = render::sample_light(a, V3f(0.f), u(random), u(random));
        if (s.pdf > 0.f) sum += double(s.radiance.x * std::max(0.f, s.direction.z) / s.pdf);
    }
    return sum / n;
}

}  // namespace

TEST_CASE("a rectangle light gives the irradiance of its closed form") {
    // Lambert's formula for a polygon: E = 1/2 sum theta_i (n . gamma_i), for a rectangle over the middle: four times
    // that of a corner.
    const float w = .8f, h = .5f, d = 1.2f;
    const auto corner = [&](double a, double b) {
        return .5 * (a / std::sqrt(1 + a * a) * std::atan(b / std::sqrt(1 + a * a)) +
                     b / std::sqrt(1 + b * b) * std::atan(a / std::sqrt(1 + b * b)));
    };
    const double expected = 4. * corner(double(w) / 2 / double(d), double(h) / 2 / double(d));
    CHECK(irradiance(light("rectangle", {0, 0, d}, {0, 0, 0}, {w, h})) == Approx(expected).epsilon(.01));
    CHECK(irradiance(light("rectangle", {0, 0, d}, {0, 0, 2 * d}, {w, h})) == 0.);  // its back is dark
}

TEST_CASE("a sphere light gives the irradiance of its closed form") {
    // E = pi L (r / d)^2 cos, while all of it lies above the horizon.
    const float r = .3f;
    CHECK(irradiance(light("sphere", {0, 0, 2}, {0, 0, 0}, {2 * r, 0})) ==
          Approx(M_PI * double(r * r) / 4.).epsilon(.01));
    const V3f slanted = V3f(1, 0, 1).normalized() * 2.f;
    CHECK(irradiance(light("sphere", slanted, {0, 0, 0}, {2 * r, 0})) ==
          Approx(M_PI * double(r * r) / 4. * std::sqrt(.5)).epsilon(.01));
}

TEST_CASE("for every kind of light: the density is that of its samples, and where a sample goes the light is met") {
    std::mt19937 random(3);
    std::uniform_real_distribution<float> u(0.f, 1.f);
    for (const render::LightKind& kind : render::light_kinds()) {
        INFO(kind.name);
        const auto a = light(kind.name, {.4f, .3f, 1.5f}, {0, 0, 0}, {.6f, .4f});
        CHECK(kind.area(a) > 0.f);
        for (int i = 0; i < 2000; ++i) {
            const auto s = render::sample_light(a, V3f(0.f), .001f + .998f * u(random), u(random));
            REQUIRE(s.pdf > 0.f);
            CHECK(render::light_pdf(a, V3f(0.f), s.direction) == Approx(s.pdf).epsilon(2e-3));
            CHECK(render::intersect(a, V3f(0.f), s.direction) == Approx(s.distance).epsilon(2e-3));
        }
        CHECK(render::light_pdf(a, V3f(0.f), V3f(0, 0, -1)) == 0.f);
        CHECK(std::isinf(render::intersect(a, V3f(0.f), V3f(0, 0, -1))));
    }
    CHECK(&render::light_kind("of no such shape") == &render::light_kinds().front());
}

TEST_CASE("the density of an environment integrates to one and is that of its samples") {
    texture::LinearImage picture;
    picture.width = 64;
    picture.height = 32;
    std::mt19937 random(2);
    for (int i = 0; i < 64 * 32; ++i)
        picture.pixels.push_back(V3f(float(random() % 100) / 100.f * (i % 97 == 0 ? 60.f : 1.f)));
    const render::EnvironmentMap map(std::make_shared<const render::EnvironmentImage>(picture), V3f(2.f), 33.f);
    double integral = 0;
    const int rows = 512, columns = 1024;
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x) {
            const double t = (y + .5) / rows * M_PI, p = (x + .5) / columns * 2. * M_PI;
            const V3f d(float(std::sin(t) * std::sin(p)), float(std::cos(t)), float(std::sin(t) * std::cos(p)));
            integral += double(map.pdf(d)) * std::sin(t) * (M_PI / rows) * (2. * M_PI / columns);
        }
    CHECK(integral == Approx(1.).epsilon(.01));
    std::uniform_real_distribution<float> u(0.f, 1.f);
    for (int i = 0; i < 5000; ++i) {
        float density = 0.f;
        V3f light;
        const V3f d = map.sample(u(random), u(random), density, light);
        CHECK(d.length() == Approx(1.f).margin(1e-4));
        CHECK(density == Approx(map.pdf(d)).epsilon(1e-3));
        CHECK(density > 0.f);
    }
}
