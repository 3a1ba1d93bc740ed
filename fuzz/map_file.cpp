// A map file, whose kind its first byte chooses: header, look at its pixels, prepared form.
#include "fuzz.h"
#include "texture/image_header.h"
#include "texture/map_probe.h"
#include "texture/prepare_map.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    if (!size) return 0;
    static constexpr const char* names[] = {"m.png", "m.jpg", "m.tif", "m.exr", "m.hdr", "m.tga", "m.bmp", "m.webp"};
    const fs::path map = fuzz::file(names[data[0] % 8], data + 1, size - 1);
    const auto header = texture::read_header(map);
    if (!header || int64_t(header->width) * header->height > (1 << 22)) return 0;  // slow, not wrong
    texture::probe_map(map, nullptr);
    texture::prepare_map(map, fuzz::folder() / "prepared.tif", "srgb_texture");
    return 0;
}
