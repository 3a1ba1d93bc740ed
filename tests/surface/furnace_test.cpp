// White stays white: every lobe and combination that keeps all light gives all of it back, from both sides, however
// rough, brushed or grazing.
#include "base/parallel.h"
#include "surface/open_pbr.h"
#include "surface_support.h"

using namespace vemtra;
using namespace vemtra::test;
using surface::Bsdf;
using surface::Fuzz;
using surface::Tilt;

namespace {

constexpr float roughnesses[] = {0.f, .05f, .1f, .2f, .3f, .45f, .6f, .75f, .9f, 1.f};
constexpr float cosines[] = {.05f, .1f, .25f, .5f, .8f, 1.f};

/// A surface that keeps all light, at a roughness.
struct White {
    const char* name;
    std::function<Stack(float)> make;
    bool walks = false;  ///< sampled by a walk, whose density is not known
};

Slots white() {
    Slots s;
    s.base_color = V3f(1.f);
    return s;
}
Stack bare(const Slots& s, bool leaving = false) {
    Stack stack;
    stack.finish(surface::sane(s), {}, -1, leaving);
    return stack;
}
Slots with_film(Slots s, float thickness, float ior) {
    s.thin_film_weight = 1.f;
    s.thin_film_thickness = thickness;
    s.thin_film_ior = ior;
    return s;
}

std::vector<White> whites() {
    auto rough = [](Slots s, float r) {
        s.specular_roughness = r;
        return s;
    };
    auto pane = [](float r) {
        Slots s;
        s.transmission_weight = 1.f;
        s.specular_roughness = r;
        s.geometry_thin_walled = 1.f;
        return s;
    };
    auto brushed = [](float r, float stretched) {
        Slots s = metal(V3f(1.f), V3f(1.f), r);
        s.specular_roughness_anisotropy = stretched;
        return s;
    };
    std::vector<White> all;
    all.push_back({"paint", [=](float r) { return bare(rough(white(), r)); }});
    all.push_back({"paint of high index", [=](float r) {
                       Slots s = rough(white(), r);
                       s.specular_ior = 2.4f;
                       return bare(s);
                   }});
    all.push_back({"rough paint", [=](float r) {
                       Slots s = rough(white(), .4f);
                       s.base_diffuse_roughness = r;
                       return bare(s);
                   }});
    all.push_back({"brushed paint", [=](float r) {
                       Slots s = rough(white(), r);
                       s.specular_roughness_anisotropy = .8f;
                       return bare(s);
                   }});
    for (const float thickness : {.25f, .55f})
        all.push_back({thickness < .3f ? "film on paint" : "thick film on paint",
                       [=](float r) { return bare(with_film(rough(white(), r), thickness, 1.8f)); }});
    all.push_back({"film on metal", [=](float r) { return bare(with_film(metal(V3f(1.f), V3f(1.f), r), .4f, 1.4f)); }});
    for (const float weight : {.5f, 1.f})
        all.push_back({weight < 1.f ? "some fuzz" : "fuzz",
                       [=](float r) {
                           Stack stack;
                           stack.add(Fuzz{weight, r, V3f(1.f)});
                           stack.finish(surface::sane(lambert(V3f(1.f))), {});
                           return stack;
                       },
                       true});
    all.push_back({"fuzz over paint",
                   [=](float r) {
                       Stack stack;
                       stack.add(Fuzz{1.f, r, V3f(1.f)});
                       stack.finish(surface::sane(rough(white(), .3f)), {});
                       return stack;
                   },
                   true});
    all.push_back({"pane", [=](float r) { return bare(pane(r)); }});
    all.push_back({"brushed pane", [=](float r) {
                       Slots s = pane(r);
                       s.specular_roughness_anisotropy = .7f;
                       return bare(s);
                   }});
    all.push_back({"pane with film", [=](float r) { return bare(with_film(pane(r), .3f, 1.7f)); }});
    all.push_back({"leaf", [=](float r) {
                       Slots s = pane(r);
                       s.transmission_weight = 0.f;
                       s.subsurface_weight = 1.f;
                       s.subsurface_color = V3f(1.f);
                       return bare(s);
                   }});
    all.push_back({"thin sheet of paint", [=](float r) {
                       Slots s = pane(r);
                       s.transmission_weight = 0.f;
                       s.base_color = V3f(1.f);
                       return bare(s);
                   }});
    for (const float stretched : {.3f, .6f, .8f, .95f})
        all.push_back({stretched < .4f   ? "metal brushed a little"
                       : stretched < .7f ? "brushed metal"
                       : stretched < .9f ? "metal brushed hard"
                                         : "metal brushed to the end",
                       [=](float r) { return bare(brushed(r, stretched)); }});
    for (const float ior : {1.02f, 1.3f, 1.5f, 2.4f})
        for (const bool leaving : {false, true})
            all.push_back({leaving ? "glass from inside" : "glass", [=](float r) {
                               Slots s = rough(white(), r);
                               s.transmission_weight = 1.f;
                               s.specular_ior = ior;
                               return bare(s, leaving);
                           }});
    all.push_back({"brushed glass", [=](float r) {
                       Slots s = rough(white(), r);
                       s.transmission_weight = 1.f;
                       s.specular_roughness_anisotropy = .7f;
                       return bare(s);
                   }});
    all.push_back({"glass with film", [=](float r) {
                       Slots s = rough(white(), r);
                       s.transmission_weight = 1.f;
                       return bare(with_film(s, .35f, 1.9f));
                   }});
    all.push_back({"coated glass",
                   [=](float r) {
                       Slots s = rough(white(), .2f);
                       s.transmission_weight = 1.f;
                       Stack stack;
                       stack.add(Coat{r, 0.f, 1.6f});
                       stack.finish(surface::sane(s), {});
                       return stack;
                   },
                   true});
    all.push_back({"coated brushed metal",
                   [=](float r) {
                       Stack stack;
                       stack.add(Coat{r, .6f, 1.6f});
                       stack.finish(surface::sane(brushed(.4f, .7f)), {});
                       return stack;
                   },
                   true});
    all.push_back({"coat over film over paint",
                   [=](float r) {
                       Stack stack;
                       stack.add(Coat{.2f, 0.f, 1.4f});
                       stack.finish(surface::sane(with_film(rough(white(), r), .45f, 1.8f)), {});
                       return stack;
                   },
                   true});
    return all;
}

float halton(int i, int base) {
    double value = 0;
    double step = 1;
    for (int n = i + 1; n > 0; n /= base) value += (step /= base) * (n % base);
    return float(value);
}

/// All that is evaluated over the sphere, by the density of sampling mixed with an even one, so that no narrow lobe and
/// no tail is missed.
Albedo evaluated(const Stack& stack, bool walks, const V3f& wo, int n) {
    const Stack::Seen seen = stack.seen_from(wo);
    std::mt19937 random(11);
    std::uniform_real_distribution<float> u(0.f, .9999999f);
    double sum = 0;
    double squares = 0;
    for (int i = 0; i < n; ++i) {
        WalkRandom walk(uint32_t(i) * 7919u + 3u);
        V3f wi;
        if (i % 2) {
            const float a = u(random), b = u(random), c = u(random);
            const surface::Scattered s =
                walks ? stack.blurred_base().sample(seen.base, a, b, c) : stack.sample(seen, a, b, c, walk);
            wi = s.wi;
            if (!(s.pdf > 0.f)) continue;
        } else {
            const float z = 2.f * u(random) - 1.f;
            wi = direction(std::fabs(z), 2.f * pi * u(random));
            wi.z = z;
        }
        const double density =
            .5 * double(walks ? stack.blurred_base().pdf(seen.base, wi) : stack.pdf(seen, wi)) + .5 / (4. * M_PI);
        const double f = double(stack.evaluate(seen, wi, walk).y) / density;
        sum += f;
        squares += f * f;
    }
    const double mean = sum / n;
    return {V3f(float(mean)), V3f(float(std::sqrt(std::max(0., squares / n - mean * mean) / n)))};
}

}  // namespace

