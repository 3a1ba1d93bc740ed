#include "exchange/standard/graph_writer.h"

#include "exchange/standard/values.h"

namespace vemtra::exchange {

using nodes::Type;

std::string clean_name(const std::string& name) {
    std::string out;
    for (const char c : name) {
        const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
        if (letter)
            out += c;
        else if (!out.empty() && out.back() != '_')
            out += '_';
    }
    while (!out.empty() && out.back() == '_') out.pop_back();
    if (out.empty() || (out[0] >= '0' && out[0] <= '9')) out = "n" + out;
    return out;
}

std::string coverage_file(const std::string& values) {
    const size_t at = values.rfind(".<UDIM>");
    return at == std::string::npos ? values : std::string(values).insert(at, ".cover");
}

std::string FreshNames::take(const std::string& stem) {
    const std::string clean = clean_name(stem);
    std::string name = clean;
    for (int n = 2; !taken_.insert(name).second; ++n) name = clean + "_" + std::to_string(n);
    return name;
}

namespace {

/// The type that the standard gives a port of ours.
Type standard_type(const nodes::Port& port, Type output) {
    if (port.whole && port.choices == std::vector<std::string>{"no", "yes"}) return Type::boolean;
    if (port.whole) return Type::integer;
    return output;
}
bool has_arrays(const nodes::NodeDescription& d) {
    return std::any_of(d.ports.begin(), d.ports.end(), [](const nodes::Port& p) { return !p.element_of.empty(); });
}
bool is_colour(Type t) {
    return t == Type::color || t == Type::color4;
}
/// Patterns that the standard has in one type only; ours in others take it from there.
Type said_as(const nodes::NodeDescription& d, Type type) {
    static const std::map<std::string, Type> only{{"ramp", Type::color4},
                                                  {"grid", Type::color},
                                                  {"crosshatch", Type::color},
                                                  {"tiledcircles", Type::color},
                                                  {"tiledcloverleafs", Type::color},
                                                  {"tiledhexagons", Type::color}};
    const auto at = only.find(d.kind);
    return at == only.end() ? type : at->second;
}

}  // namespace

GraphWriter::GraphWriter(const scene::Scene& scene, pugi::xml_node graph, std::string place, Tell tell)
    : scene_(scene),
      graph_(graph),
      place_(std::move(place)),
      tell_(std::move(tell)),
      file_inputs_(nodes::file_inputs(scene.networks)) {
}

void GraphWriter::inside(const scene::BuildUp& b, const std::map<std::string, std::string>& own_kinds) {
    own_kinds_ = &own_kinds;
    for (const nodes::Port& port : nodes::surface_description().ports) names_.take(port.name);  // of outputs
    names_.take("coverage");
    scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer*) { nodes_.emplace(n.id, &n); });
}
void GraphWriter::inside(const scene::Network& network, const std::map<std::string, std::string>& own_kinds) {
    own_kinds_ = &own_kinds;
    network_ = &network;
    for (const scene::NetworkInput& i : network.inputs) {
        Said& s = done_[i.name];
        s.node = names_.take(i.name);
        s.interface = true;
        nodes::type_from_name(i.type, s.type);
    }
    for (const scene::NetworkOutput& o : network.outputs) names_.take(o.name);
    for (const scene::Node& n : network.nodes) nodes_.emplace(n.id, &n);
}

bool GraphWriter::takes_path(const std::string& network, const std::string& input) const {
    const auto at = file_inputs_.find(network);
    return at != file_inputs_.end() && at->second.contains(input);
}

pugi::xml_node GraphWriter::element(const std::string& kind, const std::string& name, Type type) {
    pugi::xml_node e = graph_.append_child(kind.c_str());
    e.append_attribute("name") = name.c_str();
    e.append_attribute("type") = nodes::type_name(type);
    return e;
}

void GraphWriter::value(pugi::xml_node node, const char* input, Type type, const scene::Value& value) {
    pugi::xml_node e = node.append_child("input");
    e.append_attribute("name") = input;
    e.append_attribute("type") = nodes::type_name(type);
    e.append_attribute("value") = standard_text(value, type).c_str();
}

