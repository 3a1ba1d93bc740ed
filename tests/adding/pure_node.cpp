// Example of docs/adding.md: a node that needs nothing but its inputs. In the house this is one file in
// src/nodes/kernels/ and one line in src/nodes/catalogue.cpp. "stripes" gives 1 where the fraction of its input lies
// below `share`, else 0.
#include "nodes/description.h"

namespace example {

using namespace vemtra::nodes;

enum StripesUniform : int {
    stripes_count
};  // where the kernel reads its uniform numbers: a test holds it to the ports

/// Ports: in, share. Uniform: count.
void stripes(const KernelArgs& k) {
    const float* __restrict in = k.in[0];
    const float* __restrict share = k.in[1];
    float* __restrict out = k.out[0];
    for (int i = 0; i < k.n; ++i) {
        const float x = in[i] * k.uniform[stripes_count];
        out[i] = x - float(int(x)) < share[i] ? 1.f : 0.f;
    }
}

NodeDescription describe_stripes() {
    NodeDescription d{
        .kind = "stripes",
        .title = "Stripes",
        .family = "pattern",
        .help = "Even stripes across a value.",
        .types = {Type::number},
        .ports = {{.name = "in", .help = "What is striped.", .role = Role::subject},
                  {.name = "share", .help = "How much of each stripe is white.", .value = .5f},
                  {.name = "count", .help = "Stripes in one unit.", .value = 4.f, .high = 64.f, .uniform = true}},
        .kernel = {stripes, stripes},
        .uniforms = {{"count", stripes_count}}};
    d.index();
    return d;
}

}  // namespace example
