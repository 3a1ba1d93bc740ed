#include <cstdio>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "exchange/collect.h"
#include "exchange/map_pack.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

using nlohmann::ordered_json;
using namespace texture;

int fail(const Error& e) {
    std::fprintf(stderr, "error: %s\n", e.line().c_str());
    return failed;
}
ordered_json as_json(const Error& e) { return {{"what", e.what}, {"file", e.file}, {"place", e.place}, {"why", e.why}, {"remedy", e.remedy}}; }

ordered_json as_json(const MapNote& n) { return {{"grade", n.grade == MapNote::Grade::finding ? "finding" : "hint"}, {"what", n.what}, {"remedy", n.remedy}}; }
ordered_json as_json(const MapEntry& m) {
    ordered_json j{{"file", m.pattern}, {"kind", info(m.kind).name}, {"tiles", m.tiles}, {"missing_tiles", m.missing}, {"width", m.header.width}, {"height", m.header.height},
                   {"channels", m.header.channels}, {"bits", m.header.bits}, {"floating", m.header.floating}, {"colour_space", m.colour_space}, {"slot", m.slot}};
    if (m.kind == MapKind::packed) {
        j["packed"] = ordered_json::array();
        for (MapKind k : m.packed) j["packed"].push_back(info(k).name);
    } else if (!info(m.kind).colour && m.kind != MapKind::normal) {
        j["channel"] = m.channel;
    }
    if (m.invert) j["invert"] = true;
    if (m.kind == MapKind::normal) j["green"] = m.green_down ? "down" : "up";
    if (m.blank) j["value"] = *m.blank;
    j["notes"] = ordered_json::array();
    for (const MapNote& n : m.notes) j["notes"].push_back(as_json(n));
    return j;
}

fs::path recipe_file(const std::string& name) {
    if (name.find('/') != std::string::npos || fs::path(name).extension() == ".json") return name;
    for (const fs::path& p : exchange::shipped_recipes())
        if (p.stem() == name) return p;
    return name;
}

}  // namespace

int list_recipes() {
    for (const fs::path& p : exchange::shipped_recipes()) {
        const auto r = exchange::read_recipe(p);
        if (!r) return fail(r.error());
        std::printf("%-32s %s\n", p.stem().c_str(), r->about.c_str());
    }
    return done;
}

int maps(const MapsCall& call) {
    if (call.paths.empty()) {
        if (call.recipe.empty()) return std::fprintf(stderr, "usage: maps takes folders or maps\n"), usage;
        return list_recipes();
    }
    if (!call.recipe.empty() && call.output.empty()) return std::fprintf(stderr, "usage: --pack needs -o FOLDER\n"), usage;
    std::vector<Error> problems;
    auto sets = find_map_sets({call.paths.begin(), call.paths.end()}, problems);
    const MapGuesses guesses(guesses_file());
    for (MapSet& s : sets) {
        if (!call.quick) probe_map_set(s, problems);
        guesses.apply(s);
    }
    for (const Error& e : problems) std::fprintf(stderr, "warning: %s\n", e.line().c_str());
    if (sets.empty()) return fail({"No texture maps were found", call.paths.front(), "", problems.empty() ? "there are no image files" : "none of the images can be read", "Name a folder with maps, or one of the maps"});
    if (!call.recipe.empty()) {
        const auto recipe = exchange::read_recipe(recipe_file(call.recipe));
        if (!recipe) return fail(recipe.error());
        ordered_json j{{"written", ordered_json::array()}, {"left_out", ordered_json::array()}};
        for (const MapSet& s : sets) {
            const auto packed = exchange::pack(s, *recipe, call.output);
            if (!packed) return fail(packed.error());
            for (const fs::path& p : packed->written) {
                if (!call.json) std::printf("%s\n", p.c_str());
                j["written"].push_back(p.string());
            }
            for (const std::string& t : packed->left_out) {
                if (!call.json) std::fprintf(stderr, "left out: %s\n", t.c_str());
                j["left_out"].push_back(t);
            }
        }
        if (call.json) std::printf("%s\n", j.dump(1).c_str());
        return problems.empty() ? done : incomplete;
    }
    if (call.json) {
        ordered_json j{{"sets", ordered_json::array()}, {"problems", ordered_json::array()}};
        for (const MapSet& s : sets) {
            ordered_json set{{"name", s.name}, {"folder", s.folder.string()}, {"maps", ordered_json::array()}, {"notes", ordered_json::array()}};
            for (const MapEntry& m : s.maps) set["maps"].push_back(as_json(m));
            for (const MapNote& n : s.notes) set["notes"].push_back(as_json(n));
            j["sets"].push_back(set);
        }
        for (const Error& e : problems) j["problems"].push_back(as_json(e));
        std::printf("%s\n", j.dump(1).c_str());
    } else {
        for (const MapSet& s : sets) {
            std::printf("%s  (%s)\n", s.name.c_str(), s.folder.c_str());
            for (const MapEntry& m : s.maps) {
                std::printf("  %-18s %-44s %3zu %s  %d x %d, %d bits  %-12s -> %s\n", info(m.kind).title, fs::path(m.pattern).filename().c_str(), m.files.size(), m.tiles.empty() ? "file " : "tiles", m.header.width,
                            m.header.height, m.header.bits, m.colour_space.c_str(), m.slot.empty() ? "(stands by)" : m.slot.c_str());
                std::string more;
                for (size_t c = 0; m.kind == MapKind::packed && c < m.packed.size(); ++c)
                    if (m.packed[c] != MapKind::unknown) more += (more.empty() ? "" : ", ") + std::string(1, "rgba"[std::min<size_t>(c, 3)]) + " " + info(m.packed[c]).title;
                if (m.kind == MapKind::normal) more = m.green_down ? "green points down" : "green points up";
                if (!more.empty()) std::printf("    %s\n", more.c_str());
                for (const MapNote& n : m.notes) std::printf("    %s %s. %s\n", n.grade == MapNote::Grade::finding ? "!" : "-", n.what.c_str(), n.remedy.c_str());
            }
            for (const MapNote& n : s.notes) std::printf("  %s %s. %s\n", n.grade == MapNote::Grade::finding ? "!" : "-", n.what.c_str(), n.remedy.c_str());
        }
    }
    return problems.empty() ? done : incomplete;
}

