// Energy, reciprocity and sampling of the substrate's lobes, and of stacks.
#include "surface/open_pbr.h"

#include "base/parallel.h"
#include "surface_support.h"

using namespace vemtra;
using namespace vemtra::test;
using surface::Bsdf;

namespace {

struct Kind {
    std::string name;
    Slots slots;
    float eta;
};
/// One of every lobe, and mixtures.
std::vector<Kind> kinds() {
    std::vector<Kind> all;
    auto add = [&](std::string name, const Slots& s, float eta = 1.5f) {
        all.push_back({std::move(name), surface::sane(s), eta});
    };
    for (float r : {.25f, .6f, 1.f}) {
        const std::string at = ", roughness " + std::to_string(r).substr(0, 4);
        add("metal" + at, metal(V3f(.9f, .6f, .3f), V3f(1.f, .9f, .8f), r));
        Slots s = metal(V3f(.7f), V3f(1.f), r);
        s.specular_roughness_anisotropy = .7f;
        add("brushed metal" + at, s);
        s = Slots();
        s.base_color = V3f(.1f, .5f, .4f);
        s.specular_roughness = r;
        add("paint" + at, s);
        s.base_diffuse_roughness = .8f;
        s.base_metalness = .4f;
        add("half metal" + at, s, 1.9f);
        s = Slots();
        s.transmission_weight = 1.f;
        s.specular_roughness = r;
        add("glass" + at, s);
        add("glass from inside" + at, s, 1.f / 1.5f);
        s.geometry_thin_walled = 1.f;
        add("thin pane" + at, s);
        s = Slots();
        s.subsurface_weight = .7f;
        s.geometry_thin_walled = 1.f;
        s.specular_roughness = r;
        add("leaf" + at, s);
        s = Slots();
        s.thin_film_weight = 1.f;
        s.specular_roughness = r;
        add("oil film" + at, s);
    }
    return all;
}

/// Integral over the sphere by a grid that is even in cosine and turn.
template <class F> double over_sphere(F&& f, int across = 400, int around = 400) {
    double sum = 0;
    for (int i = 0; i < across; ++i)
        for (int j = 0; j < around; ++j) {
            const float z = 2.f * (float(i) + .5f) / float(across) - 1.f,
                        phi = 2.f * pi * (float(j) + .5f) / float(around), s = std::sqrt(1.f - z * z);
            sum += f(V3f(s * std::cos(phi), s * std::sin(phi), z)) * 4. * M_PI / double(across * around);
        }
    return sum;
}

constexpr int across = 12, around = 12;
size_t cell(const V3f& w) {
    float phi = std::atan2(w.y, w.x);
    if (phi < 0) phi += 2.f * pi;
    return size_t(std::clamp(int((w.z + 1.f) * .5f * across), 0, across - 1) * around +
                  std::min(around - 1, int(phi / (2.f * pi) * around)));
}

}  // namespace

TEST_CASE("white furnace: stacks of up to fifteen lossless layers return all light at any angle") {
    std::mt19937 random(5);
    for (int layers = 1; layers <= 15; ++layers)
        for (int variant = 0; variant < 3; ++variant) {
            Stack stack = lossless_stack(layers, random);
            for (float mu : {1.f, .6f, .25f, .06f}) {
                const Albedo a = albedo(stack, mu, 3000, uint32_t(layers));
                INFO(layers << " layers, variant " << variant << ", cos " << mu << ": " << a.mean.x << " +- "
                            << a.deviation.x);
                CHECK(a.mean.x > .985f - 4.f * a.deviation.x);
                CHECK(a.mean.x < 1.002f + 4.f * a.deviation.x);
                CHECK(a.deviation.x < .03f);  // without coats the weights of mixed lobes spread
                                              // a little, and fuzz alone is weighed
            }
        }
}

