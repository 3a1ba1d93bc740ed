// The curves of MaterialX 1.39 by rows of two to sixteen knots: curvelookup, curveadjust, and the three that they are
// made of, curveinversecubic, curveuniformcubic and curveuniformlinear. A smooth curve is the Catmull-Rom spline
// through its values, whose end tangents point to the neighbour (Catmull and Rom, "A Class of Local Interpolating
// Splines", 1974). For the inverse to be one the tangents of the knots are held within three times the smaller slope
// beside them (Fritsch and Carlson 1980); where that holds nothing back, they are the same spline.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

constexpr int most_knots = 16;
enum LookupUniform : int {
    lookup_count = 0,
    lookup_knots = 1,                          // sixteen
    lookup_values = lookup_knots + most_knots  // four of each
};
enum EvenUniform : int { even_count = 0, even_values = 1 };
enum AdjustUniform : int { adjust_count = 0, adjust_knots = 1 };  // x and y of each

namespace {

inline float hermite(float a, float b, float slope_a, float slope_b, float t) {
    const float t2 = t * t;
    const float t3 = t2 * t;
    return a * (2.f * t3 - 3.f * t2 + 1.f) + slope_a * (t3 - 2.f * t2 + t) + b * (3.f * t2 - 2.f * t3) +
           slope_b * (t3 - t2);
}
inline int counted(float count) {
    return int(clamp(count, 2.f, float(most_knots)));
}

/// Where something lies between the knots: from which of them, and how far on, 0 to 1.
struct Along {
    int segment;
    float t;
};
inline Along along_even(float at, int count) {
    const float x = clamp(at, 0.f, 1.f) * float(count - 1);
    int segment = int(x);
    if (segment > count - 2) segment = count - 2;
    return {segment, x - float(segment)};
}

/// Knots in rising order; one that lies before its neighbour lies on it.
struct Knots {
    int count;
    float x[most_knots] = {}, slope[most_knots] = {};

    Knots(const float* from, int stride, int n) : count(n) {
        for (int k = 0; k < n; ++k) x[k] = k > 0 ? max_of(from[stride * k], x[k - 1]) : from[0];
        slope[0] = x[1] - x[0];
        slope[n - 1] = x[n - 1] - x[n - 2];
        for (int k = 1; k + 1 < n; ++k) {
            const float least = min_of(x[k] - x[k - 1], x[k + 1] - x[k]);
            slope[k] = min_of(.5f * (x[k + 1] - x[k - 1]), 3.f * least);
        }
    }
    Along find(float at) const {
        if (!(at > x[0])) return {0, 0.f};
        if (at >= x[count - 1]) return {count - 2, 1.f};
        int s = 0;
        while (s + 2 < count && x[s + 1] <= at) ++s;
        float low = 0.f;
        float high = 1.f;
        for (int step = 0; step < 24; ++step) {
            const float middle = .5f * (low + high);
            const bool beyond = hermite(x[s], x[s + 1], slope[s], slope[s + 1], middle) > at;
            high = beyond ? middle : high;
            low = beyond ? low : middle;
        }
        return {s, .5f * (low + high)};
    }
};

/// One component of the values, `stride` floats apart.
struct Values {
    float v[most_knots] = {}, slope[most_knots] = {};

    Values(const float* from, int stride, int n) {
        for (int k = 0; k < n; ++k) v[k] = from[stride * k];
        slope[0] = v[1] - v[0];
        slope[n - 1] = v[n - 1] - v[n - 2];
        for (int k = 1; k + 1 < n; ++k) slope[k] = .5f * (v[k + 1] - v[k - 1]);
    }
    float at(const Along& a) const {
        return hermite(v[a.segment], v[a.segment + 1], slope[a.segment], slope[a.segment + 1], a.t);
    }
};

}  // namespace

