// Patterns that are made by laying, weaving and cutting: pieces with joints (bricks, tiles, planks), threads over and
// under each other, a knurl of crossing grooves. Each gives a height, the random number of its piece, or where the gaps
// are; edges are as soft as their bevel or the footprint is wide, and what is finer than the footprint fades to its
// mean.
#include "nodes/kernels/hash.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {
namespace {

VEMTRA_INLINE float random_of(int i, int j, int seed) {
    return to_unit(hash3(i, j, seed));
}
/// Width of the footprint along u or v.
VEMTRA_INLINE float width_of(const float* const* axes, int axis, int i) {
    const float a = axes[axis] ? axes[axis][i] : 0.f;
    const float b = axes[2 + axis] ? axes[2 + axis][i] : 0.f;
    return __builtin_sqrtf(a * a + b * b);
}
/// 0 at and below 0, 1 from `width` on, round between: the profile of a bevel.
VEMTRA_INLINE float bevelled(float distance, float width) {
    const float t = clamp(distance / max_of(width, 1e-6f), 0.f, 1.f);
    return t * (2.f - t);
}
/// 1 while the pattern can be seen, 0 where a footprint holds whole pieces.
VEMTRA_INLINE float seen_at(float width) {
    const float t = clamp(2.f - 2.f * width, 0.f, 1.f);
    return t * t * (3.f - 2.f * t);
}

}  // namespace

enum LaidUniform : int { laid_bond, laid_gives, laid_seed };
enum Gives : int { gives_height, gives_random, gives_gaps };

/// Ports: columns, rows, joint, bevel, uneven, texcoord as a place. Rows are one high; a piece is as wide as rows /
/// columns of them.
void laid(const KernelArgs& k) {
    const int bond = int(k.uniform[laid_bond]);  // half over half, one above the other, at random
    const int gives = int(k.uniform[laid_gives]);
    const int seed = int(k.uniform[laid_seed]);
    const float* const* place = k.in + 5;
    for (int i = 0; i < k.n; ++i) {
        const float columns = max_of(k.in[0][i], 1e-3f);
        const float rows = max_of(k.in[1][i], 1e-3f);
        const float joint = .5f * clamp(k.in[2][i], 0.f, 1.f);
        const float bevel = max_of(k.in[3][i], 0.f);
        const float y = in_reach(place[1][i] * rows);
        const int row = floor_to_int(y);
        const float shift = bond == 0 ? .5f * float(row & 1) : bond == 2 ? random_of(row, 7, seed) : 0.f;
        const float x = in_reach(place[0][i] * columns + shift);
        const int column = floor_to_int(x);
        const float wide = rows / columns;  // of a piece, in rows
        const float across = (x - float(column)) * wide;
        const float up = y - float(row);
        const float edge = min_of(min_of(across, wide - across), min_of(up, 1.f - up)) - joint;
        const float blur = max_of(width_of(place + 2, 1, i) * rows, width_of(place + 2, 0, i) * columns * wide);
        const float piece = random_of(row, column, seed + 1);
        const float height = bevelled(edge + .5f * blur, max_of(bevel, blur)) * (1.f - k.in[4][i] * piece);
        const float gap = 1.f - clamp((edge + .5f * blur) / max_of(blur, 1e-6f), 0.f, 1.f);
        const float solid = max_of(1.f - 2.f * joint, 0.f) * max_of(1.f - 2.f * joint / max_of(wide, 1e-6f), 0.f);
        const float seen = seen_at(blur / min_of(1.f, wide));
        const float value = gives == gives_random ? piece : gives == gives_gaps ? gap : height;
        const float mean = gives == gives_random ? .5f
                           : gives == gives_gaps ? 1.f - solid
                                                 : solid * (1.f - .5f * k.in[4][i]);
        k.out[0][i] = seen * value + (1.f - seen) * mean;
    }
}

enum WeaveUniform : int { weave_bond, weave_gives, weave_seed };

