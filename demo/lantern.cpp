// The harbour lantern, 0.43 m to the top of its handle: a cast housing with ribs on a bolted foot, a ribbed lens
// between two rubber gaskets behind a guard of four bars and a hoop, a spun brass cap on a hinge, a rope-wound handle,
// a number plate, a cable gland.
#include "demo.h"

namespace vemtra::demo {
namespace {

M44f at(const V3f& p) {
    return M44f().translate(p);
}
M44f turned_y(float degrees) {
    M44f m;
    m.rotate(V3f(0, radians(degrees), 0));
    return m;
}
M44f tipped_x(float degrees) {
    M44f m;
    m.rotate(V3f(radians(degrees), 0, 0));
    return m;
}
/// The local y axis laid along +x.
M44f lying_x() {
    M44f m;
    m.rotate(V3f(0, 0, radians(-90)));
    return m;
}

float bump(float x, float half_width) {  // 1 in the middle, 0 beyond, smooth
    const float t = clamp01(1.f - std::fabs(x) / half_width);
    return t * t * (3.f - 2.f * t);
}
float wrap(float a) {
    return a - 2.f * pi * std::round(a / (2.f * pi));
}

/// A hexagon-head bolt on a washer, standing on y = 0.
std::vector<Patch> bolt(float size) {
    const float r = size * .5f;
    Patch washer =
        loft(circle(24),
             rounded({{r * 1.35f, -.0008f}, {r * 1.35f, size * .14f, size * .05f}, {r * .6f, size * .14f}}, 2), false);
    Patch head =
        loft(rounded_polygon(6, r, r * .18f, 2, 2),
             rounded({{0.f, size * .10f}, {0.f, size * .62f, size * .10f}, {-r * .35f, size * .70f}}, 3), true);
    return {washer, head};
}

void place(Part& part, const std::vector<Patch>& patches, const M44f& m) {
    for (const Patch& p : patches) part.patches.push_back(p.moved(m));
}

/// Strokes of the plate's figures on a grid 2 wide and 4 high.
std::vector<std::vector<V2f>> figure(char c) {
    switch (c) {
        case 'S':
            return {{{2, 3.4f},
                     {1.5f, 4},
                     {.5f, 4},
                     {0, 3.5f},
                     {0, 2.7f},
                     {.5f, 2.2f},
                     {1.5f, 1.8f},
                     {2, 1.3f},
                     {2, .5f},
                     {1.5f, 0},
                     {.5f, 0},
                     {0, .6f}}};
        case '0': return {{{0, 1}, {0, 3}, {.6f, 4}, {1.4f, 4}, {2, 3}, {2, 1}, {1.4f, 0}, {.6f, 0}, {0, 1}}};
        case '7': return {{{0, 4}, {2, 4}, {1.2f, 2.2f}, {.8f, 0}}};
        case '-': return {{{.3f, 2}, {1.7f, 2}}};
        default: return {};
    }
}

std::vector<V3f> smooth_curve(const std::vector<V3f>& through, int between) {  // Catmull-Rom
    std::vector<V3f> out;
    const int n = int(through.size());
    for (int i = 0; i + 1 < n; ++i) {
        const V3f &p0 = through[size_t(std::max(0, i - 1))], &p1 = through[size_t(i)], &p2 = through[size_t(i + 1)],
                  &p3 = through[size_t(std::min(n - 1, i + 2))];
        for (int k = 0; k < between; ++k) {
            const float t = float(k) / float(between), t2 = t * t, t3 = t2 * t;
            out.push_back((p1 * 2.f + (p2 - p0) * t + (p0 * 2.f - p1 * 5.f + p2 * 4.f - p3) * t2 +
                           (p1 * 3.f - p0 - p2 * 3.f + p3) * t3) *
                          .5f);
        }
    }
    out.push_back(through.back());
    return out;
}

Part body() {
    Part part{"body", {}};
    // Eight cast ribs stand between foot and collar.
    const Shift ribs = [](float angle, const V3f& p) {
        const float h = bump(p.y - .066f, .040f);
        const float rib = bump(wrap(angle * 8.f) / 8.f, .085f);
        const V3f out = V3f(p.x, 0, p.z).normalized();
        return p + out * (.0085f * rib * std::min(1.f, 1.6f * h));
    };
    part.patches.push_back(loft(circle(144),
                                rounded({{.079f, .0115f},
                                         {.092f, .0125f, .002f},
                                         {.092f, .0235f, .003f},
                                         {.0735f, .0265f, .009f},
                                         {.0605f, .052f, .02f},
                                         {.0600f, .080f, .02f},
                                         {.0760f, .1060f, .010f},
                                         {.0890f, .1100f, .003f},
                                         {.0890f, .1250f, .003f},
                                         {.0800f, .1270f, .0015f},
                                         {.0790f, .1310f, .001f},
                                         {.062f, .1315f}},
                                        4, .005f),
                                false, ribs));
    // A raised bead runs round the collar.
    std::vector<V3f> bead;
    for (int i = 0; i < 128; ++i)
        bead.push_back(V3f(std::sin(2 * pi * i / 128.f) * .0888f, .1175f, std::cos(2 * pi * i / 128.f) * .0888f));
    part.patches.push_back(tube(bead, .0022f, 12, true));
    // The upper ring that carries the cap.
    part.patches.push_back(loft(circle(144),
                                rounded({{.064f, .2385f},
                                         {.0795f, .2390f, .0012f},
                                         {.0805f, .2420f, .001f},
                                         {.0890f, .2435f, .0025f},
                                         {.0890f, .2555f, .0025f},
                                         {.060f, .2580f}},
                                        5, .004f),
                                false));
    // Boss behind the number plate.
    Patch boss = loft(rounded_rectangle(.0315f, .0185f, .006f, 5, 6),
                      rounded({{.0012f, -.022f}, {.0f, 0.f, .0015f}, {-.004f, .0004f}}, 4), true);
    part.patches.push_back(boss.moved(tipped_x(90) * at({0, .0665f, .0755f})));
    // Boss for the cable gland at the back.
    Patch gland = loft(circle(48), rounded({{.0150f, -.022f}, {.0135f, .004f, .002f}, {.0105f, .006f}}, 4), true);
    part.patches.push_back(gland.moved(tipped_x(-90) * at({0, .050f, -.072f})));
    // Ears that the handle turns in.
    for (float side : {-1.f, 1.f}) {
        Patch ear = loft(rounded_rectangle(.0075f, .0115f, .0074f, 8, 3),
                         rounded({{.0f, -.008f}, {.0f, .0085f, .0018f}, {-.003f, .009f}}, 4), true);
        part.patches.push_back(
            ear.moved((side > 0 ? lying_x() : lying_x() * turned_y(180)) * at({side * .0885f, .2495f, 0})));
    }
    return part;
}

Part guard() {
    Part part{"guard", {}};
    for (int i = 0; i < 4; ++i) {
        const V3f from(.0845f, .1205f, 0), to(.0845f, .2465f, 0);
        std::vector<V3f> curve = smooth_curve({from,
                                               {.0925f, .1335f, 0},
                                               {.0965f, .160f, 0},
                                               {.0972f, .1835f, 0},
                                               {.0965f, .207f, 0},
                                               {.0925f, .2335f, 0},
                                               to},
                                              8);
        part.patches.push_back(tube(curve, .0042f, 16).moved(turned_y(45.f + 90.f * float(i))));
    }
    std::vector<V3f> hoop;
    for (int i = 0; i < 144; ++i)
        hoop.push_back(V3f(std::sin(2 * pi * i / 144.f) * .0972f, .1835f, std::cos(2 * pi * i / 144.f) * .0972f));
    part.patches.push_back(tube(hoop, .0034f, 14, true));
    // Where bar and hoop cross they are welded: a small bead.
    for (int i = 0; i < 4; ++i) {
        Patch bead = loft(circle(24),
                          rounded({{.0001f, -.0062f},
                                   {.0050f, -.0052f, .004f},
                                   {.0058f, 0.f, .006f},
                                   {.0050f, .0052f, .004f},
                                   {.0001f, .0062f}},
                                  5),
                          false);
        part.patches.push_back(bead.moved(at({.0972f, .1835f, 0}) * turned_y(45.f + 90.f * float(i))));
    }
    return part;
}

Part lens() {
    // Rings of prisms above and below a plain belt, as in a drum lens.
    std::vector<Turn> turns{{.0600f, .1330f}, {.0685f, .1335f, .0008f}, {.0690f, .1385f, .0008f}};
    for (int i = 0; i < 11; ++i) {
        const float y = .1400f + .0086f * float(i), middle = std::fabs(float(i) - 5.f) / 5.f;
        const float out = .0735f - .0035f * middle * middle;
        turns.push_back({out - .0034f, y + .0002f, .0004f});
        if (i == 5)
            turns.push_back({out, y + .0012f, .0022f}), turns.push_back({out, y + .0074f, .0022f});
        else if (i < 5)
            turns.push_back({out - .0002f, y + .0018f, .0009f}), turns.push_back({out - .0010f, y + .0076f, .0012f});
        else
            turns.push_back({out - .0010f, y + .0010f, .0012f}), turns.push_back({out - .0002f, y + .0068f, .0009f});
        turns.push_back({out - .0034f, y + .0084f, .0004f});
    }
    turns.insert(turns.end(), {{.0690f, .2360f, .0008f}, {.0685f, .2400f, .0008f}, {.0600f, .2405f}});
    // The inner wall closes it to a solid ring of glass.
    turns.insert(turns.end(), {{.0640f, .2400f, .0012f},
                               {.0635f, .2300f, .004f},
                               {.0635f, .1430f, .004f},
                               {.0640f, .1335f, .0012f},
                               {.0600f, .1330f}});
    turns.erase(turns.begin());
    turns.insert(turns.begin(), {.0640f, .1335f});
    turns.pop_back();
    for (Turn& t : turns)
        if (t.out == .0600f) t.out = .0640f;
    return {"lens", {loft(circle(80), rounded(turns, 2), false)}};
}

/// What stands inside of the lens: a porcelain holder, a frosted bulb.
std::vector<Part> lamp() {
    Part holder{"holder",
                {loft(circle(40),
                      rounded({{.0480f, .1316f},
                               {.0480f, .1345f, .0010f},
                               {.0215f, .1350f, .003f},
                               {.0190f, .1500f, .002f},
                               {.0205f, .1530f, .001f},
                               {.0205f, .1570f, .001f},
                               {.0140f, .1585f}},
                              3),
                      true)}};
    std::vector<Turn> glass{{.0001f, .1560f}, {.0105f, .1560f, .001f}, {.0112f, .1660f, .004f}};
    for (int i = 0; i <= 12; ++i) {
        const float a = radians(-50.f + 140.f * float(i) / 12.f);
        glass.push_back({std::max(.0001f, .0215f * std::cos(a)), .1900f + .0215f * std::sin(a), .004f});
    }
    return {holder, {"bulb", {loft(circle(40), rounded(glass, 2), false)}}};
}

/// A plug of sealing wax over the tamper screw on the front of the foot, pressed with a stamp.
Part plug() {
    const Shift uneven = [](float angle, const V3f& p) {
        const float r = std::sqrt(p.x * p.x + p.z * p.z);
        const float k = 1.f + .07f * std::sin(3.f * angle + .6f) + .05f * std::sin(7.f * angle) * clamp01(r / .011f);
        return V3f(p.x * k, p.y, p.z * k);
    };
    Patch drop = loft(circle(48),
                      rounded({{.0125f, -.0012f},
                               {.0128f, .0016f, .0014f},
                               {.0102f, .0030f, .0012f},
                               {.0092f, .0030f, .0006f},
                               {.0086f, .0016f, .0005f},
                               {.0030f, .0015f, .0004f},
                               {.0026f, .0024f, .0004f},
                               {.0001f, .0026f}},
                              4),
                      false, uneven);
    Part part{"plug", {}};
    part.patches.push_back(drop.moved(at({-.052f, .0124f, .083f})));
    return part;
}

Part gasket() {
    Part part{"gasket", {}};
    for (float y : {.1345f, .2365f})
        part.patches.push_back(loft(circle(96),
                                    rounded({{.0660f, y - .0042f},
                                             {.0745f, y - .0042f, .0022f},
                                             {.0775f, y, .003f},
                                             {.0745f, y + .0042f, .0022f},
                                             {.0660f, y + .0042f}},
                                            5),
                                    false));
    // Cable from the gland to the ground.
    std::vector<V3f> cable = smooth_curve({{0, .050f, -.082f},
                                           {0, .050f, -.100f},
                                           {.004f, .042f, -.118f},
                                           {.010f, .022f, -.126f},
                                           {.020f, .0075f, -.136f},
                                           {.040f, .0050f, -.146f},
                                           {.075f, .0050f, -.150f},
                                           {.120f, .0050f, -.142f},
                                           {.170f, .0050f, -.150f}},
                                          10);
    part.patches.push_back(tube(cable, .0048f, 16));
    return part;
}

Part cap() {
    Part part{"cap", {}};
    part.patches.push_back(loft(
        circle(112),
        rounded({{.0840f, .2590f},         {.0905f, .2565f, .0012f}, {.0940f, .2580f, .0020f}, {.0935f, .2625f, .0022f},
                 {.0890f, .2640f, .0015f}, {.0865f, .2700f, .004f},  {.0800f, .2790f, .012f},  {.0740f, .2815f, .0012f},
                 {.0728f, .2842f, .0012f}, {.0560f, .2975f, .022f},  {.0390f, .3035f, .012f},  {.0310f, .3080f, .004f},
                 {.0300f, .3200f, .0015f}, {.0318f, .3212f, .0010f}, {.0318f, .3232f, .0010f}, {.0300f, .3244f, .0012f},
                 {.0300f, .3262f, .0008f}, {.0405f, .3240f, .0010f}, {.0425f, .3255f, .0012f}, {.0400f, .3290f, .003f},
                 {.0230f, .3370f, .014f},  {.0095f, .3395f, .003f},  {.0075f, .3430f, .0015f}, {.0105f, .3475f, .0035f},
                 {.0085f, .3530f, .004f},  {.0001f, .3555f}},
                4, .006f),
        false));
    // Vents round the chimney: small domes, pressed out.
    for (int i = 0; i < 12; ++i) {
        Patch vent = loft(
            circle(20),
            rounded({{.0030f, -.002f}, {.0029f, .0006f, .0008f}, {.0012f, .0016f, .002f}, {.0001f, .0018f}}, 4), false);
        part.patches.push_back(vent.moved(tipped_x(90) * at({0, .3140f, .0302f}) * turned_y(30.f * float(i))));
    }
    return part;
}

Part fittings() {
    Part part{"fittings", {}};
    for (int i = 0; i < 8; ++i)  // foot
        if (i != 4) place(part, bolt(.0085f), at({0, .0236f, .0838f}) * turned_y(22.5f + 45.f * float(i)));
    for (int i = 0; i < 4; ++i) place(part, bolt(.0130f), at({0, .0120f, .1180f}) * turned_y(45.f + 90.f * float(i)));
    for (int i = 0; i < 12; ++i)  // collar
        place(part, bolt(.0058f), at({0, .1262f, .0842f}) * turned_y(15.f + 30.f * float(i)));
    for (float side : {-1.f, 1.f})  // pivots of the handle
        place(part, bolt(.0100f), (side > 0 ? lying_x() : lying_x() * turned_y(180)) * at({side * .1010f, .2495f, 0}));
    // Nut of the cable gland.
    Patch nut = loft(rounded_polygon(6, .0105f, .0018f, 3, 3),
                     rounded({{0.f, 0.f}, {0.f, .0090f, .0015f}, {-.0035f, .0098f}}, 4), true);
    part.patches.push_back(nut.moved(tipped_x(-90) * at({0, .050f, -.0760f})));
    // Hinge at the back: knuckles on a pin, and two leaves.
    for (int i = 0; i < 5; ++i) {
        Patch knuckle =
            loft(circle(32),
                 rounded({{.0001f, 0.f}, {.0050f, 0.f, .0008f}, {.0050f, .0078f, .0008f}, {.0001f, .0078f}}, 4), false);
        part.patches.push_back(knuckle.moved(lying_x() * at({-.0205f + .0082f * float(i), .2580f, -.0962f})));
    }
    for (float up : {-1.f, 1.f}) {
        Patch leaf = loft(rounded_rectangle(.0195f, .0070f, .002f, 4, 5),
                          rounded({{0.f, -.0050f}, {0.f, .0016f, .0008f}, {-.001f, .0018f}}, 3), true);
        part.patches.push_back(leaf.moved(tipped_x(-90) * at({0, .2580f + up * .0085f, -.0900f})));
    }
    // Latch at the front: a clasp over the rim with a wing nut.
    Patch clasp = loft(rounded_rectangle(.0085f, .0135f, .004f, 5, 4),
                       rounded({{0.f, -.0030f}, {0.f, .0034f, .0012f}, {-.0016f, .0038f}}, 4), true);
    part.patches.push_back(clasp.moved(tipped_x(90) * at({0, .2540f, .0915f})));
    Patch hub =
        loft(circle(28),
             rounded({{.0052f, .002f}, {.0046f, .0085f, .001f}, {.0025f, .0095f, .001f}, {.0001f, .0095f}}, 4), false);
    part.patches.push_back(hub.moved(tipped_x(90) * at({0, .2500f, .0930f})));
    for (float side : {-1.f, 1.f}) {
        const std::vector<V3f> wing = smooth_curve({{side * .003f, .2500f, .0985f},
                                                    {side * .0075f, .2512f, .1000f},
                                                    {side * .0120f, .2535f, .1030f},
                                                    {side * .0140f, .2555f, .1050f}},
                                                   5);
        part.patches.push_back(tube(wing, .0020f, 10));
    }
    return part;
}

V3f handle_at(float t) {  // t from 0 (right pivot) over the top to 1 (left pivot)
    const float a = pi * t;
    const float x = std::cos(a), y = std::sin(a);
    // A superellipse: shoulders rather than a plain arch.
    const float k = std::pow(std::pow(std::fabs(x), 2.6f) + std::pow(std::fabs(y), 2.6f), -1.f / 2.6f);
    return {.1075f * x * k, .2495f + .1720f * y * k, 0.f};
}

Part handle() {
    Part part{"handle", {}};
    std::vector<V3f> curve;
    for (int i = 0; i <= 96; ++i) curve.push_back(handle_at(float(i) / 96.f));
    part.patches.push_back(tube(curve, .0042f, 16));
    for (float side : {-1.f, 1.f}) {
        Patch eye =
            loft(circle(36),
                 rounded({{.0060f, -.0035f}, {.0082f, -.0032f, .0012f}, {.0082f, .0032f, .0012f}, {.0060f, .0035f}}, 4),
                 true);
        part.patches.push_back(eye.moved(lying_x() * at({side * .1075f, .2495f, 0})));
    }
    return part;
}

Part rope() {
    Part part{"rope", {}};
    // One strand wound tightly round the grip.
    constexpr float first = .30f, last = .70f;
    constexpr int turns = 34, steps = 18;
    std::vector<V3f> curve;
    for (int i = 0; i <= turns * steps; ++i) {
        const float s = float(i) / float(turns * steps), t = first + (last - first) * s;
        const V3f centre = handle_at(t), forward = (handle_at(t + .002f) - handle_at(t - .002f)).normalized();
        const V3f across = V3f(0, 0, 1), up = across.cross(forward);
        const float a = 2.f * pi * turns * s, ends = std::min(1.f, 12.f * std::min(s, 1.f - s) + .55f);
        // The strand lies a little unevenly, as a hand winds it.
        const float radius = (.0069f + .00025f * std::sin(a * .37f) + .0002f * std::sin(a * 1.31f)) * ends;
        curve.push_back(centre + (up * std::cos(a) + across * std::sin(a)) * radius);
    }
    part.patches.push_back(tube(curve, .00275f, 8));
    for (float t : {first, last}) {  // whipping at both ends
        std::vector<V3f> ring;
        const V3f centre = handle_at(t), forward = (handle_at(t + .002f) - handle_at(t - .002f)).normalized(),
                  up = V3f(0, 0, 1).cross(forward);
        for (int k = -1; k <= 1; ++k) {
            ring.clear();
            for (int i = 0; i < 40; ++i)
                ring.push_back(centre + forward * (.0030f * float(k)) +
                               (up * std::cos(2 * pi * i / 40.f) + V3f(0, 0, 1) * std::sin(2 * pi * i / 40.f)) *
                                   .0066f);
            part.patches.push_back(tube(ring, .0019f, 10, true));
        }
    }
    return part;
}

Part base() {
    Part part{"base", {}};
    part.patches.push_back(loft(
        rounded_rectangle(.104f, .104f, .030f, 12, 14),
        rounded(
            {{-.004f, 0.f}, {0.f, .0006f, .0012f}, {0.f, .0098f, .0028f}, {-.0100f, .0118f, .002f}, {-.0140f, .0120f}},
            5),
        true));
    return part;
}

Part plate() {
    Part part{"plate", {}};
    const M44f upright = tipped_x(90) * at({0, .0665f, .0760f});
    part.patches.push_back(loft(rounded_rectangle(.0285f, .0155f, .0045f, 6, 8),
                                rounded({{0.f, -.001f},
                                         {0.f, .0016f, .0006f},
                                         {-.0018f, .0017f, .0004f},
                                         {-.0022f, .0012f, .0004f},
                                         {-.0044f, .0012f}},
                                        4),
                                true)
                               .moved(upright));
    const std::string text = "S-07";
    for (size_t i = 0; i < text.size(); ++i)
        for (const auto& stroke : figure(text[i])) {
            std::vector<V3f> through;
            for (const V2f& p : stroke)
                through.push_back(
                    V3f((p.x - 1.f) * .0031f + (float(i) - 1.5f) * .0112f, .0665f + (p.y - 2.f) * .0037f, .0772f));
            part.patches.push_back(
                tube(text[i] == '7' || text[i] == '-' ? through : smooth_curve(through, 4), .00115f, 10));
        }
    for (float side : {-1.f, 1.f}) {
        Patch rivet =
            loft(circle(20), rounded({{.0019f, .0010f}, {.0018f, .0018f, .0008f}, {.0001f, .0026f}}, 4), false);
        part.patches.push_back(rivet.moved(tipped_x(90) * at({side * .0248f, .0665f, .0760f})));
    }
    return part;
}

}  // namespace

std::vector<Part> lantern() {
    std::vector<Part> parts{base(),     body(),   guard(), lens(),  gasket(), cap(),
                            fittings(), handle(), rope(),  plate(), plug()};
    for (Part& p : lamp()) parts.push_back(std::move(p));
    return parts;
}

}  // namespace vemtra::demo
