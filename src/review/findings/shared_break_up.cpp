// Two covers whose masks are broken by one and the same pattern: their borders lie on each other, scratches of the
// paint stand on the rust.
#include "review/finding.h"
#include "scene/graph.h"

namespace vemtra::review {
namespace {

/// What breaks a mask, and where the mask comes from.
struct Broken {
    const scene::Layer* layer = nullptr;
    scene::Ids upstream;
    std::vector<const scene::Node*> patterns;
    scene::Ids forms;  ///< nodes of it that read a field of the form
};

Broken broken_by(const scene::Scene& scene, const scene::Graph& graph, const scene::Layer& layer) {
    Broken out{&layer, graph.upstream({layer.gate.mask.from}), {}, {}};
    for (const std::string& id : out.upstream) {
        const scene::Node* n = graph.find(id).node;
        const auto d = n && n->network.empty() ? nodes::describe(scene, *n) : nullptr;
        if (d && !n->bypassed && (d->family == "pattern" || d->use == nodes::Use::map)) out.patterns.push_back(n);
        if (d && d->use == nodes::Use::field) out.forms.insert(id);
    }
    std::sort(out.patterns.begin(), out.patterns.end(), [](auto* a, auto* b) { return a->id < b->id; });
    return out;
}

bool alike(const scene::Node& a, const scene::Node& b) {
    return &a == &b || (a.kind == b.kind && a.type == b.type && a.inputs == b.inputs);
}

/// Whether both are made from one mask in which the form and the pattern are joined already: levels of the same wear,
/// one within the other, follow each other because they are meant to.
bool levels_of_one(const scene::Graph& graph, const Broken& a, const Broken& b, const scene::Node& pattern) {
    for (const std::string& id : a.upstream) {
        if (id == pattern.id || !b.upstream.contains(id)) continue;
        const scene::Ids from = graph.upstream({id});
        if (from.contains(pattern.id) &&
            std::any_of(a.forms.begin(), a.forms.end(), [&](const std::string& f) { return from.contains(f); }))
            return true;
    }
    return false;
}

}  // namespace

void find_shared_break_up(Look& look) {
    const scene::Scene& scene = *look.prepared.scene;
    for (const scene::BuildUp& b : scene.build_ups) {
        const scene::Graph graph(b);
        std::vector<Broken> broken;
        for (size_t k = 1; k < b.layers.size(); ++k) {
            const scene::Layer& layer = b.layers[k];
            if (!layer.on || !scene::traits(layer.kind).hides || layer.gate.mask.from.empty() ||
                !layer.decal.pins.empty())
                continue;
            Broken here = broken_by(scene, graph, layer);
            for (const Broken& below : broken) {
                // One that is made from the whole of the other's mask follows it because it is meant to.
                if (here.upstream.contains(below.layer->gate.mask.from) ||
                    below.upstream.contains(layer.gate.mask.from))
                    continue;
                const scene::Node* shared = nullptr;
                for (const scene::Node* one : here.patterns)
                    for (const scene::Node* other : below.patterns)
                        if (!shared && alike(*one, *other)) shared = one;
                if (!shared || levels_of_one(graph, here, below, *shared)) continue;
                look.tell(
                    Grade::hint,
                    {"Two masks are broken by the same pattern", "",
                     b.name + " / " + below.layer->name + " and " + layer.name,
                     "both read '" + (shared->name.empty() ? shared->id : shared->name) +
                         "', so that their borders lie on each other",
                     "Give one of them a copy of it with another offset or size, or make one mask from the other"});
                break;
            }
            broken.push_back(std::move(here));
        }
    }
}

}  // namespace vemtra::review
