// A project with a square in its folder, rendered at 8 x 8: no pixel may be anything but a number.
#include <cmath>

#include "fuzz.h"
#include "render/picture.h"
#include "scene/project_file.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    static const fs::path square = [] {
        constexpr std::string_view obj =
            "o square\nv -.5 -.5 0\nv .5 -.5 0\nv .5 .5 0\nv -.5 .5 .2\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
            "f 1/1 2/2 3/3 4/4\n";
        return fuzz::file("square.obj", reinterpret_cast<const uint8_t*>(obj.data()), obj.size());
    }();
    auto loaded = scene::parse(std::string(fuzz::text(data, size)), "fuzzed.vemtra");
    if (!loaded) return 0;
    static render::Workshop workshop(16);
    render::PrepareOptions options;
    options.folder = square.parent_path();
    options.field_rays = 1;
    auto prepared = render::prepare(std::make_shared<const scene::Scene>(std::move(loaded->scene)), workshop, options);
    if (!prepared) return 0;
    render::PictureSettings settings = {.width = 8, .height = 8, .samples = 1};
    auto film = render::render_picture(*prepared, settings);
    if (!film) return 0;
    std::vector<V3f> pixels;
    film->resolve(render::group_gains(*prepared, *prepared->scene), pixels);
    for (const V3f& p : pixels)
        if (!std::isfinite(p.x) || !std::isfinite(p.y) || !std::isfinite(p.z)) __builtin_trap();
    return 0;
}
