// lettering: words that fill the square of a place from 0 to 1, such as a decal's frame. The letters themselves are set
// by the texture floor.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: texcoord, a place; the words chose `resource`.
void lettering(const KernelArgs& k) {
    if (k.resource >= 0) return k.points->textures->sample(k.resource, k.n, k.in, k.out, 1);
    for (int i = 0; i < k.n; ++i) k.out[0][i] = 0.f;
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(lettering)

Lettering lettering_of(const scene::Node& node) {
    const NodeDescription& d = description_for(Use::lettering);
    auto word = [&](const char* port) { return word_of(node, *d.port(port)); };
    auto number = [&](const char* port) { return number_of(node, *d.port(port)); };
    std::string text = word("text");  // a row of a form holds no line's end: it is typed as it is said
    for (size_t at = 0; (at = text.find("\\n", at)) != std::string::npos;) text.replace(at, 2, "\n");
    return {text, word("face"), word("align"), number("arc"), number("spacing"), number("leading"), number("bridges")};
}
static int ask_lettering(const Asking& a, Resources& resources) {
    ImageRequest r;
    r.components = 1;
    r.colorspace = "raw";
    r.lettering = lettering_of(a.node);
    if (r.lettering.text.find_first_not_of(" \t\n") == std::string::npos) return -1;
    resources.footprint = true;
    return resources.image(r);
}

void describe_lettering(std::vector<NodeDescription>& list) {
    list.push_back(
        {.kind = "lettering",
         .title = "Lettering",
         .family = "map",
         .help = "Words that fill a square from edge to edge: 1 on the letters, 0 beside them. Meant for decals, whose "
                 "frame takes the shape of the words.",
         .types = {Type::number},
         .ports = {{.name = "text",
                    .help = "The words; \\n begins another line.",
                    .value = std::string("No. 7"),
                    .uniform = true,
                    .text = true,
                    .role = Role::lettering},
                   {.name = "face",
                    .help =
                        "Plain and strong are upright and even, sign is drawn for road signs, capitals is narrow and "
                        "heavy, slab has feet.",
                    .value = std::string("sign"),
                    .uniform = true,
                    .text = true,
                    .choices = {"plain", "strong", "sign", "capitals", "slab"}},
                   {.name = "align",
                    .help = "How lines of unequal length stand to each other.",
                    .value = std::string("centre"),
                    .uniform = true,
                    .text = true,
                    .choices = {"left", "centre", "right"}},
                   {.name = "arc",
                    .help = "Bends each line to an arc of that many degrees, its middle on top; below 0 the ends rise.",
                    .value = 0.f,
                    .low = -360.f,
                    .high = 360.f,
                    .hard = true,
                    .unit = "deg",
                    .uniform = true},
                   {.name = "spacing",
                    .help = "Between letters, beyond their own, in heights of a capital.",
                    .value = 0.f,
                    .low = -.2f,
                    .high = 2.f,
                    .hard = true,
                    .uniform = true},
                   {.name = "leading",
                    .help = "From line to line, in line heights of the face.",
                    .value = 1.f,
                    .low = .3f,
                    .high = 4.f,
                    .hard = true,
                    .uniform = true,
                    .folded = true},
                   {.name = "bridges",
                    .help = "Width of the bridges that hold the insides of letters in a stencil, in heights of a "
                            "capital; 0: none.",
                    .value = 0.f,
                    .high = .5f,
                    .hard = true,
                    .uniform = true},
                   {.name = "texcoord",
                    .help = "Where it is read: the UVs, a decal's frame, or what a placement gives.",
                    .type = Type::place,
                    .value = V2f(0.f),
                    .reads = Reads::uv,
                    .role = Role::where}},
         .kernel = VEMTRA_PAIR(lettering),
         .ask = ask_lettering,
         .varies = true,
         .use = Use::lettering});
}
#endif
}  // namespace vemtra::nodes