namespace {
struct Worst {
    float off = 0.f;
    std::string where;
};
Worst furnace_of(const White& kind, int n) {
    Worst worst;
    for (const float r : roughnesses) {
        const Stack stack = kind.make(r);
        for (const float mu : cosines)
            for (const float turn : {.3f, 1.2f}) {
                const V3f wo = direction(std::min(mu, .99999f), turn);
                const Stack::Seen seen = stack.seen_from(wo);
                double sum[3] = {};
                double squares[3] = {};
                for (int i = 0; i < n; ++i) {
                    WalkRandom walk(uint32_t(i) * 7919u + 1u);
                    // Halton's sequence: what is left is the error of the weights.
                    const float a = halton(i, 2), b = halton(i, 3), c = halton(i, 5);
                    const surface::Scattered s = stack.sample(seen, std::min(a, .9999999f), b, c, walk);
                    for (int k = 0; k < 3 && s.pdf > 0.f; ++k) {
                        sum[k] += double(s.weight[k]);
                        squares[k] += double(s.weight[k]) * double(s.weight[k]);
                    }
                }
                for (int k = 0; k < 3; ++k) {
                    const double mean = sum[k] / n;
                    // Walks between coats have numbers of their own; without them the sequence is even.
                    const double noise =
                        (kind.walks ? 3. : 1.5) * std::sqrt(std::max(0., squares[k] / n - mean * mean) / n);
                    const float off = float(std::fabs(mean - 1.) - std::min(noise, .03));
                    if (off <= worst.off) continue;
                    worst.off = off;
                    worst.where = "roughness " + std::to_string(r) + " cos " + std::to_string(mu) + " turn " +
                                  std::to_string(turn) + ": " + std::to_string(mean) + ", noise " +
                                  std::to_string(noise);
                }
            }
    }
    return worst;
}
void furnace(int n, float most) {
    const std::vector<White> kinds = whites();
    std::vector<Worst> found(kinds.size());
    parallel_ranges(kinds.size(), 1, [&](size_t first, size_t last) {
        for (size_t k = first; k < last; ++k) found[k] = furnace_of(kinds[k], n);
    });
    for (size_t k = 0; k < kinds.size(); ++k) {
        if (std::getenv("VEMTRA_TELL")) WARN(kinds[k].name << ": " << found[k].off << " at " << found[k].where);
        INFO(kinds[k].name << ": " << found[k].where);
        CHECK(found[k].off < most);
    }
}
}  // namespace

