// noise3d and fractal3d of MaterialX 1.39: gradient noise (Perlin 1985) with the quintic fade of Perlin 2002, gradients
// to the edges of the cube, scaled by 0.9820. One lane of the vector is one point; the gradient is chosen with masks,
// not branches, so that the compiler turns the whole loop into vector code.
//   X Y Z   lattice cell      x y z   position in it      s t r   faded position      h   hash of a corner
#include "nodes/kernels/gradient.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

template <int Shift>
static void noise_into(int n, const float* __restrict px, const float* __restrict py, const float* __restrict pz,
                       float* __restrict out) {
    for (int i = 0; i < n; ++i) out[i] = noise_at<Shift>(in_reach(px[i]), in_reach(py[i]), in_reach(pz[i]));
}

/// Ports: amplitude (as output), pivot, position.
void noise3d(const KernelArgs& k) {
    const int c3 = k.components;
    const float* const* p = k.in + c3 + 1;
    noise_into<0>(k.n, p[0], p[1], p[2], k.out[0]);
    if (c3 > 1) noise_into<8>(k.n, p[0], p[1], p[2], k.out[1]);
    if (c3 > 2) noise_into<16>(k.n, p[0], p[1], p[2], k.out[2]);
    if (c3 > 3)  // the standard's fourth is another float noise, elsewhere
        for (int i = 0; i < k.n; ++i)
            k.out[3][i] = noise_at<0>(in_reach(p[0][i] + 19.f), in_reach(p[1][i] + 73.f), in_reach(p[2][i] + 29.f));
    for (int c = 0; c < c3; ++c) {
        const float* __restrict amplitude = k.in[c];
        const float* __restrict pivot = k.in[c3];
        float* __restrict out = k.out[c];
        for (int i = 0; i < k.n; ++i) out[i] = out[i] * amplitude[i] + pivot[i];
    }
}

enum FractalUniform : int { fractal_octaves };

template <int Shift> static void fractal_into(const KernelArgs& k, int c, float ox, float oy, float oz) {
    const int c3 = k.components;
    const int octaves = int(k.uniform[fractal_octaves]);
    const float offset[3] = {ox, oy, oz};
    Octaves f;
    for (int first = 0; first < k.n; first += Octaves::piece) {
        const int n = k.n - first < Octaves::piece ? k.n - first : Octaves::piece;
        for (int d = 0; d < 3; ++d) {
            const float* __restrict from = k.in[c3 + 2 + d] + first;
            for (int i = 0; i < n; ++i) f.at[d][i] = from[i] + offset[d];
        }
        sum_octaves<3, Shift>(f, n, octaves, k.in[c3] + first, k.in[c3 + 1] + first);
        const float* __restrict amplitude = k.in[c] + first;
        float* __restrict out = k.out[c] + first;
        for (int i = 0; i < n; ++i) out[i] = f.sum[i] * amplitude[i];
    }
}

/// Ports: amplitude (as output), octaves (uniform), lacunarity, diminish, position. A plain sum, not normalised.
void fractal3d(const KernelArgs& k) {
    if (k.components == 2) {  // the standard's vector2 is two float fractals at shifted places
        fractal_into<0>(k, 0, 0.f, 0.f, 0.f);
        fractal_into<0>(k, 1, 19.f, 193.f, 17.f);
        return;
    }
    fractal_into<0>(k, 0, 0.f, 0.f, 0.f);
    if (k.components > 2) {
        fractal_into<8>(k, 1, 0.f, 0.f, 0.f);
        fractal_into<16>(k, 2, 0.f, 0.f, 0.f);
    }
    if (k.components > 3) fractal_into<0>(k, 3, 19.f, 193.f, 17.f);
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(noise3d)
VEMTRA_DECLARE_KERNEL(fractal3d)

void describe_gradient_noise(std::vector<NodeDescription>& list) {
    const std::vector<Type>& any = value_types();
    const Port amplitude{.name = "amplitude", .help = "Height of the waves.", .same_as_output = true, .value = 1.f};
    const Port position{
        .name = "position",
        .help = "Where it is read: the asset's own space in metres, times a scale for finer or coarser waves.",
        .type = Type::vector3,
        .value = V3f(0.f),
        .low = -10.f,
        .high = 10.f,
        .reads = Reads::position_object};
    list.push_back({.kind = "fractal3d",
                    .title = "Fractal noise",
                    .family = "pattern",
                    .help = "Waves of several sizes added up: clouds, stains, break-up.",
                    .standard = "MaterialX 1.39 fractal3d",
                    .types = any,
                    .ports = {amplitude,
                              {.name = "octaves",
                               .help = "How many sizes are added up.",
                               .value = 3.f,
                               .low = 1.f,
                               .high = 12.f,
                               .hard = true,
                               .uniform = true,
                               .whole = true},
                              {.name = "lacunarity",
                               .help = "How much finer each next size is.",
                               .value = 2.f,
                               .low = 1.f,
                               .high = 4.f},
                              {.name = "diminish", .help = "How much weaker each next size is.", .value = .5f},
                              position},
                    .kernel = VEMTRA_PAIR(fractal3d),
                    .uniforms = {{"octaves", VEMTRA_ISA::fractal_octaves}}});
    list.push_back(
        {.kind = "noise3d",
         .title = "Noise",
         .family = "pattern",
         .help = "Soft irregular waves of one size.",
         .standard = "MaterialX 1.39 noise3d",
         .types = any,
         .ports = {amplitude,
                   {.name = "pivot", .help = "Added to the result: 0.5 with amplitude 0.5 gives 0 to 1.", .value = 0.f},
                   position},
         .kernel = VEMTRA_PAIR(noise3d)});
}
#endif
}  // namespace vemtra::nodes