TEST_CASE("no surface returns more than it receives, whatever its slots") {
    std::mt19937 random(9);
    auto u = [&] { return float(random() % 1001) / 1000.f; };
    for (int i = 0; i < 80; ++i) {
        Slots s;
        for (const surface::SlotField& f : surface::slot_fields()) {
            const std::string name = f.name;
            if (name.rfind("geometry_", 0) == 0 || name.rfind("metal_", 0) == 0) continue;
            for (int c = 0; c < f.components; ++c)
                surface::at(s, f)[c] = std::max(f.low, 0.f) + u() * std::min(2.f, f.high - std::max(f.low, 0.f));
        }
        s.geometry_thin_walled = float(i % 2);
        Stack stack;
        if (i % 3) stack.add(Coat{u(), 0.f, 1.1f + u(), V3f(u(), u(), u()), 2.f * u()});
        stack.finish(surface::sane(s), {});
        const Albedo a = albedo(stack, .05f + .95f * u(), 4000);
        CHECK(max_component(a.mean - a.deviation * 4.f) < 1.01f);
        CHECK(std::min({a.mean.x, a.mean.y, a.mean.z}) >= 0.f);
    }
}

TEST_CASE("light may go either way: reflection is reciprocal, refraction but for the change of solid angle") {
    std::mt19937 random(2);
    auto u = [&] { return float(random() % 10000) / 10000.f; };
    for (const Kind& k : kinds()) {
        const Bsdf bsdf(k.slots, k.eta), from_below(k.slots, 1.f / k.eta);
        for (int i = 0; i < 150; ++i) {
            const V3f a = direction(.03f + .97f * u(), 6.28f * u()), b = direction(.03f + .97f * u(), 6.28f * u());
            const V3f ab = bsdf.evaluate(bsdf.seen_from(a), b) / b.z, ba = bsdf.evaluate(bsdf.seen_from(b), a) / a.z;
            INFO(k.name);
            for (int c = 0; c < 3; ++c) CHECK(ab[c] == Approx(ba[c]).epsilon(4e-3).margin(1e-5));
            if (k.slots.transmission_weight <= 0.f || k.slots.geometry_thin_walled > 0.f) continue;
            const V3f down(b.x, b.y, -b.z), mirrored_a(a.x, a.y, -a.z);
            const float through = bsdf.evaluate(bsdf.seen_from(a), down).x / b.z;
            const float back = from_below.evaluate(from_below.seen_from(b), mirrored_a).x / a.z;
            CHECK(through == Approx(back * k.eta * k.eta).epsilon(4e-3).margin(1e-4));
        }
    }
}

