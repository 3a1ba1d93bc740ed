// The slots of a surface as plain numbers at one point: OpenPBR Surface 1.1 by name, then ours. Meaning, ranges and units stand once, in
// nodes::surface_description(); slot_fields() says where each of its ports lies in this struct.
#pragma once
#include <cstddef>
#include <vector>

#include "base/vec.h"

namespace vemtra::surface {

struct Slots {
    // base
    V3f base_color{.8f};
    float base_metalness = 0.f;
    float base_weight = 1.f;
    float base_diffuse_roughness = 0.f;
    // specular
    float specular_roughness = .3f;
    float specular_roughness_anisotropy = 0.f;
    float specular_weight = 1.f;
    V3f specular_color{1.f};
    float specular_ior = 1.5f;
    // metal by its optical constants, in place of its colours where metal_extinction is not 0
    V3f metal_ior{1.f}, metal_extinction{0.f};
    // transmission
    float transmission_weight = 0.f;
    V3f transmission_color{1.f};
    float transmission_depth = 0.f;  // metres
    V3f transmission_scatter{0.f};
    float transmission_scatter_anisotropy = 0.f;
    float transmission_dispersion_scale = 0.f;
    float transmission_dispersion_abbe_number = 20.f;
    // subsurface
    float subsurface_weight = 0.f;
    V3f subsurface_color{.8f};
    float subsurface_radius = .01f;  // metres
    V3f subsurface_radius_scale{1.f, .5f, .25f};
    float subsurface_scatter_anisotropy = 0.f;
    // coat
    float coat_weight = 0.f;
    V3f coat_color{1.f};
    float coat_roughness = 0.f;
    float coat_roughness_anisotropy = 0.f;
    float coat_ior = 1.6f;
    float coat_darkening = 1.f;
    // fuzz
    float fuzz_weight = 0.f;
    V3f fuzz_color{1.f};
    float fuzz_roughness = .5f;
    // thin film
    float thin_film_weight = 0.f;
    float thin_film_thickness = .5f;  // micrometres
    float thin_film_ior = 1.4f;
    // emission
    float emission_luminance = 0.f;  // nits
    V3f emission_color{1.f};
    float emission_temperature = 0.f;  // kelvin; 0: the colour alone
    // geometry
    float geometry_opacity = 1.f;
    float geometry_thin_walled = 0.f;
    V3f geometry_normal{0.f}, geometry_tangent{0.f}, geometry_coat_normal{0.f}, geometry_coat_tangent{0.f};  // asset space; 0: the surface's own
    // flakes
    float flake_density = 0.f;
    float flake_size = .0002f;  // metres
    float flake_spread = .3f;
    float flake_roughness = .15f;
    V3f flake_color{.8f};
    float flake_variation = 0.f;
    // a coat layer's own
    float thickness = 1.f;
};

struct SlotField {
    const char* name;
    size_t offset;   ///< in bytes
    int components;
    float low, high; ///< what is computed with; values outside are clamped
    float fallback;  ///< instead of a value that is not finite
};
const std::vector<SlotField>& slot_fields();
const SlotField* slot_field(const char* name);
inline float* at(Slots& s, const SlotField& f) { return reinterpret_cast<float*>(reinterpret_cast<char*>(&s) + f.offset); }

/// All values brought into their ranges.
Slots sane(Slots slots);
/// One field alone.
void make_sane(Slots& slots, const SlotField& field);

}  // namespace vemtra::surface
