#include "review/swatch.h"

#include "base/hash.h"
#include "nodes/slot_names.h"
#include "nodes/wiring.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "texture/texture.h"

namespace vemtra::review {

namespace {
constexpr float swatch_size = .14f;  // of the form, metres
}

scene::Scene swatch_scene(const scene::StockItem& item, const scene::Rig* rig, const fs::path& rig_folder) {
    scene::Scene s;
    s.name = item.layer.name;
    s.assets.push_back({.id = "form", .file = (shipped_assets() / "stock" / "swatch.glb").string()});
    s.parts.push_back({.id = "form", .asset = "form", .source = "form", .name = "Form", .build_up = "swatch"});
    scene::BuildUp b = scene::default_build_up("swatch", "Swatch");
    std::string target = b.layers.front().id;
    if (!scene::traits(item.layer.kind)
             .may_be_base) {  // a coat needs something to look through to: half of the form's wood stays bare
        b.layers.front().surface = {{nodes::slot::base_color, {scene::Value{V3f(.58f, .45f, .30f)}, {}}},
                                    {nodes::slot::specular_roughness, {scene::Value{.5f}, {}}}};
        target = scene::add_layer(b, "Coat", {}, item.layer.kind);
    }
    if (item.mask) {  // pale where it is open, on dark paint
        b.layers.front().surface = {{nodes::slot::base_color, {scene::Value{V3f(.035f, .045f, .06f)}, {}}},
                                    {nodes::slot::specular_roughness, {scene::Value{.35f}, {}}}};
        target = scene::add_layer(b, "Shown", {});
        scene::find(b.layers, target)->surface = {{nodes::slot::base_color, {scene::Value{V3f(.75f)}, {}}},
                                                  {nodes::slot::specular_roughness, {scene::Value{.6f}, {}}}};
        scene::StockItem fitted = item;
        nodes::scale_lengths(fitted.layer, swatch_size);
        scene::apply_stock(b, target, fitted);
    } else {
        scene::apply_stock(b, target, item);
    }
    s.networks = item.networks;
    s.build_ups.push_back(std::move(b));
    scene::Rig light = rig ? *rig : scene::default_rig();
    light.id = "rig";
    light.environment.seen = false;
    if (!light.environment.image.empty()) light.environment.image = (rig_folder / light.environment.image).string();
    light.environment.backdrop = V3f(.22f);
    light.stage.on = true;
    light.stage.color = V3f(.2f);
    light.stage.roughness = .5f;
    light.stage.height = -.0008f;  // a gap, so that light which comes out of the thin rim's underside finds the floor
    light.stage.fade_start = .12f;
    light.stage.fade_end = .4f;
    s.rigs.push_back(std::move(light));
    s.rig = "rig";
    scene::Camera camera;
    camera.id = "camera";
    camera.position = V3f(.13f, .125f, .27f);
    camera.target = V3f(0.f, .043f, 0.f);
    camera.focal_length = 88.f;
    s.cameras.push_back(camera);
    s.display.exposure = -.4f;  // the form stands nearer to the lights than most assets; white must not burn out
    s.render.depth = 10;
    s.render.preview_clamp = 6.f;
    return s;
}

Result<fs::path> swatch_picture(const scene::StockItem& item, const scene::Rig* rig, const fs::path& rig_folder,
                                const SwatchSettings& settings, render::Workshop& workshop, Progress* progress) {
    const scene::Scene s = swatch_scene(item, rig, rig_folder);
    uint64_t key = hash_text(scene::to_text(s), hash_text(VEMTRA_VERSION));
    // The version alone does not tell an environment that was painted over, or another form.
    std::error_code ec;
    const bool lit_by_image = rig && !rig->environment.image.empty();
    for (const std::string& file : {s.assets[0].file, lit_by_image ? s.rigs[0].environment.image : std::string()}) {
        if (file.empty()) continue;
        const int64_t time = fs::last_write_time(file, ec).time_since_epoch().count();
        key = hash_bytes(&time, sizeof time, key);
    }
    char name[96];
    std::snprintf(name, sizeof name, "%016llx-%d-%d.png", static_cast<unsigned long long>(key), settings.size,
                  settings.samples);
    const fs::path file = cache_folder("swatches") / name;
    if (fs::exists(file, ec) && texture::read_linear_image(file)) return file;  // a damaged one is made anew
    render::PrepareOptions options;
    options.field_rays = geometry::field_rays_first;
    options.progress = progress;
    const auto prepared = render::prepare(std::make_shared<const scene::Scene>(s), workshop, options);
    if (!prepared) return Error{"Swatch not made", "", item.layer.name, "it was asked to stop", ""};
    const render::PictureSettings picture{.width = settings.size,
                                          .height = settings.size,
                                          .samples = settings.samples,
                                          .preview_clamp = true,
                                          .coverage = false,
                                          .smooth = true};
    auto film = render::render_picture(*prepared, picture, progress);
    if (!film) return film.error();
    if (Status written = render::write_png(*prepared, *film, picture, {item.layer.name, 0.}, file); !written)
        return written.error();
    return file;
}

}  // namespace vemtra::review