TEST_CASE("the density of sampling integrates to one") {
    for (const Kind& k : kinds())
        for (float mu : {.95f, .5f, .2f}) {
            const Bsdf bsdf(k.slots, k.eta);
            const Bsdf::Seen seen = bsdf.seen_from(direction(mu));
            const double sum = over_sphere([&](const V3f& w) { return double(bsdf.pdf(seen, w)); },
                                           k.slots.specular_roughness < .5f ? 3000 : 900,
                                           k.slots.specular_roughness < .5f ? 900 : 360);
            int lost = 0;  // reflections that would go into the surface, and refractions that are none, carry no light
            constexpr int n = 40000;
            std::mt19937 random(3);
            std::uniform_real_distribution<float> u(0.f, .9999999f);
            for (int i = 0; i < n; ++i) {
                const float a = u(random), b = u(random), c = u(random);
                lost += bsdf.sample(seen, a, b, c).pdf == 0.f;
            }
            INFO(k.name << ", cos " << mu);
            CHECK(sum + double(lost) / n == Approx(1.).margin(.005 + 4. * std::sqrt(.25 / n) * (lost > 0)));
        }
    // Of stacks, where pdf() serves to weigh light sampling.
    std::mt19937 random(8);
    for (int i = 0; i < 12; ++i)
        for (float mu : {.9f, .3f}) {
            Stack stack;
            auto r = [&] { return float(random() % 1001) / 1000.f; };
            for (int k = 0; k < 1 + i % 4; ++k)
                stack.add(Coat{.25f + .7f * r(), 0.f, 1.2f + .6f * r(), V3f(.9f, .7f, .5f), r()});
            if (i % 5 == 4) stack.add(surface::Fuzz{.5f, .4f, V3f(.8f)});
            stack.finish(surface::sane(i % 2 ? lambert(V3f(.8f, .5f, .2f))
                                             : metal(V3f(.9f, .7f, .4f), V3f(1.f), .3f + .5f * r())),
                         {});
            const Stack::Seen seen = stack.seen_from(direction(mu));
            const double sum = over_sphere([&](const V3f& w) { return double(stack.pdf(seen, w)); }, 2400, 480);
            int lost = 0;
            int lost_on_top = 0;
            constexpr int n = 40000;
            std::mt19937 numbers(3);
            std::uniform_real_distribution<float> u(0.f, .9999999f);
            for (int k = 0; k < n; ++k) {
                const float a = u(numbers), b = u(numbers), c = u(numbers);
                lost += stack.blurred_base().sample(seen.base, a, b, c).pdf == 0.f;
                WalkRandom walk{uint32_t(k)};
                if (seen.p_top > 0.f) lost_on_top += stack.sample(seen, Stack::Part::top, a, b, c, walk).pdf == 0.f;
            }
            INFO("stack " << i << ", cos " << mu);
            CHECK(sum + double(seen.p_inside * (1.f - seen.p_lobe)) * lost / n + double(seen.p_top) * lost_on_top / n ==
                  Approx(1.).margin(.005 + 4. * std::sqrt(.25 / n) * (lost > 0)));
        }
}

TEST_CASE("samples fall where the density says: chi-square over cells of the sphere") {
    for (const Kind& k : kinds())
        for (const float mu : {.6f, .1f, .05f}) {
            const Bsdf bsdf(k.slots, k.eta);
            const Bsdf::Seen seen = bsdf.seen_from(direction(mu, .4f));
            constexpr int n = 60000;
            const int fine = mu < .08f ? 300 : 60;  // near the horizon densities change much within a cell
            std::vector<double> expected(across * around), found(across * around);
            for (int i = 0; i < across * fine; ++i)
                for (int j = 0; j < around * fine; ++j) {
                    const float z = 2.f * (float(i) + .5f) / (across * fine) - 1.f,
                                phi = 2.f * pi * (float(j) + .5f) / (around * fine), s = std::sqrt(1.f - z * z);
                    const V3f w(s * std::cos(phi), s * std::sin(phi), z);
                    expected[size_t(i / fine * around + j / fine)] +=
                        double(bsdf.pdf(seen, w)) * 4. * M_PI / double(across * fine * around * fine) * n;
                }
            std::mt19937 random(4);
            std::uniform_real_distribution<float> u(0.f, .9999999f);
            for (int i = 0; i < n; ++i) {
                const float a = u(random), b = u(random), c = u(random);
                const auto s = bsdf.sample(seen, a, b, c);
                if (s.pdf > 0.f) found[cell(s.wi)] += 1.;
            }
            double chi = 0;
            int cells = 0;
            for (size_t i = 0; i < found.size(); ++i)
                if (expected[i] > 12) chi += (found[i] - expected[i]) * (found[i] - expected[i]) / expected[i], ++cells;
            INFO(k.name << ", cos " << mu << ", " << cells << " cells, chi-square " << chi);
            CHECK(chi < cells + 6.0 * std::sqrt(2.0 * cells));
        }
}

