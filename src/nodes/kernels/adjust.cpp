// Moving values to where they are wanted: remap, range (MaterialX 1.39; neither clamps unless asked), and levels, which
// is range with the clamp always on, for masks.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

void remap(const KernelArgs& k) {
    const int c3 = k.components;
    for (int c = 0; c < c3; ++c) {
        const float* __restrict x = k.in[c];
        const float* __restrict a = k.in[c3 + c];
        const float* __restrict b = k.in[2 * c3 + c];
        const float* __restrict p = k.in[3 * c3 + c];
        const float* __restrict q = k.in[4 * c3 + c];
        float* __restrict out = k.out[c];
        for (int i = 0; i < k.n; ++i) out[i] = p[i] + (x[i] - a[i]) * (q[i] - p[i]) / (b[i] - a[i]);
    }
}

static void range_with(const KernelArgs& k, bool clamped) {
    const int c3 = k.components;
    for (int c = 0; c < c3; ++c) {
        const float* __restrict x = k.in[c];
        const float* __restrict a = k.in[c3 + c];
        const float* __restrict b = k.in[2 * c3 + c];
        const float* __restrict g = k.in[3 * c3 + c];
        const float* __restrict p = k.in[4 * c3 + c];
        const float* __restrict q = k.in[5 * c3 + c];
        float* __restrict out = k.out[c];
        bool straight = true;
        for (int i = 0; i < k.n; ++i) {
            const float width = b[i] - a[i];
            // Ends that coincide are a hard threshold.
            const float t = width == 0.f ? (x[i] >= a[i] ? 1.f : 0.f) : (x[i] - a[i]) / width;
            out[i] = t;
            straight &= g[i] == 1.f;
        }
        if (clamped)
            for (int i = 0; i < k.n; ++i) out[i] = clamp(out[i], 0.f, 1.f);
        if (!straight)
            for (int i = 0; i < k.n; ++i) {
                const float t = out[i];
                const float r = __builtin_powf(t < 0.f ? -t : t, 1.f / max_of(g[i], 1e-4f));
                out[i] = t < 0.f ? -r : r;
            }
        for (int i = 0; i < k.n; ++i) {
            const float r = out[i] * (q[i] - p[i]) + p[i];
            out[i] = clamped ? clamp(r, min_of(p[i], q[i]), max_of(p[i], q[i])) : r;
        }
    }
}
enum RangeUniform : int { range_doclamp };
void range(const KernelArgs& k) {
    range_with(k, k.uniform[range_doclamp] != 0.f);
}
void levels(const KernelArgs& k) {
    range_with(k, true);
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(remap)
VEMTRA_DECLARE_KERNEL(range)
VEMTRA_DECLARE_KERNEL(levels)

void describe_adjust(std::vector<NodeDescription>& list) {
    const std::vector<Type>& any = value_types();
    auto port = [](const char* name, const char* help, float value, Role role = Role::plain) {
        return Port{.name = name, .help = help, .same_as_output = true, .value = value, .role = role};
    };
    const std::vector<Port> ends{port("in", "What is adjusted.", 0.f, Role::subject),
                                 port("inlow", "This value becomes outlow.", 0.f, Role::cut_low),
                                 port("inhigh", "This value becomes outhigh.", 1.f, Role::cut_high)};
    Port gamma = port("gamma", "Bends the middle: above 1 lifts it.", 1.f);
    gamma.low = .1f;
    gamma.high = 4.f;
    const Port out_low = port("outlow", "Lower end of the result.", 0.f, Role::result_low);
    const Port out_high = port("outhigh", "        Upper end of the result.", 1.f, Role::result_high);
    std::vector<Port> all = ends;
    all.insert(all.end(), {gamma, out_low, out_high});
    list.push_back(
        {.kind = "levels",
         .title = "Levels",
         .family = "adjust",
         .help = "Cuts a value to black below its low end and white above its high end, and bends what is between.",
         .said_as = "range",
         .types = any,
         .ports = all,
         .kernel = VEMTRA_PAIR(levels)});
    std::vector<Port> with_clamp = all;
    with_clamp.push_back({.name = "doclamp",
                          .help = "Keep the result between the two ends.",
                          .value = 0.f,
                          .uniform = true,
                          .whole = true,
                          .choices = {"no", "yes"}});
    list.push_back({.kind = "range",
                    .title = "Range",
                    .family = "adjust",
                    .help = "Moves one range of values onto another, with gamma.",
                    .standard = "MaterialX 1.39 range",
                    .types = any,
                    .ports = with_clamp,
                    .kernel = VEMTRA_PAIR(range),
                    .uniforms = {{"doclamp", VEMTRA_ISA::range_doclamp}}});
    std::vector<Port> plain = ends;
    plain.insert(plain.end(), {out_low, out_high});
    list.push_back({.kind = "remap",
                    .title = "Remap",
                    .family = "adjust",
                    .help = "Moves one range of values onto another in a straight line.",
                    .standard = "MaterialX 1.39 remap",
                    .types = any,
                    .ports = plain,
                    .kernel = VEMTRA_PAIR(remap),
                    .use = Use::move_range});
}
#endif
}  // namespace vemtra::nodes
