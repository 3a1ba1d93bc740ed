// cavity: how closed-in a point is, as a field of the form (geometry/field.h explains the rays). The kernel reads the
// finished field, so that a threshold behind it sees its converged value.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

void cavity(const KernelArgs& k) {
    const PointBatch& p = *k.points;
    p.fields->sample(k.resource, k.n, p.instance, p.face, p.rows[row_bary], p.rows[row_bary + 1], k.out[0]);
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include <algorithm>

#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(cavity)

static int ask_cavity(const Asking& a, Resources& resources) {
    return resources.field({a.build_up,
                            "cavity",
                            {a.word("where") == "edges" ? 1.f : 0.f, std::clamp(a.number("reach"), 1e-5f, 1e4f),
                             std::clamp(a.number("angle"), 5.f, 90.f)}});
}

void describe_cavity(std::vector<NodeDescription>& list) {
    list.push_back({.kind = "cavity",
                    .title = "Cavity",
                    .group = "form",
                    .help = "White in recesses, or on exposed edges, of the form.",
                    .types = {Type::number},
                    .ports = {{.name = "where",
                               .help = "Recesses looks outward from the surface, edges looks inward.",
                               .value = std::string("recesses"),
                               .uniform = true,
                               .text = true,
                               .choices = {"recesses", "edges"}},
                              {.name = "reach",
                               .help = "How far away something still counts.",
                               .value = .02f,
                               .low = .001f,
                               .high = .5f,
                               .unit = "m",
                               .uniform = true},
                              {.name = "angle",
                               .help = "Half the opening of the cone that is looked into; 90 is the whole hemisphere.",
                               .value = 90.f,
                               .low = 5.f,
                               .high = 90.f,
                               .hard = true,
                               .unit = "deg",
                               .uniform = true}},
                    .kernel = VEMTRA_PAIR(cavity),
                    .ask = ask_cavity,
                    .varies = true,
                    .use = Use::field});
}
#endif
}  // namespace vemtra::nodes
