// Example of docs/adding.md: a node that asks another floor for something. Its description says what; the handle comes
// back to its kernel.
#include "nodes/description.h"

namespace example {

using namespace vemtra::nodes;

/// Reads the field that it asked for.
void height_mask(const KernelArgs& k) {
    const PointBatch& p = *k.points;
    p.fields->sample(k.resource, k.n, p.instance, p.face, p.rows[row_bary], p.rows[row_bary + 1], 1, k.out);
}

int ask_height(const Asking& a, Resources& resources) {
    return resources.field({a.build_up, "height", {a.number("up")}});
}

NodeDescription describe_height_mask() {
    NodeDescription d{.kind = "heightmask",
                      .title = "Height",
                      .family = "form",
                      .help = "How high a point lies.",
                      .types = {Type::number},
                      .ports = {{.name = "up", .help = "Metres from black to white.", .value = 1.f, .uniform = true}},
                      .kernel = {height_mask, height_mask},
                      .ask = ask_height,
                      .varies = true,
                      .use = Use::field};
    d.index();
    return d;
}

}  // namespace example
