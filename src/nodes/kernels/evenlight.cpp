// evenlight: takes broad shading from one side out of a colour (ours). A map with light L = a + b . n baked in, n the
// surface's normal, is divided by 1 + amount * (n . direction), with amount = |b| / a: what a distant light and its
// surroundings leave on a matt surface, in the first order of spherical harmonics (Ramamoorthi and Hanrahan 2001).
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum EvenUniform : int { even_direction = 0, even_amount = 3 };

/// Ports: in.
void evenlight(const KernelArgs& k) {
    const float* d = k.uniform + even_direction;
    const float length2 = d[0] * d[0] + d[1] * d[1] + d[2] * d[2];
    const float scale = length2 > 1e-12f ? k.uniform[even_amount] / __builtin_sqrtf(length2) : 0.f;
    for (int i = 0; i < k.n; ++i) {
        float facing = 0.f;
        for (int c = 0; c < 3; ++c) facing += d[c] * k.points->rows[row_normal + c][i];
        const float share = 1.f / max_of(.15f, 1.f + scale * facing);
        for (int c = 0; c < k.components; ++c) k.out[c][i] = k.in[c][i] * share;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(evenlight)

void describe_evenlight(std::vector<NodeDescription>& list) {
    list.push_back(
        {.kind = "evenlight",
         .title = "Even light",
         .family = "adjust",
         .help = "Takes light that was photographed into a colour map out again: the broad shading from one side.",
         .types = {Type::color},
         .ports = {{.name = "in",
                    .help = "The colour with light in it.",
                    .type = Type::color,
                    .same_as_output = true,
                    .value = V3f(.5f),
                    .role = Role::subject},
                   {.name = "direction",
                    .help = "Where that light came from, in the asset's own space.",
                    .type = Type::vector3,
                    .value = V3f(0.f, 1.f, 0.f),
                    .low = -1.f,
                    .high = 1.f,
                    .uniform = true,
                    .role = Role::light_direction},
                   {.name = "amount",
                    .help = "How much brighter the lit side is than the mean.",
                    .value = 0.f,
                    .low = 0.f,
                    .high = 1.f,
                    .uniform = true,
                    .role = Role::light_amount}},
         .kernel = VEMTRA_PAIR(evenlight),
         .varies = true,
         .use = Use::even_light,
         .uniforms = {{"direction", VEMTRA_ISA::even_direction}, {"amount", VEMTRA_ISA::even_amount}}});
}
#endif
}  // namespace vemtra::nodes
