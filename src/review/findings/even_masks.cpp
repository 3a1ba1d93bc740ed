// Masks that follow the form and nothing else: their borders are as even as a machine's.
#include "review/finding.h"
#include "scene/graph.h"

namespace vemtra::review {
namespace {

/// What a mask is made of.
struct Made {
    bool form = false;    ///< it reads a field of the form
    bool uneven = false;  ///< a pattern, a map, paint, or what a group does is in it
};
Made made_of(const scene::Scene& scene, const scene::BuildUp& b, const scene::Graph& graph, const std::string& from) {
    Made made;
    for (const std::string& id : graph.upstream({from})) {
        const scene::Node* n = scene::find_node(b, id).node;
        const auto d = n && n->network.empty() ? nodes::describe(scene, *n) : nullptr;
        if (!d) {
            made.uneven = true;
            continue;
        }
        const bool field = d->use == nodes::Use::field;
        made.form |= field;
        made.uneven |= !field && d->varies;
        made.uneven |= d->family == std::string("pattern") || d->family == std::string("map");
    }
    return made;
}

}  // namespace

void find_even_masks(Look& look) {
    constexpr float least = .02f;  // of what is seen: less is a detail, more than the rest is a ground
    for (const scene::BuildUp& b : look.prepared.scene->build_ups) {
        const Measured& m = look.measured(b.id);
        if (!m.points || m.layers.size() != b.layers.size()) continue;
        const scene::Graph graph(b);
        for (size_t k = 1; k < b.layers.size(); ++k) {
            const scene::Layer& layer = b.layers[k];
            const float coverage = m.layers[k].coverage;
            if (!layer.on || layer.gate.mask.from.empty() || coverage < least || coverage > 1.f - least) continue;
            const Made made = made_of(*look.prepared.scene, b, graph, layer.gate.mask.from);
            if (made.form && !made.uneven)
                look.tell(Grade::hint, {"A mask is too even", "", b.name + " / " + layer.name,
                                        "it follows the form alone, and nothing breaks its border",
                                        "Add a noise or a map to it before its levels, or drive its reach with one"});
        }
    }
}

}  // namespace vemtra::review
