// Blending and compositing of MaterialX 1.39. The blends (plus, minus, difference, burn, dodge, screen, overlay) give
// mix * f(fg, bg) + (1 - mix) * bg, component by component and without clamping. The compositing nodes work on colours
// with alpha as Porter and Duff 1984 have them: in, mask, matte, out, over, disjointover; inside and outside multiply
// by a mask, premult and unpremult multiply a colour by its alpha and divide by it.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: fg, bg (both as output), mix. `f` foreground, `b` background.
#define VEMTRA_BLEND(name, expression)                           \
    void name(const KernelArgs& k) {                             \
        const float* __restrict mix = k.in[2 * k.components];    \
        for (int c = 0; c < k.components; ++c) {                 \
            const float* __restrict fg = k.in[c];                \
            const float* __restrict bg = k.in[k.components + c]; \
            float* __restrict out = k.out[c];                    \
            for (int i = 0; i < k.n; ++i) {                      \
                const float f = fg[i];                           \
                const float b = bg[i];                           \
                const float m = mix[i];                          \
                const float r = expression;                      \
                out[i] = m * r + (1.f - m) * b;                  \
            }                                                    \
        }                                                        \
    }
VEMTRA_BLEND(plus, b + f)
VEMTRA_BLEND(minus, b - f)
VEMTRA_BLEND(difference, __builtin_fabsf(b - f))
VEMTRA_BLEND(screen, 1.f - (1.f - f) * (1.f - b))
VEMTRA_BLEND(overlay, b >= .5f ? 1.f - 2.f * (1.f - f) * (1.f - b) : 2.f * f * b)

constexpr float least = 1e-8f;  // the standard library's own bound for "nothing to divide by"

/// Burn and dodge give 0, not the background, where they would divide by nothing.
static void burn_or_dodge(const KernelArgs& k, bool burns) {
    for (int c = 0; c < k.components; ++c)
        for (int i = 0; i < k.n; ++i) {
            const float f = k.in[c][i];
            const float b = k.in[k.components + c][i];
            const float m = k.in[2 * k.components][i];
            const float by = burns ? f : 1.f - f;
            const float r = burns ? 1.f - (1.f - b) / by : b / by;
            k.out[c][i] = __builtin_fabsf(by) < least ? 0.f : m * r + (1.f - m) * b;
        }
}
void burn(const KernelArgs& k) {
    burn_or_dodge(k, true);
}
void dodge(const KernelArgs& k) {
    burn_or_dodge(k, false);
}

/// Ports: fg, bg (color4), mix. `f`, `b`: one component; `fa`, `ba`: the alphas.
#define VEMTRA_COMPOSITE(name, expression)                    \
    void name(const KernelArgs& k) {                          \
        for (int c = 0; c < 4; ++c)                           \
            for (int i = 0; i < k.n; ++i) {                   \
                [[maybe_unused]] const float f = k.in[c][i];  \
                const float b = k.in[4 + c][i];               \
                const float m = k.in[8][i];                   \
                [[maybe_unused]] const float fa = k.in[3][i]; \
                [[maybe_unused]] const float ba = k.in[7][i]; \
                const float r = expression;                   \
                k.out[c][i] = m * r + (1.f - m) * b;          \
            }                                                 \
    }
VEMTRA_COMPOSITE(composite_in, ba* f)
VEMTRA_COMPOSITE(composite_mask, fa* b)
VEMTRA_COMPOSITE(composite_matte, c < 3 ? f * fa + b * (1.f - fa) : fa + b * (1.f - fa))
VEMTRA_COMPOSITE(composite_out, (1.f - ba) * f)
VEMTRA_COMPOSITE(composite_over, f + b * (1.f - fa))

void disjointover(const KernelArgs& k) {
    for (int c = 0; c < 4; ++c)
        for (int i = 0; i < k.n; ++i) {
            const float f = k.in[c][i];
            const float b = k.in[4 + c][i];
            const float m = k.in[8][i];
            const float fa = k.in[3][i];
            const float ba = k.in[7][i];
            const float both = fa + ba;
            const float beside = f + b;
            const float cut = __builtin_fabsf(ba) < least ? 0.f : f + b * (1.f - fa) / ba;
            float r = both <= 1.f ? beside : cut;
            if (c == 3) r = min_of(both, 1.f);
            k.out[c][i] = m * r + (1.f - m) * b;
        }
}

/// Ports: in (as output), mask.
static void inside_or_outside(const KernelArgs& k, bool within) {
    const float* __restrict mask = k.in[k.components];
    for (int c = 0; c < k.components; ++c)
        for (int i = 0; i < k.n; ++i) k.out[c][i] = k.in[c][i] * (within ? mask[i] : 1.f - mask[i]);
}
void inside(const KernelArgs& k) {
    inside_or_outside(k, true);
}
void outside(const KernelArgs& k) {
    inside_or_outside(k, false);
}

