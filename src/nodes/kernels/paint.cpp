// paint: what was painted by hand on the form, over what comes in.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: under.
void paint(const KernelArgs& k) {
    float memory[4][max_batch];
    float* const got[] = {memory[0], memory[1], memory[2], memory[3]};
    const int colours = k.components;
    const float* place[6];
    const int set = k.points->textures ? k.points->textures->own_uv_set(k.resource) : -1;
    for (int a = 0; a < 6; ++a)
        place[a] = set >= 0 && k.points->uv_sets ? k.points->uv_sets[6 * set + a]
                   : a < 2                       ? k.points->rows[row_uv + a]
                                                 : k.points->rows[row_uv_axes + a - 2];
    if (!k.points->textures || !place[0]) {
        for (int c = 0; c < colours; ++c)
            for (int i = 0; i < k.n; ++i) k.out[c][i] = k.in[c][i];
        return;
    }
    k.points->textures->sample(k.resource, k.n, place, got, colours + 1);
    const float* cover = memory[colours];
    for (int c = 0; c < colours; ++c) {
        const float* value = memory[c];
        for (int i = 0; i < k.n; ++i) k.out[c][i] = value[i] + k.in[c][i] * (1.f - clamp(cover[i], 0.f, 1.f));
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(paint)

static int ask_painting(const Asking& a, Resources& resources) {
    ImageRequest r;
    const std::string id = a.word("painting");
    r.painting = id.empty() ? std::string(no_painting) : id;
    r.components = a.components + 1;
    r.colorspace = "raw";
    resources.footprint = true;
    return resources.image(r);
}

void describe_paint(std::vector<NodeDescription>& list) {
    list.push_back({.kind = "paint",
                    .title = "Paint",
                    .family = "map",
                    .help = "What was painted by hand on the form; where nothing was, what comes in shows.",
                    .types = {Type::number, Type::color},
                    .ports = {{.name = "painting",
                               .help = "Which painting of the project; strokes go to it while this node is painted on.",
                               .value = std::string(),
                               .uniform = true,
                               .text = true,
                               .role = Role::painting},
                              {.name = "under",
                               .help = "What shows where nothing is painted, and comes out again where it is erased.",
                               .same_as_output = true,
                               .value = 0.f,
                               .role = Role::subject}},
                    .kernel = VEMTRA_PAIR(paint),
                    .ask = ask_painting,
                    .varies = true,
                    .use = Use::painting});
}
#endif
}  // namespace vemtra::nodes
