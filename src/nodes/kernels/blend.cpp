// Blending beyond the open standard: the modes of "Compositing and Blending Level 1" (W3C, 2015) that it lacks, and
// those of paint programs that follow from its formulas. mix * f(fg, bg) + (1 - mix) * bg; with clamping as given there
// (values are meant in 0..1). hue, saturation, colour and luminosity work on all three components at once, with the
// document's own luma (.3, .59, .11).
#include "nodes/kernels/hash.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum BlendUniform : int { blend_mode };
enum BlendMode : int {
    soft_light,
    hard_light,
    linear_burn,
    vivid_light,
    linear_light,
    pin_light,
    hard_mix,
    lighten,
    darken,
    exclusion,
    hue,
    saturation,
    colour,
    luminosity
};

VEMTRA_INLINE float soft(float f, float b) {
    const float d = b <= .25f ? ((16.f * b - 12.f) * b + 4.f) * b : __builtin_sqrtf(max_of(b, 0.f));
    return f <= .5f ? b - (1.f - 2.f * f) * b * (1.f - b) : b + (2.f * f - 1.f) * (d - b);
}
VEMTRA_INLINE float hard(float f, float b) {
    return f <= .5f ? b * 2.f * f : 1.f - (1.f - b) * (2.f - 2.f * f);
}
VEMTRA_INLINE float vivid(float f, float b) {
    const float burn = 1.f - (1.f - b) / max_of(2.f * f, 1e-6f);
    const float dodge = b / max_of(2.f - 2.f * f, 1e-6f);
    return clamp(f <= .5f ? burn : dodge, 0.f, 1.f);
}
VEMTRA_INLINE float of_one(int mode, float f, float b) {
    switch (mode) {
        case soft_light: return soft(f, b);
        case hard_light: return hard(f, b);
        case linear_burn: return max_of(f + b - 1.f, 0.f);
        case vivid_light: return vivid(f, b);
        case linear_light: return clamp(b + 2.f * f - 1.f, 0.f, 1.f);
        case pin_light: return f <= .5f ? min_of(b, 2.f * f) : max_of(b, 2.f * f - 1.f);
        case hard_mix: return f + b >= 1.f ? 1.f : 0.f;
        case lighten: return max_of(f, b);
        case darken: return min_of(f, b);
        default: return f + b - 2.f * f * b;
    }
}

struct Triple {
    float c[3];
};
VEMTRA_INLINE float luma(const Triple& x) {
    return .3f * x.c[0] + .59f * x.c[1] + .11f * x.c[2];
}
VEMTRA_INLINE float lowest(const Triple& x) {
    return min_of(x.c[0], min_of(x.c[1], x.c[2]));
}
VEMTRA_INLINE float highest(const Triple& x) {
    return max_of(x.c[0], max_of(x.c[1], x.c[2]));
}
/// SetLum of the document, with its ClipColor.
VEMTRA_INLINE Triple with_luma(Triple x, float l) {
    const float d = l - luma(x);
    for (float& v : x.c) v += d;
    const float low = lowest(x);
    const float high = highest(x);
    const float mid = luma(x);
    for (float& v : x.c) {
        if (low < 0.f) v = mid + (v - mid) * mid / max_of(mid - low, 1e-12f);
        if (high > 1.f) v = mid + (v - mid) * (1.f - mid) / max_of(high - mid, 1e-12f);
    }
    return x;
}
/// SetSat of the document: the lowest component becomes 0, the highest s, the middle one keeps its place between.
VEMTRA_INLINE Triple with_saturation(Triple x, float s) {
    const float low = lowest(x);
    const float width = highest(x) - low;
    for (float& v : x.c) v = width > 0.f ? (v - low) * s / width : 0.f;
    return x;
}
VEMTRA_INLINE Triple of_all(int mode, const Triple& f, const Triple& b) {
    const float sat_f = highest(f) - lowest(f);
    const float sat_b = highest(b) - lowest(b);
    switch (mode) {
        case hue: return with_luma(with_saturation(f, sat_b), luma(b));
        case saturation: return with_luma(with_saturation(b, sat_f), luma(b));
        case colour: return with_luma(f, luma(b));
        default: return with_luma(b, luma(f));
    }
}

