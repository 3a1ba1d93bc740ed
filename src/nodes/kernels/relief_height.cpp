// reliefheight: how far the relief stands out of the form here, as a mask (ours). While heights are computed it reads
// those of the layers below, so that a layer can lie in the recesses of what it covers.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: from, to, metres; turned over where they are.
void reliefheight(const KernelArgs& k) {
    const float* h = k.points->rows[row_height];
    for (int i = 0; i < k.n; ++i) {
        const float low = k.in[0][i];
        const float width = k.in[1][i] - low;
        const float x = (h ? h[i] : 0.f) - low;
        k.out[0][i] = width == 0.f ? (x >= 0.f ? 1.f : 0.f) : clamp(x / width, 0.f, 1.f);
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
#include "nodes/height_reading.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(reliefheight)

bool reads_heights(Kernel kernel) {
    return kernel == avx2::reliefheight || kernel == avx512::reliefheight;
}

void describe_relief_height(std::vector<NodeDescription>& list) {
    auto metres = [](const char* name, const char* help, float value) {
        return Port{.name = name, .help = help, .value = value, .low = -.01f, .high = .01f, .unit = "m"};
    };
    list.push_back({.kind = "reliefheight",
                    .title = "Relief height",
                    .family = "form",
                    .help = "How far heights have moved the surface: dust lies in low spots, high ones wear.",
                    .types = {Type::number},
                    .ports = {metres("from", "Black up to here; 0 is the form without heights.", -.002f),
                              metres("to", "White from here. Below the other end, low spots are white.", .002f)},
                    .kernel = VEMTRA_PAIR(reliefheight),
                    .varies = true});
}
#endif
}  // namespace vemtra::nodes
