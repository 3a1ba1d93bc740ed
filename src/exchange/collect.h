// A project and its files: collected into one folder, or found again where they went missing.
#pragma once
#include "base/paths.h"
#include "nodes/description.h"
#include "scene/graph.h"
#include "texture/map_cache.h"

namespace vemtra::exchange {

/// Every path that the scene names: calls f(place, path, kind) with kind "assets", "light", "maps" or "paint". Empty
/// paths are left out.
template <class F> void for_each_file(scene::Scene& s, F&& f) {
    for (scene::Asset& a : s.assets)
        if (!a.file.empty()) f("asset " + a.id, a.file, "assets");
    for (scene::Rig& r : s.rigs)
        if (!r.environment.image.empty()) f("rig " + r.name, r.environment.image, "light");
    for (scene::Painting& p : s.paintings)
        if (!p.file.empty()) f("painting " + p.name, p.file, "paint");
    const auto inputs = nodes::file_inputs(s.networks);
    for (scene::BuildUp& b : s.build_ups)
        scene::for_each_node(b, [&](scene::Node& n, scene::Layer*) {
            nodes::for_each_file_of(n, inputs, [&](std::string& path) { f(b.name + " / " + n.id, path, "maps"); });
        });
    for (scene::Network& network : s.networks) {
        for (scene::Node& n : network.nodes)
            nodes::for_each_file_of(n, inputs,
                                    [&](std::string& path) { f(network.name + " / " + n.id, path, "maps"); });
        if (const auto own = inputs.find(network.id); own != inputs.end())
            for (scene::NetworkInput& i : network.inputs)
                if (auto* path = std::get_if<std::string>(&i.value);
                    path && !path->empty() && own->second.contains(i.name))
                    f(network.name + " / " + i.name, *path, "maps");
    }
}

/// The paths of the scene that lead out of the project's folder, search folders among them; null where none does.
BlockedPaths paths_that_leave(scene::Scene scene, const fs::path& folder);

struct Collected {
    size_t files = 0;
    uint64_t bytes = 0;
    std::vector<Error> problems;  ///< files that do not exist or could not be copied; their paths stay as they are
};
/// Copies all that the scene uses beside `project`, into folders by kind, and writes the scene there with paths that
/// stay inside. Fails without a project where it was stopped or the project cannot be written.
Result<Collected> collect(scene::Scene scene, const Paths& paths, const fs::path& project,
                          Progress* progress = nullptr);

struct Found {
    std::string place, from, to;  ///< `to` as the project would name it
    bool by_content = false;      ///< under another name, with the very same content
};
/// Looks for files that do not exist in the folders and what lies below them (at most 200,000 entries): by name, and
/// maps that were prepared once also by content.
std::vector<Found> find_missing(scene::Scene scene, const Paths& paths, const std::vector<fs::path>& search,
                                const texture::MapCache& maps);
void use_found(scene::Scene& scene, const std::vector<Found>& found);

}  // namespace vemtra::exchange
