// Small images for tests of maps.
#pragma once
#include <OpenImageIO/imageio.h>

#include "support.h"

namespace vemtra::test {

inline void write_image(const fs::path& file, int w, int h, int channels, OIIO::TypeDesc type,
                        const std::function<float(int, int, int)>& value,
                        const std::function<void(OIIO::ImageSpec&)>& change = {}) {
    OIIO::ImageSpec spec(w, h, channels, type);
    if (change) change(spec);
    std::vector<float> data;
    data.reserve(size_t(w) * size_t(h) * size_t(channels));
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            for (int c = 0; c < channels; ++c) data.push_back(value(x, y, c));
    auto out = OIIO::ImageOutput::create(file.string());
    REQUIRE(out);
    REQUIRE(out->open(file.string(), spec));
    REQUIRE(out->write_image(OIIO::TypeDesc::FLOAT, data.data()));
    REQUIRE(out->close());
}

}  // namespace vemtra::test
