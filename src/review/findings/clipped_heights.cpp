// Heights that move the form and are cut off at the ends of their numbers, or all lie on one side of the neutral value.
#include "nodes/slot_names.h"
#include "review/finding.h"

namespace vemtra::review {
namespace {

constexpr float much = .02f;  // of the texels
constexpr float a_step =
    1.f / 255.f;  // no grey of eight or sixteen bits is .5: a map that rises from it begins beside it

void look_at_ends(Look& look, const WiredMap& m, const texture::ChannelFacts& c) {
    const float cut = std::max(c.at_zero, c.at_one);
    if (m.header.floating || m.facts->constant || cut < much) return;
    look.tell(Grade::hint, {"Heights are cut off", m.path.string(), m.place,
                            short_number(100.f * cut) + " % of the texels are at the " +
                                (c.at_one > c.at_zero ? "upper" : "lower") + " end of what its numbers can say",
                            "Export it with a smaller range, or as floats"});
}

/// The layer whose height the map is, straight.
const scene::Layer* moved_layer(const WiredMap& m) {
    for (const scene::LayerEnd& e : m.ends)
        if (e.straight && e.slot == nodes::slot::height) return scene::find(m.build_up->layers, e.layer);
    return nullptr;
}

void look_at_neutral(Look& look, const WiredMap& m, const texture::ChannelFacts& c) {
    const scene::Layer* layer = moved_layer(m);
    if (!layer) return;
    const float neutral =
        scene::as_number(nodes::literal_of(layer->surface, *nodes::slots_of(*layer).port(nodes::slot::height_neutral)));
    if (neutral >= c.low - a_step && neutral <= c.high + a_step) return;
    look.tell(Grade::hint,
              {"All heights lie on one side of the neutral value", m.path.string(), m.place,
               "the map holds " + short_number(c.low) + " to " + short_number(c.high) + ", neutral is " +
                   short_number(neutral) + ": the whole part moves",
               "Set the neutral value to a grey of the map, its mean as a rule"},
              "Take the mean", [build_up = m.build_up->id, id = layer->id, mean = c.mean](scene::Scene& s) {
                  if (scene::BuildUp* b = scene::find(s.build_ups, build_up))
                      if (scene::Layer* l = scene::find(b->layers, id))
                          l->surface[nodes::slot::height_neutral].value = mean;
              });
}

}  // namespace

void find_clipped_heights(Look& look) {
    for (const WiredMap& m : look.maps()) {
        if (!m.moves() || !m.facts || m.facts->channels.empty()) continue;
        const texture::ChannelFacts& c = m.facts->channels.front();
        look_at_ends(look, m, c);
        look_at_neutral(look, m, c);
    }
}

}  // namespace vemtra::review
