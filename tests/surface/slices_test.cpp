// Directional slices of stacks, held against light that is walked through the very microsurfaces; half-spaces from both
// sides likewise.
#include "base/parallel.h"
#include "surface/albedo_tables.h"
#include "surface/microsurface.h"
#include "surface_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

struct Pane {
    float roughness = 0.f, ior = 1.5f, transmittance = 1.f;
};
struct Layered {
    const char* name;
    std::vector<Pane> coats;  ///< outermost first
    float metal = -1.f;       ///< roughness of a white metal below; else a matt body
    float matt = .8f;
};
const std::vector<Layered>& layered() {
    static const std::vector<Layered> all{
        {"glossy on white", {{.3f, 1.5f, 1.f}}, -1.f, .8f},
        {"rough on grey", {{.6f, 1.4f, 1.f}}, -1.f, .3f},
        {"tinted on metal", {{.25f, 1.5f, .7f}}, .4f},
        {"rough on metal", {{.7f, 1.6f, .9f}}, .2f},
        {"satin on satin metal", {{.45f, 1.3f, 1.f}}, .6f},
        {"two on white", {{.2f, 1.5f, .9f}, {.5f, 1.3f, .8f}}, -1.f, .8f},
        {"two on metal", {{.4f, 1.4f, .9f}, {.3f, 1.7f, 1.f}}, .35f},
        {"three on grey", {{.3f, 1.5f, 1.f}, {.5f, 1.2f, .7f}, {.4f, 1.6f, .9f}}, -1.f, .5f},
        {"bare rough metal", {}, .7f}};
    return all;
}
Stack stack_of(const Layered& l) {
    Stack stack;
    for (const Pane& p : l.coats) stack.add(Coat{p.roughness, 0.f, p.ior, V3f(p.transmittance)});
    stack.finish(surface::sane(l.metal >= 0.f ? metal(V3f(1.f), V3f(1.f), l.metal) : lambert(V3f(l.matt))), {});
    return stack;
}

/// Cells of a slice through the plane of incidence: 15 degrees of height, forward and backward, 30 degrees wide.
constexpr int steps = 6;
constexpr int cells = 2 * steps;
constexpr float half_wide = pi / 12.f;
int cell_of(const V3f& w) {
    const float turn = std::atan2(w.y, w.x);
    const bool forward = std::fabs(turn) > pi - half_wide;
    if (!forward && std::fabs(turn) > half_wide) return -1;
    const int height = std::min(steps - 1, int(std::acos(std::min(1.f, w.z)) / (pi / 2.f) * float(steps)));
    return (forward ? steps : 0) + height;
}
V3f in_cell(int cell, float a, float b) {
    const float low = std::cos(pi / 2.f * float(cell % steps + 1) / float(steps));
    const float high = std::cos(pi / 2.f * float(cell % steps) / float(steps));
    const float z = low + (high - low) * a;
    const float turn = (cell >= steps ? pi : 0.f) + half_wide * (2.f * b - 1.f);
    const float s = std::sqrt(1.f - z * z);
    return {s * std::cos(turn), s * std::sin(turn), z};
}
float solid_angle(int cell) {
    return 2.f * half_wide *
           (std::cos(pi / 2.f * float(cell % steps) / float(steps)) -
            std::cos(pi / 2.f * float(cell % steps + 1) / float(steps)));
}

/// Light along -wo through the layers, by the exact walk at each; adds its weight to the cell that it leaves by.
void walk(const Layered& l, const V3f& wo, std::mt19937& random, std::vector<double>& out) {
    std::uniform_real_distribution<float> u(0.f, .9999999f);
    V3f d = -wo;
    float weight = 1.f;
    const int base = int(l.coats.size());
    int at = 0;  // the surface that is met next: above coat `at`, or the base
    while (weight > 1e-4f) {
        const bool down = d.z < 0.f;
        V3f next;
        if (at == base && down) {
            if (l.metal >= 0.f) {
                const surface::Walked w = surface::walk_microsurface(-d, surface::Ggx::from(l.metal), 0.f, random);
                if (!w.left) return;
                next = w.direction;
            } else {
                next = surface::cosine_direction(u(random), u(random));
                weight *= l.matt;
            }
        } else {
            const int interface = down ? at : at - 1;
            const Pane& p = l.coats[size_t(interface)];
            const float above = interface ? l.coats[size_t(interface) - 1].ior : 1.f;
            const V3f from = down ? -d : V3f(-d.x, -d.y, d.z);
            const surface::Walked w = surface::walk_microsurface(from, surface::Ggx::from(p.roughness),
                                                                 down ? p.ior / above : above / p.ior, random);
            if (!w.left) return;
            next = down ? w.direction : V3f(w.direction.x, w.direction.y, -w.direction.z);
            if (!w.reflected) at += down ? 1 : -1;
        }
        d = next;
        if (at == 0 && d.z > 0.f) {
            if (const int c = cell_of(d); c >= 0) out[size_t(c)] += double(weight);
            return;
        }
        const int medium = at - 1;  // between the surface above and the one below
        weight *= std::pow(l.coats[size_t(medium)].transmittance, 1.f / std::max(1e-4f, std::fabs(d.z)));
    }
}

}  // namespace

