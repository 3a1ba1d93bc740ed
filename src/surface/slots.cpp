#include "surface/slots.h"

#include <cstring>

namespace vemtra::surface {

#define VEMTRA_SLOT(name, components, low, high, fallback) {#name, offsetof(Slots, name), components, low, high, fallback}

const std::vector<SlotField>& slot_fields() {
    static const std::vector<SlotField> fields = {
        VEMTRA_SLOT(base_color, 3, 0.f, 1.f, .5f),
        VEMTRA_SLOT(base_metalness, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(base_weight, 1, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(base_diffuse_roughness, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(specular_roughness, 1, 0.f, 1.f, .5f),
        VEMTRA_SLOT(specular_roughness_anisotropy, 1, 0.f, .98f, 0.f),
        VEMTRA_SLOT(specular_weight, 1, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(specular_color, 3, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(specular_ior, 1, 1.f, 3.f, 1.5f),
        VEMTRA_SLOT(metal_ior, 3, .01f, 20.f, 1.f),
        VEMTRA_SLOT(metal_extinction, 3, 0.f, 30.f, 0.f),
        VEMTRA_SLOT(transmission_weight, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(transmission_color, 3, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(transmission_depth, 1, 0.f, 1e4f, 0.f),
        VEMTRA_SLOT(transmission_scatter, 3, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(transmission_scatter_anisotropy, 1, -.98f, .98f, 0.f),
        VEMTRA_SLOT(transmission_dispersion_scale, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(transmission_dispersion_abbe_number, 1, 5.f, 100.f, 20.f),
        VEMTRA_SLOT(subsurface_weight, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(subsurface_color, 3, 0.f, .999f, .5f),
        VEMTRA_SLOT(subsurface_radius, 1, 0.f, 1e3f, .01f),
        VEMTRA_SLOT(subsurface_radius_scale, 3, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(subsurface_scatter_anisotropy, 1, -.9f, .9f, 0.f),
        VEMTRA_SLOT(coat_weight, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(coat_color, 3, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(coat_roughness, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(coat_roughness_anisotropy, 1, 0.f, .98f, 0.f),
        VEMTRA_SLOT(coat_ior, 1, 1.f, 3.f, 1.6f),
        VEMTRA_SLOT(coat_darkening, 1, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(fuzz_weight, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(fuzz_color, 3, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(fuzz_roughness, 1, .05f, 1.f, .5f),
        VEMTRA_SLOT(thin_film_weight, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(thin_film_thickness, 1, 0.f, 5.f, .5f),
        VEMTRA_SLOT(thin_film_ior, 1, 1.f, 3.f, 1.4f),
        VEMTRA_SLOT(emission_luminance, 1, 0.f, 1e8f, 0.f),
        VEMTRA_SLOT(emission_color, 3, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(emission_temperature, 1, 0.f, 20000.f, 0.f),
        VEMTRA_SLOT(geometry_opacity, 1, 0.f, 1.f, 1.f),
        VEMTRA_SLOT(geometry_thin_walled, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(geometry_normal, 3, -1e6f, 1e6f, 0.f),
        VEMTRA_SLOT(geometry_tangent, 3, -1e6f, 1e6f, 0.f),
        VEMTRA_SLOT(geometry_coat_normal, 3, -1e6f, 1e6f, 0.f),
        VEMTRA_SLOT(geometry_coat_tangent, 3, -1e6f, 1e6f, 0.f),
        VEMTRA_SLOT(flake_density, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(flake_size, 1, 1e-6f, 1.f, .0002f),
        VEMTRA_SLOT(flake_spread, 1, 0.f, 1.f, .3f),
        VEMTRA_SLOT(flake_roughness, 1, .02f, 1.f, .15f),
        VEMTRA_SLOT(flake_color, 3, 0.f, 1.f, .8f),
        VEMTRA_SLOT(flake_variation, 1, 0.f, 1.f, 0.f),
        VEMTRA_SLOT(thickness, 1, 0.f, 1e3f, 1.f),
    };
    return fields;
}
#undef VEMTRA_SLOT

const SlotField* slot_field(const char* name) {
    for (const SlotField& f : slot_fields())
        if (!std::strcmp(f.name, name)) return &f;
    return nullptr;
}

void make_sane(Slots& slots, const SlotField& f) {
    float* v = at(slots, f);
    for (int c = 0; c < f.components; ++c) v[c] = std::isfinite(v[c]) ? std::clamp(v[c], f.low, f.high) : f.fallback;
}
Slots sane(Slots slots) {
    for (const SlotField& f : slot_fields()) make_sane(slots, f);
    return slots;
}

}  // namespace vemtra::surface
