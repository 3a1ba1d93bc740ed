#include "nodes/plain_names.h"

#include <algorithm>
#include <unordered_map>

namespace vemtra::nodes {
namespace {

const std::unordered_map<std::string, std::string>& words() {
    static const std::unordered_map<std::string, std::string> all{
        {"in", "input"},
        {"without", "parts left out"},
        {"parts", "only these parts"},
        {"in1", "first"},
        {"in2", "second"},
        {"in3", "third"},
        {"in4", "fourth"},
        {"inlow", "from, low"},
        {"inhigh", "from, high"},
        {"outlow", "to, low"},
        {"outhigh", "to, high"},
        {"outmin", "to, low"},
        {"outmax", "to, high"},
        {"fg", "laid on"},
        {"bg", "below"},
        {"mix", "how much"},
        {"doclamp", "keep between ends"},
        {"clampoutput", "keep between ends"},
        {"texcoord", "place"},
        {"octaves", "sizes of waves"},
        {"lacunarity", "each finer by"},
        {"diminish", "each weaker by"},
        {"amplitude", "height of waves"},
        {"pivot", "about"},
        {"uaddressmode", "beside the image"},
        {"vaddressmode", "above and below"},
        {"colorspace", "colour space"},
        {"num_intervals", "stops"},
        {"uvtiling", "how many"},
        {"uvoffset", "moved by"},
        {"freq", "fineness"},
        {"valuel", "left"},
        {"valuer", "right"},
        {"valuet", "below"},
        {"valueb", "above"},
        {"valuetl", "below left"},
        {"valuetr", "below right"},
        {"valuebl", "above left"},
        {"valuebr", "above right"},
        {"value1", "this"},
        {"value2", "against this"},
        {"which", "number of choice"},
        {"lumacoeffs", "weights of colours"},
        {"contrastpivot", "contrast about"},
        {"operationorder", "order"},
        {"faceforward", "both sides alike"},
        {"invert", "turned over"},
        {"color1", "one colour"},
        {"color2", "other colour"},
        {"huelow", "hue, low"},
        {"huehigh", "hue, high"},
        {"saturationlow", "saturation, low"},
        {"saturationhigh", "saturation, high"},
        {"brightnesslow", "brightness, low"},
        {"brightnesshigh", "brightness, high"},
        {"point1", "begins at"},
        {"point2", "ends at"},
        {"center", "middle"},
        {"inx", "across"},
        {"iny", "up"},
        {"geomprop", "name"},
        {"filtertype", "filter"},
        {"filex", "seen along x"},
        {"filey", "seen along y"},
        {"filez", "seen along z"},
        {"upaxis", "axis that is up"},
    };
    return all;
}

}  // namespace

std::string plain_name(const Port& port) {
    if (port.stop > 0)
        return (port.role == Role::stop_place ? "place of stop " : "colour of stop ") + std::to_string(port.stop);
    if (port.section.starts_with("entry ")) {  // "opacity12" of the twelfth entry
        const std::string word = port.name.substr(0, port.name.find_first_of("0123456789"));
        return word == "low" ? "from, low" : word == "high" ? "from, high" : word == "turned" ? "turned over" : word;
    }
    if (const auto it = words().find(port.name); it != words().end()) return it->second;
    std::string name = port.name;
    std::replace(name.begin(), name.end(), '_', ' ');
    return name;
}

std::string plain_formula(const NodeDescription& d) {
    const std::string& said = formula(d.kind);
    std::string out;
    for (size_t i = 0; i < said.size();) {
        size_t end = i;
        while (end < said.size() && (std::isalnum(static_cast<unsigned char>(said[end])) || said[end] == '_')) ++end;
        const std::string word = said.substr(i, end - i);
        const Port* p = word.empty() ? nullptr : d.port(word);
        out += word.empty() ? std::string(1, said[i]) : p ? "\u2039" + plain_name(*p) + "\u203a" : word;
        i = std::max(end, i + 1);
    }
    return out;
}

std::string plain_name(Type type) {
    switch (type) {
        case Type::number: return "number";
        case Type::color: return "colour";
        case Type::vector2: return "two numbers";
        case Type::vector3: return "direction";
        case Type::vector4: return "four numbers";
        case Type::color4: return "colour with alpha";
        case Type::integer: return "whole number";
        case Type::boolean: return "yes or no";
        case Type::text: return "words";
        case Type::place: return "place";
    }
    return type_name(type);
}

}  // namespace vemtra::nodes
