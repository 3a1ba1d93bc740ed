// A recipe, and a set of maps packed by it.
#include <OpenImageIO/imageio.h>

#include "exchange/map_pack.h"
#include "fuzz.h"

namespace {

/// A set of one colour map.
const std::vector<vemtra::texture::MapSet>& sets() {
    using namespace vemtra;
    static const auto all = [] {
        const fs::path maps = fuzz::folder() / "maps";
        fs::create_directories(maps);
        const OIIO::ImageSpec spec(4, 4, 3, OIIO::TypeDesc::UINT8);
        const std::vector<uint8_t> grey(48, 128);
        auto out = OIIO::ImageOutput::create("x.png");
        out->open((maps / "crate_basecolor.png").string(), spec);
        out->write_image(OIIO::TypeDesc::UINT8, grey.data());
        out->close();
        std::vector<Error> problems;
        return texture::find_map_sets({maps}, problems);
    }();
    return all;
}

}  // namespace

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    const auto recipe = exchange::read_recipe(fuzz::file("recipe.json", data, size));
    if (!recipe) return 0;
    for (const texture::MapSet& s : sets()) exchange::pack(s, *recipe, fuzz::folder() / "packed");
    std::error_code ec;
    fs::remove_all(fuzz::folder() / "packed", ec);
    return 0;
}