void premult(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        const float a = k.in[3][i];
        for (int c = 0; c < 3; ++c) k.out[c][i] = k.in[c][i] * a;
        k.out[3][i] = a;
    }
}
/// Where alpha is 0 the colour stays what it is.
void unpremult(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        const float a = k.in[3][i];
        const float by = a == 0.f ? 1.f : a;
        for (int c = 0; c < 3; ++c) k.out[c][i] = k.in[c][i] / by;
        k.out[3][i] = a;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(plus)
VEMTRA_DECLARE_KERNEL(minus)
VEMTRA_DECLARE_KERNEL(difference)
VEMTRA_DECLARE_KERNEL(burn)
VEMTRA_DECLARE_KERNEL(dodge)
VEMTRA_DECLARE_KERNEL(screen)
VEMTRA_DECLARE_KERNEL(overlay)
VEMTRA_DECLARE_KERNEL(composite_in)
VEMTRA_DECLARE_KERNEL(composite_mask)
VEMTRA_DECLARE_KERNEL(composite_matte)
VEMTRA_DECLARE_KERNEL(composite_out)
VEMTRA_DECLARE_KERNEL(composite_over)
VEMTRA_DECLARE_KERNEL(disjointover)
VEMTRA_DECLARE_KERNEL(inside)
VEMTRA_DECLARE_KERNEL(outside)
VEMTRA_DECLARE_KERNEL(premult)
VEMTRA_DECLARE_KERNEL(unpremult)

namespace {
struct BlendRow {
    const char *kind, *title, *help;
    KernelPair kernel;
};
NodeDescription combining(const BlendRow& row, std::vector<Type> types) {
    return {.kind = row.kind,
            .title = row.title,
            .family = "combine",
            .help = row.help,
            .standard = std::string("MaterialX 1.39 ") + row.kind,
            .types = std::move(types),
            .kernel = row.kernel};
}
}  // namespace

void describe_compositing(std::vector<NodeDescription>& list) {
    const std::vector<Port> two{{.name = "fg", .help = "What is laid on.", .same_as_output = true, .value = 0.f},
                                {.name = "bg", .help = "What it is laid on.", .same_as_output = true, .value = 0.f},
                                {.name = "mix", .help = "How much of the blend.", .value = 1.f}};
    const BlendRow blends[] = {
        {"plus", "Plus", "bg + fg.", VEMTRA_PAIR(plus)},
        {"minus", "Minus", "bg - fg.", VEMTRA_PAIR(minus)},
        {"difference", "Difference", "How far apart both are.", VEMTRA_PAIR(difference)},
        {"burn", "Burn", "1 - (1 - bg) / fg: darkens the dark; 0 where fg is 0.", VEMTRA_PAIR(burn)},
        {"dodge", "Dodge", "bg / (1 - fg): lightens the light; 0 where fg is 1.", VEMTRA_PAIR(dodge)},
        {"screen", "Screen", "1 - (1 - fg)(1 - bg): both lights together.", VEMTRA_PAIR(screen)},
        {"overlay", "Overlay", "Multiplies where bg is dark, screens where it is light.", VEMTRA_PAIR(overlay)},
    };
    for (const BlendRow& row : blends) {
        list.push_back(combining(row, {Type::number, Type::color, Type::color4}));
        list.back().ports = two;
    }
    const BlendRow composites[] = {
        {"in", "Inside of", "fg where bg has alpha.", VEMTRA_PAIR(composite_in)},
        {"mask", "Masked by", "bg where fg has alpha.", VEMTRA_PAIR(composite_mask)},
        {"matte", "Matte", "fg, not premultiplied, over bg.", VEMTRA_PAIR(composite_matte)},
        {"out", "Outside of", "fg where bg has no alpha.", VEMTRA_PAIR(composite_out)},
        {"over", "Over", "fg, premultiplied, over bg.", VEMTRA_PAIR(composite_over)},
        {"disjointover", "Beside", "fg over bg where both take different parts of a pixel.", VEMTRA_PAIR(disjointover)},
    };
    for (const BlendRow& row : composites) {
        list.push_back(combining(row, {Type::color4}));
        list.back().ports = two;
    }
    const BlendRow cuts[] = {
        {"inside", "Keep inside", "in x mask.", VEMTRA_PAIR(inside)},
        {"outside", "Keep outside", "in x (1 - mask).", VEMTRA_PAIR(outside)},
    };
    for (const BlendRow& row : cuts) {
        list.push_back(combining(row, {Type::number, Type::color, Type::color4}));
        list.back().ports = {
            {.name = "in", .help = "What is cut.", .same_as_output = true, .value = 0.f, .role = Role::subject},
            {.name = "mask", .help = "Where.", .value = row.kernel.avx2 == avx2::inside ? 1.f : 0.f}};
    }
    const BlendRow alphas[] = {
        {"premult", "Premultiply", "The colour times its alpha.", VEMTRA_PAIR(premult)},
        {"unpremult", "Unpremultiply", "The colour divided by its alpha.", VEMTRA_PAIR(unpremult)},
    };
    for (const BlendRow& row : alphas) {
        list.push_back(combining(row, {Type::color4}));
        list.back().family = "adjust";
        list.back().ports = {{.name = "in",
                              .help = "A colour with alpha.",
                              .same_as_output = true,
                              .value = V4f(0.f, 0.f, 0.f, 1.f),
                              .role = Role::subject}};
    }
}
#endif
}  // namespace vemtra::nodes
