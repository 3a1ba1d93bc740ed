// Surfaces that render as they are told, but that nothing real has.
#include "review/findings/plausible.h"

#include "nodes/description.h"
#include "nodes/slot_names.h"
#include "review/finding.h"

namespace vemtra::review {

namespace slot = nodes::slot;

namespace {

// Darkest metals in the visible (tungsten, cast iron) reflect about 0.4; freshly fallen snow and barium sulphate, the
// whitest matt things, 0.9 and more, titanium white paint 0.85 when new. Natural and technical dielectrics lie between
// 1.2 (aerogel aside) and 2.8 (rutile).
constexpr float darkest_metal = .25f, whitest_paint = .9f, least_ior = 1.2f, largest_ior = 2.8f;

struct Written {
    const scene::Layer& layer;
    bool fixed(const char* slot) const {
        const auto it = layer.surface.find(slot);
        return it == layer.surface.end() || it->second.from.empty();
    }
    V3f value(const char* slot) const {
        const nodes::Port* port = nodes::slots_of(layer).port(slot);
        if (!port) return V3f(0.f);
        const auto it = layer.surface.find(slot);
        const scene::Value v = it == layer.surface.end() ? port->value : it->second.shown();
        return scene::as_triple(v);
    }
    bool given(const char* slot) const { return layer.surface.count(slot) > 0; }
};

}  // namespace

std::vector<Error> plausibility(const scene::Scene& scene) {
    std::vector<Error> out;
    for (const scene::BuildUp& b : scene.build_ups)
        for (const scene::Layer& layer : b.layers) {
            if (!layer.on || !layer.build_up.empty()) continue;
            const Written r{layer};
            const std::string place = b.name + " / " + layer.name;
            auto hint = [&](const char* what, const std::string& why, const std::string& remedy) {
                out.push_back({what, "", place, why, remedy});
            };
            if (!scene::traits(layer.kind).hides) {
                const float thickness = r.value(slot::thickness).x;
                const V3f c = r.value(slot::coat_color);
                if (thickness > 100.f)
                    hint("A coat is very thick",
                         "thickness " + std::to_string(int(thickness)) + " lets hardly any light through",
                         "Usual coats lie between 0.2 and 5");
                if (max_component(c) < .02f)
                    hint("A coat is opaque", "its colour lets under 2 % of light pass",
                         "Use a cover for something that hides what is below");
                continue;
            }
            const float metalness = r.value(slot::base_metalness).x;
            const float weight = r.value(slot::base_weight).x;
            const V3f color = r.value(slot::base_color) * weight;
            const bool constants = max_component(r.value(slot::metal_extinction)) > 0.f;
            if (r.fixed(slot::base_metalness) && r.fixed(slot::base_color) && r.fixed(slot::metal_extinction)) {
                if (metalness > .95f && !constants && max_component(color) < darkest_metal)
                    hint("A metal is darker than any metal",
                         "its brightest channel reflects " + std::to_string(int(100.f * max_component(color))) + " %",
                         "Clean metals reflect 40 % and more: raise base_color, or lay an oxide over it as a cover");
                if (metalness > .05f && metalness < .95f)
                    hint("A surface is half a metal", "base_metalness is " + std::to_string(metalness).substr(0, 4),
                         "Things are metal or not: mix two layers by a mask instead");
                if (metalness < .05f && r.value(slot::transmission_weight).x < .5f &&
                    std::min({color.x, color.y, color.z}) > whitest_paint)
                    hint("White is too white", "base_color is over 0.9",
                         "White paint reflects 0.8 to 0.85: light bounces on too long, and form goes flat");
            }
            if (constants && metalness < .05f && r.fixed(slot::base_metalness))
                hint("Optical constants have no effect", "metal_extinction is set, but base_metalness is 0",
                     "Raise base_metalness to 1");
            const float ior = r.value(slot::specular_ior).x;
            if (r.fixed(slot::specular_ior) && metalness < .95f && (ior < least_ior || ior > largest_ior))
                hint("An index of refraction is outside of nature",
                     "specular_ior is " + std::to_string(ior).substr(0, 4),
                     "Water has 1.33, paints and glass 1.5, diamond 2.42");
            if (r.fixed(slot::subsurface_radius) && r.value(slot::subsurface_weight).x > 0.f &&
                r.value(slot::subsurface_radius).x <= 0.f)
                hint("Subsurface without a radius", "subsurface_radius is 0", "Skin has about 0.002 m, wax 0.005 m");
            if (r.fixed(slot::transmission_depth) && r.value(slot::transmission_weight).x > 0.f &&
                r.value(slot::geometry_thin_walled).x < .5f && r.value(slot::transmission_depth).x <= 0.f &&
                r.given(slot::transmission_scatter))
                hint("Haze without a depth", "transmission_scatter needs transmission_depth above 0",
                     "Set the distance at which transmission_color is reached");
            if (r.value(slot::flake_density).x > 0.f && r.value(slot::flake_size).x > .01f)
                hint("Flakes are very large", "flake_size is over a centimetre", "Paint flakes measure 0.05 to 0.6 mm");
        }
    return out;
}

void find_implausible(Look& look) {
    for (const Error& e : plausibility(*look.prepared.scene)) look.tell(Grade::hint, e);
}

}  // namespace vemtra::review
