// An environment picture, whose kind its first byte chooses: read, made ready to be sampled, sampled.
#include <cmath>

#include "fuzz.h"
#include "render/environment.h"
#include "texture/image_header.h"
#include "texture/texture.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    if (!size) return 0;
    static constexpr const char* names[] = {"e.hdr", "e.exr", "e.png", "e.tif"};
    const fs::path map = fuzz::file(names[data[0] % 4], data + 1, size - 1);
    const auto header = texture::read_header(map);
    if (!header || int64_t(header->width) * header->height > (1 << 20)) return 0;  // slow, not wrong
    auto read = texture::read_linear_image(map);
    if (!read) return 0;
    const render::EnvironmentMap environment(std::make_shared<const render::EnvironmentImage>(std::move(*read)),
                                             V3f(1.f), 0.f);
    for (int i = 0; i < 16; ++i) {
        float pdf = 0.f;
        V3f drawn;
        const V3f way = environment.sample(i / 16., float(i * 7 % 16) / 16.f, pdf, drawn);
        if (!finite(way) || !finite(drawn) || !finite(environment.radiance(way)) || !std::isfinite(pdf) ||
            !std::isfinite(environment.pdf(way)))
            __builtin_trap();
    }
    return 0;
}
