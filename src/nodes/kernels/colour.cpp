// Colour and tone of MaterialX 1.39: luminance, rgbtohsv, hsvtorgb, hsvadjust, saturate, contrast, smoothstep,
// colorcorrect, blackbody. HSV with all three in 0..1 and a hue that wraps. Weights of luminance are ACEScg's unless
// others are given. blackbody: chromaticity of Planck's radiator by Kim et al. (US patent 7024034), 800 to 25000 K, at
// luminance 1.
#include "nodes/kernels/hash.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

struct Rgb {
    float r, g, b;
};
VEMTRA_INLINE Rgb rgb_to_hsv(Rgb c) {
    const float low = min_of(c.r, min_of(c.g, c.b));
    const float high = max_of(c.r, max_of(c.g, c.b));
    const float delta = high - low;
    const float s = high > 0.f ? delta / high : 0.f;
    const float by = s > 0.f ? 1.f / delta : 0.f;
    float h = c.r >= high ? (c.g - c.b) * by : c.g >= high ? 2.f + (c.b - c.r) * by : 4.f + (c.r - c.g) * by;
    h *= 1.f / 6.f;
    h = h < 0.f ? h + 1.f : h;
    return {s > 0.f ? h : 0.f, s, high};
}
VEMTRA_INLINE Rgb hsv_to_rgb(Rgb c) {
    const float h = 6.f * (c.r - __builtin_floorf(c.r));
    const float s = c.g;
    const float v = c.b;
    const int sixth = int(clamp(h, 0.f, 5.f));
    const float f = h - float(sixth);
    const float p = v * (1.f - s);
    const float q = v * (1.f - s * f);
    const float t = v * (1.f - s * (1.f - f));
    const Rgb made = sixth == 0   ? Rgb{v, t, p}
                     : sixth == 1 ? Rgb{q, v, p}
                     : sixth == 2 ? Rgb{p, v, t}
                     : sixth == 3 ? Rgb{p, q, v}
                     : sixth == 4 ? Rgb{t, p, v}
                                  : Rgb{v, p, q};
    return s < 1e-4f ? Rgb{v, v, v} : made;
}
/// The three components of an input that starts at `at`.
VEMTRA_INLINE Rgb read(const KernelArgs& k, int at, int i) {
    return {k.in[at][i], k.in[at + 1][i], k.in[at + 2][i]};
}
/// Of a colour; an alpha goes by as it is.
VEMTRA_INLINE void write(const KernelArgs& k, int i, Rgb c) {
    k.out[0][i] = c.r;
    k.out[1][i] = c.g;
    k.out[2][i] = c.b;
    if (k.components > 3) k.out[3][i] = k.in[3][i];
}

