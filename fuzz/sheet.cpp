// A sheet of a painting as a file: read, written, read again.
#include "fuzz.h"
#include "texture/image_header.h"
#include "texture/paint_files.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    if (size < 2) return 0;
    static constexpr const char* names[] = {"s.exr", "s.tif", "s.png"};
    const int lanes = data[1] & 1 ? 4 : 2;
    const fs::path file = fuzz::file(names[data[0] % 3], data + 2, size - 2);
    const auto header = texture::read_header(file);
    if (!header || int64_t(header->width) * header->height > (1 << 20)) return 0;  // slow, not wrong
    const auto sheet = texture::read_sheet(file, lanes);
    if (!sheet) return 0;
    (*sheet)->for_each([&](int, int, int, const scene::TexelTile& tile) {
        for (size_t i = 0; i < (*sheet)->halves(); ++i)
            if ((tile[i] & 0x7c00) == 0x7c00) __builtin_trap();  // what is no number spreads
    });
    const fs::path again = fuzz::folder() / "again.exr";
    if (!texture::write_sheet(again, **sheet) || !texture::read_sheet(again, lanes)) __builtin_trap();
    return 0;
}
