#include <map>
#include <pugixml.hpp>
#include <set>
#include <sstream>

#include "base/folders.h"
#include "exchange/collect.h"
#include "exchange/standard/document.h"
#include "exchange/standard/graph_writer.h"
#include "exchange/standard/values.h"
#include "nodes/as_computed.h"
#include "texture/paint_files.h"

namespace vemtra::exchange {
namespace {

/// Slots that OpenPBR Surface 1.1 has; ours beyond it cannot be said.
bool is_standard_slot(const std::string& name) {
    static const char* const families[] = {"base_",
                                           "specular_",
                                           "transmission_",
                                           "subsurface_",
                                           "coat_",
                                           "fuzz_",
                                           "thin_film_",
                                           "emission_luminance",
                                           "emission_color",
                                           "geometry_opacity",
                                           "geometry_thin_walled",
                                           "geometry_normal",
                                           "geometry_tangent",
                                           "geometry_coat_normal",
                                           "geometry_coat_tangent"};
    for (const char* family : families)
        if (name.rfind(family, 0) == 0) return true;
    return false;
}
bool differs(const scene::Input& input, const nodes::Port& port) {
    return !input.from.empty() || nodes::literal(input.shown(), port.type) != nodes::literal(port.value, port.type);
}

class Writer {
public:
    explicit Writer(const scene::Scene& scene) : scene_(scene) {
        root_ = xml_.append_child("materialx");
        root_.append_attribute("version") = "1.39";
        root_.append_attribute("colorspace") = "lin_rec709";
    }
    WrittenDocument write() {
        for (const scene::Network& n : scene_.networks)
            if (used(n)) write_network(n);
        std::map<std::string, std::vector<std::string>> worn;
        for (const scene::Part& p : scene_.parts) worn[p.build_up].push_back(p.name);
        bool any = false;
        for (const scene::BuildUp& b : scene_.build_ups) any |= worn.contains(b.id);
        for (const scene::BuildUp& b : scene_.build_ups)
            if (!any || worn.contains(b.id)) write_material(b, worn[b.id]);
        std::ostringstream text;
        xml_.save(text, "  ");
        return {text.str(), std::move(problems_)};
    }

private:
    void problem(const std::string& place, const std::string& why, const std::string& remedy) {
        const Error e{"The standard cannot say this", "", place, why, remedy};
        if (told_.insert(place + why).second) problems_.push_back(e);
    }
    bool used(const scene::Network& network) const {
        for (const scene::BuildUp& b : scene_.build_ups) {
            bool here = false;
            scene::for_each_node(b,
                                 [&](const scene::Node& n, const scene::Layer*) { here |= n.network == network.id; });
            if (here) return true;
        }
        for (const scene::Network& other : scene_.networks)
            for (const scene::Node& n : other.nodes)
                if (n.network == network.id && other.id != network.id) return true;
        return false;
    }
    GraphWriter graph(pugi::xml_node into, const std::string& place) {
        return GraphWriter(scene_, into, place, [this](auto&... said) { problem(said...); });
    }

    /// A network as a node that the document defines.
    void write_network(const scene::Network& n) {
        const std::string kind = names_.take(n.id);
        pugi::xml_node definition = root_.append_child("nodedef");
        definition.append_attribute("name") = ("ND_" + kind).c_str();
        definition.append_attribute("node") = kind.c_str();
        if (!n.help.empty()) definition.append_attribute("doc") = n.help.c_str();
        own_kinds_[n.id] = kind;
        const auto file_inputs = nodes::file_inputs(scene_.networks);
        for (const scene::NetworkInput& i : n.inputs) {
            nodes::Type type = nodes::Type::number;
            nodes::type_from_name(i.type, type);
            pugi::xml_node e = definition.append_child("input");
            e.append_attribute("name") = i.name.c_str();
            const auto paths = file_inputs.find(n.id);
            const bool path = paths != file_inputs.end() && paths->second.contains(i.name);
            e.append_attribute("type") = path ? "filename" : nodes::type_name(type);
            e.append_attribute("value") = standard_text(i.value, type).c_str();
        }
        for (const scene::NetworkOutput& o : n.outputs) {
            pugi::xml_node e = definition.append_child("output");
            e.append_attribute("name") = o.name.c_str();
            e.append_attribute("type") = o.type.c_str();
        }
        pugi::xml_node e = root_.append_child("nodegraph");
        e.append_attribute("name") = ("NG_" + kind).c_str();
        e.append_attribute("nodedef") = ("ND_" + kind).c_str();
        GraphWriter writer = graph(e, n.name);
        writer.inside(n, own_kinds_);
        for (const scene::NetworkOutput& o : n.outputs) {
            nodes::Type type = nodes::Type::color;
            nodes::type_from_name(o.type, type);
            writer.output(o.name, type, o.input);
        }
    }

