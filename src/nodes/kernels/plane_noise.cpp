// noise2d, fractal2d, cellnoise2d, cellnoise3d and unifiednoise2d, unifiednoise3d of MaterialX 1.39. The unified noises
// choose among gradient, cell, Worley and fractal noise; only the gradient noise is moved to 0..1, the fractal is not,
// and in the plane it is the fractal of space.
#include "nodes/kernels/gradient.h"
#include "nodes/kernels/worley.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

template <int Shift> static void plane_noise_into(const KernelArgs& k, int c, float ox, float oy) {
    const int n = k.components;
    const float* __restrict amplitude = k.in[c];
    const float* __restrict pivot = k.in[n];
    const float* __restrict u = k.in[n + 1];
    const float* __restrict v = k.in[n + 2];
    float* __restrict out = k.out[c];
    for (int i = 0; i < k.n; ++i)
        out[i] = noise_at<Shift>(in_reach(u[i] + ox), in_reach(v[i] + oy)) * amplitude[i] + pivot[i];
}
/// Ports: amplitude (as output), pivot, texcoord.
void noise2d(const KernelArgs& k) {
    plane_noise_into<0>(k, 0, 0.f, 0.f);
    if (k.components > 1) plane_noise_into<8>(k, 1, 0.f, 0.f);
    if (k.components > 2) plane_noise_into<16>(k, 2, 0.f, 0.f);
    if (k.components > 3) plane_noise_into<0>(k, 3, 19.f, 73.f);
}

enum PlaneFractalUniform : int { plane_fractal_octaves };
template <int Shift> static void plane_fractal_into(const KernelArgs& k, int c, float ox, float oy) {
    const int c2 = k.components;
    const int octaves = int(k.uniform[plane_fractal_octaves]);
    Octaves f;
    for (int first = 0; first < k.n; first += Octaves::piece) {
        const int n = k.n - first < Octaves::piece ? k.n - first : Octaves::piece;
        for (int i = 0; i < n; ++i) f.at[0][i] = k.in[c2 + 2][first + i] + ox;
        for (int i = 0; i < n; ++i) f.at[1][i] = k.in[c2 + 3][first + i] + oy;
        sum_octaves<2, Shift>(f, n, octaves, k.in[c2] + first, k.in[c2 + 1] + first);
        for (int i = 0; i < n; ++i) k.out[c][first + i] = f.sum[i] * k.in[c][first + i];
    }
}
/// Ports: amplitude (as output), octaves (uniform), lacunarity, diminish, texcoord.
void fractal2d(const KernelArgs& k) {
    plane_fractal_into<0>(k, 0, 0.f, 0.f);
    if (k.components == 2) return plane_fractal_into<0>(k, 1, 19.f, 193.f);
    if (k.components > 2) {
        plane_fractal_into<8>(k, 1, 0.f, 0.f);
        plane_fractal_into<16>(k, 2, 0.f, 0.f);
    }
    if (k.components > 3) plane_fractal_into<0>(k, 3, 19.f, 193.f);
}

void cellnoise2d(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) k.out[0][i] = to_unit(hash2(cell_of(k.in[0][i]), cell_of(k.in[1][i])));
}
void cellnoise3d(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i)
        k.out[0][i] = to_unit(hash3(cell_of(k.in[0][i]), cell_of(k.in[1][i]), cell_of(k.in[2][i])));
}

enum UnifiedUniform : int { unified_type, unified_style, unified_octaves, unified_clamps };
enum UnifiedType : int { of_gradient, of_cells, of_worley, of_fractal };

