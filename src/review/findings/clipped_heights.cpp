// Heights that move the form and are cut off at the ends of their numbers or by limits that nobody has set, or all lie
// on one side of the neutral value.
#include "nodes/slot_names.h"
#include "review/finding.h"

namespace vemtra::review {
namespace {

constexpr float much = .02f;  // of the texels
// No grey of eight or sixteen bits is .5: a map that rises from it begins beside it.
constexpr float a_step = 1.f / 255.f;
constexpr float far = 1e6f;  // a limit that is worth setting

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

/// Floating-point maps that go both ways, or beyond 1, under limits as a new layer has them.
void look_at_limits(Look& look, const WiredMap& m) {
    for (const scene::LayerEnd& e : m.ends) {
        const bool vectors = e.slot == nodes::slot::height_vector;
        if (!e.straight || !(vectors || e.slot == nodes::slot::height)) continue;
        const scene::Layer* layer = scene::find(m.build_up->layers, e.layer);
        if (!layer || layer->surface.count(nodes::slot::height_low) || layer->surface.count(nodes::slot::height_high))
            continue;
        float low = m.facts->channels.front().low;
        float high = m.facts->channels.front().high;
        for (size_t c = 1; vectors && c < std::min<size_t>(3, m.facts->channels.size()); ++c) {
            low = std::min(low, m.facts->channels[c].low);
            high = std::max(high, m.facts->channels[c].high);
        }
        if (low >= -a_step && high <= 1.f + a_step) continue;
        const float spare = .1f * (high - low) + .01f * std::max(-low, high);  // other tiles may hold more
        look.tell(Grade::hint,
                  {"Heights beyond 0 and 1 count as 0 and 1", m.path.string(), m.place,
                   "the map holds " + short_number(low) + " to " + short_number(high) +
                       ", and the layer's limits are 0 and 1",
                   "Widen the limits; where it goes both ways, 0 is its neutral value"},
                  "Widen the limits", [build_up = m.build_up->id, id = layer->id, low, high, spare](scene::Scene& s) {
                      scene::BuildUp* b = scene::find(s.build_ups, build_up);
                      scene::Layer* l = b ? scene::find(b->layers, id) : nullptr;
                      if (!l) return;
                      l->surface[nodes::slot::height_low].value = low < 0.f ? std::max(-far, low - spare) : 0.f;
                      l->surface[nodes::slot::height_high].value = high > 1.f ? std::min(far, high + spare) : 1.f;
                      if (low < 0.f && !l->surface.count(nodes::slot::height_neutral))
                          l->surface[nodes::slot::height_neutral].value = 0.f;
                  });
        return;
    }
}

}  // namespace

void find_clipped_heights(Look& look) {
    for (const WiredMap& m : look.maps()) {
        if (!m.facts || m.facts->channels.empty()) continue;
        if (m.header.floating) look_at_limits(look, m);
        if (!m.moves()) continue;
        const texture::ChannelFacts& c = m.facts->channels.front();
        look_at_ends(look, m, c);
        look_at_neutral(look, m, c);
    }
}

}  // namespace vemtra::review
