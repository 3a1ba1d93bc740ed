// A marker buoy of the harbour, 0.31 m to the top of its eye: a moulded float with a waist for the rope, a cast collar
// on top of it and an eye to lift it by.
#include "demo.h"

namespace vemtra::demo {
namespace {

Part float_body() {
    // Moulded in two halves: the seam stands out a little all round at half height.
    return {"float",
            {loft(circle(128),
                  rounded({{.0001f, .0f},
                           {.060f, .001f, .02f},
                           {.098f, .030f, .03f},
                           {.110f, .078f, .03f},
                           {.1105f, .0985f, .0006f},
                           {.1122f, .0990f, .0008f},
                           {.1122f, .1010f, .0008f},
                           {.1105f, .1015f, .0006f},
                           {.110f, .120f, .02f},
                           {.090f, .150f, .012f},
                           {.078f, .166f, .012f},
                           {.090f, .182f, .012f},
                           {.096f, .205f, .02f},
                           {.070f, .236f, .03f},
                           {.040f, .240f}},
                          6, .004f),
                  false)}};
}

Part collar() {
    Part part{"collar", {}};
    part.patches.push_back(loft(circle(96),
                                rounded({{.044f, .2365f},
                                         {.0462f, .2370f, .0006f},
                                         {.0462f, .2445f, .0012f},
                                         {.0300f, .2475f, .006f},
                                         {.0230f, .2600f, .003f},
                                         {.0000f, .2620f}},
                                        5, .003f),
                                true));
    return part;
}

Part eye() {
    std::vector<V3f> ring;
    for (int i = 0; i < 96; ++i) {
        const float a = 2.f * pi * float(i) / 96.f;
        ring.push_back(V3f(std::sin(a) * .0215f, .2835f + std::cos(a) * .0215f, 0.f));
    }
    return {"eye", {tube(ring, .0048f, 18, true)}};
}

}  // namespace

std::vector<Part> buoy() {
    return {float_body(), collar(), eye()};
}

}  // namespace vemtra::demo
