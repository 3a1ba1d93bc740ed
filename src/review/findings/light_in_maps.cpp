// Colour maps that were photographed with light on them, or that no real material has: measured all over the parts that
// wear them.
#include <algorithm>
#include <cmath>
#include "review/finding.h"

#include "nodes/slot_names.h"
#include "review/light_fit.h"
#include "review/over_points.h"

namespace vemtra::review {

namespace {

constexpr size_t points_over_parts = 4000, least_points = 200;
constexpr float explained = .45f, strong = .25f;    // of the variance; of the lit side over the mean
constexpr float brightest = .85f, darkest = .008f;  // mean of the brightest channel: fresh snow reflects .9, coal .02

/// In the asset's own space: x to the right, y up, z to the front.
std::string direction_text(const V3f& d) {
    static const char* names[3][2] = {{"left", "right"}, {"down", "up"}, {"back", "front"}};
    std::string text;
    for (int c = 0; c < 3; ++c)
        if (std::fabs(d[c]) > .35f) text += (text.empty() ? "" : " and ") + std::string(names[c][d[c] > 0.f]);
    return text;
}

struct Colours {
    std::vector<float> values;
    std::vector<V3f> normals;  ///< in the asset's own space
    std::vector<int> hues;
    V3f mean{0.f};  ///< by area
};

Colours colours_of(Look& look, const WiredMap& m, const program::Program& reads) {
    Colours c;
    const auto strewn = look.prepared.geometry->strewn(look.instances_of(m.build_up_index), points_over_parts);
    std::vector<VisiblePoint> points;
    std::vector<size_t> picks;
    float surface = 0.f;
    for (const auto& s : strewn) {
        picks.push_back(points.size());
        points.push_back({true, s.place, look.prepared.scene_size / 300.f});
        surface += s.area;
    }
    program::Workspace workspace;
    std::vector<const float*> to(size_t(std::max(1, reads.component_count())));
    over_batches(
        look.prepared, points, picks,
        [&](const nodes::PointBatch& batch, size_t first) {
            reads.run(batch, workspace, to.data());
            for (int k = 0; k < batch.n; ++k) {
                const V3f rgb(to[0][k], to[1][k], to[2][k]);
                c.mean += rgb * (strewn[first + size_t(k)].area / std::max(1e-12f, surface));
                c.values.push_back(luminance(rgb));
                const float sum = std::max(1e-6f, rgb.x + rgb.y + rgb.z);
                c.hues.push_back(int(rgb.x / sum * 12.f) + 16 * int(rgb.y / sum * 12.f));
                c.normals.emplace_back(batch.rows[nodes::row_normal][k], batch.rows[nodes::row_normal + 1][k],
                                       batch.rows[nodes::row_normal + 2][k]);
            }
        },
        SeenBy::nobody);
    return c;
}

void tell_light(Look& look, const WiredMap& m, const Colours& c) {
    if (m.read_by(nodes::Use::even_light) || c.values.size() < least_points) return;
    const LightFit fit = fit_light(c.values, c.normals, c.hues);
    if (fit.explained <= explained || fit.amount <= strong) return;
    const V3f d = fit.direction;
    const float amount = std::min(.9f, fit.amount);
    look.tell(Grade::hint,
              {"Light seems to be in a colour map", m.path.string(), m.place,
               "it is brighter where the surface faces " + direction_text(d) + ": that explains " +
                   std::to_string(int(100.f * fit.explained)) + " % of how each of its hues varies",
               "Photograph or export it without shading, or take the broad part of it out"},
              "Even it out", on_node(m.build_up->id, m.node->id, [d, amount](scene::BuildUp& b, scene::Node& n) {
                  if (scene::Node* e = nodes::insert_behind(b, std::string(n.id), nodes::Use::even_light,
                                                            nodes::Type::color, "Even light")) {
                      nodes::set(*e, nodes::Role::light_direction, d);
                      nodes::set(*e, nodes::Role::light_amount, amount);
                  }
              }));
}

void tell_brightness(Look& look, const WiredMap& m, const Colours& c) {
    if (!m.feeds_straight_color()) return;
    const float bright = max_component(c.mean);
    auto bring = [&](float low, float high) {
        return on_node(m.build_up->id, m.node->id, [low, high](scene::BuildUp& b, scene::Node& n) {
            if (scene::Node* r = nodes::insert_behind(b, std::string(n.id), nodes::Use::move_range, nodes::Type::color,
                                                      "Real colours")) {
                nodes::set(*r, nodes::Role::result_low, V3f(low));
                nodes::set(*r, nodes::Role::result_high, V3f(high));
            }
        });
    };
    if (bright > brightest)
        look.tell(Grade::hint,
                  {"A colour map is brighter than what real materials reflect", m.path.string(), m.place,
                   "its mean is " + short_number(bright), "Check its colour space, or bring its range down"},
                  "Bring it down", bring(.02f, .8f));
    if (bright < darkest)
        look.tell(Grade::hint,
                  {"A colour map is darker than what real materials reflect", m.path.string(), m.place,
                   "its mean is " + short_number(bright), "Check its colour space, or bring its range up"},
                  "Bring it up", bring(.02f, 1.f));
}

}  // namespace

void find_light_in_maps(Look& look) {
    for (const WiredMap& m : look.maps()) {
        if (m.type != nodes::Type::color || !m.feeds(nodes::slot::base_color)) continue;
        nodes::Resources resources = look.prepared.resources;
        std::vector<Error> ignored;
        const program::Program reads =
            program::compile(*m.build_up, {{"map", nodes::Type::color, {scene::Value{0.f}, m.node->id}}}, resources,
                             ignored, &look.prepared.scene->networks);
        if (!resources.within(look.prepared.resources)) continue;
        const Colours c = colours_of(look, m, reads);
        tell_light(look, m, c);
        tell_brightness(look, m, c);
    }
}

}  // namespace vemtra::review