    void write_material(const scene::BuildUp& b, const std::vector<std::string>& parts) {
        const std::string shader = shader_of(b);
        if (shader.empty()) return;
        pugi::xml_node m = root_.append_child("surfacematerial");
        const std::string name = names_.take(b.name);
        m.append_attribute("name") = name.c_str();
        m.append_attribute("type") = "material";
        reference(m, "surfaceshader", "surfaceshader", shader);
        if (parts.empty()) return;
        if (!look_) {
            look_ = root_.append_child("look");
            look_.append_attribute("name") = names_.take("look").c_str();
        }
        std::string geometry;
        for (const std::string& p : parts) geometry += (geometry.empty() ? "/" : ", /") + clean_name(p);
        pugi::xml_node assigned = look_.append_child("materialassign");
        assigned.append_attribute("name") = names_.take(b.name + "_on").c_str();
        assigned.append_attribute("material") = name.c_str();
        assigned.append_attribute("geom") = geometry.c_str();
    }

    static void reference(pugi::xml_node to, const char* input, const char* type, const std::string& node) {
        pugi::xml_node e = to.append_child("input");
        e.append_attribute("name") = input;
        e.append_attribute("type") = type;
        e.append_attribute("nodename") = node.c_str();
    }

    /// The shader of the whole build-up, written once; empty where nothing of it shows, it shows itself, or it lies too
    /// deep in others.
    std::string shader_of(const scene::BuildUp& b, int depth = 0) {
        if (depth > deepest) {
            problem(b.name, "it lies deeper than " + std::to_string(deepest) + " build-ups in others",
                    "It is left out");
            return {};
        }
        if (!shaders_.try_emplace(&b).second) return shaders_[&b];
        std::string shader = write_shader(b, depth);
        return shaders_[&b] = std::move(shader);
    }
    std::string write_shader(const scene::BuildUp& b, int depth) {
        std::string below;
        std::vector<pugi::xml_node> under;  // the surfaces that a coat would lie on
        for (const scene::Layer& layer : b.layers) {
            if (!layer.on) {
                problem(b.name + " / " + layer.name, "the layer is switched off", "It is left out");
                continue;
            }
            LayerGraph g(*this, b, layer);
            if (!scene::traits(layer.kind).hides) {
                if (under.empty())
                    problem(b.name + " / " + layer.name, "a coat lies on layers of another build-up", "It is left out");
                for (pugi::xml_node& s : under) add_coat(g, s, b.name + " / " + layer.name);
                continue;
            }
            std::string shader;
            const scene::BuildUp* inner = scene::find(scene_.build_ups, layer.build_up);
            if (inner) {
                shader = shader_of(*inner, depth + 1);
            } else {
                pugi::xml_node e = root_.append_child("open_pbr_surface");
                shader = names_.take(layer.name);
                e.append_attribute("name") = shader.c_str();
                e.append_attribute("type") = "surfaceshader";
                add_slots(g, e);
                under.push_back(e);
            }
            if (shader.empty()) continue;
            if (below.empty()) {
                below = shader;
                continue;
            }
            pugi::xml_node mix = root_.append_child("mix");
            const std::string name = names_.take(layer.name + "_over");
            mix.append_attribute("name") = name.c_str();
            mix.append_attribute("type") = "surfaceshader";
            reference(mix, "fg", "surfaceshader", shader);
            reference(mix, "bg", "surfaceshader", below);
            g.coverage(mix, "mix");
            below = name;
        }
        return below;
    }

