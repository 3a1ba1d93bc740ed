// Every slot of a surface, once: VEMTRA_SLOTS(X) calls X(name, type, default, components, low, high, fallback).
// `low` and `high` are what is computed with: values outside are clamped there; `fallback` stands in for what is no
// number. What a slot means, its unit and the range of its field on the screen stand in nodes/surface_description.cpp.
#pragma once

#define VEMTRA_SLOTS(X)                                                        \
    X(base_color, V3f, (V3f(.8f)), 3, 0.f, 1.f, .5f)                           \
    X(base_metalness, float, (0.f), 1, 0.f, 1.f, 0.f)                          \
    X(base_weight, float, (1.f), 1, 0.f, 1.f, 1.f)                             \
    X(base_diffuse_roughness, float, (0.f), 1, 0.f, 1.f, 0.f)                  \
    X(specular_roughness, float, (.3f), 1, 0.f, 1.f, .5f)                      \
    X(specular_roughness_anisotropy, float, (0.f), 1, 0.f, .98f, 0.f)          \
    X(specular_weight, float, (1.f), 1, 0.f, 1.f, 1.f)                         \
    X(specular_color, V3f, (V3f(1.f)), 3, 0.f, 1.f, 1.f)                       \
    X(specular_ior, float, (1.5f), 1, 1.f, 3.f, 1.5f)                          \
    X(metal_ior, V3f, (V3f(1.f)), 3, .01f, 20.f, 1.f)                          \
    X(metal_extinction, V3f, (V3f(0.f)), 3, 0.f, 30.f, 0.f)                    \
    X(transmission_weight, float, (0.f), 1, 0.f, 1.f, 0.f)                     \
    X(transmission_color, V3f, (V3f(1.f)), 3, 0.f, 1.f, 1.f)                   \
    X(transmission_depth, float, (0.f), 1, 0.f, 1e4f, 0.f)                     \
    X(transmission_scatter, V3f, (V3f(0.f)), 3, 0.f, 1.f, 0.f)                 \
    X(transmission_scatter_anisotropy, float, (0.f), 1, -.98f, .98f, 0.f)      \
    X(transmission_dispersion_scale, float, (0.f), 1, 0.f, 1.f, 0.f)           \
    X(transmission_dispersion_abbe_number, float, (20.f), 1, 5.f, 100.f, 20.f) \
    X(subsurface_weight, float, (0.f), 1, 0.f, 1.f, 0.f)                       \
    X(subsurface_color, V3f, (V3f(.8f)), 3, 0.f, .999f, .5f)                   \
    X(subsurface_radius, float, (.01f), 1, 0.f, 1e3f, .01f)                    \
    X(subsurface_radius_scale, V3f, (V3f(1.f, .5f, .25f)), 3, 0.f, 1.f, 1.f)   \
    X(subsurface_scatter_anisotropy, float, (0.f), 1, -.9f, .9f, 0.f)          \
    X(coat_weight, float, (0.f), 1, 0.f, 1.f, 0.f)                             \
    X(coat_color, V3f, (V3f(1.f)), 3, 0.f, 1.f, 1.f)                           \
    X(coat_roughness, float, (0.f), 1, 0.f, 1.f, 0.f)                          \
    X(coat_roughness_anisotropy, float, (0.f), 1, 0.f, .98f, 0.f)              \
    X(coat_ior, float, (1.6f), 1, 1.f, 3.f, 1.6f)                              \
    X(coat_darkening, float, (1.f), 1, 0.f, 1.f, 1.f)                          \
    X(fuzz_weight, float, (0.f), 1, 0.f, 1.f, 0.f)                             \
    X(fuzz_color, V3f, (V3f(1.f)), 3, 0.f, 1.f, 1.f)                           \
    X(fuzz_roughness, float, (.5f), 1, .05f, 1.f, .5f)                         \
    X(thin_film_weight, float, (0.f), 1, 0.f, 1.f, 0.f)                        \
    X(thin_film_thickness, float, (.5f), 1, 0.f, 5.f, .5f)                     \
    X(thin_film_ior, float, (1.4f), 1, 1.f, 3.f, 1.4f)                         \
    X(emission_luminance, float, (0.f), 1, 0.f, 1e8f, 0.f)                     \
    X(emission_color, V3f, (V3f(1.f)), 3, 0.f, 1.f, 1.f)                       \
    X(emission_temperature, float, (0.f), 1, 0.f, 20000.f, 0.f)                \
    X(geometry_opacity, float, (1.f), 1, 0.f, 1.f, 1.f)                        \
    X(geometry_thin_walled, float, (0.f), 1, 0.f, 1.f, 0.f)                    \
    X(geometry_normal, V3f, (V3f(0.f)), 3, -1e6f, 1e6f, 0.f)                   \
    X(geometry_tangent, V3f, (V3f(0.f)), 3, -1e6f, 1e6f, 0.f)                  \
    X(geometry_coat_normal, V3f, (V3f(0.f)), 3, -1e6f, 1e6f, 0.f)              \
    X(geometry_coat_tangent, V3f, (V3f(0.f)), 3, -1e6f, 1e6f, 0.f)             \
    X(flake_density, float, (0.f), 1, 0.f, 1.f, 0.f)                           \
    X(flake_size, float, (.0002f), 1, 1e-6f, 1.f, .0002f)                      \
    X(flake_spread, float, (.3f), 1, 0.f, 1.f, .3f)                            \
    X(flake_roughness, float, (.15f), 1, .02f, 1.f, .15f)                      \
    X(flake_color, V3f, (V3f(.8f)), 3, 0.f, 1.f, .8f)                          \
    X(flake_variation, float, (0.f), 1, 0.f, 1.f, 0.f)                         \
    X(retro_weight, float, (0.f), 1, 0.f, 1.f, 0.f)                            \
    X(retro_color, V3f, (V3f(.9f)), 3, 0.f, 1.f, .9f)                          \
    X(retro_roughness, float, (.3f), 1, .02f, 1.f, .3f)                        \
    X(thickness, float, (1.f), 1, 0.f, 1e3f, 1.f)
