// The slots of layers, said once. Groups come in the order in which one sets them; the first of a group switches it on.
#include "nodes/description.h"
#include "nodes/slot_names.h"

namespace vemtra::nodes {
namespace {

struct Ports {
    std::vector<Port> list;
    std::string section;

    void number(const char* name, const char* help, float value, float low = 0.f, float high = 1.f, bool hard = true,
                const char* unit = "") {
        list.push_back({.name = name,
                        .help = help,
                        .value = value,
                        .low = low,
                        .high = high,
                        .hard = hard,
                        .unit = unit,
                        .section = section});
    }
    void color(const char* name, const char* help, const V3f& value, bool folded = false) {
        list.push_back({.name = name,
                        .help = help,
                        .type = Type::color,
                        .value = value,
                        .hard = true,
                        .folded = folded,
                        .section = section});
    }
    void vector(const char* name, const char* help) {
        list.push_back({.name = name,
                        .help = help,
                        .type = Type::vector3,
                        .value = V3f(0.f),
                        .low = -1.f,
                        .high = 1.f,
                        .folded = true,
                        .section = section});
    }
};

/// Of slots that one value stands for all over the layer.
Port& fixed(Ports& p, const char* name, const char* help, float value, float low, float high, bool hard,
            const char* unit = "") {
    p.number(name, help, value, low, high, hard, unit);
    p.list.back().uniform = true;
    return p.list.back();
}

void add_heights(Ports& p) {
    p.section = "relief";
    p.number(slot::height,
             "Moves the surface itself: a map or a network, wired here. Where it is neutral, nothing moves.", .5f, 0.f,
             1.f, false);
    fixed(p, slot::height_scale, "How far one unit of height is.", .01f, 0.f, .1f, false, "m");
    fixed(p, slot::height_strength, "Scales it; below zero it goes inwards.", 1.f, -2.f, 2.f, false);
    fixed(p, slot::height_neutral, "The value at which the surface stays where it is; middle grey of most maps.", .5f,
          0.f, 1.f, false);
    fixed(p, slot::height_low, "Values below count as this.", 0.f, 0.f, 1.f, false).folded = true;
    fixed(p, slot::height_high, "Values above count as this.", 1.f, 0.f, 1.f, false).folded = true;
    fixed(p, slot::height_gamma, "Bends values between the limits: above 1 lows grow wide, below 1 heights.", 1.f, .2f,
          5.f, false)
        .folded = true;
    fixed(p, slot::height_smoothing, "Rounds off what is smaller than this, as far as maps and patterns filter.", 0.f,
          0.f, .02f, false, "m")
        .folded = true;
    Port& direction = fixed(p, slot::height_direction,
                            "Which way height goes: as the smooth form faces, or as its polygons did before they were "
                            "smoothed.",
                            0.f, 0.f, 1.f, true);
    direction.whole = direction.folded = true;
    direction.choices = {"smooth form", "facets"};
    p.vector(slot::height_vector,
             "Moves the surface any way, overhangs included: a vector map or a network of three numbers. Scale, "
             "strength, neutral value and limits hold for each of them.");
    p.list.back().value = V3f(.5f);
    p.list.back().low = 0.f;
    Port& space = fixed(p, slot::height_vector_space,
                        "What the three numbers say: along growing U, growing V and outwards, the last two changed "
                        "over, or along the part's own x, y and z.",
                        0.f, 0.f, 2.f, true);
    space.whole = space.folded = true;
    space.choices = {"by UVs, blue outwards", "by UVs, green outwards", "of the part"};
    Port& join =
        fixed(p, slot::height_join, "How the layer's height meets that of the layers below it.", 0.f, 0.f, 3.f, true);
    join.whole = true;
    join.choices = {"by coverage", "added", "highest", "left out"};
    fixed(p, slot::height_softness, "Of highest: over how much both flow into each other.", 0.f, 0.f, .01f, false, "m")
        .folded = true;
    fixed(p, slot::height_thickness, "How thick the layer lies on what is below: its edge becomes a real one.", 0.f,
          0.f, .005f, false, "m");
    Port& lip = fixed(p, slot::height_lip,
                      "What that edge looks like from the side: upright, round, worn down to what is below, or curled "
                      "up to twice the thickness.",
                      0.f, 0.f, 3.f, true);
    lip.whole = true;
    lip.choices = {"square", "rounded", "worn", "curled"};
    fixed(p, slot::height_lip_width, "How far inwards from the border the lip goes, along the surface.", .001f, 0.f,
          .01f, false, "m");
    fixed(p, slot::height_levelling, "How much of the relief below it the layer hides; 0 lets all of it show through.",
          0.f, 0.f, 1.f, true);
}

void add_flakes(Ports& p) {
    p.section = "flakes";
    p.number("flake_density", "Share of the area that metal flakes take; 0 is none.", 0.f);
    p.number("flake_size", "How wide one flake is. From afar they blend to a soft sheen.", .0002f, .00002f, .005f,
             false, "m");
    p.number("flake_spread",
             "How much the flakes tilt out of the surface: small sparkles only near the reflection, large all over.",
             .3f);
    p.color("flake_color", "Colour of a flake's metal.", V3f(.8f));
    p.number("flake_variation", "How much flakes differ from each other in hue and brightness.", 0.f);
    p.number("flake_roughness", "How dull each flake's own mirror is.", .15f, .02f, 1.f);
}

}  // namespace

// NOLINTNEXTLINE(readability-function-size): a table
const NodeDescription& surface_description() {
    static const NodeDescription surface = [] {
        Ports p;
        p.section = "base";
        p.color("base_color",
                "Colour that the body of the material reflects; for a metal, its colour seen straight on.", V3f(.8f));
        p.number("base_metalness", "0 is a dielectric such as paint or stone, 1 a metal.", 0.f);
        p.number("base_weight", "Scales the base colour.", 1.f);
        p.number("base_diffuse_roughness", "Raises the flat, dusty look of clay and unglazed stone.", 0.f);
        p.section = "specular";
        p.number("specular_roughness", "How blurred the reflection is: 0 a mirror, 1 dull.", .3f);
        p.number("specular_ior", "Index of refraction: water 1.33, most paints 1.5, gems up to 2.4.", 1.5f, 1.f, 3.f);
        p.number("specular_weight", "Strength of the reflection; for a metal, of all of it.", 1.f);
        p.color("specular_color", "Tint of the reflection; for a metal, its colour at grazing angles.", V3f(1.f));
        p.number("specular_roughness_anisotropy", "Stretches the reflection across the brushing: 0 is round.", 0.f);
        p.section = "metal";
        p.color("metal_ior",
                "Refractive index n of a metal, for red, green and blue, as tables of optical constants give it.",
                V3f(1.f));
        p.color("metal_extinction",
                "Extinction k of a metal. Above 0, n and k take the place of its colours, under coats as well.",
                V3f(0.f));
        for (size_t i = p.list.size() - 2; i < p.list.size(); ++i)
            p.list[i].type = Type::vector3, p.list[i].high = 10.f;
        p.section = "transmission";
        p.number("transmission_weight",
                 "How much light goes through the body instead of being scattered back: 1 is glass.", 0.f);
        p.color("transmission_color", "Colour of light that went through the body as far as the depth says.", V3f(1.f));
        p.number("transmission_depth", "Distance at which light has that colour; 0 colours it once at the surface.",
                 0.f, 0.f, .5f, false, "m");
        p.color("transmission_scatter", "Colour of the haze inside; black is clear.", V3f(0.f));
        p.number("transmission_scatter_anisotropy",
                 "Whether haze throws light onward (towards 1) or back (towards -1).", 0.f, -1.f, 1.f);
        p.number("transmission_dispersion_scale", "How much colours part, as in a prism.", 0.f);
        p.number("transmission_dispersion_abbe_number",
                 "Strength of the parting as opticians give it: low is strong, diamond 55, flint glass 30.", 20.f, 9.f,
                 91.f);
        p.section = "subsurface";
        p.number("subsurface_weight", "How much light wanders inside before it comes back: wax, skin, marble, milk.",
                 0.f);
        p.color("subsurface_color", "Colour after all the wandering.", V3f(.8f));
        p.number("subsurface_radius", "How far light wanders between two turns.", .01f, .0001f, .1f, false, "m");
        p.color("subsurface_radius_scale", "The same for red, green and blue apart: red goes farthest in skin.",
                V3f(1.f, .5f, .25f));
        p.number("subsurface_scatter_anisotropy",
                 "Whether each turn throws light onward (towards 1) or back (towards -1).", 0.f, -1.f, 1.f);
        p.section = "coat";
        p.number("coat_weight",
                 "How much clear coat lies on this surface. For a coat with a mask of its own, add a coat layer.", 0.f);
        p.color("coat_color", "Colour left of light that went in and out of the coat.", V3f(1.f));
        p.number("coat_roughness", "How blurred the coat's reflection is; it blurs what lies below, too.", 0.f);
        p.number("coat_roughness_anisotropy", "Stretches the coat's reflection.", 0.f);
        p.number("coat_ior", "Index of refraction of the coat.", 1.6f, 1.f, 3.f);
        p.number("coat_darkening", "1 darkens what lies below as a real coat does, 0 keeps its brightness.", 1.f);
        p.section = "fuzz";
        p.number("fuzz_weight", "How much fine fibre stands on the surface: cloth, dust, peach skin.", 0.f);
        p.color("fuzz_color", "Colour of the fibres.", V3f(1.f));
        p.number("fuzz_roughness", "0 is a thin bright rim, 1 a wide soft one.", .5f);
        p.section = "thin film";
        p.number("thin_film_weight", "How much of the surface has a film that makes colours, as oil and tempering do.",
                 0.f);
        p.number("thin_film_thickness", "Thickness of the film.", .5f, 0.f, 2.f, false, "um");
        p.number("thin_film_ior", "Index of refraction of the film.", 1.4f, 1.f, 3.f);
        p.section = "emission";
        p.number("emission_luminance",
                 "Light that the surface gives off. 1000 nits are 1.0 in the picture at exposure 0.", 0.f, 0.f, 10000.f,
                 false, "nit");
        p.color("emission_color", "Colour of that light.", V3f(1.f));
        p.number("emission_temperature",
                 "Colour temperature that tints it: candle 1850, bulb 2700, daylight 6500; 0 leaves the colour alone.",
                 0.f, 0.f, 12000.f, false, "K");
        add_flakes(p);
        p.section = "retroreflection";
        p.number("retro_weight",
                 "How much of the surface sends light back to where it came from: tape, signs, cat's eyes.", 0.f);
        p.color("retro_color", "Colour of that light.", V3f(.9f));
        p.number("retro_roughness", "How wide it is spread around that direction.", .3f, .02f, 1.f);
        p.section = "geometry";
        p.number("geometry_opacity", "0 cuts a hole: what lies behind is seen.", 1.f);
        p.list.push_back({.name = "geometry_thin_walled",
                          .help = "A sheet without an inside, as paper, a leaf or a soap bubble.",
                          .value = 0.f,
                          .low = 0.f,
                          .high = 1.f,
                          .hard = true,
                          .whole = true,
                          .choices = {"no", "yes"},
                          .section = p.section});
        p.vector("geometry_normal",
                 "Direction that the surface faces instead of its own, in the asset's space; 0 0 0 is its own.");
        p.vector(
            "geometry_tangent",
            "Direction along which facets lean most, across the brushing, in the asset's space; 0 0 0 runs along U.");
        p.vector("geometry_coat_normal", "The same for the coat.");
        p.vector("geometry_coat_tangent", "The same for the coat.");
        add_heights(p);
        NodeDescription d;
        d.kind = "open_pbr_surface";
        d.title = "Surface";
        d.family = "surface";
        d.help = "What the layer is made of.";
        d.standard = "OpenPBR Surface 1.1";
        d.types = {Type::color};
        d.ports = std::move(p.list);
        d.index();
        return d;
    }();
    return surface;
}

const NodeDescription& coat_description() {
    static const NodeDescription coat = [] {
        Ports p;
        p.section = "coat";
        p.color("coat_color",
                "Colour left of white light after one passage straight down through thickness 1. Deeper and slanted "
                "ways darken it.",
                V3f(1.f));
        p.number("thickness", "How thick the coat is, in units of the colour: 2 colours twice as deep.", 1.f, 0.f, 5.f,
                 false);
        p.number("coat_roughness", "How blurred the coat's reflection is; it blurs what lies below, too.", .05f);
        p.number("coat_ior", "Index of refraction: water 1.33, varnish 1.5.", 1.5f, 1.f, 3.f);
        p.number("coat_roughness_anisotropy", "Stretches the coat's reflection.", 0.f);
        add_flakes(p);
        p.section = "geometry";
        p.vector("geometry_coat_normal",
                 "Direction that the coat faces instead of the surface's own, in the asset's space; 0 0 0 is its own.");
        p.vector("geometry_coat_tangent",
                 "Direction of brushing in the coat, in the asset's space; 0 0 0 runs along U.");
        p.section = "relief";
        fixed(p, slot::height_levelling,
              "How far the coat fills what lies below the neutral height: 1 levels pores and grooves out.", 0.f, 0.f,
              1.f, true);
        NodeDescription d;
        d.kind = "coat";
        d.title = "Coat";
        d.family = "surface";
        d.help = "A clear layer that what lies below is seen through.";
        d.types = {Type::color};
        d.ports = std::move(p.list);
        d.index();
        return d;
    }();
    return coat;
}

const NodeDescription& slots_of(const scene::Layer& layer) {
    return scene::traits(layer.kind).hides ? surface_description() : coat_description();
}

}  // namespace vemtra::nodes
