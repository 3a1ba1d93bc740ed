#include <pugixml.hpp>
#include <set>
#include <unordered_map>
#include <unordered_set>

#include "exchange/standard/document.h"
#include "exchange/standard/graph_reader.h"
#include "exchange/standard/surfaces.h"
#include "exchange/standard/values.h"
#include "scene/edits.h"

namespace vemtra::exchange {
namespace {

constexpr uintmax_t most_bytes = uintmax_t(256) << 20;

/// Elements that say how things are meant, and make no node.
bool is_definition(const std::string& element) {
    static const std::unordered_set<std::string> names{
        "nodegraph",   "nodedef",  "implementation", "output",         "typedef",    "unitdef",
        "unittypedef", "look",     "lookgroup",      "input",          "collection", "geominfo",
        "propertyset", "property", "variantset",     "variant",        "targetdef",  "attributedef",
        "geompropdef", "backdrop", "token",          "materialassign", "visibility"};
    return names.contains(element);
}
bool is_shader(const pugi::xml_node& e) {
    const std::string type = e.attribute("type").value();
    return type == "surfaceshader" || type == "displacementshader" || type == "volumeshader" || type == "lightshader" ||
           type == "material";
}

class DocumentReader {
public:
    explicit DocumentReader(std::string name) : name_(std::move(name)) {}

    Result<StandardDocument> read(const std::string& text) {
        pugi::xml_document xml;
        const auto parsed = xml.load_buffer(text.data(), text.size());
        if (!parsed)
            return Error{"The document could not be read", name_, line_of(text, size_t(parsed.offset)),
                         parsed.description(), "Export it again, or mend it in a text editor"};
        const pugi::xml_node root = xml.child("materialx");
        if (!root)
            return Error{"The document could not be read", name_, "", "it is no MaterialX document",
                         "Choose a file whose outermost element is <materialx>"};
        if (const double version = root.attribute("version").as_double(1.39); version < 1.38)
            problem("", std::string("it is of version ") + root.attribute("version").value(),
                    "Older documents mean some nodes otherwise: compare the picture");
        find_definitions(root);
        for (const auto& graph : root.children("nodegraph")) read_graph(graph);
        read_loose(root);
        SurfaceReader(root, out_).read();
        return std::move(out_);
    }

private:
    static std::string line_of(const std::string& text, size_t offset) {
        const auto end = text.begin() + long(std::min(offset, text.size()));
        return "line " + std::to_string(1 + std::count(text.begin(), end, '\n'));
    }
    void problem(const std::string& place, const std::string& why, const std::string& remedy) {
        out_.problems.push_back({"Part of the document is taken otherwise", name_, place, why, remedy});
    }

    /// Nodes that the document defines itself: by name and type of the output.
    void find_definitions(const pugi::xml_node& root) {
        std::unordered_map<std::string, pugi::xml_node> by_definition;
        for (const auto& graph : root.children("nodegraph"))
            if (graph.attribute("nodedef")) by_definition.emplace(graph.attribute("nodedef").value(), graph);
        std::unordered_map<std::string, pugi::xml_node> by_name;
        for (const auto& graph : root.children("nodegraph")) by_name.emplace(graph.attribute("name").value(), graph);
        for (const auto& i : root.children("implementation"))
            if (const auto at = by_name.find(i.attribute("nodegraph").value()); at != by_name.end())
                by_definition.emplace(i.attribute("nodedef").value(), at->second);
        for (const auto& d : root.children("nodedef")) {
            const auto at = by_definition.find(d.attribute("name").value());
            if (at == by_definition.end()) continue;
            const std::string graph = at->second.attribute("name").value();
            definitions_.emplace(graph, d);
            for (const auto& o : d.children("output"))
                own_.kinds.emplace(OwnKinds::key(d.attribute("node").value(), o.attribute("type").value()), graph);
        }
    }

    void read_graph(const pugi::xml_node& graph) {
        scene::Network network;
        network.id = network.name = graph.attribute("name").value();
        if (network.id.empty() || !names_.insert(network.id).second)
            return problem(network.id, network.id.empty() ? "a nodegraph has no name" : "two nodegraphs have this name",
                           "The second one is left out");
        GraphReader reader(own_, name_, network, out_.problems);
        if (const auto d = definitions_.find(network.id); d != definitions_.end()) reader.inputs_of(d->second);
        reader.inputs_of(graph);
        for (const auto& e : graph.children())
            if (e.type() == pugi::node_element && !is_definition(e.name())) reader.add(e);
        for (const auto& o : graph.children("output")) reader.output(o);
        for (const auto& i : graph.children("input"))
            if (const scene::Input given = reader.outer_input(i); !given.from.empty())
                out_.given[network.id][i.attribute("name").value()] = given;
        out_.networks.push_back(std::move(network));
    }