TEST_CASE("slices of nine stacks are those of light that is walked through their microsurfaces") {
    struct Slice {
        const Layered* of;
        float mu;
        double rms = 0;
        std::string told;
    };
    std::vector<Slice> slices;
    for (const Layered& l : layered())
        for (const float mu : {.9f, .5f, .2f}) slices.push_back({&l, mu});
    parallel_ranges(slices.size(), 1, [&](size_t first, size_t last) {
        for (size_t k = first; k < last; ++k) {
            Slice& s = slices[k];
            const V3f wo = direction(s.mu);
            std::mt19937 random{uint32_t(k + 1)};
            std::uniform_real_distribution<float> u(0.f, .9999999f);
            constexpr int walks = 800000;
            std::vector<double> walked(cells);
            for (int i = 0; i < walks; ++i) walk(*s.of, wo, random, walked);
            const Stack stack = stack_of(*s.of);
            const Stack::Seen seen = stack.seen_from(wo);
            WalkRandom numbers(uint32_t(k) + 5u);
            double error = 0;
            double all = 0;
            double noise = 0;  // of the walks: what their count alone leaves open
            for (int c = 0; c < cells; ++c) {
                constexpr int across = 110;
                double sum = 0;
                for (int a = 0; a < across; ++a)
                    for (int b = 0; b < across; ++b)
                        sum += double(
                            stack
                                .evaluate(seen,
                                          in_cell(c, (float(a) + u(random)) / across, (float(b) + u(random)) / across),
                                          numbers)
                                .x);
                const double told = sum / (across * across) * double(solid_angle(c));
                const double expected = walked[size_t(c)] / walks;
                // As radiance: by the cosine of the cell's middle.
                const double scale = 1. / double(solid_angle(c) * in_cell(c, .5f, .5f).z);
                error += std::pow((told - expected) * scale, 2.);
                all += std::pow(expected * scale, 2.);
                noise += expected / walks * scale * scale;
                char line[80];
                std::snprintf(line, sizeof line, " %.4f/%.4f", told * scale, expected * scale);
                s.told += line;
            }
            s.rms = std::sqrt(std::max(0., error - noise) / all);
        }
    });
    for (const Slice& s : slices) {
        INFO(s.of->name << ", cos " << s.mu << ": " << s.rms << s.told);
        CHECK(s.rms < .03);
    }
}

TEST_CASE("half-spaces of any index reflect what the walk does, from both sides, to grazing angles") {
    struct At {
        float ior, roughness, mu;
        bool above;
        float told = 0.f, walked = 0.f;
    };
    std::vector<At> all;
    for (const float ior : {1.01f, 1.02f, 1.05f, 1.1f, 1.2f, 1.33f, 1.5f, 1.8f, 2.4f})
        for (const float roughness : {.1f, .35f, .6f, 1.f})
            for (const float mu : {.05f, .1f, .15f, .25f, .4f, .8f})
                for (const bool above : {true, false}) all.push_back({ior, roughness, mu, above});
    constexpr int n = 40000;
    parallel_ranges(all.size(), 4, [&](size_t first, size_t last) {
        for (size_t k = first; k < last; ++k) {
            At& a = all[k];
            std::mt19937 random{uint32_t(k + 1)};
            std::uniform_real_distribution<float> u(0.f, .9999999f);
            const surface::Ggx ggx = surface::Ggx::from(a.roughness);
            const float eta = a.above ? a.ior : 1.f / a.ior;
            const surface::RoughInterface interface(ggx, eta);
            const V3f wo = direction(a.mu);
            const auto seen = interface.seen_from(wo);
            int told = 0;
            int walked = 0;
            for (int i = 0; i < n; ++i) {
                told += interface.scatter(seen, [&] { return u(random); }).z > 0.f;
                walked += surface::walk_microsurface(wo, ggx, eta, random).reflected;
            }
            a.told = float(told) / n;
            a.walked = float(walked) / n;
        }
    });
    for (const At& a : all) {
        INFO("IOR " << a.ior << ", roughness " << a.roughness << ", cos " << a.mu << (a.above ? ", above" : ", below")
                    << ": " << a.told << ", walk " << a.walked);
        // The tables' cosines are coarse for the roughest of nearly equal media, seen from the denser one.
        const float known = a.roughness == 1.f && a.ior < 1.015f && !a.above ? .014f : .01f;
        CHECK(std::fabs(a.told - a.walked) < known + 4.f * std::sqrt(2.f * a.walked * (1.f - a.walked) / n));
    }
}
