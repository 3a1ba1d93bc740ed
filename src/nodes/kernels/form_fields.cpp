// Masks that read a field of the form as a number: height, slope, bending, creases, chance per part and island.
#include "nodes/kernels/gradient.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

static void read(const KernelArgs& k) {
    const PointBatch& p = *k.points;
    p.fields->sample(k.resource, k.n, p.instance, p.face, p.rows[row_bary], p.rows[row_bary + 1], 1, k.out);
}

/// Ports: from, to, as shares of the height; turned over where they are.
void height(const KernelArgs& k) {
    read(k);
    for (int i = 0; i < k.n; ++i) {
        const float low = k.in[0][i];
        const float width = k.in[1][i] - low;
        const float x = k.out[0][i] - low;
        k.out[0][i] = width == 0.f ? (x >= 0.f ? 1.f : 0.f) : clamp(x / width, 0.f, 1.f);
    }
}
/// Ports: angle from the direction up to which it is white, softness, both degrees.
void slope(const KernelArgs& k) {
    read(k);
    for (int i = 0; i < k.n; ++i) {
        const float c = clamp(k.out[0][i], -1.f, 1.f);
        const float degrees = __builtin_acosf(c) * 57.2957795f;
        const float soft = max_of(k.in[1][i], 1e-3f);
        const float t = clamp((k.in[0][i] + .5f * soft - degrees) / soft, 0.f, 1.f);
        k.out[0][i] = t * t * (3.f - 2.f * t);
    }
}
enum BendUniform : int { bend_shows };
/// Port: amount: bending times the distance that gives white.
void curvature(const KernelArgs& k) {
    read(k);
    const int shows = int(k.uniform[bend_shows]);  // convex, concave, both, signed about a half
    for (int i = 0; i < k.n; ++i) {
        const float x = k.out[0][i] / max_of(k.in[0][i], 1e-6f);
        const float size = x < 0.f ? -x : x;
        const float way = shows == 0 ? x : shows == 1 ? -x : shows == 2 ? size : .5f + .5f * x;
        k.out[0][i] = clamp(way, 0.f, 1.f);
    }
}
/// Ports: width, falloff: 1 on the crease, 0 from the width on.
void crease(const KernelArgs& k) {
    read(k);
    for (int i = 0; i < k.n; ++i) {
        const float t = clamp(1.f - k.out[0][i] / max_of(k.in[0][i], 1e-9f), 0.f, 1.f);
        k.out[0][i] = __builtin_powf(t, clamp(k.in[1][i], .05f, 20.f));
    }
}
/// Ports: least, most: shares of what falls, between which it goes from black to white.
void settle(const KernelArgs& k) {
    read(k);
    for (int i = 0; i < k.n; ++i) {
        const float width = k.in[1][i] - k.in[0][i];
        const float x = k.out[0][i] - k.in[0][i];
        const float t = width == 0.f ? (x >= 0.f ? 1.f : 0.f) : clamp(x / width, 0.f, 1.f);
        k.out[0][i] = t * t * (3.f - 2.f * t);
    }
}
enum StreakUniform : int { streak_from, streak_seed };
/// Ports: length, width, density, meander, fade. The field tells where what runs here sprang from, in the form's own
/// space, and how far up that is. Noise along the springs says where runs begin, how far each comes and how it bends;
/// towards its end a run gets thinner. What the form has is straight: from there they begin raggedly, within a width or
/// so.
static void runs(const KernelArgs& k, float seed, bool from_form) {
    const PointBatch& p = *k.points;
    float rows[4][max_batch];
    float* const to[] = {rows[0], rows[1], rows[2], rows[3]};
    if (!p.fields) {  // nothing is known of a form
        for (int i = 0; i < k.n; ++i) k.out[0][i] = 0.f;
        return;
    }
    p.fields->sample(k.resource, k.n, p.instance, p.face, p.rows[row_bary], p.rows[row_bary + 1], 4, to);
    seed = clamp(seed, -1e6f, 1e6f) * 19.37f;
    // On most of a form nothing runs: those points that something can have come to are put one after the other.
    int at[max_batch];
    float in[5][max_batch];
    int count = 0;
    for (int i = 0; i < k.n; ++i) {
        const bool may = rows[3][i] < k.in[0][i];
        for (int r = 0; r < 4; ++r) rows[r][count] = rows[r][i];
        for (int r = 0; r < 5; ++r) in[r][count] = k.in[r][i];
        at[count] = i;
        count += may;
        k.out[0][i] = 0.f;
    }
    float left[max_batch];
    float shown[max_batch];
    for (int i = 0; i < count; ++i) {
        const float per_width = 1.f / max_of(in[1][i], 1e-7f);
        const float run = rows[3][i];
        const float bend = clamp(in[3][i], -1e6f, 1e6f) * 1.5f;
        const float x = clamp(rows[0][i] * per_width, -1e6f, 1e6f);
        const float y = clamp(rows[1][i] * per_width, -1e6f, 1e6f);
        const float z = clamp(rows[2][i] * per_width, -1e6f, 1e6f);
        const float down = clamp(run * per_width, 0.f, 1e6f) * .12f;
        const float aside = noise_at<0>(x * .3f + seed, y * .3f + down, z * .3f);
        const float across = noise_at<0>(x * .3f, y * .3f + down + 7.3f, z * .3f + seed);
        const float px = x + bend * aside + seed;
        const float pz = z + bend * across;
        const float begins = .5f + .75f * noise_at<0>(px, y, pz);
        const float comes = clamp(.6f + .8f * noise_at<0>(px * .45f + 31.f, y * .45f, pz * .45f), .15f, 1.f);
        left[i] = 1.f - run / max_of(in[0][i] * comes, 1e-9f);  // 1 at the spring, 0 at the end
        const float wanted = 1.f - in[2][i] * (.35f + .65f * clamp(left[i], 0.f, 1.f));
        float t = clamp((begins - wanted) * 2.5f + .5f, 0.f, 1.f);
        const float since = run * per_width;
        const float ragged = .25f + noise_at<0>(px * 1.7f + 13.f, y * 1.7f, pz * 1.7f);
        t *= from_form && since < 2.f ? clamp((since - ragged) * 1.5f, 0.f, 1.f) : 1.f;
        shown[i] = t * t * (3.f - 2.f * t);
    }
    for (int i = 0; i < count; ++i)
        if (left[i] > 0.f && shown[i] > 0.f)
            k.out[0][at[i]] = shown[i] * __builtin_powf(clamp(left[i], 0.f, 1.f), clamp(in[4][i], .05f, 20.f));
}
void streak(const KernelArgs& k) {
    runs(k, k.uniform[streak_seed], true);
}
enum RunFromUniform : int { run_seed };
void runfrom(const KernelArgs& k) {
    runs(k, k.uniform[run_seed], false);
}
/// Ports: low, high.
void formrandom(const KernelArgs& k) {
    read(k);
    for (int i = 0; i < k.n; ++i) k.out[0][i] = k.in[0][i] + (k.in[1][i] - k.in[0][i]) * k.out[0][i];
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include <algorithm>

#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(height)
VEMTRA_DECLARE_KERNEL(slope)
VEMTRA_DECLARE_KERNEL(curvature)
VEMTRA_DECLARE_KERNEL(crease)
VEMTRA_DECLARE_KERNEL(formrandom)
VEMTRA_DECLARE_KERNEL(settle)
VEMTRA_DECLARE_KERNEL(streak)
VEMTRA_DECLARE_KERNEL(runfrom)

namespace {
V3f vector(const Asking& a, const char* port) {
    return scene::as_vector(literal_of(a.node, *a.description.port(port)));
}
int ask_height(const Asking& a, Resources& r) {
    const V3f axis = vector(a, "axis");
    return r.field({a.build_up, "height", {axis.x, axis.y, axis.z, a.number("within")}});
}
int ask_slope(const Asking& a, Resources& r) {
    const V3f to = vector(a, "towards");
    return r.field({a.build_up, "slope", {to.x, to.y, to.z}});
}
int ask_curvature(const Asking& a, Resources& r) {
    return r.field({a.build_up, "curvature", {std::clamp(a.number("scale"), 1e-6f, 1e4f)}});
}
int ask_crease(const Asking& a, Resources& r) {
    const float which = std::clamp(std::round(a.number("which")), 0.f, 2.f);
    return r.field(
        {a.build_up, "crease", {std::clamp(a.number("angle"), 1.f, 179.f), which == 2.f ? 3.f : which + 1.f}});
}
int ask_settle(const Asking& a, Resources& r) {
    const V3f from = vector(a, "from");
    return r.field({a.build_up,
                    "settle",
                    {from.x, from.y, from.z, std::clamp(a.number("drift"), 0.f, 89.f)},
                    0,
                    a.word("without")});
}
/// A little longer or shorter needs no other field.
float longest_run(const scene::Node& node) {
    const Port& port = *describe(node.kind)->port("length");
    float length = number_of(node, port);
    if (const auto it = node.inputs.find("length"); it != node.inputs.end() && it->second.worn)
        length = std::max(length, scene::as_number(*it->second.worn));
    return std::exp2(std::ceil(std::log2(std::clamp(length, 1e-5f, 1e4f))));
}
int ask_streak(const Asking& a, Resources& r) {
    const V3f down = vector(a, "down");
    return r.field(
        {a.build_up,
         "runoff",
         {down.x, down.y, down.z, longest_run(a.node), std::clamp(std::round(a.number("from")), 0.f, 2.f) + 1.f}});
}
int ask_run_from(const Asking& a, Resources& r) {
    const V3f down = vector(a, "down");
    return r.field({a.build_up, "runoff", {down.x, down.y, down.z, longest_run(a.node), 0.f}, a.mask});
}
/// The way up is followed in steps of at most this.
float run_from_within(const scene::Node& node) {
    return .1f * longest_run(node);
}
int ask_random(const Asking& a, Resources& r) {
    return r.field({a.build_up, "random", {a.number("of"), a.number("seed")}});
}
Port choice(const char* name, const char* help, std::vector<std::string> choices) {
    const float last = float(choices.size() - 1);
    return {.name = name,
            .help = help,
            .high = last,
            .hard = true,
            .uniform = true,
            .whole = true,
            .choices = std::move(choices)};
}
Port direction(const char* name, const char* help) {
    return {.name = name,
            .help = help,
            .type = Type::vector3,
            .value = V3f(0.f, 1.f, 0.f),
            .low = -1.f,
            .high = 1.f,
            .uniform = true};
}
}  // namespace

/// From what the form has, and from a mask.
template <class Number, class Node>
static void describe_runs(std::vector<NodeDescription>& list, const Number& number, const Node& node) {
    Port down = direction("down", "Which way it runs, in the world.");
    down.value = V3f(0.f, -1.f, 0.f);
    down.folded = true;
    Port another = number("seed", "Another one, other runs.", 0.f, 0.f, 100.f);
    another.uniform = true;
    another.whole = true;
    std::vector<Port> runs{number("length", "How far the longest ones run; it may be driven, up to what stands here.",
                                  .2f, .005f, 2.f, "m"),
                           number("width", "About how wide one is.", .012f, .001f, .2f, "m"),
                           number("density", "How much of the spring runs: 0 nothing, 1 all of it.", .5f, 0.f, 1.f),
                           number("meander", "How much they bend.", .3f, 0.f, 1.f),
                           number("fade", "How they fade along their way: 1 evenly, below late.", .7f, .1f, 4.f),
                           another,
                           down};
    std::vector<Port> from_mask = runs;
    from_mask.insert(from_mask.begin(), {.name = "in",
                                         .help = "What they run from; where it is a half or more they begin.",
                                         .value = 0.f,
                                         .role = Role::subject});
    runs.insert(runs.end() - 2, choice("from", "What they run from.", {"ledges", "joints", "both"}));
    node("streak", "Runs", "White where water or rust has run down the surface from ledges and joints.",
         std::move(runs), VEMTRA_PAIR(streak), ask_streak);
    list.back().uniforms = {{"from", VEMTRA_ISA::streak_from}, {"seed", VEMTRA_ISA::streak_seed}};
    node("runfrom", "Runs from a mask",
         "White where water or rust has run down the surface from where a mask is: from chips, bolts or what is "
         "painted. The mask is computed over the whole part beforehand; on parts that wear this build-up, too, "
         "it runs on from one to the next that it stands on.",
         std::move(from_mask), VEMTRA_PAIR(runfrom), ask_run_from);
    list.back().uniforms = {{"seed", VEMTRA_ISA::run_seed}};
    list.back().border_within = run_from_within;
    list.back().use = Use::none;
}

void describe_form_fields(std::vector<NodeDescription>& list) {
    auto number = [](const char* name, const char* help, float value, float low, float high, const char* unit = "") {
        return Port{.name = name, .help = help, .value = value, .low = low, .high = high, .unit = unit};
    };
    auto node = [&](const char* kind, const char* title, const char* help, std::vector<Port> ports, KernelPair kernel,
                    Ask ask) {
        list.push_back({.kind = kind,
                        .title = title,
                        .family = "form",
                        .help = help,
                        .types = {Type::number},
                        .ports = std::move(ports),
                        .kernel = kernel,
                        .ask = ask,
                        .varies = true,
                        .use = Use::field});
    };
    node("height", "Height", "From black at one height to white at another.",
         {number("from", "Black up to here; 0 is the lowest place.", 0.f, 0.f, 1.f),
          number("to", "White from here; 1 is the highest place.", 1.f, 0.f, 1.f),
          direction("axis", "Which way is up, in the world."),
          choice("within", "Of what 0 and 1 are the ends.", {"all that stands there", "its own part"})},
         VEMTRA_PAIR(height), ask_height);
    node("slope", "Slope", "White where the surface faces a direction.",
         {number("angle", "White up to this angle from it.", 45.f, 0.f, 180.f, "deg"),
          number("soft", "Over how many degrees it fades.", 30.f, 0.f, 90.f, "deg"),
          direction("towards", "The direction, in the world.")},
         VEMTRA_PAIR(slope), ask_slope);
    Port scale = number("scale", "Over which distance the form is looked at.", .01f, .001f, .2f, "m");
    scale.uniform = true;
    node("curvature", "Bending", "White where the form bends.",
         {number("amount", "How much bending is white; 1 is a bend whose radius is the scale.", .5f, .01f, 2.f),
          choice("shows", "Which way it bends.", {"convex", "concave", "both", "grey where flat"}), scale},
         VEMTRA_PAIR(curvature), ask_curvature);
    Port angle = number("angle", "Faces that meet at more than this make a crease.", 30.f, 5.f, 120.f, "deg");
    angle.uniform = true;
    node("crease", "Crease", "White along sharp edges, over a width.",
         {number("width", "How far from the crease it reaches; it may be driven.", .01f, .001f, .2f, "m"),
          number("falloff", "How it fades over the width: 1 evenly.", 1.f, .1f, 6.f), angle,
          choice("which", "Which creases count.", {"convex", "concave", "both"})},
         VEMTRA_PAIR(crease), ask_crease);
    describe_runs(list, number, node);
    Port drift = number("drift", "How far off that direction it comes from: little for snow, much for dust.", 40.f, 0.f,
                        89.f, "deg");
    drift.uniform = true;
    node("settle", "Settled", "White where what falls comes to rest: not under overhangs, and less on slopes.",
         {number("least", "Nothing stays where less than this share of it arrives.", .3f, 0.f, 1.f),
          number("most", "White where this much arrives; 1 is all of it.", .75f, 0.f, 1.f),
          direction("from", "Where it comes from, in the world."),
          drift,
          {.name = "without",
           .help = "Parts that nothing lies under, by their names: \"Rope*; Handle\".",
           .value = std::string(),
           .uniform = true,
           .text = true,
           .folded = true,
           .role = Role::part_names}},
         VEMTRA_PAIR(settle), ask_settle);
    Port seed = number("seed", "Another one, other numbers.", 0.f, 0.f, 100.f);
    seed.uniform = true;
    seed.whole = true;
    node("formrandom", "Chance of the form", "A random number for each part, instance or island.",
         {number("low", "Lower end.", 0.f, 0.f, 1.f), number("high", "Upper end.", 1.f, 0.f, 1.f),
          choice("of", "What has a number of its own.", {"parts", "instances", "islands"}), seed},
         VEMTRA_PAIR(formrandom), ask_random);
}
#endif
}  // namespace vemtra::nodes
