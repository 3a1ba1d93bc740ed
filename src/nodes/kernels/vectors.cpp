// Vectors of MaterialX 1.39: unit directions, magnitude, distance, dotproduct, crossproduct, reflect, refract,
// rotate2d, rotate3d, place2d. Nodes that give a number take vectors of any length: shorter ones are filled with 0,
// which changes none of these. Angles in degrees.
#include "nodes/kernels/hash.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

constexpr float radians = 0.01745329251994329577f;

/// What has no length has no direction: it stays 0.
void normalize(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        float square = 0.f;
        for (int c = 0; c < k.components; ++c) square += k.in[c][i] * k.in[c][i];
        const float scale = square > 0.f ? 1.f / __builtin_sqrtf(square) : 0.f;
        for (int c = 0; c < k.components; ++c) k.out[c][i] = k.in[c][i] * scale;
    }
}
void magnitude(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        float square = 0.f;
        for (int c = 0; c < 4; ++c) square += k.in[c][i] * k.in[c][i];
        k.out[0][i] = __builtin_sqrtf(square);
    }
}
void distance(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        float square = 0.f;
        for (int c = 0; c < 4; ++c) square += (k.in[c][i] - k.in[4 + c][i]) * (k.in[c][i] - k.in[4 + c][i]);
        k.out[0][i] = __builtin_sqrtf(square);
    }
}
void dotproduct(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) {
        float sum = 0.f;
        for (int c = 0; c < 4; ++c) sum += k.in[c][i] * k.in[4 + c][i];
        k.out[0][i] = sum;
    }
}
void crossproduct(const KernelArgs& k) {
    const float* const* a = k.in;
    const float* const* b = k.in + 3;
    for (int i = 0; i < k.n; ++i) {
        k.out[0][i] = a[1][i] * b[2][i] - a[2][i] * b[1][i];
        k.out[1][i] = a[2][i] * b[0][i] - a[0][i] * b[2][i];
        k.out[2][i] = a[0][i] * b[1][i] - a[1][i] * b[0][i];
    }
}
/// Ports: in, normal.
void reflect(const KernelArgs& k) {
    const float* const* v = k.in;
    const float* const* n = k.in + 3;
    for (int i = 0; i < k.n; ++i) {
        const float twice = 2.f * (v[0][i] * n[0][i] + v[1][i] * n[1][i] + v[2][i] * n[2][i]);
        for (int c = 0; c < 3; ++c) k.out[c][i] = v[c][i] - twice * n[c][i];
    }
}
/// Ports: in, normal, ior (the ratio of both sides' indices). 0 where all is reflected.
void refract(const KernelArgs& k) {
    const float* const* v = k.in;
    const float* const* n = k.in + 3;
    const float* __restrict ior = k.in[6];
    for (int i = 0; i < k.n; ++i) {
        const float cosine = v[0][i] * n[0][i] + v[1][i] * n[1][i] + v[2][i] * n[2][i];
        const float eta = ior[i];
        const float rest = 1.f - eta * eta * (1.f - cosine * cosine);
        const float by = eta * cosine + __builtin_sqrtf(max_of(rest, 0.f));
        for (int c = 0; c < 3; ++c) k.out[c][i] = rest < 0.f ? 0.f : eta * v[c][i] - by * n[c][i];
    }
}
/// Whether the value is the same at all points of the batch.
static bool is_even(const float* __restrict x, int n) {
    int differ = 0;
    for (int i = 1; i < n; ++i) differ |= int(x[i] != x[0]);
    return differ == 0;
}
/// Ports: in, amount.
void rotate2d(const KernelArgs& k) {
    const float* __restrict in_x = k.in[0];
    const float* __restrict in_y = k.in[1];
    const float* __restrict angle = k.in[2];
    float* __restrict out_x = k.out[0];
    float* __restrict out_y = k.out[1];
    if (k.n > 0 && is_even(angle, k.n)) {  // as most are: sine and cosine once
        const float s = __builtin_sinf(angle[0] * radians);
        const float c = __builtin_cosf(angle[0] * radians);
        for (int i = 0; i < k.n; ++i) {
            out_x[i] = c * in_x[i] + s * in_y[i];
            out_y[i] = c * in_y[i] - s * in_x[i];
        }
        return;
    }
    for (int i = 0; i < k.n; ++i) {
        const float s = __builtin_sinf(angle[i] * radians);
        const float c = __builtin_cosf(angle[i] * radians);
        out_x[i] = c * in_x[i] + s * in_y[i];
        out_y[i] = c * in_y[i] - s * in_x[i];
    }
}
/// Ports: in, amount, axis. Rodrigues' rotation, in the sense of rotate2d when the axis is z.
void rotate3d(const KernelArgs& k) {
    const float* const* v = k.in;
    const float* const* axis = k.in + 4;
    for (int i = 0; i < k.n; ++i) {
        const float angle = k.in[3][i] * radians;
        const float s = -__builtin_sinf(angle);
        const float c = __builtin_cosf(angle);
        const float length =
            __builtin_sqrtf(axis[0][i] * axis[0][i] + axis[1][i] * axis[1][i] + axis[2][i] * axis[2][i]);
        const float scale = length > 0.f ? 1.f / length : 0.f;
        const float a[3] = {axis[0][i] * scale, axis[1][i] * scale, axis[2][i] * scale};
        const float p[3] = {v[0][i], v[1][i], v[2][i]};
        const float along = (a[0] * p[0] + a[1] * p[1] + a[2] * p[2]) * (1.f - c);
        k.out[0][i] = p[0] * c + (a[1] * p[2] - a[2] * p[1]) * s + a[0] * along;
        k.out[1][i] = p[1] * c + (a[2] * p[0] - a[0] * p[2]) * s + a[1] * along;
        k.out[2][i] = p[2] * c + (a[0] * p[1] - a[1] * p[0]) * s + a[2] * along;
    }
}
enum Place2dUniform : int { place2d_order };
/// Ports: texcoord, pivot, scale, rotate, offset; operationorder: 0 scale, rotate, translate; 1 translate, rotate,
/// scale.
void place2d(const KernelArgs& k) {
    const bool moves_first = k.uniform[place2d_order] >= .5f;
    const bool even = k.n > 0 && is_even(k.in[6], k.n);
    const float even_s = even ? __builtin_sinf(k.in[6][0] * radians) : 0.f;
    const float even_c = even ? __builtin_cosf(k.in[6][0] * radians) : 1.f;
    for (int i = 0; i < k.n; ++i) {
        const float px = k.in[2][i];
        const float py = k.in[3][i];
        const float sx = k.in[4][i];
        const float sy = k.in[5][i];
        const float a = k.in[6][i] * radians;
        const float ox = k.in[7][i];
        const float oy = k.in[8][i];
        const float s = even ? even_s : __builtin_sinf(a);
        const float c = even ? even_c : __builtin_cosf(a);
        float x = k.in[0][i] - px;
        float y = k.in[1][i] - py;
        if (moves_first) {
            x -= ox;
            y -= oy;
        } else {
            x /= sx;
            y /= sy;
        }
        const float turned_x = c * x + s * y;
        const float turned_y = c * y - s * x;
        x = moves_first ? turned_x / sx : turned_x - ox;
        y = moves_first ? turned_y / sy : turned_y - oy;
        k.out[0][i] = x + px;
        k.out[1][i] = y + py;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(normalize)
VEMTRA_DECLARE_KERNEL(magnitude)
VEMTRA_DECLARE_KERNEL(distance)
VEMTRA_DECLARE_KERNEL(dotproduct)
VEMTRA_DECLARE_KERNEL(crossproduct)
VEMTRA_DECLARE_KERNEL(reflect)
VEMTRA_DECLARE_KERNEL(refract)
VEMTRA_DECLARE_KERNEL(rotate2d)
VEMTRA_DECLARE_KERNEL(rotate3d)
VEMTRA_DECLARE_KERNEL(place2d)

void describe_vectors(std::vector<NodeDescription>& list) {
    auto node = [&](const char* kind, const char* title, const char* help, std::vector<Type> types,
                    std::vector<Port> ports, KernelPair kernel) {
        list.push_back({.kind = kind,
                        .title = title,
                        .family = "vectors",
                        .help = help,
                        .standard = std::string("MaterialX 1.39 ") + kind,
                        .types = std::move(types),
                        .ports = std::move(ports),
                        .kernel = kernel});
    };
    auto port = [](const char* name, const char* help, Type type, scene::Value value) {
        return Port{.name = name, .help = help, .type = type, .value = std::move(value), .low = -1.f};
    };
    const Port normal{.name = "normal",
                      .help = "The mirror's direction.",
                      .type = Type::vector3,
                      .value = V3f(0.f),
                      .low = -1.f,
                      .reads = Reads::normal_object};
    Port angle{.name = "amount", .help = "How far.", .value = 0.f, .low = -180.f, .high = 180.f, .unit = "degrees"};
    node("normalize", "To unit length", "The direction alone.", {Type::vector3, Type::vector2, Type::vector4},
         {{.name = "in", .help = "A vector.", .same_as_output = true, .value = 0.f, .low = -1.f}},
         VEMTRA_PAIR(normalize));
    node("magnitude", "Length", "How long a vector is.", {Type::number}, {port("in", "A vector.", Type::vector4, 0.f)},
         VEMTRA_PAIR(magnitude));
    node("distance", "Distance", "How far apart two places are.", {Type::number},
         {port("in1", "A place.", Type::vector4, 0.f), port("in2", "Another one.", Type::vector4, 0.f)},
         VEMTRA_PAIR(distance));
    node("dotproduct", "Dot product", "How much two directions agree.", {Type::number},
         {port("in1", "A vector.", Type::vector4, 0.f), port("in2", "Another one.", Type::vector4, 0.f)},
         VEMTRA_PAIR(dotproduct));
    node("crossproduct", "Cross product", "The direction that is upright on two others.", {Type::vector3},
         {port("in1", "A vector.", Type::vector3, 0.f), port("in2", "Another one.", Type::vector3, 0.f)},
         VEMTRA_PAIR(crossproduct));
    node("reflect", "Mirror direction", "A direction after a mirror.", {Type::vector3},
         {port("in", "The direction.", Type::vector3, V3f(1.f, 0.f, 0.f)), normal}, VEMTRA_PAIR(reflect));
    node("refract", "Bend direction", "A direction after a surface of another index.", {Type::vector3},
         {port("in", "The direction.", Type::vector3, V3f(1.f, 0.f, 0.f)),
          normal,
          {.name = "ior", .help = "The ratio of the indices of both sides.", .value = 1.f, .high = 3.f}},
         VEMTRA_PAIR(refract));
    node("rotate2d", "Turn in the plane", "Turns (u, v) about the origin.", {Type::vector2},
         {port("in", "What is turned.", Type::vector2, 0.f), angle}, VEMTRA_PAIR(rotate2d));
    node("rotate3d", "Turn in space", "Turns a vector about an axis.", {Type::vector3},
         {port("in", "What is turned.", Type::vector3, 0.f), angle,
          port("axis", "What it is turned about.", Type::vector3, V3f(0.f, 1.f, 0.f))},
         VEMTRA_PAIR(rotate3d));
    node("place2d", "Move UVs", "Scales, turns and moves (u, v) about a pivot; larger numbers make the pattern larger.",
         {Type::vector2},
         {port("texcoord", "What is moved.", Type::vector2, 0.f),
          port("pivot", "About this place.", Type::vector2, 0.f),
          {.name = "scale", .help = "How large.", .type = Type::vector2, .value = V2f(1.f), .low = .1f, .high = 10.f},
          {.name = "rotate", .help = "How far.", .value = 0.f, .low = -180.f, .high = 180.f, .unit = "degrees"},
          port("offset", "How far aside.", Type::vector2, 0.f),
          {.name = "operationorder",
           .help = "Scale, turn, move; or the other way.",
           .value = 0.f,
           .uniform = true,
           .whole = true,
           .choices = {"scale first", "move first"}}},
         VEMTRA_PAIR(place2d));
    list.back().uniforms = {{"operationorder", VEMTRA_ISA::place2d_order}};
}
#endif
}  // namespace vemtra::nodes
