// Component-wise mathematics of MaterialX 1.39: divide, modulo (of GLSL: x - y floor(x / y)), power, safepower (keeps
// the sign), absval, sign, floor, ceil, round, fract, sqrt, exp, ln, sin, cos, tan, asin, acos, atan2, clamp,
// trianglewave. Angles in radians. What mathematics leaves open (1 / 0, the root of what is negative) is no number here
// as there: at the end of a network that becomes 0.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

#define VEMTRA_UNARY(name, expression)            \
    void name(const KernelArgs& k) {              \
        for (int c = 0; c < k.components; ++c) {  \
            const float* __restrict in = k.in[c]; \
            float* __restrict out = k.out[c];     \
            for (int i = 0; i < k.n; ++i) {       \
                const float x = in[i];            \
                out[i] = expression;              \
            }                                     \
        }                                         \
    }
#define VEMTRA_BINARY(name, expression)                           \
    void name(const KernelArgs& k) {                              \
        for (int c = 0; c < k.components; ++c) {                  \
            const float* __restrict in1 = k.in[c];                \
            const float* __restrict in2 = k.in[k.components + c]; \
            float* __restrict out = k.out[c];                     \
            for (int i = 0; i < k.n; ++i) {                       \
                const float x = in1[i];                           \
                const float y = in2[i];                           \
                out[i] = expression;                              \
            }                                                     \
        }                                                         \
    }

VEMTRA_BINARY(divide, x / y)
VEMTRA_BINARY(modulo, x - y * __builtin_floorf(x / y))
VEMTRA_BINARY(power, __builtin_powf(x, y))
VEMTRA_BINARY(safepower, __builtin_copysignf(__builtin_powf(__builtin_fabsf(x), y), x))
VEMTRA_BINARY(atan2, __builtin_atan2f(x, y))
VEMTRA_UNARY(absval, __builtin_fabsf(x))
VEMTRA_UNARY(sign, x > 0.f ? 1.f : x < 0.f ? -1.f : 0.f)
VEMTRA_UNARY(floor, __builtin_floorf(x))
VEMTRA_UNARY(ceil, __builtin_ceilf(x))
VEMTRA_UNARY(round, __builtin_floorf(x + .5f))
VEMTRA_UNARY(fract, x - __builtin_floorf(x))
VEMTRA_UNARY(sqrt, __builtin_sqrtf(x))
VEMTRA_UNARY(exp, __builtin_expf(x))
VEMTRA_UNARY(ln, __builtin_logf(x))
VEMTRA_UNARY(sin, __builtin_sinf(x))
VEMTRA_UNARY(cos, __builtin_cosf(x))
VEMTRA_UNARY(tan, __builtin_tanf(x))
VEMTRA_UNARY(asin, __builtin_asinf(x))
VEMTRA_UNARY(acos, __builtin_acosf(x))
VEMTRA_UNARY(trianglewave, 1.f - 2.f * __builtin_fabsf(x - __builtin_floorf(x) - .5f))

