#include "render/lip.h"

#include <cmath>

#include "base/vec.h"

namespace vemtra::render {

using scene::Lip;

float lip_height(Lip lip, float inside) {
    const float x = clamp01(inside);
    switch (lip) {
        case Lip::rounded: return std::sqrt(x * (2.f - x));
        case Lip::worn: return x * x * (3.f - 2.f * x);
        case Lip::curled: return 1.f + (1.f - x) * (1.f - x);
        case Lip::square: break;
    }
    return 1.f;
}

float highest_lip(Lip lip) {
    return lip == Lip::curled ? 2.f : 1.f;
}

}  // namespace vemtra::render