void GraphWriter::wire(pugi::xml_node to, const Said& from) {
    to.append_attribute(from.interface ? "interfacename" : "nodename") = from.node.c_str();
    if (!from.output.empty()) to.append_attribute("output") = from.output.c_str();
}

void GraphWriter::wired(pugi::xml_node node, const char* input, const Said& from) {
    pugi::xml_node e = node.append_child("input");
    e.append_attribute("name") = input;
    e.append_attribute("type") = nodes::type_name(from.type);
    wire(e, from);
}

void GraphWriter::input(pugi::xml_node node, const std::string& name, Type type, const scene::Input& in) {
    Said from = in.from.empty() ? Said{} : said(in.from, in.output);
    if (from.node.empty()) return value(node, name.c_str(), type, in.shown());
    if (in.worn) {  // a span: from one end to the other by what comes in
        const std::string id = names_.take(name + "_span");
        pugi::xml_node mix = element("mix", id, type);
        value(mix, "bg", type, in.value);
        value(mix, "fg", type, *in.worn);
        const Said by = converted(from, Type::number);
        pugi::xml_node e = mix.append_child("input");
        e.append_attribute("name") = "mix";
        e.append_attribute("type") = "float";
        wire(e, by);
        from = {id, "", type, false};
    }
    from = converted(from, type);
    pugi::xml_node e = node.append_child("input");
    e.append_attribute("name") = name.c_str();
    e.append_attribute("type") = nodes::type_name(type);
    wire(e, from);
}

GraphWriter::Said GraphWriter::component(const Said& from, int index) {
    const std::string id = names_.take(from.node + "_" + std::to_string(index));
    pugi::xml_node e = element("extract", id, Type::number);
    pugi::xml_node in = e.append_child("input");
    in.append_attribute("name") = "in";
    in.append_attribute("type") = nodes::type_name(from.type);
    wire(in, from);
    value(e, "index", Type::integer, float(index));
    return {id, "", Type::number, false};
}

/// What compile() converts silently, said: one number fills all, a colour becomes its luminance (ITU-R BT.709), a
/// vector its first component; other sizes lose or gain components.
GraphWriter::Said GraphWriter::converted(const Said& from, Type type) {
    if (from.type == type || from.node.empty()) return from;
    if (nodes::components(type) == 1) {
        if (nodes::components(from.type) == 1) return {from.node, from.output, type, from.interface};
        if (!is_colour(from.type)) return component(from, 0);
        const std::string id = names_.take(from.node + "_luminance");
        pugi::xml_node e = element("luminance", id, from.type);
        pugi::xml_node in = e.append_child("input");
        in.append_attribute("name") = "in";
        in.append_attribute("type") = nodes::type_name(from.type);
        wire(in, from);
        value(e, "lumacoeffs", Type::color, V3f(0.2126f, 0.7152f, 0.0722f));
        return component({id, "", from.type, false}, 0);
    }
    const std::string id = names_.take(from.node + "_as_" + nodes::type_name(type));
    const int have = nodes::components(from.type);
    const int need = nodes::components(type);
    // The standard converts among colours and vectors of one size, and to a size next to it.
    const bool direct = (have == 1 && type != Type::color4) || have == need ||
                        (std::abs(have - need) == 1 && is_colour(from.type) == is_colour(type));
    if (direct) {
        pugi::xml_node e = element("convert", id, type);
        pugi::xml_node in = e.append_child("input");
        in.append_attribute("name") = "in";
        in.append_attribute("type") = nodes::type_name(from.type);
        wire(in, from);
        return {id, "", type, false};
    }
    std::vector<Said> parts;  // one number fills all of them
    for (int c = 0; c < need && (c < have || have == 1); ++c) parts.push_back(have == 1 ? from : component(from, c));
    pugi::xml_node e = element("combine" + std::to_string(need), id, type);
    for (int c = 0; c < need; ++c) {
        const std::string name = "in" + std::to_string(c + 1);
        if (size_t(c) >= parts.size()) {
            value(e, name.c_str(), Type::number, c == 3 && type == Type::color4 ? 1.f : 0.f);
            continue;
        }
        pugi::xml_node in = e.append_child("input");
        in.append_attribute("name") = name.c_str();
        in.append_attribute("type") = "float";
        wire(in, parts[size_t(c)]);
    }
    return {id, "", type, false};
}