/// Ports: in, low, high.
void clamp_to(const KernelArgs& k) {
    const int c3 = k.components;
    for (int c = 0; c < c3; ++c)
        for (int i = 0; i < k.n; ++i) k.out[c][i] = clamp(k.in[c][i], k.in[c3 + c][i], k.in[2 * c3 + c][i]);
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(divide)
VEMTRA_DECLARE_KERNEL(modulo)
VEMTRA_DECLARE_KERNEL(power)
VEMTRA_DECLARE_KERNEL(safepower)
VEMTRA_DECLARE_KERNEL(atan2)
VEMTRA_DECLARE_KERNEL(absval)
VEMTRA_DECLARE_KERNEL(sign)
VEMTRA_DECLARE_KERNEL(floor)
VEMTRA_DECLARE_KERNEL(ceil)
VEMTRA_DECLARE_KERNEL(round)
VEMTRA_DECLARE_KERNEL(fract)
VEMTRA_DECLARE_KERNEL(sqrt)
VEMTRA_DECLARE_KERNEL(exp)
VEMTRA_DECLARE_KERNEL(ln)
VEMTRA_DECLARE_KERNEL(sin)
VEMTRA_DECLARE_KERNEL(cos)
VEMTRA_DECLARE_KERNEL(tan)
VEMTRA_DECLARE_KERNEL(asin)
VEMTRA_DECLARE_KERNEL(acos)
VEMTRA_DECLARE_KERNEL(trianglewave)
VEMTRA_DECLARE_KERNEL(clamp_to)

namespace {
struct UnaryRow {
    const char *kind, *title, *help;
    KernelPair kernel;
};
struct BinaryRow {
    const char *kind, *title, *help, *first, *second;
    float first_value, second_value;
    KernelPair kernel;
};
NodeDescription mathematics(const char* kind, const char* title, const char* help, KernelPair kernel) {
    return {.kind = kind,
            .title = title,
            .family = "mathematics",
            .help = help,
            .standard = std::string("MaterialX 1.39 ") + kind,
            .types = value_types(),
            .kernel = kernel};
}
}  // namespace

void describe_mathematics(std::vector<NodeDescription>& list) {
    const UnaryRow unary[] = {
        {"absval", "Absolute value", "The value without its sign.", VEMTRA_PAIR(absval)},
        {"sign", "Sign", "1 above 0, -1 below, 0 at 0.", VEMTRA_PAIR(sign)},
        {"floor", "Round down", "The next whole number below.", VEMTRA_PAIR(floor)},
        {"ceil", "Round up", "The next whole number above.", VEMTRA_PAIR(ceil)},
        {"round", "Round", "The nearest whole number.", VEMTRA_PAIR(round)},
        {"fract", "Fraction", "What is left above the next whole number below.", VEMTRA_PAIR(fract)},
        {"sqrt", "Square root", "The square root.", VEMTRA_PAIR(sqrt)},
        {"exp", "Exponential", "e to the power of the value.", VEMTRA_PAIR(exp)},
        {"ln", "Logarithm", "The natural logarithm.", VEMTRA_PAIR(ln)},
        {"sin", "Sine", "Of an angle in radians.", VEMTRA_PAIR(sin)},
        {"cos", "Cosine", "Of an angle in radians.", VEMTRA_PAIR(cos)},
        {"tan", "Tangent of angle", "Of an angle in radians.", VEMTRA_PAIR(tan)},
        {"asin", "Arc sine", "The angle in radians whose sine this is.", VEMTRA_PAIR(asin)},
        {"acos", "Arc cosine", "The angle in radians whose cosine this is.", VEMTRA_PAIR(acos)},
        {"trianglewave", "Triangle wave", "Up from 0 to 1 and down again between whole numbers.",
         VEMTRA_PAIR(trianglewave)},
    };
    for (const UnaryRow& row : unary) {
        NodeDescription d = mathematics(row.kind, row.title, row.help, row.kernel);
        const float start = d.kind == "ln" ? 1.f : 0.f;  // as the standard has it
        d.ports = {{.name = "in", .help = "The value.", .same_as_output = true, .value = start, .role = Role::subject}};
        list.push_back(std::move(d));
    }
    const BinaryRow binary[] = {
        {"divide", "Divide", "in1 / in2.", "in1", "in2", 0.f, 1.f, VEMTRA_PAIR(divide)},
        {"modulo", "Modulo", "What is left of in1 after whole steps of in2.", "in1", "in2", 0.f, 1.f,
         VEMTRA_PAIR(modulo)},
        {"power", "Power", "in1 to the power of in2.", "in1", "in2", 0.f, 1.f, VEMTRA_PAIR(power)},
        {"safepower", "Power with sign", "The same; what is negative stays negative.", "in1", "in2", 0.f, 1.f,
         VEMTRA_PAIR(safepower)},
        {"atan2", "Angle of", "The angle in radians of the direction (inx, iny).", "iny", "inx", 0.f, 1.f,
         VEMTRA_PAIR(atan2)},
    };
    for (const BinaryRow& row : binary) {
        NodeDescription d = mathematics(row.kind, row.title, row.help, row.kernel);
        d.ports = {{.name = row.first, .help = "First value.", .same_as_output = true, .value = row.first_value},
                   {.name = row.second, .help = "Second value.", .same_as_output = true, .value = row.second_value}};
        list.push_back(std::move(d));
    }
    NodeDescription d = mathematics("clamp", "Clamp", "Keeps a value between two ends.", VEMTRA_PAIR(clamp_to));
    d.family = "adjust";
    d.ports = {{.name = "in", .help = "The value.", .same_as_output = true, .value = 0.f, .role = Role::subject},
               {.name = "low", .help = "Nothing is below.", .same_as_output = true, .value = 0.f},
               {.name = "high", .help = "Nothing is above.", .same_as_output = true, .value = 1.f}};
    list.push_back(std::move(d));
}
#endif
}  // namespace vemtra::nodes
