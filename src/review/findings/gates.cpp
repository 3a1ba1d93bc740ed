// A gate that never opens, or never opens fully, is what an artist otherwise finds by accident.
#include "review/finding.h"

namespace vemtra::review {

void find_gates(Look& look) {
    constexpr float shut = .001f;
    constexpr float nearly_open = .98f;  // of the coverage that the layer's amount allows
    for (const scene::BuildUp& b : look.prepared.scene->build_ups) {
        const Measured& m = look.measured(b.id);
        if (!m.points) continue;
        for (const scene::Layer& layer : b.layers) {
            const auto it = m.gates.find(layer.id);
            if (it == m.gates.end() || !it->second.points) continue;
            const std::string place = b.name + " / " + layer.name;
            const float largest = it->second.largest;
            const float smallest = it->second.smallest;
            if (!layer.gate.mask.from.empty() && layer.gate.amount > 0.f && smallest > nearly_open * layer.amount)
                look.tell(Grade::hint, {"A mask hides nothing", "", place, "it is white on all that the camera sees",
                                        "Raise the lower cut of the levels before it, or take the mask off the gate"});
            if (largest <= shut) {
                look.tell(Grade::hint,
                          {"A gate never opens", "", place, "its mask is black on all that the camera sees",
                           "Move the levels before it, or look at the mask"});
            } else if (largest < nearly_open * layer.amount) {
                const int percent = int(100.f * largest / std::max(1e-6f, layer.amount));
                look.tell(Grade::hint,
                          {"A gate never opens fully", "", place,
                           "its mask reaches " + std::to_string(percent) + " % at most: the layer looks see-through",
                           "Lower the upper cut of the levels before it"});
            }
        }
    }
}

}  // namespace vemtra::review
