// Nodes of a build-up or a network as the content of a nodegraph: only what its outputs need, in the standard's words,
// with the conversions that we do silently written out.
#pragma once
#include <functional>
#include <map>
#include <pugixml.hpp>
#include <unordered_map>
#include <unordered_set>

#include "nodes/description.h"
#include "scene/graph.h"

namespace vemtra::exchange {

/// The name with only letters, digits and underscores, not beginning with a digit.
std::string clean_name(const std::string& name);

/// Beside the file of painted values, that of how much of the place they cover: no clean name has a dot in it.
std::string coverage_file(const std::string& values);

/// Hands out names of elements, each once.
class FreshNames {
public:
    std::string take(const std::string& stem);

private:
    std::unordered_set<std::string> taken_;
};

class GraphWriter {
public:
    using Tell = std::function<void(const std::string& place, const std::string& why, const std::string& remedy)>;
    GraphWriter(const scene::Scene& scene, pugi::xml_node graph, std::string place, Tell tell);

    /// What the nodes stand in, and the names of kinds that networks have in the document.
    void inside(const scene::BuildUp& b, const std::map<std::string, std::string>& own_kinds);
    void inside(const scene::Network& n, const std::map<std::string, std::string>& own_kinds);
    /// Adds an output with all that it needs.
    void output(const std::string& name, nodes::Type type, const scene::Input& input);
    /// amount * (1 + gate * (mask - 1)), the mask held between 0 and 1.
    void coverage(const std::string& name, const scene::Input& mask, float gate, float amount);

private:
    struct Said {
        std::string node, output;  ///< of the element; empty: it could not be said
        nodes::Type type = nodes::Type::number;
        bool interface = false;  ///< `node` is an input of the graph
    };
    /// Whether words given to that input of a network are a file's path.
    bool takes_path(const std::string& network, const std::string& input) const;
    pugi::xml_node element(const std::string& kind, const std::string& name, nodes::Type type);
    void value(pugi::xml_node node, const char* input, nodes::Type type, const scene::Value& value);
    void wire(pugi::xml_node to, const Said& from);
    void wired(pugi::xml_node node, const char* input, const Said& from);
    void input(pugi::xml_node node, const std::string& name, nodes::Type type, const scene::Input& input);
    Said said(const std::string& from, const std::string& output);
    Said converted(const Said& from, nodes::Type type);
    Said component(const Said& from, int index);
    void say(const scene::Node& n);
    void say_by_kind(const scene::Node& n);
    Said say_plain(const scene::Node& n, const nodes::NodeDescription& d);
    void write_arrays(pugi::xml_node e, const scene::Node& n, const nodes::NodeDescription& d, nodes::Type written);
    Said say_instance(const scene::Node& n);
    Said say_image(const scene::Node& n, const nodes::NodeDescription& d);
    Said say_placement(const scene::Node& n, const nodes::NodeDescription& d);
    Said say_painting(const scene::Node& n, const nodes::NodeDescription& d);
    Said say_fallback(const scene::Node& n, const nodes::NodeDescription* d);

    const scene::Scene& scene_;
    pugi::xml_node graph_;
    std::string place_;
    Tell tell_;
    FreshNames names_;
    const std::map<std::string, std::string>* own_kinds_ = nullptr;
    const scene::Network* network_ = nullptr;
    std::unordered_map<std::string, std::unordered_set<std::string>> file_inputs_;
    std::unordered_map<std::string, const scene::Node*> nodes_;
    std::unordered_map<std::string, Said> done_;
    std::unordered_set<std::string> saying_;  ///< being said: what reads one of these closes a circle
};

}  // namespace vemtra::exchange
