// Curves: a value through a line that the artist bends, for all channels together and for each of a colour by itself.
// Between the knots the line is the monotone cubic of Fritsch and Carlson, "Monotone Piecewise Cubic Interpolation",
// SIAM J. Numer. Anal. 17 (1980): it never swings beyond the knots. Tangents are their three-point means, held within
// three times the smaller slope beside them.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum CurvesUniform : int {
    curves_clip = 0,
    curves_counts = 1,  // all, red, green, blue
    curves_knots = 5    // eight of x and y for each
};
constexpr int knots_of_curve = 8;

namespace {
/// A curve with its tangents: knots in rising order.
struct Curve {
    int n = 0;
    float x[knots_of_curve], y[knots_of_curve], slope[knots_of_curve];

    Curve(const float* knots, int count) {
        for (int k = 0; k < count && k < knots_of_curve; ++k) {
            const float at = knots[2 * k];
            if (n > 0 && at <= x[n - 1]) continue;  // one that is not further right is none
            x[n] = at;
            y[n] = knots[2 * k + 1];
            ++n;
        }
        for (int k = 0; k < n; ++k) {
            const float before = k > 0 ? (y[k] - y[k - 1]) / (x[k] - x[k - 1]) : 0.f;
            const float after = k + 1 < n ? (y[k + 1] - y[k]) / (x[k + 1] - x[k]) : 0.f;
            if (k == 0 || k + 1 == n) {
                slope[k] = k == 0 ? after : before;
                continue;
            }
            const float least = min_of(before < 0.f ? -before : before, after < 0.f ? -after : after);
            const float mean = .5f * (before + after);
            slope[k] = before * after <= 0.f ? 0.f : clamp(mean, -3.f * least, 3.f * least);
        }
    }
    float at(float v, bool clip) const {
        if (n < 2) return v;
        if (v <= x[0]) return clip ? y[0] : y[0] + slope[0] * (v - x[0]);
        if (v >= x[n - 1]) return clip ? y[n - 1] : y[n - 1] + slope[n - 1] * (v - x[n - 1]);
        int s = 0;
        while (s + 2 < n && x[s + 1] <= v) ++s;
        const float h = x[s + 1] - x[s];
        const float t = (v - x[s]) / h;
        const float t2 = t * t;
        const float t3 = t2 * t;
        return y[s] * (2.f * t3 - 3.f * t2 + 1.f) + h * slope[s] * (t3 - 2.f * t2 + t) +
               y[s + 1] * (3.f * t2 - 2.f * t3) + h * slope[s + 1] * (t3 - t2);
    }
};
}  // namespace

/// Port: in. A channel goes through its own curve, then through that of all.
void curves(const KernelArgs& k) {
    const bool clip = k.uniform[curves_clip] != 0.f;
    auto curve = [&](int which) {
        return Curve(k.uniform + curves_knots + 2 * knots_of_curve * which, int(k.uniform[curves_counts + which]));
    };
    const Curve all = curve(0);
    for (int c = 0; c < k.components; ++c) {
        const float* __restrict x = k.in[c];
        float* __restrict out = k.out[c];
        if (k.components >= 3 && c < 3) {
            const Curve own = curve(1 + c);
            for (int i = 0; i < k.n; ++i) out[i] = all.at(own.at(x[i], clip), clip);
        } else if (c == 3) {
            for (int i = 0; i < k.n; ++i) out[i] = x[i];  // alpha stays
        } else {
            for (int i = 0; i < k.n; ++i) out[i] = all.at(x[i], clip);
        }
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(curves)

void describe_curves(std::vector<NodeDescription>& list) {
    const char* channels[] = {"all", "red", "green", "blue"};
    std::vector<Port> ports{
        {.name = "in", .help = "What is bent.", .same_as_output = true, .value = 0.f, .role = Role::subject},
        {.name = "clip",
         .help = "Beyond the outermost knots the curve is level; else it goes on straight.",
         .value = 0.f,
         .hard = true,
         .uniform = true,
         .whole = true,
         .choices = {"no", "yes"}}};
    for (const char* channel : channels)
        ports.push_back({.name = std::string(channel) + "_knots",
                         .help = "How many knots the curve has.",
                         .value = 2.f,
                         .low = 2.f,
                         .high = float(VEMTRA_ISA::knots_of_curve),
                         .hard = true,
                         .uniform = true,
                         .whole = true,
                         .folded = true,
                         .section = channel,
                         .role = Role::knot_count});
    for (const char* channel : channels)
        for (int n = 1; n <= VEMTRA_ISA::knots_of_curve; ++n)
            ports.push_back({.name = channel + std::to_string(n),
                             .help = "Where the knot lies: what comes in, and what comes out; from left to right.",
                             .type = Type::vector2,
                             .value = V2f(n == 1 ? 0.f : 1.f),
                             .uniform = true,
                             .folded = true,
                             .section = channel,
                             .role = Role::knot});
    list.push_back({.kind = "curves",
                    .title = "Curves",
                    .family = "adjust",
                    .help = "Bends values along a line through knots, for all channels and for each by itself.",
                    .types = {Type::number, Type::color, Type::color4},
                    .ports = ports,
                    .kernel = VEMTRA_PAIR(curves),
                    .uniforms = {{"clip", VEMTRA_ISA::curves_clip},
                                 {"all_knots", VEMTRA_ISA::curves_counts},
                                 {"all1", VEMTRA_ISA::curves_knots}}});
}
#endif
}  // namespace vemtra::nodes
