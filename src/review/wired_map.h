// A texture map as a network reads it, with what is known of its file.
#pragma once
#include <optional>

#include "base/paths.h"
#include "nodes/description.h"
#include "nodes/slot_names.h"
#include "render/prepared.h"
#include "scene/graph.h"
#include "texture/map_probe.h"

namespace vemtra::review {

class Remembered;

struct WiredMap {
    const scene::BuildUp* build_up = nullptr;
    size_t build_up_index = 0;
    const scene::Node* node = nullptr;
    std::string place;                        ///< "build-up / name"
    std::vector<scene::LayerEnd> ends;        ///< where its values go; never empty
    std::vector<const scene::Node*> readers;  ///< straight
    fs::path path;                            ///< with <UDIM>
    std::vector<std::pair<int, fs::path>> files;
    texture::ImageHeader header;  ///< of the first tile
    nodes::ImageRequest request;
    std::string space;  ///< that its numbers are decoded from; "raw": as they are
    nodes::Type type = nodes::Type::number;
    std::optional<texture::MapFacts> facts;  ///< of the first tiles; none where they are not known yet

    bool heights() const { return nodes::has_use(*node, nodes::Use::relief) || moves(); }
    /// It moves the form.
    bool moves() const { return feeds(nodes::slot::height); }
    bool feeds_straight_color() const;
    bool feeds_color() const;
    bool feeds(const std::string& slot) const;
    bool read_by(nodes::Use use) const;
};
bool is_color_slot(const std::string& slot);

/// The maps of all build-ups that some part wears, whose files are there.
std::vector<WiredMap> wired_maps(const render::Prepared& prepared, texture::TextureStore& store, const Paths& paths,
                                 Remembered& remembered);

}  // namespace vemtra::review
