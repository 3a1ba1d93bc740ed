// A map of data whose numbers are decoded as if they were a colour.
#include <algorithm>
#include "review/finding.h"

namespace vemtra::review {

void find_decoded_data(Look& look) {
    for (const WiredMap& m : look.maps()) {
        if (m.space == "raw" || m.feeds_color()) continue;
        const bool only_slots = std::all_of(m.ends.begin(), m.ends.end(), [](const scene::LayerEnd& e) {
            return e.straight && e.slot != scene::gate_slot;
        });
        if (!m.read_by(nodes::Use::directions) && m.type == nodes::Type::color && !only_slots) continue;
        look.tell(Grade::hint,
                  {"A data map is decoded as a colour", m.path.string(), m.place,
                   "it feeds " + m.ends.front().slot + ", but its numbers are read as " + m.space,
                   "Read its numbers as they are"},
                  "Take it raw", on_node(m.build_up->id, m.node->id, [](scene::BuildUp&, scene::Node& n) {
                      nodes::set(n, nodes::Role::colour_space, std::string("raw"));
                  }));
    }
}

}  // namespace vemtra::review