namespace {
Stack stack_of_chance(int variant, std::mt19937& random) {
    auto u = [&] { return float(random() % 1001) / 1000.f; };
    Stack stack;
    for (int k = 0; k < 1 + variant % 4; ++k) {
        const bool fuzzy = variant % 5 == 4 && k == 0;
        if (fuzzy)
            stack.add(surface::Fuzz{.6f, .5f, V3f(.9f, .6f, .4f)});
        else
            stack.add(Coat{.15f + .6f * u(), variant % 3 ? 0.f : .5f, 1.2f + .5f * u(), V3f(.9f, .7f, .5f), u(),
                           surface::Tilt::make(variant % 4 == 3 ? V3f(.1f, .05f, 1.f) : V3f(0.f), V3f(0.f))});
    }
    Slots base = variant % 2 ? lambert(V3f(.8f, .5f, .2f)) : metal(V3f(.9f, .7f, .4f), V3f(1.f), .2f + .5f * u());
    if (variant % 7 == 6) base = Slots(), base.specular_roughness = .4f;
    stack.finish(surface::sane(base), {});
    return stack;
}
struct Compared {
    double chi = 0;
    int cells = 0;
};
Compared sampled_against_evaluated(const Stack& stack, const Stack::Seen& seen, int n) {
    std::vector<double> sampled(across * around), sampled2(across * around), evaluated(across * around),
        evaluated2(across * around);
    std::mt19937 numbers(6);
    std::uniform_real_distribution<float> x(0.f, .9999999f);
    WalkRandom walk(77);
    for (int i = 0; i < n; ++i) {
        const float a = x(numbers), b = x(numbers), c = x(numbers);
        const auto s = stack.sample(seen, a, b, c, walk);
        if (s.pdf > 0.f) {
            const double w = double(s.weight.y);
            sampled[cell(s.wi)] += w / n;
            sampled2[cell(s.wi)] += w * w / n;
        }
        const V3f wi = direction(x(numbers), 2.f * pi * x(numbers));
        const double f = double(stack.evaluate(seen, wi, walk).y) * 2. * M_PI;
        evaluated[cell(wi)] += f / n;
        evaluated2[cell(wi)] += f * f / n;
    }
    Compared out;
    for (size_t i = 0; i < sampled.size(); ++i) {
        const double variance =
            (sampled2[i] - sampled[i] * sampled[i] + evaluated2[i] - evaluated[i] * evaluated[i]) / n;
        if (sampled[i] < 2e-4 || variance <= 0) continue;
        out.chi += (sampled[i] - evaluated[i]) * (sampled[i] - evaluated[i]) / variance;
        ++out.cells;
    }
    return out;
}
}  // namespace

TEST_CASE("of random stacks, sampled light and evaluated light agree in every cell") {
    std::mt19937 random(31);
    constexpr int variants = 14;
    std::vector<Stack> stacks;
    std::vector<V3f> seen_from;
    for (int variant = 0; variant < variants; ++variant) {
        stacks.push_back(stack_of_chance(variant, random));
        seen_from.push_back(direction(.4f + .5f * float(random() % 1001) / 1000.f, .3f));
    }
    for (int variant = 0; variant < variants; ++variant) {  // and the same at grazing angles
        stacks.push_back(stacks[size_t(variant)]);
        seen_from.push_back(direction(variant % 2 ? .05f : .12f, .3f));
    }
    std::vector<Compared> found(stacks.size());
    parallel_ranges(stacks.size(), 1, [&](size_t first, size_t last) {
        for (size_t k = first; k < last; ++k)
            found[k] = sampled_against_evaluated(stacks[k], stacks[k].seen_from(seen_from[k]), 90000);
    });
    for (size_t variant = 0; variant < stacks.size(); ++variant) {
        const Compared& c = found[variant];
        INFO("variant " << variant << ", cos " << seen_from[variant].z << ": chi-square " << c.chi << " over "
                        << c.cells << " cells");
        CHECK(c.cells > 20);
        CHECK(c.chi < c.cells + 6.0 * std::sqrt(2.0 * c.cells));
    }
}