void rgbtohsv(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) write(k, i, rgb_to_hsv(read(k, 0, i)));
}
void hsvtorgb(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) write(k, i, hsv_to_rgb(read(k, 0, i)));
}
VEMTRA_INLINE Rgb adjusted(Rgb c, Rgb amount) {
    const Rgb hsv = rgb_to_hsv(c);
    return hsv_to_rgb({hsv.r + amount.r, hsv.g * amount.g, hsv.b * amount.b});
}
/// Ports: in, amount (added to hue, times saturation, times value).
void hsvadjust(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) write(k, i, adjusted(read(k, 0, i), read(k, k.components, i)));
}
/// Ports: in, lumacoeffs.
void grey(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        const Rgb c = read(k, 0, i);
        const Rgb w = read(k, k.components, i);
        const float y = c.r * w.r + c.g * w.g + c.b * w.b;
        write(k, i, {y, y, y});
    }
}
VEMTRA_INLINE Rgb saturated(Rgb c, float amount, Rgb w) {
    const float y = (c.r * w.r + c.g * w.g + c.b * w.b) * (1.f - amount);
    return {y + c.r * amount, y + c.g * amount, y + c.b * amount};
}
/// Ports: in, amount, lumacoeffs.
void saturate(const KernelArgs& k) {
    const int n = k.components;
    for (int i = 0; i < k.n; ++i) write(k, i, saturated(read(k, 0, i), k.in[n][i], read(k, n + 1, i)));
}
/// Ports: in, amount, pivot.
void contrast(const KernelArgs& k) {
    const int n = k.components;
    for (int c = 0; c < n; ++c)
        for (int i = 0; i < k.n; ++i)
            k.out[c][i] = (k.in[c][i] - k.in[2 * n + c][i]) * k.in[n + c][i] + k.in[2 * n + c][i];
}
/// Ports: in, low, high.
void smoothstep(const KernelArgs& k) {
    const int n = k.components;
    for (int c = 0; c < n; ++c)
        for (int i = 0; i < k.n; ++i) {
            const float x = k.in[c][i];
            const float a = k.in[n + c][i];
            const float b = k.in[2 * n + c][i];
            const float t = clamp((x - a) / (b - a), 0.f, 1.f);
            k.out[c][i] = x <= a ? 0.f : x >= b ? 1.f : t * t * (3.f - 2.f * t);
        }
}
/// Ports: in, hue, saturation, gamma, lift, gain, contrast, contrastpivot, exposure; one after the other.
void colorcorrect(const KernelArgs& k) {
    const float* const* p = k.in + k.components;
    constexpr Rgb acescg{0.2722287f, 0.6740818f, 0.0536895f};
    for (int i = 0; i < k.n; ++i) {
        const float gamma = 1.f / max_of(p[2][i], 1e-4f);
        const float lift = p[3][i];
        const float gain = p[4][i];
        const float amount = p[5][i];
        const float pivot = p[6][i];
        const float light = __builtin_powf(2.f, p[7][i]);
        const Rgb c = saturated(adjusted(read(k, 0, i), {p[0][i], 1.f, 1.f}), p[1][i], acescg);
        float x[3] = {c.r, c.g, c.b};
        for (float& v : x) {
            v = __builtin_copysignf(__builtin_powf(__builtin_fabsf(v), gamma), v);
            v = (v * (1.f - lift) + lift) * gain;
            v = ((v - pivot) * amount + pivot) * light;
        }
        write(k, i, {x[0], x[1], x[2]});
    }
}
/// Port: temperature, kelvin.
void blackbody(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        const float kelvin = clamp(k.in[0][i], 800.f, 25000.f);
        const float t = 1000.f / kelvin;
        const float t2 = t * t;
        const float t3 = t2 * t;
        const float x = kelvin < 4000.f ? -0.2661239f * t3 - 0.2343580f * t2 + 0.8776956f * t + 0.179910f
                                        : -3.0258469f * t3 + 2.1070379f * t2 + 0.2226347f * t + 0.240390f;
        const float x2 = x * x;
        const float x3 = x2 * x;
        const float y = kelvin < 2222.f   ? -1.1063814f * x3 - 1.34811020f * x2 + 2.18555832f * x - 0.20219683f
                        : kelvin < 4000.f ? -0.9549476f * x3 - 1.37418593f * x2 + 2.09137015f * x - 0.16748867f
                                          : 3.0817580f * x3 - 5.8733867f * x2 + 3.75112997f * x - 0.37001483f;
        const float X = x / y;
        const float Z = (1.f - x - y) / y;
        k.out[0][i] = max_of(3.2406f * X - 1.5372f - 0.4986f * Z, 0.f);
        k.out[1][i] = max_of(-0.9689f * X + 1.8758f + 0.0415f * Z, 0.f);
        k.out[2][i] = max_of(0.0557f * X - 0.2040f + 1.0570f * Z, 0.f);
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(rgbtohsv)
VEMTRA_DECLARE_KERNEL(hsvtorgb)
VEMTRA_DECLARE_KERNEL(hsvadjust)
VEMTRA_DECLARE_KERNEL(grey)
VEMTRA_DECLARE_KERNEL(saturate)
VEMTRA_DECLARE_KERNEL(contrast)
VEMTRA_DECLARE_KERNEL(smoothstep)
VEMTRA_DECLARE_KERNEL(colorcorrect)
VEMTRA_DECLARE_KERNEL(blackbody)

void describe_colour(std::vector<NodeDescription>& list) {
    auto node = [&](const char* kind, const char* title, const char* help, std::vector<Type> types,
                    std::vector<Port> ports, KernelPair kernel) {
        list.push_back({.kind = kind,
                        .title = title,
                        .family = "adjust",
                        .help = help,
                        .standard = std::string("MaterialX 1.39 ") + kind,
                        .types = std::move(types),
                        .ports = std::move(ports),
                        .kernel = kernel});
    };
    const std::vector<Type> colours{Type::color, Type::color4};
    const Port in{
        .name = "in", .help = "What is adjusted.", .same_as_output = true, .value = V3f(0.f), .role = Role::subject};
    Port value = in;
    value.value = 0.f;
    const Port weights{.name = "lumacoeffs",
                       .help = "How bright red, green and blue are; the standard's are those of ACEScg.",
                       .type = Type::color,
                       .value = V3f(0.2722287f, 0.6740818f, 0.0536895f),
                       .folded = true};
    auto number = [](const char* name, const char* help, float at, float low, float high) {
        return Port{.name = name, .help = help, .value = at, .low = low, .high = high};
    };
    node("luminance", "Luminance", "The brightness of a colour, as a grey.", colours, {in, weights}, VEMTRA_PAIR(grey));
    node("rgbtohsv", "To hue, saturation, value", "Hue, saturation and value of a colour.", colours, {in},
         VEMTRA_PAIR(rgbtohsv));
    node("hsvtorgb", "From hue, saturation, value", "The colour of a hue, saturation and value.", colours, {in},
         VEMTRA_PAIR(hsvtorgb));
    node("hsvadjust", "Hue and saturation", "Turns the hue and scales saturation and value.", colours,
         {in,
          {.name = "amount",
           .help = "Added to the hue (1 is a whole turn), times saturation, times value.",
           .type = Type::vector3,
           .value = V3f(0.f, 1.f, 1.f),
           .high = 2.f}},
         VEMTRA_PAIR(hsvadjust));
    node("saturate", "Saturation", "From grey at 0 over the colour at 1 to more of it.", colours,
         {in, number("amount", "How much colour.", 1.f, 0.f, 2.f), weights}, VEMTRA_PAIR(saturate));
    node("contrast", "Contrast", "Moves values away from a pivot, or towards it.", value_types(),
         {value,
          {.name = "amount", .help = "How far.", .same_as_output = true, .value = 1.f, .high = 4.f},
          {.name = "pivot", .help = "This value stays.", .same_as_output = true, .value = .5f}},
         VEMTRA_PAIR(contrast));
    node("smoothstep", "Soft step", "A soft threshold from 0 to 1 between two ends.", value_types(),
         {value,
          {.name = "low", .help = "Below is 0.", .same_as_output = true, .value = 0.f, .role = Role::cut_low},
          {.name = "high", .help = "Above is 1.", .same_as_output = true, .value = 1.f, .role = Role::cut_high}},
         VEMTRA_PAIR(smoothstep));
    node("colorcorrect", "Colour correction",
         "Hue, saturation, gamma, lift, gain, contrast and exposure in this order.", colours,
         {in, number("hue", "Added to the hue; 1 is a whole turn.", 0.f, -.5f, .5f),
          number("saturation", "How much colour.", 1.f, 0.f, 2.f),
          number("gamma", "Bends the middle: above 1 lifts it.", 1.f, .1f, 4.f),
          number("lift", "Raises the dark.", 0.f, 0.f, 1.f), number("gain", "Scales all.", 1.f, 0.f, 4.f),
          number("contrast", "How far from the pivot.", 1.f, 0.f, 4.f),
          number("contrastpivot", "This value stays.", .5f, 0.f, 1.f), number("exposure", "In stops.", 0.f, -4.f, 4.f)},
         VEMTRA_PAIR(colorcorrect));
    node("blackbody", "Glowing body", "The colour of a body that glows at a temperature.", {Type::color},
         {{.name = "temperature",
           .help = "Candle 1850, bulb 2700, daylight 6500.",
           .value = 5000.f,
           .low = 800.f,
           .high = 12000.f,
           .unit = "K"}},
         VEMTRA_PAIR(blackbody));
    list.back().family = "input";
}
#endif
}  // namespace vemtra::nodes