    /// The nodegraph of a layer, made when it is first needed; what it says stands before what reads it.
    class LayerGraph {
    public:
        LayerGraph(Writer& writer, const scene::BuildUp& b, const scene::Layer& layer)
            : writer_(writer), b_(b), layer_(layer) {}
        void input(pugi::xml_node to, const std::string& name, nodes::Type type, const scene::Input& value) {
            pugi::xml_node e = to.append_child("input");
            e.append_attribute("name") = name.c_str();
            e.append_attribute("type") = nodes::type_name(type);
            if (value.from.empty()) {
                e.append_attribute("value") = standard_text(value.shown(), type).c_str();
                return;
            }
            connect(e, name);
            if (outputs_.insert(name).second) graph().output(name, type, value);
        }
        void coverage(pugi::xml_node to, const std::string& name) {
            pugi::xml_node e = to.append_child("input");
            e.append_attribute("name") = name.c_str();
            e.append_attribute("type") = "float";
            const scene::Input& mask = layer_.gate.mask;
            if (mask.from.empty()) {
                const float open = clamp01(scene::as_number(mask.shown()));
                e.append_attribute("value") =
                    standard_text(layer_.amount * (1.f + layer_.gate.amount * (open - 1.f)), nodes::Type::number)
                        .c_str();
                return;
            }
            connect(e, "coverage");
            if (outputs_.insert("coverage").second)
                graph().coverage("coverage", mask, layer_.gate.amount, layer_.amount);
        }

        const scene::Layer& layer() const { return layer_; }

    private:
        void connect(pugi::xml_node e, const std::string& output) {
            graph();
            e.append_attribute("nodegraph") = name_.c_str();
            e.append_attribute("output") = output.c_str();
        }
        GraphWriter& graph() {
            if (graph_) return *graph_;
            name_ = writer_.names_.take("NG_" + layer_.name);
            pugi::xml_node e = writer_.root_.append_child("nodegraph");
            e.append_attribute("name") = name_.c_str();
            graph_.emplace(writer_.graph(e, b_.name + " / " + layer_.name));
            graph_->inside(b_, writer_.own_kinds_);
            return *graph_;
        }
        Writer& writer_;
        const scene::BuildUp& b_;
        const scene::Layer& layer_;
        std::string name_;
        std::set<std::string> outputs_;
        std::optional<GraphWriter> graph_;
    };

    void add_slots(LayerGraph& g, pugi::xml_node shader) {
        for (const nodes::Port& port : nodes::surface_description().ports) {
            const auto at = g.layer().surface.find(port.name);
            if (at == g.layer().surface.end() || !differs(at->second, port)) continue;
            if (!is_standard_slot(port.name)) {
                problem(g.layer().name + " / " + port.name, "OpenPBR Surface has no such slot", "It is left out");
                continue;
            }
            const bool truth = port.choices.size() == 2 && port.whole;
            g.input(shader, port.name, truth ? nodes::Type::boolean : port.type, at->second);
        }
    }
    /// What the layer's own coat says becomes that of the surface under it.
    void add_coat(LayerGraph& g, pugi::xml_node shader, const std::string& place) {
        for (const auto& i : shader.children("input"))
            if (std::string(i.attribute("name").value()) == "coat_weight")
                return problem(place, "'" + std::string(shader.attribute("name").value()) + "' has a coat already",
                               "Only the lowest coat is written");
        g.coverage(shader, "coat_weight");
        for (const nodes::Port& port : nodes::coat_description().ports) {
            const auto at = g.layer().surface.find(port.name);
            if (port.name == "coat_weight" || at == g.layer().surface.end() || !differs(at->second, port)) continue;
            if (!nodes::surface_description().port(port.name) || !is_standard_slot(port.name)) {
                problem(place + " / " + port.name, "OpenPBR Surface has no such slot", "It is left out");
                continue;
            }
            g.input(shader, port.name, port.type, at->second);
        }
    }
    const scene::Scene& scene_;
    pugi::xml_document xml_;
    static constexpr int deepest = 256;  // of build-ups within one another; pictures show far fewer
    pugi::xml_node root_;
    pugi::xml_node look_;
    FreshNames names_;
    std::map<const scene::BuildUp*, std::string> shaders_;  ///< written, or being written
    std::map<std::string, std::string> own_kinds_;          ///< by the network's id
    std::vector<Error> problems_;
    std::set<std::string> told_;
};

}  // namespace

WrittenDocument write_standard_document(const scene::Scene& scene) {
    scene::Scene at_length = scene;  // lists as the chains that they are, bypassed nodes as what they pass on
    for (scene::BuildUp& b : at_length.build_ups) b = nodes::as_computed(std::move(b));
    for (scene::Network& n : at_length.networks) n = nodes::as_computed(std::move(n));
    return Writer(at_length).write();
}

namespace {

/// Which paintings the written networks read.
std::set<std::string> paintings_read(const scene::Scene& s) {
    std::set<std::string> ids;
    auto look = [&ids](const scene::Node& n) {
        if (nodes::has_use(n, nodes::Use::painting)) ids.insert(nodes::word_of(n, nodes::Role::painting));
    };
    for (const scene::BuildUp& b : s.build_ups)
        scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer*) { look(n); });
    for (const scene::Network& network : s.networks)
        for (const scene::Node& n : network.nodes) look(n);
    return ids;
}

