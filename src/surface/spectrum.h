// Colours of single wavelengths: the matching functions of CIE 1931 in the fit of Wyman, Sloan, Shirley 2013.
#pragma once
#include "base/vec.h"

namespace vemtra::surface {

/// Linear Rec.709 of one wavelength, in nanometres; numbers below zero lie outside of it.
inline V3f rec709_of(float nm) {
    auto lobe = [](float x, float mean, float left, float right) {
        const float t = (x - mean) * (x < mean ? left : right);
        return std::exp(-.5f * t * t);
    };
    const float x = 1.056f * lobe(nm, 599.8f, .0264f, .0323f) + .362f * lobe(nm, 442.f, .0624f, .0374f) -
                    .065f * lobe(nm, 501.1f, .049f, .0382f);
    const float y = .821f * lobe(nm, 568.8f, .0213f, .0247f) + .286f * lobe(nm, 530.9f, .0613f, .0322f);
    const float z = 1.217f * lobe(nm, 437.f, .0845f, .0278f) + .681f * lobe(nm, 459.f, .0385f, .0725f);
    return {3.2406f * x - 1.5372f * y - .4986f * z, -.9689f * x + 1.8758f * y + .0415f * z,
            .0557f * x - .204f * y + 1.057f * z};
}

}  // namespace vemtra::surface