TEST_CASE("values that make no sense become sane ones, and stay finite") {
    for (float bad : {NAN, INFINITY, -INFINITY, -5.f, 1e30f, 0.f, 1e9f}) {
        Slots s;
        for (const surface::SlotField& f : surface::slot_fields())
            for (int c = 0; c < f.components; ++c) surface::at(s, f)[c] = bad;
        s = surface::sane(s);
        CHECK(s.specular_ior >= 1.f);
        Stack stack;
        stack.add(Coat{s.coat_roughness, s.coat_roughness_anisotropy, s.coat_ior, s.coat_color, s.thickness,
                       surface::Tilt::make(s.geometry_coat_normal, s.geometry_coat_tangent)});
        stack.add(surface::Fuzz{s.fuzz_weight, s.fuzz_roughness, s.fuzz_color});
        stack.finish(s, surface::Tilt::make(s.geometry_normal, s.geometry_tangent));
        for (float mu : {1.f, .5f, .001f, 0.f}) {
            const Stack::Seen seen = stack.seen_from(direction(mu));
            WalkRandom walk(3);
            for (const V3f& wi : {direction(.5f, 1.f), direction(1.f), direction(1e-4f, 2.f)})
                CHECK(finite(stack.evaluate(seen, wi, walk)));
            for (int i = 0; i < 50; ++i) CHECK(finite(stack.sample(seen, float(i) / 50.f, .6f, .2f, walk).weight));
        }
    }
}

TEST_CASE("a glossy body under a coat of nearly its own index: what is evaluated is what is sampled, without spikes") {
    for (float ior : {1.45f, 1.5f, 1.6f}) {
        Slots glazed;
        glazed.base_color = V3f(.75f);
        glazed.specular_roughness = .05f;
        glazed.specular_ior = ior;
        Stack stack;
        stack.add(Coat{.02f, 0.f, 1.52f});
        stack.finish(surface::sane(glazed), {});
        const Stack::Seen seen = stack.seen_from(direction(.9f));
        const float sampled = albedo(stack, .9f, 40000).mean.x;
        double evaluated = 0, most = 0;
        constexpr int n = 60000;
        std::mt19937 random(3);
        std::uniform_real_distribution<float> u(0.f, .9999999f);
        for (int i = 0; i < n; ++i) {
            WalkRandom walk(uint32_t(i) * 77u + 1u);
            const float a = u(random), b = u(random);
            const V3f wi = surface::cosine_direction(a, b);
            const double f = double(stack.evaluate(seen, wi, walk).x / std::max(1e-4f, wi.z)) * M_PI;
            if ((wi - V3f(-seen.wo.x, -seen.wo.y, seen.wo.z)).length() < .1f) continue;  // the coat's own highlight
            evaluated += f / n;
            most = std::max(most, f);
        }
        INFO("base of IOR " << ior << ": sampled " << sampled << ", evaluated " << evaluated
                            << " without the highlight");
        CHECK(evaluated < double(sampled));
        CHECK(evaluated > double(sampled) - .12);
        CHECK(most < 12.);
    }
}

TEST_CASE("coats: thickness deepens the colour, more so at grazing angles; equal media make no interface") {
    Slots ash = lambert(V3f(.75f, .65f, .5f));
    auto varnished = [&](float thickness, float mu) {
        Stack s;
        s.add(Coat{0.f, 0.f, 1.5f, V3f(.9f, .65f, .3f), thickness});
        s.finish(surface::sane(ash), {});
        return albedo(s, mu, 30000).mean;
    };
    const V3f thin = varnished(.25f, .9f), thick = varnished(1.5f, .9f);
    CHECK(thick.z < .5f * thin.z);
    CHECK(thick.x / thick.z > 1.6f * thin.x / thin.z);  // warmer, and darker
    CHECK(luminance(varnished(.25f, .9f)) > luminance(thick));
    Stack none;
    none.add(Coat{.4f, 0.f, 1.f});
    none.finish(surface::sane(ash), {});
    CHECK(albedo(none, .5f, 20000).mean.x == Approx(.75f).margin(.01));
}