/// Ports: threads, thickness (of a thread, of the space that it has), texcoord as a place.
void weave(const KernelArgs& k) {
    const int bond = int(k.uniform[weave_bond]);  // one over one, two over two
    const int gives = int(k.uniform[weave_gives]);
    const int seed = int(k.uniform[weave_seed]);
    const float* const* place = k.in + 2;
    for (int i = 0; i < k.n; ++i) {
        const float threads = max_of(k.in[0][i], 1e-3f);
        const float half = .5f * clamp(k.in[1][i], .05f, 1.f);
        const float x = in_reach(place[0][i] * threads);
        const float y = in_reach(place[1][i] * threads);
        const int column = floor_to_int(x);
        const int row = floor_to_int(y);
        const float fx = x - float(column) - .5f;
        const float fy = y - float(row) - .5f;
        auto upright_on_top = [bond](int c, int r) { return bond == 0 ? ((c + r) & 1) == 0 : ((c + r) & 3) < 2; };
        // A thread's height along it goes from where it lies in its own cell to where it lies in the next.
        auto along = [](bool here, bool next, float t) {
            const float a = here ? 1.f : 0.f;
            const float b = next ? 1.f : 0.f;
            const float s = clamp((t - .2f) / .6f, 0.f, 1.f);  // level over the thread that it crosses
            return a + (b - a) * .5f * s * s * (3.f - 2.f * s);
        };
        const bool here = upright_on_top(column, row);
        const bool up = upright_on_top(column, fy > 0.f ? row + 1 : row - 1);
        const bool aside = upright_on_top(fx > 0.f ? column + 1 : column - 1, row);
        const float ax = fx < 0.f ? -fx : fx;
        const float ay = fy < 0.f ? -fy : fy;
        auto round = [half](float d) { return __builtin_sqrtf(max_of(1.f - (d / half) * (d / half), 0.f)); };
        const float upright = ax < half ? .5f * along(here, up, 2.f * ay) + .5f * round(ax) : 0.f;
        const float level = ay < half ? .5f * along(!here, !aside, 2.f * ax) + .5f * round(ay) : 0.f;
        const bool on_top = upright >= level;
        const float thread = on_top ? random_of(column, 1, seed) : random_of(row, 2, seed);
        const float height = max_of(upright, level);
        const float blur = max_of(width_of(place + 2, 0, i), width_of(place + 2, 1, i)) * threads;
        const float seen = seen_at(blur);
        const float hole = (1.f - 2.f * half) * (1.f - 2.f * half);
        const float value = gives == gives_random ? thread : gives == gives_gaps ? (height > 0.f ? 0.f : 1.f) : height;
        const float mean = gives == gives_random ? .5f : gives == gives_gaps ? hole : .7f * (1.f - hole);
        k.out[0][i] = seen * value + (1.f - seen) * mean;
    }
}

