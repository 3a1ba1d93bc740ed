// randomfloat and randomcolor of MaterialX 1.39: one random value for each value that comes in. A number is told apart
// in steps of 1/4096.
#include "nodes/kernels/hash.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

VEMTRA_INLINE float random_of(float in, float seed) {
    return to_unit(hash2(cell_of(in * 4096.f), cell_of(seed)));
}
/// Ports: in, min, max, seed.
void randomfloat(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        const float low = k.in[1][i];
        k.out[0][i] = low + random_of(k.in[0][i], k.in[3][i]) * (k.in[2][i] - low);
    }
}
/// Ports: in, seed, and the ends of hue, saturation and brightness.
void randomcolor(const KernelArgs& k) {
    constexpr float apart[3] = {0.f, 413.3f, 1522.4f};  // added to the seed, as the standard library has it
    for (int i = 0; i < k.n; ++i) {
        float c[3];
        for (int j = 0; j < 3; ++j) {
            const float low = k.in[2 + 2 * j][i];
            c[j] = low + random_of(k.in[0][i], k.in[1][i] + apart[j]) * (k.in[3 + 2 * j][i] - low);
        }
        const float h = 6.f * (c[0] - __builtin_floorf(c[0]));
        for (int j = 0; j < 3; ++j) {  // distance of the hue from red, green and blue (Smith 1978)
            const float from =
                j == 0 ? __builtin_fabsf(h - 3.f) - 1.f : 2.f - __builtin_fabsf(h - (j == 1 ? 2.f : 4.f));
            k.out[j][i] = c[2] * (1.f - c[1] * (1.f - clamp(from, 0.f, 1.f)));
        }
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(randomfloat)
VEMTRA_DECLARE_KERNEL(randomcolor)

void describe_random(std::vector<NodeDescription>& list) {
    auto number = [](const char* name, const char* help, float value) {
        return Port{.name = name, .help = help, .value = value};
    };
    const Port in = number("in", "What a random value is wanted for.", 0.f);
    Port seed = number("seed", "Another one, other values.", 0.f);
    seed.high = 100.f;
    seed.whole = true;
    list.push_back({.kind = "randomfloat",
                    .title = "Random number",
                    .family = "pattern",
                    .help = "One random number for each value that comes in.",
                    .standard = "MaterialX 1.39 randomfloat",
                    .types = {Type::number},
                    .ports = {in, number("min", "Lower end.", 0.f), number("max", "Upper end.", 1.f), seed},
                    .kernel = VEMTRA_PAIR(randomfloat)});
    list.push_back(
        {.kind = "randomcolor",
         .title = "Random colour",
         .family = "pattern",
         .help = "One random colour for each value that comes in.",
         .standard = "MaterialX 1.39 randomcolor",
         .types = {Type::color},
         .ports = {in, seed, number("huelow", "Hue from.", 0.f), number("huehigh", "Hue to.", 1.f),
                   number("saturationlow", "Saturation from.", 0.f), number("saturationhigh", "Saturation to.", 1.f),
                   number("brightnesslow", "Brightness from.", 0.f), number("brightnesshigh", "Brightness to.", 1.f)},
         .kernel = VEMTRA_PAIR(randomcolor)});
}
#endif
}  // namespace vemtra::nodes