int collect(const std::string& project, const std::string& output, bool json) {
    auto loaded = scene::load(project);
    if (!loaded) return fail(loaded.error());
    if (fs::path(output).extension() != ".vemtra") return std::fprintf(stderr, "usage: -o takes a file that ends in .vemtra\n"), usage;
    std::error_code ec;
    if (fs::equivalent(project, output, ec)) return std::fprintf(stderr, "usage: the project cannot be collected onto itself\n"), usage;
    fs::create_directories(fs::absolute(output).parent_path(), ec);
    const auto c = exchange::collect(loaded->scene, Paths(fs::absolute(project).parent_path(), loaded->scene.search_folders, blocked_paths(loaded->scene, project)), output);
    if (!c) return fail(c.error());
    OwnProjects().add(output);
    for (const Error& e : c->problems) std::fprintf(stderr, "warning: %s\n", e.line().c_str());
    if (json) {
        ordered_json j{{"project", output}, {"files", c->files}, {"bytes", c->bytes}, {"problems", ordered_json::array()}};
        for (const Error& e : c->problems) j["problems"].push_back(as_json(e));
        std::printf("%s\n", j.dump(1).c_str());
    } else {
        std::printf("%s: %zu files, %.1f MB\n", output.c_str(), c->files, double(c->bytes) / (1 << 20));
    }
    return c->problems.empty() ? done : incomplete;
}

int find_files(const std::string& project, const std::vector<std::string>& folders, bool write, bool json) {
    auto loaded = scene::load(project);
    if (!loaded) return fail(loaded.error());
    const MapCache cache(cache_folder("maps"));
    const fs::path folder = fs::absolute(project).parent_path();
    const auto found = exchange::find_missing(loaded->scene, Paths(folder, loaded->scene.search_folders, nullptr), {folders.begin(), folders.end()}, cache);
    ordered_json j{{"found", ordered_json::array()}};
    for (const auto& f : found) {
        if (!json) std::printf("%s: %s -> %s%s\n", f.place.c_str(), f.from.c_str(), f.to.c_str(), f.by_content ? " (by content)" : "");
        j["found"].push_back({{"place", f.place}, {"from", f.from}, {"to", f.to}, {"by_content", f.by_content}});
    }
    if (json) std::printf("%s\n", j.dump(1).c_str());
    else if (found.empty()) std::printf("nothing was found\n");
    if (write && !found.empty()) {
        const bool was_inside = !blocked_paths(loaded->scene, project);  // nothing but what the user just chose leads out of the folder then
        exchange::use_found(loaded->scene, found);
        if (was_inside) OwnProjects().add(project);
        if (Status s = scene::save(loaded->scene, project); !s) return fail(s.error());
    }
    return done;
}

}  // namespace vemtra::cli
