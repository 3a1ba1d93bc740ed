#include "exchange/collect.h"

#include <map>
#include <set>

#include "base/folders.h"
#include "base/text.h"
#include "scene/project_file.h"
#include "texture/paint_files.h"
#include "texture/texture.h"

namespace vemtra::exchange {
namespace {

fs::path absolute(const fs::path& folder, const std::string& file) {
    const fs::path p(file);
    return (p.is_absolute() ? p : folder / p).lexically_normal();
}

}  // namespace

BlockedPaths paths_that_leave(scene::Scene scene, const fs::path& folder) {
    const Paths paths(folder);
    std::set<std::string> out;
    for_each_file(scene, [&](const std::string&, const std::string& path, const char*) {
        if (paths.leaves(path)) out.insert(path);
    });
    for (const std::string& s : scene.search_folders)
        if (paths.leaves(s)) out.insert(s);
    return out.empty() ? nullptr : std::make_shared<const std::set<std::string>>(std::move(out));
}

Result<Collected> collect(scene::Scene scene, const Paths& paths, const fs::path& project, Progress* progress) {
    const fs::path to = absolute_path(project).parent_path();
    Collected out;
    std::map<std::string, std::string> moved;  // absolute pattern -> new path
    std::set<std::string> taken;
    size_t total = 0;
    size_t done = 0;
    for_each_file(scene, [&](const std::string&, std::string&, const char*) { ++total; });
    scene.search_folders.clear();  // all that they gave is beside the project now
    bool stop = false;
    for_each_file(scene, [&](const std::string& place, std::string& path, const char* kind) {
        if (stop || (stop = stopped(progress))) return;
        if (kind == std::string("paint")) return;  // written as it is now, below
        const auto at = paths.find(path);
        if (!at) {
            out.problems.push_back(at.error());
            return;
        }
        const fs::path from = at->lexically_normal();
        auto it = moved.find(from.string());
        if (it == moved.end()) {
            const auto files = texture::tile_files(from);
            std::error_code ec;
            if (files.empty() || !fs::is_regular_file(files.front().second, ec)) {
                out.problems.push_back({"A file could not be collected", from.string(), place, "it does not exist",
                                        "Find it first, or leave it out"});
                return;
            }
            // Files of the same name from different places must not meet.
            std::string name = from.filename().string();
            for (int k = 2; !taken.insert(std::string(kind) + "/" + lower(name)).second; ++k)
                name = from.stem().string() + "-" + std::to_string(k) + from.extension().string();
            const fs::path target = to / kind / name;
            fs::create_directories(target.parent_path(), ec);
            const std::string pattern = from.filename().string();
            const size_t at = pattern.find("<U");
            const size_t end = at == std::string::npos ? at : pattern.find('>', at);
            for (const auto& [tile, file] : files) {
                std::string file_name = name;
                if (tile) {  // the tile's part of the name, as it stands in the file's
                    const std::string own = file.filename().string();
                    const std::string part = own.substr(at, own.size() - (pattern.size() - (end - at + 1)));
                    const size_t where = name.find("<U");
                    file_name = name.substr(0, where) + part + name.substr(name.find('>', where) + 1);
                }
                const fs::path goal = to / kind / file_name;
                if (const Status s = copy_file_atomically(file, goal); !s) {
                    out.problems.push_back({"A file could not be collected", file.string(), place, s.error().why,
                                            "Check the space and the rights of the target folder"});
                    return;
                }
                ++out.files;
                out.bytes += fs::file_size(goal, ec);
            }
            it = moved.emplace(from.string(), std::string(kind) + "/" + name).first;
        }
        path = it->second;
        report(progress, float(++done) / float(std::max<size_t>(1, total)));
    });
    if (stop) return Error{"The project was not collected", project.string(), "", "it was stopped", ""};
    if (Status s = make_folder(to); !s) return s.error();
    if (const auto painted = texture::save_paintings(scene, absolute_path(project), paths, nullptr, progress); !painted)
        return painted.error();
    if (Status s = scene::save(scene, project); !s) return s.error();
    return out;
}

std::vector<Found> find_missing(scene::Scene scene, const Paths& paths, const std::vector<fs::path>& search,
                                const texture::MapCache& maps) {
    std::vector<Found> out;
    struct Lost {
        std::string place, path;
        fs::path from;
    };
    std::vector<Lost> lost;
    for_each_file(scene, [&](const std::string& place, std::string& path, const char*) {
        const fs::path from = absolute(paths.folder, path);
        if (const auto at = paths.find(path); at && !something_at(*at)) lost.push_back({place, path, from});
    });
    if (lost.empty()) return out;
    std::multimap<std::string, fs::path> by_name;
    std::multimap<uintmax_t, fs::path> by_size;
    size_t entries = 0;
    for (const fs::path& root : search) {
        std::error_code ec;
        for (fs::recursive_directory_iterator it(root, fs::directory_options::skip_permission_denied, ec), end;
             it != end && entries < 200000; it.increment(ec), ++entries) {
            if (ec) break;
            if (it.depth() > 12) it.disable_recursion_pending();
            if (!it->is_regular_file(ec)) continue;
            by_name.emplace(lower(it->path().filename().string()), it->path());
            by_size.emplace(it->file_size(ec), it->path());
        }
    }
    auto named = [&](const fs::path& p) {
        std::error_code ec;
        const fs::path relative = fs::proximate(p, paths.folder, ec);
        return ec ? p.string() : relative.generic_string();
    };
    for (const Lost& l : lost) {
        const std::string name = l.from.filename().string();
        if (const size_t at = name.find("<U"); at != std::string::npos) {  // any of its tiles shows where the set is
            for (const auto& [key, file] : by_name) {
                const fs::path pattern = file.parent_path() / name;
                if (!key.starts_with(lower(name.substr(0, at))) || texture::tile_files(pattern).empty()) continue;
                out.push_back({l.place, l.path, named(pattern), false});
                break;
            }
            continue;
        }
        if (const auto it = by_name.find(lower(name)); it != by_name.end()) {
            out.push_back({l.place, l.path, named(it->second), false});
            continue;
        }
        const auto noted = maps.noted(l.from);
        if (!noted) continue;
        const auto [first, last] = by_size.equal_range(uintmax_t(noted->first));
        for (auto it = first; it != last; ++it)
            if (texture::content_hash(it->second) == noted->second) {
                out.push_back({l.place, l.path, named(it->second), true});
                break;
            }
    }
    return out;
}

void use_found(scene::Scene& scene, const std::vector<Found>& found) {
    for_each_file(scene, [&](const std::string& place, std::string& path, const char*) {
        for (const Found& f : found)
            if (f.place == place && f.from == path) {
                path = f.to;
                return;
            }
    });
}

}  // namespace vemtra::exchange
