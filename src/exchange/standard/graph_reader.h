// One nodegraph of a document as a network of ours.
#pragma once
#include <pugixml.hpp>
#include <unordered_map>
#include <unordered_set>

#include "base/result.h"
#include "nodes/description.h"

namespace vemtra::exchange {

/// Of an element; empty where it has no such attribute.
inline std::string text_of(const pugi::xml_node& e, const char* attribute) {
    return e.attribute(attribute).value();
}

/// Kinds of nodes that the document defines by a nodegraph of its own.
struct OwnKinds {
    std::unordered_map<std::string, std::string> kinds;  ///< graph by key
    static std::string key(const std::string& kind, const std::string& type) { return kind + " " + type; }
    /// The graph's name; empty where the document defines no such node.
    std::string graph(const std::string& kind, const std::string& type) const {
        const auto at = kinds.find(key(kind, type));
        return at == kinds.end() ? std::string() : at->second;
    }
};

class GraphReader {
public:
    GraphReader(const OwnKinds& own, std::string document, scene::Network& network, std::vector<Error>& problems);

    /// The inputs of a nodedef or a nodegraph; the first of a name counts.
    void inputs_of(const pugi::xml_node& element);
    void add(const pugi::xml_node& node);
    void output(const pugi::xml_node& output);
    /// An output that is called as a node and gives what that gives.
    void output_of(const pugi::xml_node& node);
    /// What an input of a nodegraph is given from outside of it.
    scene::Input outer_input(const pugi::xml_node& input);

    /// Outputs of nodegraphs that loose nodes read: each becomes an input of the network.
    struct GraphRead {
        scene::NetworkInput port;
        scene::Input from;
    };
    std::unordered_map<std::string, GraphRead>& graphs_read() { return graphs_read_; }

private:
    using Read = void (GraphReader::*)(const pugi::xml_node&);
    static const std::unordered_map<std::string, Read>& special();
    void problem(const std::string& place, const std::string& why, const std::string& remedy);
    scene::Node& emit(const std::string& id, const std::string& kind, const std::string& type);
    scene::Input read_input(const pugi::xml_node& input, const std::string& type);
    scene::Value in_its_space(const pugi::xml_node& input, const std::string& type, scene::Value value);
    std::optional<scene::Value> literal(const pugi::xml_node& input, const std::string& type);
    std::string fresh(const std::string& stem);
    void read_inputs(const pugi::xml_node& node, scene::Node& into);
    void take_input(const pugi::xml_node& input, scene::Node& into, const nodes::NodeDescription& d);
    bool take_array(const pugi::xml_node& input, scene::Node& into, const nodes::NodeDescription& d);
    std::string component_of(const std::string& node, const std::string& output);

    void add_plain(const pugi::xml_node& node);
    void add_own(const pugi::xml_node& node, const std::string& graph);
    void add_separate(const pugi::xml_node& node);
    void add_combine2(const pugi::xml_node& node);
    void add_convert(const pugi::xml_node& node);
    void add_choice(const pugi::xml_node& node);
    void add_image(const pugi::xml_node& node) { read_image(node, nullptr); }
    void read_image(const pugi::xml_node& node, const scene::Input* where);
    void add_four_channels(scene::Node image);
    void add_tiled_image(const pugi::xml_node& node);
    void add_images_by_side(const pugi::xml_node& node);
    std::string file_space(const scene::Node& n, const std::string& space);
    void add_pass(const pugi::xml_node& node);
    void add_geometry(const pugi::xml_node& node);
    void add_clock(const pugi::xml_node& node);
    void add_property(const pugi::xml_node& node);

    const OwnKinds& own_;
    std::string document_;
    scene::Network& network_;
    std::vector<Error>& problems_;
    std::unordered_set<std::string> taken_;
    std::unordered_map<std::string, scene::Input> separated_;  ///< what a node of several outputs takes apart
    std::unordered_map<std::string, std::string> separated_type_;
    std::unordered_map<std::string, GraphRead> graphs_read_;
};

}  // namespace vemtra::exchange
