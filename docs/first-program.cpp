// The shortest road through the core: a two-layer material on an asset, rendered to a picture, without a window.
// The tests compile and run this function, so that what stands here works.
#include "geometry/import.h"
#include "render/asset_into.h"
#include "render/picture.h"
#include "scene/edits.h"

vemtra::Result<vemtra::render::Film> first_program(const vemtra::fs::path& asset, const vemtra::fs::path& picture) {
    using namespace vemtra;

    // 1. A scene is plain values. One asset, one part of it, one build-up for that part.
    scene::Scene s;
    s.build_ups.push_back(scene::default_build_up("material", "Material"));
    auto imported = geometry::import(asset.string(), {});
    if (!imported) return imported.error();
    Box3f box;
    render::asset_into(s, {.id = "", .file = asset.string()}, *imported, "material");
    for (const auto& part : imported->parts) box.extendBy(part.bounds());
    s.rigs.push_back(scene::default_rig());
    scene::fit_to(s, box);  // camera, stage and lights find their place

    // 2. The base is steel: slots bear the names of OpenPBR Surface.
    scene::BuildUp& b = s.build_ups[0];
    b.layers[0].surface["base_metalness"] = {scene::Value{1.f}, {}};

    // 3. A cover of paint, gated by fractal noise that levels push to black and white.
    const std::string paint = scene::add_layer(b, "Paint");
    const std::string noise = scene::add_node(b, paint, "fractal3d", "float", "Noise");
    const std::string mask = scene::add_node(b, paint, "levels", "float", "Mask");
    scene::node(b, mask)->inputs["in"].from = noise;
    scene::find(b.layers, paint)->surface["base_color"] = {scene::Value{V3f(.02f, .16f, .13f)}, {}};
    scene::find(b.layers, paint)->gate.mask.from = mask;

    // 4. Prepare: read meshes, compile networks, compute fields. Then render and write.
    render::Workshop workshop;
    const auto prepared = render::prepare(std::make_shared<const scene::Scene>(s), workshop, {});
    const render::PictureSettings settings{.width = 160, .height = 120, .samples = 4};
    auto film = render::render_picture(*prepared, settings);
    if (!film) return film;
    if (Status written = render::write_picture(*prepared, *film, settings, {"first program", 0}, picture); !written)
        return written.error();
    return film;
}
