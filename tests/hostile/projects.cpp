// Projects: numbers beyond all measure, depth and number beyond all use, circles, wrong types, text that is none.
#include <random>

#include "hostile/inputs.h"
#include "nodes/description.h"
#include "scene/project_file.h"
#include "support.h"

namespace vemtra::hostile {
namespace {

using scene::Json;
using scene::Scene;

HostileInput scene_input(const std::string& name, std::function<void(Scene&)> spoil) {
    return {name, [spoil](const fs::path& folder) {
                Scene s = square_project(folder);
                spoil(s);
                return project_calls(save_in(folder, s));
            }};
}
HostileInput json_input(const std::string& name, std::function<void(Json&)> spoil) {
    return {name, [spoil](const fs::path& folder) {
                Json j = as_json(square_project(folder));
                spoil(j);
                return project_calls(save_in(folder, j));
            }};
}
HostileInput text_input(const std::string& name, std::function<std::string(const std::string& good)> spoil) {
    return {name, [spoil](const fs::path& folder) {
                write_bytes(folder / "p.vemtra", spoil(scene::to_text(square_project(folder))));
                return project_calls(folder / "p.vemtra");
            }};
}

std::string repeated(const std::string& text, size_t times) {
    std::string all;
    all.reserve(text.size() * times);
    for (size_t i = 0; i < times; ++i) all += text;
    return all;
}

scene::Node node(const std::string& id, const std::string& kind, const std::string& type) {
    scene::Node n;
    n.id = id;
    n.kind = kind;
    n.type = type;
    return n;
}
scene::Layer& base_of(Scene& s) {
    return s.build_ups[0].layers[0];
}

void chain(Scene& s, int length) {
    for (int i = 0; i < length; ++i) {
        scene::Node n = node("n" + std::to_string(i), "invert", "float");
        if (i) n.inputs["in"].from = "n" + std::to_string(i - 1);
        base_of(s).nodes.push_back(n);
    }
    base_of(s).surface["specular_roughness"].from = "n" + std::to_string(length - 1);
}

/// Build-ups that each show the next one, `times` over.
void nested(Scene& s, int deep, int times) {
    for (int i = 0; i < deep; ++i) {
        scene::BuildUp b = scene::default_build_up("b" + std::to_string(i), "B");
        for (int t = 0; t < times && i + 1 < deep; ++t) {
            const std::string id = scene::add_layer(b, "L");
            scene::find(b.layers, id)->build_up = "b" + std::to_string(i + 1);
            scene::find(b.layers, id)->amount = .5f;
        }
        s.build_ups.push_back(b);
    }
    s.parts[0].build_up = "b0";
}

/// Networks that each hold the next one, `times` over.
void networks(Scene& s, int deep, int times) {
    for (int i = 0; i < deep; ++i) {
        scene::Network n;
        n.id = "w" + std::to_string(i);
        scene::Node sum = node("sum", "add", "float");
        for (int t = 0; t < times; ++t) {
            scene::Node inner = i + 1 < deep ? node("inner" + std::to_string(t), "", "")
                                             : node("inner" + std::to_string(t), "constant", "float");
            if (i + 1 < deep) inner.network = "w" + std::to_string(i + 1);
            inner.inputs[i + 1 < deep ? "x" : "value"].value = float(t);
            n.nodes.push_back(inner);
            sum.inputs["in" + std::to_string(t + 1)].from = inner.id;
        }
        n.nodes.push_back(sum);
        n.inputs.push_back({"x", "float", 0.f, "", {}});
        n.outputs.push_back({"out", "float", {0.f, "sum"}, {}});
        s.networks.push_back(n);
    }
    scene::Node top = node("top", "", "");
    top.network = "w0";
    base_of(s).nodes.push_back(top);
    base_of(s).surface["specular_roughness"].from = "top";
}

void placed_image(Scene& s, std::function<void(scene::Inputs&)> spoil) {
    scene::Node image = node("image", "image", "color3"), placement = node("placement", "placement", "place");
    image.inputs["file"].value = std::string("map.png");
    image.inputs["texcoord"].from = "placement";
    spoil(placement.inputs);
    base_of(s).nodes = {image, placement};
    base_of(s).surface["base_color"].from = "image";
}
HostileInput placement_input(const std::string& name, std::function<void(scene::Inputs&)> spoil) {
    return {name, [spoil](const fs::path& folder) {
                Scene s = square_project(folder);
                fs::copy_file(test::root / "demo" / "maps" / "hardware_BaseColor.1001.png", folder / "map.png");
                placed_image(s, spoil);
                return project_calls(save_in(folder, s));
            }};
}

/// Every number below the key becomes this one.
void all_numbers(Json& j, const Json& number) {
    if (j.is_number()) j = number;
    if (j.is_structured())
        for (auto& item : j) all_numbers(item, number);
}
HostileInput demo_input(const std::string& name, std::function<void(Json&)> spoil) {
    return {name, [spoil](const fs::path& folder) {
                for (const auto& e : fs::directory_iterator(test::root / "demo"))
                    if (e.is_directory() || e.path().extension() == ".glb")
                        fs::create_symlink(e.path(), folder / e.path().filename());
                Json j = Json::parse(*read_file(test::demo_project));
                for (size_t i = 0; i < j["parts"].size(); ++i)  // its masks take seconds; on three parts a moment
                    if (const std::string id = j["parts"][i]["id"]; id != "base" && id != "lens" && id != "gasket")
                        j["parts"].erase(i--);
                spoil(j);
                return project_calls(save_in(folder, j));
            }};
}

/// Every node of the catalogue with every number of its inputs at this value, wired to the roughness.
HostileInput catalogue_input(const std::string& value_name, float value) {
    return scene_input("every node with all its inputs at " + value_name, [value](Scene& s) {
        std::string last;
        for (const nodes::NodeDescription& d : nodes::catalogue()) {
            scene::Node n = node("n-" + std::string(d.kind), d.kind, "");
            for (const nodes::Port& p : d.ports)
                if (!p.text) n.inputs[p.name].value = value;
            scene::Node sum = node("sum-" + std::string(d.kind), "add", "float");
            sum.inputs["in1"].from = n.id;
            sum.inputs["in2"].from = last;
            last = sum.id;
            base_of(s).nodes.push_back(n);
            base_of(s).nodes.push_back(sum);
        }
        base_of(s).surface["specular_roughness"].from = last;
        base_of(s).surface["base_color"].from = last;
    });
}

void add_odd_numbers(std::vector<HostileInput>& all) {
    for (const char* number : {"0", "-1", "1e-38", "0.5", "1e6", "1e12", "3e38", "-3e38", "1e39", "1e308", "-1e308"})
        for (const char* part : {"assets", "parts", "build_ups", "rigs", "cameras", "render", "display"})
            all.push_back(demo_input(std::string("all numbers of ") + part + " are " + number,
                                     [=](Json& j) { all_numbers(j[part], Json::parse(number)); }));
    for (const auto& [name, value] : {std::pair("3e38", 3e38f), {"-3e38", -3e38f}, {"0", 0.f}, {"1e10", 1e10f}})
        all.push_back(catalogue_input(name, value));
    all.push_back(text_input("a number of 1e400", [](std::string t) {
        return t.replace(t.find("\"focal_length\": 50.0"), 20, "\"focal_length\": 1e400");
    }));
    all.push_back(scene_input("a camera beyond all measure", [](Scene& s) { s.cameras[0].position = V3f(3e38f); }));
    all.push_back(scene_input("a camera that looks nowhere",
                              [](Scene& s) { s.cameras[0].target = s.cameras[0].position = V3f(1e20f); }));
    all.push_back(scene_input("a camera straight above", [](Scene& s) { s.cameras[0].position = V3f(0, 1e-5f, 0); }));
    all.push_back(placement_input("seamless tiling with a repeat of 3e38", [](scene::Inputs& in) {
        in["tiling"].value = std::string("seamless");
        in["repeat"].value = V2f(3e38f);
    }));
    all.push_back(placement_input("an offset of 3e38", [](scene::Inputs& in) { in["offset"].value = V2f(3e38f); }));
    all.push_back(placement_input("a shuffled repeat of 1e12", [](scene::Inputs& in) {
        in["repeat"].value = V2f(1e12f);
        in["shuffle_shift"].value = in["shuffle_turn"].value = 1.f;
    }));
    for (int projection = 0; projection < 7; ++projection)
        all.push_back(
            placement_input("projection " + std::to_string(projection) + " of size 0", [projection](scene::Inputs& in) {
                in["projection"].value = float(projection);
                in["size"].value = V2f(0.f);
                in["blend"].value = 0.f;
                in["turned"].value = V3f(1e12f);
            }));
    all.push_back(placement_input("a constant worn place", [](scene::Inputs& in) {
        in["texcoord"].value = V2f(.5f);
        in["texcoord"].worn = V2f(.2f);
        in["texcoord"].worn_shown = true;
    }));
    all.push_back(scene_input("a worn place that nothing drives", [](Scene& s) {
        placed_image(s, [](scene::Inputs&) {});
        base_of(s).nodes[0].inputs["texcoord"].worn = std::string("place");
    }));
}

void add_depth(std::vector<HostileInput>& all) {
    for (const char* open : {"[", "{\"a\":", "[[],", "{\"vemtra\":1,\"x\":{\"y\":"})
        all.push_back(text_input(std::string("JSON nested a million deep by ") + open,
                                 [=](const std::string&) { return repeated(open, 1000000); }));
    all.push_back(text_input("a project with an unknown key nested a million deep", [](std::string t) {
        return t.insert(t.find('{') + 1, "\"later\":" + repeated("[", 1000000) + repeated("]", 1000000) + ",");
    }));
    all.push_back(scene_input("a chain of 12 000 nodes", [](Scene& s) { chain(s, 12000); }));
    all.push_back(scene_input("a chain of 100 000 nodes", [](Scene& s) { chain(s, 100000); }));
    all.push_back(scene_input("nodes in a circle", [](Scene& s) {
        chain(s, 5000);
        base_of(s).nodes[0].inputs["in"].from = "n4999";
    }));
    all.push_back(scene_input("build-ups nested 1000 deep", [](Scene& s) { nested(s, 1000, 1); }));
    all.push_back(scene_input("build-ups nested 30 deep, each twice", [](Scene& s) { nested(s, 30, 2); }));
    all.push_back(scene_input("build-ups nested 5 deep, each 40 times", [](Scene& s) { nested(s, 5, 40); }));
    all.push_back(
        scene_input("5000 build-ups, each nested in the one before it", [](Scene& s) { nested(s, 5000, 1); }));
    all.push_back(scene_input("build-ups in a circle", [](Scene& s) {
        nested(s, 2000, 1);
        const std::string id = scene::add_layer(s.build_ups.back(), "L");
        scene::find(s.build_ups.back().layers, id)->build_up = "b0";
    }));
    all.push_back(scene_input("networks 200 deep", [](Scene& s) { networks(s, 200, 1); }));
    all.push_back(scene_input("networks 30 deep, each holding two of the next", [](Scene& s) { networks(s, 30, 2); }));
    all.push_back(scene_input("a network that holds itself", [](Scene& s) {
        networks(s, 2, 2);
        s.networks[1].nodes[0].kind.clear();
        s.networks[1].nodes[0].network = "w0";
    }));
}

void add_crowds(std::vector<HostileInput>& all) {
    all.push_back(text_input("a million lights", [](std::string t) {
        const size_t at = t.find("\"lights\": [") + 11;
        return t.insert(at, "{}," + repeated("{},", 999998) + "{}");
    }));
    all.push_back(text_input("a million parts", [](std::string t) {
        const size_t at = t.find("\"parts\": [") + 10;
        return t.insert(at, repeated("{},", 1000000));
    }));
    all.push_back(scene_input("20 000 lights, each in a group of its own", [](Scene& s) {
        s.rigs[0].lights.resize(20000);
        for (size_t i = 0; i < 20000; ++i) s.rigs[0].lights[i].group = "g" + std::to_string(i);
    }));
    all.push_back(scene_input("100 000 light groups", [](Scene& s) {
        s.rigs[0].groups.resize(100000);
        for (size_t i = 0; i < 100000; ++i) s.rigs[0].groups[i].name = "g" + std::to_string(i);
    }));
    all.push_back(scene_input("100 000 parts", [](Scene& s) {
        for (int i = 0; i < 100000; ++i) {
            s.parts.push_back(s.parts[0]);
            s.parts.back().placement.position = V3f(float(i % 300), float(i / 300), 0.f);
        }
    }));
    all.push_back(scene_input("20 000 parts of assets that do not exist", [](Scene& s) {
        scene::Part p;
        p.id = p.asset = "nothing";
        s.parts.resize(20000, p);
    }));
    all.push_back(scene_input("20 000 nodes of one id",
                              [](Scene& s) { base_of(s).nodes.resize(20000, node("same", "constant", "float")); }));
    all.push_back(scene_input("20 000 nodes without an id",
                              [](Scene& s) { base_of(s).nodes.resize(20000, node("", "constant", "float")); }));
    all.push_back(scene_input("10 000 layers", [](Scene& s) {
        scene::Layer l = base_of(s);
        l.amount = .5f;
        for (int i = 0; i < 10000; ++i) {
            l.id = "l" + std::to_string(i);
            s.build_ups[0].layers.push_back(l);
        }
    }));
    all.push_back(scene_input("10 000 build-ups", [](Scene& s) {
        for (int i = 0; i < 10000; ++i) s.build_ups.push_back(scene::default_build_up("b" + std::to_string(i), "B"));
    }));
    all.push_back(scene_input("10 000 build-ups with a field each", [](Scene& s) {
        for (int i = 0; i < 10000; ++i) {
            scene::BuildUp b = scene::default_build_up("b" + std::to_string(i), "B");
            b.layers[0].nodes.push_back(node("c", "cavity", "float"));
            b.layers[0].surface["specular_roughness"].from = "c";
            s.build_ups.push_back(b);
        }
    }));
    all.push_back(scene_input("10 000 maps that do not exist", [](Scene& s) {
        for (int i = 0; i < 10000; ++i) {
            scene::Node n = node("i" + std::to_string(i), "image", "float"),
                        sum = node("s" + std::to_string(i), "add", "float");
            n.inputs["file"].value = "none-" + std::to_string(i) + ".png";
            sum.inputs["in1"].from = n.id;
            if (i) sum.inputs["in2"].from = "s" + std::to_string(i - 1);
            base_of(s).nodes.push_back(n);
            base_of(s).nodes.push_back(sum);
        }
        base_of(s).surface["specular_roughness"].from = "s9999";
    }));
    all.push_back(scene_input("2000 assets of one file", [](Scene& s) {
        for (int i = 0; i < 2000; ++i) {
            s.assets.push_back(s.assets[0]);
            s.assets.back().id = "a" + std::to_string(i);
            s.parts.push_back(s.parts[0]);
            s.parts.back().id = "p" + std::to_string(i);
            s.parts.back().asset = s.assets.back().id;
        }
    }));
    all.push_back(scene_input("10 000 cameras and rigs", [](Scene& s) {
        s.cameras.resize(10000, s.cameras[0]);
        s.rigs.resize(10000, s.rigs[0]);
    }));
    all.push_back(scene_input("a net in front of wax", [](Scene& s) {
        scene::Layer& wax = base_of(s);
        wax.surface["subsurface_weight"].value = 1.f;
        wax.surface["subsurface_radius"].value = .5f;
        s.build_ups.push_back(s.build_ups[0]);
        s.build_ups[1].id = "net";
        scene::Layer& net = s.build_ups[1].layers[0];
        net.surface["subsurface_weight"].value = 0.f;
        scene::Node noise = node("holes", "noise3d", "float");
        noise.inputs["amplitude"].value = 100.f;
        net.nodes.push_back(noise);
        net.surface["geometry_opacity"].from = "holes";
        for (int i = 0; i < 40; ++i) {
            scene::Part p = s.parts[0];
            p.id = "net" + std::to_string(i);
            p.build_up = "net";
            p.placement.position = V3f(0, 0, .01f * float(i + 1));
            s.parts.push_back(p);
        }
    }));
}

/// The value that is met as the n-th from here becomes another one.
void replace(Json& j, const Json& by, int& n) {
    for (auto& item : j) {
        if (n-- == 0) {
            item = by;
            return;
        }
        if (item.is_structured()) replace(item, by, n);
        if (n < 0) return;
    }
}

void add_wrong_types(std::vector<HostileInput>& all) {
    for (const char* by : {"null", "\"word\"", "[]", "{}", "true", "[[[1]]]", "{\"from\":7}", "18446744073709551615"})
        all.push_back(demo_input(std::string("values replaced by ") + by, [=](Json& j) {
            std::mt19937 random(7);
            for (int i = 0; i < 60; ++i) {
                int n = int(random() % 900);
                replace(j, Json::parse(by), n);
            }
        }));
    for (const char* key : {"assets", "parts", "build_ups", "networks", "rigs", "cameras", "render", "display", "rig",
                            "kept_values", "search_folders", "vemtra", "name"})
        for (const char* by : {"null", "7", "[7,null,[]]", "{\"id\":{}}", "-9223372036854775808"})
            all.push_back(
                json_input(std::string("\"") + key + "\" is " + by, [=](Json& j) { j[key] = Json::parse(by); }));
    all.push_back(json_input("a project of nothing", [](Json& j) { j = Json{{"vemtra", 1}}; }));
}

void add_text(std::vector<HostileInput>& all) {
    all.push_back(text_input("an empty project", [](const std::string&) { return ""; }));
    all.push_back(text_input("a project of zeros", [](const std::string&) { return std::string(1 << 20, '\0'); }));
    all.push_back(text_input("a project that is a picture", [](const std::string&) {
        return *read_file(test::root / "demo" / "maps" / "hardware_BaseColor.1001.png");
    }));
    for (const double part : {.1, .5, .9, .999})
        all.push_back(text_input("a project cut off at " + std::to_string(part),
                                 [=](const std::string& t) { return t.substr(0, size_t(double(t.size()) * part)); }));
    all.push_back(text_input("keys that stand twice", [](std::string t) {
        return t.insert(t.find('{') + 1,
                        "\"vemtra\":1,\"cameras\":7,\"parts\":[{}],\"parts\":[{\"id\":\"a\",\"id\":\"b\"}],");
    }));
    all.push_back(text_input("text that is no UTF-8", [](std::string t) {
        return t.replace(t.find("Untitled"), 8, "\xff\xfe\xc0\x80\xed\xa0");
    }));
    all.push_back(json_input("control characters in names", [](Json& j) {
        const std::string odd("\x01\x1b[31m\n\r\t\x7f/../\0x", 15);
        j["name"] = odd;
        j["parts"][0]["name"] = j["build_ups"][0]["name"] = j["build_ups"][0]["layers"][0]["name"] = odd;
        j["rigs"][0]["environment"]["group"] = j["cameras"][0]["id"] = odd;
        j["assets"][0]["file"] = odd;
    }));
    all.push_back(
        json_input("a name of ten megabytes", [](Json& j) { j["parts"][0]["name"] = std::string(10000000, 'x'); }));
    all.push_back(
        json_input("a path of ten megabytes", [](Json& j) { j["assets"][0]["file"] = std::string(10000000, 'x'); }));
    all.push_back(json_input("a path with a null in it",
                             [](Json& j) { j["assets"][0]["file"] = std::string("square.obj\0.png", 15); }));
}

}  // namespace

std::vector<HostileInput> hostile_projects() {
    std::vector<HostileInput> all;
    add_odd_numbers(all);
    add_depth(all);
    add_crowds(all);
    add_wrong_types(all);
    add_text(all);
    return all;
}

}  // namespace vemtra::hostile
