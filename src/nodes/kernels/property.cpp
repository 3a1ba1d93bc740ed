// geompropvalue: what the mesh brings by a name of its own (MaterialX 1.39).
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: default. `resource`: the first of two further sets of UVs that hold the property, two numbers each; no number
/// where the mesh has none.
void geompropvalue(const KernelArgs& k) {
    const float* const* sets = k.points->uv_sets;
    for (int c = 0; c < k.components; ++c) {
        const float* row = sets && k.resource >= 0 ? sets[6 * (k.resource + c / 2) + c % 2] : nullptr;
        for (int i = 0; i < k.n; ++i) {
            const float x = row ? row[i] : __builtin_nanf("");
            k.out[c][i] = x == x ? x : k.in[c][i];
        }
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(geompropvalue)

/// Both pairs are asked for together, so that the one always follows the other.
static int ask_property(const Asking& a, Resources& resources) {
    const std::string name = a.word("geomprop");
    if (name.empty()) return -1;
    const auto there = std::find(resources.uv_sets.begin(), resources.uv_sets.end(), property_set(name, 0));
    if (there == resources.uv_sets.end() && resources.uv_sets.size() + 2 > most_uv_sets) return -1;
    resources.footprint = true;  // further sets come with it
    const int first = resources.uv_set(property_set(name, 0));
    resources.uv_set(property_set(name, 1));
    return first;
}

void describe_property(std::vector<NodeDescription>& list) {
    list.push_back({.kind = "geompropvalue",
                    .title = "Property of the mesh",
                    .family = "input",
                    .help = "Numbers that the mesh brings by a name of its own: a further property of a PLY, an "
                            "attribute of a glTF, a set of UVs.",
                    .standard = "MaterialX 1.39 geompropvalue",
                    .types = {Type::number, Type::color, Type::vector2, Type::vector3, Type::vector4, Type::color4},
                    .ports = {{.name = "geomprop",
                               .help = "The name, as the file has it.",
                               .value = std::string(),
                               .uniform = true,
                               .text = true,
                               .role = Role::attribute},
                              {.name = "default",
                               .help = "What stands where the mesh has no such property.",
                               .same_as_output = true,
                               .value = 0.f}},
                    .kernel = VEMTRA_PAIR(geompropvalue),
                    .ask = ask_property,
                    .varies = true});
}
#endif
}  // namespace vemtra::nodes
