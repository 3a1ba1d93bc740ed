// Heights of 8 bits step visibly.
#include "review/finding.h"

namespace vemtra::review {

void find_stepping_heights(Look& look) {
    constexpr float softened_texels = 16.f;
    for (const WiredMap& m : look.maps()) {
        if (!m.heights() || m.header.bits > 8 || nodes::number_of(*m.node, nodes::Role::softening) > 0.f) continue;
        const Error steps{"Heights of 8 bits step visibly", m.path.string(), m.place,
                          "256 levels stand for the whole relief",
                          "Export it with 16 bits or as floats; until then its steps can be softened"};
        if (!nodes::has_use(*m.node, nodes::Use::relief)) {
            look.tell(Grade::hint, steps);
            continue;
        }
        look.tell(Grade::hint, steps, "Soften it",
                  on_node(m.build_up->id, m.node->id,
                          [wide = softened_texels / float(std::max(1, m.header.width))](
                              scene::BuildUp&, scene::Node& n) { nodes::set(n, nodes::Role::softening, wide); }));
    }
}

}  // namespace vemtra::review