/// Writes what is painted over UVs beside the document and names it in the scene.
Status write_paintings(scene::Scene& s, const fs::path& document, std::vector<Error>& problems, Progress* progress) {
    const std::set<std::string> read = paintings_read(s);
    const fs::path folder = document.parent_path() / (document.stem().string() + "_paint");
    size_t sheets = 0;
    for (const scene::Painting& p : s.paintings)
        if (!p.on_form() && read.contains(p.id)) sheets += p.sheets.size();
    FreshNames names;
    size_t done = 0;
    for (scene::Painting& p : s.paintings) {
        if (p.on_form() || !read.contains(p.id)) continue;
        const fs::path pattern = folder / (names.take(p.name.empty() ? p.id : p.name) + ".<UDIM>.exr");
        for (const scene::Sheet& sheet : p.sheets) {
            if (!sheet.texels) {
                problems.push_back({"Something painted is not handed over",
                                    texture::sheet_file(p.file, sheet.tile).string(), p.name,
                                    "its file could not be read", "Find the file, or paint it again"});
                continue;
            }
            if (stopped(progress)) return Error{"Nothing was handed over", document.string(), "", "it was stopped", ""};
            if (Status made = make_folder(folder); !made) return made;
            for (const texture::SheetPart part : {texture::SheetPart::values, texture::SheetPart::coverage}) {
                const bool values = part == texture::SheetPart::values;
                const fs::path of_part = values ? pattern : fs::path(coverage_file(pattern.string()));
                if (Status written =
                        texture::write_sheet(texture::sheet_file(of_part, sheet.tile), *sheet.texels, nullptr, part);
                    !written)
                    return written;
            }
            report(progress, float(++done) / float(sheets));
        }
        p.file = path_from(document.parent_path(), pattern);
    }
    return Done{};
}

}  // namespace

Result<std::vector<Error>> write_standard_file(scene::Scene scene, const fs::path& project, const fs::path& file,
                                               Progress* progress) {
    const fs::path from = absolute_path(project).parent_path();
    const fs::path to = absolute_path(file).parent_path();
    for_each_file(scene, [&](const std::string&, std::string& path, const char*) {
        path = path_from(to, fs::path(path).is_absolute() ? fs::path(path) : from / path);
    });
    std::vector<Error> lost;
    if (Status s = write_paintings(scene, absolute_path(file), lost, progress); !s) return s.error();
    WrittenDocument written = write_standard_document(scene);
    written.problems.insert(written.problems.end(), lost.begin(), lost.end());
    if (Status s = write_file_atomically(file, written.text); !s) return s.error();
    return std::move(written.problems);
}

}  // namespace vemtra::exchange
