// image: a texture map read through its UVs (MaterialX 1.39). The lookup itself is the texture floor's.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: texcoord; file, colorspace, channel, wrap are uniform words that chose `resource`.
void image(const KernelArgs& k) {
    k.points->textures->sample(k.resource, k.n, k.in[0], k.in[1], k.points->uv_width, k.out, k.components);
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(image)

void describe_image(std::vector<NodeDescription>& list) {
    list.push_back({.kind = "image", .title = "Image", .group = "map", .help = "A texture map; <UDIM> in its name reads one file per tile.",
                    .standard = "MaterialX 1.39 image", .types = {Type::color, Type::number, Type::vector2, Type::vector3},
                    .ports = {{.name = "file", .help = "Path of the map, relative to the project.", .value = std::string(), .uniform = true, .text = true},
                              {.name = "colorspace", .help = "How the file's numbers are meant; automatic decodes 8-bit colour as sRGB and leaves the rest.",
                               .value = std::string("auto"), .uniform = true, .text = true,
                               .choices = {"auto", "srgb_texture", "lin_rec709", "acescg", "raw"}},
                              {.name = "channel", .help = "Which channel a single number is read from.", .value = std::string("r"), .uniform = true, .text = true,
                               .choices = {"r", "g", "b", "a", "luminance"}},
                              {.name = "wrap", .help = "What stands outside of the image.", .value = std::string("periodic"), .uniform = true, .text = true,
                               .choices = {"periodic", "clamp", "mirror", "constant"}, .folded = true},
                              {.name = "texcoord", .help = "Where the map is read.", .type = Type::vector2, .value = V2f(0.f), .reads = Reads::uv}},
                    .kernel = VEMTRA_PAIR(image), .needs = Needs::image, .varies = true});
}
#endif
}  // namespace vemtra::nodes