/// The element that says a node, made with all that it needs over a stack of our own.
GraphWriter::Said GraphWriter::said(const std::string& from, const std::string& output) {
    if (!done_.contains(from) && !nodes_.contains(from)) return {};
    if (saying_.contains(from)) {
        tell_(place_ + " / " + from, "the network runs in a circle", "A default is written where it closes");
        return {};
    }
    std::vector<std::string> open{from};
    std::unordered_set<std::string> entered;
    while (!open.empty()) {
        const std::string id = open.back();
        const auto at = nodes_.find(id);
        if (done_.contains(id) || saying_.contains(id) || at == nodes_.end()) {
            open.pop_back();
            continue;
        }
        if (!entered.insert(id).second) {
            say(*at->second);
            open.pop_back();
            continue;
        }
        for (const std::string& source : scene::sources(at->second->inputs))
            if (!done_.contains(source) && !entered.contains(source)) open.push_back(source);
    }
    Said s = done_[from];
    const auto at = nodes_.find(from);
    if (at == nodes_.end() || at->second->network.empty()) return s;
    const scene::Network* network = scene::find(scene_.networks, at->second->network);
    for (size_t i = 0; network && i < network->outputs.size(); ++i) {
        const scene::NetworkOutput& o = network->outputs[i];
        if (!output.empty() && o.name != output) continue;
        nodes::type_from_name(o.type, s.type);
        if (network->outputs.size() > 1) s.output = o.name;
        break;
    }
    return s;
}

void GraphWriter::say(const scene::Node& n) {
    saying_.insert(n.id);
    say_by_kind(n);
    saying_.erase(n.id);
}

void GraphWriter::say_by_kind(const scene::Node& n) {
    if (!n.network.empty()) {
        done_[n.id] = say_instance(n);
        return;
    }
    const nodes::NodeDescription* d = nodes::describe(n.kind);
    if (!d)
        done_[n.id] = say_fallback(n, d);
    else if (d->use == nodes::Use::map)
        done_[n.id] = say_image(n, *d);
    else if (d->use == nodes::Use::placement)
        done_[n.id] = say_placement(n, *d);
    else if (d->use == nodes::Use::painting)
        done_[n.id] = say_painting(n, *d);
    else if (d->said_as.empty() && d->standard.empty())
        done_[n.id] = say_fallback(n, d);
    else
        done_[n.id] = say_plain(n, *d);
}

GraphWriter::Said GraphWriter::say_plain(const scene::Node& n, const nodes::NodeDescription& d) {
    const Type type = d.output_type(n);
    const Type written = said_as(d, type);
    const std::string id = names_.take(n.name.empty() ? n.id : n.name);
    const std::string inner = written == type ? id : names_.take(id + "_whole");
    pugi::xml_node e = element(d.said_as.empty() ? d.kind : d.said_as, inner, written);
    for (const auto& [name, in] : n.inputs) {
        const nodes::Port* port = d.port(name);
        if (!port || !port->element_of.empty()) continue;
        if (has_arrays(d) && (port->role == nodes::Role::stop_count || port->role == nodes::Role::knot_count)) continue;
        if (port->text) {
            if (port->role == nodes::Role::plain || port->role == nodes::Role::attribute)
                input(e, name, Type::text, in);
            continue;
        }
        Type wanted = standard_type(*port, d.port_type(*port, written));
        if (port->type == Type::place && !port->same_as_output) wanted = Type::vector2;
        if (port->name == "amplitude" && is_colour(written))  // the standard's own choice
            wanted = written == Type::color ? Type::vector3 : Type::vector4;
        if (!port->same_as_output && port->type == Type::vector4 && !in.from.empty()) {
            const Said source = said(in.from, in.output);
            wanted = source.type;
        }
        if (port->role == nodes::Role::green_down) {
            if (scene::as_number(in.value) > .5f)
                tell_(place_ + " / " + n.id, "a normal map whose green points down", "Turn its green over in the map");
            continue;
        }
        if (d.use == nodes::Use::directions && port->role == nodes::Role::where) continue;
        input(e, port->name, wanted, in);
    }
    write_arrays(e, n, d, written);
    if (!d.said_as.empty()) value(e, "doclamp", Type::boolean, 1.f);
    const Said whole{inner, "", written, false};
    if (written == type) return whole;
    return type == Type::number ? component(whole, 0) : converted(whole, type);
}

