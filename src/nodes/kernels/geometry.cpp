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
/// Along growing u, at right angles to the normal; 0 where there are no UVs.
void tangent(const KernelArgs& k) {
    const float* const* n = k.points->rows + row_normal;
    const float* const* t = k.points->rows + row_tangent;
    for (int i = 0; i < k.n; ++i) {
        const float along = n[0][i] * t[0][i] + n[1][i] * t[1][i] + n[2][i] * t[2][i];
        float v[3];
        float square = 0.f;
        for (int c = 0; c < 3; ++c) {
            v[c] = t[c][i] - along * n[c][i];
            square += v[c] * v[c];
        }
        const float scale = square > 0.f ? 1.f / __builtin_sqrtf(square) : 0.f;
        for (int c = 0; c < 3; ++c) k.out[c][i] = v[c] * scale;
    }
}
/// The cross product of normal and tangent.
void bitangent(const KernelArgs& k) {
    tangent(k);
    const float* const* n = k.points->rows + row_normal;
    for (int i = 0; i < k.n; ++i) {
        const float t[3] = {k.out[0][i], k.out[1][i], k.out[2][i]};
        k.out[0][i] = n[1][i] * t[2] - n[2][i] * t[1];
        k.out[1][i] = n[2][i] * t[0] - n[0][i] * t[2];
        k.out[2][i] = n[0][i] * t[1] - n[1][i] * t[0];
    }
}
/// From the eye to the point.
void viewdirection(const KernelArgs& k) {
    for (int c = 0; c < 3; ++c)
        for (int i = 0; i < k.n; ++i) k.out[c][i] = -k.points->rows[row_view + c][i];
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
VEMTRA_DECLARE_KERNEL(tangent)
VEMTRA_DECLARE_KERNEL(bitangent)
VEMTRA_DECLARE_KERNEL(viewdirection)

void describe_geometry(std::vector<NodeDescription>& list) {
    auto node = [&](const char* kind, const char* title, const char* help, Type type, KernelPair kernel) {
        list.push_back({.kind = kind,
                        .title = title,
                        .family = "input",
                        .help = help,
                        .standard = std::string("MaterialX 1.39 ") + kind,
                        .types = {type},
                        .kernel = kernel,
                        .varies = true});
    };
    node("texcoord", "UV", "The texture coordinates.", Type::vector2, VEMTRA_PAIR(texcoord));
    list.back().gives = Reads::uv;
    node("position", "Position", "The place in the asset's own space, in metres.", Type::vector3,
         VEMTRA_PAIR(position));
    list.back().gives = Reads::position_object;
    node("normal", "Normal", "The direction that the surface faces, in the asset's own space.", Type::vector3,
         VEMTRA_PAIR(normal));
    node("geomcolor", "Vertex colour", "The colour stored at the vertices of the mesh; white where it has none.",
         Type::color, VEMTRA_PAIR(geomcolor));
    node("tangent", "Tangent", "The direction in which u grows, in the asset's own space.", Type::vector3,
         VEMTRA_PAIR(tangent));
    list.back().ask = ask_tangents;
    node("bitangent", "Bitangent", "Upright on normal and tangent, in the asset's own space.", Type::vector3,
         VEMTRA_PAIR(bitangent));
    list.back().ask = ask_tangents;
    node("viewdirection", "View direction", "From the eye to the surface, in the asset's own space.", Type::vector3,
         VEMTRA_PAIR(viewdirection));
}
#endif
}  // namespace vemtra::nodes
