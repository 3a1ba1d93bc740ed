#include "base/paths.h"

#include "base/json_text.h"
#include "base/text.h"

#include <algorithm>
#include <cstdio>

namespace vemtra {

std::vector<std::pair<int, fs::path>> tile_files(const fs::path& pattern) {
    const std::string name = pattern.filename().string();
    size_t at = name.find("<UDIM>");
    const bool pairs = at == std::string::npos;
    if (pairs) at = name.find("<UVTILE>");
    if (at == std::string::npos) return {{0, pattern}};
    const std::string before = name.substr(0, at);
    const std::string after = name.substr(at + (pairs ? 8 : 6));
    // u1_v1 counts from one, in either case, with or without the line between.
    auto number = [&](const std::string& middle) {
        if (!pairs) {
            if (middle.size() != 4 || middle.find_first_not_of("0123456789") != std::string::npos) return 0;
            return std::stoi(middle);
        }
        int u = 0;
        int v = 0;
        int end = 0;
        const std::string m = lower(middle);
        if (m.size() > 8 ||
            (std::sscanf(m.c_str(), "u%2d_v%2d%n", &u, &v, &end) != 2 &&
             std::sscanf(m.c_str(), "u%2dv%2d%n", &u, &v, &end) != 2) ||
            size_t(end) != m.size())
            return 0;
        return u >= 1 && u <= 10 && v >= 1 ? 1000 + u + 10 * (v - 1) : 0;
    };
    std::vector<std::pair<int, fs::path>> found;
    std::error_code ec;
    for (const auto& entry : entries_of(pattern.parent_path().empty() ? fs::path(".") : pattern.parent_path())) {
        const std::string other = entry.path().filename().string();
        if (other.size() <= before.size() + after.size() || !other.starts_with(before) || !other.ends_with(after))
            continue;
        const int tile = number(other.substr(before.size(), other.size() - before.size() - after.size()));
        if (tile >= 1001 && tile <= 1999) found.push_back({tile, entry.path()});
    }
    std::sort(found.begin(), found.end());
    return found;
}

bool something_at(const fs::path& pattern) {
    const auto files = tile_files(pattern);
    std::error_code ec;
    return !files.empty() && (files.front().first || fs::exists(files.front().second, ec));
}

bool lies_in(const fs::path& folder, const fs::path& path) {
    std::error_code ec;
    const fs::path root = fs::weakly_canonical(absolute_path(folder), ec);
    if (ec) return false;
    const fs::path at = fs::weakly_canonical(absolute_path(path), ec);
    if (ec) return false;
    const auto [end, rest] = std::mismatch(root.begin(), root.end(), at.begin(), at.end());
    return end == root.end() || (std::next(end) == root.end() && end->empty());
}

Paths::Paths(fs::path project_folder, const std::vector<std::string>& search_folders, BlockedPaths blocked_paths)
    : folder(std::move(project_folder)), blocked(std::move(blocked_paths)) {
    for (const std::string& s : search_folders)
        if (!s.empty() && !(blocked && blocked->count(s)))
            search.push_back(fs::path(s).is_absolute() ? fs::path(s) : folder / s);
}

bool Paths::leaves(const std::string& file) const {
    const fs::path p(file);
    const fs::path at = p.is_absolute() ? p : folder / p;
    if (!lies_in(folder, at)) return true;
    for (const auto& [tile, one] : tile_files(at))
        if (!lies_in(folder, one)) return true;  // a tile may be a link that leads out
    return false;
}

Result<fs::path> Paths::find(const std::string& file) const {
    const fs::path p(file);
    const fs::path at = p.is_absolute() ? p : folder / p;
    const bool may_read = !blocked || !blocked->count(file);
    if (may_read && (search.empty() || something_at(at))) return at;
    for (const fs::path& s : search)
        if (const fs::path other = s / p.filename(); something_at(other)) return other;
    if (may_read) return at;
    return Error{not_read_outside, at.string(), "",
                 "the project comes from elsewhere, and may not read what lies around it",
                 "Allow it if you trust the project (the button beside this finding, or --outside), or collect it "
                 "where it comes from"};
}

OwnProjects::OwnProjects(fs::path file) : file_(std::move(file)) {
}

namespace {
std::string known_as(const fs::path& project) {
    std::error_code ec;
    const fs::path p = fs::weakly_canonical(absolute_path(project), ec);
    return ec ? absolute_path(project).string() : p.string();
}
nlohmann::json read_list(const fs::path& file) {
    const auto text = read_file(file, most_text_bytes);
    if (!text) return nlohmann::json::array();
    auto j = parse_json<nlohmann::json>(*text);
    return j && j->is_array() ? *j : nlohmann::json::array();
}
}  // namespace

bool OwnProjects::holds(const fs::path& project) const {
    const std::string name = known_as(project);
    for (const auto& p : read_list(file_))
        if (p.is_string() && p.get<std::string>() == name) return true;
    return false;
}

Status OwnProjects::add(const fs::path& project) {
    if (holds(project)) return Done{};
    auto list = read_list(file_);
    list.push_back(known_as(project));
    if (list.size() > 5000) list.erase(list.begin());
    std::error_code ec;
    fs::create_directories(file_.parent_path(), ec);
    return write_file_atomically(file_, json_text(list) + "\n");
}

}  // namespace vemtra
