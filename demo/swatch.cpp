// The form that swatches of the stock are rendered on, 9 cm high: a ball on a stepped foot with a sharp edge, over a
// thin rim.
#include "demo.h"

namespace vemtra::demo {

std::vector<Part> swatch_form() {
    std::vector<Turn> turns{{.0001f, 0.f},
                            {.0500f, 0.f, .0003f},
                            {.0500f, .0014f, .0003f},
                            {.0380f, .0018f, .0010f},
                            {.0365f, .0120f, .0006f},
                            {.0300f, .0128f, .0004f},
                            {.0290f, .0185f, .0006f}};
    constexpr float radius = .034f, middle = .050f;
    // Round by its normals: a fillet at each of its points would leave flats between them.
    constexpr int rings = 48;
    for (int i = 0; i <= rings; ++i) {
        const float a = radians(-52.f + 142.f * float(i) / float(rings));
        turns.push_back({std::max(.0001f, radius * std::cos(a)), middle + radius * std::sin(a), i == 0 ? .002f : 0.f});
    }
    return {{"form", {loft(circle(72), rounded(turns, 2), false)}}};
}

}  // namespace vemtra::demo
