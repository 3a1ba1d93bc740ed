// Example of docs/adding.md: a check. In the house: one file in src/review/findings/, one line in finding_kinds().
#include "review/finding.h"

namespace example {

using namespace vemtra;

/// Layers that have no name are hard to find again.
void find_nameless(review::Look& look) {
    for (const scene::BuildUp& b : look.prepared.scene->build_ups)
        for (const scene::Layer& l : b.layers) {
            if (!l.name.empty()) continue;
            look.tell(
                review::Grade::hint,
                {"A layer has no name", "", b.name + " / " + l.id, "lists show it as an empty line", "Give it one"},
                "Name it", [build_up = b.id, id = l.id](scene::Scene& s) {
                    if (scene::BuildUp* x = scene::find(s.build_ups, build_up))
                        if (scene::Layer* layer = scene::find(x->layers, id)) layer->name = id;
                });
        }
}

extern const review::FindingKind nameless_finding;
const review::FindingKind nameless_finding{"layers without a name", find_nameless};

}  // namespace example
