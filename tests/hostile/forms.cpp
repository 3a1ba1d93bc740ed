// What projects ask of forms: heights without measure, lists of names without end, crowds of parts in one place.
#include "hostile/inputs.h"
#include "nodes/slot_names.h"
#include "scene/relief_slots.h"
#include "support.h"

namespace vemtra::hostile {
namespace {

using scene::Scene;
namespace slot = scene::slot;

HostileInput form_input(const std::string& name, std::function<void(Scene&)> spoil) {
    return {name, [spoil](const fs::path& folder) {
                Scene s = square_project(folder);
                spoil(s);
                return project_calls(save_in(folder, s));
            }};
}
scene::Inputs& surface_of(Scene& s) {
    return s.build_ups[0].layers[0].surface;
}
/// A node of the base layer that drives the roughness.
scene::Node& driver(Scene& s, const char* kind) {
    scene::Node n;
    n.id = "driver";
    n.kind = kind;
    n.type = "float";
    s.build_ups[0].layers[0].nodes.push_back(n);
    surface_of(s)["specular_roughness"].from = "driver";
    return s.build_ups[0].layers[0].nodes.back();
}
/// Noise of so large an amplitude as the height, in metres.
void heights(Scene& s, float amplitude) {
    scene::Node n;
    n.id = "waves";
    n.kind = "noise3d";
    n.type = "float";
    n.inputs["amplitude"].value = amplitude;
    s.build_ups[0].layers[0].nodes.push_back(n);
    surface_of(s)[slot::height].from = "waves";
    surface_of(s)[slot::height_scale].value = 1.f;
}
void copies(Scene& s, int count, float apart) {
    for (int i = 0; i < count; ++i) {
        s.parts.push_back(s.parts[0]);
        s.parts.back().id = "copy" + std::to_string(i);
        s.parts.back().name = "Copy " + std::string(size_t(i % 60), 'a');
        s.parts.back().placement.position = V3f(0.f, 0.f, apart * float(i));
    }
}

void add_heights(std::vector<HostileInput>& all) {
    for (const float amplitude : {0.f, 1e-30f, 1.f, 1e6f, 3e38f, -3e38f})
        all.push_back(form_input("heights of noise times " + std::to_string(amplitude),
                                 [=](Scene& s) { heights(s, amplitude); }));
    for (const char* name : scene::relief_slots)
        for (const float value : {-1.f, 0.f, 1e12f, 3e38f})
            all.push_back(
                form_input("heights whose " + std::string(name) + " is " + std::to_string(value), [=](Scene& s) {
                    heights(s, .05f);
                    surface_of(s)[name].value = value;
                }));
    for (const float pixels : {0.f, 1e-20f, 1e20f})
        all.push_back(form_input("heights finer than any picture: " + std::to_string(pixels), [=](Scene& s) {
            heights(s, .05f);
            s.render.relief_pixels = pixels;
            s.render.relief_points = 2000000000;
        }));
    all.push_back(form_input("heights that follow from their own form", [](Scene& s) {
        scene::Node& n = driver(s, "cavity");
        n.inputs["reach"].value = 1.f;
        surface_of(s)[slot::height].from = n.id;
    }));
    all.push_back(form_input("heights of 2000 parts, each its own", [](Scene& s) {
        heights(s, .01f);
        s.render.relief_points = 1;
        for (int i = 0; i < 2000; ++i) {
            s.build_ups.push_back(s.build_ups[0]);
            s.build_ups.back().id = "b" + std::to_string(i);
            s.build_ups.back().layers[0].surface[slot::height_scale].value = .001f * float(i);
        }
        copies(s, 2000, .1f);
        for (int i = 0; i < 2000; ++i) s.parts[size_t(i) + 1].build_up = "b" + std::to_string(i);
    }));
}

void add_names(std::vector<HostileInput>& all) {
    const auto with_list = [](const char* kind, const char* port, const std::string& list) {
        return [=](Scene& s) {
            driver(s, kind).inputs[port].value = list;
            s.build_ups.push_back(scene::default_build_up("plain", "Plain"));  // one part computes, all are tried
            copies(s, 20000, .01f);
            for (size_t i = 1; i < s.parts.size(); ++i) s.parts[i].build_up = "plain";
        };
    };
    std::string stars, many;
    for (int i = 0; i < 30; ++i)
        stars += "*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*b" + std::string(size_t(i), '*') + ";";
    for (int i = 0; i < 200000; ++i) many += "Copy *;";
    for (const auto& [kind, port] : {std::pair("cavity", "without"), {"nearby", "parts"}}) {
        const std::string of = std::string(" in a list of ") + kind;
        all.push_back(form_input("patterns that try everything" + of, with_list(kind, port, stars)));
        all.push_back(form_input("200 000 names" + of, with_list(kind, port, many)));
        all.push_back(form_input("a name of ten megabytes" + of, with_list(kind, port, std::string(10000000, '*'))));
        all.push_back(form_input("separators alone" + of, with_list(kind, port, std::string(1000000, ';'))));
        all.push_back(form_input("odd letters" + of, with_list(kind, port, std::string("\xff\x01;\0;*\x80*", 9))));
    }
}

void add_crowded_places(std::vector<HostileInput>& all) {
    for (const char* kind : {"cavity", "nearby", "streak", "settle", "curvature", "thickness"})
        all.push_back(form_input(std::string("300 copies in one place under ") + kind, [=](Scene& s) {
            driver(s, kind).inputs["reach"].value = .5f;  // a short one asks for samples over all their square metres
            copies(s, 300, 0.f);
        }));
    all.push_back(form_input("300 copies in one place with a lip", [](Scene& s) {
        const std::string id = scene::add_layer(s.build_ups[0], "Paint");
        scene::Layer& l = *scene::find(s.build_ups[0].layers, id);
        l.amount = .5f;
        l.surface[slot::height_thickness].value = .01f;
        copies(s, 300, 0.f);
    }));
}

}  // namespace

std::vector<HostileInput> hostile_forms() {
    std::vector<HostileInput> all;
    add_heights(all);
    add_names(all);
    add_crowded_places(all);
    return all;
}

}  // namespace vemtra::hostile
