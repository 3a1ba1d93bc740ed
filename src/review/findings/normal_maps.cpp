// Normal maps that are none, or of the other handedness.
#include <cmath>
#include "review/finding.h"

namespace vemtra::review {

void find_normal_maps(Look& look) {
    constexpr int64_t read_whole = int64_t(1)
                                   << 20;  // texels: of larger maps a coarser level is known, which shortens directions
    constexpr float flat = .004f;
    constexpr float sure = .08f;  // mean tilt; strength of the sign of green
    for (const WiredMap& m : look.maps()) {
        if (!m.facts || m.facts->constant || !m.read_by(nodes::Use::directions)) continue;
        const texture::MapFacts& f = *m.facts;
        const bool whole = int64_t(m.header.width) * m.header.height <= read_whole;
        if (whole && f.normal_tilt > flat && (f.normal_length < .9f || f.normal_length > 1.1f))
            look.tell(Grade::hint,
                      {"A normal map's directions have no unit length", m.path.string(), m.place,
                       "their mean length is " + short_number(f.normal_length),
                       "It may have been decoded as colour before it was saved, or be no normal map: export it again"});
        for (const scene::Node* r : m.readers) {
            if (!nodes::has_use(*r, nodes::Use::directions)) continue;
            const bool down_here = nodes::number_of(*r, nodes::Role::green_down) > .5f;
            if (std::fabs(f.green_up) <= sure || (f.green_up < 0.f) == down_here) continue;
            look.tell(Grade::hint,
                      {"A normal map is of the other handedness", m.path.string(), m.place,
                       std::string("by its pixels green points ") + (down_here ? "up" : "down") +
                           ", and it is read as pointing " + (down_here ? "down" : "up"),
                       "Dents look like bumps until it is turned around"},
                      "Turn green around", on_node(m.build_up->id, r->id, [down_here](scene::BuildUp&, scene::Node& n) {
                          nodes::set(n, nodes::Role::green_down, down_here ? 0.f : 1.f);
                      }));
        }
    }
}

}  // namespace vemtra::review