/// Port: in, a number.
void curvelookup(const KernelArgs& k) {
    const int count = counted(k.uniform[lookup_count]);
    const Knots knots(k.uniform + lookup_knots, 1, count);
    for (int c = 0; c < k.components; ++c) {
        const Values values(k.uniform + lookup_values + c, 4, count);
        for (int i = 0; i < k.n; ++i) k.out[c][i] = values.at(knots.find(k.in[0][i]));
    }
}
/// Port: in. All components go through the one curve.
void curveadjust(const KernelArgs& k) {
    const int count = counted(k.uniform[adjust_count]);
    const Knots knots(k.uniform + adjust_knots, 2, count);
    const Values values(k.uniform + adjust_knots + 1, 2, count);
    for (int c = 0; c < k.components; ++c)
        for (int i = 0; i < k.n; ++i) k.out[c][i] = values.at(knots.find(k.in[c][i]));
}
/// Port: in, a number.
void curveinversecubic(const KernelArgs& k) {
    const int count = counted(k.uniform[lookup_count]);
    const Knots knots(k.uniform + lookup_knots, 1, count);
    for (int i = 0; i < k.n; ++i) {
        const Along a = knots.find(k.in[0][i]);
        k.out[0][i] = (float(a.segment) + a.t) / float(count - 1);
    }
}
/// Port: in, a number.
void curveuniformcubic(const KernelArgs& k) {
    const int count = counted(k.uniform[even_count]);
    for (int c = 0; c < k.components; ++c) {
        const Values values(k.uniform + even_values + c, 4, count);
        for (int i = 0; i < k.n; ++i) k.out[c][i] = values.at(along_even(k.in[0][i], count));
    }
}
void curveuniformlinear(const KernelArgs& k) {
    const int count = counted(k.uniform[even_count]);
    for (int i = 0; i < k.n; ++i) {
        const Along a = along_even(k.in[0][i], count);
        const float* from = k.uniform + even_values + 4 * a.segment;
        for (int c = 0; c < k.components; ++c) k.out[c][i] = from[c] * (1.f - a.t) + from[4 + c] * a.t;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(curvelookup)
VEMTRA_DECLARE_KERNEL(curveadjust)
VEMTRA_DECLARE_KERNEL(curveinversecubic)
VEMTRA_DECLARE_KERNEL(curveuniformcubic)
VEMTRA_DECLARE_KERNEL(curveuniformlinear)

namespace {

constexpr int most = VEMTRA_ISA::most_knots;

Port how_many() {
    return {.name = "num_knots",
            .help = "How many knots are used.",
            .value = 2.f,
            .low = 2.f,
            .high = float(most),
            .hard = true,
            .uniform = true,
            .whole = true,
            .role = Role::stop_count};
}
void add_places(std::vector<Port>& ports) {
    for (int k = 1; k <= most; ++k)
        ports.push_back({.name = "knot" + std::to_string(k),
                         .help = "What comes in at the knot, rising from one to the next.",
                         .value = k == 1 ? 0.f : 1.f,
                         .uniform = true,
                         .folded = k > 4,
                         .role = Role::stop_place,
                         .stop = k,
                         .element_of = {"knots"}});
}
void add_values(std::vector<Port>& ports) {
    for (int k = 1; k <= most; ++k)
        ports.push_back({.name = "value" + std::to_string(k),
                         .help = "What goes out at the knot.",
                         .type = Type::color4,
                         .value = V3f(k == 1 ? 0.f : 1.f),
                         .uniform = true,
                         .folded = k > 4,
                         .role = Role::stop_color,
                         .stop = k,
                         .element_of = {"knotvalues"}});
}
Port looked_up() {
    return {.name = "in", .help = "What is looked up along the knots.", .value = 0.f, .role = Role::subject};
}
NodeDescription made(const char* kind, const char* title, const char* help, std::vector<Port> ports, KernelPair kernel,
                     std::vector<UniformAt> uniforms) {
    return {.kind = kind,
            .title = title,
            .family = "adjust",
            .help = help,
            .standard = std::string("MaterialX 1.39 ") + kind,
            .types = {Type::number, Type::color, Type::color4, Type::vector2, Type::vector3, Type::vector4},
            .ports = std::move(ports),
            .kernel = kernel,
            .uniforms = std::move(uniforms)};
}

}  // namespace

void describe_curve_lookups(std::vector<NodeDescription>& list) {
    using namespace VEMTRA_ISA;
    std::vector<Port> places{looked_up(), how_many()};
    add_places(places);
    std::vector<Port> both = places;
    add_values(both);
    list.push_back(made(
        "curvelookup", "Curve lookup", "Smoothly from value to value as a number goes from knot to knot.", both,
        VEMTRA_PAIR(curvelookup), {{"num_knots", lookup_count}, {"knot1", lookup_knots}, {"value1", lookup_values}}));

    std::vector<Port> bent{
        {.name = "in", .help = "What is bent.", .same_as_output = true, .value = 0.f, .role = Role::subject},
        how_many()};
    bent.back().role = Role::knot_count;
    bent.back().section = "all";
    for (int k = 1; k <= most; ++k)
        bent.push_back({.name = "knot" + std::to_string(k),
                        .help = "Where the knot lies: what comes in, and what comes out; from left to right.",
                        .type = Type::vector2,
                        .value = V2f(k == 1 ? 0.f : 1.f),
                        .uniform = true,
                        .folded = true,
                        .section = "all",
                        .role = Role::knot,
                        .element_of = {"knots", "knotvalues"}});
    list.push_back(made("curveadjust", "Curve of all",
                        "Bends all components along one smooth curve, level at its ends.", bent,
                        VEMTRA_PAIR(curveadjust), {{"num_knots", adjust_count}, {"knot1", adjust_knots}}));

    NodeDescription inverse =
        made("curveinversecubic", "Place between knots", "How far along a row of knots a number lies, from 0 to 1.",
             places, VEMTRA_PAIR(curveinversecubic), {{"num_knots", lookup_count}, {"knot1", lookup_knots}});
    inverse.types = {Type::number};
    list.push_back(std::move(inverse));

    std::vector<Port> even{looked_up(), how_many()};
    add_values(even);
    const std::vector<UniformAt> at{{"num_knots", even_count}, {"value1", even_values}};
    list.push_back(made("curveuniformcubic", "Even values, smooth",
                        "Smoothly through values that lie evenly from 0 to 1.", even, VEMTRA_PAIR(curveuniformcubic),
                        at));
    list.push_back(made("curveuniformlinear", "Even values, straight",
                        "In straight lines through values that lie evenly from 0 to 1.", even,
                        VEMTRA_PAIR(curveuniformlinear), at));
}
#endif
}  // namespace vemtra::nodes
