// An alpha channel that is one everywhere tells nothing.
#include "review/finding.h"
#include "scene/edits.h"

namespace vemtra::review {

void find_full_alpha(Look& look) {
    for (const WiredMap& m : look.maps()) {
        const bool reads_alpha =
            m.request.components == 1 && m.header.alpha >= 0 && (m.request.channel == "a" || m.request.channel == "A");
        if (!m.facts || !reads_alpha || !m.facts->alpha_all_one) continue;
        look.tell(Grade::hint,
                  {"An alpha channel is one everywhere", m.path.string(), m.place,
                   "what reads it gets 1 at every point", "Another channel may be meant, or none is needed"},
                  "Leave it out", on_node(m.build_up->id, m.node->id, [](scene::BuildUp& b, scene::Node& n) {
                      const std::string id = n.id;
                      scene::for_each_input(b, [&](scene::Input& i) {
                          if (i.from != id) return;
                          i.from.clear();
                          i.value = 1.f;
                      });
                      scene::remove_node(b, id);
                  }));
    }
}

}  // namespace vemtra::review
