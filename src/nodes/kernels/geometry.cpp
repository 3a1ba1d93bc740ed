// What the surface itself says at a point: texcoord, position, normal, geomcolor (MaterialX 1.39).
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

static void copy(const KernelArgs& k, const float* const* from) {
    for (int c = 0; c < k.components; ++c)
        for (int i = 0; i < k.n; ++i) k.out[c][i] = from[c][i];
}
void texcoord(const KernelArgs& k) {
    copy(k, k.points->rows + row_uv);
}
void position(const KernelArgs& k) {
    copy(k, k.points->rows + row_position);
}
void normal(const KernelArgs& k) {
    copy(k, k.points->rows + row_normal);
}
void geomcolor(const KernelArgs& k) {
    copy(k, k.points->rows + row_color);
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(texcoord)
VEMTRA_DECLARE_KERNEL(position)
VEMTRA_DECLARE_KERNEL(normal)
VEMTRA_DECLARE_KERNEL(geomcolor)

void describe_geometry(std::vector<NodeDescription>& list) {
    auto node = [&](const char* kind, const char* title, const char* help, Type type, KernelPair kernel) {
        list.push_back({.kind = kind,
                        .title = title,
                        .group = "input",
                        .help = help,
                        .standard = std::string("MaterialX 1.39 ") + kind,
                        .types = {type},
                        .kernel = kernel,
                        .varies = true});
    };
    node("texcoord", "UV", "The texture coordinates.", Type::vector2, VEMTRA_PAIR(texcoord));
    node("position", "Position", "The place in the asset's own space, in metres.", Type::vector3,
         VEMTRA_PAIR(position));
    node("normal", "Normal", "The direction that the surface faces, in the asset's own space.", Type::vector3,
         VEMTRA_PAIR(normal));
    node("geomcolor", "Vertex colour", "The colour stored at the vertices of the mesh; white where it has none.",
         Type::color, VEMTRA_PAIR(geomcolor));
}
#endif
}  // namespace vemtra::nodes