/// Ports: grooves, slant (how much taller than wide a diamond is), flat (of its top), texcoord as a place.
void knurl(const KernelArgs& k) {
    const float* const* place = k.in + 3;
    for (int i = 0; i < k.n; ++i) {
        const float grooves = max_of(k.in[0][i], 1e-3f);
        const float slant = max_of(k.in[1][i], 1e-3f);
        const float flat = clamp(k.in[2][i], 0.f, .99f);
        const float x = place[0][i] * grooves;
        const float y = place[1][i] * grooves / slant;
        auto ridge = [](float t) {
            const float d = t - __builtin_floorf(t) - .5f;
            return 1.f - 2.f * (d < 0.f ? -d : d);
        };
        const float blur = max_of(width_of(place + 2, 0, i) * grooves, width_of(place + 2, 1, i) * grooves / slant);
        const float top = min_of(ridge(x + y), ridge(x - y));
        const float height = min_of(top / (1.f - flat), 1.f);
        const float seen = seen_at(blur);
        // Of a pyramid cut at 1 - flat: the mean of min(t / q, 1) over t with density 2 (1 - t).
        const float q = 1.f - flat;
        const float mean = 1.f - q + q * q * (1.f / 3.f);
        k.out[0][i] = seen * height + (1.f - seen) * mean;
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(laid)
VEMTRA_DECLARE_KERNEL(weave)
VEMTRA_DECLARE_KERNEL(knurl)

void describe_laid_patterns(std::vector<NodeDescription>& list) {
    auto number = [](const char* name, const char* help, float value, float low, float high) {
        return Port{.name = name, .help = help, .value = value, .low = low, .high = high};
    };
    auto choice = [](const char* name, const char* help, std::vector<std::string> choices) {
        const float last = float(choices.size() - 1);
        return Port{.name = name,
                    .help = help,
                    .high = last,
                    .hard = true,
                    .uniform = true,
                    .whole = true,
                    .choices = std::move(choices)};
    };
    const Port seed{
        .name = "seed", .help = "Another one, other numbers.", .high = 100.f, .uniform = true, .whole = true};
    const Port place{.name = "texcoord",
                     .help = "Where it lies: the UVs, or a placement.",
                     .type = Type::place,
                     .value = V2f(0.f),
                     .reads = Reads::uv,
                     .role = Role::where};
    list.push_back(
        {.kind = "laid",
         .title = "Laid pieces",
         .family = "pattern",
         .help = "Bricks, tiles or planks with joints and bevels.",
         .types = {Type::number},
         .ports = {number("columns", "How many pieces lie beside each other.", 4.f, 1.f, 40.f),
                   number("rows", "How many rows.", 12.f, 1.f, 80.f),
                   number("joint", "Width of the joints; 1 is a row's height.", .1f, 0.f, .5f),
                   number("bevel", "Width of the rounded edge; 1 is a row's height.", .12f, 0.f, .5f),
                   number("uneven", "How much lower some pieces lie than others.", .2f, 0.f, 1.f), place,
                   choice("bond", "How rows lie on each other.",
                          {"half over half", "one above the other", "at random"}),
                   choice("gives", "What of it is wanted.", {"height", "random per piece", "joints"}), seed},
         .kernel = VEMTRA_PAIR(laid),
         .per_side = true,
         .uniforms = {
             {"bond", VEMTRA_ISA::laid_bond}, {"gives", VEMTRA_ISA::laid_gives}, {"seed", VEMTRA_ISA::laid_seed}}});
    list.push_back(
        {.kind = "weave",
         .title = "Weave",
         .family = "pattern",
         .help = "Threads over and under each other.",
         .types = {Type::number},
         .ports = {number("threads", "How many lie beside each other.", 24.f, 2.f, 200.f),
                   number("thickness", "Of a thread, of the space that it has.", .85f, .1f, 1.f), place,
                   choice("bond", "How threads go over and under.", {"one over one", "two over two"}),
                   choice("gives", "What of it is wanted.", {"height", "random per thread", "holes"}), seed},
         .kernel = VEMTRA_PAIR(weave),
         .per_side = true,
         .uniforms = {
             {"bond", VEMTRA_ISA::weave_bond}, {"gives", VEMTRA_ISA::weave_gives}, {"seed", VEMTRA_ISA::weave_seed}}});
    list.push_back({.kind = "knurl",
                    .title = "Knurl",
                    .family = "pattern",
                    .help = "Diamonds between crossing grooves, as they are cut into handles.",
                    .types = {Type::number},
                    .ports = {number("grooves", "How many beside each other.", 24.f, 2.f, 200.f),
                              number("slant", "How much taller than wide a diamond is.", 1.6f, .5f, 4.f),
                              number("flat", "How much of its top is flat.", .1f, 0.f, .9f), place},
                    .kernel = VEMTRA_PAIR(knurl),
                    .per_side = true});
}
#endif
}  // namespace vemtra::nodes