/// Ports: fg, bg (as output), mix. A number alone has neither hue nor saturation: it keeps bg, or takes fg's
/// luminosity.
void blend(const KernelArgs& k) {
    const int mode = int(k.uniform[blend_mode]);
    const int n = k.components;
    const float* __restrict mix = k.in[2 * n];
    if (mode < hue || n < 3) {
        for (int c = 0; c < n; ++c)
            for (int i = 0; i < k.n; ++i) {
                const float f = k.in[c][i];
                const float b = k.in[n + c][i];
                const float r = mode < hue ? of_one(mode, f, b) : mode == luminosity ? f : b;
                k.out[c][i] = mix[i] * r + (1.f - mix[i]) * b;
            }
        return;
    }
    for (int i = 0; i < k.n; ++i) {
        const Triple f{{k.in[0][i], k.in[1][i], k.in[2][i]}};
        const Triple b{{k.in[n][i], k.in[n + 1][i], k.in[n + 2][i]}};
        const Triple r = of_all(mode, f, b);
        for (int c = 0; c < 3; ++c) k.out[c][i] = mix[i] * r.c[c] + (1.f - mix[i]) * b.c[c];
        if (n > 3) k.out[3][i] = k.in[n + 3][i];
    }
}

/// Ports: in, low edge, softness: 0 below, 1 above, soft over a width.
void threshold(const KernelArgs& k) {
    const int n = k.components;
    for (int c = 0; c < n; ++c)
        for (int i = 0; i < k.n; ++i) {
            const float half = .5f * max_of(k.in[2 * n][i], 0.f);
            const float x = k.in[c][i] - k.in[n + c][i];
            const float t = clamp((x + half) / max_of(2.f * half, 1e-12f), 0.f, 1.f);
            k.out[c][i] = half > 0.f ? t * t * (3.f - 2.f * t) : x >= 0.f ? 1.f : 0.f;
        }
}
/// Ports: in, steps: rounded to so many even tones from 0 to 1.
void posterise(const KernelArgs& k) {
    const int n = k.components;
    for (int c = 0; c < n; ++c)
        for (int i = 0; i < k.n; ++i) {
            const float last = max_of(__builtin_floorf(k.in[n][i] + .5f), 2.f) - 1.f;
            k.out[c][i] = __builtin_floorf(clamp(k.in[c][i], 0.f, 1.f) * last + .5f) / last;
        }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(blend)
VEMTRA_DECLARE_KERNEL(threshold)
VEMTRA_DECLARE_KERNEL(posterise)

void describe_blend(std::vector<NodeDescription>& list) {
    list.push_back({.kind = "blend",
                    .title = "Blend",
                    .family = "combine",
                    .help = "One value over another by a mode that the open standard has no node for.",
                    .types = {Type::color, Type::number, Type::color4},
                    .ports = {{.name = "fg", .help = "What is laid on.", .same_as_output = true, .value = .5f},
                              {.name = "bg", .help = "What it is laid on.", .same_as_output = true, .value = .5f},
                              {.name = "mix", .help = "How much of the blend.", .value = 1.f},
                              {.name = "mode",
                               .help = "How both meet.",
                               .value = 0.f,
                               .high = 13.f,
                               .hard = true,
                               .uniform = true,
                               .whole = true,
                               .choices = {"soft light", "hard light", "linear burn", "vivid light", "linear light",
                                           "pin light", "hard mix", "lighten", "darken", "exclusion", "hue",
                                           "saturation", "colour", "luminosity"}}},
                    .kernel = VEMTRA_PAIR(blend),
                    .uniforms = {{"mode", VEMTRA_ISA::blend_mode}}});
    const Port in{
        .name = "in", .help = "What is adjusted.", .same_as_output = true, .value = 0.f, .role = Role::subject};
    list.push_back({.kind = "threshold",
                    .title = "Threshold",
                    .family = "adjust",
                    .help = "0 below an edge, 1 above it, soft over a width.",
                    .types = value_types(),
                    .ports = {in,
                              {.name = "edge", .help = "Where it changes.", .same_as_output = true, .value = .5f},
                              {.name = "soft", .help = "Over how wide a range it changes.", .value = .05f}},
                    .kernel = VEMTRA_PAIR(threshold)});
    list.push_back({.kind = "posterise",
                    .title = "Posterise",
                    .family = "adjust",
                    .help = "A few even tones in place of all.",
                    .types = value_types(),
                    .ports = {in, {.name = "steps", .help = "How many tones.", .value = 4.f, .low = 2.f, .high = 16.f}},
                    .kernel = VEMTRA_PAIR(posterise)});
}
#endif
}  // namespace vemtra::nodes