/// The part that both share: `where` of two or three coordinates, multiplied and moved; then from 0..1 to the ends.
/// Ports: where, freq, offset (dimension each), jitter, outmin, outmax, lacunarity, diminish.
static void unified(const KernelArgs& k, int dimension) {
    const float* const* rest = k.in + 3 * dimension;
    const float* jitter = rest[0];
    const float* low = rest[1];
    const float* high = rest[2];
    const float* lacunarity = rest[3];
    const float* diminish = rest[4];
    const int type = int(k.uniform[unified_type]);
    const int octaves = int(k.uniform[unified_octaves]);
    const bool solid = k.uniform[unified_style] >= .5f;
    Nearest near;
    Octaves fractal;
    static_assert(Octaves::piece == worley_piece);
    float(&at)[3][worley_piece] = fractal.at;
    for (int first = 0; first < k.n; first += worley_piece) {
        const int n = k.n - first < worley_piece ? k.n - first : worley_piece;
        for (int c = 0; c < 3; ++c)
            for (int i = 0; i < n; ++i) {
                const int p = first + i;
                at[c][i] = c < dimension ? k.in[c][p] * k.in[dimension + c][p] + k.in[2 * dimension + c][p] : 0.f;
            }
        float* out = k.out[0] + first;
        const KernelArgs one{n, 1, nullptr, &out, k.uniform, -1, nullptr};
        if (type == of_worley) {
            if (dimension == 2)
                look_near(near, n, at[0], at[1], jitter + first);
            else
                look_near(near, n, at[0], at[1], at[2], jitter + first);
            if (solid)
                put_cells(near, one, 0, n, dimension == 2);
            else
                put_distances(near, one, 0, n);
        } else if (type == of_gradient || type == of_cells) {
            for (int i = 0; i < n; ++i) {
                const float x = in_reach(at[0][i]);
                const float y = in_reach(at[1][i]);
                const float z = in_reach(at[2][i]);
                if (type == of_gradient)
                    out[i] = (dimension == 2 ? noise_at<0>(x, y) : noise_at<0>(x, y, z)) * .5f + .5f;
                else
                    out[i] = to_unit(dimension == 2 ? hash2(cell_of(x), cell_of(y))
                                                    : hash3(cell_of(x), cell_of(y), cell_of(z)));
            }
        } else {
            sum_octaves<3, 0>(fractal, n, octaves, lacunarity + first, diminish + first);
            for (int i = 0; i < n; ++i) out[i] = fractal.sum[i];
        }
        const bool clamps = k.uniform[unified_clamps] >= .5f;
        for (int i = 0; i < n; ++i) {
            const float a = low[first + i];
            const float b = high[first + i];
            const float value = a + out[i] * (b - a);
            out[i] = clamps ? clamp(value, min_of(a, b), max_of(a, b)) : value;
        }
    }
}
void unifiednoise2d(const KernelArgs& k) {
    unified(k, 2);
}
void unifiednoise3d(const KernelArgs& k) {
    unified(k, 3);
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(noise2d)
VEMTRA_DECLARE_KERNEL(fractal2d)
VEMTRA_DECLARE_KERNEL(cellnoise2d)
VEMTRA_DECLARE_KERNEL(cellnoise3d)
VEMTRA_DECLARE_KERNEL(unifiednoise2d)
VEMTRA_DECLARE_KERNEL(unifiednoise3d)

namespace {

const Port texcoord{.name = "texcoord",
                    .help = "Where it is read: the UVs, times a scale for finer or coarser waves.",
                    .type = Type::vector2,
                    .value = V2f(0.f),
                    .low = -10.f,
                    .high = 10.f,
                    .reads = Reads::uv};
const Port position{.name = "position",
                    .help = "Where it is read: the asset's own space in metres, times a scale.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .low = -10.f,
                    .high = 10.f,
                    .reads = Reads::position_object};
const Port octaves{.name = "octaves",
                   .help = "How many sizes are added up.",
                   .value = 3.f,
                   .low = 1.f,
                   .high = 12.f,
                   .hard = true,
                   .uniform = true,
                   .whole = true};
Port number(const char* name, const char* help, float value, float low, float high) {
    return {.name = name, .help = help, .value = value, .low = low, .high = high};
}
const Port lacunarity = number("lacunarity", "How much finer each next size is.", 2.f, 1.f, 4.f);
const Port diminish = number("diminish", "How much weaker each next size is.", .5f, 0.f, 1.f);

NodeDescription noise(const char* kind, const char* title, const char* help, std::vector<Type> types,
                      std::vector<Port> ports, KernelPair kernel) {
    return {.kind = kind,
            .title = title,
            .family = "pattern",
            .help = help,
            .standard = std::string("MaterialX 1.39 ") + kind,
            .types = std::move(types),
            .ports = std::move(ports),
            .kernel = kernel};
}

NodeDescription unified_noise(const char* kind, const char* title, const Port& where, const scene::Value& one,
                              const scene::Value& none, KernelPair kernel) {
    auto vector = [&](const char* name, const char* help, const scene::Value& value) {
        return Port{.name = name, .help = help, .type = where.type, .value = value, .high = 32.f};
    };
    NodeDescription d = noise(kind, title, "Gradient, cell, Worley or fractal noise, chosen by name.", {Type::number},
                              {where, vector("freq", "How fine.", one), vector("offset", "Moved by.", none),
                               number("jitter", "How scattered the points of Worley noise are.", 1.f, 0.f, 1.f),
                               number("outmin", "Lower end.", 0.f, 0.f, 1.f),
                               number("outmax", "Upper end.", 1.f, 0.f, 1.f), lacunarity, diminish},
                              kernel);
    auto choice = [&](const char* name, const char* help, float value, std::vector<std::string> choices) {
        d.ports.push_back({.name = name,
                           .help = help,
                           .value = value,
                           .high = float(choices.size() - 1),
                           .uniform = true,
                           .whole = true,
                           .choices = choices});
    };
    choice("type", "Which noise.", 0.f, {"gradient", "cells", "Worley", "fractal"});
    choice("style", "Of Worley noise: distance, or one value per cell.", 0.f, {"distance", "solid"});
    d.ports.push_back(octaves);
    choice("clampoutput", "Keep the result between the ends.", 1.f, {"no", "yes"});
    d.uniforms = {{"type", VEMTRA_ISA::unified_type},
                  {"style", VEMTRA_ISA::unified_style},
                  {"octaves", VEMTRA_ISA::unified_octaves},
                  {"clampoutput", VEMTRA_ISA::unified_clamps}};
    return d;
}

}  // namespace

void describe_plane_noise(std::vector<NodeDescription>& list) {
    const Port amplitude{.name = "amplitude", .help = "Height of the waves.", .same_as_output = true, .value = 1.f};
    list.push_back(noise("noise2d", "Noise in UV", "Soft irregular waves of one size, in the plane of the UVs.",
                         value_types(), {amplitude, number("pivot", "Added to the result.", 0.f, 0.f, 1.f), texcoord},
                         VEMTRA_PAIR(noise2d)));
    list.push_back(noise("fractal2d", "Fractal noise in UV", "Waves of several sizes, in the plane of the UVs.",
                         value_types(), {amplitude, octaves, lacunarity, diminish, texcoord}, VEMTRA_PAIR(fractal2d)));
    list.back().uniforms = {{"octaves", VEMTRA_ISA::plane_fractal_octaves}};
    list.push_back(noise("cellnoise2d", "Cells in UV", "One random value per unit square of the UVs.", {Type::number},
                         {texcoord}, VEMTRA_PAIR(cellnoise2d)));
    list.push_back(noise("cellnoise3d", "Cells", "One random value per unit cube.", {Type::number}, {position},
                         VEMTRA_PAIR(cellnoise3d)));
    list.push_back(
        unified_noise("unifiednoise2d", "Any noise in UV", texcoord, V2f(1.f), V2f(0.f), VEMTRA_PAIR(unifiednoise2d)));
    list.push_back(
        unified_noise("unifiednoise3d", "Any noise", position, V3f(1.f), V3f(0.f), VEMTRA_PAIR(unifiednoise3d)));
}
#endif
}  // namespace vemtra::nodes
