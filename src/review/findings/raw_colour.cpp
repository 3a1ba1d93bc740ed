// A colour map of 8 bits whose curve is not decoded.
#include "review/finding.h"

namespace vemtra::review {

void find_raw_colour(Look& look) {
    for (const WiredMap& m : look.maps()) {
        if (m.space != "raw" || !m.feeds_straight_color() || m.type != nodes::Type::color || m.header.floating ||
            m.header.bits > 8)
            continue;
        look.tell(Grade::hint,
                  {"A colour map is taken raw", m.path.string(), m.place,
                   "it feeds " + m.ends.front().slot + ", and 8-bit colours are stored along a curve",
                   "Decode it by what the file says, or choose its space"},
                  "Decode it", on_node(m.build_up->id, m.node->id, [](scene::BuildUp&, scene::Node& n) {
                      nodes::set(n, nodes::Role::colour_space, std::string("auto"));
                  }));
    }
}

}  // namespace vemtra::review
