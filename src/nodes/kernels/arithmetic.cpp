// Component-wise arithmetic of MaterialX 1.39: add, subtract, multiply, mix (unclamped), invert (amount - in),
// constant, luminance.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

#define VEMTRA_BINARY(name, expression)                         \
    void name(const KernelArgs& k) {                            \
        for (int c = 0; c < k.components; ++c) {                \
            const float* __restrict a = k.in[c];                \
            const float* __restrict b = k.in[k.components + c]; \
            float* __restrict out = k.out[c];                   \
            for (int i = 0; i < k.n; ++i) out[i] = expression;  \
        }                                                       \
    }
VEMTRA_BINARY(add, a[i] + b[i])
VEMTRA_BINARY(subtract, a[i] - b[i])
VEMTRA_BINARY(multiply, a[i] * b[i])
VEMTRA_BINARY(invert, b[i] - a[i])
VEMTRA_BINARY(minimum, min_of(a[i], b[i]))
VEMTRA_BINARY(maximum, max_of(a[i], b[i]))

void mix(const KernelArgs& k) {
    const float* __restrict t = k.in[2 * k.components];
    for (int c = 0; c < k.components; ++c) {
        const float* __restrict fg = k.in[c];
        const float* __restrict bg = k.in[k.components + c];
        float* __restrict out = k.out[c];
        for (int i = 0; i < k.n; ++i) out[i] = bg[i] * (1.f - t[i]) + fg[i] * t[i];
    }
}

/// ITU-R BT.709, 3.2.
void luminance(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) k.out[0][i] = k.in[0][i] * 0.2126f + k.in[1][i] * 0.7152f + k.in[2][i] * 0.0722f;
}

void constant(const KernelArgs& k) {
    for (int c = 0; c < k.components; ++c)
        for (int i = 0; i < k.n; ++i) k.out[c][i] = k.in[c][i];
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(add)
VEMTRA_DECLARE_KERNEL(subtract)
VEMTRA_DECLARE_KERNEL(multiply)
VEMTRA_DECLARE_KERNEL(invert)
VEMTRA_DECLARE_KERNEL(minimum)
VEMTRA_DECLARE_KERNEL(maximum)
VEMTRA_DECLARE_KERNEL(mix)
VEMTRA_DECLARE_KERNEL(constant)
VEMTRA_DECLARE_KERNEL(luminance)

KernelPair span_kernel() {
    return VEMTRA_PAIR(mix);
}
KernelPair difference_kernel() {
    return VEMTRA_PAIR(subtract);
}
KernelPair luminance_kernel() {
    return VEMTRA_PAIR(luminance);
}

void describe_arithmetic(std::vector<NodeDescription>& list) {
    const std::vector<Type>& any = value_types();
    auto binary = [&](const char* kind, const char* title, const char* help, float second, KernelPair kernel) {
        list.push_back({.kind = kind,
                        .title = title,
                        .family = "combine",
                        .help = help,
                        .standard = std::string("MaterialX 1.39 ") + kind,
                        .types = any,
                        .ports = {{.name = "in1", .help = "First value.", .same_as_output = true, .value = 0.f},
                                  {.name = "in2", .help = "Second value.", .same_as_output = true, .value = second}},
                        .kernel = kernel});
    };
    binary("add", "Add", "in1 + in2.", 0.f, VEMTRA_PAIR(add));
    binary("subtract", "Subtract", "in1 - in2.", 0.f, VEMTRA_PAIR(subtract));
    binary("multiply", "Multiply", "in1 x in2: both masks together.", 1.f, VEMTRA_PAIR(multiply));
    binary("min", "Minimum", "The smaller of both.", 1.f, VEMTRA_PAIR(minimum));
    binary("max", "Maximum", "The larger of both: either mask.", 0.f, VEMTRA_PAIR(maximum));
    list.push_back({.kind = "mix",
                    .title = "Mix",
                    .family = "combine",
                    .help = "Goes from bg to fg as mix goes from 0 to 1.",
                    .standard = "MaterialX 1.39 mix",
                    .types = any,
                    .ports = {{.name = "fg", .help = "Shown where mix is 1.", .same_as_output = true, .value = 0.f},
                              {.name = "bg", .help = "Shown where mix is 0.", .same_as_output = true, .value = 0.f},
                              {.name = "mix", .help = "How much of fg.", .value = 0.f}},
                    .kernel = VEMTRA_PAIR(mix)});
    list.push_back({.kind = "invert",
                    .title = "Invert",
                    .family = "adjust",
                    .help = "amount - in: turns a mask over.",
                    .standard = "MaterialX 1.39 invert",
                    .types = any,
                    .ports = {{.name = "in",
                               .help = "What is turned over.",
                               .same_as_output = true,
                               .value = 0.f,
                               .role = Role::subject},
                              {.name = "amount",
                               .help = "The value that is subtracted from.",
                               .same_as_output = true,
                               .value = 1.f,
                               .folded = true}},
                    .kernel = VEMTRA_PAIR(invert),
                    .use = Use::turn_over});
    list.push_back({.kind = "constant",
                    .title = "Constant",
                    .family = "input",
                    .help = "One value for everything that reads it.",
                    .standard = "MaterialX 1.39 constant",
                    .types = any,
                    .ports = {{.name = "value", .help = "The value.", .same_as_output = true, .value = .5f}},
                    .kernel = VEMTRA_PAIR(constant),
                    .passes = true});
}
#endif
}  // namespace vemtra::nodes