TEST_CASE("white furnace: every lobe and combination keeps all light, at any roughness and angle") {
    furnace(6000, .008f);
}
TEST_CASE("white furnace, with many more samples", "[.thorough]") {
    furnace(100000, .005f);
}

TEST_CASE("what is evaluated adds up to what is sampled, at grazing angles too") {
    for (const White& kind : whites()) {
        float worst = 0.f;
        std::string where;
        for (const float r : {.15f, .4f, 1.f}) {
            const Stack stack = kind.make(r);
            for (const float mu : {.05f, .25f, .8f}) {
                const Albedo a = evaluated(stack, kind.walks, direction(mu, .7f), 6000);
                // Where coats are much sharper than what they lie over the mean is not known so soon.
                if (a.deviation.x > .03f) continue;
                const float off = std::fabs(a.mean.x - 1.f) - 4.f * a.deviation.x;
                if (off <= worst) continue;
                worst = off;
                where = "roughness " + std::to_string(r) + " cos " + std::to_string(mu) + ": " +
                        std::to_string(a.mean.x) + " +- " + std::to_string(a.deviation.x);
            }
        }
        if (std::getenv("VEMTRA_TELL")) WARN(kind.name << ": " << worst << " at " << where);
        INFO(kind.name << ": " << where);
        CHECK(worst < .01f);
    }
}
