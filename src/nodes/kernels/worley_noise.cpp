// worleynoise3d and worleynoise2d of MaterialX 1.39 (Worley 1996): one feature point per cell at cell + 0.5 + (hash -
// 0.5) * jitter; the output is the Euclidean distance to the nearest one, two or three (F1, F2, F3), or with style 1
// the random value of the nearest point's cell.
#include "nodes/kernels/worley.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum WorleyUniform : int { worley_style };

/// Ports: jitter, style (uniform), position.
void worleynoise3d(const KernelArgs& k) {
    const bool solid = k.uniform[worley_style] >= .5f;
    Nearest near;
    for (int first = 0; first < k.n; first += worley_piece) {
        const int n = k.n - first < worley_piece ? k.n - first : worley_piece;
        look_near(near, n, k.in[1] + first, k.in[2] + first, k.in[3] + first, k.in[0] + first);
        if (solid)
            put_cells(near, k, first, n, false);
        else
            put_distances(near, k, first, n);
    }
}
/// Ports: jitter, style (uniform), texcoord.
void worleynoise2d(const KernelArgs& k) {
    const bool solid = k.uniform[worley_style] >= .5f;
    Nearest near;
    for (int first = 0; first < k.n; first += worley_piece) {
        const int n = k.n - first < worley_piece ? k.n - first : worley_piece;
        look_near(near, n, k.in[1] + first, k.in[2] + first, k.in[0] + first);
        if (solid)
            put_cells(near, k, first, n, true);
        else
            put_distances(near, k, first, n);
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(worleynoise3d)
VEMTRA_DECLARE_KERNEL(worleynoise2d)

void describe_worley_noise(std::vector<NodeDescription>& list) {
    list.push_back(
        {.kind = "worleynoise3d",
         .title = "Worley noise",
         .family = "pattern",
         .help = "Cells around scattered points: flakes, chips, cracks, hammered metal.",
         .standard = "MaterialX 1.39 worleynoise3d",
         .types = {Type::number, Type::vector2, Type::vector3},
         .ports = {{.name = "jitter", .help = "0 sets the points on a grid, 1 scatters them.", .value = 1.f},
                   {.name = "style",
                    .help = "Distance to the nearest point, or one random value per cell.",
                    .value = 0.f,
                    .uniform = true,
                    .whole = true,
                    .choices = {"distance", "solid"}},
                   {.name = "position",
                    .help =
                        "Where it is read: the asset's own space in metres, times a scale for finer or coarser cells.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .low = -10.f,
                    .high = 10.f,
                    .reads = Reads::position_object}},
         .kernel = VEMTRA_PAIR(worleynoise3d),
         .uniforms = {{"style", VEMTRA_ISA::worley_style}}});
    NodeDescription plane = list.back();
    plane.kind = "worleynoise2d";
    plane.title = "Worley noise in UV";
    plane.standard = "MaterialX 1.39 worleynoise2d";
    plane.ports.back() = {.name = "texcoord",
                          .help = "Where it is read: the UVs times a scale.",
                          .type = Type::vector2,
                          .value = V2f(0.f),
                          .reads = Reads::uv};
    plane.kernel = VEMTRA_PAIR(worleynoise2d);
    list.push_back(std::move(plane));
}
#endif
}  // namespace vemtra::nodes