    /// What stands outside of any nodegraph.
    void read_loose(const pugi::xml_node& root) {
        scene::Network network;
        network.id = network.name = StandardDocument::loose;
        GraphReader reader(own_, name_, network, out_.problems);
        for (const auto& e : root.children())
            if (e.type() == pugi::node_element && !is_definition(e.name()) && !is_shader(e)) reader.add(e);
        std::set<std::string> outputs;
        for (const auto& o : root.children("output"))
            if (outputs.insert(o.attribute("name").value()).second) reader.output(o);
        for (const auto& e : root.children())
            if (e.type() == pugi::node_element && !is_definition(e.name()) && !is_shader(e) &&
                outputs.insert(e.attribute("name").value()).second)
                reader.output_of(e);
        for (auto& [input, given] : reader.graphs_read()) {
            network.inputs.push_back(given.port);
            out_.given[network.id][input] = given.from;
        }
        if (!network.nodes.empty() || !network.outputs.empty()) out_.networks.push_back(std::move(network));
    }

    std::string name_;
    StandardDocument out_;
    OwnKinds own_;
    std::unordered_map<std::string, pugi::xml_node> definitions_;  ///< by the graph that makes them
    std::unordered_set<std::string> names_;
};

}  // namespace

Result<StandardDocument> parse_standard_document(const std::string& text, const std::string& name) {
    return DocumentReader(name).read(text);
}

Result<StandardDocument> read_standard_document(const fs::path& file) {
    const auto text = read_file(file, most_bytes);
    if (!text) return text.error();
    return parse_standard_document(*text, file.string());
}

scene::BuildUp instances_of(const StandardDocument& document, const std::string& network) {
    scene::BuildUp b;
    b.id = b.name = network;
    std::vector<std::string> open{network};
    std::unordered_set<std::string> seen{network};
    while (!open.empty()) {
        scene::Node n;
        n.id = n.name = n.network = open.back();
        open.pop_back();
        if (const auto given = document.given.find(n.id); given != document.given.end()) n.inputs = given->second;
        for (const std::string& from : scene::sources(n.inputs))
            if (seen.insert(from).second) open.push_back(from);
        b.commons.push_back(std::move(n));
    }
    return b;
}

std::vector<std::string> take_in(StandardDocument document, scene::Scene& scene, const fs::path& document_file,
                                 const fs::path& project) {
    scene::FreshIds networks(scene::ids_of(scene.networks));
    scene::FreshIds build_ups(scene::ids_of(scene.build_ups));
    std::unordered_map<std::string, std::string> renamed;
    for (const scene::Network& n : document.networks) renamed[n.id] = networks.take(scene::stem_of(n.id));
    const auto inputs = nodes::file_inputs(document.networks);
    auto move = [&](std::string& path) {
        if (fs::path(path).is_relative()) path = path_from(project.parent_path(), document_file.parent_path() / path);
    };
    auto follow = [&](scene::Node& n) {
        nodes::for_each_file_of(n, inputs, move);
        if (const auto to = renamed.find(n.network); to != renamed.end()) n.network = to->second;
    };
    for (scene::Network& n : document.networks) {
        if (const auto own = inputs.find(n.id); own != inputs.end())
            for (scene::NetworkInput& i : n.inputs)
                if (auto* path = std::get_if<std::string>(&i.value);
                    path && !path->empty() && own->second.contains(i.name))
                    move(*path);
        n.id = renamed[n.id];
        for (scene::Node& node : n.nodes) follow(node);
        scene.networks.push_back(std::move(n));
    }
    std::vector<std::string> ids;
    std::unordered_map<std::string, std::string> shown_as;
    for (const scene::BuildUp& b : document.build_ups) shown_as[b.id] = build_ups.take(scene::stem_of(b.name));
    for (scene::BuildUp& b : document.build_ups) {
        b.id = shown_as[b.id];
        for (scene::Layer& l : b.layers)
            if (const auto to = shown_as.find(l.build_up); to != shown_as.end()) l.build_up = to->second;
        scene::for_each_node(b, [&](scene::Node& n, scene::Layer*) { follow(n); });
        ids.push_back(b.id);
        scene.build_ups.push_back(std::move(b));
    }
    return ids;
}

}  // namespace vemtra::exchange
