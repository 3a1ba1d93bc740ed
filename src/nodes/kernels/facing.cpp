// facingratio (MaterialX 1.39): the cosine between the surface's normal and the direction to the eye: 1 straight on, 0
// at the rim.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum FacingUniform : int { facing_forward, facing_invert };

/// Ports: normal (3).
void facingratio(const KernelArgs& k) {
    const float* const* v = k.points->rows + row_view;
    const bool forward = k.uniform[facing_forward] > .5f;
    const bool invert = k.uniform[facing_invert] > .5f;
    for (int i = 0; i < k.n; ++i) {
        float c = k.in[0][i] * v[0][i] + k.in[1][i] * v[1][i] + k.in[2][i] * v[2][i];
        if (forward) c = c < 0.f ? -c : c;
        k.out[0][i] = invert ? 1.f - c : c;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(facingratio)

void describe_facing(std::vector<NodeDescription>& list) {
    list.push_back({.kind = "facingratio",
                    .title = "Facing ratio",
                    .family = "form",
                    .help = "1 where the surface faces the eye, 0 at its rim. Range sets where both ends lie.",
                    .standard = "MaterialX 1.39 facingratio",
                    .types = {Type::number},
                    .ports = {{.name = "normal",
                               .help = "The direction that counts as the surface's own.",
                               .type = Type::vector3,
                               .value = V3f(0.f),
                               .low = -1.f,
                               .reads = Reads::normal_object},
                              {.name = "faceforward",
                               .help = "Count both sides of the surface alike.",
                               .value = 1.f,
                               .uniform = true,
                               .whole = true,
                               .choices = {"no", "yes"}},
                              {.name = "invert",
                               .help = "1 at the rim instead.",
                               .value = 0.f,
                               .uniform = true,
                               .whole = true,
                               .choices = {"no", "yes"}}},
                    .kernel = VEMTRA_PAIR(facingratio),
                    .varies = true,
                    .uniforms = {{"faceforward", VEMTRA_ISA::facing_forward}, {"invert", VEMTRA_ISA::facing_invert}}});
}
#endif
}  // namespace vemtra::nodes
