#include "texture_support.h"

#include <OpenImageIO/imageio.h>

namespace vemtra::test {

void write_image(const fs::path& file, int w, int h, int channels, Kept kept,
                 const std::function<float(int, int, int)>& value,
                 const std::function<void(OIIO::ImageSpec&)>& change) {
    static const OIIO::TypeDesc types[] = {OIIO::TypeDesc::UINT8, OIIO::TypeDesc::UINT16, OIIO::TypeDesc::HALF,
                                           OIIO::TypeDesc::FLOAT};
    OIIO::ImageSpec spec(w, h, channels, types[int(kept)]);
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
