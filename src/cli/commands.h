// The commands of vemtra-cli. Each returns the exit code: 0 done, 1 it could not be done, 2 the call was wrong, 3 stopped,
// 4 done but something did not resolve (check, and render with missing pieces).
#pragma once
#include <string>
#include <vector>

#include "base/paths.h"
#include "scene/scene.h"

namespace vemtra::cli {

enum Exit { done = 0, failed = 1, usage = 2, was_stopped = 3, incomplete = 4 };

/// The user said that projects from elsewhere may read files outside of their folder.
extern bool allow_outside;
BlockedPaths blocked_paths(const scene::Scene& scene, const fs::path& project);

struct RenderCall {
    std::string project, output, size, view = "beauty", camera, rig, region, node;
    int samples = 0, seed = -1, threads = 0;
    bool json = false, preview = false;
};
int render(const RenderCall& call);
int make_new(const std::vector<std::string>& assets, const std::string& output, bool json);
int info(const std::string& file, bool json);
struct ValuesCall {
    std::string project, node, slot, part;
    int uv_grid = 8, tile = 1001;
    bool json = false;
};
int values(const ValuesCall& call);
int check(const std::string& project, bool json);
struct AlbedoCall {
    std::string project, part, uv, cosines = "1,0.7,0.3";
    int paths = 20000;
    bool json = false;
};
int measure_albedo(const AlbedoCall& call);
int stock_list(bool json);
int stock_show(const std::string& id);
struct StockCall {
    std::string id, output, project, rig;  ///< id empty: all, one file each into the folder `output`
    int size = 256, samples = 128;
};
int stock_render(const StockCall& call);
struct MapsCall {
    std::vector<std::string> paths;
    std::string recipe, output;  ///< of --pack: a file, or the name of one that ships
    bool json = false, quick = false;
};
int maps(const MapsCall& call);
int list_recipes();
int collect(const std::string& project, const std::string& output, bool json);
int find_files(const std::string& project, const std::vector<std::string>& folders, bool write, bool json);
int list_nodes();  ///< docs/nodes.md, from the descriptions

}  // namespace vemtra::cli