/// Ports that are elements of arrays of the standard, as many as the node uses.
void GraphWriter::write_arrays(pugi::xml_node e, const scene::Node& n, const nodes::NodeDescription& d, Type written) {
    if (!has_arrays(d)) return;
    const nodes::Port* count = d.port(nodes::Role::stop_count);
    if (!count) count = d.port(nodes::Role::knot_count);
    const size_t most =
        count ? size_t(std::clamp(nodes::number_of(n, *count), count->low, count->high)) : d.ports.size();
    std::map<std::string, std::vector<std::string>> arrays;
    std::map<std::string, Type> types;
    for (const nodes::Port& p : d.ports)
        for (size_t c = 0; c < p.element_of.size(); ++c) {
            auto& elements = arrays[p.element_of[c]];
            if (elements.size() >= most) continue;
            // Of a port that holds any value the array is one of what the node gives.
            const Type type = p.element_of.size() > 1 || p.type == Type::number ? Type::number : written;
            types[p.element_of[c]] = type;
            const auto floats = nodes::literal(nodes::literal_of(n, p), p.type);
            std::string text;
            for (int k = 0; k < nodes::components(type); ++k)
                text += (k ? ", " : "") + standard_text(floats[p.element_of.size() > 1 ? c : size_t(k)], Type::number);
            elements.push_back(text);
        }
    for (const auto& [name, elements] : arrays) {
        std::string text;
        for (const std::string& element : elements) text += (text.empty() ? "" : ", ") + element;
        pugi::xml_node input = e.append_child("input");
        input.append_attribute("name") = name.c_str();
        input.append_attribute("type") = (std::string(nodes::type_name(types[name])) + "array").c_str();
        input.append_attribute("value") = text.c_str();
    }
}

GraphWriter::Said GraphWriter::say_instance(const scene::Node& n) {
    const auto kind = own_kinds_->find(n.network);
    const scene::Network* network = scene::find(scene_.networks, n.network);
    if (kind == own_kinds_->end() || !network || network->outputs.empty()) {
        tell_(place_ + " / " + n.id, "its network is not there", "Its default is written");
        return {};
    }
    Type type = Type::color;
    nodes::type_from_name(network->outputs.front().type, type);
    const std::string id = names_.take(n.name.empty() ? n.id : n.name);
    pugi::xml_node e = element(kind->second, id, type);
    if (network->outputs.size() > 1) e.attribute("type") = "multioutput";
    for (const scene::NetworkInput& i : network->inputs) {
        const auto at = n.inputs.find(i.name);
        Type of = Type::number;
        nodes::type_from_name(i.type, of);
        if (at == n.inputs.end()) continue;
        input(e, i.name, of, at->second);
        if (takes_path(n.network, i.name)) e.last_child().attribute("type") = "filename";
    }
    return {id, "", type, false};
}

