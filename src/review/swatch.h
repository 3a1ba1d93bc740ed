// Pictures of the stock: each entry on a neutral form (assets/stock/swatch.glb: a ball on a stepped foot with a sharp
// edge and a thin rim), rendered by the real renderer in a rig of the artist's, and kept in the cache folder by
// content.
#pragma once
#include "render/picture.h"
#include "scene/stock.h"

namespace vemtra::review {

struct SwatchSettings {
    int size = 96;  ///< pixels, square
    int samples = 48;
};

/// The project that a swatch is a picture of: the form, wearing the entry (a coat over a pale wood), under the
/// environment and lights of `rig`, brought to the form's size; null: an even sky.
scene::Scene swatch_scene(const scene::StockItem& item, const scene::Rig* rig, const fs::path& rig_folder);

/// The PNG in the cache, rendered first where it is not there. Fails where it cannot be written, or was stopped.
Result<fs::path> swatch_picture(const scene::StockItem& item, const scene::Rig* rig, const fs::path& rig_folder,
                                const SwatchSettings& settings, render::Workshop& workshop,
                                Progress* progress = nullptr);

}  // namespace vemtra::review
