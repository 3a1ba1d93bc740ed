// Surface shaders of a document as build-ups: open_pbr_surface by name, standard_surface and gltf_pbr by the slots that
// mean the same, a mix of two as a cover over what it mixes with; where the
// cover is a mix itself, it becomes a build-up of its own, which the cover shows.
#pragma once
#include <pugixml.hpp>
#include <unordered_map>
#include <unordered_set>

#include "exchange/standard/document.h"

namespace vemtra::exchange {

class SurfaceReader {
public:
    SurfaceReader(const pugi::xml_node& root, StandardDocument& out);
    /// Adds a build-up for every material, or for every shader that none takes.
    void read();

private:
    void problem(const std::string& place, const std::string& why, const std::string& remedy);
    void build(const std::string& name, const pugi::xml_node& shader);
    void add_layers(scene::BuildUp& b, const pugi::xml_node& shader, const scene::Input& gate, int depth);
    void add_cover(scene::BuildUp& b, const pugi::xml_node& shader, const scene::Input& gate);
    void add_nested(scene::BuildUp& b, const pugi::xml_node& shader, const scene::Input& gate, int depth);
    static void open_by(scene::BuildUp& b, scene::Layer& layer, const scene::Input& gate);
    scene::Input slot(scene::BuildUp& b, const pugi::xml_node& input, const std::string& type);
    std::string instance(scene::BuildUp& b, const std::string& network);

    pugi::xml_node root_;
    StandardDocument& out_;
    std::unordered_map<std::string, pugi::xml_node> shaders_;  ///< by name
    std::vector<scene::BuildUp> nested_;                       ///< of the material that is being read
    std::unordered_set<std::string> begun_;                    ///< names of those and of what did not become one
};

}  // namespace vemtra::exchange