GraphWriter::Said GraphWriter::say_image(const scene::Node& n, const nodes::NodeDescription& d) {
    const Type type = d.output_type(n);
    const std::string channel = nodes::word_of(n, nodes::Role::channel);
    const std::string space = nodes::word_of(n, nodes::Role::colour_space);
    // The standard reads the first channel of a number; others come out of the colour.
    const bool other_channel = type == Type::number && channel != "r";
    const bool with_alpha = channel == "a";
    const Type written = !other_channel ? type : with_alpha ? Type::color4 : Type::color;
    const std::string id = names_.take(n.name.empty() ? n.id : n.name);
    pugi::xml_node e = element("image", id, written);
    pugi::xml_node file = e.append_child("input");
    file.append_attribute("name") = "file";
    file.append_attribute("type") = "filename";
    const auto named = n.inputs.find(d.port(nodes::Role::file)->name);
    const Said given = named == n.inputs.end() || named->second.from.empty() ? Said{} : said(named->second.from, {});
    if (given.interface)
        wire(file, given);
    else
        file.append_attribute("value") = nodes::word_of(n, nodes::Role::file).c_str();
    const bool colour = type == Type::color || type == Type::color4;
    if (space == "auto" && colour)
        tell_(place_ + " / " + n.id, "the file's colour space is left to be found out",
              "srgb_texture is written: choose one");
    if (colour && space != "raw")
        file.append_attribute("colorspace") = space == "auto" ? "srgb_texture" : space.c_str();
    for (const nodes::Port& port : d.ports) {
        const auto at = n.inputs.find(port.name);
        if (at == n.inputs.end()) continue;
        if (port.role == nodes::Role::where)
            input(e, port.name, Type::vector2, at->second);
        else if (port.role == nodes::Role::plain && port.name != "filter")
            value(e, port.name.c_str(), Type::text, at->second.value);
        else if (port.name == "filter" && at->second.value == scene::Value(std::string("off")))
            value(e, "filtertype", Type::text, std::string("closest"));
    }
    const Said whole{id, "", written, false};
    if (!other_channel) return whole;
    if (channel == "luminance") return converted(whole, Type::number);
    return component(whole, channel == "g" ? 1 : channel == "b" ? 2 : 3);
}

/// Only what lies in the plane of the UVs can be said: repeat, offset and rotation.
GraphWriter::Said GraphWriter::say_placement(const scene::Node& n, const nodes::NodeDescription& d) {
    const std::string id = names_.take(n.name.empty() ? n.id : n.name);
    if (nodes::number_of(n, nodes::Role::projection) > .5f)
        tell_(place_ + " / " + n.id, "a projection from a frame", "UVs are written: bake the maps first");
    auto literal = [&](const char* name) { return nodes::literal_of(n, *d.port(name)); };
    for (const char* name : {"shuffle_shift", "shuffle_turn", "real_size"})
        if (scene::as_number(literal(name)) != 0.f)
            tell_(place_ + " / " + n.id, std::string(name) + " has no counterpart", "It is left out");
    if (literal("tiling") != scene::Value(std::string("repeat")))
        tell_(place_ + " / " + n.id, "copies that are mixed so that none repeats", "Plain copies are written");
    const nodes::Port& where = *d.port(nodes::Role::where);
    std::string from;
    const auto at = n.inputs.find(where.name);
    if (at == n.inputs.end() || at->second.from.empty()) {
        from = names_.take(id + "_uv");
        element("texcoord", from, Type::vector2);
    }
    const auto repeat = nodes::literal(literal("repeat"), Type::vector2);
    const auto offset = nodes::literal(literal("offset"), Type::vector2);
    pugi::xml_node e = element("place2d", id, Type::vector2);
    if (from.empty())
        input(e, "texcoord", Type::vector2, at->second);
    else {
        pugi::xml_node in = e.append_child("input");
        in.append_attribute("name") = "texcoord";
        in.append_attribute("type") = "vector2";
        in.append_attribute("nodename") = from.c_str();
    }
    value(e, "pivot", Type::vector2, V2f(.5f));
    value(e, "scale", Type::vector2,
          V2f(repeat[0] != 0.f ? 1.f / repeat[0] : 1.f, repeat[1] != 0.f ? 1.f / repeat[1] : 1.f));
    value(e, "rotate", Type::number, literal("rotation"));
    value(e, "offset", Type::vector2, V2f(offset[0], offset[1]));
    return {id, "", Type::vector2, false};
}

