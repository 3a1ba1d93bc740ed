// Texels against pixels of the final picture, across the view (not along it, where a grazing ray sees many).
#include <algorithm>
#include <cmath>
#include "review/finding.h"

#include "review/over_points.h"

namespace vemtra::review {

namespace {

constexpr size_t least_texel_points = 40;
constexpr float too_coarse = .3f, much_finer = 12.f;  // texels to a pixel, in the median
constexpr int large_map = 2048;

/// Texels to a pixel at the points that the camera sees; empty where they cannot be told.
std::vector<float> texels_per_pixel(Look& look, const WiredMap& m, int width, int height) {
    const render::Prepared& p = look.prepared;
    nodes::Resources resources = p.resources;
    std::vector<Error> ignored;
    const std::string from = nodes::source_of(*m.node, nodes::Role::where);
    program::Program where;
    if (!from.empty())
        where = program::compile(*m.build_up, {{"place", nodes::Type::place, {scene::Value{V2f(0.f)}, from}}},
                                 resources, ignored, &p.scene->networks);
    std::vector<float> texels;
    if (!resources.within(p.resources)) return texels;
    std::vector<size_t> picks;
    for (size_t i = 0; i < look.points().size(); ++i)
        if (const VisiblePoint& v = look.points()[i]; v.hit && p.build_up_of[v.at.instance] == int(m.build_up_index))
            picks.push_back(i);
    if (picks.size() < least_texel_points) return texels;
    program::Workspace workspace;
    std::vector<const float*> place(size_t(std::max(1, where.component_count())));
    const float to_pixel = measuring_width / float(std::max(1, p.scene->render.width));
    over_batches(p, look.points(), picks, [&](const nodes::PointBatch& batch, size_t) {
        if (!from.empty()) where.run(batch, workspace, place.data());
        for (int k = 0; k < batch.n; ++k) {
            float axis[4];
            for (size_t a = 0; a < 4; ++a)
                axis[a] = from.empty() ? batch.rows[nodes::row_uv_axes + a][k] : place[2 + a][k];
            const float w = float(width);
            const float h = float(height);
            const float l = std::min(std::hypot(axis[0] * w, axis[1] * h), std::hypot(axis[2] * w, axis[3] * h));
            if (l > 0.f && std::isfinite(l)) texels.push_back(l * to_pixel);
        }
    });
    return texels;
}

}  // namespace

void find_texel_size(Look& look) {
    const render::Prepared& p = look.prepared;
    if (!p.resources.footprint) return;
    for (const WiredMap& m : look.maps()) {
        const auto& images = p.resources.images;
        const auto it = std::find_if(images.begin(), images.end(), [&](const nodes::ImageRequest& r) {
            return r.painting.empty() && r.spread == nodes::Spread::none && r.file == m.request.file &&
                   r.components == m.request.components;
        });
        if (it == images.end()) continue;
        const auto [width, height] = p.textures->size(int(it - images.begin()));
        if (width <= 0) continue;
        std::vector<float> texels = texels_per_pixel(look, m, width, height);
        if (texels.size() < least_texel_points) continue;
        std::nth_element(texels.begin(), texels.begin() + long(texels.size() / 2), texels.end());
        const float median = texels[texels.size() / 2];
        const std::string size = std::to_string(width) + " x " + std::to_string(height);
        if (median < too_coarse)
            look.tell(Grade::hint,
                      {"A map is too coarse for the picture", m.path.string(), m.place,
                       "with " + size + " one texel covers " + short_number(1.f / median) + " pixels across",
                       "Export it larger, or repeat it more often in its placement"});
        if (median > much_finer && std::max(width, height) >= large_map)
            look.tell(Grade::hint, {"A map is much finer than the picture needs", m.path.string(), m.place,
                                    "with " + size + " there are " + short_number(median) + " texels to a pixel",
                                    "Harmless; a smaller one would do for this camera"});
    }
}

}  // namespace vemtra::review
