#include "render/lights.h"

#include <algorithm>
#include <cmath>

namespace vemtra::render {

// The register: one line per kind of light.
const std::vector<LightKind>& light_kinds() {
    static const std::vector<LightKind> all = {rectangle_light(), sphere_light()};
    return all;
}
const LightKind& light_kind(const std::string& name) {
    for (const LightKind& k : light_kinds())
        if (name == k.name) return k;
    return light_kinds().front();
}

LightBounds bounds_of(const AreaLight& light) {
    LightBounds b = light.kind->bounds(light);
    const float power = luminance(light.radiance) * light.kind->area(light);
    b.power = std::isfinite(power) ? std::max(1e-9f, power) : 1e-9f;
    return b;
}

AreaLight prepare_light(const scene::Light& l, int group) {
    AreaLight a;
    a.kind = &light_kind(l.shape);
    a.center = l.position;
    a.radiance = l.color * (std::max(0.f, l.intensity) * std::exp2(l.exposure));
    a.group = group;
    a.seen = l.seen;
    a.kind->prepare(l, a);
    return a;
}

}  // namespace vemtra::render