/// Painted texels hold colour times coverage: they plus what lies under them times the rest.
GraphWriter::Said GraphWriter::say_painting(const scene::Node& n, const nodes::NodeDescription& d) {
    const Type type = d.output_type(n);
    const scene::Painting* p = scene::find(scene_.paintings, nodes::word_of(n, nodes::Role::painting));
    const std::string id = names_.take(n.name.empty() ? n.id : n.name);
    const nodes::Port& under = *d.port(nodes::Role::subject);
    const auto at = n.inputs.find(under.name);
    const scene::Input below = at == n.inputs.end() ? scene::Input{under.value, {}} : at->second;
    if (p && p->on_form())
        tell_(place_ + " / " + n.id, "it is painted on the form itself, over no UVs",
              "What lies under it is written: bake it to a map first");
    if (!p || p->on_form() || p->sheets.empty()) {
        input(element("dot", id, type), "in", type, below);
        return {id, "", type, false};
    }
    auto image = [&](const std::string& name, Type of, const std::string& path) {
        pugi::xml_node e = element("image", name, of);
        pugi::xml_node file = e.append_child("input");
        file.append_attribute("name") = "file";
        file.append_attribute("type") = "filename";
        file.append_attribute("value") = path.c_str();
        if (is_colour(of)) file.append_attribute("colorspace") = "lin_rec709";
        value(e, "default", of, nodes::literal(0.f, of)[0]);
        return Said{name, "", of, false};
    };
    const Said painted = image(names_.take(id + "_values"), type, p->file);
    const Said covered = converted(image(names_.take(id + "_cover"), Type::number, coverage_file(p->file)), type);
    const Said rest{names_.take(id + "_rest"), "", type, false};
    wired(element("invert", rest.node, type), "in", covered);
    const Said shows{names_.take(id + "_under"), "", type, false};
    pugi::xml_node dimmed = element("multiply", shows.node, type);
    input(dimmed, "in1", type, below);
    wired(dimmed, "in2", rest);
    pugi::xml_node sum = element("add", id, type);
    wired(sum, "in1", painted);
    wired(sum, "in2", shows);
    return {id, "", type, false};
}

GraphWriter::Said GraphWriter::say_fallback(const scene::Node& n, const nodes::NodeDescription* d) {
    const Type type = d ? d->output_type(n) : Type::number;
    tell_(place_ + " / " + n.id,
          d ? "the node '" + d->title + "' is ours alone" : "the node '" + n.kind + "' is not known",
          "Its plain default is written: bake it to a map first");
    const std::string id = names_.take(n.name.empty() ? n.id : n.name);
    if (type == Type::place) {
        element("texcoord", id, Type::vector2);
        return {id, "", Type::vector2, false};
    }
    if (type == Type::vector3) {  // a direction: the surface's own
        value(element(d->kind == "grain" ? "tangent" : "normal", id, type), "space", Type::text, std::string("world"));
        return {id, "", type, false};
    }
    value(element("constant", id, type), "value", type, nodes::literal(.5f, type)[0]);
    return {id, "", type, false};
}

void GraphWriter::output(const std::string& name, Type type, const scene::Input& in) {
    pugi::xml_node holder = graph_.append_child("output");
    input(holder, name, type, in);
    const pugi::xml_node e = holder.child("input");
    pugi::xml_node o = graph_.append_child("output");
    o.append_attribute("name") = name.c_str();
    o.append_attribute("type") = nodes::type_name(type);
    for (const char* attribute : {"nodename", "interfacename", "output", "value"})
        if (e.attribute(attribute)) o.append_attribute(attribute) = e.attribute(attribute).value();
    graph_.remove_child(holder);
    if (o.attribute("value")) {  // an output needs a node
        const std::string id = names_.take(name + "_value");
        pugi::xml_node constant = graph_.insert_child_before("constant", o);
        constant.append_attribute("name") = id.c_str();
        constant.append_attribute("type") = nodes::type_name(type);
        value(constant, "value", type, in.shown());
        o.remove_attribute("value");
        o.append_attribute("nodename") = id.c_str();
    }
}

void GraphWriter::coverage(const std::string& name, const scene::Input& mask, float gate, float amount) {
    const std::string held = names_.take(name + "_held");
    pugi::xml_node clamp = element("clamp", held, Type::number);
    input(clamp, "in", Type::number, mask);
    const std::string id = names_.take(name + "_amount");
    pugi::xml_node mix = element("mix", id, Type::number);
    value(mix, "bg", Type::number, amount * (1.f - gate));
    value(mix, "fg", Type::number, amount);
    pugi::xml_node by = mix.append_child("input");
    by.append_attribute("name") = "mix";
    by.append_attribute("type") = "float";
    by.append_attribute("nodename") = held.c_str();
    pugi::xml_node o = graph_.append_child("output");
    o.append_attribute("name") = name.c_str();
    o.append_attribute("type") = "float";
    o.append_attribute("nodename") = id.c_str();
}

}  // namespace vemtra::exchange
