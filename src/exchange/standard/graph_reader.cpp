#include "exchange/standard/graph_reader.h"

#include "exchange/standard/values.h"
#include "scene/edits.h"
#include "texture/colour.h"

namespace vemtra::exchange {
namespace {

/// The attribute of the element or of the nearest one around it that has it.
std::string inherited(pugi::xml_node e, const char* attribute) {
    for (; e; e = e.parent())
        if (const auto a = e.attribute(attribute)) return a.value();
    return {};
}
/// What stands before every path in the element: the prefixes around it, the outermost first.
std::string prefix_of(pugi::xml_node e) {
    std::string prefix;
    for (; e; e = e.parent()) prefix = text_of(e, "fileprefix") + prefix;
    return prefix;
}
/// Which component an output of separate2, separate3 or separate4 is; -1: none.
int component_named(const std::string& output) {
    if (output.size() != 4 || output.rfind("out", 0) != 0) return -1;
    const size_t vector = std::string("xyzw").find(output[3]);
    const size_t colour = std::string("rgba").find(output[3]);
    return vector != std::string::npos ? int(vector) : colour != std::string::npos ? int(colour) : -1;
}
/// Inputs of the standard that mean nothing here, or the only thing that we have.
bool may_be_left_out(const std::string& input) {
    static const std::unordered_set<std::string> names{
        "space",      "fromspace",   "tospace",        "default", "layer",   "layerx",    "layery",       "layerz",
        "framerange", "frameoffset", "frameendaction", "normal",  "tangent", "bitangent", "viewdirection"};
    return names.contains(input);
}

}  // namespace

const std::unordered_map<std::string, GraphReader::Read>& GraphReader::special() {
    static const std::unordered_map<std::string, Read> rows{
        {"separate2", &GraphReader::add_separate},
        {"separate3", &GraphReader::add_separate},
        {"separate4", &GraphReader::add_separate},
        {"combine2", &GraphReader::add_combine2},
        {"convert", &GraphReader::add_convert},
        {"ifgreater", &GraphReader::add_choice},
        {"ifgreatereq", &GraphReader::add_choice},
        {"ifequal", &GraphReader::add_choice},
        {"image", &GraphReader::add_image},
        {"tiledimage", &GraphReader::add_tiled_image},
        {"triplanarprojection", &GraphReader::add_images_by_side},
        {"transformpoint", &GraphReader::add_pass},
        {"transformvector", &GraphReader::add_pass},
        {"transformnormal", &GraphReader::add_pass},
        {"position", &GraphReader::add_geometry},
        {"normal", &GraphReader::add_geometry},
        {"tangent", &GraphReader::add_geometry},
        {"bitangent", &GraphReader::add_geometry},
        {"texcoord", &GraphReader::add_geometry},
        {"geomcolor", &GraphReader::add_geometry},
        {"time", &GraphReader::add_clock},
        {"frame", &GraphReader::add_clock},
        {"geompropvalueuniform", &GraphReader::add_property},
    };
    return rows;
}

GraphReader::GraphReader(const OwnKinds& own, std::string document, scene::Network& network,
                         std::vector<Error>& problems)
    : own_(own), document_(std::move(document)), network_(network), problems_(problems) {
}

void GraphReader::problem(const std::string& place, const std::string& why, const std::string& remedy) {
    problems_.push_back(
        {"Part of the document is taken otherwise", document_, network_.name + " / " + place, why, remedy});
}

std::string GraphReader::fresh(const std::string& stem) {
    std::string id = stem;
    for (int n = 2; !taken_.insert(id).second; ++n) id = stem + "-" + std::to_string(n);
    return id;
}

/// The reference is good until the next one.
scene::Node& GraphReader::emit(const std::string& id, const std::string& kind, const std::string& type) {
    scene::Node n;
    n.id = n.name = id;
    n.kind = kind;
    n.type = type;
    network_.nodes.push_back(std::move(n));
    return network_.nodes.back();
}

void GraphReader::inputs_of(const pugi::xml_node& element) {
    for (const auto& i : element.children("input")) {
        scene::NetworkInput input;
        input.name = text_of(i, "name");
        input.type = our_type(text_of(i, "type"));
        input.help = text_of(i, "doc");
        if (input.name.empty() || !taken_.insert(input.name).second) continue;
        if (input.type.empty()) {
            problem(input.name, "inputs of the type '" + text_of(i, "type") + "' are not known", "It is left out");
            continue;
        }
        if (auto value = literal(i, text_of(i, "type"))) input.value = std::move(*value);
        network_.inputs.push_back(std::move(input));
    }
}

std::optional<scene::Value> GraphReader::literal(const pugi::xml_node& input, const std::string& type) {
    if (!input.attribute("value")) return std::nullopt;
    auto value = standard_value(type, text_of(input, "value"));
    if (!value) {
        problem(text_of(input.parent(), "name") + " / " + text_of(input, "name"),
                "'" + text_of(input, "value") + "' is no " + type, "Its default is used");
        return std::nullopt;
    }
    if (type == "filename") value = prefix_of(input) + std::get<std::string>(*value);
    return in_its_space(input, type, std::move(*value));
}

/// A colour as linear Rec.709; what is none as it is.
scene::Value GraphReader::in_its_space(const pugi::xml_node& input, const std::string& type, scene::Value value) {
    const std::string space = inherited(input, "colorspace");
    if (space.empty() || space == "none" || type.rfind("color", 0) != 0) return value;
    const V3f given = scene::as_vector(value);
    const V4f* with_alpha = std::get_if<V4f>(&value);
    const auto colour =
        from_standard_space(space, with_alpha ? V3f(with_alpha->x, with_alpha->y, with_alpha->z) : given);
    if (!colour)
        problem(text_of(input.parent(), "name"), "the colour space '" + space + "' is not known",
                "The numbers are taken as they are");
    else if (with_alpha)
        value = V4f(colour->x, colour->y, colour->z, with_alpha->w);
    else
        value = *colour;
    return value;
}

scene::Input GraphReader::outer_input(const pugi::xml_node& input) {
    scene::Input out;
    out.from = text_of(input, "nodegraph");
    out.output = text_of(input, "output");
    if (const std::string node = text_of(input, "nodename"); !node.empty()) {
        out.from = "loose nodes";
        out.output = node;
    }
    if (auto value = literal(input, text_of(input, "type"))) out.value = std::move(*value);
    return out;
}

scene::Input GraphReader::read_input(const pugi::xml_node& input, const std::string& type) {
    scene::Input out;
    if (auto value = literal(input, type)) out.value = std::move(*value);
    const std::string output = text_of(input, "output");
    if (const std::string name = text_of(input, "interfacename"); !name.empty()) {
        out.from = name;
    } else if (const std::string node = text_of(input, "nodename"); !node.empty()) {
        const bool whole = component_named(output) < 0;
        out.from = whole ? node : component_of(node, output);
        if (whole && output != "out") out.output = output;
    } else if (const std::string graph = text_of(input, "nodegraph"); !graph.empty()) {
        // Only nodes outside of any graph may read one; it comes in by an input.
        const std::string name = graph + "." + output;
        GraphRead& read = graphs_read_[name];
        read.port.name = name;
        read.port.type = our_type(text_of(input, "type"));
        read.from.from = graph;
        read.from.output = output;
        out.from = name;
    }
    return out;
}

/// The node that gives one component of a node of several outputs; made at its first use.
std::string GraphReader::component_of(const std::string& node, const std::string& output) {
    const std::string id = node + "." + output;
    if (!taken_.insert(id).second) return id;
    scene::Node& n = emit(id, "extract", "float");
    n.inputs["in"].from = node;
    n.inputs["index"].value = float(component_named(output));
    return id;
}

void GraphReader::take_input(const pugi::xml_node& input, scene::Node& into, const nodes::NodeDescription& d) {
    const std::string name = text_of(input, "name");
    const nodes::Port* port = d.port(name);
    if (!port) {
        if (!take_array(input, into, d) && !may_be_left_out(name))
            problem(into.id + " / " + name, "a " + into.kind + " node has no such input", "It is left out");
        return;
    }
    std::string type = text_of(input, "type");
    if (type.empty()) type = port->text ? "string" : nodes::type_name(d.port_type(*port, d.output_type(into)));
    scene::Input read = read_input(input, type);
    // Of what is fixed here the compiler follows the wire to a value, or tells that there is none.
    if (!read.from.empty() && !input.attribute("value")) read.value = port->value;
    if (std::holds_alternative<std::string>(read.value) != port->text) {
        if (!may_be_left_out(name))
            problem(into.id + " / " + name, port->text ? "a word is expected" : "a number is expected",
                    "Its default is used");
        return;
    }
    if (read.from.empty() && !input.attribute("value")) return;
    into.inputs[name] = std::move(read);
}

/// An array of the standard: its elements are ports of their own here. False: the node knows none of that name.
bool GraphReader::take_array(const pugi::xml_node& input, scene::Node& into, const nodes::NodeDescription& d) {
    const std::string name = text_of(input, "name");
    std::vector<std::pair<const nodes::Port*, size_t>> elements;  // and which component of the port; all: none
    for (const nodes::Port& p : d.ports)
        for (size_t c = 0; c < p.element_of.size(); ++c)
            if (p.element_of[c] == name) elements.push_back({&p, p.element_of.size() > 1 ? c : size_t(-1)});
    if (elements.empty()) return false;
    const std::string place = into.id + " / " + name;
    const std::string type = text_of(input, "type");
    if (!input.attribute("value")) {
        problem(place, "the values of an array come over a wire", "Its default is used; write them in the node");
        return true;
    }
    const auto values = standard_array(type, text_of(input, "value"), elements.size());
    if (!values || values->size() < 2) {
        problem(place, "2 to " + std::to_string(elements.size()) + " values of a " + type + " are expected",
                "Its default is used");
        return true;
    }
    const nodes::Port* count = d.port(nodes::Role::stop_count);
    if (!count) count = d.port(nodes::Role::knot_count);
    if (count) {
        scene::Input& n = into.inputs[count->name];
        const float before = scene::as_number(n.value);
        if (before != 0.f && before != float(values->size()))
            problem(place, "there are not as many values as knots", "Those that have both are taken");
        n.value = before != 0.f ? std::min(before, float(values->size())) : float(values->size());
    }
    const std::string element_type = type.substr(0, type.size() - std::string("array").size());
    for (size_t i = 0; i < values->size(); ++i) {
        const auto [port, component] = elements[i];
        const scene::Value given = in_its_space(input, element_type, (*values)[i]);
        scene::Input& to = into.inputs.try_emplace(port->name, scene::Input{port->value, {}}).first->second;
        if (component == size_t(-1)) {
            to.value = given;
            continue;
        }
        V3f whole = scene::as_vector(to.value);
        whole[int(component)] = scene::as_number(given);
        to.value = nodes::to_value(port->type, whole);
    }
    return true;
}

void GraphReader::read_inputs(const pugi::xml_node& node, scene::Node& into) {
    const nodes::NodeDescription* d = nodes::describe(into.kind);
    // What is not known is kept as it is: the rest of the network stays whole, and the finding names it.
    for (const auto& i : node.children("input"))
        if (d)
            take_input(i, into, *d);
        else
            into.inputs[text_of(i, "name")] = read_input(i, text_of(i, "type"));
}

void GraphReader::add(const pugi::xml_node& e) {
    const std::string name = text_of(e, "name");
    const std::string kind = e.name();
    if (name.empty() || !taken_.insert(name).second)
        return problem(name, name.empty() ? "a " + kind + " node has no name" : "this name is there twice",
                       "It is left out");
    if (const std::string graph = own_.graph(kind, text_of(e, "type")); !graph.empty()) return add_own(e, graph);
    const auto read = special().find(kind);
    const bool made_of_parts = read != special().end() && read->second == &GraphReader::add_separate;
    if (!made_of_parts && our_type(text_of(e, "type")).empty())
        return problem(name, "a " + kind + " node of the type '" + text_of(e, "type") + "' is not known",
                       "It is left out");
    (this->*(read == special().end() ? &GraphReader::add_plain : read->second))(e);
}

void GraphReader::add_plain(const pugi::xml_node& e) {
    scene::Node n;
    n.id = n.name = text_of(e, "name");
    n.kind = e.name();
    n.type = our_type(text_of(e, "type"));
    if (const nodes::NodeDescription* d = nodes::describe(n.kind)) {
        nodes::Type type;
        nodes::type_from_name(n.type, type);
        const bool fits = std::find(d->types.begin(), d->types.end(), type) != d->types.end();
        if (!fits && (n.type == "integer" || n.type == "boolean")) n.type = "float";  // computed as a number
    }
    read_inputs(e, n);
    network_.nodes.push_back(std::move(n));
}

void GraphReader::add_own(const pugi::xml_node& e, const std::string& graph) {
    scene::Node n;
    n.id = n.name = text_of(e, "name");
    n.network = graph;
    for (const auto& i : e.children("input")) n.inputs[text_of(i, "name")] = read_input(i, text_of(i, "type"));
    network_.nodes.push_back(std::move(n));
}

/// Its outputs are nodes of their own here; it passes on what they take a component of.
void GraphReader::add_separate(const pugi::xml_node& e) {
    std::string type = our_type(text_of(e.find_child_by_attribute("input", "name", "in"), "type"));
    if (type.empty()) type = "vector4";
    scene::Node n;
    n.id = n.name = text_of(e, "name");
    n.kind = "dot";
    n.type = type;
    for (const auto& i : e.children("input"))
        if (text_of(i, "name") == "in") n.inputs["in"] = read_input(i, type);
    network_.nodes.push_back(std::move(n));
}

/// Also joins a colour and its alpha, a vector and its fourth, or two pairs.
void GraphReader::add_combine2(const pugi::xml_node& e) {
    const std::string type = text_of(e, "type");
    if (type != "color4" && type != "vector4") return add_plain(e);
    const std::string id = text_of(e, "name");
    scene::Node n;
    n.id = n.name = id;
    n.kind = "combine4";
    n.type = type;
    int at = 0;
    for (const char* name : {"in1", "in2"}) {
        const pugi::xml_node i = e.find_child_by_attribute("input", "name", name);
        std::string part = text_of(i, "type");
        if (part.empty()) part = at == 0 ? (type == "color4" ? "color3" : "vector3") : "float";
        nodes::Type part_type = nodes::Type::number;
        nodes::type_from_name(part, part_type);
        const scene::Input whole = i ? read_input(i, part) : scene::Input{};
        const auto floats = nodes::literal(whole.value, part_type);
        for (int c = 0; c < nodes::components(part_type) && at < 4; ++c, ++at) {
            scene::Input& to = n.inputs["in" + std::to_string(at + 1)];
            to.value = floats[size_t(c)];
            if (whole.from.empty()) continue;
            to.from = fresh(id + "." + name + "." + std::to_string(c + 1));
            scene::Node& one = emit(to.from, "extract", "float");
            one.inputs["in"] = whole;
            one.inputs["in"].value = 0.f;
            one.inputs["index"].value = float(c);
        }
    }
    network_.nodes.push_back(std::move(n));
}

void GraphReader::add_convert(const pugi::xml_node& e) {
    const pugi::xml_node in = e.find_child_by_attribute("input", "name", "in");
    nodes::Type from = nodes::Type::number;
    nodes::type_from_name(text_of(in, "type"), from);
    if (text_of(e, "type") != "color4" || nodes::components(from) != 1) return add_plain(e);
    scene::Node n;  // one number as a colour has an alpha of 1
    n.id = n.name = text_of(e, "name");
    n.kind = "combine4";
    n.type = "color4";
    for (const char* name : {"in1", "in2", "in3"}) n.inputs[name] = read_input(in, text_of(in, "type"));
    n.inputs["in4"].value = 1.f;
    network_.nodes.push_back(std::move(n));
}

void GraphReader::add_choice(const pugi::xml_node& e) {
    add_plain(e);
    scene::Node& n = network_.nodes.back();
    // Asked for a truth alone, it gives that of the comparison.
    if (text_of(e, "type") == "boolean" && !n.inputs.contains("in1") && !n.inputs.contains("in2"))
        n.inputs["in1"].value = true;
}

/// `where`: what it is read at, in place of what the element says; null: nothing.
void GraphReader::read_image(const pugi::xml_node& e, const scene::Input* where) {
    scene::Node n;
    n.id = n.name = text_of(e, "name");
    n.kind = "image";
    n.type = text_of(e, "type");
    const nodes::NodeDescription& d = *nodes::describe(n.kind);
    for (const auto& i : e.children("input")) {
        const std::string name = text_of(i, "name");
        if (name == "filtertype")
            n.inputs["filter"].value = std::string(text_of(i, "value") == "closest" ? "off" : "smooth");
        else if (d.port(name) && name != "filter")
            take_input(i, n, d);
        else if (!may_be_left_out(name))
            problem(n.id + " / " + name, "an image node has no such input", "It is left out");
        if (name != "file") continue;
        n.inputs["colorspace"].value = file_space(n, inherited(i, "colorspace"));
    }
    if (where) n.inputs[d.port(nodes::Role::where)->name] = *where;
    if (n.type == "color4" || n.type == "vector4") return add_four_channels(std::move(n));
    network_.nodes.push_back(std::move(n));
}

/// A map of four channels: a node reads three of them here, or one, and they are put together.
void GraphReader::add_four_channels(scene::Node image) {
    scene::Node all;
    all.id = all.name = image.id;
    all.kind = "combine4";
    all.type = image.type;
    scene::Node alpha = image;
    alpha.id = alpha.name = fresh(image.id + ".alpha");
    alpha.type = "float";
    nodes::set(alpha, nodes::Role::channel, "a");
    nodes::set(alpha, nodes::Role::colour_space, "raw");
    image.id = image.name = fresh(image.id + ".color");
    image.type = image.type == "color4" ? "color3" : "vector3";
    for (int c = 0; c < 3; ++c) {
        const std::string one = fresh(all.id + "." + std::to_string(c + 1));
        scene::Node& n = emit(one, "extract", "float");
        n.inputs["in"].from = image.id;
        n.inputs["index"].value = float(c);
        all.inputs["in" + std::to_string(c + 1)].from = one;
    }
    all.inputs["in4"].from = alpha.id;
    for (scene::Node* n : {&image, &alpha, &all}) network_.nodes.push_back(std::move(*n));
}

void GraphReader::add_tiled_image(const pugi::xml_node& e) {
    const std::string id = text_of(e, "name");
    scene::Input at;
    if (const auto place = e.find_child_by_attribute("input", "name", "texcoord")) {
        at = read_input(place, "vector2");
    } else {
        at.from = fresh(id + ".uv");
        emit(at.from, "texcoord", "vector2");
    }
    const std::pair<const char*, const char*> steps[] = {{"uvtiling", "multiply"},
                                                         {"uvoffset", "subtract"},
                                                         {"realworldimagesize", "divide"},
                                                         {"realworldtilesize", "multiply"}};
    for (const auto& [input, kind] : steps) {
        const pugi::xml_node i = e.find_child_by_attribute("input", "name", input);
        if (!i) continue;
        const std::string step = fresh(id + "." + input);
        const scene::Input by = read_input(i, "vector2");
        scene::Node& n = emit(step, kind, "vector2");
        n.inputs["in1"] = at;
        n.inputs["in2"] = by;
        at = {};
        at.from = step;
    }
    read_image(e, &at);
    // What has become part of the place is no input of the image.
    std::erase_if(problems_, [&](const Error& p) {
        return p.place.rfind(network_.name + " / " + id + " / uv", 0) == 0 ||
               p.place.rfind(network_.name + " / " + id + " / realworld", 0) == 0;
    });
}

void GraphReader::add_images_by_side(const pugi::xml_node& e) {
    add_plain(e);
    scene::Node& n = network_.nodes.back();
    const nodes::NodeDescription& d = *nodes::describe(n.kind);
    std::string space;  // one for all three: that of the first that names one
    for (const auto& i : e.children("input"))
        if (space.empty() && d.port(text_of(i, "name")) && d.port(text_of(i, "name"))->role == nodes::Role::file)
            space = inherited(i, "colorspace");
    nodes::set(n, nodes::Role::colour_space, file_space(n, space));
}

/// How a file's numbers are decoded; what is no colour, or says nothing, is as it is.
std::string GraphReader::file_space(const scene::Node& n, const std::string& space) {
    if (n.type.rfind("color", 0) != 0 || space.empty() || space == "none") return "raw";
    if (texture::colour_decode(space)) return space;
    problem(n.id, "the colour space '" + space + "' is not known", "The file's numbers are taken as they are");
    return "raw";
}

/// What changes nothing here: spaces that are one.
void GraphReader::add_pass(const pugi::xml_node& e) {
    const std::string id = text_of(e, "name");
    auto space = [&](const char* name) { return text_of(e.find_child_by_attribute("input", "name", name), "value"); };
    if (space("fromspace") != space("tospace"))
        problem(
            id,
            "from '" + space("fromspace") + "' to '" + space("tospace") + "': here the asset's space is the only one",
            "What comes in is passed on");
    scene::Node n;
    n.id = n.name = id;
    n.kind = "dot";
    n.type = text_of(e, "type");
    const pugi::xml_node in = e.find_child_by_attribute("input", "name", "in");
    if (in) n.inputs["in"] = read_input(in, n.type);
    network_.nodes.push_back(std::move(n));
}

void GraphReader::add_geometry(const pugi::xml_node& e) {
    const std::string id = text_of(e, "name");
    for (const auto& i : e.children("input")) {
        const std::string name = text_of(i, "name");
        const std::string value = text_of(i, "value");
        if (name == "space" && value == "world" && e.name() == std::string("position"))
            problem(id, "the space 'world' is taken as the asset's own", "Place the asset at rest");
        else if (name == "index" && value != "0")
            problem(id, "set number " + value + " is not read",
                    "The first set is read; choose one by name in a placement");
    }
    emit(id, e.name(), text_of(e, "type"));
}

/// Nothing moves: the first frame, at the beginning.
void GraphReader::add_clock(const pugi::xml_node& e) {
    emit(text_of(e, "name"), "constant", "float").inputs["value"].value = e.name() == std::string("frame") ? 1.f : 0.f;
}

void GraphReader::add_property(const pugi::xml_node& e) {
    const std::string id = text_of(e, "name");
    problem(id,
            "the property '" + text_of(e.find_child_by_attribute("input", "name", "geomprop"), "value") +
                "' of the mesh is not read",
            "Its default is used");
    const std::string type = text_of(e, "type");
    const auto value = literal(e.find_child_by_attribute("input", "name", "default"), type);
    emit(id, "constant", type).inputs["value"].value = value ? *value : scene::Value(0.f);
}

void GraphReader::output(const pugi::xml_node& o) {
    scene::NetworkOutput out;
    out.name = text_of(o, "name");
    out.type = our_type(text_of(o, "type"));
    if (out.name.empty() || out.type.empty())
        return problem(out.name, "outputs of the type '" + text_of(o, "type") + "' are not known", "It is left out");
    out.input = read_input(o, text_of(o, "type"));
    network_.outputs.push_back(std::move(out));
}

void GraphReader::output_of(const pugi::xml_node& e) {
    scene::NetworkOutput out;
    out.name = text_of(e, "name");
    out.type = our_type(text_of(e, "type"));
    if (out.name.empty() || out.type.empty()) return;
    out.input.from = out.name;
    network_.outputs.push_back(std::move(out));
}

}  // namespace vemtra::exchange
