#include "exchange/standard/surfaces.h"

#include <algorithm>
#include <span>

#include "exchange/standard/graph_reader.h"
#include "exchange/standard/values.h"
#include "scene/edits.h"

namespace vemtra::exchange {
namespace {

constexpr int deepest_mix = 64;

pugi::xml_node input_of(const pugi::xml_node& e, const char* name) {
    return e.find_child_by_attribute("input", "name", name);
}

/// How another surface's input is said in OpenPBR's words; `scale` multiplies a literal number.
struct Slot {
    const char *theirs, *ours;
    float scale = 1.f;
};
// Standard Surface 1.0.1, by the table of OpenPBR 1.1, "Relation to other models".
constexpr Slot standard_surface[] = {{"base", "base_weight"},
                                     {"base_color", "base_color"},
                                     {"diffuse_roughness", "base_diffuse_roughness"},
                                     {"metalness", "base_metalness"},
                                     {"specular", "specular_weight"},
                                     {"specular_color", "specular_color"},
                                     {"specular_roughness", "specular_roughness"},
                                     {"specular_IOR", "specular_ior"},
                                     {"specular_anisotropy", "specular_roughness_anisotropy"},
                                     {"transmission", "transmission_weight"},
                                     {"transmission_color", "transmission_color"},
                                     {"transmission_depth", "transmission_depth"},
                                     {"transmission_scatter", "transmission_scatter"},
                                     {"transmission_scatter_anisotropy", "transmission_scatter_anisotropy"},
                                     {"transmission_dispersion", "transmission_dispersion_abbe_number"},
                                     {"subsurface", "subsurface_weight"},
                                     {"subsurface_color", "subsurface_color"},
                                     {"subsurface_radius", "subsurface_radius_scale"},
                                     {"subsurface_scale", "subsurface_radius"},
                                     {"subsurface_anisotropy", "subsurface_scatter_anisotropy"},
                                     {"sheen", "fuzz_weight"},
                                     {"sheen_color", "fuzz_color"},
                                     {"sheen_roughness", "fuzz_roughness"},
                                     {"coat", "coat_weight"},
                                     {"coat_color", "coat_color"},
                                     {"coat_roughness", "coat_roughness"},
                                     {"coat_anisotropy", "coat_roughness_anisotropy"},
                                     {"coat_IOR", "coat_ior"},
                                     {"thin_film_thickness", "thin_film_thickness", .001f},  // nm to um
                                     {"thin_film_IOR", "thin_film_ior"},
                                     {"emission", "emission_luminance", 1000.f},  // 1 in the picture is 1000 nit
                                     {"emission_color", "emission_color"},
                                     {"opacity", "geometry_opacity"},
                                     {"thin_walled", "geometry_thin_walled"},
                                     {"normal", "geometry_normal"},
                                     {"coat_normal", "geometry_coat_normal"}};
// glTF 2.0 PBR, as its own library defines it.
constexpr Slot gltf_pbr[] = {{"base_color", "base_color"},
                             {"metallic", "base_metalness"},
                             {"roughness", "specular_roughness"},
                             {"normal", "geometry_normal"},
                             {"ior", "specular_ior"},
                             {"specular", "specular_weight"},
                             {"specular_color", "specular_color"},
                             {"transmission", "transmission_weight"},
                             {"alpha", "geometry_opacity"},
                             {"clearcoat", "coat_weight"},
                             {"clearcoat_roughness", "coat_roughness"},
                             {"sheen_color", "fuzz_color"},
                             {"sheen_roughness", "fuzz_roughness"},
                             {"emissive", "emission_color"},
                             {"emissive_strength", "emission_luminance", 1000.f},
                             {"attenuation_color", "transmission_color"},
                             {"attenuation_distance", "transmission_depth"},
                             {"dispersion", "transmission_dispersion_scale"},
                             {"iridescence", "thin_film_weight"},
                             {"iridescence_ior", "thin_film_ior"},
                             {"iridescence_thickness", "thin_film_thickness", .001f}};
// What differs where nothing is said, in the other models.
constexpr Slot standard_surface_defaults[] = {{"", "specular_roughness", .2f},
                                              {"", "coat_roughness", .1f},
                                              {"", "fuzz_roughness", .3f},
                                              {"", "coat_ior", 1.5f},
                                              {"", "coat_darkening", 0.f}};
constexpr Slot gltf_defaults[] = {{"", "base_color", 1.f},          {"", "specular_roughness", 1.f},
                                  {"", "base_metalness", 1.f},      {"", "coat_ior", 1.5f},
                                  {"", "coat_darkening", 0.f},      {"", "fuzz_color", 0.f},
                                  {"", "fuzz_roughness", 0.f},      {"", "thin_film_ior", 1.3f},
                                  {"", "thin_film_thickness", .1f}, {"", "emission_luminance", 1000.f},
                                  {"", "emission_color", 0.f}};
// UsdPreviewSurface 2.6, as the preview surface's specification has it.
constexpr Slot preview_surface[] = {{"diffuseColor", "base_color"},  {"emissiveColor", "emission_color"},
                                    {"metallic", "base_metalness"},  {"roughness", "specular_roughness"},
                                    {"clearcoat", "coat_weight"},    {"clearcoatRoughness", "coat_roughness"},
                                    {"opacity", "geometry_opacity"}, {"ior", "specular_ior"},
                                    {"normal", "geometry_normal"}};
constexpr Slot preview_defaults[] = {
    {"", "base_color", .18f},           {"", "base_weight", 1.f},   {"", "specular_roughness", .5f},
    {"", "coat_roughness", .01f},       {"", "coat_ior", 1.5f},     {"", "coat_darkening", 0.f},
    {"", "emission_luminance", 1000.f}, {"", "emission_color", 0.f}};

float number_at(const pugi::xml_node& shader, const char* name, float otherwise) {
    const auto value = standard_value("float", text_of(input_of(shader, name), "value"));
    return value ? scene::as_number(*value) : otherwise;
}

/// An Abbe number disperses as it is.
void settle_standard(scene::Layer& layer, const pugi::xml_node& shader) {
    if (number_at(shader, "transmission_dispersion", 0.f) > 0.f)
        layer.surface["transmission_dispersion_scale"].value = 1.f;
}

/// glTF 2.0: opacity counts in the modes mask and blend alone; what transmits without thickness is a thin wall; sheen
/// has its weight in its colour.
void settle_gltf(scene::Layer& layer, const pugi::xml_node& shader) {
    scene::Inputs& s = layer.surface;
    if (number_at(shader, "alpha_mode", 0.f) < .5f) s.erase("geometry_opacity");
    if (!s["transmission_weight"].from.empty() || scene::as_number(s["transmission_weight"].value) > 0.f)
        if (!(number_at(shader, "thickness", 0.f) > 0.f) && !input_of(shader, "thickness").attribute("nodegraph"))
            s["geometry_thin_walled"].value = 1.f;
    scene::Input& sheen = s["fuzz_color"];
    const V3f colour = scene::as_vector(sheen.value);
    const float most = sheen.from.empty() ? max_component(colour) : 1.f;
    s["fuzz_weight"].value = clamp01(most);
    if (sheen.from.empty() && most > 0.f) sheen.value = colour / most;
}

/// A surface model that documents may use, in ours: no table, its slots are called as ours.
struct Model {
    const char* kind;
    std::span<const Slot> slots, defaults;
    void (*settle)(scene::Layer&, const pugi::xml_node& shader) = nullptr;
    /// What is said by settle(), or means nothing to a path tracer.
    std::span<const char* const> aside{};
    const Slot* find(const std::string& theirs) const {
        for (const Slot& row : slots)
            if (theirs == row.theirs) return &row;
        return nullptr;
    }
};
constexpr const char* gltf_aside[] = {"alpha_mode", "thickness", "occlusion"};
const Model* model_of(const std::string& kind) {
    static const Model all[] = {{"open_pbr_surface", {}, {}},
                                {"standard_surface", standard_surface, standard_surface_defaults, settle_standard},
                                {"gltf_pbr", gltf_pbr, gltf_defaults, settle_gltf, gltf_aside},
                                {"UsdPreviewSurface", preview_surface, preview_defaults}};
    for (const Model& m : all)
        if (kind == m.kind) return &m;
    return nullptr;
}

}  // namespace

SurfaceReader::SurfaceReader(const pugi::xml_node& root, StandardDocument& out) : root_(root), out_(out) {
    for (const auto& e : root.children())
        if (text_of(e, "type") == "surfaceshader") shaders_.emplace(text_of(e, "name"), e);
}

void SurfaceReader::problem(const std::string& place, const std::string& why, const std::string& remedy) {
    out_.problems.push_back({"Part of the document is taken otherwise", "", place, why, remedy});
}

void SurfaceReader::read() {
    std::unordered_set<std::string> taken;
    for (const auto& m : root_.children("surfacematerial")) {
        const std::string shader = text_of(input_of(m, "surfaceshader"), "nodename");
        const auto at = shaders_.find(shader);
        if (at == shaders_.end()) {
            problem(text_of(m, "name"), "its surface '" + shader + "' is not there", "It is left out");
            continue;
        }
        taken.insert(shader);
        build(text_of(m, "name"), at->second);
    }
    if (!taken.empty()) return;
    std::unordered_set<std::string> mixed;
    for (const auto& [name, shader] : shaders_)
        for (const auto& i : shader.children("input")) mixed.insert(text_of(i, "nodename"));
    for (const auto& e : root_.children())
        if (text_of(e, "type") == "surfaceshader" && !mixed.contains(text_of(e, "name"))) build(text_of(e, "name"), e);
}

void SurfaceReader::build(const std::string& name, const pugi::xml_node& shader) {
    scene::BuildUp b;
    b.id = b.name = name;
    nested_.clear();
    begun_.clear();
    add_layers(b, shader, {}, 0);
    if (!b.layers.empty()) out_.build_ups.push_back(std::move(b));
    for (scene::BuildUp& n : nested_) out_.build_ups.push_back(std::move(n));
}

void SurfaceReader::add_layers(scene::BuildUp& b, const pugi::xml_node& shader, const scene::Input& gate, int depth) {
    if (std::string(shader.name()) != "mix") return add_cover(b, shader, gate);
    auto part = [&](const char* name) {
        const auto at = shaders_.find(text_of(input_of(shader, name), "nodename"));
        return at == shaders_.end() ? pugi::xml_node() : at->second;
    };
    if (depth >= deepest_mix)
        return problem(text_of(shader, "name"),
                       "its mixes stand more than " + std::to_string(deepest_mix) + " deep in one another",
                       "What is deeper is left out");
    if (part("bg")) add_layers(b, part("bg"), gate, depth + 1);
    scene::Input amount = slot(b, input_of(shader, "mix"), "float");
    if (std::string(part("fg").name()) == "mix")
        add_nested(b, part("fg"), amount, depth + 1);
    else if (part("fg"))
        add_cover(b, part("fg"), amount);
}

/// What opens a layer: a network, or as much of it as the number says.
void SurfaceReader::open_by(scene::BuildUp& b, scene::Layer& layer, const scene::Input& gate) {
    if (!gate.from.empty())
        layer.gate.mask = gate;
    else if (!b.layers.empty())
        layer.amount = clamp01(scene::as_number(gate.value));
}

void SurfaceReader::add_nested(scene::BuildUp& b, const pugi::xml_node& shader, const scene::Input& gate, int depth) {
    const std::string name = text_of(shader, "name");
    if (begun_.insert(name).second) {  // each is read once, however many show it, and however they run in circles
        scene::BuildUp inner;
        inner.id = inner.name = name;
        add_layers(inner, shader, {}, depth);
        if (!inner.layers.empty()) nested_.push_back(std::move(inner));
    }
    if (!scene::find(nested_, name)) return problem(name, "a mix shows nothing, or itself", "It is left out");
    scene::Layer layer;
    layer.name = name;
    layer.id = scene::fresh_id(b, scene::stem_of(layer.name));
    layer.build_up = name;
    open_by(b, layer, gate);
    b.layers.push_back(std::move(layer));
}

std::string SurfaceReader::instance(scene::BuildUp& b, const std::string& network) {
    for (const scene::Node& n : b.commons)
        if (n.network == network) return n.id;
    if (!scene::find(out_.networks, network)) return {};
    const scene::BuildUp all = instances_of(out_, network);
    for (const scene::Node& n : all.commons) {
        bool there = false;
        for (const scene::Node& o : b.commons) there |= o.id == n.id;
        if (!there) b.commons.push_back(n);
    }
    return network;
}

scene::Input SurfaceReader::slot(scene::BuildUp& b, const pugi::xml_node& input, const std::string& type) {
    scene::Input out;
    if (auto value = standard_value(type, text_of(input, "value"))) {
        out.value = std::move(*value);
        std::string space;
        for (pugi::xml_node e = input; e && space.empty(); e = e.parent()) space = text_of(e, "colorspace");
        if (type == "color3" && !space.empty() && space != "none")
            if (const auto colour = from_standard_space(space, scene::as_vector(out.value))) out.value = *colour;
    }
    const std::string graph = text_of(input, "nodegraph");
    const std::string node = text_of(input, "nodename");
    if (!graph.empty()) {
        out.from = instance(b, graph);
        out.output = text_of(input, "output");
    } else if (!node.empty()) {
        out.from = instance(b, StandardDocument::loose);
        out.output = node;
    }
    return out;
}

void SurfaceReader::add_cover(scene::BuildUp& b, const pugi::xml_node& shader, const scene::Input& gate) {
    const std::string kind = shader.name();
    const Model* model = model_of(kind);
    if (!model)
        return problem(text_of(shader, "name"), "a surface of the kind " + kind + " is not known", "It is left out");
    scene::Layer layer;
    layer.name = text_of(shader, "name");
    layer.id = scene::fresh_id(b, scene::stem_of(layer.name));
    open_by(b, layer, gate);
    for (const Slot& s : model->defaults) {
        const nodes::Port* port = nodes::surface_description().port(s.ours);
        const bool coloured = port && port->type == nodes::Type::color;
        layer.surface[s.ours].value = coloured ? scene::Value(V3f(s.scale)) : scene::Value(s.scale);
    }
    for (const auto& i : shader.children("input")) {
        const std::string name = text_of(i, "name");
        const Slot* to = model->find(name);
        const nodes::Port* port = nodes::surface_description().port(model->slots.empty() ? name
                                                                    : to                 ? to->ours
                                                                                         : std::string());
        if (!port) {
            if (std::find(model->aside.begin(), model->aside.end(), name) == model->aside.end())
                problem(layer.name + " / " + name, "this slot is not known", "It is left out");
            continue;
        }
        scene::Input in = slot(b, i, text_of(i, "type"));
        const float scale = to ? to->scale : 1.f;
        if (scale != 1.f) in.value = scene::as_number(in.value) * scale;
        if (scale != 1.f && !in.from.empty())
            problem(layer.name + " / " + name, "its unit is another one, and it is driven",
                    "Multiply the network by " + std::to_string(scale));
        if (port->type == nodes::Type::number && nodes::components(port->type) == 1 &&
            std::holds_alternative<V3f>(in.value))
            in.value = luminance(std::get<V3f>(in.value));
        layer.surface[port->name] = std::move(in);
    }
    if (model->settle) model->settle(layer, shader);
    b.layers.push_back(std::move(layer));
}

}  // namespace vemtra::exchange
