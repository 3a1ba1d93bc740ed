// Writes the demo's asset and environments into a folder (default: demo/); `make_demo FOLDER maps` writes its texture
// set alone, `make_demo FOLDER paint` what is painted on it by hand. They are committed;
// run this after changing the generator.
#include <cstdio>

#include "demo.h"
#include "scene/project_file.h"

int main(int argc, char** argv) {
    using namespace vemtra;
    const std::string folder = argc > 1 ? argv[1] : "demo";
    if (argc > 2 && std::string(argv[2]) == "maps") return demo::write_maps(folder + "/lantern.vemtra") ? 0 : 1;
    if (argc > 2 && std::string(argv[2]) == "paint") return demo::write_paint(folder + "/lantern.vemtra") ? 0 : 1;
    const auto triangles = demo::write_glb(demo::lantern(), 2, folder + "/lantern.glb");
    if (!triangles) return std::fprintf(stderr, "error: %s\n", triangles.error().line().c_str()), 1;
    std::printf("lantern.glb: %zu triangles\n", *triangles);
    const auto buoy = demo::write_glb(demo::buoy(), 1, folder + "/buoy.glb");
    if (!buoy) return std::fprintf(stderr, "error: %s\n", buoy.error().line().c_str()), 1;
    std::printf("buoy.glb: %zu triangles\n", *buoy);
    const auto form = demo::write_glb(demo::swatch_form(), 1, folder + "/../assets/stock/swatch.glb");
    if (!form) return std::fprintf(stderr, "error: %s\n", form.error().line().c_str()), 1;
    for (const Status& s : {demo::write_quay(folder + "/quay.exr"), demo::write_studio(folder + "/studio.exr")})
        if (!s) return std::fprintf(stderr, "error: %s\n", s.error().line().c_str()), 1;
    // The project beside them is written by hand: bring it into the layout that the program writes.
    const std::string project = folder + "/lantern.vemtra";
    if (auto loaded = scene::load(project)) {
        if (Status s = scene::save(loaded->scene, project); !s)
            return std::fprintf(stderr, "error: %s\n", s.error().line().c_str()), 1;
    }
    return 0;
}
